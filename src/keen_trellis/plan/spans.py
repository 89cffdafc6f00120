"""Spans of the calendar that dates and date-times can be taken by."""

from __future__ import annotations

from typing import Literal, get_args

Span = Literal["day", "week", "month", "quarter", "year"]
"""Weeks begin on Monday, as in ISO 8601."""

SPANS: tuple[Span, ...] = get_args(Span)
