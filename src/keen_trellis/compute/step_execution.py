"""Steps run on the rows of a table: columns worked out, rows ordered, counted, parted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import reduce

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from keen_trellis.base.language import tr
from keen_trellis.base.words import counted, listed
from keen_trellis.compute.across_rows import across
from keen_trellis.compute.formula.evaluate import evaluated
from keen_trellis.compute.join.comparable_columns import sortable
from keen_trellis.compute.join.keys import combine, own_codes
from keen_trellis.compute.join.match import grouped
from keen_trellis.compute.join.partners import row_ranks
from keen_trellis.compute.pivoting import has_no_value, pivoted
from keen_trellis.compute.step_result import Flags, Stepped, differs
from keen_trellis.compute.summary import summarise
from keen_trellis.data import BLANK, GAP, Column, Field, Kind, Rows, Strand, Table, from_arrow
from keen_trellis.plan.across import Across
from keen_trellis.plan.link import OrderField
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.schema import Schema
from keen_trellis.plan.steps import (
    Carried,
    Computed,
    Counted,
    Grouped,
    OnRows,
    Ordered,
    Parted,
    Picked,
    Pivoted,
    Repeated,
    SpelledOut,
    Unpivoted,
)


def stepped(node: OnRows, table: Table) -> Stepped:
    """Return what a step gives for the rows of a table.

    Raises
    ------
    UnknownColumnError
        The table has no column that the step names.
    """
    match node:
        case Computed():
            return _computed(node, table)
        case Picked():
            fields = {field.name: field for field in table.fields}
            chosen = Table(
                tuple(fields[old] for old, _ in node.columns), table.strands, table.n_rows
            )
            outcome = chosen.renamed([new for _, new in node.columns])
            return Stepped(table, outcome, says=_picked_said(table, node))
        case Grouped():
            summary = summarise(table, node.by, node.figures)
            return Stepped(table, summary.with_origins({c.name: c.origin for c in node.schema}))
        case Ordered():
            says = tr("{rows} in order", rows=counted(len(table), "row")) if node.by else ""
            return Stepped(table, table.take(_in_order(table, node.by)), says=says)
        case Counted():
            rows = _first_rows(table, node)
        case Repeated():
            rows = _of_repeats(table, node)
        case Carried():
            made = {name: _carried(table.column(name), node) for name in node.columns}
            return _with_columns(table, made, node.schema, {})
        case Parted():
            return _parted(node, table)
        case Unpivoted():
            return _unpivoted(node, table)
        case Pivoted():
            return _pivoted(node, table)
        case Across():
            column, faults = across(node, table)
            made = {node.name: replace(column, declared=True)}
            return _with_columns(table, made, node.schema, faults)
        case _:
            raise TypeError(f"{type(node).__name__} cannot be run.")
    return Stepped(table, table.take(rows), rows=rows)


def spelled_out(node: SpelledOut, table: Table) -> Table:
    """Return what the nodes give that a step is spelled out by."""
    from keen_trellis.compute.execute import execute

    known = {node.rows.digest: table}

    def rows_of(one: Node) -> Table:
        if one.digest not in known:
            given = execute(one, [rows_of(before) for before in one.inputs()])
            known[one.digest] = given if isinstance(given, Table) else given.outcome
        return known[one.digest]

    return rows_of(node.spelled_out)


_OTHERS_AT_MOST = 200


def _pivoted(node: Pivoted, table: Table) -> Stepped:
    made = pivoted(node, table)
    outcome = made.with_origins({column.name: column.origin for column in node.schema})
    says = tr(
        "{rows} become {n:,}, with {columns} of {field}",
        rows=counted(len(table), "row"),
        n=len(outcome),
        columns=counted(len(node.values), "column"),
        field=node.field,
    )
    other = table.take(np.flatnonzero(has_no_value(node, table)))
    if len(other):
        rows = counted(len(other), "row")
        says += (
            tr(", {rows} of other values in {rest}", rows=rows, rest=node.rest)
            if node.rest
            else tr(", {rows} of other values left out", rows=rows)
        )
    column = other.column(node.field)
    own = summarise(Table.of({"value": column}), ["value"], []).column("value")
    held = own.take(np.flatnonzero(~own.absent)) if own.absent is not None else own
    order = np.argsort(sortable(held), kind="stable")[:_OTHERS_AT_MOST]
    # no column can be called by an empty text
    others = tuple(dict.fromkeys(text for row in order if (text := held.text(int(row)))))
    return Stepped(table, outcome, says=says, others=others)


def _unpivoted(node: Unpivoted, table: Table) -> Stepped:
    outcome = spelled_out(node, table)
    columns = sum(bool(one) for _, own in node.parts for one in own)
    says = tr(
        "{rows} become {n:,}, {columns} below one another",
        rows=counted(len(table), "row"),
        n=len(outcome),
        columns=counted(columns, "column"),
    )
    less = len(table) * len(node.parts) - len(outcome)
    if less:
        says += tr(", {rows} without a value left out", rows=counted(less, "row"))
    for place, value in enumerate(node.values):
        kinds = {table.field(own[place]).kind for _, own in node.parts if own[place]}
        if len(kinds) > 1:
            kind = tr(outcome.field(value).kind)
            says += tr(", {value} as {kind}, which holds all", value=value, kind=kind)
    return Stepped(table, outcome, says=says)


def _picked_said(table: Table, node: Picked) -> str:
    """Return how many columns go on, which do not, and how many are called otherwise."""
    kept = {old for old, _ in node.columns}
    gone = [name for name in table.columns if name not in kept]
    said = tr(
        "{kept:,} of {columns} go on", kept=len(kept), columns=counted(len(table.columns), "column")
    )
    if gone:
        said += tr(", without {gone}", gone=listed(gone)) if len(gone) <= _TOLD else ""
    other = sum(old != new for old, new in node.columns)
    return tr("{said}, {other:,} under another name", said=said, other=other) if other else said


_TOLD = 4


def _computed(node: Computed, table: Table) -> Stepped:
    made: dict[str, Column] = {}
    faults: dict[str, Flags] = {}
    cuts: dict[str, Flags] = {}
    for name, formula in node.columns:
        found = evaluated(formula, table)
        made[name] = replace(found.column, declared=True)  # its kind is the formula's
        within = "" if len(node.columns) == 1 else tr(" in {name}", name=name)
        faults |= {f"{why}{within}": rows for why, rows in found.faults.items()}
        cuts |= {f"{what}{within}": rows for what, rows in found.cuts.items()}
    return replace(_with_columns(table, made, node.schema, faults), cuts=cuts)


def _with_columns(
    table: Table, made: dict[str, Column], schema: Schema, faults: dict[str, Flags]
) -> Stepped:
    """Return a table with columns in place of those of their name, or behind all others."""
    strand = len(table.strands)
    place = {name: number for number, name in enumerate(made)}
    own = {field.name: field for field in table.fields}
    fields = tuple(
        Field(c.name, c.kind, c.origin, ((strand, place[c.name]),))
        if c.name in made
        else own[c.name]
        for c in schema
    )
    outcome = Table(fields, (*table.strands, Strand(tuple(made.values()))), table.n_rows)
    changed = {
        name: differs(table.column(name), column) for name, column in made.items() if name in own
    }
    added = tuple(name for name in made if name not in own)
    return Stepped(table, outcome, changed, added, faults)


def _in_order(table: Table, by: Sequence[OrderField]) -> Rows:
    ranks = row_ranks(table, tuple(by))
    rows: NDArray[np.intp] = np.empty(len(ranks), np.intp)
    rows[ranks] = np.arange(len(ranks))
    return rows


def _groups(table: Table, by: Sequence[str]) -> tuple[NDArray[np.intp], int]:
    """Return the group of each row; blanks are a group, gaps another."""
    if not by:
        return np.zeros(len(table), np.intp), 1
    codes = reduce(combine, [own_codes(table.column(name)) for name in by])
    return codes.left, max(codes.size, 1)


def _first_rows(table: Table, node: Counted) -> Rows:
    n = max(node.n, 0)
    if not node.by:
        count = len(table)
        return np.arange(
            max(count - n, 0) if node.last else 0, count if node.last else min(n, count)
        )
    order, starts = grouped(*_groups(table, node.by))
    sizes = np.diff(starts)
    place = np.arange(len(order)) - np.repeat(starts[:-1], sizes)
    if node.last:
        place = np.repeat(sizes, sizes) - 1 - place
    return np.sort(order[place < n])


def _of_repeats(table: Table, node: Repeated) -> Rows:
    codes, size = _groups(table, node.by or table.columns)
    order, starts = grouped(codes, size)
    sizes = np.diff(starts)
    if node.keep in ("repeated", "alone"):
        wanted = sizes > 1 if node.keep == "repeated" else sizes == 1
        return np.sort(order[np.repeat(wanted, sizes)])
    held = sizes > 0
    ranks = row_ranks(table, node.order, backwards=node.keep == "last")
    best = np.minimum.reduceat(ranks[order], starts[:-1][held]) if held.any() else ranks[:0]
    row_of = np.empty(len(table), np.intp)
    row_of[ranks] = np.arange(len(table))
    return np.sort(row_of[best])


def _carried(column: Column, node: Carried) -> Column:
    """Return a column with what is empty filled by the next value above, or below."""
    if column.state is None:
        return column
    empty = np.zeros(len(column), np.bool_)
    for state, is_filled in ((BLANK, node.blanks), (GAP, node.gaps)):
        if is_filled:
            empty |= column.state == state
    # The nearest filled row above is the largest of their numbers so far; below, the smallest
    # from the end on. Where none is, `source` lies outside and the cell stays as it is.
    rows = np.arange(len(column))
    has = column.state == 0
    if node.from_above:
        source = np.maximum.accumulate(np.where(has, rows, -1))
    else:
        behind = np.where(has, rows, len(rows))[::-1]
        source = np.minimum.accumulate(behind)[::-1]
    reached = (source >= 0) & (source < len(rows))
    return column.take(np.where(empty & reached, source, rows))


def _states(column: Column) -> NDArray[np.uint8]:
    return np.zeros(len(column), np.uint8) if column.state is None else column.state


def _parted(node: Parted, table: Table) -> Stepped:
    """Return a row for each part of a text, each distinct text taken apart once."""
    column = table.column(node.column)
    assert column.dictionary is not None
    parts = [text.split(node.mark) for text in column.dictionary.to_pylist()]
    counts = np.array([*(len(one) for one in parts), 1], np.intp)[column.values]  # -1: the last
    rows = np.repeat(np.arange(len(table)), counts)
    # `flat` holds the parts of all distinct texts one behind the other: those of text `code` from
    # `starts[code]` on, of which a row of the outcome takes the `nth`.
    starts = np.cumsum([0, *(len(one) for one in parts)])
    # a part without a letter is a blank, as it is in a column of its own
    flat = from_arrow(pa.array([one or None for texts in parts for one in texts], pa.string()))
    nth = np.arange(len(rows)) - np.repeat(np.cumsum(counts) - counts, counts)
    code = column.values[rows]
    place = np.where(code >= 0, starts[np.maximum(code, 0)] + nth, -1)
    made = flat.take(place)
    if column.state is not None:  # a gap has no parts, and stays one
        own = column.state[rows]
        state = np.where(own, own, _states(made))
        made = Column(Kind.TEXT, made.values, state, made.dictionary)
    made = replace(made, declared=column.is_seen)  # also where no part has a letter
    repeated = table.take(rows)
    outcome = _with_columns(repeated, {node.column: made}, node.schema, {}).outcome
    return Stepped(table, outcome)
