"""Dates, date-times and times: parts of them, their beginnings, and what is later by a span.

Dates are days since 1970-01-01, date-times microseconds since then, as the columns hold them. NumPy
keeps to the Gregorian calendar for all years (as ISO 8601 does).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keen_trellis.base.language import tr
from keen_trellis.compute.formula.formula_values import Cells, Working, made
from keen_trellis.data import Kind
from keen_trellis.data.column import MICROSECONDS_A_DAY, widened_exact

_SECOND = 1_000_000
_SECONDS_A_DAY = 86_400
_FIRST_DAY, _LAST_DAY = (
    int(np.datetime64(day, "D").astype(int)) for day in ("0001-01-01", "9999-12-31")
)
OUT_OF_REACH = tr("a date before the year 1 or after 9999")

Days = NDArray[np.int64]


def extracted(
    arguments: Sequence[Cells], kind: Kind, working: Working, settings: Sequence[str]
) -> Cells:
    """Return a part of dates or times: integers, but seconds with their six digits."""
    part = settings[0]
    days, rest = _apart(arguments[0])
    if part == "SECOND":
        seconds = widened_exact(rest % (60 * _SECOND))
        return made(kind, seconds, arguments, working.n, scale=6)
    parts: dict[str, Callable[[], NDArray[Any]]] = {
        "HOUR": lambda: rest // (3600 * _SECOND),
        "MINUTE": lambda: rest // (60 * _SECOND) % 60,
        "YEAR": lambda: _months(days) // 12 + 1970,
        "QUARTER": lambda: _months(days) % 12 // 3 + 1,
        "MONTH": lambda: _months(days) % 12 + 1,
        "DAY": lambda: days - _first_days(_months(days)) + 1,
        "DOY": lambda: days - _first_days(_months(days) // 12 * 12) + 1,
        "DOW": lambda: (days + 4) % 7,  # 1970-01-01 was a Thursday; Sunday is 0
        "ISODOW": lambda: (days + 3) % 7 + 1,
        "WEEK": lambda: _week(days),
    }
    return made(kind, parts[part]().astype(np.int64), arguments, working.n)


def _week(days: Days) -> Days:
    """Return the week of ISO 8601: that of its Thursday, counted from the first of its year."""
    thursday = days - (days + 3) % 7 + 3
    return (thursday - _first_days(_months(thursday) // 12 * 12)) // 7 + 1


def beginnings(arguments: Sequence[Cells], kind: Kind, working: Working, unit: str) -> Cells:
    """Return the first day, or the first microsecond, of the unit that each lies in."""
    days, rest = _apart(arguments[0])
    if unit in ("hour", "minute", "second"):
        size = {"hour": 3600, "minute": 60, "second": 1}[unit] * _SECOND
        rest = rest // size * size
    else:
        rest = rest * 0
        months = _months(days)
        firsts: dict[str, Callable[[], Days]] = {
            "year": lambda: _first_days(months // 12 * 12),
            "quarter": lambda: _first_days(months // 3 * 3),
            "month": lambda: _first_days(months),
            "week": lambda: days - (days + 3) % 7,
            "day": lambda: days,
        }
        days = firsts[unit]()
    return _put_together(days, rest, kind, arguments, working)


def months_later(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return dates so many months later: the same day, or the last one of a shorter month."""
    days, rest = _apart(arguments[0])
    months = _months(days)
    more = np.clip(_whole(arguments[1]), -120_000, 120_000)  # any more leave the calendar as well
    later = months + more
    last = _first_days(later + 1) - _first_days(later) - 1
    days = _first_days(later) + np.minimum(days - _first_days(months), last)
    return _put_together(days, rest, kind, arguments, working)


def days_later(date: Cells, more: Cells, working: Working) -> Cells:
    """Return dates or date-times so many days later."""
    days, rest = _apart(date)
    later = days + np.clip(_whole(more), -4_000_000, 4_000_000)
    return _put_together(later, rest, date.kind, (date, more), working)


def seconds_later(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return times so many seconds later, round the clock; dates and date-times as date-times."""
    days, rest = _apart(arguments[0])
    seconds = _whole(arguments[1])
    if kind is Kind.TIME:
        round_the_clock = rest + seconds % _SECONDS_A_DAY * _SECOND
        return made(kind, round_the_clock % MICROSECONDS_A_DAY, arguments, working.n)
    more = np.clip(seconds, -(2**43), 2**43) * _SECOND  # below 2**63, beyond 9999
    rest = rest + more % MICROSECONDS_A_DAY
    days = days + more // MICROSECONDS_A_DAY + rest // MICROSECONDS_A_DAY
    return _put_together(days, rest % MICROSECONDS_A_DAY, kind, arguments, working)


def _whole(amount: Cells) -> NDArray[np.int64]:
    column = amount.column
    return column.values if column.absent is None else np.where(column.absent, 0, column.values)


def _apart(moments: Cells) -> tuple[Days, NDArray[np.int64]]:
    """Return days and the microseconds of the day; a time alone lies on the first day."""
    column = moments.column
    values = column.values.astype(np.int64)
    if column.absent is not None:
        values = np.where(column.absent, 0, values)
    if column.kind is Kind.DATE:
        return values, np.zeros_like(values)
    return values // MICROSECONDS_A_DAY, values % MICROSECONDS_A_DAY


def _put_together(
    days: Days, rest: NDArray[Any], kind: Kind, arguments: Sequence[Cells], working: Working
) -> Cells:
    days, rest = np.broadcast_arrays(days, rest)
    beyond = (days < _FIRST_DAY) | (days > _LAST_DAY)
    if beyond.any():
        there = np.ones(len(days), np.bool_)
        for one in arguments:
            if one.column.absent is not None:
                there = there & ~one.column.absent
        working.fault(OUT_OF_REACH, beyond & there)
        days = np.where(beyond, 0, days)
    if kind is Kind.DATE:
        return made(kind, days.astype(np.int32), arguments, working.n, beyond)
    return made(kind, days * MICROSECONDS_A_DAY + rest, arguments, working.n, beyond)


def _months(days: Days) -> NDArray[np.int64]:
    """Return the months since January 1970."""
    return days.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)


def _first_days(months: NDArray[np.int64]) -> Days:
    return months.astype("datetime64[M]").astype("datetime64[D]").astype(np.int64)
