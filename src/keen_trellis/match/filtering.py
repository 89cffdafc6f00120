"""Rows that fulfil a condition, with SQL's meaning: what is not known to be true is left out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from keen_trellis.data import Column, Table
from keen_trellis.errors import LinkError
from keen_trellis.match.comparing import comparable, in_one_kind, order_keys
from keen_trellis.match.keys import codes_of

Test = Literal["=", "<>", "<", "<=", ">", ">=", "in", "between", "is blank", "is not blank"]


@dataclass(frozen=True, slots=True)
class Filter:
    """A condition on one column.

    Attributes
    ----------
    column : str
    test : Test
    values : tuple
        What is compared with: one value, several for “in”, the two ends for “between”.
    """

    column: str
    test: Test
    values: tuple[Any, ...] = ()

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
    values = _values(condition.values, column, condition)
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


def _values(values: Sequence[Any], column: Column, condition: Filter) -> Column:
    made = Column.of(list(values))
    if not values or not comparable(made.kind, column.kind):
        raise LinkError(
            f"“{condition}” compares {column.kind} with {made.kind if values else 'nothing'}.",
            f"Give a value that is {column.kind}.",
        )
    return made
