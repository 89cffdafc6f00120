"""The Promises page of a tie: what must hold at every run, and the rows that break it."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.compute.promise_checks import Checked
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.rows_card import RowsCard
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import Lane, edits
from keen_trellis.document.items import Item, JoinItem, Promised
from keen_trellis.plan.promises import PROMISES, Promise

_WHAT_FOR = tr(
    "Checked at every run, here and by “keen-trellis run”; a broken one stops deliveries."
)
_NUMBER_WIDTH = 76


class PromisesPage(Page):
    """Each promise as a sentence with choices, and whether it is kept."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._item: JoinItem | None = None
        self._notice = Notice("promises.trouble")
        self._said = Sentence("promises.sentences")
        self._rows = RowsCard("promises.breaking", theme, self)
        self._rows.setMinimumHeight(40)  # what is promised is seen first
        self._spare = QWidget()
        self._shown = 0
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 10)
        column.setSpacing(9)
        column.addWidget(self._notice)
        column.addWidget(label(_WHAT_FOR, soft=True))
        column.addWidget(self._said)
        column.addWidget(self._rows, 1)
        column.addWidget(self._spare, 1)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._said.forget()
        self._rows.set_theme(theme)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show what is promised of a tie, and the rows that break the one looked at."""
        assert isinstance(item, JoinItem)
        if self._item is None or self._item.id != item.id:
            self._shown = 0
        self._item = item
        self.tell_trouble(self._notice, self.session.results.given.get(item.id))
        names = (lane.name, self.session.trellis.lane(item.lane).name)
        found = self.session.results.promises.get(item.id, ())
        # What was checked is of the tie as it ran: a promise that was changed since has no answer
        # yet.
        known = found if [one.promise for one in found] == _promises(item) else ()
        told = tuple((one.is_kept, one.says) for one in known)
        columns = self._columns(item)
        tell = partial(self._tell, item, names, known)
        self._said.say((item.promises, item.id, names, told, columns), tell)
        self._show_breaking(known, origins)

    def _tell(self, item: JoinItem, names: tuple[str, str], known: tuple[Checked, ...]) -> None:
        say, theme = self._said, self.theme
        for place, promised in enumerate(item.promises):
            name = f"promises.{place}"
            words = {
                f"{side}.{what}": Promise(
                    what,
                    side,
                    promised.rows,
                    column=promised.column,
                ).sentence(names)
                for side in ("left", "right")
                for what in PROMISES
            }
            current = f"{promised.side}.{promised.what}"
            what = say.choice(
                f"{name}.what", tr("The promise"), words, current, partial(self._put, place)
            )
            say.begin_line(what)
            if promised.what == "few without":
                taken = partial(self._number, place)
                says = tr("How many rows may be without a partner")
                say.field(f"{name}.rows", says, str(promised.rows), _NUMBER_WIDTH, taken)
            if promised.what == "same total":
                columns = dict.fromkeys(self._columns(item)[promised.side == "right"])
                says = tr("The column that is added up")
                options = [(column, column, "") for column in columns]
                chosen = partial(self._column, place)
                say.choice(f"{name}.column", says, options, promised.column, chosen)
            if place < len(known):
                one = known[place]
                state = tr("· kept") if one.is_kept else tr("· broken: {says}", says=one.says)
                say.word(state, theme.accent if one.is_kept else theme.warn_ink)
                if len(one.breaking):
                    look = partial(self._look, place)
                    say.button(
                        tr("show the rows"), f"{name}.show", tr("Show the rows that break it"), look
                    )
            says = tr("Take this promise back")
            say.button("×", f"{name}.remove", says, partial(self._remove, place))
        offered = {
            f"{side}.{what}": Promise(what, side).sentence(names)
            for side in ("left", "right")
            for what in PROMISES
        }
        add = say.choice("promises.add", tr("Promise something"), offered, "", self._add)
        add.setText(tr("+ promise") if item.promises else tr("promise something"))
        say.begin_line(add)

    def _show_breaking(self, known: tuple[Checked, ...], origins: Origins) -> None:
        """Show the rows that break the promise looked at, or else the first broken one."""
        broken = [n for n, one in enumerate(known) if len(one.breaking)]
        place = self._shown if self._shown in broken else next(iter(broken), None)
        self._rows.setVisible(place is not None)
        self._spare.setVisible(place is None)
        if place is not None:
            one = known[place]
            table = one.rows
            colours = next(iter(origins.colours.values()))
            for origin, found in origins.colours.items():
                if table.fields and table.fields[0].origin == origin:
                    colours = found
            self._rows.show_head(
                tr("Not so: {sentence}", sentence=one.sentence()), len(table), True, colours
            )
            link = one.tied.link.fields
            side = one.promise.side
            self._rows.show_rows(table, origins, {getattr(field, side) for field in link})

    def _columns(self, item: JoinItem) -> tuple[tuple[str, ...], tuple[str, ...]]:
        """Return the columns of both sides that can be added up."""
        found = []
        for side in self.session.results.sides(item.id):
            fields = getattr(side, "fields", ())
            found.append(tuple(field.name for field in fields if field.kind.is_numeric))
        left, right = [*found, (), ()][:2]
        return left, right

    def _change(self, promises: tuple[Promised, ...]) -> None:
        if self._item is not None:
            self.session.do(edits.SetPromises(self._item.id, promises))

    def _replace(self, place: int, promised: Promised) -> None:
        assert self._item is not None
        promises = self._item.promises
        self._change((*promises[:place], promised, *promises[place + 1 :]))

    def _add(self, value: str) -> None:
        assert self._item is not None
        self._change((*self._item.promises, self._promised(value)))

    def _put(self, place: int, value: str) -> None:
        self._replace(place, self._promised(value))

    def _promised(self, value: str) -> Promised:
        """Return a promise as it is chosen; the first column where one is to be added up."""
        assert self._item is not None
        side, _, what = value.partition(".")
        columns = self._columns(self._item)[side == "right"]
        column = next(iter(columns), "") if what == "same total" else ""
        return Promised.model_validate({"what": what, "side": side, "column": column})

    def _number(self, place: int, text: str) -> None:
        assert self._item is not None
        # With digits grouped or not, as it may have been copied.
        number = text.strip().replace(",", "")
        if not number.isdecimal():
            self.session.telling.trouble(
                tr("“{text}” is no number of rows. Type one from 0 on.", text=text)
            )
            return
        self._replace(place, self._item.promises[place].model_copy(update={"rows": int(number)}))

    def _column(self, place: int, column: str) -> None:
        assert self._item is not None
        self._replace(place, self._item.promises[place].model_copy(update={"column": column}))

    def _look(self, place: int) -> None:
        self._shown = place
        self.session.document.selected.emit()

    def _remove(self, place: int) -> None:
        assert self._item is not None
        promises = self._item.promises
        self._change(promises[:place] + promises[place + 1 :])


def _promises(item: JoinItem) -> list[Promise]:
    return [promised.as_promise() for promised in item.promises]
