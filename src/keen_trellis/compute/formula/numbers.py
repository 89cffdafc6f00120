"""Arithmetic: integers and exact decimals with every digit, numbers as doubles.

Integers are worked on in 64 bits where a bound on what comes out stays below 2**62, and otherwise
as Python's own, which never overflow. What then fits no cell of the kind is a blank, and said.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keen_trellis.base.language import tr
from keen_trellis.compute.formula.formula_values import (
    TOO_LARGE,
    Cells,
    Flags,
    Unfit,
    Working,
    by_distinct,
    made,
)
from keen_trellis.data import Column, Kind
from keen_trellis.data.column import (
    DIGITS_AT_MOST,
    halves,
    in_all_digits,
    narrow_exact,
    widened_exact,
)
from keen_trellis.data.conversions.conversion import converted, shown_decimal
from keen_trellis.data.dtypes import EXACT_DTYPE
from keen_trellis.data.stacking import extent

_FITS = 2**62
BY_ZERO = tr("division by zero")
NO_NUMBER = tr("a result that is no number")

_ROOM = {
    Kind.INTEGER: (-(2**63), 2**63),
    Kind.EXACT: (1 - 10**DIGITS_AT_MOST, 10**DIGITS_AT_MOST),
}
"""From which integer on, and below which one, a cell has room for it."""

Integers = NDArray[Any]  # of int64, or of Python's own


def add(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return sums; of a date and an integer, later dates."""
    if kind is Kind.DATE:
        return _day(arguments[0], arguments[1], 1, working)
    return _in_line(arguments, kind, working, np.add)


