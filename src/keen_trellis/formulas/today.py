"""CURRENT_DATE: one day for all that is worked out together."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_today: ContextVar[dt.date | None] = ContextVar("today", default=None)


def today() -> dt.date:
    """Return the day that formulas take for today."""
    return _today.get() or dt.date.today()


@contextmanager
def one_day() -> Iterator[dt.date]:
    """Let CURRENT_DATE be one day for all that is read within, however long it takes."""
    day = dt.date.today()
    token = _today.set(day)
    try:
        yield day
    finally:
        _today.reset(token)
