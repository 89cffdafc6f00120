"""Values of a field as columns: every cell of them from one summary, however many values there are.

What a pivot means is said by its nodes (`Pivoted.spelled_out`), which work a column out for each
value on all rows. Here rows are gone through once: summarised by group and value, and spread.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from keen_trellis.compute.join.keys import codes_of
from keen_trellis.compute.summary import numbered_groups, summarise
from keen_trellis.data import BLANK, Column, Kind, Table
from keen_trellis.plan.steps import Pivoted

_GROUP, _WHICH, _FIGURE = "\0group", "\0which", "\0figure"


def pivoted(node: Pivoted, table: Table) -> Table:
    """Return a row for each group, with a figure in a column for each value."""
    names = [*(name for name, _ in node.values), *([node.rest] if node.rest else [])]
    group, heads, n = numbered_groups(table, node.by)
    if not names:
        return summarise(table, node.by, [])
    which, own = _places(node, table)
    if node.rest:
        which = np.where(which < 0, len(node.values), which)
        own = np.append(own, len(node.values))
    rows = np.flatnonzero(which >= 0)
    columns = {
        _GROUP: Column(Kind.INTEGER, group[rows].astype(np.int64)),
        _WHICH: Column(Kind.INTEGER, which[rows].astype(np.int64)),
    }
    figure = replace(node.figure, name=_FIGURE)
    if figure.column is not None:
        columns[figure.column] = table.column(figure.column).take(rows)
    made = summarise(Table.of(columns), [_GROUP, _WHICH], [figure])
    # The row of the summary for each group and value: of most pairs there is none.
    place = np.full((n, len(names)), -1, np.intp)
    place[made.column(_GROUP).values, made.column(_WHICH).values] = np.arange(len(made))
    found = made.column(_FIGURE)
    is_count = figure.column is None or figure.how in ("count", "distinct count")
    spread = {name: table.column(name).take(heads) for name in node.by}
    for number, name in zip(own.tolist(), names, strict=True):
        # a value that is no value is that of no row
        at = place[:, number] if number >= 0 else np.full(n, -1, np.intp)
        spread[name] = _filled(found.take(at), node.zero or is_count)
    return Table.of(spread)


def has_no_value(node: Pivoted, table: Table) -> NDArray[np.bool_]:
    """Return which rows have none of the values."""
    return _places(node, table)[0] < 0


def _places(node: Pivoted, table: Table) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Return for each row which of the values it has, -1 for none; and the place of each value.

    Of values that are equal the first is meant.
    """
    column = table.column(node.field)
    if not node.values:
        return np.full(len(column), -1, np.intp), np.zeros(0, np.intp)
    codes = codes_of(column, Column.of([value for _, value in node.values], column.kind))
    # The last place is that of the code -1, which blanks and gaps have.
    place = np.full(codes.size + 1, -1, np.intp)
    place[codes.right[::-1]] = np.arange(len(node.values))[::-1]
    place[-1] = -1
    return place[codes.left], place[codes.right]


def _filled(column: Column, with_zero: bool) -> Column:
    """Return figures with a blank, or zero, where there was no row."""
    if column.absent is None:
        return replace(column, declared=True)
    if with_zero:
        values = column.values.copy()
        values[column.absent] = np.zeros(1, values.dtype)[0]
        return Column(column.kind, values, scale=column.scale, declared=True)
    state = np.where(column.absent, BLANK, 0).astype(np.uint8)
    return replace(column, state=state, declared=True)
