"""The eight kinds of values, and how each lies in memory."""

from __future__ import annotations

from collections.abc import Collection
from enum import StrEnum
from typing import Any, Literal

import numpy as np

EXACT_DTYPE = np.dtype([("lo", "<u8"), ("hi", "<i8")])
"""One exact decimal: a 128-bit integer, to be read with the column's scale."""


class Kind(StrEnum):
    """What the values of a column are. The value is the word shown and stored."""

    TEXT = "text"
    INTEGER = "integer"
    NUMBER = "number"
    EXACT = "exact decimal"
    BOOLEAN = "boolean"
    DATE = "date"
    DATE_TIME = "date-time"
    TIME = "time"

    @property
    def dtype(self) -> np.dtype[Any]:
        """The dtype of a column's values.

        Text is a code per row into a dictionary; dates are days since 1970-01-01; date-times are
        microseconds since then, as the clock on the wall shows; times microseconds since midnight.
        """
        return _DTYPES[self]

    @property
    def is_numeric(self) -> bool:
        """Whether values are amounts, shown right-aligned."""
        return self in (Kind.INTEGER, Kind.NUMBER, Kind.EXACT)


DateOrder = Literal["day first", "month first", "year first"]

_DTYPES: dict[Kind, np.dtype[Any]] = {
    Kind.TEXT: np.dtype(np.int32),
    Kind.INTEGER: np.dtype(np.int64),
    Kind.NUMBER: np.dtype(np.float64),
    Kind.EXACT: EXACT_DTYPE,
    Kind.BOOLEAN: np.dtype(np.bool_),
    Kind.DATE: np.dtype(np.int32),
    Kind.DATE_TIME: np.dtype(np.int64),
    Kind.TIME: np.dtype(np.int64),
}

_LATTICE: tuple[tuple[Kind, frozenset[Kind]], ...] = (
    (Kind.EXACT, frozenset((Kind.INTEGER, Kind.EXACT))),
    (Kind.NUMBER, frozenset((Kind.INTEGER, Kind.EXACT, Kind.NUMBER))),
    (Kind.DATE_TIME, frozenset((Kind.DATE, Kind.DATE_TIME))),
)


def holding(kinds: Collection[Kind]) -> Kind:
    """Return the narrowest kind that holds the values of all `kinds`; text holds everything.

    A number holds integers and exact decimals only as far as a double has digits: whoever
    puts values into it looks at what does not fit.

    >>> holding({Kind.INTEGER, Kind.EXACT})
    <Kind.EXACT: 'exact decimal'>
    """
    if len(kinds) == 1:
        return next(iter(kinds))
    return next((wider for wider, held in _LATTICE if kinds and held.issuperset(kinds)), Kind.TEXT)


NUMERIC = (Kind.INTEGER, Kind.EXACT, Kind.NUMBER)
BY_DAY = (Kind.DATE, Kind.DATE_TIME)


def comparable(left: Kind, right: Kind) -> bool:
    """Whether values of two kinds can be compared as they are: numbers by value, moments by day."""
    if left is right:
        return True
    return any(left in group and right in group for group in (NUMERIC, BY_DAY))