def subtract(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return differences, or the opposite of one amount; of dates, days or earlier dates."""
    if len(arguments) == 1:
        one = arguments[0].column
        if kind is Kind.NUMBER:
            return made(kind, -one.values, arguments, working.n)
        # The opposite of -2**63 leaves 64 bits; below half of them no opposite does.
        whole = -integers(one)[0] if _narrow(one) else -integers(one)[0].astype(object)
        return cut(kind, whole, one.scale, arguments, working)
    if kind is Kind.DATE:
        return _day(arguments[0], arguments[1], -1, working)
    if arguments[0].kind is Kind.DATE:
        # Days are kept in 32 bits, of which a difference may need one more.
        days = arguments[0].column.values.astype(np.int64) - arguments[1].column.values
        return made(kind, days, arguments, working.n)
    return _in_line(arguments, kind, working, np.subtract)


def multiply(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return products."""
    if kind is Kind.NUMBER:
        return _doubles(arguments, working, np.multiply)
    (a, a_scale), (b, b_scale) = (integers(one.column) for one in arguments)
    columns = [one.column for one in arguments]
    # Amounts of a column never pass its extent, so no product passes that of the extents.
    if extent_of(columns[0]) * extent_of(columns[1]) >= _FITS:
        a, b = a.astype(object), b.astype(object)
    return cut(kind, a * b, a_scale + b_scale, arguments, working)


def divide(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return quotients as numbers: of integers and exact decimals the double nearest to them."""
    exact = all(one.kind is not Kind.NUMBER for one in arguments)
    if not exact:
        a, b = (_as_doubles(one.column) for one in arguments)
        return _over(a, b, arguments, working)
    (a, a_scale), (b, b_scale) = (integers(one.column) for one in arguments)
    # A division of two doubles is rounded once, so its quotient is the nearest one exactly if both
    # sides are exact doubles: integers within 2^53, and powers of ten within 10^22.
    small = all(extent_of(one.column) <= 2**53 for one in arguments)
    if small and abs(a_scale - b_scale) <= 22:
        power = 10.0 ** abs(a_scale - b_scale)
        up = (a * power, b) if b_scale > a_scale else (a, b * power)
        if max(extent_of(one.column) for one in arguments) * power <= 2**53:
            return _over(up[0].astype(float), up[1].astype(float), arguments, working)
    return by_distinct(arguments, kind, working, _quotient)


def _quotient(a: Any, b: Any) -> Any:
    from fractions import Fraction

    if b == 0:
        return Unfit(BY_ZERO)
    try:
        return float(Fraction(a) / Fraction(b))
    except OverflowError:
        return Unfit(TOO_LARGE)


def _over(a: NDArray[Any], b: NDArray[Any], arguments: Sequence[Cells], working: Working) -> Cells:
    with np.errstate(all="ignore"):
        # What is divided by nothing is NaN, and told below by its own reason rather than as no
        # number.
        values = np.asarray(a / np.where(b == 0, np.nan, b))
    there = _there(arguments, values)
    working.fault(BY_ZERO, there & (np.broadcast_to(b, values.shape) == 0))
    return _numbers(values, arguments, working, said=np.broadcast_to(b, values.shape) == 0)


def whole_quotient(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return quotients without what is behind the mark, cut towards zero."""
    return _divided(arguments, kind, working, remainder=False)


def modulo(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return what is left over, with the sign of the first."""
    return _divided(arguments, kind, working, remainder=True)


def _divided(arguments: Sequence[Cells], kind: Kind, working: Working, remainder: bool) -> Cells:
    scale = max(one.column.scale for one in arguments)
    a, b = _one_scale(arguments, scale)
    zero = np.broadcast_to(np.asarray(b == 0, np.bool_), np.broadcast_shapes(a.shape, b.shape))
    b = np.where(np.asarray(b == 0, np.bool_), 1, b)
    # NumPy and Python divide towards minus infinity, SQL towards zero: so amounts are divided
    # without their signs, which are put back.
    found = np.sign(a) * np.sign(b) * (abs(a) // abs(b))
    if remainder:
        # What is left over takes the sign of the first, as the quotient was cut towards zero.
        found = a - found * b
    values = np.asarray(found)
    working.fault(BY_ZERO, _there(arguments, values) & zero)
    return cut(kind, values, scale if remainder else 0, arguments, working, zero)


def absolute(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return amounts without their sign."""
    column = arguments[0].column
    if kind is Kind.NUMBER:
        return made(kind, np.abs(column.values), arguments, working.n)
    whole = integers(column)[0]
    return cut(
        kind,
        abs(whole if _narrow(column) else whole.astype(object)),
        column.scale,
        arguments,
        working,
    )


def sign(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return -1, 0 or 1."""
    column = arguments[0].column
    whole = column.values if column.kind is Kind.NUMBER else integers(column)[0]
    # By comparisons, which Python's own integers in an array of objects have as well.
    values = (whole > 0).astype(np.int64) - (whole < 0).astype(np.int64)
    return made(kind, values, arguments, working.n)


def rounded(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return amounts rounded to some digits, halves away from zero."""
    return _to_digits(arguments, kind, working, half=True)


def cut_off(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return amounts without the digits behind some."""
    return _to_digits(arguments, kind, working, half=False)


def _to_digits(arguments: Sequence[Cells], kind: Kind, working: Working, half: bool) -> Cells:
    if kind is Kind.INTEGER:
        return arguments[0]
    amounts = _exactly(arguments[0], working)
    if len(arguments) == 1:
        return _at(amounts, 0, kind, working, half)
    if arguments[1].is_one and arguments[1].column.state is None:
        return _at(amounts, int(arguments[1].column.values[0]), kind, working, half)
    way = "ROUND_HALF_UP" if half else "ROUND_DOWN"
    return by_distinct(
        (amounts, arguments[1]), kind, working, lambda value, digits: _quantized(value, digits, way)
    )


def _quantized(value: Any, digits: int, way: str) -> Any:
    from decimal import Context

    if digits < -DIGITS_AT_MOST:
        return Decimal(0)
    if digits >= -int(Decimal(value).as_tuple().exponent):
        # it has no more digits than that, and zeros behind it would take room
        return Decimal(value)
    wide = Context(prec=200)
    cut_there = Decimal(value).quantize(Decimal(1).scaleb(-digits), way, wide)
    return wide.add(cut_there, 0)  # no -0; and not by `+`, which rounds to 28 digits


def _at(amounts: Cells, digits: int, kind: Kind, working: Working, half: bool) -> Cells:
    """Return exact decimals with so many digits behind the mark, or so many zeros before it."""
    whole, scale = integers(amounts.column)
    if digits >= scale:
        return cut(kind, whole, scale, (amounts,), working)
    drop = scale - digits
    # Beyond all digits that an amount has, on whichever side: the unit itself would only take time.
    if drop > 2 * DIGITS_AT_MOST:
        return cut(kind, whole * 0, 0, (amounts,), working)
    # Adding half a unit to the amount before it is divided rounds halves away from zero; the unit
    # is at least 10, so that its half is an integer.
    unit = 10**drop
    if extent_of(amounts.column) + unit >= _FITS:
        whole = whole.astype(object)
    size = abs(whole)
    found = np.sign(whole) * ((size + unit // 2) // unit if half else size // unit)
    if digits < 0:
        found = found.astype(object) * 10**-digits
    return cut(kind, found, max(digits, 0), (amounts,), working)


def ceiling(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return the next whole numbers above."""
    return _whole_numbers(arguments, kind, working, np.ceil, -1)


def floor(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return the next whole numbers below."""
    return _whole_numbers(arguments, kind, working, np.floor, 1)


def _whole_numbers(
    arguments: Sequence[Cells],
    kind: Kind,
    working: Working,
    of_doubles: Callable[..., Any],
    way: int,
) -> Cells:
    column = arguments[0].column
    if kind is Kind.NUMBER:
        return made(kind, of_doubles(column.values), arguments, working.n)
    whole, scale = integers(column)
    if not scale:
        return arguments[0]
    if 10**scale >= _FITS:
        whole = whole.astype(object)
    # Python and NumPy divide towards minus infinity, which is the floor; the ceiling is that of the
    # opposite.
    return cut(kind, way * (way * whole // 10**scale), 0, arguments, working)


def power(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return powers as numbers."""
    return _doubles(arguments, working, np.power)


def root(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return square roots as numbers."""
    return _doubles(arguments, working, np.sqrt)


def natural_logarithm(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return natural logarithms; a blank of zero and below."""
    return _doubles(arguments, working, lambda a: np.log(_above_zero(a)))


def exponential(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return powers of Euler's number."""
    return _doubles(arguments, working, np.exp)


def logarithm(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return logarithms to a base; whole ones are whole."""

    def work(base: NDArray[Any], a: NDArray[Any]) -> NDArray[Any]:
        base, a = _above_zero(base), _above_zero(a)
        found: NDArray[Any] = np.log(a) / np.where(base == 1, np.nan, np.log(base))
        # The quotient of 1000 and 10 is a hair below 3: where a whole power is the number itself,
        # that is the answer.
        near = np.rint(found)
        return np.where(np.power(base, near) == a, near, found)

    return _doubles(arguments, working, work)


def _above_zero(values: NDArray[Any]) -> NDArray[Any]:
    """Return numbers, and not a number for zero and below."""
    return np.where(values > 0, values, np.nan)


def integers(column: Column) -> tuple[Integers, int]:
    """Return integers beneath an integer or exact column, and their scale; 0 where absent."""
    if column.kind is Kind.INTEGER:
        values: Integers = column.values
    else:
        narrow = narrow_exact(column.values)
        values = narrow if narrow is not None else _own(column.values)
    if column.absent is not None:  # what lies beneath is never read
        values = np.where(column.absent, 0, values)
    return values, column.scale


def extent_of(column: Column) -> int:
    """Return the largest integer beneath a column, without its sign."""
    if column.kind is Kind.EXACT:
        return extent(column)
    held = column.values if column.absent is None else column.values[~column.absent]
    return max(int(held.max()), -int(held.min())) if len(held) else 0


def _narrow(column: Column) -> bool:
    return extent_of(column) < _FITS


def _own(values: NDArray[Any]) -> Integers:
    low, high = values["lo"].tolist(), values["hi"].tolist()
    found = np.empty(len(values), object)  # filled after: np.array would take small ones as int64
    found[:] = [(h << 64) + lo for h, lo in zip(high, low, strict=True)]
    return found


def cut(
    kind: Kind,
    whole: Integers,
    scale: int,
    arguments: Sequence[Cells],
    working: Working,
    blank: Flags | None = None,
) -> Cells:
    """Return integers of a scale as a column; a blank, and a fault, where the kind has no room."""
    # `whole` is of int64, where whoever worked it out has shown that nothing left 64 bits, or of
    # Python's own integers: only these can be beyond what a cell holds.
    whole = np.asarray(whole)
    low, limit = _ROOM[kind]
    while scale > DIGITS_AT_MOST:  # only zeros may go there
        whole, scale = _without_zero(whole.astype(object)), scale - 1
    if whole.dtype == object:
        over = np.array([one is None or not low <= one < limit for one in whole.tolist()], np.bool_)
        if over.any():
            working.fault(TOO_LARGE, _there(arguments, whole) & over)
            whole = np.where(over, 0, whole)
            blank = over if blank is None else blank | over
    if kind is Kind.INTEGER:
        return made(kind, whole.astype(np.int64), arguments, working.n, blank)
    if whole.dtype == object:
        values = np.array([halves(int(one)) for one in whole.tolist()], EXACT_DTYPE)
    else:
        values = widened_exact(whole)
    return made(kind, values, arguments, working.n, blank, scale)


def _without_zero(whole: Integers) -> Integers:
    found = np.empty(len(whole), object)
    found[:] = [None if one is None or one % 10 else one // 10 for one in whole.tolist()]
    return found


def _there(arguments: Sequence[Cells], values: NDArray[Any]) -> Flags:
    """Return where all arguments have a value."""
    n = len(values)
    found = np.ones(n, np.bool_)
    for one in arguments:
        absent = one.column.absent
        if absent is not None:
            found = found & ~absent
    return found


def _one_scale(arguments: Sequence[Cells], scale: int) -> list[Integers]:
    """Return integers of one scale, in 64 bits where no sum of two can leave them."""
    found = []
    # Each amount stays below half of what 64 bits hold, so that the sum of any two fits.
    for one in arguments:
        whole, own = integers(one.column)
        factor = 10 ** (scale - own)
        if factor >= _FITS or extent_of(one.column) * factor >= _FITS // 2:
            whole = whole.astype(object)
        found.append(whole * factor if factor > 1 else whole)
    return found


def _in_line(
    arguments: Sequence[Cells], kind: Kind, working: Working, work: Callable[..., Any]
) -> Cells:
    if kind is Kind.NUMBER:
        return _doubles(arguments, working, work)
    scale = max(one.column.scale for one in arguments)
    a, b = _one_scale(arguments, scale)
    return cut(kind, work(a, b), scale, arguments, working)


def _as_doubles(column: Column) -> NDArray[np.float64]:
    """Return amounts as the doubles nearest to them."""
    if column.kind is Kind.NUMBER:
        return column.values
    whole, scale = integers(column)
    if extent_of(column) <= 2**53 and scale <= 22:
        values: NDArray[np.float64] = whole / 10.0**scale
        return values
    from fractions import Fraction

    return np.array([float(Fraction(one, 10**scale)) for one in whole.tolist()], np.float64)


def _doubles(arguments: Sequence[Cells], working: Working, work: Callable[..., Any]) -> Cells:
    with np.errstate(all="ignore"):
        values = np.asarray(work(*(_as_doubles(one.column) for one in arguments)))
    return _numbers(values, arguments, working)


def _numbers(
    values: NDArray[Any], arguments: Sequence[Cells], working: Working, said: Flags | None = None
) -> Cells:
    """Return doubles; what is none is a blank, and infinity where nothing was infinite is said."""
    there = _there(arguments, values)
    nan = np.isnan(values)
    over = np.isinf(values)
    if over.any():  # only what became infinite here is a fault: what came so is a value
        for one in arguments:
            if one.kind is Kind.NUMBER:
                over = over & ~np.isinf(np.broadcast_to(one.column.values, values.shape))
    unsaid = nan if said is None else nan & ~said
    working.fault(NO_NUMBER, there & unsaid)
    working.fault(TOO_LARGE, there & over)
    # What lies beneath a blank is fixed, so that equal columns are equal byte by byte.
    values = np.where(nan | over, 0.0, values)
    return made(Kind.NUMBER, values, arguments, working.n, nan | over)


def _exactly(amounts: Cells, working: Working) -> Cells:
    """Return amounts as exact decimals: doubles as the decimals that they are shown as."""
    if amounts.kind is not Kind.NUMBER:
        return amounts
    found = converted(amounts.column, Kind.EXACT)
    if len(found.lost):
        return by_distinct((amounts,), Kind.EXACT, working, _exact_double)
    return Cells(found.column, amounts.is_one)


def _exact_double(value: float) -> Any:
    """Return a double as the decimal that it is shown as; 19 digits on either side of the mark."""
    half = DIGITS_AT_MOST // 2
    # 38 digits are shared out evenly, so that all values of a column can have one scale.
    if not math.isfinite(value) or abs(value) >= 10**half:
        return Unfit(TOO_LARGE)
    with in_all_digits():
        return round(shown_decimal(value), half)


def _day(date: Cells, days: Cells, way: int, working: Working) -> Cells:
    from keen_trellis.compute.formula.moments import days_later

    amount = days.column
    return days_later(
        date, Cells(Column(amount.kind, way * amount.values, amount.state), days.is_one), working
    )
