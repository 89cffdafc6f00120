"""The eight kinds of values, and which of them holds which; without NumPy, as plans are."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from enum import StrEnum
from typing import Literal


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
    def is_numeric(self) -> bool:
        """Whether values are amounts, shown right-aligned."""
        return self in (Kind.INTEGER, Kind.NUMBER, Kind.EXACT)


DateOrder = Literal["day first", "month first", "year first"]

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


def widest(kinds: Sequence[Kind]) -> Kind:
    """Return the kind that holds the values of all: of numbers, or of dates and date-times.

    Raises
    ------
    ValueError
        None does without turning them into text.
    """
    found = dict.fromkeys(kinds)
    if len(found) == 1:
        return kinds[0]
    if all(kind in NUMERIC for kind in found):
        return Kind.NUMBER if Kind.NUMBER in found else Kind.EXACT
    if all(kind in BY_DAY for kind in found):
        return Kind.DATE_TIME
    raise ValueError


def castable(kind: Kind, to: Kind) -> bool:
    """Whether values of one kind can be cast to another, as far as they fit."""
    if kind is to or Kind.TEXT in (kind, to):
        return True
    if kind.is_numeric and to.is_numeric:
        return True
    return (kind, to) in _ACROSS


_ACROSS = {
    (Kind.DATE, Kind.DATE_TIME),
    (Kind.DATE_TIME, Kind.DATE),
    (Kind.DATE_TIME, Kind.TIME),
    (Kind.BOOLEAN, Kind.INTEGER),
    (Kind.INTEGER, Kind.BOOLEAN),
}
