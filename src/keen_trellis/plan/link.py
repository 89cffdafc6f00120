"""What belongs together, said as data: fields, comparisons, partners, pairs."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction
from typing import Literal, get_args

from keen_trellis.base.errors import LinkError, known
from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.data import Kind
from keen_trellis.plan.operators import NEAREST, OPERATORS, Operator
from keen_trellis.plan.spans import SPANS, Span
from keen_trellis.plan.text_rules import TEXT_RULES, TextRule

Blanks = Literal["never", "match"]
Partner = Literal["every", "first", "last", "only"]
Side = Literal["left", "right"]
BLANKS: tuple[Blanks, ...] = get_args(Blanks)
PARTNERS: tuple[Partner, ...] = get_args(Partner)
SIDES: tuple[Side, ...] = get_args(Side)


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
    span : Span or None
        Both sides, dates or date-times, are compared by the first day of this span that they are
        in; a date beside a date-time is its whole day in any case.

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
    span: Span | None = None

    def __post_init__(self) -> None:
        known(tr("The operator of a link"), self.operator, OPERATORS)
        if self.operator not in NEAREST and (self.strict or self.within is not None):
            raise LinkError(
                tr(
                    "“{left} {operator} {right}” has no nearest match that could be "
                    "strict or within a distance.",
                    left=self.left,
                    operator=self.operator,
                    right=self.right,
                ),
                tr("Take it out, or compare by {nearest}.", nearest=listed(NEAREST, "or")),
            )
        if self.span is not None:
            known(tr("The span that a link is by"), self.span, SPANS)
        if self.within is not None and not 0 <= self.within < float("inf"):
            raise LinkError(
                tr(
                    "{within} is no distance within which {left} could be near.",
                    within=self.within,
                    left=self.left,
                ),
                tr("Give a number from 0 on."),
            )

    @property
    def distance(self) -> Fraction | None:
        """The largest distance allowed, exactly as it is written."""
        # By way of its text: the double nearest to 0.05 is a little more than that, and would
        # take in what is just too far.
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
            known(tr("A text rule"), rule, TEXT_RULES)
        known(tr("What blanks do"), self.blanks, BLANKS)
        known(tr("Which partner is taken"), self.partner, PARTNERS)
        known(tr("The side that takes one partner"), self.partner_for, SIDES)

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
            known(tr("A text rule"), rule, TEXT_RULES)
        return replace(self, text=tuple(rule for rule in TEXT_RULES if rule in chosen))
