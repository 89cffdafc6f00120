"""What writes each sort of node in SQL: the one list, and the nodes that take a line or two."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from keen_trellis.base.language import tr
from keen_trellis.compute.by_value import Holding
from keen_trellis.data.kinds import Kind
from keen_trellis.plan.across import Across
from keen_trellis.plan.blends import Blended, Summarised
from keen_trellis.plan.expressions import Expression
from keen_trellis.plan.formulas import Valued
from keen_trellis.plan.nodes import BayRows, Begun, Kept, Node, Outcome, Stacked
from keen_trellis.plan.steps import (
    Carried,
    Computed,
    Counted,
    Grouped,
    Ordered,
    Parted,
    Picked,
    Pivoted,
    Repeated,
    SpelledOut,
    Unpivoted,
)
from keen_trellis.sql import sql_steps, summaries
from keen_trellis.sql.computed_columns import computed, one_value, refuse_texts_of_exact
from keen_trellis.sql.dialects import NotSaidError, Sql, not_there
from keen_trellis.sql.relations import MappedColumn, Relation, column, select, star, table, where
from keen_trellis.sql.sql_conditions import DEEPEST, condition, depth
from keen_trellis.sql.sql_outcome import bay, outcome
from keen_trellis.sql.stacked import stacked
from keen_trellis.sql.writer import Writer, WritesNode


def _begun(writer: Writer, node: Begun, in_order: bool) -> Relation:
    return replace(writer.rows(node.rows, in_order))


def _picked(writer: Writer, node: Picked, in_order: bool) -> Relation:
    before = writer.rows(node.rows, in_order)
    chosen = [replace(before.held(old), name=new) for old, new in node.columns]
    return replace(before, columns=tuple(chosen))


def _blended(writer: Writer, node: Blended, in_order: bool) -> Relation:
    return writer.rows(node.outcomes[-1], in_order)


def _summarised(writer: Writer, node: Summarised, in_order: bool) -> Relation:
    return summaries.summarised(writer, node, node, in_order)


def _grouped(writer: Writer, node: Grouped, in_order: bool) -> Relation:
    return summaries.summarised(writer, node.summary, node, in_order)


def _carried(writer: Writer, node: Carried, _: bool) -> Relation:
    return sql_steps.carried(writer, node)


def _kept(writer: Writer, node: Kept, in_order: bool) -> Relation:
    before = writer.rows(node.rows, in_order)
    before, asked = asked_of(writer, before, node.condition, writer.label(node, "filter"))
    query = where(select([star()], table(before.name)), asked)
    return replace(before, name=writer.add(node, query, (before.name,), "filter"))


def asked_of(writer: Writer, rows: Relation, asked: Expression, says: str) -> tuple[Relation, Sql]:
    """Return a condition as SQL, and the relation that it is asked of.

    What the dialect has no equal for is worked out by our own code, by the distinct values.

    Raises
    ------
    NotThereError
        What our own code would have to work out cannot be sent.
    """
    if isinstance(asked, Valued):
        if not asked.columns():
            return rows, one_value(writer, asked)
        refuse_texts_of_exact(writer, asked)
    try:
        if depth(asked) > DEEPEST:
            raise NotSaidError(tr("a formula of so many levels"))
        return rows, condition(asked, rows, writer.dialect)
    except NotSaidError:
        takes = [rows.held(name) for name in asked.columns()]
        holds = MappedColumn(writer.fresh("holds"), Kind.BOOLEAN)
        rows = writer.with_worked_out(rows, takes, [holds], Holding(asked), says)
        return rows, column(holds.id)


def _spelled_out(writer: Writer, node: SpelledOut, in_order: bool) -> Relation:
    return replace(writer.rows(node.spelled_out, in_order))


def _across(writer: Writer, node: Across, in_order: bool) -> Relation:
    raise not_there(
        writer.dialect,
        tr("the {how} across the rows of “{name}”", how=tr(node.what), name=node.name),
        tr("Have it worked out here."),
    )


NODE_WRITERS: Mapping[type[Node], WritesNode] = {
    Begun: _begun,
    Kept: _kept,
    Outcome: outcome,
    BayRows: bay,
    Stacked: stacked,
    Summarised: _summarised,
    Blended: _blended,
    Computed: computed,
    Picked: _picked,
    Ordered: sql_steps.in_order_of,
    Counted: sql_steps.counted,
    Repeated: sql_steps.repeated,
    Carried: _carried,
    Parted: sql_steps.parted,
    Grouped: _grouped,
    Unpivoted: _spelled_out,
    Pivoted: _spelled_out,
    Across: _across,
}
"""All nodes but `Read`, whose rows begin where a place says, and `Join`, which gives pairs."""
