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
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from sqlglot import exp

from keen_trellis.data.kinds import BY_DAY, Kind, comparable
from keen_trellis.errors import KindsDifferError, LinkError
from keen_trellis.plan.link import LinkField
from keen_trellis.plan.nodes import Join
from keen_trellis.plan.operators import NEAREST
from keen_trellis.sql.conditions import SIGNS, comparable_values
from keen_trellis.sql.dialects import Dialect, NotSaidError, Sql, not_there
from keen_trellis.sql.made import no_text_of_exact
from keen_trellis.sql.relations import (
    Held,
    MappedColumn,
    Relation,
    all_of,
    choose,
    column,
    is_null,
    join,
    not_null,
    select,
    table,
)

if TYPE_CHECKING:
    from keen_trellis.data import Column, Table
    from keen_trellis.sql.writer import Writer

L, R = "l", "r"
"""What the two sides are called in a statement."""


@dataclass(frozen=True, slots=True)
class Compared:
    """A field of a link as its two sides are compared: equal ones without a null in them.

    Attributes
    ----------
    field : LinkField
    left, right : Sql
        Without the name of a side: `of` puts it there.
    kind : Kind
        Of both.
    """

    field: LinkField
    left: Sql
    right: Sql
    kind: Kind

    def value(self, side: str) -> Sql:
        """Return what is compared of a side, as that side of a statement has it."""
        return of(self.left if side == L else self.right, side)


@dataclass(frozen=True, slots=True)
class Matched:
    """Two sides and what holds between partners.

    Attributes
    ----------
    left, right : Relation
        The two sides; every row of them is here.
    equal, others : tuple of Compared
        What is compared by equality, and in other ways.
    partners : Relation
        The right side as it is joined: itself, or with what the left side is joined by beside it,
        then only the rows that are a partner.
    on : Sql
        What holds between a row of `left` and its partners.
    is_equality : bool
        Whether `on` asks for nothing but that values are equal, each of one side.
    found_right : Select or None
        Gives something where a right row has a partner, if `on` cannot say it alone.
    pairs : str
        The relation of link values or row numbers that belong together; empty where there is none.
    tuples : (left names, right names)
        With a nearest field: what `pairs` calls the link values, as `equal` and `others` have them.
    marked : str
        With one partner of several: the number of the rows that take one.
    numbers : (left, right)
        With one partner of several: what the sides call the numbers of their rows.
    one_of : (relation, left number, right number) or None
        With one partner of several: all candidates by row numbers, with how many each row has.
    """

    left: Relation
    right: Relation
    equal: tuple[Compared, ...]
    others: tuple[Compared, ...]
    partners: Relation
    on: Sql
    is_equality: bool
    found_right: exp.Select | None = None
    pairs: str = ""
    tuples: tuple[Sequence[str], Sequence[str]] = ((), ())
    marked: str = ""
    one_of: tuple[str, str, str] | None = None
    numbers: tuple[str, str] = ("", "")

    def has_key(self, side: str) -> Sql:
        """Return whether a row has a value in every field of the link."""
        return all_of([not_null(one.value(side)) for one in (*self.equal, *self.others)])


def of(value: Sql, side: str) -> Sql:
    """Return a value with the columns in it named as those of a side."""
    made = value.copy()
    for one in made.find_all(exp.Column):
        one.set("table", exp.to_identifier(side, quoted=True))
    return made


def holds(dialect: Dialect, one: Compared, left: Sql, right: Sql) -> Sql:
    """Return whether two values stand to one another as a field asks; none of the nearest."""
    if one.field.operator == "=":
        return exp.EQ(this=left, expression=right)
    if one.field.operator != "<>":
        left = dialect.in_order(left, one.kind)
    return SIGNS[one.field.operator](this=left, expression=right)


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
    from keen_trellis.sql.nearest import with_nearest
    from keen_trellis.sql.one_partner import with_one_partner

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
    as_it_is = not pairs and not texts and field.compare_as is None
    if as_it_is or _is_by_span(field, held):
        _require_comparable(node, field, held)
        try:
            return sides, _equal_as_it_is(writer, node, field, held)
        except NotSaidError:
            pass
    if field.compare_as is Kind.TEXT:
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
            is_blank = choose(column(own.gap), dialect.literal(None, Kind.BOOLEAN), is_blank)
        marks.append(is_blank)
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
        return [dialect.cast(one, Kind.DATE) for one in begins], Kind.DATE
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
            f"“{field.left} {field.operator} {field.right}” compared as {field.compare_as}",
            "Change the kind of the columns by a step before the tie.",
        )
    _require_comparable(node, field, held)
    if field.operator in NEAREST and held[0].kind in (Kind.TEXT, Kind.BOOLEAN):
        raise LinkError(
            f"“{field.left}” and “{field.right}” are {held[0].kind}, of which none is nearest.",
            "A nearest match takes dates, times or numbers.",
        )
    try:
        (one, other), kind = _values_of(field, held, dialect)
    except NotSaidError as error:
        raise not_there(
            dialect,
            f"“{field.left} {field.operator} {field.right}”, {error}",
            "Change the kind of one column by a step before the tie.",
        ) from error
    return Compared(field, one, other, kind)


def inner(met: Matched, values: Sequence[Sql]) -> exp.Select:
    """Return some values of every pair of partners."""
    query = select(values, table(met.left.name, L))
    join(query, table(met.partners.name, R), met.on.copy())
    return query


def used(met: Matched) -> tuple[str, ...]:
    """Return the relations that a query of a match reads from."""
    names = (met.left.name, met.right.name, met.partners.name, met.pairs)
    return tuple(dict.fromkeys(name for name in names if name))
