"""A column worked out across the rows of each group, in an order: numbers, ranks, sums so far.

Rows are sorted by their order and then, stably, by group, so that every group is a run; what is
found along the runs is put back to where each row stood.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import reduce
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.compute.formula.evaluate import evaluated
from keen_trellis.compute.formula.numbers import integers
from keen_trellis.compute.join.keys import combine, own_codes
from keen_trellis.compute.join.partners import row_ranks
from keen_trellis.compute.summary import numbered_groups, summarise
from keen_trellis.data import BLANK, GAP, Column, Kind, Rows, Table
from keen_trellis.data.column import DIGITS_AT_MOST, halves, widened_exact
from keen_trellis.data.dtypes import EXACT_DTYPE
from keen_trellis.plan.across import Across
from keen_trellis.plan.figures import Figure
from keen_trellis.plan.formulas import Applied, Cell

_FITS = 2**62


@dataclass(frozen=True, slots=True, eq=False)
class _Runs:
    """The rows of a table, group by group and in order.

    Attributes
    ----------
    rows : ndarray of row numbers
    places : ndarray
        The place of each within its group, from 0.
    """

    rows: Rows
    places: NDArray[np.intp]

    @classmethod
    def of(cls, table: Table, node: Across) -> _Runs:
        """Sort them."""
        group, _, _ = numbered_groups(table, node.by)
        rows = np.empty(len(table), np.intp)
        if node.order:
            rows[row_ranks(table, node.order)] = np.arange(len(table))
        else:
            rows = np.arange(len(table))
        rows = rows[np.argsort(group[rows], kind="stable")]
        sorted_group = group[rows]
        numbers = np.arange(len(rows))
        is_first = np.ones(len(rows), np.bool_)
        is_first[1:] = sorted_group[1:] != sorted_group[:-1]
        # the number of the first row of its run, carried on to its end
        return cls(rows, numbers - np.maximum.accumulate(np.where(is_first, numbers, 0)))

    def back(self, found: NDArray[Any]) -> NDArray[Any]:
        """Return what was found along the runs for each row where it stood."""
        made = np.empty(len(found), found.dtype)
        made[self.rows] = found
        return made

    def away(self, n: int) -> Rows:
        """Return for each row where it stood the row so many before it in its group; -1 for none.

        Below 0 it is one behind it.
        """
        size = len(self.rows)
        found = np.full(size, -1, np.intp)
        if n >= 0:
            has = self.places >= n
            found[has] = self.rows[np.flatnonzero(has) - n]
        else:
            # a row has another n behind it where that one stands n places farther in its run
            at = np.arange(size) - n
            inside = at < size
            same = np.zeros(size, np.bool_)
            same[inside] = self.places[at[inside]] == self.places[inside] - n
            found[same] = self.rows[at[same]]
        return self.back(found)


Faults = dict[str, NDArray[np.bool_]]


def across(node: Across, table: Table) -> tuple[Column, Faults]:
    """Return the column that a step works out across rows, and where that was not possible."""
    faults: Faults = {}
    return _across(node, table, faults), faults


def _across(node: Across, table: Table, faults: Faults) -> Column:
    runs = _Runs.of(table, node)
    if node.what == "row number":
        return Column(Kind.INTEGER, runs.back(runs.places + 1).astype(np.int64))
    if node.what == "rank":
        return Column(Kind.INTEGER, runs.back(_ranks(table, node, runs)))
    column = table.column(node.column)
    match node.what:
        case "value before" | "value after":
            return _at(column, runs.away(node.n if node.what == "value before" else -node.n))
        case "difference" | "growth":
            before = _at(column, runs.away(node.n))
            less = _worked_out("-", column, before, faults)
            return less if node.what == "difference" else _worked_out("/", less, before, faults)
        case "running sum":
            return _running_sum(column, runs)
        case "moving average":
            return _moving_average(column, runs, node.n)
    sums = _group_sums(table, node)
    value = column if node.what == "share" else _running_sum(column, runs)
    return _worked_out("/", value, sums, faults)


def _ranks(table: Table, node: Across, runs: _Runs) -> NDArray[np.int64]:
    """Return ranks along the runs: rows equal in the order have the rank of the first of them."""
    keys = [own_codes(table.column(one.field)) for one in node.order]
    codes = reduce(combine, keys).left[runs.rows]
    is_new = runs.places == 0
    is_new[1:] |= codes[1:] != codes[:-1]
    numbers = np.arange(len(codes))
    first_equal = np.maximum.accumulate(np.where(is_new, numbers, 0))
    return (runs.places - (numbers - first_equal) + 1).astype(np.int64)


def _at(column: Column, rows: Rows) -> Column:
    """Return the values of other rows; a blank where there is none, or it has none."""
    found = column.take(rows)
    if found.state is None:
        return found
    state = np.where(found.state == GAP, BLANK, found.state).astype(np.uint8)
    return Column(found.kind, found.values, state, dictionary=found.dictionary, scale=found.scale)


def _worked_out(sign: str, left: Column, right: Column, faults: Faults) -> Column:
    """Return the difference or the quotient of two columns as a formula has it; note its faults."""
    kind = left.kind if sign == "-" else Kind.NUMBER
    cells = Cell("left", left.kind), Cell("right", right.kind)
    found = evaluated(Applied(sign, cells, kind), Table.of({"left": left, "right": right}))
    for why, rows in found.faults.items():  # the difference and the quotient can fail alike
        faults[why] = faults[why] | rows if why in faults else rows
    return found.column


def _group_sums(table: Table, node: Across) -> Column:
    """Return for each row the sum of its group."""
    group, _, _ = numbered_groups(table, node.by)
    own = Table.of(
        {"group": Column(Kind.INTEGER, group.astype(np.int64)), "x": table.column(node.column)}
    )
    made = summarise(own, ["group"], [Figure("x", "sum", "sum")])
    # groups are numbered as they first appear, and a summary has them in that order
    return made.column("sum").take(group)


def _running_sum(column: Column, runs: _Runs) -> Column:
    """Return the sum up to each row; every digit is kept of what is exact."""
    absent = np.zeros(len(column), np.bool_) if column.absent is None else column.absent
    is_there = ~absent[runs.rows]
    starts = np.flatnonzero(runs.places == 0)
    none_yet = _so_far(is_there.astype(np.int64), starts) == 0
    if column.kind is Kind.NUMBER:
        values = np.where(is_there, column.values[runs.rows], 0.0)
        # each run by itself: a sum that was taken off again would leave its rounding behind
        with np.errstate(invalid="ignore", over="ignore"):
            sums = np.empty(len(values))
            for start, end in zip(starts, np.append(starts, len(values))[1:], strict=True):
                np.cumsum(values[start:end], out=sums[start:end])
        return _column(Kind.NUMBER, sums, none_yet | np.isnan(sums), runs)
    whole, scale = integers(column)
    whole = np.where(is_there, whole[runs.rows], 0)
    if whole.dtype != object and not _stays_small(whole):
        whole = whole.astype(object)
    totals = _so_far(whole, starts)
    if totals.dtype == object:
        if any(abs(one) >= 10**DIGITS_AT_MOST for one in totals.tolist()):
            raise LinkError(
                tr(
                    "A sum has more than {digits_at_most} digits, which no exact decimal holds.",
                    digits_at_most=DIGITS_AT_MOST,
                ),
                tr("Read the column as number to have a rounded sum."),
            )
        exact = np.array([halves(int(one)) for one in totals.tolist()], EXACT_DTYPE)
    else:
        exact = widened_exact(totals)
    return _column(Kind.EXACT, exact, none_yet, runs, scale)


def _stays_small(whole: NDArray[Any]) -> bool:
    """Whether no sum of any of them leaves 64 bits."""
    if not len(whole):
        return True
    return max(int(whole.max()), -int(whole.min())) * len(whole) < _FITS


def _so_far(values: NDArray[Any], starts: NDArray[np.intp]) -> NDArray[Any]:
    """Return running sums of integers, anew from each start."""
    if not len(values):
        return values
    sums = np.cumsum(values)
    # what all rows before a run come to is taken off again, which integers bear
    before = (sums - values)[starts]
    made: NDArray[Any] = sums - np.repeat(before, np.diff([*starts, len(values)]))
    return made


def _moving_average(column: Column, runs: _Runs, n: int) -> Column:
    """Return the average of each row and those before it, `n` in all; blanks do not count."""
    absent = np.zeros(len(column), np.bool_) if column.absent is None else column.absent
    is_exact = column.kind is not Kind.NUMBER
    whole, scale = integers(column) if is_exact else (column.values, 0)
    if is_exact and not _stays_small(whole):
        whole = whole.astype(object)
    sums = np.zeros(len(column), whole.dtype)
    times = np.zeros(len(column), np.int64)
    for back in range(n):
        rows = runs.away(back)
        has = (rows >= 0) & ~absent[rows]
        times += has
        with np.errstate(invalid="ignore", over="ignore"):
            sums[has] = sums[has] + whole[rows[has]]
    unit = 10**scale
    if is_exact:
        parts = zip(sums.tolist(), np.maximum(times, 1).tolist(), strict=True)
        values = np.array([total / (k * unit) for total, k in parts], np.float64)
    else:
        values = sums / np.maximum(times, 1)
    blank = (times == 0) | np.isnan(values)
    state = np.where(blank, BLANK, 0).astype(np.uint8) if blank.any() else None
    return Column(Kind.NUMBER, np.where(blank, 0.0, values), state)


def _column(
    kind: Kind, found: NDArray[Any], blank: NDArray[np.bool_], runs: _Runs, scale: int = 0
) -> Column:
    """Return what was found along the runs as a column."""
    values = runs.back(found)
    absent = runs.back(blank)
    state = np.where(absent, BLANK, 0).astype(np.uint8) if absent.any() else None
    if state is not None:
        values[absent] = np.zeros(1, values.dtype)[0]
    return Column(kind, values, state, scale=scale)
