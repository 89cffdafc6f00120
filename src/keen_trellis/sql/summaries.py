"""One row for each group, and the counts of what a tie does: figures that a server works out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from sqlglot import exp

from keen_trellis.data.kinds import Kind
from keen_trellis.errors import NotThereError
from keen_trellis.plan.blends import Summarised
from keen_trellis.plan.figures import Figure
from keen_trellis.plan.nodes import Join, Node
from keen_trellis.sql import links
from keen_trellis.sql import values as worked
from keen_trellis.sql.dialects import Dialect, Sql, not_there
from keen_trellis.sql.relations import (
    Held,
    OrderKey,
    Relation,
    all_of,
    called,
    choose,
    column,
    count,
    grouped,
    join,
    not_null,
    select,
    table,
    where,
    within,
)

if TYPE_CHECKING:
    from keen_trellis.sql.writer import Writer


def summarised(writer: Writer, node: Summarised, owner: Node, in_order: bool) -> Relation:
    """Return one row for each group of equal values; gaps are a group beside the blanks."""
    ordered = any(figure.how in ("first", "last") for figure in node.figures)
    rows = writer.rows(node.rows, in_order or ordered)
    number = ""
    if ordered:
        writer.require_order(rows, "A first or last value")
    if ordered or (in_order and rows.is_total):
        rows, number = writer.numbered(rows)
    by = [rows.held(name) for name in node.by]
    columns = writer.columns_of(owner)
    values: list[Sql] = worked.renamed(
        [(column(held.id), new.id) for held, new in zip(by, columns, strict=False)]
    )
    marks = list(dict.fromkeys(held.gap for held in by if held.gap))
    for figure, held in zip(node.figures, columns[len(by) :], strict=True):
        values.append(called(_figure(writer, figure, rows, number), held.id))
    values += [column(mark) for mark in marks]
    order: tuple[OrderKey, ...] = ()
    if in_order and number and by:
        values.append(called(exp.Min(this=column(number)), "~first"))
        order = (OrderKey("~first"),)
    query = select(values, table(rows.name))
    if by:
        grouped(query, writer.group_values(rows, node.by))
    name = writer.add(owner, query, (rows.name,), "summary")
    made = tuple(
        replace(held, gap=by[place].gap if place < len(by) else "")
        for place, held in enumerate(columns)
    )
    return Relation(name, made, order, bool(order) or not by)


def _figure(writer: Writer, figure: Figure, rows: Relation, number: str) -> Sql:
    dialect = writer.dialect
    if figure.column is None:
        return count()
    held = rows.held(figure.column)
    value: Sql = column(held.id)
    match figure.how:
        case "count":
            return count(value)
        case "distinct count":
            return exp.Count(this=exp.Distinct(expressions=[value]))
        case "min" | "max":
            return dialect.furthest(value, held.kind, largest=figure.how == "max")
        case "first" | "last":
            return dialect.at_end(value, held.kind, column(number), last=figure.how == "last")
    if held.kind is Kind.NUMBER:
        raise NotThereError(
            f"The {figure.how} of “{held.name}” depends in {dialect.title} on the order in which "
            "its numbers are added up.",
            "Make it an exact decimal by a step before: the sum of those is the same everywhere.",
        )
    if figure.how == "sum":
        return exp.Sum(this=dialect.cast(value, Kind.EXACT))
    return _average(dialect, value, held)


def _average(dialect: Dialect, value: Sql, held: Held) -> Sql:
    if dialect.name == "spark":
        if held.kind is not Kind.INTEGER:
            raise not_there(
                dialect,
                f"the average of exact decimals (“{held.name}”) with all their digits",
                "Have the sum and the count, and divide them by a formula.",
            )
        wide = exp.DataType.build("decimal(38, 0)", dialect=dialect.name)
        added = exp.Sum(this=exp.Cast(this=value, to=wide))
        return exp.Div(this=dialect.cast(added, Kind.NUMBER), expression=count(value.copy()))
    # forty digits behind the mark: the quotient is rounded once, when it becomes a number
    fine = exp.Cast(this=exp.Literal.string("0." + "0" * 40), to=dialect.type_of(Kind.EXACT))
    with_digits = exp.Add(this=exp.Sum(this=dialect.cast(value, Kind.EXACT)), expression=fine)
    # a group of blanks alone has no average, and no error
    times = exp.Nullif(this=count(value.copy()), expression=exp.Literal.number(0))
    quotient = exp.Div(this=exp.paren(with_digits), expression=times, typed=True, safe=False)
    return dialect.cast(quotient, Kind.NUMBER)


COUNTED = (
    "left rows", "left found", "left blank", "left repeated", "left multiplied", "left distinct",
    "left distinct found", "left ambiguous",
    "right rows", "right found", "right blank", "right repeated", "right multiplied",
    "right distinct", "right distinct found", "right ambiguous",
    "pairs",
)  # fmt: skip
"""What the counts of a join are called in their query."""


def counts(writer: Writer, node: Join) -> tuple[exp.Select, tuple[str, ...]]:
    """Return the query of one row that counts what a join does, without a pair being built.

    Returns
    -------
    query : Select
        With the columns of `COUNTED`.
    uses : tuple of str
    """
    met = links.matched(writer, node)
    if node.link.cross and node.link.partner == "every":
        return _of_cross(met)
    if not met.others and not met.pairs:
        return _of_equal(writer, met)
    if met.one_of is not None:
        return _of_numbers(writer, met)
    return _of_others(writer, met)


def _whole(value: Sql) -> Sql:
    """Return a sum of counts as an integer, 0 of no rows."""
    added = exp.Coalesce(this=exp.Sum(this=value), expressions=[exp.Literal.number(0)])
    return exp.Cast(this=added, to=exp.DataType.build("bigint"))


def _rows_of(relation: Relation) -> Sql:
    return exp.Subquery(this=select([count()], table(relation.name)))


def _zero() -> Sql:
    return exp.Literal.number(0)


def _of_cross(met: links.Matched) -> tuple[exp.Select, tuple[str, ...]]:
    """Count a cross join: every row is a partner of every row."""
    both = within(select([called(_rows_of(met.left), "a"), called(_rows_of(met.right), "b")]), "n")
    values: list[tuple[Sql, str]] = []
    for side, own, other in (("left", "a", "b"), ("right", "b", "a")):
        mine, theirs = column(own), column(other)
        some = exp.GT(this=mine, expression=_zero())
        found = exp.GT(this=theirs, expression=_zero())
        several = exp.GT(this=theirs, expression=exp.Literal.number(1))
        alone = exp.GT(this=mine, expression=exp.Literal.number(1))
        one = exp.Literal.number(1)
        values += [
            (mine.copy(), f"{side} rows"),
            (choose(found, mine.copy(), _zero()), f"{side} found"),
            (_zero(), f"{side} blank"),
            (choose(alone, mine.copy(), _zero()), f"{side} repeated"),
            (choose(several, mine.copy(), _zero()), f"{side} multiplied"),
            (choose(some, one, _zero()), f"{side} distinct"),
            (
                choose(all_of([some.copy(), found.copy()]), one.copy(), _zero()),
                f"{side} distinct found",
            ),
            (_zero(), f"{side} ambiguous"),
        ]
    product = exp.Mul(
        this=exp.Cast(this=column("a"), to=exp.DataType.build("decimal(38, 0)")),
        expression=column("b"),
    )
    values.append((product, "pairs"))
    made = [called(value, name) for value, name in values]
    return select(made, both), (met.left.name, met.right.name)


def _of_equal(writer: Writer, met: links.Matched) -> tuple[exp.Select, tuple[str, ...]]:
    """Count a join by equality: the different link values of both sides are brought together.

    All follows from how often a value stands on either side; so each side is read once.
    """
    sides = []
    for side, rows in ((links.L, met.left), (links.R, met.right)):
        keys = [one.value(side) for one in met.equal]
        query = select(
            [
                *(called(key, f"k{place}") for place, key in enumerate(keys)),
                called(count(), "n"),
            ],
            table(rows.name, side),
        )
        grouped(query, [key.copy() for key in keys])
        sides.append(within(query, side))
    n = {side: column("n", side) for side in (links.L, links.R)}
    whole = {
        side: all_of([not_null(column(f"k{place}", side)) for place in range(len(met.equal))])
        for side in n
    }
    is_both = all_of([not_null(one.copy()) for one in n.values()])
    values: list[tuple[Sql, str]] = []
    for side, name, other in ((links.L, "left", links.R), (links.R, "right", links.L)):
        mine = n[side]
        has = all_of([not_null(mine.copy()), whole[side].copy()])
        several = exp.GT(this=mine.copy(), expression=exp.Literal.number(1))
        theirs = exp.GT(this=n[other].copy(), expression=exp.Literal.number(1))
        one = exp.Literal.number(1)
        values += [
            (_whole(mine.copy()), f"{name} rows"),
            (_whole(choose(is_both.copy(), mine.copy(), _zero())), f"{name} found"),
            (
                _whole(choose(exp.Not(this=exp.paren(whole[side].copy())), mine.copy(), _zero())),
                f"{name} blank",
            ),
            (
                _whole(choose(all_of([has.copy(), several]), mine.copy(), _zero())),
                f"{name} repeated",
            ),
            (
                _whole(choose(all_of([is_both.copy(), theirs]), mine.copy(), _zero())),
                f"{name} multiplied",
            ),
            (_whole(choose(has.copy(), one, _zero())), f"{name} distinct"),
            (_whole(choose(is_both.copy(), one.copy(), _zero())), f"{name} distinct found"),
            (_zero(), f"{name} ambiguous"),
        ]
    times = exp.Mul(
        this=exp.Cast(this=n[links.L].copy(), to=exp.DataType.build("decimal(38, 0)")),
        expression=n[links.R].copy(),
    )
    values.append(
        (
            exp.Coalesce(this=exp.Sum(this=choose(is_both.copy(), times)), expressions=[_zero()]),
            "pairs",
        )
    )
    query = select([called(value, name) for value, name in values], sides[0])
    on = all_of(
        [
            exp.EQ(this=column(f"k{place}", links.L), expression=column(f"k{place}", links.R))
            for place in range(len(met.equal))
        ]
    )
    join(query, sides[1], on, "FULL")
    return query, (met.left.name, met.right.name)


def _of_others(writer: Writer, met: links.Matched) -> tuple[exp.Select, tuple[str, ...]]:
    """Count a join with ranges, inequalities or a nearest field, by its different link values.

    How many rows have a link value stands beside it; partners are added up over values, not rows.
    """
    fields = [*met.equal, *met.others]
    names = [f"k{place}" for place in range(len(fields))]
    tallies = {}
    for side, rows in ((links.L, met.left), (links.R, met.right)):
        values = [one.value(side) for one in fields]
        query = where(
            select(
                [
                    *(called(value, name) for value, name in zip(values, names, strict=True)),
                    called(count(), "n"),
                ],
                table(rows.name, side),
            ),
            met.has_key(side),
        )
        if values:
            grouped(query, [value.copy() for value in values])
        tallies[side] = writer.add(None, query, (rows.name,), f"{rows.name} values")
    if met.pairs:
        left_names, right_names = met.tuples
        meets = [
            *(
                exp.EQ(this=column(k, links.L), expression=column(name, "p"))
                for k, name in zip(names, left_names, strict=True)
            ),
            *(
                exp.EQ(this=column(k, links.R), expression=column(name, "p"))
                for k, name in zip(names, right_names, strict=True)
            ),
        ]
        at = len(left_names)
        both = select(
            [
                *(called(column(k, links.L), f"l{k}") for k in names),
                *(called(column(k, links.R), f"r{k}") for k in names),
                called(column("n", links.L), "ln"),
                called(column("n", links.R), "rn"),
            ],
            table(met.pairs, "p"),
        )
        join(both, table(tallies[links.L], links.L), all_of(meets[:at]))
        join(both, table(tallies[links.R], links.R), all_of(meets[at:]))
        used = (met.pairs, *tallies.values())
    else:
        on = [
            links.holds(writer.dialect, one, column(name, links.L), column(name, links.R))
            for one, name in zip(fields, names, strict=True)
        ]
        both = select(
            [
                *(called(column(k, links.L), f"l{k}") for k in names),
                *(called(column(k, links.R), f"r{k}") for k in names),
                called(column("n", links.L), "ln"),
                called(column("n", links.R), "rn"),
            ],
            table(tallies[links.L], links.L),
        )
        join(both, table(tallies[links.R], links.R), all_of(on))
        used = tuple(tallies.values())
    pairs = writer.add(None, both, used, "values that meet")
    keys = [f"k{place}" for place in range(len(met.equal))]
    parts = []
    for side, letter, other, name in (
        (links.L, "l", "rn", "left"),
        (links.R, "r", "ln", "right"),
    ):
        partners = select(
            [
                *(called(column(f"{letter}{k}"), k) for k in names),
                called(exp.Sum(this=column(other)), "partners"),
            ],
            table(pairs),
        )
        if names:
            grouped(partners, [column(f"{letter}{k}") for k in names])
        rows = met.left if side == links.L else met.right
        parts.append(_side(writer, tallies[side], partners, (keys, names), rows, name))
    times = exp.Mul(
        this=exp.Cast(this=column("ln"), to=exp.DataType.build("decimal(38, 0)")),
        expression=column("rn"),
    )
    total = select(
        [called(exp.Coalesce(this=exp.Sum(this=times), expressions=[_zero()]), "pairs")],
        table(pairs),
    )
    return _beside([*parts, total]), (pairs, *tallies.values(), met.left.name, met.right.name)


def _side(
    writer: Writer,
    tally: str,
    partners: exp.Select,
    names: tuple[Sequence[str], Sequence[str]],
    rows: Relation,
    name: str,
) -> exp.Select:
    """Return the counts of one side, by how often its link values stand and their partners."""
    keys, fields = names
    found = exp.Coalesce(this=column("partners", "p"), expressions=[_zero()])
    own = select(
        [
            *(column(k, "t") for k in keys),
            column("n", "t"),
            called(found, "partners"),
        ],
        table(tally, "t"),
    )
    on = [exp.EQ(this=column(k, "t"), expression=column(k, "p")) for k in fields]
    join(own, within(partners, "p"), all_of(on), "LEFT")
    return _by_key(own, keys, rows, name)


def _by_key(
    own: exp.Select, keys: Sequence[str], rows: Relation, name: str, ambiguous: Sql | None = None
) -> exp.Select:
    """Return the counts of one side from rows (or how many of them, `n`) with their partners."""
    n, partners = column("n"), column("partners")
    some = exp.GT(this=partners, expression=_zero())
    several = exp.GT(this=partners.copy(), expression=exp.Literal.number(1))
    by_key = select(
        [
            called(_whole(n), "n"),
            called(_whole(choose(some, n.copy(), _zero())), "found"),
            called(_whole(choose(several, n.copy(), _zero())), "multiplied"),
        ],
        within(own, "o"),
    )
    if keys:
        grouped(by_key, [column(k) for k in keys])
    n, one = column("n"), exp.Literal.number(1)
    has = exp.GT(this=n.copy(), expression=_zero())
    more = exp.GT(this=n.copy(), expression=exp.Literal.number(1))
    is_found = exp.GT(this=column("found"), expression=_zero())
    all_rows = _rows_of(rows)
    return select(
        [
            called(all_rows, f"{name} rows"),
            called(_whole(column("found")), f"{name} found"),
            called(exp.Sub(this=all_rows.copy(), expression=_whole(n.copy())), f"{name} blank"),
            called(_whole(choose(more, n.copy(), _zero())), f"{name} repeated"),
            called(_whole(column("multiplied")), f"{name} multiplied"),
            called(_whole(choose(has, one, _zero())), f"{name} distinct"),
            called(_whole(choose(is_found, one.copy(), _zero())), f"{name} distinct found"),
            called(ambiguous if ambiguous is not None else _zero(), f"{name} ambiguous"),
        ],
        within(by_key, "k"),
    )


def _of_numbers(writer: Writer, met: links.Matched) -> tuple[exp.Select, tuple[str, ...]]:
    """Count a join with one partner of several, by the numbers of rows.

    What is said of link values is that before one partner was taken.
    """
    assert met.one_of is not None
    candidates, a, b = met.one_of
    keys = [f"k{place}" for place in range(len(met.equal))]
    parts = []
    for side, rows, number, name in (
        (links.L, met.left, a, "left"),
        (links.R, met.right, b, "right"),
    ):
        own_nr = column(met.numbers[0] if side == links.L else met.numbers[1], side)
        values = [called(one.value(side), k) for one, k in zip(met.equal, keys, strict=True)]
        tallies = {}
        for source, what in ((candidates, "before"), (met.pairs, "now")):
            tallies[what] = grouped(
                select([called(column(number), "nr"), called(count(), what)], table(source)),
                [column(number)],
            )
        own = where(
            select(
                [
                    *values,
                    *(
                        called(exp.Coalesce(this=column(what, what), expressions=[_zero()]), what)
                        for what in tallies
                    ),
                ],
                table(rows.name, side),
            ),
            met.has_key(side),
        )
        for what, tally in tallies.items():
            on = exp.EQ(this=own_nr.copy(), expression=column("nr", what))
            join(own, within(tally, what), on, "LEFT")
        per_row = writer.add(None, own, (rows.name, candidates, met.pairs), f"{rows.name} partners")
        parts.append(_of_rows(per_row, keys, rows, name, is_marked=number == met.marked))
    total = select([called(count(), "pairs")], table(met.pairs))
    return _beside([*parts, total]), tuple(
        dict.fromkeys(
            [
                *(name for part in parts for name in _tables_of(part)),
                met.pairs,
                candidates,
                met.left.name,
                met.right.name,
            ]
        )
    )


def _tables_of(query: exp.Select) -> list[str]:
    return [one.name for one in query.find_all(exp.Table)]


def _of_rows(
    per_row: str, keys: Sequence[str], rows: Relation, name: str, is_marked: bool
) -> exp.Select:
    n = exp.Literal.number(1)
    own = select(
        [*(column(k) for k in keys), called(n, "n"), called(column("now"), "partners")],
        table(per_row),
    )
    several = where(
        select([count()], table(per_row)),
        exp.GT(this=column("before"), expression=exp.Literal.number(1)),
    )
    made = _by_key(own, keys, rows, name, exp.Subquery(this=several) if is_marked else None)
    # what is said of link values does not change by the choice
    before = select(
        [*(column(k) for k in keys), called(exp.Max(this=column("before")), "partners")],
        table(per_row),
    )
    if keys:
        grouped(before, [column(k) for k in keys])
    some = exp.GT(this=column("partners"), expression=_zero())
    found = where(select([count()], within(before, "b")), some)
    for one in made.expressions:
        if one.alias == f"{name} distinct found":
            one.set("this", exp.Subquery(this=found))
    return made


def _beside(parts: Sequence[exp.Select]) -> exp.Select:
    """Return queries of one row each as one row."""
    first, *others = parts
    names = [one.alias for part in parts for one in part.expressions]
    query = select([column(name) for name in names], within(first, "c0"))
    for place, part in enumerate(others, start=1):
        join(query, within(part, f"c{place}"), None)
    return query


def count_of(rows: Relation) -> exp.Select:
    """Return the query that counts rows."""
    return select([called(count(), "rows")], table(rows.name))
