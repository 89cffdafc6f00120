"""One row for each group, and the counts of what a tie does: figures that a server works out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from sqlglot import exp

from keen_trellis.base.errors import NotThereError
from keen_trellis.base.language import tr
from keen_trellis.data.kinds import Kind
from keen_trellis.plan.blends import Summarised
from keen_trellis.plan.figures import Figure
from keen_trellis.plan.nodes import Join, Node
from keen_trellis.sql import links
from keen_trellis.sql import sql_values as worked
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
    more_than,
    not_null,
    not_so,
    own,
    same,
    select,
    table,
    total,
    where,
    within,
)
from keen_trellis.sql.sides import L, Matched, R, holds

if TYPE_CHECKING:
    from keen_trellis.sql.writer import Writer


def summarised(writer: Writer, node: Summarised, owner: Node, in_order: bool) -> Relation:
    """Return one row for each group of equal values; gaps are a group beside the blanks."""
    ordered = any(figure.how in ("first", "last") for figure in node.figures)
    rows = writer.rows(node.rows, in_order or ordered)
    number = ""
    if ordered:
        writer.require_order(rows, tr("A first or last value"))
    # first and last, and the order of the groups, are told by the rows' numbers; a sum needs none,
    # and is not made to wait for the sort
    if ordered or (in_order and rows.is_total):
        rows, number = writer.numbered(rows)
    by = [rows.held(name) for name in node.by]
    columns = writer.columns_of(owner)
    values: list[Sql] = worked.renamed(
        [(column(held.id), new.id) for held, new in zip(by, columns, strict=False)]
    )
    # grouped by as well, so that every one of them has one value in its group
    marks = list(dict.fromkeys(held.gap for held in by if held.gap))
    # the columns of a summary are what it is by, and then its figures
    for figure, held in zip(node.figures, columns[len(by) :], strict=True):
        values.append(called(_figure(writer, figure, rows, number), held.id))
    values += [column(mark) for mark in marks]
    order: tuple[OrderKey, ...] = ()
    if in_order and number and by:
        # a group stands where its first row stood
        values.append(called(exp.Min(this=column(number)), "~first"))
        order = (OrderKey("~first"),)
    query = select(values, table(rows.name))
    if by:
        grouped(query, writer.group_values(rows, node.by))
    name = writer.add(owner, query, (rows.name,), "summary")
    # a value of the groups can be a gap as it was in the rows; a figure is a blank at most
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
        case "true share":
            # true and false as one and nothing: nothing at all stays what it is
            one, nothing = exp.Literal.number(1), exp.Literal.number(0)
            as_number = choose(value, one, choose(not_so(value), nothing))
            return _average(dialect, as_number, replace(held, kind=Kind.INTEGER))
        case "sum" | "average":
            pass
        case _:
            raise not_there(
                dialect,
                tr("the {how} of “{name}”", how=tr(figure.how), name=held.name),
                tr("Have it worked out here, or choose another figure."),
            )
    if held.kind is Kind.NUMBER:
        raise NotThereError(
            tr(
                "The {how} of “{name}” depends in {title} on the order in which "
                "its numbers are added up.",
                how=tr(figure.how),
                name=held.name,
                title=dialect.title,
            ),
            tr(
                "Make it an exact decimal by a step before: the sum of those is the "
                "same everywhere."
            ),
        )
    if figure.how == "sum":
        return exp.Sum(this=dialect.cast(value, Kind.EXACT))
    return _average(dialect, value, held)


def _average(dialect: Dialect, value: Sql, held: Held) -> Sql:
    if not dialect.divides_exact:
        if held.kind is not Kind.INTEGER:
            raise not_there(
                dialect,
                tr(
                    "the average of exact decimals (“{name}”) with all their digits", name=held.name
                ),
                tr("Have the sum and the count, and divide them by a formula."),
            )
        # the sum of many integers of 64 bits may need more; 38 digits hold that of 10**19 of the
        # largest
        wide = exp.DataType.build("decimal(38, 0)", dialect=dialect.name)
        added = exp.Sum(this=exp.Cast(this=value, to=wide))
        return exp.Div(this=dialect.cast(added, Kind.NUMBER), expression=count(value))
    # forty digits behind the mark: the quotient is rounded once, when it becomes a number
    fine = exp.Cast(this=exp.Literal.string("0." + "0" * 40), to=dialect.type_of(Kind.EXACT))
    with_digits = exp.Add(this=exp.Sum(this=dialect.cast(value, Kind.EXACT)), expression=fine)
    # a group of blanks alone has no average, and no error
    # The count in the divisor is of values alone, as the sum is.
    times = exp.Nullif(this=count(value), expression=exp.Literal.number(0))
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
    # by equality all follows from how often a value stands; with one partner of several rows differ
    # although their values do not; else from the pairs of values that meet
    if not met.others and not met.pairs:
        return _of_equal(writer, met)
    if met.one_of is not None:
        return _of_numbers(writer, met)
    return _of_others(writer, met)


def _whole(value: Sql) -> Sql:
    """Return a sum of counts as an integer, 0 of no rows."""
    return total(value, exp.DataType.build("bigint"))


def _rows_of(relation: Relation) -> Sql:
    return exp.Subquery(this=select([count()], table(relation.name)))


def _zero() -> Sql:
    return exp.Literal.number(0)


def _of_cross(met: Matched) -> tuple[exp.Select, tuple[str, ...]]:
    """Count a cross join: every row is a partner of every row."""
    both = within(select([called(_rows_of(met.left), "a"), called(_rows_of(met.right), "b")]), "n")
    values: list[tuple[Sql, str]] = []
    for side, its, other in (("left", "a", "b"), ("right", "b", "a")):
        mine, theirs = column(its), column(other)
        some = more_than(mine, 0)
        found = more_than(theirs, 0)
        several = more_than(theirs, 1)
        alone = more_than(mine, 1)
        one = exp.Literal.number(1)
        values += [
            (mine, f"{side} rows"),
            (choose(found, mine, _zero()), f"{side} found"),
            (_zero(), f"{side} blank"),
            (choose(alone, mine, _zero()), f"{side} repeated"),
            (choose(several, mine, _zero()), f"{side} multiplied"),
            (choose(some, one, _zero()), f"{side} distinct"),
            (
                choose(all_of([some, found]), one, _zero()),
                f"{side} distinct found",
            ),
            (_zero(), f"{side} ambiguous"),
        ]
    # Two counts of 64 bits may need 128 for their product; 38 digits hold it.
    product = exp.Mul(
        this=exp.Cast(this=column("a"), to=exp.DataType.build("decimal(38, 0)")),
        expression=column("b"),
    )
    values.append((product, "pairs"))
    made = [called(value, name) for value, name in values]
    return select(made, both), (met.left.name, met.right.name)


def _of_equal(writer: Writer, met: Matched) -> tuple[exp.Select, tuple[str, ...]]:
    """Count a join by equality: the different link values of both sides are brought together.

    All follows from how often a value stands on either side; so each side is read once.
    """
    sides = []
    for side, rows in ((L, met.left), (R, met.right)):
        keys = [one.value(side) for one in met.equal]
        query = select(
            [
                *(called(key, f"k{place}") for place, key in enumerate(keys)),
                called(count(), "n"),
            ],
            table(rows.name, side),
        )
        grouped(query, keys)
        sides.append(within(query, side))
    # null on a side of the FULL join that has not the value of the other
    n = {side: column("n", side) for side in (L, R)}
    whole = {
        side: all_of([not_null(column(f"k{place}", side)) for place in range(len(met.equal))])
        for side in n
    }
    # A FULL join of both lists of values: a null tally says that the other side lacks the value.
    # Values with a blank in them are equal to nothing, so that they stand on one side alone.
    is_both = all_of([not_null(one) for one in n.values()])
    values: list[tuple[Sql, str]] = []
    for side, name, other in ((L, "left", R), (R, "right", L)):
        mine = n[side]
        has = all_of([not_null(mine), whole[side]])
        several = more_than(mine, 1)
        theirs = more_than(n[other], 1)
        one = exp.Literal.number(1)
        values += [
            (_whole(mine), f"{name} rows"),
            (_whole(choose(is_both, mine, _zero())), f"{name} found"),
            (
                _whole(choose(not_so(whole[side]), mine, _zero())),
                f"{name} blank",
            ),
            (
                _whole(choose(all_of([has, several]), mine, _zero())),
                f"{name} repeated",
            ),
            (
                _whole(choose(all_of([is_both, theirs]), mine, _zero())),
                f"{name} multiplied",
            ),
            (_whole(choose(has, one, _zero())), f"{name} distinct"),
            (_whole(choose(is_both, one, _zero())), f"{name} distinct found"),
            (_zero(), f"{name} ambiguous"),
        ]
    times = exp.Mul(
        this=exp.Cast(this=own(n[L]), to=exp.DataType.build("decimal(38, 0)")),
        expression=own(n[R]),
    )
    values.append(
        (
            exp.Coalesce(this=exp.Sum(this=choose(is_both, times)), expressions=[_zero()]),
            "pairs",
        )
    )
    query = select([called(value, name) for value, name in values], sides[0])
    on = all_of(
        [same(column(f"k{place}", L), column(f"k{place}", R)) for place in range(len(met.equal))]
    )
    join(query, sides[1], on, "FULL")
    return query, (met.left.name, met.right.name)


def _of_others(writer: Writer, met: Matched) -> tuple[exp.Select, tuple[str, ...]]:
    """Count a join with ranges, inequalities or a nearest field, by its different link values.

    How many rows have a link value stands beside it; partners are added up over values, not rows.
    """
    fields = [*met.equal, *met.others]
    names = [f"k{place}" for place in range(len(fields))]
    tallies = {}
    for side, rows in ((L, met.left), (R, met.right)):
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
            grouped(query, values)
        tallies[side] = writer.add(None, query, (rows.name,), f"{rows.name} values")
    # With a nearest field the values that belong together are known already, else they are joined
    # here.
    if met.pairs:
        left_names, right_names = met.tuples
        meets = [
            *(
                same(column(k, L), column(name, "p"))
                for k, name in zip(names, left_names, strict=True)
            ),
            *(
                same(column(k, R), column(name, "p"))
                for k, name in zip(names, right_names, strict=True)
            ),
        ]
        at = len(left_names)
        both = select(
            [
                *(called(column(k, L), f"l{k}") for k in names),
                *(called(column(k, R), f"r{k}") for k in names),
                called(column("n", L), "ln"),
                called(column("n", R), "rn"),
            ],
            table(met.pairs, "p"),
        )
        join(both, table(tallies[L], L), all_of(meets[:at]))
        join(both, table(tallies[R], R), all_of(meets[at:]))
        used = (met.pairs, *tallies.values())
    else:
        on = [
            holds(writer.dialect, one, column(name, L), column(name, R))
            for one, name in zip(fields, names, strict=True)
        ]
        both = select(
            [
                *(called(column(k, L), f"l{k}") for k in names),
                *(called(column(k, R), f"r{k}") for k in names),
                called(column("n", L), "ln"),
                called(column("n", R), "rn"),
            ],
            table(tallies[L], L),
        )
        join(both, table(tallies[R], R), all_of(on))
        used = tuple(tallies.values())
    pairs = writer.add(None, both, used, "values that meet")
    keys = [f"k{place}" for place in range(len(met.equal))]
    parts = []
    for side, letter, other, name in (
        (L, "l", "rn", "left"),
        (R, "r", "ln", "right"),
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
        rows = met.left if side == L else met.right
        parts.append(_side(writer, tallies[side], partners, (keys, names), rows, name))
    times = exp.Mul(
        this=exp.Cast(this=column("ln"), to=exp.DataType.build("decimal(38, 0)")),
        expression=column("rn"),
    )
    pairs_made = select(
        [called(exp.Coalesce(this=exp.Sum(this=times), expressions=[_zero()]), "pairs")],
        table(pairs),
    )
    return _beside([*parts, pairs_made]), (pairs, *tallies.values(), met.left.name, met.right.name)


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
    stand = select(
        [
            *(column(k, "t") for k in keys),
            column("n", "t"),
            called(found, "partners"),
        ],
        table(tally, "t"),
    )
    on = [same(column(k, "t"), column(k, "p")) for k in fields]
    join(stand, within(partners, "p"), all_of(on), "LEFT")
    return _by_key(stand, keys, rows, name)


def _by_key(
    stand: exp.Select, keys: Sequence[str], rows: Relation, name: str, ambiguous: Sql | None = None
) -> exp.Select:
    """Return the counts of one side from rows (or how many of them, `n`) with their partners."""
    n, partners = column("n"), column("partners")
    some = more_than(partners, 0)
    several = more_than(partners, 1)
    by_key = select(
        [
            called(_whole(n), "n"),
            called(_whole(choose(some, n, _zero())), "found"),
            called(_whole(choose(several, n, _zero())), "multiplied"),
        ],
        within(stand, "o"),
    )
    if keys:
        grouped(by_key, [column(k) for k in keys])
    n, one = column("n"), exp.Literal.number(1)
    has = more_than(n, 0)
    more = more_than(n, 1)
    is_found = more_than(column("found"), 0)
    all_rows = _rows_of(rows)
    return select(
        [
            called(all_rows, f"{name} rows"),
            called(_whole(column("found")), f"{name} found"),
            called(exp.Sub(this=own(all_rows), expression=_whole(n)), f"{name} blank"),
            called(_whole(choose(more, n, _zero())), f"{name} repeated"),
            called(_whole(column("multiplied")), f"{name} multiplied"),
            called(_whole(choose(has, one, _zero())), f"{name} distinct"),
            called(_whole(choose(is_found, one, _zero())), f"{name} distinct found"),
            called(ambiguous if ambiguous is not None else _zero(), f"{name} ambiguous"),
        ],
        within(by_key, "k"),
    )


def _of_numbers(writer: Writer, met: Matched) -> tuple[exp.Select, tuple[str, ...]]:
    """Count a join with one partner of several, by the numbers of rows.

    What is said of link values is that before one partner was taken.
    """
    assert met.one_of is not None
    candidates, a, b = met.one_of
    keys = [f"k{place}" for place in range(len(met.equal))]
    parts = []
    for side, rows, number, name in (
        (L, met.left, a, "left"),
        (R, met.right, b, "right"),
    ):
        own_nr = column(met.numbers[0] if side == L else met.numbers[1], side)
        values = [called(one.value(side), k) for one, k in zip(met.equal, keys, strict=True)]
        tallies = {}
        for source, what in ((candidates, "before"), (met.pairs, "now")):
            tallies[what] = grouped(
                select([called(column(number), "nr"), called(count(), what)], table(source)),
                [column(number)],
            )
        stand = where(
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
            on = same(own_nr, column("nr", what))
            join(stand, within(tally, what), on, "LEFT")
        per_row = writer.add(
            None, stand, (rows.name, candidates, met.pairs), f"{rows.name} partners"
        )
        parts.append(_of_rows(per_row, keys, rows, name, is_marked=number == met.marked))
    taken = select([called(count(), "pairs")], table(met.pairs))
    return _beside([*parts, taken]), tuple(
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
    stand = select(
        [*(column(k) for k in keys), called(n, "n"), called(column("now"), "partners")],
        table(per_row),
    )
    several = where(
        select([count()], table(per_row)),
        more_than(column("before"), 1),
    )
    made = _by_key(stand, keys, rows, name, exp.Subquery(this=several) if is_marked else None)
    # what is said of link values does not change by the choice
    # rows of one value of the equal fields can have other partners by the rest of the link: the
    # value is found where any of them is
    before = select(
        [*(column(k) for k in keys), called(exp.Max(this=column("before")), "partners")],
        table(per_row),
    )
    if keys:
        grouped(before, [column(k) for k in keys])
    some = more_than(column("partners"), 0)
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
