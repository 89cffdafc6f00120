"""Joins in SQL: which rows are partners, the bays, and the rows that go on.

A link is written as one of three:

- by equality, ranges and inequalities: a condition between the two sides, as one writes it by hand;
- with a nearest field: a relation of every left link value with the nearest right one;
- with one partner of several: a relation of the numbers of rows that belong together.

The last two become a right side with the left link values, or row numbers, beside its rows, so that
what follows is the same for all: both sides are joined by a condition. Each side brings a column
that is true wherever a row of it is there: a null in a column may as well be a blank.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from sqlglot import exp

from keen_trellis.base.errors import KindsDifferError, LinkError
from keen_trellis.base.language import tr
from keen_trellis.data.kinds import BY_DAY, Kind, comparable
from keen_trellis.plan.link import LinkField
from keen_trellis.plan.nodes import Join
from keen_trellis.plan.operators import NEAREST
from keen_trellis.sql.computed_columns import no_text_of_exact
from keen_trellis.sql.dialects import Dialect, NotSaidError, Sql, not_there
from keen_trellis.sql.nearest import with_nearest
from keen_trellis.sql.one_partner import with_one_partner
from keen_trellis.sql.relations import (
    Held,
    MappedColumn,
    Relation,
    all_of,
    choose,
    column,
    is_null,
)
from keen_trellis.sql.sides import Compared, L, Matched, R, holds
from keen_trellis.sql.sql_conditions import comparable_values

if TYPE_CHECKING:
    from keen_trellis.data import Column, Table
    from keen_trellis.sql.writer import Writer


def matched(writer: Writer, node: Join, in_order: bool = False) -> Matched:
    """Return what holds between the rows of two sides, as a join asks for it.

    Raises
    ------
    NotThereError
        The dialect compares in another way, and by equality alone our own code can stand in.
    LinkError, KindsDifferError
        The columns do not allow it.
    """
    from keen_trellis.compute.join.pairing import require_link

    require_link(node.link, node.names)
    takes_one = node.link.partner != "every"
    stand = [writer.rows(one, in_order or takes_one) for one in (node.left, node.right)]
    # a row that stands alone has no place to be in order by, and needs one beside rows without it
    stand = [writer.numbered(s)[0] if s.is_total and not s.order else s for s in stand]
    # who takes one partner tells rows by their numbers; these stand beside them from the start
    numbered = [writer.numbered(one) for one in stand] if takes_one else []
    sides = [rows for rows, _ in numbered] or stand
    equal: list[Compared] = []
    others: list[Compared] = []
    for place, field in enumerate(node.link.fields):
        if field.operator == "=":
            sides, found = _equal(writer, node, place, sides)
            equal += found
        else:
            others.append(_other(writer, node, field, sides))
    left, right = sides
    nearest = [one for one in others if one.field.operator in NEAREST]
    on = all_of(
        [
            holds(writer.dialect, one, one.value(L), one.value(R))
            for one in (*equal, *others)
            if one.field.operator not in NEAREST
        ]
    )
    made = Matched(left, right, tuple(equal), tuple(others), right, on, not others and bool(equal))
    if nearest:
        made = with_nearest(writer, made, nearest[0])
    return with_one_partner(writer, node, made, [nr for _, nr in numbered]) if takes_one else made


# what is compared


def _equal(
    writer: Writer, node: Join, place: int, sides: list[Relation]
) -> tuple[list[Relation], list[Compared]]:
    """Return what a field compared by equality is compared by, and the sides that have it."""
    link, field = node.link, node.link.fields[place]
    held = sides[0].held(field.left), sides[1].held(field.right)
    pairs = [(one.left, one.right) for one in link.pairs if one.field == place]
    texts = all(one.kind is Kind.TEXT for one in held) and link.text
    # Anything more than a plain equality of values is worked out by our own code, for both sides
    # at once.
    as_it_is = not pairs and not texts and field.compare_as is None
    if as_it_is or _is_by_span(field, held):
        _require_comparable(node, field, held)
        try:
            return sides, _equal_as_it_is(writer, node, field, held)
        except NotSaidError:
            pass
    if field.compare_as is Kind.TEXT:
        # What an exact decimal is as text hangs on its scale here, and on the declared one there.
        exact = next((one for one in held if one.kind is Kind.EXACT), None)
        if exact is not None:
            raise no_text_of_exact(writer, exact.name)
    if texts and not pairs and field.compare_as is None:
        return _tidied(writer, node, field, sides, held)
    code = MappedColumn(writer.fresh("code"), Kind.INTEGER)
    both = writer.worked_out_together(
        [(rows, [one], [code]) for rows, one in zip(sides, held, strict=True)],
        lambda tables: [[one] for one in _codes(node, place, tables)],
        f"codes of {field.left}",
    )
    return both, [Compared(field, column(code.id), column(code.id), Kind.INTEGER)]


def _tidied(
    writer: Writer, node: Join, field: LinkField, sides: list[Relation], held: tuple[Held, Held]
) -> tuple[list[Relation], list[Compared]]:
    """Return the texts of both sides without what the rules ignore, compared as they are."""
    from keen_trellis.compute.by_value import Tidying

    both, keys = [], []
    for rows, one in zip(sides, held, strict=True):
        key = MappedColumn(writer.fresh("tidy"), Kind.TEXT)
        work = Tidying(one.name, node.link.text)
        both.append(writer.with_worked_out(rows, [one], [key], work, f"{one.name} tidied"))
        keys.append(replace(one, id=key.id))
    return both, _equal_as_it_is(writer, node, field, (keys[0], keys[1]))


def _codes(node: Join, place: int, sides: Sequence[Table]) -> list[Column]:
    """Return the codes of the different values of a link field on both sides; null for none."""
    import numpy as np

    from keen_trellis.compute.join.keys import codes_of
    from keen_trellis.compute.join.pairing import field_columns
    from keen_trellis.data import BLANK, Column

    link, field = node.link, node.link.fields[place]
    a, b = field_columns(sides[0], sides[1], field, node.names)
    pairs = [(one.left, one.right) for one in link.pairs if one.field == place]
    codes = codes_of(a, b, link.text, blanks_match=link.blanks == "match", pairs=pairs)
    made = []
    for one in (codes.left, codes.right):
        # Below 0 are blanks, gaps and what rules leave empty: null has a partner nowhere.
        state = np.where(one < 0, BLANK, 0).astype(np.uint8)
        made.append(Column(Kind.INTEGER, np.maximum(one, 0).astype(np.int64), state))
    return made


def _require_comparable(node: Join, field: LinkField, held: tuple[Held, Held]) -> None:
    kinds = held[0].kind, held[1].kind
    if not comparable(*kinds) and held[0].seen and held[1].seen:
        raise KindsDifferError((field.left, field.right), node.names, kinds)


def _equal_as_it_is(
    writer: Writer, node: Join, field: LinkField, held: tuple[Held, Held]
) -> list[Compared]:
    dialect = writer.dialect
    values, kind = _values_of(field, held, dialect)
    if node.link.blanks != "match":
        return [Compared(field, values[0], values[1], kind)]
    # a blank stands for itself: some value and, beside it, that it is none; a gap has no partner
    marks = []
    for place, own in enumerate(held):
        is_blank: Sql = exp.paren(is_null(column(own.id)))
        if own.gap:
            # Null as a mark equals nothing, not even another null, which is what a gap is to do.
            is_blank = choose(column(own.gap), dialect.literal(None, Kind.BOOLEAN), is_blank)
        marks.append(is_blank)
        # The value that stands in may be met by a true one: the mark beside it tells the two
        # apart.
        values[place] = exp.Coalesce(this=values[place], expressions=[dialect.nothing(kind)])
    return [
        Compared(field, values[0], values[1], kind),
        Compared(field, marks[0], marks[1], Kind.BOOLEAN),
    ]


def _values_of(
    field: LinkField, held: tuple[Held, Held], dialect: Dialect
) -> tuple[list[Sql], Kind]:
    """Return both sides of a field as they are compared, and the kind that they are then."""
    if _is_by_span(field, held):
        assert field.span is not None
        span = exp.Literal.string(field.span)
        begins = [
            exp.Anonymous(
                this="DATE_TRUNC",
                expressions=[span.copy(), dialect.cast(column(one.id), Kind.DATE_TIME)],
            )
            for one in held
        ]
        # Cut at day or longer, so that nothing of the time is left to lose.
        return [dialect.cast(one, Kind.DATE) for one in begins], Kind.DATE
    # One side of blanks alone: it is null of the other side’s kind, so that a place finds an
    # operator for the two.
    if not (held[0].seen and held[1].seen) and held[0].kind is not held[1].kind:
        seen = held[0] if held[0].seen else held[1]
        values = [column(one.id) if one.seen else dialect.literal(None, seen.kind) for one in held]
        return values, seen.kind
    one, other = comparable_values(
        (column(held[0].id), held[0]), (column(held[1].id), held[1]), dialect
    )
    return [one, other], _kind_of_both(held)


def _is_by_span(field: LinkField, held: tuple[Held, Held]) -> bool:
    """Whether dates or date-times are compared by a span, as of other kinds there is none."""
    return field.span is not None and all(one.kind in BY_DAY for one in held)


def _kind_of_both(held: tuple[Held, Held]) -> Kind:
    kinds = held[0].kind, held[1].kind
    if kinds[0] is kinds[1]:
        return kinds[0]
    return Kind.DATE if set(kinds) == set(BY_DAY) else Kind.EXACT


def _other(writer: Writer, node: Join, field: LinkField, sides: Sequence[Relation]) -> Compared:
    """Return what a field that is not compared by equality is compared by."""
    dialect = writer.dialect
    held = sides[0].held(field.left), sides[1].held(field.right)
    if field.compare_as is not None:
        raise not_there(
            dialect,
            tr(
                "“{left} {operator} {right}” compared as {compare_as}",
                left=field.left,
                operator=field.operator,
                right=field.right,
                compare_as=field.compare_as,
            ),
            tr("Change the kind of the columns by a step before the tie."),
        )
    _require_comparable(node, field, held)
    if field.operator in NEAREST and held[0].kind in (Kind.TEXT, Kind.BOOLEAN):
        raise LinkError(
            tr(
                "“{left}” and “{right}” are {kind}, of which none is nearest.",
                left=field.left,
                right=field.right,
                kind=held[0].kind,
            ),
            tr("A nearest match takes dates, times or numbers."),
        )
    try:
        (one, other), kind = _values_of(field, held, dialect)
    except NotSaidError as error:
        raise not_there(
            dialect,
            f"“{field.left} {field.operator} {field.right}”, {error}",
            tr("Change the kind of one column by a step before the tie."),
        ) from error
    return Compared(field, one, other, kind)
