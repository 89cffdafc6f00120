"""One row per group: the figures that SQL knows, with SQL's meaning of blanks."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, reduce
from typing import Any

import numpy as np
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.compute import spread_figures
from keen_trellis.compute.join.comparable_columns import sortable
from keen_trellis.compute.join.keys import LinkCodes, combine, own_codes
from keen_trellis.compute.join.match import GROUPED_AT_A_TIME, tally
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import BLANK, Column, Kind, Rows, Table, row_dtype
from keen_trellis.data.column import (
    DIGITS_AT_MOST,
    halves,
    narrow_exact,
    widened_exact,
)
from keen_trellis.data.dictionaries import ABSENT_CODE
from keen_trellis.data.dtypes import EXACT_DTYPE
from keen_trellis.plan.figures import QUARTERS, Figure, require_names

_FITS = 2.0**62
"""Sums estimated in doubles stay below, so that those in 64 bits never overflow: the estimate of
some thousand million values is off by far less than the other half of the range."""


def summarise(
    table: Table, by: Sequence[str], figures: Sequence[Figure], origin: str = ""
) -> Table:
    """Return one row per group of equal values, in the order in which the groups first appear.

    Blanks are one group, gaps another. Sums of integers and exact decimals are exact decimals,
    averages are numbers, whatever the values. Without a field to group by there is one row, of a
    table without rows as well.

    Parameters
    ----------
    table : Table
    by : sequence of column names
    figures : sequence of Figure
    origin : str
        The lane that the columns are said to come from.

    Raises
    ------
    UnknownColumnError
        A column is not in the table.
    LinkError
        A figure is asked for that its column's kind does not have, a sum has more than 38 digits,
        or two columns of the summary would have one name.
    """
    require_names([*by, *(figure.title for figure in figures)])
    for figure in figures:
        figure.kind(schema_of(table), tr("this table"))
    groups = _Groups.of(table, by)
    columns = {name: table.column(name).take(groups.heads) for name in by}
    for figure in figures:
        made_figure = _figure(table, figure, groups).take(groups.order)
        columns[figure.title] = replace(made_figure, declared=True)  # its kind is the figure's
    made = Table.of(columns, origin)
    return made if columns else Table(made.fields, made.strands, groups.n)


def numbered_groups(
    table: Table, by: Sequence[str]
) -> tuple[NDArray[np.intp], NDArray[np.intp], int]:
    """Return the number of each row's group, the first row of each, and how many there are.

    Groups are numbered as they first appear; without a field to group by there is always one.
    """
    groups = _Groups.of(table, by)
    number = np.zeros(groups.size, np.intp)
    number[groups.order] = np.arange(groups.n)
    return number[groups.codes], groups.heads.astype(np.intp, copy=False), groups.n


@dataclass(frozen=True, eq=False)  # no slots: the tally is kept once it has been asked for
class _Groups:
    """The rows of a table by group.

    Attributes
    ----------
    codes : ndarray
        The slot of each row's group. Slots are keys as they lie, dense but in no order that means
        anything, and some of them may have no row.
    size : int
        How many slots there are.
    heads : ndarray of row numbers
        The first row of each group, in the order in which groups first appear.
    order : ndarray
        The slots of the groups in that order.
    ordered : dict
        What least and greatest values of a column are found by, once one of them was asked for.
    """

    codes: NDArray[np.intp]
    size: int
    heads: Rows
    order: NDArray[np.intp]
    ordered: dict[str, _Ordered] = field(default_factory=dict)

    @property
    def n(self) -> int:
        """How many groups there are."""
        return len(self.order)

    @cached_property
    def times(self) -> NDArray[np.int64]:
        """How many rows each slot has."""
        return tally(self.codes, self.size).astype(np.int64, copy=False)

    @classmethod
    def of(cls, table: Table, by: Sequence[str]) -> _Groups:
        """Find the groups, in the order in which they first appear."""
        n = len(table)
        if not by:
            heads = np.zeros(1 if n else 0, np.intp)
            return cls(np.zeros(n, np.intp), 1, heads, np.zeros(1, np.intp))
        # Each column's codes are dense; `combine` folds two columns into one code for a pair of
        # values and keeps it dense where the product of both sizes would be too large to index by.
        codes = reduce(combine, [own_codes(table.column(name)) for name in by])
        rows = np.arange(n, dtype=row_dtype(n))
        # n is no row: it stays where a slot has none, and is larger than every row
        first = np.full(codes.size, n, rows.dtype)
        first[codes.left[::-1]] = rows[::-1]  # written backwards: the first row of each stays
        held = np.flatnonzero(first < n)
        # Row numbers are sorted by marking them and reading the marks in order: no comparison is
        # made.
        is_head = np.zeros(n, np.bool_)
        is_head[first[held]] = True
        heads = np.flatnonzero(is_head)
        order = codes.left[heads]
        # Slots without a row cost only memory in what follows; a few of them are cheaper than
        # renumbering.
        if codes.size <= 2 * len(held) + 65_536:
            return cls(codes.left, codes.size, heads, order)
        number = np.zeros(codes.size, np.intp)  # many slots without a row: numbers are shorter
        number[order] = np.arange(len(order))
        return cls(number[codes.left], len(order), heads, np.arange(len(order)))


def _figure(table: Table, figure: Figure, groups: _Groups) -> Column:
    """Return a figure for each slot."""
    if figure.column is None:
        return Column(Kind.INTEGER, groups.times)
    column = table.column(figure.column)
    absent = column.absent
    if absent is None:
        codes, times = groups.codes, groups.times
    else:
        rows = np.flatnonzero(~absent)
        # Blanks and gaps take part in no figure; what follows sees only rows that have a value.
        codes = groups.codes[rows]
        times = tally(codes, groups.size).astype(np.int64, copy=False)
        column = column.take(rows)
    if figure.how == "count":
        return Column(Kind.INTEGER, times)
    if figure.how == "distinct count":
        return Column(Kind.INTEGER, _distinct(codes, own_codes(column), groups.size))
    if figure.how in ("first", "last"):
        # where a slot has no value, `best` keeps what it began with, which is no row: those are the
        # slots without `times`, and -1 makes them gaps
        best = np.full(groups.size, -1 if figure.how == "last" else len(column), np.intp)
        places = np.arange(len(column))
        (np.maximum if figure.how == "last" else np.minimum).at(best, codes, places)
        return _gaps_as_blanks(column.take(np.where(times == 0, -1, best)))
    if figure.how in ("sum", "average"):
        return _added_up(column, codes, times, figure.how)
    if figure.how in ("standard deviation", "variance"):
        return spread_figures.deviations(column, codes, times, figure.how)
    if figure.how == "true share":
        return spread_figures.true_shares(column, codes, times)
    if figure.column not in groups.ordered:
        groups.ordered[figure.column] = _ordered(column)
    ordered = groups.ordered[figure.column]
    if figure.how in ("min", "max"):
        return _furthest(column, ordered, codes, times, largest=figure.how == "max")
    keys = ordered[0].astype(np.int64, copy=False)
    if figure.how == "most frequent":
        return spread_figures.most_frequent(column, keys, codes, times)
    if figure.how == "list":
        return spread_figures.lists(column, keys, codes, times, figure.title)
    return spread_figures.quartiles(column, keys, codes, times, QUARTERS[figure.how])


def _distinct(codes: NDArray[np.intp], own: LinkCodes, n: int) -> NDArray[np.int64]:
    """Return how many different values each group has: pairs of group and value, sorted once."""
    # A pair is one integer, group * size + value, while all pairs fit in 64 bits: one sort, and
    # the group comes back by dividing. Otherwise the pairs get codes of their own first.
    if n * max(own.size, 1) < 2**62:
        pairs = codes * own.size + own.left
        pairs.sort()
        is_new = np.ones(len(pairs), np.bool_)
        is_new[1:] = pairs[1:] != pairs[:-1]
        return tally(pairs[is_new] // max(own.size, 1), n).astype(np.int64)
    both = combine(LinkCodes(codes, codes[:0], n), own)
    first = np.unique(both.left, return_index=True)[1]
    return tally(codes[first], n).astype(np.int64)


def _furthest(
    column: Column,
    ordered: _Ordered,
    codes: NDArray[np.intp],
    times: NDArray[np.int64],
    largest: bool,
) -> Column:
    """Return the least or the largest value of each group; a blank where a group has none."""
    keys, values = ordered
    info = np.iinfo(keys.dtype)
    # The worst key of the type: any value replaces it, and a group that keeps it has none
    # (`empty`).
    best = np.full(len(times), info.min if largest else info.max, keys.dtype)
    _at_groups(np.maximum if largest else np.minimum, best, codes, keys)
    empty = times == 0
    state = np.where(empty, BLANK, 0).astype(np.uint8) if empty.any() else None
    # 0 is a key that the way back takes of every kind; the state says that nothing is meant by it.
    made = values(np.where(empty, 0, best).astype(np.int64))
    if column.kind is Kind.TEXT and state is not None:
        made = np.where(empty, ABSENT_CODE, made)
    return Column(column.kind, made, state, dictionary=column.dictionary, scale=column.scale)


_Ordered = tuple[NDArray[np.signedinteger[Any]], Callable[[NDArray[np.int64]], Any]]
"""Integers in the order of a column's values, and what turns them back into values."""


