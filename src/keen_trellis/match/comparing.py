"""Two columns of kinds that can be compared become two of one kind, without losing a digit."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.data import Column, Kind
from keen_trellis.data.column import MICROSECONDS_A_DAY, from_arrow, narrow_exact, widened_exact
from keen_trellis.data.reading_texts import values_of_texts
from keen_trellis.data.stacking import rescaled

_EXACT_IN_A_DOUBLE = 2**53
_DIGITS_IN_A_DOUBLE = 10**15

_NUMERIC = (Kind.WHOLE, Kind.EXACT, Kind.NUMBER)
_BY_DAY = (Kind.DATE, Kind.DATE_TIME)


def comparable(left: Kind, right: Kind) -> bool:
    """Whether values of two kinds can be compared as they are."""
    if left is right:
        return True
    return any(left in group and right in group for group in (_NUMERIC, _BY_DAY))


def in_one_kind(left: Column, right: Column) -> tuple[Column, Column]:
    """Return two columns that can be compared as two of one kind.

    Numbers meet by value: a whole number and an exact decimal with all digits; a double and one
    of those by the decimal that the double is shown as. A date meets a date-time by its day.

    Raises
    ------
    ValueError
        The kinds cannot be compared.
    """
    if left.kind is right.kind:
        return left, right
    if not comparable(left.kind, right.kind):
        raise ValueError(f"A {left.kind} column cannot be compared with {right.kind}.")
    if left.kind in _BY_DAY:
        return by_day(left), by_day(right)
    if Kind.NUMBER not in (left.kind, right.kind):
        return _as_exact(left), _as_exact(right)
    if _fits_doubles(left) and _fits_doubles(right):
        return _as_number(left), _as_number(right)
    return _ranked(left, right)


def by_day(column: Column) -> Column:
    """Return dates; of date-times their day."""
    if column.kind is Kind.DATE:
        return column
    days = (column.values // MICROSECONDS_A_DAY).astype(Kind.DATE.dtype)
    return Column(Kind.DATE, days, column.state)


def converted(column: Column, kind: Kind) -> Column:
    """Return a column in another kind for a comparison; what cannot be converted is a blank.

    Text is read once per distinct text.
    """
    if column.kind is kind:
        return column
    if kind is Kind.TEXT:
        return from_arrow(column.texts())
    if column.kind is Kind.TEXT:
        assert column.dictionary is not None
        return spread(values_of_texts(column.dictionary, kind), column)
    if kind is Kind.DATE and column.kind is Kind.DATE_TIME:
        return by_day(column)
    texts = from_arrow(column.texts())
    assert texts.dictionary is not None
    return spread(values_of_texts(texts.dictionary, kind), texts)


def spread(values: Column, codes: Column) -> Column:
    """Return the values of a text column's dictionary entries for each of its rows."""
    found = values.take(codes.values)
    state = found.state
    if codes.state is not None:
        state = codes.state if state is None else np.where(codes.state != 0, codes.state, state)
    return Column(found.kind, found.values, state, found.dictionary, found.scale)


@dataclass(frozen=True, slots=True, eq=False)
class OrderKeys:
    """Both sides as whole numbers in the order of their values.

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
    """Return whole numbers that stand in the same order as the values of two columns of one kind.

    Text stands in the order of its code points. Values that lie close together cost a
    subtraction; others are sorted once.
    """
    if left.kind is Kind.TEXT:
        return _text_order(left, right)
    a, b = (sortable(column) for column in _same_scale(left, right))
    if a.dtype.names or b.dtype.names:  # 128 bits on either side
        return _rank(a, b)
    held = np.concatenate([_held(a, left), _held(b, right)])
    low = int(held.min()) if len(held) else 0
    span = int(held.max()) - low + 1 if len(held) else 1
    if span < 2**40:
        return OrderKeys(a - low, b - low, span)
    return _rank(a, b)


def sortable(column: Column) -> NDArray[Any]:
    """Return values as int64 in their order; wide exact decimals as records with `hi` first."""
    if column.kind is Kind.NUMBER:
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


def _same_scale(left: Column, right: Column) -> tuple[Column, Column]:
    scale = max(left.scale, right.scale)
    left, right = rescaled(left, scale), rescaled(right, scale)
    return left, right


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


def _as_exact(column: Column) -> Column:
    if column.kind is Kind.EXACT:
        return column
    return Column(Kind.EXACT, widened_exact(column.values), column.state)


def _fits_doubles(column: Column) -> bool:
    """Whether no two values of a column are the same as doubles."""
    if column.kind is Kind.NUMBER:
        return True
    narrow = narrow_exact(column.values) if column.kind is Kind.EXACT else column.values
    if narrow is None:
        return False
    limit = _DIGITS_IN_A_DOUBLE if column.scale else _EXACT_IN_A_DOUBLE
    return bool((np.abs(narrow) <= limit).all())


def _as_number(column: Column) -> Column:
    if column.kind is Kind.NUMBER:
        return column
    whole = narrow_exact(column.values) if column.kind is Kind.EXACT else column.values
    assert whole is not None
    return Column(Kind.NUMBER, whole / 10.0**column.scale, column.state)


def _ranked(left: Column, right: Column) -> tuple[Column, Column]:
    """Return both sides as their ranks among all values, compared exactly; for rare large ones."""
    sides = [_fractions(column) for column in (left, right)]
    values = sorted({value for side in sides for value in side if value is not None})
    rank = {value: number for number, value in enumerate(values)}
    ranked = []
    for side, column in zip(sides, (left, right), strict=True):
        numbers = np.array([0 if v is None else rank[v] for v in side], np.int64)
        ranked.append(Column(Kind.WHOLE, numbers, column.state))
    return ranked[0], ranked[1]


def _fractions(column: Column) -> list[Fraction | None]:
    """Return values exactly; a double counts as the decimal that it is shown as."""
    if column.kind is Kind.NUMBER:
        return [None if v is None else Fraction(Decimal(repr(v))) for v in column.to_list()]
    return [None if v is None else Fraction(v) for v in column.to_list()]
