"""Conditions on columns as parts of a sentence: for filters, and for what comes before a blend."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import cast

from PySide6.QtWidgets import QLineEdit

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.base.words import counted
from keen_trellis.data import Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.controls import Choice
from keen_trellis.desktop.picker import Pick, Picker
from keen_trellis.desktop.theme import value_font
from keen_trellis.document.items import ConditionItem
from keen_trellis.plan.operators import TEST_WORDS, VALUES_OF, Test

_VALUE_WIDTH = 130
_LOOKED_AT = 1_000
_OFFERED = 1_000
_OF_VALUES = ("=", "<>", "in")


class Conditions:
    """Some conditions, told in a sentence; what is chosen goes to `changed`.

    Parameters
    ----------
    say : Sentence
    name : str
        The beginning of the object names.
    tables : Table, sequence of Table, or None
        Where the columns and the first values come from; the first that has a column counts.
    conditions : tuple of ConditionItem
    changed : callable
        Takes the conditions as they are to be.
    find_out : callable, optional
        Looks into something aside, as `Session.find_out`; without it values are only typed.
    """

    def __init__(
        self,
        say: Sentence,
        name: str,
        tables: Table | Sequence[Table] | None,
        conditions: tuple[ConditionItem, ...],
        changed: Callable[[tuple[ConditionItem, ...]], object],
        find_out: Callable[..., object] | None = None,
    ) -> None:
        self._find_out = find_out
        self._say, self._name = say, name
        self._tables = [tables] if isinstance(tables, Table) else list(tables or ())
        self._conditions, self._changed = conditions, changed

    def tell(self, place: int) -> None:
        """Add one of the conditions to the sentence."""
        condition, say, name = self._conditions[place], self._say, f"{self._name}.{place}"
        say.choice(
            f"{name}.column",
            tr("The column"),
            self._columns(),
            current=condition.column,
            chosen=lambda chosen: self._put(place, column=chosen),
            font=value_font(),
        )
        say.choice(
            f"{name}.test",
            tr("The test"),
            {str(test): words for test, words in TEST_WORDS.items()},
            current=condition.is_,
            chosen=lambda chosen: self._choose_test(place, chosen),
        )
        for number, value in enumerate(condition.values):
            if number:
                say.word(tr("and") if condition.is_ == "between" else tr("or"))
            says = tr("Value {number} for {column}", number=number + 1, column=condition.column)
            taken = partial(self._take_value, place, number)
            field = say.field(f"{name}.value.{number}", says, value, _VALUE_WIDTH, taken)
            if self._find_out is not None and condition.is_ in _OF_VALUES:
                says = tr(
                    "Choose from the values of {column}, with their rows", column=condition.column
                )
                pick = partial(self._offer_values, place, number, field)
                say.button("▾", f"{name}.value.{number}.pick", says, pick)
        if condition.is_ == "in":
            say.button(
                tr("+ value"), f"{name}.more", tr("Add a value"), partial(self._add_value, place)
            )
        says = tr(
            "Take condition {place}, on {column}, out", place=place + 1, column=condition.column
        )
        say.button("×", f"{name}.remove", says, partial(self._remove, place))

    def offer(self, words: str) -> Choice:
        """Add the choice that adds a condition; return it."""
        add = self._say.choice(
            f"{self._name}.add",
            tr("Ask something of a column"),
            self._columns(),
            current="",
            chosen=self._add,
        )
        add.setText(words)
        add.setEnabled(bool(self._tables))
        return add

    def _columns(self) -> list[tuple[str, str, str]]:
        known = {f.name: tr(f.kind) for table in reversed(self._tables) for f in table.fields}
        names = dict.fromkeys(f.name for table in self._tables for f in table.fields)
        return [(name, name, known[name]) for name in names]

    def _put(self, place: int, **changes: object) -> None:
        conditions = list(self._conditions)
        conditions[place] = ConditionItem(**{**dict(conditions[place]), **changes})
        self._changed(tuple(conditions))

    def _add(self, column: str) -> None:
        self._changed((*self._conditions, ConditionItem(column=column, is_="is not blank")))

    def _remove(self, place: int) -> None:
        self._changed(self._conditions[:place] + self._conditions[place + 1 :])

    def _choose_test(self, place: int, test: str) -> None:
        """Take another test, with as many values as it needs: those there, else the first cell."""
        condition, takes = self._conditions[place], VALUES_OF[cast("Test", test)]
        # Values that are there stay, as many as the test takes.
        values = list(condition.values[: takes.stop - 1])
        while len(values) < takes.start:
            values.append(self._first_value(condition.column))
        self._put(place, is_=test, values=tuple(values))

    def _take_value(self, place: int, number: int, text: str) -> None:
        values = list(self._conditions[place].values)
        values[number] = text
        self._put(place, values=tuple(values))

    def _offer_values(self, place: int, number: int, field: QLineEdit) -> None:
        """Offer the values that the column has, each with its rows; counted aside."""
        column = self._conditions[place].column
        table = next((one for one in self._tables if column in one.columns), None)
        if table is None or self._find_out is None:
            return

        def count(report: Report) -> list[tuple[str, int]]:
            from keen_trellis.compute.row_view import values_of

            return values_of(table, column, _OFFERED, report)

        def offer(found: list[tuple[str, int]]) -> None:
            picks = [Pick(text, text, counted(rows, "row")) for text, rows in found]
            name = f"{self._name}.{place}.value.{number}.picker"
            picker = Picker(name, tr("A value of {column}", column=column), picks, field)
            picker.resize(360, 340)
            picker.chosen.connect(lambda text: self._take_value(place, number, text))
            picker.move(field.mapToGlobal(field.rect().bottomLeft()))
            picker.show()

        self._find_out(count, offer, "")

    def _add_value(self, place: int) -> None:
        condition = self._conditions[place]
        other = self._first_value(condition.column, condition.values)
        self._put(place, values=(*condition.values, other))

    def _first_value(self, name: str, but: Sequence[str] = ()) -> str:
        """Return the first value that a column shows, but for some; empty where it has none."""
        table = next((one for one in self._tables if name in one.columns), None)
        if table is None:
            return ""
        column = table.window(0, _LOOKED_AT).column(name)
        shown = (text for text in column.texts().to_pylist() if text and text not in but)
        return next(shown, "")
