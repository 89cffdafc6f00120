"""Columns of one kind put one below the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from keen_trellis.data.column import (
    DIGITS_AT_MOST,
    Column,
    from_arrow,
    narrow_exact,
    widened_exact,
)
from keen_trellis.data.dictionaries import joint
from keen_trellis.data.kinds import Kind
from keen_trellis.data.states import BLANK, GAP, PRESENT


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
    state = None
    if any(column.state is not None for column in columns):
        state = np.concatenate(
            [np.zeros(len(c), np.uint8) if c.state is None else c.state for c in columns]
        )
    same = in_one_form(columns)
    values = np.concatenate([column.values for column in same])
    # what one of them says holds for all, also where none of the rows that are left has a value
    is_declared = any(column.is_seen for column in columns)
    return replace(same[0], values=values, state=state, declared=is_declared)


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
    mine, theirs = in_one_form([column, other])
    filled = column.state == empty
    state = np.where(filled, PRESENT if theirs.state is None else theirs.state, column.state)
    values = np.where(filled, theirs.values, mine.values)
    kept = state.astype(np.uint8, copy=False) if state.any() else None
    return replace(mine, values=values, state=kept, declared=column.is_seen or other.is_seen)


def in_one_form(columns: Sequence[Column]) -> list[Column]:
    """Return columns of one kind with one dictionary, or one scale, so that their values mix.

    Raises
    ------
    ValueError
        They are exact decimals that no scale holds all of.
    """
    if columns[0].kind is Kind.TEXT:
        codes, dictionary = _in_one_dictionary(columns)
        return [
            replace(column, values=values, dictionary=dictionary)
            for values, column in zip(codes, columns, strict=True)
        ]
    scale = common_scale(columns)
    if scale is None:
        raise ValueError("The exact decimals together have more than 38 digits.")
    return [rescaled(column, scale) for column in columns]


def _in_one_dictionary(
    columns: Sequence[Column],
) -> tuple[list[NDArray[np.int32]], pa.StringArray]:
    """Return the codes of texts in one dictionary that has the texts of all of theirs."""
    codes, dictionary = [columns[0].values], columns[0].dictionary
    for column in columns[1:]:
        # columns of one source share theirs: then the codes mean the same already
        if column.dictionary is not dictionary:
            both = joint(dictionary, column.dictionary)
            codes, dictionary = [both.moved(one) for one in codes], both.dictionary
        codes.append(column.values)
    return codes, dictionary


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
    # records are compared by no order of numbers: the upper halves first, and of equal ones the
    # lower
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
    largest = extent(column)
    if narrow is not None and factor and largest * factor < 2**63:
        # what lies beneath a blank could be anything, and too large once it is multiplied
        whole = narrow if column.absent is None else np.where(column.absent, 0, narrow)
        # of zeros alone any factor is allowed, also one that is no int64
        values = widened_exact(whole * np.int64(factor) if largest else whole)
        return Column(column.kind, values, column.state, scale=scale)
    scaled = from_arrow(column.to_arrow().cast(pa.decimal128(DIGITS_AT_MOST, scale)))
    return Column(column.kind, scaled.values, column.state, scale=scale)


_LIMIT = 10**DIGITS_AT_MOST
