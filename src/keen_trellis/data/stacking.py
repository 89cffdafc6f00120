"""Columns of one kind put one below the other."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from keen_trellis.data.column import ABSENT_CODE, GAP, Column, from_arrow
from keen_trellis.data.kinds import Kind


def stack_columns(columns: Sequence[Column]) -> Column:
    """Return columns of one kind, one below the other; blanks and gaps stay what they are.

    Raises
    ------
    ValueError
        The columns are not of one kind.
    """
    kinds = {column.kind for column in columns}
    if len(kinds) != 1:
        raise ValueError(f"Columns of different kinds cannot be stacked: {sorted(kinds)}.")
    kind = columns[0].kind
    state = None
    if any(column.state is not None for column in columns):
        state = np.concatenate(
            [np.zeros(len(c), np.uint8) if c.state is None else c.state for c in columns]
        )
    if kind is Kind.TEXT:
        values, dictionary = _stack_codes(columns)
        return Column(kind, values, state, dictionary)
    scale = max(column.scale for column in columns)
    same_scale = [rescaled(column, scale).values for column in columns]
    return Column(kind, np.concatenate(same_scale), state, scale=scale)


def fill_gaps(column: Column, other: Column) -> Column:
    """Return `column` with its gaps filled from `other`, a column of the same kind and length.

    Blanks stay blanks: the source was empty there.
    """
    if column.state is None or column.count(GAP) == 0:
        return column
    rows = np.arange(len(column))
    both = stack_columns([column, other])
    return both.take(np.where(column.state == GAP, rows + len(column), rows))


def _stack_codes(columns: Sequence[Column]) -> tuple[NDArray[np.int32], pa.StringArray]:
    first = columns[0].dictionary
    if all(column.dictionary is first for column in columns):
        return np.concatenate([column.values for column in columns]), first
    encoded = pa.concat_arrays([c.dictionary for c in columns]).dictionary_encode()
    places = encoded.indices.to_numpy(zero_copy_only=False)
    codes, start = [], 0
    for column in columns:
        end = start + len(column.dictionary or ())
        mapped = np.append(places[start:end], ABSENT_CODE).astype(np.int32)
        codes.append(mapped[column.values])  # -1 finds the appended entry
        start = end
    return np.concatenate(codes), encoded.dictionary


def rescaled(column: Column, scale: int) -> Column:
    """Return exact decimals with `scale` digits after the mark; other kinds as they are."""
    if column.scale == scale:
        return column
    scaled = from_arrow(column.to_arrow().cast(pa.decimal128(38, scale)))
    return Column(column.kind, scaled.values, column.state, scale=scale)
