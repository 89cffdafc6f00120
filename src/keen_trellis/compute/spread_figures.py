"""Figures of how the values of a group lie: quartiles, spread, the most frequent, all of them.

Everywhere `codes` are the slots of the groups of the rows that have a value, `times` how many such
rows each slot has, and `keys` integers in the order of the values (equal where these are).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.data import BLANK, Column, Kind
from keen_trellis.data.column import narrow_exact

Codes = NDArray[np.intp]
Whole = NDArray[np.int64]

LETTERS_AT_MOST = 100_000
"""How long the list of one group may become."""
_QUARTERS = 4
_FITS = 2**60
"""Four times a number below stays within 64 bits."""


def quartiles(column: Column, keys: Whole, codes: Codes, times: Whole, quarters: int) -> Column:
    """Return what so many quarters of each group's values lie below, as PERCENTILE_CONT of SQL.

    Of integers and exact decimals it is exact, and rounded once, as it becomes a number.
    """
    # Sorted by value first and then, stably, by group: within its group each value is in order.
    order = np.argsort(keys, kind="stable")
    order = order[np.argsort(codes[order], kind="stable")]
    starts = np.cumsum(times) - times
    # The place is (n - 1) * quarters / 4, counted from the first: a whole part and some quarters.
    places = np.maximum(times - 1, 0) * quarters
    low, rest = starts + places // _QUARTERS, places % _QUARTERS
    held = times > 0
    low = np.where(held, low, 0)
    high = np.where(held & (rest > 0), low + 1, low)
    if not len(order):
        return _numbers(np.zeros(len(times)), ~held)
    below, above = order[low], order[high]
    if column.kind is Kind.NUMBER:
        a, b = column.values[below], column.values[above]
        share = rest / _QUARTERS
        with np.errstate(invalid="ignore", over="ignore"):
            between = a * (1 - share) + b * share  # the difference could overflow
        # Infinity times nothing is no number, and what lies between equal values is that value.
        values = np.where((rest == 0) | (a == b), a, between)
        return _numbers(values, ~held | np.isnan(values))
    integers = _integers(column)
    parts = (_QUARTERS - rest, rest)
    if not isinstance(integers, list) and _extent(integers) < _FITS:
        totals = (parts[0] * integers[below] + parts[1] * integers[above]).tolist()
    else:
        whole = integers if isinstance(integers, list) else integers.tolist()
        totals = [
            first * whole[a] + second * whole[b]
            for first, second, a, b in zip(
                *(one.tolist() for one in (*parts, below, above)), strict=True
            )
        ]
    unit = _QUARTERS * 10**column.scale
    return _numbers(np.array([total / unit for total in totals], np.float64), ~held)


def deviations(column: Column, codes: Codes, times: Whole, how: str) -> Column:
    """Return the variance of each group as a sample, or its root; blank of fewer than two values.

    Of integers and exact decimals the variance is exact, and rounded once; of doubles it is that of
    two passes (Chan, Golub and LeVeque 1983), which no large mean spoils.
    """
    few = times < 2
    n = np.maximum(times, 2)
    if column.kind is Kind.NUMBER:
        with np.errstate(invalid="ignore", over="ignore"):
            sums = np.bincount(codes, column.values, len(times))
            off = column.values - (sums / np.maximum(times, 1))[codes]
            squares = np.bincount(codes, off * off, len(times))
            # what rounding left of the differences, which add up to nothing
            rest = np.bincount(codes, off, len(times))
            values = (squares - rest * rest / n) / (n - 1)
        values = np.maximum(values, 0.0)
    else:
        values = _exact_variances(column, codes, times)
    if how == "standard deviation":
        values = np.sqrt(values)
    return _numbers(values, few | ~np.isfinite(values))


def _exact_variances(column: Column, codes: Codes, times: Whole) -> NDArray[np.float64]:
    integers = _integers(column)
    n = len(times)
    sums: list[int]
    squares: list[int]
    most = int(times.max(initial=0))
    if not isinstance(integers, list) and _extent(integers) ** 2 * most < 2**62:
        added, squared = np.zeros(n, np.int64), np.zeros(n, np.int64)
        np.add.at(added, codes, integers)
        np.add.at(squared, codes, integers * integers)
        sums, squares = added.tolist(), squared.tolist()
    else:
        sums, squares = [0] * n, [0] * n
        whole = integers if isinstance(integers, list) else integers.tolist()
        for code, value in zip(codes.tolist(), whole, strict=True):
            sums[code] += value
            squares[code] += value * value
    unit = 10 ** (2 * column.scale)
    return np.array(
        [
            # Python divides integers of any length and rounds once.
            (k * square - total * total) / (k * (k - 1) * unit) if k > 1 else 0.0
            for k, total, square in zip(times.tolist(), sums, squares, strict=True)
        ],
        np.float64,
    )


def true_shares(column: Column, codes: Codes, times: Whole) -> Column:
    """Return which share of each group's booleans is true."""
    true = np.bincount(codes[column.values.astype(np.bool_)], minlength=len(times))
    return _numbers(true / np.maximum(times, 1), times == 0)