def _ordered(column: Column) -> _Ordered:
    """Return the keys of a column, in 32 bits where they fit: more of them fit the cache then."""
    keys, values = _keys(column)
    info = np.iinfo(np.int32)
    fits = not len(keys) or (info.min <= int(keys.min()) and int(keys.max()) <= info.max)
    return keys.astype(np.int32 if fits else np.int64, copy=False), values


def _at_groups(
    how: np.ufunc, made: NDArray[Any], codes: NDArray[np.intp], values: NDArray[Any]
) -> NDArray[Any]:
    """Return `made` with each value worked into the place of its group, in the order of rows."""
    for start in range(0, len(codes), GROUPED_AT_A_TIME):
        part = slice(start, start + GROUPED_AT_A_TIME)
        how.at(made, codes[part], values[part])
    return made


def _keys(column: Column) -> _Ordered:
    """Return integers in the order of a column's values, and what turns them back into values."""
    if column.kind is Kind.TEXT:
        assert column.dictionary is not None
        # By code points, as Arrow sorts. The place behind the last is for ABSENT_CODE, which is -1
        # and so means that place; rank and order are each other's inverse.
        order = np.append(pc.sort_indices(column.dictionary).to_numpy(), 0).astype(np.int32)
        rank = np.zeros(len(order), np.int64)
        rank[order[:-1]] = np.arange(len(order) - 1)
        return rank[column.values], lambda best: order[best]
    if column.kind is Kind.NUMBER:
        # Doubles by their place among the distinct ones: -0.0 and 0.0 are one value there.
        distinct, places = np.unique(column.values, return_inverse=True)
        held = distinct if len(distinct) else np.zeros(1)
        return places.astype(np.int64), lambda best: held[best]
    if column.kind is Kind.EXACT:
        narrow = narrow_exact(column.values)
        if narrow is not None:
            return narrow, widened_exact
        wide = sortable(column)
        distinct, first, places = np.unique(wide, return_index=True, return_inverse=True)
        return places.astype(np.int64), lambda best: column.values[first[best]]
    return column.values.astype(np.int64, copy=False), lambda best: best.astype(column.values.dtype)


