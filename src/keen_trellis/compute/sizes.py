"""How much memory results take, for whoever keeps them."""

from __future__ import annotations

from typing import Any

import numpy as np

from keen_trellis.compute.blend import Blend
from keen_trellis.compute.filtered import Filtered
from keen_trellis.compute.join.match import Match
from keen_trellis.compute.promised import Checked
from keen_trellis.compute.stack import Stack
from keen_trellis.compute.stepped import Stepped
from keen_trellis.compute.tied import Tied
from keen_trellis.data import Column, Table
from keen_trellis.plan.bays import Bay


def size_of(value: Any) -> int:
    """Return the bytes that a result holds for itself.

    A table of late rows holds row numbers; the columns beneath are those of whoever read or made
    them, and count there.
    """
    match value:
        case Table():
            return sum(
                sum(map(_column_size, strand.columns))
                if strand.rows is None
                else int(strand.rows.nbytes)
                for strand in value.strands
            )
        case Match():
            return sum(_arrays_in(part) for part in vars(value).values())
        case Tied():
            bays = [value.bay(bay) for bay in Bay if bay in value.bays_made]
            return size_of(value.outcome) + sum(map(size_of, bays))
        case Blend():
            return sum(map(size_of, value.ties))
        case Stack():
            return size_of(value.outcome)
        case Checked():
            return int(value.breaking.nbytes)
        case Stepped():
            flags = (*value.changed.values(), *value.faults.values())
            known = {id(strand) for strand in value.before.strands}
            own = tuple(one for one in value.outcome.strands if id(one) not in known)
            made = Table((), own, len(value.outcome))
            return size_of(made) + sum(int(one.nbytes) for one in flags)
        case Filtered():
            return size_of(value.outcome) + size_of(value.left_out) + 2 * len(value.table)
    return 0


def _column_size(column: Column) -> int:
    size = int(column.values.nbytes)
    size += 0 if column.state is None else int(column.state.nbytes)
    return size + (0 if column.dictionary is None else int(column.dictionary.nbytes))


def _arrays_in(part: Any) -> int:
    if isinstance(part, np.ndarray):
        return int(part.nbytes)
    return sum(map(_arrays_in, part)) if isinstance(part, tuple) else 0
