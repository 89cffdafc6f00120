"""Values put into groups: spans of the calendar, and spans of numbers."""

from __future__ import annotations

from decimal import Decimal
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from keen_trellis.data import Column, Kind
from keen_trellis.data.column import MICROSECONDS_A_DAY, exact_values, in_all_digits
from keen_trellis.errors import LinkError

Span = Literal["day", "week", "month", "quarter", "year"]

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
            f"There are no months or years in a column of kind {column.kind}.",
            "Group by its values, or change its kind to date first.",
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

    Integers and exact decimals give exact decimals, numbers give numbers.

    Raises
    ------
    LinkError
        The column holds no numbers.
    """
    if not column.kind.is_numeric:
        raise LinkError(
            f"There are no spans of numbers in a column of kind {column.kind}.",
            "Group by its values.",
        )
    if column.kind is Kind.NUMBER:
        held = np.where(np.isfinite(column.values), column.values, 0.0)
        lower = np.floor(held / float(width)) * float(width)
        return Column(
            Kind.NUMBER, np.where(np.isfinite(column.values), lower, column.values), column.state
        )
    # every distinct value once: there are far fewer of them than rows, or the report is unreadable
    distinct, places = np.unique(column.values, return_inverse=True)
    whole = Column(column.kind, distinct, scale=column.scale).to_list()
    with in_all_digits():
        lower_ends = [Decimal(v) // width * width for v in whole]  # towards zero
        lower_ends = [
            low - width if v < 0 and low != v else low
            for v, low in zip(whole, lower_ends, strict=True)
        ]
    values, fits, scale = exact_values(lower_ends)
    if not bool(fits.all()):
        raise LinkError("A span begins at a number of more than 38 digits.", "Widen the spans.")
    return Column(Kind.EXACT, values[places], column.state, scale=scale)