def _added_up(column: Column, codes: NDArray[np.intp], times: NDArray[Any], how: str) -> Column:
    """Return sums or averages; sums of integers and exact decimals are exact."""
    n = len(times)
    state = np.where(times == 0, BLANK, 0).astype(np.uint8) if (times == 0).any() else None
    if column.kind is Kind.NUMBER:
        sums = _at_groups(np.add, np.zeros(n), codes, column.values)
        values = sums / np.maximum(times, 1) if how == "average" else sums
        if bool(np.isnan(values).any()):  # infinity and its opposite in one group
            state = np.where(np.isnan(values) | (times == 0), BLANK, 0).astype(np.uint8)
        return Column(Kind.NUMBER, values, state)
    # Integers and exact decimals: every digit of the sum is kept, and an average is rounded once.
    totals = _totals(column, codes, times)
    if how == "average":
        return Column(Kind.NUMBER, _divided(totals, times, column.scale), state)
    return Column(Kind.EXACT, _as_exact(totals), state, scale=column.scale)


def _totals(
    column: Column, codes: NDArray[np.intp], times: NDArray[np.int64]
) -> NDArray[np.int64] | list[int]:
    """Return the sum of each group as integers of the column's scale, every digit kept."""
    n = len(times)
    whole = narrow_exact(column.values) if column.kind is Kind.EXACT else column.values
    if whole is not None and (_sums_stay_small(whole, times) or _sums_fit(codes, whole, n)):
        return _at_groups(np.add, np.zeros(n, np.int64), codes, whole)
    if whole is not None:
        values = whole.tolist()
    else:
        low, high = column.values["lo"].tolist(), column.values["hi"].tolist()
        values = [(h << 64) + lo for h, lo in zip(high, low, strict=True)]
    totals = [0] * n  # beyond 64 bits: Python's own integers, which never round
    for code, value in zip(codes.tolist(), values, strict=True):
        totals[code] += value
    return totals


