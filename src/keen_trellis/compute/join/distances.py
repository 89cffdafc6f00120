"""How far two values lie apart, decided exactly."""

from __future__ import annotations

import math
from decimal import Decimal
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from keen_trellis.compute.join.comparable_columns import in_one_kind
from keen_trellis.data import Column, Kind
from keen_trellis.data.column import narrow_exact
from keen_trellis.data.conversions.conversion import by_day, shown_decimal

_MICROSECONDS = 1_000_000
_FARTHEST = 10**300
_ROUNDED = 8 * np.finfo(np.float64).eps
"""Reading two decimals as doubles and taking their difference rounds three times, by half an
`eps` of the larger each: what lies farther from the limit than this is decided."""


def within(left: Column, right: Column, limit: Fraction) -> NDArray[np.bool_]:
    """Return whether the values of two columns, row by row, are no farther apart than a limit.

    Parameters
    ----------
    left, right : Column
        Of kinds that can be compared, with values in every row.
    limit : Fraction
        In days for dates, in seconds for date-times and times, else as a number. A double counts
        as the decimal that it is shown as.
    """
    kinds = {left.kind, right.kind}
    if kinds <= {Kind.DATE, Kind.DATE_TIME}:
        if Kind.DATE in kinds:
            return _whole_within(by_day(left).values, by_day(right).values, limit)
        return _whole_within(left.values, right.values, limit * _MICROSECONDS)
    if kinds == {Kind.TIME}:
        return _whole_within(left.values, right.values, limit * _MICROSECONDS)
    if Kind.NUMBER not in kinds:
        a, b = in_one_kind(left, right)
        whole = [narrow_exact(c.values) if c.kind is Kind.EXACT else c.values for c in (a, b)]
        # ranks, which stand for numbers that no one kind holds, have lost their distances
        ranked = a.kind is Kind.INTEGER and Kind.EXACT in kinds
        if not ranked and whole[0] is not None and whole[1] is not None:
            return _whole_within(whole[0], whole[1], limit * 10**a.scale)
    return _numbers_within(left, right, limit)


def roughly_apart(one: Column, others: Column) -> NDArray[np.float64]:
    """Return how far values lie from the one value of a column, near enough to put them in order.

    The kinds must be comparable, and of amounts, dates or times; -1 and less never come out.
    """
    a, b = in_one_kind(one, others)
    with np.errstate(invalid="ignore"):
        apart: NDArray[np.float64] = np.abs(_as_doubles(b) - _as_doubles(a)[0])
    apart[np.isnan(apart)] = 0.0  # infinity is no way from itself
    return apart


def _whole_within(a: NDArray[np.int64], b: NDArray[np.int64], limit: Fraction) -> NDArray[np.bool_]:
    """Compare as 64 bits without a sign: two int64 lie up to 2**64 - 1 apart."""
    high = np.maximum(a, b).astype(np.int64).view(np.uint64)
    low = np.minimum(a, b).astype(np.int64).view(np.uint64)
    apart = high - low  # modulo 2**64, which the distance of ordered int64 never reaches
    near: NDArray[np.bool_] = apart <= np.uint64(min(math.floor(limit), 2**64 - 1))
    return near


def _numbers_within(left: Column, right: Column, limit: Fraction) -> NDArray[np.bool_]:
    """Decide by doubles where rounding cannot matter, and exactly where it can."""
    a, b = _as_doubles(left), _as_doubles(right)
    far = float(min(limit, Fraction(_FARTHEST)))
    with np.errstate(invalid="ignore", over="ignore"):  # infinities are looked at one by one
        apart = np.abs(a - b)
        doubt = _ROUNDED * (np.abs(a) + np.abs(b) + far)
        near: NDArray[np.bool_] = apart <= far - doubt
        unclear = ~(near | (apart > far + doubt))
    rows = np.flatnonzero(unclear)
    pairs = zip(left.take(rows).to_list(), right.take(rows).to_list(), strict=True)
    near[rows] = [_exactly_within(x, y, limit) for x, y in pairs]
    return near


def _as_doubles(column: Column) -> NDArray[np.float64]:
    if column.kind is not Kind.EXACT:
        return column.values.astype(np.float64)
    high, low = column.values["hi"], np.ascontiguousarray(column.values["lo"])
    narrow = low.view(np.int64)
    # beyond 64 bits the halves never cancel out, so that adding them keeps 52 bits
    wide = np.where(high == narrow >> 63, narrow, high.astype(np.float64) * 2.0**64 + low)
    doubles: NDArray[np.float64] = wide / 10.0**column.scale
    return doubles


def _exactly_within(a: float | Decimal, b: float | Decimal, limit: Fraction) -> bool:
    if a == b:
        return True
    if math.isinf(a) or math.isinf(b):
        return False
    return abs(_fraction(a) - _fraction(b)) <= limit


def _fraction(value: float | Decimal) -> Fraction:
    return Fraction(shown_decimal(value) if isinstance(value, float) else value)
