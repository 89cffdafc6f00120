"""Steps in SQL: rows in order, the first of them, repeats, fills, parts of texts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from sqlglot import exp

from keen_trellis.base.language import tr
from keen_trellis.data.kinds import Kind
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Carried, Counted, Ordered, Parted, Repeated
from keen_trellis.sql import sql_values as worked
from keen_trellis.sql.computed_columns import order_beside
from keen_trellis.sql.dialects import Sql
from keen_trellis.sql.relations import (
    Check,
    Held,
    OrderKey,
    Relation,
    all_of,
    any_of,
    called,
    choose,
    column,
    count,
    grouped,
    having,
    identifier,
    is_null,
    join,
    not_null,
    select,
    star,
    table,
    where,
    within,
)

if TYPE_CHECKING:
    from keen_trellis.sql.writer import Writer


def in_order_of(writer: Writer, node: Ordered, in_order: bool) -> Relation:
    """Return the rows in another order, which is only written down until somebody needs it."""
    before = writer.rows(node.rows, in_order)
    if not in_order or not node.by:
        return replace(before)
    # equal rows stand as they did: the order before is the rest of the keys
    keys = writer.order_keys(before, node.by)
    return replace(before, order=(*keys, *before.order))


def counted(writer: Writer, node: Counted, in_order: bool) -> Relation:
    """Return the first or last rows, of all or of each group."""
    before = writer.rows(node.rows, in_order=True)
    groups = writer.group_values(before, node.by)
    n = exp.Literal.number(max(node.n, 0))
    # the last are the first of the rows turned round
    keys = tuple(key.turned() for key in before.order) if node.last else before.order
    return first_of(writer, before, groups, keys, n, node)


def repeated(writer: Writer, node: Repeated, in_order: bool) -> Relation:
    """Return, of rows that are equal in some columns, the first, the last, all or none."""
    by = node.by or node.rows.schema.names
    if node.keep in ("repeated", "alone"):
        before = writer.rows(node.rows, in_order)
        groups = writer.group_values(before, by)
        number = writer.fresh("nr")
        inner = select([star(), called(writer.over(count(), groups), number)], table(before.name))
        one = exp.Literal.number(1)
        wanted = column(number)
        test = exp.GT if node.keep == "repeated" else exp.EQ
        outer = where(select([star()], within(inner, "w")), test(this=wanted, expression=one))
        return replace(before, name=writer.add(node, outer, (before.name,), "repeats"))
    before = writer.rows(node.rows, in_order=True)
    groups = writer.group_values(before, by)
    keys = writer.by_fields(before, node.order, backwards=node.keep == "last")
    return first_of(writer, before, groups, keys, exp.Literal.number(1), node)


def first_of(
    writer: Writer,
    rows: Relation,
    groups: Sequence[Sql],
    keys: Sequence[OrderKey],
    n: Sql,
    what: Node,
) -> Relation:
    """Return the first rows of each group, and make sure that it is clear which they are.

    Where the order leaves rows equal, they are told apart by all columns. That changes
    nothing as long as rows that differ do not stand on both sides of the border.
    """
    full = tuple(keys) if rows.is_total else (*keys, *writer.all_columns(rows))
    number = writer.fresh("nr")
    inner = select([star(), called(writer.row_number(groups, full), number)], table(rows.name))
    # Rows that are equal in every column are the same to anybody who looks, whichever of them goes
    # on.
    border = exp.LTE(this=column(number), expression=n)
    query = where(select([star()], within(inner, "w")), border)
    checks = () if rows.is_total else (clear_border(writer, rows, groups, keys, full, n),)
    return replace(rows, name=writer.add(what, query, (rows.name,), "first", checks))


def clear_border(
    writer: Writer,
    rows: Relation,
    groups: Sequence[Sql],
    keys: Sequence[OrderKey],
    full: Sequence[OrderKey],
    n: Sql,
) -> Check:
    """Return the check that rows which are equal in an order do not differ at its border."""
    order, all_keys = writer.ordering(keys), writer.ordering(full)
    inner = select(
        [
            called(writer.over(exp.Anonymous(this="RANK"), groups, order), "~tied")
            if order
            else called(exp.Literal.number(1), "~tied"),
            called(writer.row_number(groups, full), "~place"),
            called(writer.over(exp.Anonymous(this="DENSE_RANK"), groups, all_keys), "~distinct"),
            *(called(one.copy(), f"~group {place}") for place, one in enumerate(groups)),
        ],
        table(rows.name),
    )
    by = [column("~tied"), *(column(f"~group {place}") for place in range(len(groups)))]
    inside = exp.LTE(this=column("~place"), expression=n.copy())
    # Unclear are rows that are equal in the order asked for, some of them inside the border and
    # some beyond, if they are not all the same: then another run could let others go on.
    is_in, is_out = (
        exp.Max(this=choose(one, exp.Literal.number(1), exp.Literal.number(0)))
        for one in (inside, exp.Not(this=exp.paren(inside.copy())))
    )
    unclear = all_of(
        [
            exp.EQ(this=is_in, expression=exp.Literal.number(1)),
            exp.EQ(this=is_out, expression=exp.Literal.number(1)),
            exp.LT(
                this=exp.Min(this=column("~distinct")),
                expression=exp.Max(this=column("~distinct")),
            ),
        ]
    )
    tied = select([called(exp.Literal.number(1), "one")], within(inner, "w"))
    tied = having(grouped(tied, by), unclear)
    query = select([called(count(), "n")], within(tied, "u"))
    title = writer.dialect.title

    def says(times: int) -> tuple[str, str]:
        return (
            tr(
                "Which rows of “{name}” come first is not clear in {title} in {times:,} "
                "places: rows that differ are equal in the order asked for.",
                name=rows.name,
                title=title,
                times=times,
            ),
            tr("Put them in order by one column more."),
        )

    return Check(query, (rows.name,), says)


def carried(writer: Writer, node: Carried) -> Relation:
    """Return the rows with empty cells filled from above or below."""
    before = writer.rows(node.rows, in_order=True)
    writer.require_order(before, tr("Filling from other rows"))
    wanted = [before.held(name) for name in node.columns]
    order = before.order
    if not node.from_above:
        order = tuple(key.turned() for key in order)
    # How many values have come so far, which grows by one at each: the rows from one value to right
    # before the next have one number, the run that the value fills.
    runs = {held.id: f"~run {place}" for place, held in enumerate(wanted)}
    inner = select(
        [
            star(),
            *(
                called(writer.over(count(column(one)), (), writer.ordering(order)), name)
                for one, name in runs.items()
            ),
        ],
        table(before.name),
    )
    columns, values, marks = [], [], {}
    for held in before.columns:
        value: Sql = column(held.id)
        if held.id in runs:
            # rows of one run follow its first, the only one that may have a value
            first = writer.over(
                exp.FirstValue(this=value), (column(runs[held.id]),), writer.ordering(order)
            )
            is_gap: Sql = column(held.gap) if held.gap else exp.false()
            filled = any_of(
                [
                    *([exp.Not(this=is_gap.copy())] if node.blanks else []),
                    *([is_gap.copy()] if node.gaps else []),
                ]
            )
            value = choose(all_of([is_null(value.copy()), exp.paren(filled)]), first, value.copy())
            if held.gap:
                mark = writer.fresh("gap")
                marks[mark] = (is_gap, held.id)
                held = replace(held, gap=mark)
        columns.append(held)
        values.append((value, held.id))
    rest = dict.fromkeys(h.gap for h in columns if h.gap and h.gap not in marks)
    places, stands = order_beside(writer, before)
    query = select(
        [
            *worked.renamed(values),
            *map(column, rest),
            *places,
            *(called(gap, f"~was {mark}") for mark, (gap, _) in marks.items()),
        ],
        within(inner, "w"),
    )
    if marks:
        # a gap that was filled is none any more
        query = select(
            [
                star(),
                *(
                    called(all_of([column(f"~was {mark}"), is_null(column(one))]), mark)
                    for mark, (_, one) in marks.items()
                ),
            ],
            within(query, "v"),
        )
    name = writer.add(node, query, (before.name,), "fill")
    return replace(before, name=name, columns=tuple(columns), order=stands)


def parted(writer: Writer, node: Parted, in_order: bool) -> Relation:
    """Return a row for each part of a text."""
    before = writer.rows(node.rows, in_order)
    held = before.held(node.column)
    part, nth = writer.fresh("text"), writer.fresh("nth")
    mark = writer.dialect.literal(node.mark, Kind.TEXT)
    query = parts_of(writer, before, held, mark, part=part, nth=nth)
    # An empty part is a blank, as it is on this machine.
    value: Sql = exp.Nullif(this=column(part), expression=exp.Literal.string(""))
    others = [column(one.id) for one in before.columns if one.id != held.id]
    places, stands = order_beside(writer, before)
    outer = select(
        [*others, called(value, held.id), *map(column, before.gaps), *places, column(nth)],
        within(query, "w"),
    )
    name = writer.add(node, outer, (before.name,), "split")
    order = (*stands, OrderKey(nth)) if before.is_total else stands
    return replace(before, name=name, order=order)


def parts_of(
    writer: Writer, rows: Relation, held: Held, mark: Sql, part: str, nth: str
) -> exp.Select:
    """Return a query of each part of a text in a row of its own."""
    cell = column(held.id, "r")
    if writer.dialect.explodes:
        # Spark splits by a pattern, in which the mark may mean something: \Q and \E make it
        # letters. -1 keeps empty parts at the end, as we do.
        quoted = exp.func("CONCAT", exp.Literal.string("\\Q"), mark, exp.Literal.string("\\E"))
        parts = exp.Anonymous(this="SPLIT", expressions=[cell, quoted, exp.Literal.number(-1)])
        query = select([star()], table(rows.name, "r"))
        query.set(
            "laterals",
            [
                exp.Lateral(
                    this=exp.Anonymous(this="POSEXPLODE", expressions=[parts]),
                    view=True,
                    outer=True,
                    alias=exp.TableAlias(
                        this=identifier("p"),
                        columns=[
                            identifier(nth),
                            identifier(part),
                        ],
                    ),
                )
            ],
        )
        return query
    found = exp.Anonymous(
        this="UNNEST",
        expressions=[exp.Anonymous(this="STRING_TO_ARRAY", expressions=[cell, mark])],
    )
    lateral = exp.Lateral(
        this=found,
        ordinality=True,
        alias=exp.TableAlias(
            this=identifier("p"),
            columns=[
                exp.to_identifier("one", quoted=True),
                exp.to_identifier(nth, quoted=True),
            ],
        ),
    )
    # an empty text has no part there, and is one of ours
    value = choose(
        not_null(cell.copy()),
        exp.Coalesce(this=column("one", "p"), expressions=[exp.Literal.string("")]),
    )
    query = select([star("r"), called(value, part), column(nth, "p")], table(rows.name, "r"))
    join(query, lateral, exp.true(), "LEFT")
    return query
