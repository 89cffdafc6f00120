"""How much memory results take, for whoever keeps them."""

from __future__ import annotations

from typing import Any

import numpy as np

from keen_trellis.compute.join.match import Match
from keen_trellis.data import AnyColumn, LateColumn, Table


def size_of(value: Any) -> int:
    """Return the bytes that a table, the pairs of a join or another result hold for themselves."""
    match value:
        case Table():
            return table_size(value)
        case Match():
            return sum(_arrays_in(part) for part in vars(value).values())
    # what a step or tie made tells it itself
    return int(value.size)


def table_size(table: Table) -> int:
    """Return the bytes that a table holds for itself.

    One of late rows holds row numbers; the columns beneath are those of whoever read or made them,
    and count there.
    """
    return sum(
        sum(map(_column_size, strand.columns)) if strand.rows is None else int(strand.rows.nbytes)
        for strand in table.strands
    )


def _column_size(column: AnyColumn) -> int:
    """Return the bytes of a column; one that nobody has looked at has none, and is not read."""
    if isinstance(column, LateColumn):
        return _column_size(column.column) if column.is_read else 0
    size = int(column.values.nbytes)
    size += 0 if column.state is None else int(column.state.nbytes)
    return size + (0 if column.dictionary is None else int(column.dictionary.nbytes))


def _arrays_in(part: Any) -> int:
    if isinstance(part, np.ndarray):
        return int(part.nbytes)
    return sum(map(_arrays_in, part)) if isinstance(part, tuple) else 0
