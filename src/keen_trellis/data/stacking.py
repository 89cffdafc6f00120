"""Columns of one kind put one below the other."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from keen_trellis.data.column import (
    ABSENT_CODE,
    DIGITS_AT_MOST,
    Column,
    from_arrow,
    narrow_exact,
    widened_exact,
)
from keen_trellis.data.kinds import Kind
from keen_trellis.data.states import BLANK, GAP


def stack_columns(columns: Sequence[Column]) -> Column:
    """Return columns of one kind, one below the other; blanks and gaps stay what they are.

    Raises
    ------
    ValueError
        The columns are not of one kind, or are exact decimals that no scale holds all of.
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
    scale = common_scale(columns)
    if scale is None:
        raise ValueError("The exact decimals together have more than 38 digits.")
    same_scale = [rescaled(column, scale).values for column in columns]
    return Column(kind, np.concatenate(same_scale), state, scale=scale)


def fill_gaps(column: Column, other: Column) -> Column:
    """Return `column` with its gaps filled from `other`, a column of the same kind and length.

    Blanks stay blanks: the source was empty there.
    """
    return _filled(column, other, GAP)


def fill_blanks(column: Column, other: Column) -> Column:
    """Return `column` with its blanks filled from `other`, a column of the same kind and length."""
    return _filled(column, other, BLANK)


def _filled(column: Column, other: Column, empty: int) -> Column:
    if column.state is None or column.count(empty) == 0:
        return column
    rows = np.arange(len(column))
    both = stack_columns([column, other])
    return both.take(np.where(column.state == empty, rows + len(column), rows))


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


def common_scale(columns: Sequence[Column]) -> int | None:
    """Return the scale that exact decimals have in common, the largest of theirs.

    None where a value would have more than 38 digits in it. Columns of other kinds have scale 0.
    """
    scale = max((column.scale for column in columns), default=0)
    for column in columns:
        if column.scale < scale and extent(column) * 10 ** (scale - column.scale) >= _LIMIT:
            return None
    return scale


def extent(column: Column) -> int:
    """Return the largest of the exact decimals as the integer beneath it, without its sign."""
    values = column.values if column.absent is None else column.values[~column.absent]
    if not len(values):
        return 0
    narrow = narrow_exact(values)
    if narrow is not None:
        return max(int(narrow.max()), -int(narrow.min()))  # Python's: -(-2**63) is no int64
    highest = values[values["hi"] == values["hi"].max()]
    lowest = values[values["hi"] == values["hi"].min()]
    ends = ((highest["hi"][0], highest["lo"].max()), (lowest["hi"][0], lowest["lo"].min()))
    return max(abs((int(high) << 64) + int(low)) for high, low in ends)


def rescaled(column: Column, scale: int) -> Column:
    """Return exact decimals with `scale` digits after the mark; other kinds as they are.

    The scale must be one that `common_scale` allows: then no value leaves 128 bits.
    """
    if column.scale == scale:
        return column
    narrow = narrow_exact(column.values)
    factor = 10 ** (scale - column.scale) if scale > column.scale else 0
    if narrow is not None and factor and extent(column) * factor < 2**63:
        whole = narrow if column.absent is None else np.where(column.absent, 0, narrow)
        values = widened_exact(whole * np.int64(factor))
        return Column(column.kind, values, column.state, scale=scale)
    scaled = from_arrow(column.to_arrow().cast(pa.decimal128(DIGITS_AT_MOST, scale)))
    return Column(column.kind, scaled.values, column.state, scale=scale)


_LIMIT = 10**DIGITS_AT_MOST
