"""Columns worked out in SQL, by the dialect where it means the same, else by our own code."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from keen_trellis.base.errors import NotThereError
from keen_trellis.base.language import tr
from keen_trellis.data.kinds import Kind
from keen_trellis.plan.formulas import Applied, Cell, Valued
from keen_trellis.plan.steps import Computed
from keen_trellis.sql import sql_values as worked
from keen_trellis.sql.dialects import NotSaidError, Sql, not_there
from keen_trellis.sql.relations import (
    MappedColumn,
    OrderKey,
    Relation,
    column,
    select,
    table,
)
from keen_trellis.sql.sql_conditions import DEEPEST, depth, value_of

if TYPE_CHECKING:
    from keen_trellis.sql.writer import Writer


def computed(writer: Writer, node: Computed, in_order: bool) -> Relation:
    """Return the rows with columns worked out from the others."""
    before = writer.rows(node.rows, in_order)
    rows, made = _formulas(writer, node, before)
    columns = writer.columns_of(node)
    kept = {held.name: held for held in before.columns}
    held, values = [], []
    for one in columns:
        if one.name in made:
            value, gap = made[one.name]
        else:
            value, gap = column(kept[one.name].id), kept[one.name].gap
        values.append((value, one.id))
        held.append(replace(one, gap=gap))
    marks = dict.fromkeys(one.gap for one in held if one.gap)
    places, order = order_beside(writer, before)
    own = [*map(column, marks), *places]
    query = select([*worked.renamed(values), *own], table(rows.name))
    name = writer.add(node, query, (rows.name,), "formula")
    return replace(before, name=name, columns=tuple(held), order=order)


def order_beside(writer: Writer, rows: Relation) -> tuple[list[Sql], tuple[OrderKey, ...]]:
    """Return what rows are in order by beside their columns, which may become others."""
    own = {held.id for held in rows.columns}
    values: list[Sql] = []
    keys = []
    for key in rows.order:
        # a formula may replace the column that the rows are in order by: its old values go on
        # beside
        name = writer.fresh("by") if key.id in own else key.id
        values += worked.renamed([(column(key.id), name)])
        keys.append(replace(key, id=name))
    return values, tuple(keys)


def _formulas(
    writer: Writer, node: Computed, before: Relation
) -> tuple[Relation, dict[str, tuple[Sql, str]]]:
    """Return the value of every formula and what marks its gaps, and the relation of both.

    What our own code works out of the same columns it works out in one go.
    """
    from keen_trellis.compute.by_value import Evaluating

    made: dict[str, tuple[Sql, str]] = {}
    left: dict[tuple[str, ...], list[tuple[str, Valued]]] = {}
    for name, formula in node.columns:
        try:
            made[name] = _formula(writer, before, formula)
        except NotSaidError:
            left.setdefault(formula.columns(), []).append((name, formula))
    rows = before
    for columns, formulas in left.items():
        takes = [before.held(name) for name in columns]
        has_gaps = any(held.gap for held in takes)
        gives = [
            MappedColumn(writer.fresh("made"), one.kind, writer.fresh("gap") if has_gaps else "")
            for _, one in formulas
        ]
        rows = writer.with_worked_out(
            rows, takes, gives, Evaluating(tuple(one for _, one in formulas)), formulas[0][0]
        )
        for (name, _), given in zip(formulas, gives, strict=True):
            made[name] = column(given.id), given.gap
    return rows, made


def _formula(writer: Writer, before: Relation, formula: Valued) -> tuple[Sql, str]:
    """Return the value of a formula, and what marks its gaps, as the dialect says it."""
    if isinstance(formula, Cell):
        return value_of(formula, before, writer.dialect), before.held(formula.column).gap
    takes = [before.held(name) for name in formula.columns()]
    if not takes:
        return one_value(writer, formula), ""
    refuse_texts_of_exact(writer, formula)
    # whether a null that comes out is a gap hangs on which null went in: our own code knows
    if any(held.gap for held in takes) or depth(formula) > DEEPEST:
        raise NotSaidError(tr("what becomes of a gap"))
    return value_of(formula, before, writer.dialect), ""


def one_value(writer: Writer, formula: Valued) -> Sql:
    """Return the value of a formula without a column, worked out here once for all rows.

    Raises
    ------
    NotThereError
        The dialect cannot hold the value.
    """
    from keen_trellis.compute.formula.evaluate import evaluated
    from keen_trellis.data import Table

    (value,) = evaluated(formula, Table((), (), 1)).column.to_list()
    try:
        return writer.dialect.cast(writer.dialect.literal(value, formula.kind), formula.kind)
    except NotSaidError as error:
        raise not_there(writer.dialect, f"{error}", tr("Leave it out.")) from error


def refuse_texts_of_exact(writer: Writer, formula: Valued) -> None:
    """Refuse a formula that makes a text of an exact decimal; `NotThereError`."""
    for one in formula.every():
        is_text = isinstance(one, Applied) and one.kind is Kind.TEXT
        if is_text and any(part.kind is Kind.EXACT for part in one.parts()):
            raise no_text_of_exact(writer, next(iter(one.columns()), tr("a number")))


def no_text_of_exact(writer: Writer, name: str) -> NotThereError:
    """Return the refusal of an exact decimal as a text, whose last zeros nobody knows."""
    return NotThereError(
        tr(
            "“{name}” as text shows as many digits as its whole column has, which is not known "
            "in {title}.",
            name=name,
            title=writer.dialect.title,
        ),
        tr("Do this step on this machine, or let the source give the text."),
    )
