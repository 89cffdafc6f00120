"""CAST: values in another kind; what is none of that kind is a blank, and said."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from keen_trellis.base.errors import with_article
from keen_trellis.base.language import tr
from keen_trellis.compute.formula.formula_values import (
    TOO_LARGE,
    Cells,
    Flags,
    Working,
    by_distinct,
    joined_state,
    once,
)
from keen_trellis.compute.formula.numbers import rounded
from keen_trellis.data import Column, Kind, Rows
from keen_trellis.data.column import MICROSECONDS_A_DAY
from keen_trellis.data.conversions.conversion import certainly_written, converted
from keen_trellis.data.conversions.written_forms import Written
from keen_trellis.data.stacking import extent, rescaled
from keen_trellis.plan.formulas import Constant

_AS_SQL = Written()
"""Point and ISO dates: what a formula gives must not depend on other rows of the column."""


AS_WRITTEN = "as written"


def cast(
    arguments: Sequence[Cells], kind: Kind, working: Working, settings: Sequence[str | int]
) -> Cells:
    """Return values in a kind: numbers rounded to integers, texts read as SQL writes values.

    With the setting “as written” texts are read as all of the column show that numbers and dates
    are written, such as 1.204,50 and 31/12/2026; where nothing shows it for certain, as in SQL.
    “day first” or “month first” beside it says how dates are meant of which nothing tells it.
    """
    cells = arguments[0]
    sizes = [one for one in settings if isinstance(one, int)]
    written = None if AS_WRITTEN in settings else _AS_SQL
    orders = [one for one in settings if one in ("day first", "month first")]
    if orders and cells.kind is Kind.TEXT:
        written = replace(certainly_written(cells.column), dates=orders[0])  # type: ignore[arg-type]
    if kind is Kind.TEXT:
        made = once((cells,), working, lambda column: converted(column, kind).column)
        return by_distinct((made,), kind, working, lambda t: t[: sizes[0]]) if sizes else made
    if cells.kind in (Kind.EXACT, Kind.NUMBER) and kind is Kind.INTEGER:
        cells = rounded((cells,), Kind.EXACT, working)
    if cells.kind is Kind.BOOLEAN and kind is Kind.INTEGER:
        whole = cells.column.values.astype(np.int64)
        return Cells(Column(kind, whole, cells.column.state), cells.is_one)
    if cells.kind is Kind.INTEGER and kind is Kind.BOOLEAN:
        return Cells(Column(kind, cells.column.values != 0, cells.column.state), cells.is_one)
    if cells.kind is Kind.DATE_TIME and kind is Kind.TIME:
        clock = cells.column.values % MICROSECONDS_A_DAY
        return Cells(Column(kind, clock, cells.column.state), cells.is_one)
    found = _converted(cells, kind, working, written)
    return _sized(found, sizes, working) if kind is Kind.EXACT and sizes else found


def _converted(cells: Cells, kind: Kind, working: Working, written: Written | None) -> Cells:
    made = converted(cells.column, kind, written)
    working.fault(
        tr("a value that is not {with_article}", with_article=with_article(kind)),
        flagged(made.lost, cells),
    )
    working.cut(tr("their time of day"), flagged(made.cut, cells))
    return Cells(made.column, cells.is_one)


def flagged(rows: Rows, cells: Cells) -> Flags:
    """Return row numbers as flags."""
    flags = np.zeros(len(cells.column), np.bool_)
    flags[rows] = True
    return flags


def _sized(cells: Cells, sizes: Sequence[int], working: Working) -> Cells:
    """Return exact decimals with so many digits in all, and behind the mark."""
    digits, behind = sizes[0], sizes[1] if len(sizes) > 1 else 0
    places = Cells(Column(Kind.INTEGER, np.array([behind])), True)
    made = rounded((cells, places), Kind.EXACT, working)
    column = made.column
    if extent(column) >= 10 ** (digits - behind + column.scale):
        over = np.array([abs(one or 0) >= 10 ** (digits - behind) for one in column.to_list()])
        working.fault(TOO_LARGE, over)
        values = np.where(over, np.zeros(1, column.values.dtype), column.values)
        column = Column(column.kind, values, joined_state(column.state, over), scale=column.scale)
    # below 10**(digits - behind), so that with all digits behind the mark they are 38 at most
    return Cells(rescaled(column, behind), made.is_one)


def constant(value: Constant) -> Cells:
    """Return a constant as the one cell that stands for all rows."""
    return Cells(Column.of([value.value], value.kind), True)
