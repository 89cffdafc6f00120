"""The page of a filter: its conditions as a sentence with choices, the rows kept and left out."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from keen_trellis.compute.filtered import Filtered
from keen_trellis.data import Table
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.rows_card import RowsCard
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, OneLine, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme, value_font
from keen_trellis.document import Lane
from keen_trellis.document.edits import SetItem
from keen_trellis.document.items import ConditionItem, FilterItem, Item
from keen_trellis.errors import UserError
from keen_trellis.plan.operators import TEST_WORDS, VALUES_OF

_VALUE_WIDTH = 130
_LOOKED_AT = 1_000
_OF = {"all": "all of these hold", "any": "any of these holds"}


class FilterPage(Page):
    """Which rows go on, said as a sentence; below it both sorts of rows."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__(session, theme)
        self._sentence = Sentence("filter.sentence")
        self._item = FilterItem(id="")
        self._notice = Notice("filter.trouble")
        self._kept = RowsCard("filter.kept", theme, "No row goes on.")
        self._left_out = RowsCard("filter.left_out", theme, "No row is left out.")
        self._cards = QWidget()
        cards = QHBoxLayout(self._cards)
        cards.setContentsMargins(0, 0, 0, 0)
        cards.setSpacing(12)
        cards.addWidget(self._kept, 56)
        cards.addWidget(self._left_out, 44)
        self._said = QFrame()
        self._said.setProperty("said", True)
        self._words = label()
        self._words.setObjectName("filter.said")
        said = QHBoxLayout(self._said)
        said.setContentsMargins(14, 8, 14, 8)
        said.addWidget(self._words)
        self._effects = OneLine()  # its numbers stand first: a long name gives way
        self._effects.setProperty("strong", True)
        self._effects.setObjectName("filter.effects")
        said.addStretch(1)
        said.addWidget(self._effects)
        session.noticed.connect(self._show_effects)
        self._spare = QWidget()  # below a notice, where there are no rows
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 8)
        column.setSpacing(9)
        column.addWidget(self._sentence)
        column.addWidget(self._notice)
        column.addWidget(self._cards, 1)
        column.addWidget(self._said)
        column.addWidget(self._spare, 1)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._sentence.forget()
        for card in (self._kept, self._left_out):
            card.set_theme(theme)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a filter as the latest results have it."""
        assert isinstance(item, FilterItem)
        self._item = item
        given = self.session.results.given.get(item.id)
        before = self.session.results.table(self.session.trellis.before(item.id))
        self._show_sentence(item, lane.name, before)
        self._notice.tell(str(given) if isinstance(given, UserError) else "")
        is_there = isinstance(given, Filtered)
        self._cards.setVisible(is_there)
        self._said.setVisible(is_there)
        self._spare.setVisible(not is_there)
        if isinstance(given, Filtered):
            colours = origins.colours[lane.id]
            named = {condition.column for condition in item.conditions}
            self._kept.show_head("Go on", len(given.outcome), True, colours)
            self._kept.show_rows(given.outcome, origins, named)
            self._left_out.show_head("Left out", len(given.left_out), False, colours)
            self._left_out.show_rows(given.left_out, origins, named)
            self._words.setText(given.sentence())
            self._show_effects()

    def _show_effects(self) -> None:
        """Say what the filter does at the next ties; the others are in the tool tip."""
        found = self.session.looking.effects
        more = f"{len(found)} ties differ: " if len(found) > 1 else ""
        self._effects.setText(f"{more}{found[0]}" if found else "")
        self._effects.setToolTip("\n".join(found))

    def _show_sentence(self, item: FilterItem, lane: str, before: Table | None) -> None:
        names = before.columns if before is not None else ()
        self._sentence.say((item, lane, names), partial(self._tell, item, lane, before))

    def _tell(self, item: FilterItem, lane: str, before: Table | None) -> None:
        say = self._sentence
        say.word(f"Keep the rows of {lane} where" if item.conditions else f"Every row of {lane}")
        if len(item.conditions) > 1:
            says = "Whether all must hold"
            say.choice(
                "filter.of", says, _OF, current=item.of, chosen=lambda value: self._change(of=value)
            )
        for place, condition in enumerate(item.conditions):
            if place:
                say.word("and" if item.of == "all" else "or")
            self._tell_condition(place, condition, before)
        if not item.conditions:
            say.word("goes on, until something is asked of it:")
        add = say.choice(
            "filter.add",
            "Ask something of a column",
            _columns(before),
            current="",
            chosen=self._add,
        )
        add.setText("+ condition" if item.conditions else "choose a column")
        add.setEnabled(before is not None)

    def _tell_condition(self, place: int, condition: ConditionItem, before: Table | None) -> None:
        say, name = self._sentence, f"filter.{place}"
        say.choice(
            f"{name}.column",
            "The column",
            _columns(before),
            current=condition.column,
            chosen=lambda chosen: self._put(place, column=chosen),
            font=value_font(),
        )
        say.choice(
            f"{name}.test",
            "The test",
            {str(test): words for test, words in TEST_WORDS.items()},
            current=condition.is_,
            chosen=lambda chosen: self._choose_test(place, chosen, before),
        )
        for number, value in enumerate(condition.values):
            if number:
                say.word("and" if condition.is_ == "between" else "or")
            says = f"Value {number + 1} for {condition.column}"
            taken = partial(self._take_value, place, number)
            say.field(f"{name}.value.{number}", says, value, _VALUE_WIDTH, taken)
        if condition.is_ == "in":
            more = partial(self._add_value, place, before)
            say.button("+ value", f"{name}.more", "Add a value", more)
        says = "Take this condition out"
        say.button("×", f"{name}.remove", says, partial(self._remove, place))

    def _change(self, **changes: object) -> None:
        self.session.do(SetItem(FilterItem(**{**dict(self._item), **changes}), "Change a filter"))

    def _put(self, place: int, **changes: object) -> None:
        conditions = list(self._item.conditions)
        conditions[place] = ConditionItem(**{**dict(conditions[place]), **changes})
        self._change(conditions=tuple(conditions))

    def _add(self, column: str) -> None:
        new = ConditionItem(column=column, is_="is not blank")
        self._change(conditions=(*self._item.conditions, new))

    def _remove(self, place: int) -> None:
        conditions = self._item.conditions
        self._change(conditions=conditions[:place] + conditions[place + 1 :])

    def _choose_test(self, place: int, test: str, before: Table | None) -> None:
        """Take another test, with as many values as it needs: those there, else the first cell."""
        condition = self._item.conditions[place]
        takes = VALUES_OF[test]  # type: ignore[index]
        values = list(condition.values[: takes.stop - 1])
        while len(values) < takes.start:
            values.append(_first_value(before, condition.column))
        self._put(place, is_=test, values=tuple(values))

    def _take_value(self, place: int, number: int, text: str) -> None:
        values = list(self._item.conditions[place].values)
        values[number] = text
        self._put(place, values=tuple(values))

    def _add_value(self, place: int, before: Table | None) -> None:
        condition = self._item.conditions[place]
        other = _first_value(before, condition.column, condition.values)
        self._put(place, values=(*condition.values, other))


def _columns(before: Table | None) -> list[tuple[str, str, str]]:
    fields = before.fields if before is not None else ()
    return [(field.name, field.name, str(field.kind)) for field in fields]


def _first_value(before: Table | None, name: str, but: Sequence[str] = ()) -> str:
    """Return the first value that a column shows, but for some; empty where it has none."""
    if before is None or name not in before.columns:
        return ""
    column = before.window(0, _LOOKED_AT).column(name)
    shown = (text for text in column.texts().to_pylist() if text and text not in but)
    return next(shown, "")