@dataclass(frozen=True, slots=True, eq=False)
class _Runs:
    """The different values of each group: by group, and in the order of values within it.

    Attributes
    ----------
    groups : ndarray
        The slot of each.
    lengths : ndarray
        How many rows of the group have it.
    rows : ndarray
        One of them.
    """

    groups: Codes
    lengths: Whole
    rows: NDArray[np.intp]

    @classmethod
    def of(cls, keys: Whole, codes: Codes) -> _Runs:
        """Find them."""
        order = np.argsort(keys, kind="stable")
        order = order[np.argsort(codes[order], kind="stable")]
        group, key = codes[order], keys[order]
        is_new = np.ones(len(order), np.bool_)
        is_new[1:] = (group[1:] != group[:-1]) | (key[1:] != key[:-1])
        starts = np.flatnonzero(is_new)
        lengths = np.diff(np.append(starts, len(order)))
        return cls(group[starts], lengths.astype(np.int64), order[starts])


def most_frequent(column: Column, keys: Whole, codes: Codes, times: Whole) -> Column:
    """Return the value that most rows of each group have, the least of several such."""
    runs = _Runs.of(keys, codes)
    n = len(runs.groups)
    # One integer in which a longer run is more, and of two of a length the earlier one: rows are
    # fewer than 2**31, so that both fit in 62 bits.
    weights = runs.lengths * (n + 1) + (n - np.arange(n))
    best = np.zeros(len(times), np.int64)
    np.maximum.at(best, runs.groups, weights)
    place = n - best % (n + 1)
    found = runs.rows[np.where(times > 0, place, 0)] if n else np.zeros(len(times), np.intp)
    made = column.take(np.where(times > 0, found, -1))
    state = np.where(times > 0, 0, BLANK).astype(np.uint8) if (times == 0).any() else None
    return Column(made.kind, made.values, state, dictionary=made.dictionary, scale=made.scale)


def lists(column: Column, keys: Whole, codes: Codes, times: Whole, title: str) -> Column:
    """Return the different values of each group in their order, with commas between them.

    Raises
    ------
    LinkError
        The list of a group would be too long for a cell; it names the figure.
    """
    runs = _Runs.of(keys, codes)
    words: list[list[str]] = [[] for _ in times]
    letters = [0] * len(times)
    for group, row in zip(runs.groups.tolist(), runs.rows.tolist(), strict=True):
        word = column.text(row)
        letters[group] += len(word) + 2
        if letters[group] > LETTERS_AT_MOST:
            raise LinkError(
                tr(
                    "“{title}” would have a text of more than {most:,} letters.",
                    title=title,
                    most=LETTERS_AT_MOST,
                ),
                tr("Group by more fields, or count the values instead."),
            )
        words[group].append(word)
    # A list of one empty text is an empty text; only a group without values has none.
    return Column.of([", ".join(one) if one else None for one in words], Kind.TEXT)


def _integers(column: Column) -> Whole | list[int]:
    """Return integers beneath an integer or exact column, of its scale."""
    if column.kind is Kind.INTEGER:
        return column.values
    narrow = narrow_exact(column.values)
    if narrow is not None:
        return narrow
    low, high = column.values["lo"].tolist(), column.values["hi"].tolist()
    return [(h << 64) + lo for h, lo in zip(high, low, strict=True)]


def _extent(integers: Whole) -> int:
    # in Python's integers: the least of 64 bits has no opposite
    return max(int(integers.max(initial=0)), -int(integers.min(initial=0)))


def _numbers(values: NDArray[np.float64], blank: NDArray[np.bool_]) -> Column:
    state = np.where(blank, BLANK, 0).astype(np.uint8) if blank.any() else None
    return Column(Kind.NUMBER, np.where(blank, 0.0, values), state)
