"""Two columns of kinds that can be compared become two of one kind, without losing a digit."""

from __future__ import annotations

import math
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.data import Column, Kind
from keen_trellis.data.column import exact_decimal, narrow_exact
from keen_trellis.data.conversions.conversion import by_day, converted, shown_decimal
from keen_trellis.data.kinds import BY_DAY, comparable
from keen_trellis.data.stacking import common_scale, rescaled


def met(left: Column, right: Column) -> tuple[Column, Column]:
    """Return both columns, a text column of blanks alone in the kind of the other.

    A column without any value was never seen to be text, unless its source says that it is text:
    it takes the kind of what it meets.
    """
    if not comparable(left.kind, right.kind):
        if not left.is_seen:
            return _blanks_of(left, right.kind), right
        if not right.is_seen:
            return left, _blanks_of(right, left.kind)
    return left, right


def in_one_kind(left: Column, right: Column) -> tuple[Column, Column]:
    """Return two columns that can be compared as two of one kind, exact decimals of one scale.

    Numbers meet by value: an integer and an exact decimal with all digits; a double and one
    of those by the decimal that the double is shown as. A date meets a date-time by its day.
    Where no kind has room for both, ranks among all values stand for them.

    Raises
    ------
    ValueError
        The kinds cannot be compared.
    """
    left, right = met(left, right)
    if not comparable(left.kind, right.kind):
        raise ValueError(f"A {left.kind} column cannot be compared with {right.kind}.")
    if left.kind is right.kind is not Kind.EXACT:
        return left, right
    if left.kind in BY_DAY:
        return by_day(left), by_day(right)
    kind = Kind.NUMBER if Kind.NUMBER in (left.kind, right.kind) else Kind.EXACT
    sides = [converted(column, kind) for column in (left, right)]
    if not any(len(side.lost) for side in sides):
        columns = [side.column for side in sides]
        scale = common_scale(columns)
        if scale is not None:
            return rescaled(columns[0], scale), rescaled(columns[1], scale)
    return _ranked(left, right)


def spread(values: Column, codes: Column) -> Column:
    """Return the values of a text column's dictionary entries for each of its rows."""
    found = values.take(codes.values)
    state = found.state
    if codes.state is not None:
        state = codes.state if state is None else np.where(codes.state != 0, codes.state, state)
    return Column(found.kind, found.values, state, dictionary=found.dictionary, scale=found.scale)


def _blanks_of(column: Column, kind: Kind) -> Column:
    """Return the blanks and gaps of a column as a column of another kind."""
    return converted(column, kind).column


@dataclass(frozen=True, slots=True, eq=False)
class OrderKeys:
    """Both sides as integers in the order of their values.

    Attributes
    ----------
    left, right : ndarray of int64
        From 0 to `span` - 1; meaningless where `*_absent` is True.
    span : int
    """

    left: NDArray[np.int64]
    right: NDArray[np.int64]
    span: int


def order_keys(left: Column, right: Column) -> OrderKeys:
    """Return integers that stand in the same order as the values of two columns.

    The columns are of one kind and, with exact decimals, of one scale, as `in_one_kind` gives them.
    Text stands in the order of its code points. Values that lie close together cost a
    subtraction; others are sorted once.
    """
    if left.kind is Kind.TEXT:
        return _text_order(left, right)
    a, b = sortable(left), sortable(right)
    if a.dtype.names or b.dtype.names:  # 128 bits on either side
        return _rank(a, b)
    # What lies beneath an absent cell may be anything, so only present ones set the bounds; the
    # differences of absent ones may run over, and nobody reads them.
    held = np.concatenate([_held(a, left), _held(b, right)])
    low = int(held.min()) if len(held) else 0
    span = int(held.max()) - low + 1 if len(held) else 1
    if span < 2**40:
        return OrderKeys(a - low, b - low, span)
    return _rank(a, b)


