"""What belongs together, said as data: fields, comparisons, partners, pairs, bays, columns."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Literal

from keen_trellis.data import Kind


class Bay(StrEnum):
    """One of the three groups of rows at a tie."""

    LEFT = "left"
    BOTH = "both"
    RIGHT = "right"


Keep = tuple[Bay, ...]
"""The bays whose rows go on, in the order left, both, right."""

JOIN_NAMES: dict[Keep, str] = {
    (Bay.BOTH,): "inner",
    (Bay.LEFT, Bay.BOTH): "left outer",
    (Bay.BOTH, Bay.RIGHT): "right outer",
    (Bay.LEFT, Bay.BOTH, Bay.RIGHT): "full outer",
    (Bay.LEFT,): "left anti",
    (Bay.RIGHT,): "right anti",
    (Bay.LEFT, Bay.RIGHT): "full anti",
}
"""The name of the join that follows from the bays kept."""

Operator = Literal["=", "<>", "<", "<=", ">", ">=", "nearest earlier", "nearest later"]
"""How a left value is compared with a right one.

“Nearest earlier” finds the right rows with the largest value that is not above the left one,
“nearest later” those with the smallest that is not below it.
"""
NEAREST: tuple[Operator, ...] = ("nearest earlier", "nearest later")

TextRule = Literal["outer spaces", "doubled spaces", "case", "accents", "punctuation", "invisible"]
"""What is ignored when texts are compared."""
TEXT_RULES: tuple[TextRule, ...] = (
    "outer spaces",
    "doubled spaces",
    "case",
    "accents",
    "punctuation",
    "invisible",
)

Blanks = Literal["never", "match"]
Partner = Literal["every", "first", "last", "only"]
Side = Literal["left", "right"]


@dataclass(frozen=True, slots=True)
class LinkField:
    """A field of the left table and the field of the right table that it is compared with.

    Attributes
    ----------
    left, right : str
    operator : Operator
    strict : bool
        With a nearest operator: an equal value is not near enough.
    within : float or None
        With a nearest operator: the largest distance allowed, in days for dates, in seconds for
        date-times and times.
    compare_as : Kind or None
        Both sides are turned into this kind for the comparison only; values that cannot be are
        treated as blanks.
    """

    left: str
    right: str
    operator: Operator = "="
    strict: bool = False
    within: float | None = None
    compare_as: Kind | None = None


@dataclass(frozen=True, slots=True)
class OrderField:
    """A field that several partners are put in order by."""

    field: str
    descending: bool = False


@dataclass(frozen=True, slots=True)
class Pair:
    """Two values of a link field that mean the same in this tie, on whichever side they stand.

    Sameness goes on: with a = b and b = c, a = c.

    Attributes
    ----------
    left, right : str
        The values as they are shown.
    field : int
        The place of the link field.
    """

    left: str
    right: str
    field: int = 0


@dataclass(frozen=True, slots=True)
class Link:
    """Everything that decides which rows are partners; what is kept is another matter.

    Attributes
    ----------
    fields : tuple of LinkField
        All of them must hold together (a compound key).
    text : tuple of TextRule
        What is ignored when texts are compared for equality.
    blanks : "never" or "match"
        Whether blanks are partners of blanks under “equals”.
    partner : "every", "first", "last" or "only"
        Which partner is taken when there are several; “only” takes one that is the only one.
    partner_for : "left" or "right"
        The side whose rows get one partner.
    order : tuple of OrderField
        Fields of the other side, by which first and last are meant; rows that are equal in them
        keep their order.
    pairs : tuple of Pair
    cross : bool
        Every row is a partner of every row; only without fields.
    """

    fields: tuple[LinkField, ...] = ()
    text: tuple[TextRule, ...] = ()
    blanks: Blanks = "never"
    partner: Partner = "every"
    partner_for: Side = "left"
    order: tuple[OrderField, ...] = ()
    pairs: tuple[Pair, ...] = ()
    cross: bool = False

    @property
    def equal_fields(self) -> tuple[LinkField, ...]:
        """The fields that are compared for equality."""
        return tuple(field for field in self.fields if field.operator == "=")

    def with_text(self, rules: Iterable[TextRule]) -> Link:
        """Return the link with other text rules, in their usual order."""
        chosen = set(rules)
        return replace(self, text=tuple(rule for rule in TEXT_RULES if rule in chosen))


@dataclass(frozen=True, slots=True)
class Columns:
    """Which columns go on from a tie, and what becomes of those with the same name.

    Attributes
    ----------
    same_named : "both", "left", "right" or "filled"
        Keep both, the right one with the right table's name behind it; keep one; or make one of
        them, from the left where that is not a gap.
    link : "once" or "both"
        Whether a link field compared for equality stands there once, under its left name, filled
        from whichever side has the row.
    left, right : tuple of str, or None
        The columns wanted from a side; None takes all. With none at all from one side and only
        the bay of both kept, the join is a semi join: each found row goes on once.
    """

    same_named: Literal["both", "left", "right", "filled"] = "both"
    link: Literal["once", "both"] = "once"
    left: tuple[str, ...] | None = None
    right: tuple[str, ...] | None = None


ALL_COLUMNS = Columns()
"""Every column of both sides; link fields once, others of the same name both."""


def keep_of(bays: Iterable[str]) -> Keep:
    """Return the bays in their order, each once.

    Raises
    ------
    ValueError
        None is given, or one that is not a bay.
    """
    chosen = {Bay(bay) for bay in bays}
    if not chosen:
        raise ValueError("At least one of left, both and right must be kept.")
    return tuple(bay for bay in Bay if bay in chosen)


def join_name(keep: Keep, columns: Columns = ALL_COLUMNS) -> str:
    """Return the name of the join that the kept bays and the wanted columns make."""
    side = semi_side(keep, columns)
    return f"{side} semi" if side else JOIN_NAMES[keep]


def semi_side(keep: Keep, columns: Columns) -> Side | None:
    """Return the side whose found rows go on once each, where the join is a semi join."""
    if keep == (Bay.BOTH,):
        if columns.right == ():
            return "left"
        if columns.left == ():
            return "right"
    return None
