"""Rows of several lanes below one another in SQL, in one kind, each once where that is asked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from sqlglot import exp

from keen_trellis.base.language import tr
from keen_trellis.data.kinds import Kind
from keen_trellis.plan.nodes import Stacked
from keen_trellis.sql import sql_values as worked
from keen_trellis.sql.computed_columns import no_text_of_exact
from keen_trellis.sql.dialects import NotSaidError, Sql
from keen_trellis.sql.relations import (
    Held,
    MappedColumn,
    OrderKey,
    Relation,
    called,
    column,
    select,
    star,
    table,
    where,
    within,
)

if TYPE_CHECKING:
    from keen_trellis.sql.writer import Writer


def stacked(writer: Writer, node: Stacked, in_order: bool) -> Relation:
    """Return rows of several inputs below one another, each column in its one kind."""
    parts = [writer.rows(part, in_order) for part in node.parts]
    columns = writer.columns_of(node)
    source = columns[0] if node.source_column else None
    names = [dict(pairs) for pairs in node.renamed]
    # the columns of each part by the names that they meet under
    own = [
        {names[place].get(held.name, held.name): held for held in rows.columns}
        for place, rows in enumerate(parts)
    ]
    met = columns[1:] if source is not None else columns
    # a column can have gaps where some part lacks it, or has gaps in it itself
    marks = {
        one.name: writer.fresh("gap")
        for one in met
        if any(one.name not in part or part[one.name].gap for part in own)
    }
    is_total = all(rows.is_total for rows in parts) and in_order
    if is_total:
        parts = [writer.numbered(rows)[0] for rows in parts]
    # rows of the first part stand first, each part in its own order, as they do on this machine
    keys = ["~part", "~row"] if is_total else []
    queries, used = [], []
    for place, mine in enumerate(own):
        rows, values_of = _in_kinds(writer, parts[place], mine, met)
        used.append(rows.name)
        values: list[tuple[Sql, str]] = []
        if source is not None:
            said = writer.dialect.literal(node.names[place], Kind.TEXT)
            values.append((writer.dialect.cast(said, Kind.TEXT), source.id))
        for one in met:
            values.append((values_of[one.name], one.id))
        for one in met:
            if one.name in marks:
                held = mine.get(one.name)
                # what a part has no column for
                gap: Sql = exp.true()
                if held is not None:
                    gap = column(held.gap) if held.gap else exp.false()
                values.append((gap, marks[one.name]))
        if is_total:
            values.append((exp.Literal.number(place), keys[0]))
            values.append((column(writer.numbered(rows)[1]), keys[1]))
        queries.append(select(worked.renamed(values), table(rows.name)))
    query = _below(queries)
    there = tuple(replace(one, gap=marks.get(one.name, "")) for one in columns)
    order = tuple(OrderKey(key) for key in keys)
    name = writer.add(node, query, used, "stack")
    made = Relation(name, there, order, is_total)
    if node.repeats:
        return made
    return _once(writer, node, made, [one.name for one in met])


def _in_kinds(
    writer: Writer, rows: Relation, mine: Mapping[str, Held], met: Sequence[Held]
) -> tuple[Relation, dict[str, Sql]]:
    """Return a part's columns in the kinds of the stack, and the relation that has them."""
    found: dict[str, Sql] = {}
    for one in met:
        held = mine.get(one.name)
        if held is None:
            found[one.name] = writer.dialect.literal(None, one.kind)
            continue
        try:
            found[one.name] = worked.in_kind(column(held.id), held, one.kind, writer.dialect)
        except NotSaidError:
            rows, found[one.name] = _converted(writer, rows, held, one)
    return rows, found


def _converted(writer: Writer, rows: Relation, held: Held, one: Held) -> tuple[Relation, Sql]:
    """Return a cell in another kind, as our own code puts it there."""
    if held.kind is Kind.EXACT and one.kind is Kind.TEXT:
        raise no_text_of_exact(writer, held.name)
    from keen_trellis.compute.by_value import InKind

    made = MappedColumn(writer.fresh("made"), one.kind)

    rows = writer.with_worked_out(
        rows,
        [held],
        [made],
        InKind(held.name, one.kind),
        tr("{name} as {kind}", name=held.name, kind=one.kind),
    )
    return rows, column(made.id)


def _once(writer: Writer, node: Stacked, rows: Relation, names: Sequence[str]) -> Relation:
    """Return rows that stand there once: the first of each, by the parts."""
    groups = writer.group_values(rows, names)
    number = writer.fresh("nr")
    if rows.order or not node.source_column:
        # rows of no order are alike in all that is there to tell them apart
        ordering = writer.ordering(rows.order or [OrderKey(rows.columns[0].id)])
    else:  # the rows of one part are alike; the first part says where they are from
        said = column(rows.columns[0].id)
        places = [
            exp.If(
                this=exp.EQ(this=said.copy(), expression=writer.dialect.literal(name, Kind.TEXT)),
                true=exp.Literal.number(place),
            )
            for place, name in enumerate(node.names)
        ]
        ordering = [exp.Ordered(this=exp.Case(ifs=places), nulls_first=False)]
    inner = select(
        [star(), called(writer.over(exp.RowNumber(), groups, ordering), number)],
        table(rows.name),
    )
    query = where(
        select([star()], within(inner, "w")),
        exp.EQ(this=column(number), expression=exp.Literal.number(1)),
    )
    return replace(rows, name=writer.add(None, query, (rows.name,), f"{rows.name} once"))


def _below(queries: Sequence[exp.Select]) -> Sql:
    """Return queries one below the other, as a tree that is not deep."""
    if len(queries) == 1:
        return queries[0]
    # halves of halves: a chain of a hundred parts would be a hundred levels deep, and both the
    # writer of statements and the reader of a server go down by calls
    middle = len(queries) // 2
    return exp.Union(
        this=_below(queries[:middle]), expression=_below(queries[middle:]), distinct=False
    )