def sortable(column: Column) -> NDArray[Any]:
    """Return values as int64 in their order; wide exact decimals as records with `hi` first."""
    if column.kind is Kind.NUMBER:
        # Bits of positive doubles stand in the order of their values as integers; those of negative
        # ones, told by the sign bit, in the reverse one, which -2**63 - bits turns round without
        # running over. Adding 0.0 makes -0.0 the 0.0 that it equals; no value is NaN.
        bits = (column.values + 0.0).view(np.int64)
        return np.where(bits < 0, np.int64(-(2**63)) - bits, bits)
    if column.kind is Kind.EXACT:
        narrow = narrow_exact(column.values)
        if narrow is not None:
            return narrow
        wide = np.empty(len(column), [("hi", "<i8"), ("lo", "<u8")])
        wide["hi"], wide["lo"] = column.values["hi"], column.values["lo"]
        return wide
    return column.values.astype(np.int64, copy=False)


def _rank(a: NDArray[Any], b: NDArray[Any]) -> OrderKeys:
    if a.dtype != b.dtype:  # one side narrow, the other wide
        wide = a.dtype if a.dtype.names else b.dtype
        a, b = _widened(a, wide), _widened(b, wide)
    values, ranks = np.unique(np.concatenate([a, b]), return_inverse=True)
    ranks = ranks.astype(np.int64)
    return OrderKeys(ranks[: len(a)], ranks[len(a) :], len(values) + 1)


def _widened(values: NDArray[Any], dtype: np.dtype[Any]) -> NDArray[Any]:
    if values.dtype.names:
        return values
    wide = np.empty(len(values), dtype)
    wide["hi"], wide["lo"] = values >> 63, values.view(np.uint64)
    return wide


def _held(values: NDArray[Any], column: Column) -> NDArray[Any]:
    absent = column.absent
    return values if absent is None else values[~absent]


def _text_order(left: Column, right: Column) -> OrderKeys:
    assert left.dictionary is not None and right.dictionary is not None
    n_left = len(left.dictionary)
    # `rank` is by distinct text, `ranks` by entry of the two dictionaries, left first; the 0 that
    # is appended is where the code -1 of an absent text reads.
    both = pa.concat_arrays([left.dictionary, right.dictionary])
    distinct = both.dictionary_encode()
    order = pc.sort_indices(distinct.dictionary).to_numpy()
    rank = np.empty(len(order), np.int64)
    rank[order] = np.arange(len(order))
    ranks = rank[distinct.indices.to_numpy(zero_copy_only=False)]
    return OrderKeys(
        np.append(ranks[:n_left], 0)[left.values],
        np.append(ranks[n_left:], 0)[right.values],
        len(order) + 1,
    )


def _ranked(left: Column, right: Column) -> tuple[Column, Column]:
    """Return both sides as their ranks among all values, compared exactly; for rare large ones.

    Integers stand for the ranks; each distinct value is looked at once.
    """
    sides = [_distinct(column) for column in (left, right)]
    exact = [[_exactly(value) for value in values] for values, _ in sides]
    rank = {value: number for number, value in enumerate(sorted({v for s in exact for v in s}))}
    ranked = []
    for values, (_, places), column in zip(exact, sides, (left, right), strict=True):
        ranks = np.array([rank[value] for value in values], np.int64)
        ranked.append(Column(Kind.INTEGER, ranks[places], column.state))
    return ranked[0], ranked[1]


def _distinct(column: Column) -> tuple[list[Any], NDArray[np.intp]]:
    """Return the distinct values of a column of numbers, and which of them each row has."""
    held = sortable(column)
    if column.absent is not None:  # anything may lie beneath, and be no number at all
        held = np.where(column.absent, np.zeros(1, held.dtype), held)
    values, places = np.unique(held, return_inverse=True)
    # written from the last row to the first, so that the first row of each value stays
    first = np.zeros(len(values), np.intp)
    first[places[::-1]] = np.arange(len(places))[::-1]
    held = column.values[first]
    if column.absent is not None:
        held = np.where(column.absent[first], np.zeros(1, held.dtype), held)
    if column.kind is Kind.EXACT:
        return [exact_decimal(value, column.scale) for value in held], places
    return held.tolist(), places


def _exactly(value: float | Decimal) -> tuple[int, Fraction]:
    """Return what a number is compared by; a double counts as the decimal that it is shown as."""
    if isinstance(value, float):
        if math.isinf(value):
            return (1 if value > 0 else -1), Fraction(0)
        return 0, Fraction(shown_decimal(value))
    return 0, Fraction(value)
