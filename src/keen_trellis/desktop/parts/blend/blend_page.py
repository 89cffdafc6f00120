"""The page of a blend: by what the lanes are summarised, to which figures, and what comes out."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.compute.blending import Blend
from keen_trellis.data import Table
from keen_trellis.desktop.bench.bay_panes import SIX_ROWS, Bays
from keen_trellis.desktop.bench.condition_fields import Conditions
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.rows_card import in_groups, in_rows
from keen_trellis.desktop.bench.sentence import Sentence, tell_span
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.bench.tie_kind import say_kind
from keen_trellis.desktop.controls import Notice, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme, value_font
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.document import Lane, edits
from keen_trellis.document.items import (
    BlendedLane,
    BlendItem,
    ConditionItem,
    FigureItem,
    Item,
)
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.blends import Reach
from keen_trellis.plan.figures import FIGURES, hows_of
from keen_trellis.plan.spans import SPANS, Span

_ROWS = "rows"
_SAID_HEIGHT = 36


class BlendPage(Page):
    """A blend as a sentence with choices, the bays of a meeting, the totals before and after."""

    rows_height = SIX_ROWS

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._item: BlendItem | None = None
        self._met = -1
        self._sentence = Sentence("blend.sentence")
        self._notice = Notice("blend.trouble")
        self._bays = Bays(session, theme, self, takes_pairs=False)
        self._bays.switched.connect(self._switch_bay)
        self._bays.lane_asked.connect(session.building.begin_with_bay)
        self._said = QFrame()
        self._said.setProperty("said", True)
        self._words = label()
        self._words.setObjectName("blend.said")
        self._words.setWordWrap(True)
        self._words.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self._words.setMaximumHeight(_SAID_HEIGHT)  # with long names the rest is in the tip
        said = QHBoxLayout(self._said)
        said.setContentsMargins(14, 7, 14, 7)
        said.addWidget(self._words)
        self._spare = QWidget()
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 8)
        column.setSpacing(9)
        for widget, share in (
            (self._sentence, 0),
            (self._notice, 0),
            (self._bays, 1),
            (self._said, 0),
            (self._spare, 1),
        ):
            column.addWidget(widget, share)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._sentence.forget()
        self._bays.set_theme(theme)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a blend as the latest results have it."""
        assert isinstance(item, BlendItem)
        if self._item is None or self._item.id != item.id:
            self._met = -1
        self._item = item
        given = self.session.results.given.get(item.id)
        self._show_sentence(lane, item, origins)
        self.tell_trouble(self._notice, given)
        is_there = isinstance(given, Blend)
        self._bays.setVisible(is_there)
        self._said.setVisible(is_there)
        self._spare.setVisible(not is_there)
        if isinstance(given, Blend):
            # Lanes may have been taken out since it was chosen. −1 is the last meeting, where all
            # have met.
            met = self._met if -len(given.ties) <= self._met < len(given.ties) else -1
            tie, other = given.ties[met], item.lanes[min(met, len(item.lanes) - 1)]
            unit = in_rows if given.keeps_rows else in_groups
            self._bays.show_tie(tie, item.keep, (lane.id, other.lane), origins, unit)
            self._words.setText(given.sentence())
            self._words.setToolTip(as_it_is(given.sentence()))

    def _tables(self) -> list[Table | None]:
        """Return the rows of every lane of the blend, as far as they are known."""
        assert self._item is not None
        trellis, results = self.session.trellis, self.session.results
        parts = [trellis.before(self._item.id), *map(trellis.taken_after, self._item.lanes)]
        return [results.table(part) for part in parts]

    def _show_sentence(self, lane: Lane, item: BlendItem, origins: Origins) -> None:
        tables = self._tables()
        names = tuple((one.id, one.name) for one in self.session.trellis.lanes)
        known = tuple(table.columns if table is not None else () for table in tables)
        given = self.session.results.given.get(item.id)
        reach = given.reach if isinstance(given, Blend) else ()
        key = (item, names, known, self._met, reach)
        told = _Told(self._sentence, self.session, item, (lane, tables, reach), origins)
        self._sentence.say(key, partial(self._tell, told, lane))

    def _tell(self, told: _Told, lane: Lane) -> None:
        told.tell()
        item, say = told.item, self._sentence
        if len(item.lanes) > 1:
            say.word(tr("Below: how those before meet"))
            names = {
                str(n): self.session.trellis.lane(one.lane).name for n, one in enumerate(item.lanes)
            }
            current = str(self._met % len(item.lanes))
            says = tr("Which meeting is shown")
            say.choice("blend.met", says, names, current=current, chosen=self._show_met)

    def _show_met(self, number: str) -> None:
        self._met = int(number)
        self.session.document.selected.emit()

    def _switch_bay(self, bay: Bay, kept: bool) -> None:
        item = self._item
        if item is not None and not self.session.do(edits.SetBay(item.id, bay, kept)):
            self._bays.show_kept(item.keep)


