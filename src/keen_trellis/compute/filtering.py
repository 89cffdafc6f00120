"""Rows that fulfil a condition, with SQL's meaning: what is not known to be true is left out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keen_trellis.compute.join.comparing import comparable, in_one_kind, met, order_keys
from keen_trellis.compute.join.keys import codes_of
from keen_trellis.data import Column, Table
from keen_trellis.errors import LinkError, known
from keen_trellis.plan.operators import TESTS, VALUES_OF, Test

_TAKES = {1: "one value", 2: "two values", 0: "no value"}


@dataclass(frozen=True, slots=True)
class Filter:
    """A condition on one column.

    Attributes
    ----------
    column : str
    test : Test
    values : tuple, or one value
        What is compared with: one value, several for “in”, the two ends for “between”. A blank
        (None) among them is not known to be equal to, below or above anything, as in SQL.

    Raises
    ------
    WordError
        The test is none of `TESTS`.
    LinkError
        The test takes another number of values.
    """

    column: str
    test: Test
    values: tuple[Any, ...] = ()

    def __post_init__(self) -> None:
        known("The test of a filter", self.test, TESTS)
        values = self.values
        if not isinstance(values, tuple | list | set | frozenset | range):
            values = (values,)  # one text is one value, not its letters
        object.__setattr__(self, "values", tuple(values))
        takes = VALUES_OF[self.test]
        if len(values) not in takes:
            words = _TAKES[takes.start] if len(takes) == 1 else "one value or more"
            raise LinkError(
                f"“{self.column} {self.test}” takes {words}; {len(values)} are given.",
                "Mend the filter.",
            )

    def __str__(self) -> str:
        """Say the condition."""
        return " ".join([self.column, self.test, *(str(value) for value in self.values)])


def filtered(table: Table, condition: Filter, column: str | None = None) -> Table:
    """Return the rows for which a condition is true; blanks and gaps fulfil only “is blank”.

    Parameters
    ----------
    table : Table
    condition : Filter
    column : str, optional
        The column to look at, where it is not called as in the condition.

    Raises
    ------
    UnknownColumnError
        The table has no such column.
    LinkError
        The values are of a kind that the column cannot be compared with.
    """
    held = holds(table.column(column or condition.column), condition)
    return table.take(np.flatnonzero(held))


def holds(column: Column, condition: Filter) -> NDArray[np.bool_]:
    """Return for each cell whether the condition is true."""
    absent = column.absent
    blank = np.zeros(len(column), bool) if absent is None else absent
    if condition.test in ("is blank", "is not blank"):
        return blank if condition.test == "is blank" else ~blank
    known_values = [value for value in condition.values if value is not None]
    if not known_values or (condition.test != "in" and None in condition.values):
        return np.zeros(len(column), bool)  # unknown for every row
    column, values = _comparable(column, known_values, condition)
    if condition.test in ("=", "<>", "in"):
        codes = codes_of(column, values)
        wanted = np.zeros(codes.size + 1, bool)
        wanted[codes.right[codes.right >= 0]] = True
        found = wanted[codes.left] & ~blank
        result: NDArray[np.bool_] = ~found & ~blank if condition.test == "<>" else found
        return result
    keys = order_keys(*in_one_kind(column, values))
    low, high = keys.right[0], keys.right[-1]
    tests: dict[str, NDArray[np.bool_]] = {
        "<": keys.left < low,
        "<=": keys.left <= low,
        ">": keys.left > low,
        ">=": keys.left >= low,
        "between": (keys.left >= low) & (keys.left <= high),
    }
    result = tests[condition.test] & ~blank
    return result


def _comparable(column: Column, values: Sequence[Any], condition: Filter) -> tuple[Column, Column]:
    try:
        made = Column.of(list(values))
    except TypeError as error:
        raise LinkError(f"“{condition}” compares with values of several kinds.") from error
    column, made = met(column, made)
    if not comparable(made.kind, column.kind):
        raise LinkError(
            f"“{condition}” compares {column.kind} with {made.kind}.",
            f"Give a value that is {column.kind}.",
        )
    return column, made
