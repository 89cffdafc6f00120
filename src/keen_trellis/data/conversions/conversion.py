"""How values of one kind become values of another: the one way for reading, matching, stacking.

Nothing is rounded, cut or made blank without being said: what the other kind cannot hold is lost
by name, row for row.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from keen_trellis.data.column import (
    MICROSECONDS_A_DAY,
    Column,
    exact_values,
    from_arrow,
    narrow_exact,
    widened_exact,
)
from keen_trellis.data.conversions.text_parsing import column_of_texts, values_of_texts
from keen_trellis.data.conversions.written_forms import SAMPLE, Written, evidence, settle
from keen_trellis.data.dictionaries import some_of
from keen_trellis.data.dtypes import DTYPES
from keen_trellis.data.kinds import Kind, holding
from keen_trellis.data.stacking import common_scale, rescaled
from keen_trellis.data.states import BLANK, PRESENT

WHOLE_IN_A_DOUBLE = 2**53
"""Up to here every integer is a double of its own (IEEE 754: 53 bits of significand)."""

DIGITS_IN_A_DOUBLE = 10**15
"""Decimals of so many digits come back from the double nearest to them (15.95 digits)."""

LARGEST_EXACT_POWER = 22
"""10**22 is the largest power of ten that is a double; dividing by it rounds only once."""

Rows = NDArray[np.int64]
_NOTHING: Rows = np.zeros(0, np.int64)


@dataclass(frozen=True, slots=True, eq=False)
class Converted:
    """A column in another kind.

    Attributes
    ----------
    column : Column
    lost : ndarray of row numbers
        The rows whose value the kind cannot hold; they are blanks now.
    cut : ndarray of row numbers
        The rows that keep only a part of their value: the day of a moment that is not midnight.
    """

    column: Column
    lost: Rows
    cut: Rows = field(default_factory=lambda: _NOTHING)


def converted(column: Column, kind: Kind, written: Written | None = None) -> Converted:
    """Return a column in another kind; blanks and gaps stay what they are.

    Texts are read once per distinct text. A date-time becomes the date of its day, which cuts off
    a time of day that is not midnight; a text with such a time is no date. A number becomes the
    exact decimal that it is shown as, and the other way round.

    Parameters
    ----------
    column, kind
    written : Written, optional
        How numbers and dates are written in texts; what the texts themselves leave no doubt of
        where it is not given.
    """
    if column.kind is kind:
        return Converted(column, _NOTHING)
    if kind is Kind.TEXT:
        if column.kind is Kind.NUMBER:  # values that are equal become one text: -0 is 0
            column = Column(column.kind, column.values + 0.0, column.state)
        texts = from_arrow(column.texts())
        told = Column(kind, texts.values, column.state, texts.dictionary, declared=True)
        return Converted(told, _NOTHING)
    direct = _DIRECT.get((column.kind, kind))
    if direct is not None:
        values, fits, scale = direct(column)
        made = _with_lost(column, Column(kind, values, None, scale=scale), fits)
        is_cut = column.kind is Kind.DATE_TIME and kind is Kind.DATE
        return replace(made, cut=_with_time(column)) if is_cut else made
    texts = column if column.kind is Kind.TEXT else from_arrow(column.texts())
    assert texts.dictionary is not None
    read = texts_as(texts.dictionary, kind, written or certainly_written(texts))
    spread = read.take(texts.values)  # -1 becomes a gap, which the column's own state covers
    fits = np.ones(len(column), np.bool_) if spread.absent is None else ~spread.absent
    return _with_lost(column, Column(kind, spread.values, None, scale=spread.scale), fits)


def texts_as(texts: pa.StringArray, kind: Kind, written: Written) -> Column:
    """Return texts as values of a kind, all at once where all of them are well written."""
    at_once = column_of_texts(pa.chunked_array([texts]), written)
    if at_once.kind is kind:
        return at_once
    if (at_once.kind, kind) in _DIRECT:
        made = converted(at_once, kind)
        if not len(made.lost) and not len(made.cut):
            return made.column
    return values_of_texts(texts, kind, written)


def in_common_kind(columns: Sequence[Column], planned: Kind | None = None) -> list[Column]:
    """Return columns in the narrowest kind that holds the values of all of them.

    A column of blanks alone takes the kind of the others. Where no kind of numbers holds every
    digit, all become text. A kind that was planned before there were values is kept to as long as
    it holds them.
    """
    kinds = {column.kind for column in columns if column.count(PRESENT)}
    if not kinds:
        kinds = {column.kind for column in columns}
    kind = holding(kinds) if planned is None else planned
    candidates = (kind, Kind.EXACT) if kind is Kind.NUMBER else (kind,)
    for candidate in candidates:
        made = [converted(column, candidate) for column in columns]
        if not any(len(one.lost) for one in made):
            together = [one.column for one in made]
            scale = common_scale(together)
            if scale is not None:
                return [rescaled(column, scale) for column in together]
    return [converted(column, Kind.TEXT).column for column in columns]


def by_day(column: Column) -> Column:
    """Return dates; of date-times their day."""
    return converted(column, Kind.DATE).column


def shown_decimal(number: float) -> Decimal:
    """Return the decimal that a double is shown as: the shortest that no other double is nearer."""
    return Decimal(repr(number))


def certainly_written(column: Column) -> Written:
    """Return how texts are written where they leave no doubt, and else the way of standards.

    By what the rows hold, each text once, and not by their order nor by texts of rows that went:
    the same rows are read alike wherever they come from.
    """
    assert column.dictionary is not None
    is_there = np.zeros(len(column.dictionary) + 1, np.bool_)  # the absent code finds the last
    is_there[column.values] = True
    texts = column.dictionary.filter(pa.array(is_there[:-1]))
    found = settle([evidence(pa.chunked_array([texts]), some_of(texts, SAMPLE).to_pylist())])
    return Written() if found.guessed else found


def _with_lost(before: Column, made: Column, fits: NDArray[np.bool_] | None) -> Converted:
    """Return converted values with the states of before, and blanks where one does not fit."""
    had = np.ones(len(before), np.bool_) if before.absent is None else ~before.absent
    lost = _NOTHING if fits is None else np.flatnonzero(had & ~fits)
    state = before.state
    if len(lost):
        state = np.zeros(len(before), np.uint8) if state is None else state.copy()
        state[lost] = BLANK
    return Converted(Column(made.kind, made.values, state, scale=made.scale), lost)


_Made = tuple[NDArray[Any], NDArray[np.bool_] | None, int]
"""Values, which of them fit (None: all), the scale."""


def _whole_to_exact(column: Column) -> _Made:
    return widened_exact(column.values), None, 0


def _whole_to_number(column: Column) -> _Made:
    values = column.values.astype(np.float64)
    fits = (column.values <= WHOLE_IN_A_DOUBLE) & (column.values >= -WHOLE_IN_A_DOUBLE)
    for row in np.flatnonzero(~fits).tolist():  # 2**63 is a double, shown with other digits
        fits[row] = shown_decimal(float(values[row])) == int(column.values[row])
    return values, fits, 0


def _exact_to_whole(column: Column) -> _Made:
    narrow = narrow_exact(column.values)
    if narrow is None or column.scale > 18:  # 10**19 is no int64
        return _one_by_one(column, Kind.INTEGER, _whole_of)
    whole = narrow // 10**column.scale
    return whole, whole * 10**column.scale == narrow, 0


def _exact_to_number(column: Column) -> _Made:
    narrow = narrow_exact(column.values)
    if narrow is None or column.scale > LARGEST_EXACT_POWER:
        return _one_by_one(column, Kind.NUMBER, _number_of)
    limit = DIGITS_IN_A_DOUBLE if column.scale else WHOLE_IN_A_DOUBLE
    if not bool(((narrow <= limit) & (narrow >= -limit)).all()):
        return _one_by_one(column, Kind.NUMBER, _number_of)
    return narrow / 10.0**column.scale, None, 0  # both are doubles, so this rounds once


def _number_to_whole(column: Column) -> _Made:
    values = column.values
    whole_ones = (values == np.floor(values)) & np.isfinite(values)
    fits = whole_ones & (np.abs(values) <= WHOLE_IN_A_DOUBLE)
    whole = np.where(fits, values, 0.0).astype(np.int64)
    for row in np.flatnonzero(whole_ones & ~fits).tolist():
        shown = _whole_of(shown_decimal(float(values[row])))
        if shown is not None:
            whole[row], fits[row] = shown, True
    return whole, fits, 0


def _number_to_exact(column: Column) -> _Made:
    distinct, places = np.unique(column.values, return_inverse=True)
    decimals = [shown_decimal(v) if math.isfinite(v) else None for v in distinct.tolist()]
    values, fits, scale = exact_values(decimals)
    return values[places], fits[places], scale


def _date_to_moment(column: Column) -> _Made:
    return column.values.astype(np.int64) * MICROSECONDS_A_DAY, None, 0


def _with_time(column: Column) -> Rows:
    """Return the rows of date-times that are not midnight."""
    has_time = column.values % MICROSECONDS_A_DAY != 0
    return np.flatnonzero(has_time if column.absent is None else has_time & ~column.absent)


def _moment_to_date(column: Column) -> _Made:
    return (column.values // MICROSECONDS_A_DAY).astype(DTYPES[Kind.DATE]), None, 0


_DIRECT: dict[tuple[Kind, Kind], Callable[[Column], _Made]] = {
    (Kind.INTEGER, Kind.EXACT): _whole_to_exact,
    (Kind.INTEGER, Kind.NUMBER): _whole_to_number,
    (Kind.EXACT, Kind.INTEGER): _exact_to_whole,
    (Kind.EXACT, Kind.NUMBER): _exact_to_number,
    (Kind.NUMBER, Kind.INTEGER): _number_to_whole,
    (Kind.NUMBER, Kind.EXACT): _number_to_exact,
    (Kind.DATE, Kind.DATE_TIME): _date_to_moment,
    (Kind.DATE_TIME, Kind.DATE): _moment_to_date,
}


def _one_by_one(column: Column, kind: Kind, read: Callable[[Decimal], Any]) -> _Made:
    """Return values of wide exact decimals, each distinct one looked at once."""
    known: dict[Decimal, Any] = {}
    made = np.zeros(len(column), DTYPES[kind])
    fits = np.zeros(len(column), np.bool_)
    for row, value in enumerate(column.to_list()):
        if value is not None:
            if value not in known:
                known[value] = read(value)
            fits[row] = known[value] is not None
            made[row] = known[value] or 0
    return made, fits, 0


def _whole_of(value: Decimal) -> int | None:
    whole = int(value)
    return whole if whole == value and -(2**63) <= whole < 2**63 else None


def _number_of(value: Decimal) -> float | None:
    number = float(value)
    return number if math.isfinite(number) and shown_decimal(number) == value else None
