"""What a cell of a sheet holds: a value where a sheet has one for it, else a text, or nothing.

A number in a sheet is a double, and a moment is one that counts days. What more than that belongs
to a value is kept by writing it as text: digits beyond the fifteenth, infinity, parts of a
millisecond, and days before the calendar of the sheet begins.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.data import Column
from keen_trellis.data.column import MICROSECONDS_A_DAY, exact_decimal
from keen_trellis.data.kinds import Kind

SHEET_ROWS, SHEET_COLUMNS, CELL_LETTERS = 1_048_576, 16_384, 32_767
SHEET_DIGITS = 15
"""A number in a sheet is a double: more digits than this would be changed."""

_DAY_ONE = -25_567
"""1900-01-01 in days since 1970, where the calendar of a workbook begins."""
_MARCH_1900 = -25_508
_ZERO = 25_569
"""What a workbook adds to the days since 1970; before March 1900 one less, since it has a 29
February in that year, which there never was."""
_END = 2_932_897
"""The day after 9999-12-31."""


@dataclass(frozen=True, slots=True, eq=False)
class SheetCells:
    """The cells of a column.

    Attributes
    ----------
    values : StringArray or None
        What is written as a value, null elsewhere; None for no cell at all.
    texts : StringArray or None
        What is written as a text, null elsewhere; None for no cell at all.
    fine : bool array or None
        Which moments have milliseconds; None for none.
    """

    values: pa.StringArray | None = None
    texts: pa.StringArray | None = None
    fine: NDArray[np.bool_] | None = None


def odd_rows(column: Column, before_1900: bool = False) -> NDArray[np.bool_]:
    """Return which values of a column a sheet would change, so that they are written as text.

    Parameters
    ----------
    column : Column
        Of any kind but text.
    before_1900 : bool
        Whether the sheet has days before 1900.
    """
    values = column.values
    odd = np.zeros(len(column), np.bool_)
    match column.kind:
        case Kind.INTEGER:
            odd = _long(values, lambda row: int(values[row]))
        case Kind.EXACT:
            # An exact decimal is two halves of 64 bits; most amounts live in the lower one alone,
            # whose sign the upper one repeats.
            low = np.ascontiguousarray(values["lo"]).view(np.int64)
            alone = values["hi"] == low >> 63  # the upper half is only the sign of the lower one
            whole = np.where(alone, low, 10**SHEET_DIGITS)
            odd = _long(whole, lambda row: int(exact_decimal(values[row], 0)))
        case Kind.NUMBER:
            odd = np.isinf(values)
        case Kind.DATE:
            odd = _off_calendar(values.astype(np.int64), before_1900)
        case Kind.DATE_TIME:
            days = values.astype(np.int64) // MICROSECONDS_A_DAY
            odd = _off_calendar(days, before_1900) | (values.astype(np.int64) % 1_000 != 0)
        case Kind.TIME:
            odd = values.astype(np.int64) % 1_000 != 0
    here: NDArray[np.bool_] = odd if column.absent is None else np.logical_and(odd, ~column.absent)
    return here


def _long(whole: NDArray[np.int64], value: Callable[[int], int]) -> NDArray[np.bool_]:
    """Return which integers have more than fifteen digits, zeros at their end not counted."""
    limit = 10**SHEET_DIGITS
    long: NDArray[np.bool_] = (whole >= limit) | (whole <= -limit)
    # Few rows are that long: only these are looked at one by one.
    for row in np.flatnonzero(long).tolist():
        long[row] = len(str(abs(value(row))).rstrip("0")) > SHEET_DIGITS
    return long


def _off_calendar(days: NDArray[np.int64], before_1900: bool) -> NDArray[np.bool_]:
    first = np.iinfo(np.int64).min if before_1900 else _DAY_ONE
    off: NDArray[np.bool_] = (days >= _END) | (days < first)
    return off


def sheet_cells(column: Column, as_serial: bool) -> SheetCells:
    """Return what stands in the cells of a column that is no text.

    Parameters
    ----------
    column : Column
    as_serial : bool
        Whether moments count days, as in .xlsx; else they are ISO 8601, as in .ods.
    """
    odd = odd_rows(column, before_1900=not as_serial)
    absent = column.absent
    without = odd if absent is None else odd | absent
    texts = None
    if odd.any():
        texts = pc.if_else(pa.array(odd), column.texts(), None)
    fine = None
    if column.kind in (Kind.DATE_TIME, Kind.TIME):
        fine = (column.values.astype(np.int64) % 1_000_000 != 0) & ~without
    values = _serials(column, without) if as_serial else _iso(column, without)
    return SheetCells(values, texts, fine if fine is not None and fine.any() else None)


def _serials(column: Column, without: NDArray[np.bool_]) -> pa.StringArray:
    whole = column.values
    match column.kind:
        case Kind.BOOLEAN:
            numbers = pa.array(whole.astype(np.int8), mask=without)
        case Kind.DATE:
            days = whole.astype(np.int64)
            numbers = pa.array(days + _ZERO - (days < _MARCH_1900), mask=without)
        case Kind.DATE_TIME:
            micros = whole.astype(np.int64)
            # Floored, so that a moment before 1970 is a day and a part of it that is not
            # negative.
            days, rest = np.divmod(micros, MICROSECONDS_A_DAY)
            # Subtracting a bool takes one day off before March 1900.
            days += _ZERO - (days < _MARCH_1900)
            numbers = pa.array(days + rest / MICROSECONDS_A_DAY, mask=without)
        case Kind.TIME:
            numbers = pa.array(whole.astype(np.int64) / MICROSECONDS_A_DAY, mask=without)
        case _:
            return pc.if_else(pa.array(without), None, column.to_arrow().cast(pa.string()))
    return numbers.cast(pa.string())


def _iso(column: Column, without: NDArray[np.bool_]) -> pa.StringArray:
    texts = column.texts()
    if column.kind is Kind.DATE_TIME:
        texts = pc.replace_substring(texts, " ", "T")
    return pc.if_else(pa.array(without), None, texts)
