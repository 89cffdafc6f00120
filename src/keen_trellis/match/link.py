"""What belongs together, said as data: fields, comparisons, partners, pairs, bays, columns."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from decimal import Decimal
from enum import StrEnum
from fractions import Fraction
from typing import Literal, get_args

from keen_trellis.data import Kind
from keen_trellis.errors import LinkError, known


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
OPERATORS: tuple[Operator, ...] = get_args(Operator)
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
BLANKS: tuple[Blanks, ...] = get_args(Blanks)
PARTNERS: tuple[Partner, ...] = get_args(Partner)
SIDES: tuple[Side, ...] = get_args(Side)
SameNamed = Literal["both", "left", "right", "filled"]
LinkShown = Literal["once", "both"]


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
        date-times and times. It counts as the decimal that it is written as, so 1.05 is within
        0.05 of 1.10.
    compare_as : Kind or None
        Both sides are turned into this kind for the comparison only; values that cannot be match
        nothing.

    Raises
    ------
    WordError
        The operator is none of `OPERATORS`.
    LinkError
        `strict` or `within` is given without a nearest operator, or is no distance.
    """

    left: str
    right: str
    operator: Operator = "="
    strict: bool = False
    within: float | Decimal | None = None
    compare_as: Kind | None = None

    def __post_init__(self) -> None:
        known("The operator of a link", self.operator, OPERATORS)
        if self.operator not in NEAREST and (self.strict or self.within is not None):
            raise LinkError(
                f"“{self.left} {self.operator} {self.right}” has no nearest match that could be "
                "strict or within a distance.",
                f"Take it out, or compare by {' or '.join(NEAREST)}.",
            )
        if self.within is not None and not 0 <= self.within < float("inf"):
            raise LinkError(
                f"{self.within} is no distance within which {self.left} could be near.",
                "Give a number from 0 on.",
            )

    @property
    def distance(self) -> Fraction | None:
        """The largest distance allowed, exactly as it is written."""
        return None if self.within is None else Fraction(Decimal(str(self.within)))


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

    Raises
    ------
    WordError
        A text rule, blanks, a partner or a side is called by a word that is not known.
    """

    fields: tuple[LinkField, ...] = ()
    text: tuple[TextRule, ...] = ()
    blanks: Blanks = "never"
    partner: Partner = "every"
    partner_for: Side = "left"
    order: tuple[OrderField, ...] = ()
    pairs: tuple[Pair, ...] = ()
    cross: bool = False

    def __post_init__(self) -> None:
        for rule in self.text:
            known("A text rule", rule, TEXT_RULES)
        known("What blanks do", self.blanks, BLANKS)
        known("Which partner is taken", self.partner, PARTNERS)
        known("The side that takes one partner", self.partner_for, SIDES)

    @property
    def equal_fields(self) -> tuple[LinkField, ...]:
        """The fields that are compared for equality."""
        return tuple(field for field in self.fields if field.operator == "=")

    def with_text(self, rules: Iterable[TextRule] | TextRule) -> Link:
        """Return the link with other text rules, in their usual order.

        Raises
        ------
        WordError
            A rule is none of `TEXT_RULES`.
        """
        chosen: set[str] = {rules} if isinstance(rules, str) else set(rules)
        for rule in chosen:
            known("A text rule", rule, TEXT_RULES)
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
        The columns wanted from a side; None takes all, and what is asked for by name always goes
        on. With none at all from one side and only the bay of both kept, the join is a semi join:
        each found row goes on once.

    Raises
    ------
    WordError
        `same_named` or `link` is a word that is not known.
    """

    same_named: SameNamed = "both"
    link: LinkShown = "once"
    left: tuple[str, ...] | None = None
    right: tuple[str, ...] | None = None

    def __post_init__(self) -> None:
        known("What becomes of columns of one name", self.same_named, get_args(SameNamed))
        known("How often a link field stands", self.link, get_args(LinkShown))
        for side in SIDES:
            wanted = getattr(self, side)
            if wanted is not None:  # one name by itself is that column, not its letters
                names = (wanted,) if isinstance(wanted, str) else tuple(wanted)
                object.__setattr__(self, side, names)


ALL_COLUMNS = Columns()
"""Every column of both sides; link fields once, others of the same name both."""


def keep_of(bays: Iterable[str] | str) -> Keep:
    """Return the bays in their order, each once; the name of a join stands for its bays.

    >>> keep_of("left outer") == keep_of(["both", "left"])
    True

    Raises
    ------
    WordError
        One is no bay, or the text no name of a join.
    ValueError
        None is given.
    """
    if isinstance(bays, str):
        named = {name: keep for keep, name in JOIN_NAMES.items()}
        known("What is kept", bays, list(named))
        return named[bays]
    chosen = list(bays)
    for bay in chosen:
        known("A bay", bay, list(Bay))
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
