"""Values put into groups: spans of the calendar, and spans of numbers."""

from __future__ import annotations

from contextlib import AbstractContextManager
from decimal import Context, Decimal, localcontext

import numpy as np
from numpy.typing import NDArray

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.data import Column, Kind
from keen_trellis.data.column import MICROSECONDS_A_DAY, exact_values
from keen_trellis.plan.spans import Span

_NARROWEST = Decimal("1e-100")

_MONTHS = {"month": 1, "quarter": 3, "year": 12}
_MONDAY = 3
"""1970-01-01 was a Thursday, so that three days later weeks would begin on a Thursday, too."""


def span_of_days(column: Column, span: Span) -> Column:
    """Return the first day of the span that each date or date-time is in; weeks begin on Monday.

    Weeks are those of ISO 8601. Blanks and gaps stay what they are.

    Raises
    ------
    LinkError
        The column holds neither dates nor date-times.
    """
    days = _days(column)
    if span == "week":
        days = days - (days + _MONDAY) % 7
    elif span in _MONTHS:
        months = days.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)
        months -= months % _MONTHS[span]
        days = months.astype("datetime64[M]").astype("datetime64[D]").astype(np.int64)
    return Column(Kind.DATE, days.astype(np.int32), column.state)


def _days(column: Column) -> NDArray[np.int64]:
    if column.kind is Kind.DATE_TIME:
        return column.values.astype(np.int64) // MICROSECONDS_A_DAY
    if column.kind is not Kind.DATE:
        raise LinkError(
            tr("There are no months or years in a column of kind {kind}.", kind=column.kind),
            tr("Group by its values, or change its kind to date first."),
        )
    return column.values.astype(np.int64)


def span_words(first: np.datetime64, span: Span) -> str:
    """Return a span as it is shown: 2026-01, 2026 Q1, 2026-W05, 2026.

    >>> span_words(np.datetime64("2026-01-01"), "quarter")
    '2026 Q1'
    """
    day = str(first)
    year, month = day.rsplit("-", 2)[:2]
    match span:
        case "year":
            return year
        case "month":
            return f"{year}-{month}"
        case "quarter":
            return f"{year} Q{(int(month) + 2) // 3}"
        case "week":
            # a week is of the year that its Thursday is in (ISO 8601, 3.1.1.23)
            thursday = first + np.timedelta64(3, "D")
            of_year = thursday.astype("datetime64[Y]")
            number = (thursday - of_year.astype("datetime64[D]")).astype(int) // 7 + 1
            return f"{of_year}-W{number:02d}"
        case _:
            return day


def span_of_numbers(column: Column, width: Decimal) -> Column:
    """Return the lower end of the span that each number is in: the largest multiple up to it.

    Integers and exact decimals give exact decimals, numbers give numbers: a number is in the span
    that the decimal is in which it is shown as, so that 0.3 is none of “0.2 to under 0.3”.

    Raises
    ------
    LinkError
        The column holds no numbers, or the width is beyond all that is counted.
    """
    if not _NARROWEST <= width <= 1 / _NARROWEST:
        raise LinkError(
            tr("No number is in a span of {width}.", width=width),
            tr("Type a width between 1e-100 and 1e100."),
        )
    if not column.kind.is_numeric:
        raise LinkError(
            tr("There are no spans of numbers in a column of kind {kind}.", kind=column.kind),
            tr("Group by its values."),
        )
    if column.kind is Kind.NUMBER:
        values = column.values.copy()
        held = (
            np.isfinite(values) if column.absent is None else np.isfinite(values) & ~column.absent
        )
        distinct, places = np.unique(values[held], return_inverse=True)
        values[held] = _lower_numbers(distinct, width)[places]
        return Column(Kind.NUMBER, values, column.state)
    # every distinct value once: there are far fewer of them than rows, or the report is unreadable
    distinct, places = np.unique(column.values, return_inverse=True)
    whole = Column(column.kind, distinct, scale=column.scale).to_list()
    with _in_all_digits():
        lower_ends = [_spans_below(Decimal(value), width) * width for value in whole]
    values, fits, scale = exact_values(lower_ends)
    if not bool(fits.all()):
        raise LinkError(
            tr("A span begins at a number of more than 38 digits."), tr("Widen the spans.")
        )
    return Column(Kind.EXACT, values[places], column.state, scale=scale)


def _lower_numbers(distinct: NDArray[np.float64], width: Decimal) -> NDArray[np.float64]:
    """Return the lower end of the span of each number; all are finite.

    A quotient of doubles is off by less than 1e-15 of itself, so that it tells in which span a
    number is unless it is next to an integer, or so large that all are: there, decimals tell.
    """
    with np.errstate(over="ignore", invalid="ignore"):  # infinite, it is for decimals to tell
        quotients = distinct / float(width)
        unsure = ~(np.abs(quotients - np.rint(quotients)) > 1e-9 * np.maximum(1, np.abs(quotients)))
    spans, places = np.unique(np.floor(quotients[~unsure]), return_inverse=True)
    lower = np.empty(len(distinct), np.float64)
    with _in_all_digits():
        lower[~unsure] = np.array([float(int(n) * width) for n in spans.tolist()])[places]
        lower[unsure] = [
            float(_spans_below(Decimal(repr(value)), width) * width)
            for value in distinct[unsure].tolist()
        ]
    return lower


def _in_all_digits() -> AbstractContextManager[Context]:
    """Return a context that holds the most spans there can be: 1e308 of the narrowest ones."""
    return localcontext(Context(prec=500))


def _spans_below(value: Decimal, width: Decimal) -> Decimal:
    """Return the largest integer that, times the width, is not above a value."""
    towards_zero = value // width
    return towards_zero - 1 if towards_zero * width > value else towards_zero