class _Told:
    """One telling of the sentence; what is chosen in it changes the blend that it is about."""

    def __init__(
        self,
        say: Sentence,
        session: Session,
        item: BlendItem,
        known: tuple[Lane, Sequence[Table | None], Sequence[Reach]],
        origins: Origins,
    ) -> None:
        self._say, self._session, self.item, self._origins = say, session, item, origins
        own, tables, self._reach = known
        self._tables = list(tables)
        self._lanes = [own, *(session.trellis.lane(taken.lane) for taken in item.lanes)]

    def tell(self) -> None:
        """Add the whole sentence: the link, the figures of each lane, what comes before."""
        say_kind(self._say, self._session, "blend")
        rows = {
            "groups": tr("one row for each"),
            "rows": tr("every {name} row, by", name=self._lanes[0].name),
        }
        current = "rows" if self.item.keeps_rows else "groups"
        says = tr("Whether the first lane is summarised, too")
        self._say.choice("blend.rows", says, rows, current=current, chosen=self._choose_rows)
        for place in range(len(self.item.fields)):
            if place:
                self._say.word(tr("and"))
            self._tell_field(place)
        self._offer_field()
        for number in range(len(self._lanes)):
            if number or not self.item.keeps_rows:
                self._tell_figures(number)
        self._offer_lanes()
        self._tell_filters()

    def _tell_field(self, place: int) -> None:
        for number, lane in enumerate(self._lanes):
            if number:
                self._say.word("=")
            self._say.choice(
                f"blend.field.{place}.{number}",
                tr("Link field of {name}", name=lane.name),
                _columns(self._tables[number]),
                current=self._fields(number)[place],
                chosen=partial(self._put_field, place, number),
                font=value_font(),
                ink=self._origins.colours[lane.id].ink,
            )
        self._tell_span(place)
        says = tr("Take the link field {fields} out", fields=self._fields(0)[place])
        name = f"blend.field.{place}.remove"
        self._say.button("×", name, says, partial(self._remove_field, place))

    def _tell_span(self, place: int) -> None:
        """Of dates, by which span of the calendar they are taken."""
        kinds = [
            field.kind
            for number, table in enumerate(self._tables)
            for field in (table.fields if table is not None else ())
            if field.name == self._fields(number)[place]
        ]
        span = self.item.spans[place] if place < len(self.item.spans) else None
        says = tr("By which span of the calendar the field is taken")
        chosen = partial(self._put_span, place)
        tell_span(self._say, f"blend.field.{place}.span", says, kinds, span, chosen)

    def _put_span(self, place: int, span: str) -> None:
        fields = len(self.item.fields)
        # As long as the fields are, whatever an older document holds.
        spans: list[Span | None] = [*self.item.spans, *[None] * fields][:fields]
        spans[place] = next((one for one in SPANS if one == span), None)
        self._change(spans=tuple(spans) if any(spans) else ())

    def _offer_field(self) -> None:
        others = [c for c in _columns(self._tables[0]) if c[0] not in self.item.fields]
        add = self._say.choice(
            "blend.field.add", tr("One more link field"), others, current="", chosen=self._add_field
        )
        add.setText(tr("+ field") if self.item.fields else tr("choose a field"))
        add.setEnabled(bool(others) and None not in self._tables)

    def _tell_figures(self, number: int) -> None:
        lane, say = self._lanes[number], self._say
        first = _first_of(say, tr("from"))
        # The first lane that has figures begins the line: the second one where the first keeps
        # its rows.
        if number == bool(self.item.keeps_rows):
            say.begin_line(first)
        say.word(lane.name, self._origins.colours[lane.id].ink)
        if number and len(self._lanes) > 2:
            says = tr("Take {name} out of the blend", name=lane.name)
            name = f"blend.lane.{number}.remove"
            say.button("×", name, says, partial(self._remove_lane, number))
        options = _figures(self._tables[number])
        for place, figure in enumerate(self._figures(number)):
            name, says = f"blend.figure.{number}.{place}", tr("A figure of {name}", name=lane.name)
            chosen = partial(self._put_figure, number, place)
            say.choice(name, says, options, current=_value(figure), chosen=chosen)
            says = tr("Take figure {place} of {name} out", place=place + 1, name=lane.name)
            say.button("×", f"{name}.remove", says, partial(self._remove_figure, number, place))
        add = say.choice(
            f"blend.figure.{number}.add",
            tr("One more figure of {name}", name=lane.name),
            options,
            current="",
            chosen=partial(self._add_figure, number),
        )
        add.setText(tr("+ figure"))
        add.setEnabled(self._tables[number] is not None)

    def _offer_lanes(self) -> None:
        taken = {lane.id for lane in self._lanes}
        others = [(x.id, x.name, "") for x in self._session.trellis.lanes if x.id not in taken]
        add = self._say.choice(
            "blend.lane.add", tr("Blend another lane"), others, current="", chosen=self._add_lane
        )
        add.setText(tr("+ lane"))
        add.setEnabled(bool(others))

    def _tell_filters(self) -> None:
        say, item = self._say, self.item
        tables = [table for table in self._tables if table is not None]
        told = Conditions(say, "blend.filter", tables, item.filters, self._put_filters)
        if item.filters:
            say.begin_line(_first_of(say, tr("Before it is summarised:")))
        for place in range(len(item.filters)):
            told.tell(place)
            if place < len(self._reach):
                say.word(self._reach[place].words)
        told.offer(tr("+ filter"))

    def _fields(self, number: int) -> tuple[str, ...]:
        return self.item.lanes[number - 1].fields if number else self.item.fields

    def _figures(self, number: int) -> tuple[FigureItem, ...]:
        return self.item.lanes[number - 1].figures if number else self.item.figures

    def _change(self, **changes: object) -> None:
        self._session.do(
            edits.SetItem(BlendItem(**{**dict(self.item), **changes}), tr("Change a blend"))
        )

    def _change_lane(self, number: int, **changes: object) -> None:
        if not number:
            self._change(**changes)
            return
        lanes = list(self.item.lanes)
        lanes[number - 1] = BlendedLane(**{**dict(lanes[number - 1]), **changes})
        self._change(lanes=tuple(lanes))

    def _choose_rows(self, value: str) -> None:
        self._change(keeps_rows=value == "rows")

    def _put_field(self, place: int, number: int, name: str) -> None:
        fields = list(self._fields(number))
        fields[place] = name
        self._change_lane(number, fields=tuple(fields))

    def _add_field(self, name: str) -> None:
        """Add a field of the first lane; of the others the one that is called most like it."""
        lanes = tuple(
            BlendedLane(**{**dict(lane), "fields": (*lane.fields, self._like(name, number))})
            for number, lane in enumerate(self.item.lanes, start=1)
        )
        self._change(fields=(*self.item.fields, name), lanes=lanes)

    def _like(self, name: str, number: int) -> str:
        from keen_trellis.advice.names import alike

        table, own = self._tables[number], self._tables[0]
        assert table is not None and own is not None
        kind, used = own.field(name).kind, set(self._fields(number))
        fields = [field for field in table.fields if field.name not in used] or list(table.fields)
        # The same kind counts more than any likeness of names.
        best = max(fields, key=lambda f: (f.kind is kind, alike(name, f.name)))
        return best.name

    def _remove_field(self, place: int) -> None:
        def without(fields: tuple[str, ...]) -> tuple[str, ...]:
            return fields[:place] + fields[place + 1 :]

        lanes = tuple(
            BlendedLane(**{**dict(lane), "fields": without(lane.fields)})
            for lane in self.item.lanes
        )
        spans = self.item.spans[:place] + self.item.spans[place + 1 :]
        self._change(fields=without(self.item.fields), lanes=lanes, spans=spans)

    def _put_figure(self, number: int, place: int, value: str) -> None:
        figures = list(self._figures(number))
        figures[place] = _figure(value)
        self._change_lane(number, figures=tuple(figures))

    def _add_figure(self, number: int, value: str) -> None:
        self._change_lane(number, figures=(*self._figures(number), _figure(value)))

    def _remove_figure(self, number: int, place: int) -> None:
        figures = self._figures(number)
        self._change_lane(number, figures=figures[:place] + figures[place + 1 :])

    def _add_lane(self, lane_id: str) -> None:
        from keen_trellis.desktop.session.proposing import usual_figures_of

        trellis = self._session.trellis
        after = trellis.end_of(trellis.lane(lane_id))
        table = self._session.results.table(after)
        fields = tuple(self._like_new(name, table) for name in self.item.fields)
        (figures,) = usual_figures_of([table], [fields])
        taken = BlendedLane(lane=lane_id, after=after, fields=fields, figures=figures)
        self._change(lanes=(*self.item.lanes, taken))

    def _like_new(self, name: str, table: Table | None) -> str:
        from keen_trellis.advice.names import alike

        if table is None or not table.columns:
            return name
        return max(table.columns, key=lambda column: alike(name, column))

    def _remove_lane(self, number: int) -> None:
        lanes = self.item.lanes
        self._change(lanes=lanes[: number - 1] + lanes[number:])

    def _put_filters(self, filters: tuple[ConditionItem, ...]) -> None:
        self._change(filters=filters)


def _first_of(say: Sentence, words: str) -> QWidget:
    """Add words that may begin a line; return them."""
    say.word(words)
    added = say.flow.itemAt(say.flow.count() - 1)
    assert added is not None
    widget = added.widget()
    assert widget is not None
    return widget


def _columns(table: Table | None) -> list[tuple[str, str, str]]:
    fields = table.fields if table is not None else ()
    return [(field.name, field.name, tr(field.kind)) for field in fields]


def _figures(table: Table | None) -> list[tuple[str, str, str]]:
    """Return every figure that a table has: sums first, since they are usual."""
    fields = table.fields if table is not None else ()
    made = [(_ROWS, tr("number of rows"), "")]
    for how in FIGURES:
        made += [
            (
                f"{how}|{field.name}",
                tr("{how} of {name}", how=tr(how), name=field.name),
                tr(field.kind),
            )
            for field in fields
            if how in hows_of(field.kind)
        ]
    return made


def _value(figure: FigureItem) -> str:
    return _ROWS if figure.column is None else f"{figure.how}|{figure.column}"


def _figure(value: str) -> FigureItem:
    how, _, column = value.partition("|")
    return FigureItem() if value == _ROWS else FigureItem(column=column, how=how)  # type: ignore[arg-type]
