"""What holds between the two sides of a join in SQL: what is compared, and who are partners."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlglot import exp

from keen_trellis.data.kinds import Kind
from keen_trellis.plan.link import LinkField
from keen_trellis.sql.dialects import Dialect, Sql
from keen_trellis.sql.relations import Relation, all_of, join, not_null, select, table
from keen_trellis.sql.sql_conditions import SIGNS

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
    # a node of a statement knows what it stands in: each statement has copies of its own
    made = value.copy()
    for one in made.find_all(exp.Column):
        one.set("table", exp.to_identifier(side, quoted=True))
    return made


def holds(dialect: Dialect, one: Compared, left: Sql, right: Sql) -> Sql:
    """Return whether two values stand to one another as a field asks; none of the nearest."""
    if one.field.operator == "=":
        return exp.EQ(this=left, expression=right)
    # one side is enough: it says by which order both are compared
    if one.field.operator != "<>":
        left = dialect.in_order(left, one.kind)
    return SIGNS[one.field.operator](this=left, expression=right)


def inner(met: Matched, values: Sequence[Sql]) -> exp.Select:
    """Return some values of every pair of partners."""
    query = select(values, table(met.left.name, L))
    join(query, table(met.partners.name, R), met.on.copy())
    return query


def used(met: Matched) -> tuple[str, ...]:
    """Return the relations that a query of a match reads from."""
    names = (met.left.name, met.right.name, met.partners.name, met.pairs)
    return tuple(dict.fromkeys(name for name in names if name))
