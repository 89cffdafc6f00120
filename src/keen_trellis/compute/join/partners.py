"""Which partner, when there are several: the first, the last, or only one that is alone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pyarrow.compute as pc

from keen_trellis.base.language import tr
from keen_trellis.compute.join.comparable_columns import sortable
from keen_trellis.compute.join.match import (
    CrossMatch,
    Match,
    PairMatch,
    RunMatch,
    Tally,
    grouped,
)
from keen_trellis.data import Column, Kind, Rows, Table
from keen_trellis.data.table import row_dtype
from keen_trellis.plan.counts import Counts
from keen_trellis.plan.link import Link, OrderField


def with_one_partner(found: Match, left: Table, right: Table, link: Link) -> Match:
    """Return the match with one partner a row, on the side and by the rule that the link says.

    Rows that had several are counted as ambiguous. Under “only” they have no partner then.
    """
    of_left = link.partner_for == "left"
    partners = found.partners if of_left else found.right_partners
    several = np.flatnonzero(partners > 1)
    if link.partner == "every" or len(several) == 0:
        return found
    ranks = row_ranks(right if of_left else left, link.order, link.partner == "last")
    best = _best_at_once(found, ranks, of_left)
    a: Rows
    b: Rows
    if best is not None:
        takes = partners == 1 if link.partner == "only" else partners > 0
        mine = np.flatnonzero(takes)
        a, b = (mine, best[mine]) if of_left else _in_left_order(best[mine], mine)
    else:
        a, b = found.pairs
        own, other = (a, b) if of_left else (b, a)
        if link.partner == "only":
            chosen: Rows = np.flatnonzero(partners[own] == 1)
        else:
            chosen = _best(own, ranks[other], len(partners))
        a, b = a[chosen], b[chosen]
    left_now = np.bincount(a, minlength=len(left))
    right_now = np.bincount(b, minlength=len(right))
    counts = _recounted(found.counts, left_now, right_now, ambiguous=len(several), of_left=of_left)
    pairs = a.astype(row_dtype(len(left))), b.astype(row_dtype(len(right)))
    return PairMatch(left_now, right_now, counts, pairs, several)


def _in_left_order(left: Rows, right: Rows) -> tuple[Rows, Rows]:
    """Return pairs by their left, then their right rows."""
    order = np.lexsort((right, left))
    return left[order], right[order]


def _best_at_once(found: Match, ranks: Rows, of_left: bool) -> Rows | None:
    """Return for each row its partner of the smallest rank; None where partners are no runs.

    Rows of one link value have the same partners, so one of them is best for all: no pair is
    built, of which there may be too many though only one row each goes on.

    Parameters
    ----------
    found : Match
    ranks : ndarray
        Of the rows that partners are taken from; no two are equal.
    of_left : bool
        Whether the left rows take a partner.
    """
    row_of = np.argsort(ranks)
    n_own = len(found.partners) if of_left else len(found.right_partners)
    if isinstance(found, CrossMatch):
        return np.full(n_own, row_of[0] if len(row_of) else -1)
    if not isinstance(found, RunMatch):
        return None
    # a run is known by where it starts; left rows without a partner point at the last place
    has = found.partners > 0
    starts, run = np.unique(found.first[has], return_inverse=True)
    if not len(starts):
        return np.full(n_own, -1)
    lengths = np.zeros(len(starts), np.int64)
    lengths[run] = found.partners[has]
    if of_left:
        # from each start to each end: what `reduceat` gives for the stretches between is left out
        bounds = np.stack([starts, starts + lengths], axis=1).ravel()
        inside = np.append(ranks[found.order[:-1]], np.iinfo(np.int64).max)  # an end may be there
        best = row_of[np.minimum.reduceat(inside, bounds)[::2]]
        partner = np.full(n_own, -1)
        partner[has] = best[run]
        return partner
    least = np.full(len(starts), np.iinfo(np.int64).max)
    np.minimum.at(least, run, ranks[has])
    partner = np.full(n_own, -1)
    places = np.repeat(starts - np.append(0, np.cumsum(lengths)[:-1]), lengths)
    rows = found.order[places + np.arange(len(places))]  # all right rows of the runs
    partner[rows] = np.repeat(row_of[least], lengths)
    return partner


def row_ranks(table: Table, order: tuple[OrderField, ...], backwards: bool = False) -> Rows:
    """Return the place of each row once the rows are put in order; equal ones as they stood.

    Blanks come last, whichever way a field is ordered, and backwards as well: the last by a date
    is the row of the latest date, not one without any.

    Parameters
    ----------
    table, order
    backwards : bool
        Whether the order is turned round, also that of equal rows.

    Raises
    ------
    UnknownColumnError
        A field is not a column of the table.
    """
    # what is backwards begins backwards, that equal rows are so too; every sort below is stable
    rows: Rows = np.arange(len(table))[::-1] if backwards else np.arange(len(table))
    fields = [_field_keys(table, field, backwards) for field in order]
    packed = _packed(fields, len(rows))
    if packed is not None:
        # each row takes the lower bits and its keys those above: all numbers differ, and one sort
        # of 64 bits puts them in the order of keys, then of where rows stood
        bits = max(len(rows) - 1, 1).bit_length()
        both = (packed[rows] << bits) | np.arange(len(rows))
        both.sort()
        rows = rows[both & ((1 << bits) - 1)]
    else:
        for keys, _ in reversed(fields):  # the last field first, so that earlier ones prevail
            rows = rows[np.argsort(keys[rows], kind="stable")]
    ranks = np.empty(len(rows), np.intp)
    ranks[rows] = np.arange(len(rows))
    return ranks


def _field_keys(table: Table, field: OrderField, backwards: bool) -> tuple[Rows, int]:
    """Return keys from 0 on in the order of a field, and the largest that there can be."""
    column = table.column(field.field, tr("the table that partners are taken from"))
    keys = _order_values(column)
    absent = column.absent
    if absent is not None:
        keys = np.where(absent, 0, keys)
    highest = int(keys.max(initial=0))
    if field.descending != backwards:
        keys = highest - keys  # from 0 on: turned without overflow
    if absent is not None:
        keys = np.where(absent, highest + 1, keys)
    return keys, highest + 1


def _packed(fields: Sequence[tuple[Rows, int]], n: int) -> Rows | None:
    """Return one key for each row made of all fields; None where it has no room beside a row."""
    size = 1
    for _, largest in fields:
        size *= largest + 1
    if not fields or size.bit_length() + max(n - 1, 1).bit_length() >= 63:
        return None
    packed: Rows = np.zeros(n, np.int64)
    for keys, largest in fields:
        packed = packed * (largest + 1) + keys
    return packed


_SPAN_AT_MOST = 2**40


def _order_values(column: Column) -> Rows:
    if column.kind is Kind.TEXT:
        assert column.dictionary is not None
        order = pc.sort_indices(column.dictionary).to_numpy()
        rank = np.zeros(len(order) + 1, np.int64)  # one more: a blank's code of -1 reads the last
        rank[order] = np.arange(len(order))
        ranks: Rows = rank[column.values]
        return ranks
    values = sortable(column)
    held = values if column.absent is None else values[~column.absent]
    if not values.dtype.names and len(held):
        low, high = int(held.min()), int(held.max())
        if high - low < _SPAN_AT_MOST:
            near: Rows = values - low  # beneath what is absent anything may lie; it is not read
            return near
    places: Rows = np.unique(values, return_inverse=True)[1]
    return places.astype(np.int64)


def _best(own: Rows, ranks: Rows, n_own: int) -> Rows:
    """Return the places of the pairs that hold each row's partner of the smallest rank."""
    # ranks differ from row to row of the other side, and a pair stands there once: so the smallest
    # of a row's ranks is one pair; rows without any are left out, since reduceat takes no empty run
    order, starts = grouped(own.astype(np.intp), n_own)
    times = np.diff(starts)
    ordered = ranks[order]
    best = np.minimum.reduceat(ordered, starts[:-1][times > 0])
    return np.sort(order[ordered == np.repeat(best, times[times > 0])])


def _recounted(before: Counts, left: Tally, right: Tally, ambiguous: int, of_left: bool) -> Counts:
    """Return the counts after the choice; what is said of link values stays as it was."""
    sides = [
        replace(
            own,
            found=int(np.count_nonzero(now)),
            multiplied=int(np.count_nonzero(now > 1)),
            ambiguous=ambiguous if marked else 0,
        )
        for own, now, marked in (
            (before.left, left, of_left),
            (before.right, right, not of_left),
        )
    ]
    return Counts(sides[0], sides[1], int(left.sum()))
