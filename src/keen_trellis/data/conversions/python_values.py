"""Columns of Python values, as sheets and databases give them: one kind each, oddities said."""

from __future__ import annotations

import datetime as dt
import json
import uuid
from collections import Counter
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

import numpy as np

from keen_trellis.base.language import tr
from keen_trellis.data import Column, Kind
from keen_trellis.data.conversions.conversion import in_common_kind
from keen_trellis.data.conversions.not_numbers import not_numbers
from keen_trellis.data.conversions.noticed import Noticed
from keen_trellis.data.stacking import fill_blanks

_LARGEST_EXACT_FLOAT = 2**53
_DAY = dt.timedelta(days=1)
_MIDNIGHT = dt.datetime(2000, 1, 1)


def column_of_values(values: Sequence[Any], name: str) -> tuple[Column, list[Noticed]]:
    """Return values as a column of one kind, None being a blank; mixed ones all become text.

    Durations become times of day where all are shorter than a day, or else numbers of hours.
    """
    types = set(map(type, values)) - {type(None)}
    if not types or types == {str}:
        return Column.of(values, Kind.TEXT), []
    if types == {bool}:
        return Column.of(values, Kind.BOOLEAN), []
    if types == {int}:
        return Column.of(values), []
    if types <= {int, float}:
        return _numbers(values, name)
    if types <= {int, Decimal}:
        return _decimals(values, name)
    if types == {dt.date}:
        return Column.of(values, Kind.DATE), []
    if types <= {dt.date, dt.datetime}:
        return _dates(values), []
    zoned = sum(isinstance(v, dt.time) and v.tzinfo is not None for v in values)
    if zoned:
        shown = Column.of([None if v is None else str(v) for v in values], Kind.TEXT)
        text = tr(
            "“{name}” holds times of a time zone, which no time of ours has: read as text.",
            name=name,
        )
        return shown, [Noticed(text, zoned)]
    if types <= {dt.time, dt.timedelta}:
        return _times(values, name)
    return Column.of([None if v is None else value_text(v) for v in values], Kind.TEXT), []


def value_text(value: Any) -> str:
    """Return a value as text, the way a sheet shows it."""
    match value:
        case None:
            return ""
        case bool():
            return "true" if value else "false"
        case float() if value.is_integer() and abs(value) <= _LARGEST_EXACT_FLOAT:
            return str(int(value))
        case dt.datetime():
            return value.isoformat(" ").removesuffix(" 00:00:00")
        case dict() | list() | tuple():
            return json.dumps(value, ensure_ascii=False, default=value_text)
        case uuid.UUID():
            return str(value)
        case _:
            return str(value)


def _numbers(values: Sequence[float | None], name: str) -> tuple[Column, list[Noticed]]:
    """Return numbers, as whole ones where all of them are and lose nothing by it."""
    state = None
    doubles: Sequence[Any] = values
    if None in values:
        state = np.fromiter((v is None for v in values), np.uint8, len(values))  # 1 is BLANK
        doubles = [0.0 if v is None else v for v in values]
    try:
        numbers = np.array(doubles, np.float64)
        is_large = bool((np.abs(numbers) >= _LARGEST_EXACT_FLOAT).any())
    except OverflowError:  # an integer of more than 308 digits
        is_large = True
    # an integer is above what every double holds only where its nearest double is as well
    if is_large and any(isinstance(v, int) and abs(v) > _LARGEST_EXACT_FLOAT for v in values):
        parts = [[v if isinstance(v, kind) else None for v in values] for kind in (int, float)]
        both = in_common_kind([Column.of(part) for part in parts])
        whole = fill_blanks(*both)
        if whole.kind is Kind.NUMBER:
            return whole, []
        text = tr(
            "“{name}” holds integers that no double holds beside others: {kind}.",
            name=name,
            kind=whole.kind,
        )
        return whole, [Noticed(text)]
    whole_ones = (np.abs(numbers) <= _LARGEST_EXACT_FLOAT) & (numbers == np.floor(numbers))
    if bool(whole_ones.all()):
        return Column(Kind.INTEGER, numbers.astype(np.int64), state), []
    missing = np.isnan(numbers)
    if not missing.any():
        return Column(Kind.NUMBER, numbers, state), []
    state = missing.astype(np.uint8) if state is None else state | missing
    return Column(Kind.NUMBER, numbers, state), [not_numbers(int(missing.sum()), "NaN", name)]


def _decimals(values: Sequence[Any], name: str) -> tuple[Column, list[Noticed]]:
    """Return exact decimals; what is not a number, or infinite, becomes a blank and is said."""
    odd = [v for v in values if isinstance(v, Decimal) and not v.is_finite()]
    finite = [None if isinstance(v, Decimal) and not v.is_finite() else v for v in values]
    said = [not_numbers(found, one, name) for one, found in Counter(map(str, odd)).items()]
    try:
        return Column.of(finite, Kind.EXACT), said
    except (TypeError, ArithmeticError):  # as text NaN and infinity stay, and nothing is lost
        shown = [None if v is None else format(v, "f") for v in values]
        text = tr("“{name}” has numbers with more than 38 digits; it is read as text.", name=name)
        return Column.of(shown, Kind.TEXT), [Noticed(text, len(shown) - shown.count(None))]


def _dates(values: Sequence[dt.date | None]) -> Column:
    moments = [_moment(value) for value in values]
    if all(m is None or m.time() == dt.time.min for m in moments):
        return Column.of([None if m is None else m.date() for m in moments], Kind.DATE)
    return Column.of(moments, Kind.DATE_TIME)


def _moment(value: dt.date | None) -> dt.datetime | None:
    if isinstance(value, dt.datetime):
        return value.replace(tzinfo=None)
    return None if value is None else dt.datetime.combine(value, dt.time.min)


def _times(values: Sequence[Any], name: str) -> tuple[Column, list[Noticed]]:
    spans = [_span(value) for value in values]
    if all(s is None or dt.timedelta(0) <= s < _DAY for s in spans):
        times = [None if s is None else (_MIDNIGHT + s).time() for s in spans]
        return Column.of(times, Kind.TIME), []
    hours = [None if s is None else s / dt.timedelta(hours=1) for s in spans]
    text = tr("“{name}” holds durations of a day and more; they are read as hours.", name=name)
    return Column.of(hours, Kind.NUMBER), [Noticed(text)]


def _span(value: Any) -> dt.timedelta | None:
    if isinstance(value, dt.time):
        return dt.datetime.combine(_MIDNIGHT.date(), value.replace(tzinfo=None)) - _MIDNIGHT
    return value if isinstance(value, dt.timedelta) else None