def _as_exact(totals: NDArray[np.int64] | list[int]) -> NDArray[Any]:
    if not isinstance(totals, list):
        return widened_exact(totals)
    if max(map(abs, totals), default=0) >= 10**DIGITS_AT_MOST:
        raise LinkError(
            tr(
                "A sum has more than {digits_at_most} digits, which no exact decimal holds.",
                digits_at_most=DIGITS_AT_MOST,
            ),
            tr("Read the column as number to have a rounded sum."),
        )
    return np.array([halves(total) for total in totals], EXACT_DTYPE)


def _divided(
    totals: NDArray[np.int64] | list[int], times: NDArray[Any], scale: int
) -> NDArray[np.float64]:
    counted = np.maximum(times, 1)
    # up to 2**53 a double is the integer itself, so that the quotient alone is rounded
    divisors_fit = 10**scale * int(counted.max(initial=1)) <= 2**53
    if not isinstance(totals, list) and divisors_fit and np.abs(totals).max(initial=0) <= 2**53:
        averages: NDArray[np.float64] = totals / (10.0**scale * counted)
        return averages
    exact = totals if isinstance(totals, list) else totals.tolist()
    parts = zip(exact, counted.tolist(), strict=True)
    return np.array([total / (10**scale * n) for total, n in parts], np.float64)  # rounds once


def _sums_stay_small(whole: NDArray[np.int64], times: NDArray[np.int64]) -> bool:
    """Whether no sum can leave 64 bits, by the largest value and the largest group alone."""
    if not len(whole):
        return True
    largest = max(int(whole.max()), -int(whole.min()))
    # In Python's integers, which do not overflow; half of 63 bits leaves room for the sign.
    return largest * int(times.max(initial=0)) < 2**62


def _sums_fit(codes: NDArray[np.intp], whole: NDArray[np.int64], n: int) -> bool:
    """Whether no sum can leave 64 bits."""
    # Doubles add up to within a small share of the true sum, for which the bound leaves room.
    return bool(np.bincount(codes, np.abs(whole.astype(float)), n).max(initial=0) < _FITS)


def _gaps_as_blanks(column: Column) -> Column:
    """Return a column whose gaps are blanks: a group without a value has none to show."""
    if column.state is None:
        return column
    state = np.where(column.state != 0, BLANK, 0).astype(np.uint8)
    return Column(
        column.kind, column.values, state, dictionary=column.dictionary, scale=column.scale
    )
