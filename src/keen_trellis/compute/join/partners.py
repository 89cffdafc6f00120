"""Which partner, when there are several: the first, the last, or only one that is alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pyarrow.compute as pc

from keen_trellis.compute.join.comparing import sortable
from keen_trellis.compute.join.match import Match, PairMatch, Tally, grouped
from keen_trellis.data import Column, Kind, Rows, Table
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
    a, b = found.pairs
    own, other = (a, b) if of_left else (b, a)
    if link.partner == "only":
        chosen: Rows = np.flatnonzero(partners[own] == 1)
    else:
        ranks = row_ranks(right if of_left else left, link.order, link.partner == "last")[other]
        chosen = _best(own, ranks, len(partners))
    a, b = a[chosen], b[chosen]
    left_now = np.bincount(a, minlength=len(left))
    right_now = np.bincount(b, minlength=len(right))
    counts = _recounted(found.counts, left_now, right_now, ambiguous=len(several), of_left=of_left)
    return PairMatch(left_now, right_now, counts, (a, b), several)


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
    # the last field is sorted first and every sort is stable, so that earlier fields prevail and
    # equal rows stay as they stood; what is backwards begins backwards, that equal rows are so too
    rows: Rows = np.arange(len(table))[::-1] if backwards else np.arange(len(table))
    for field in reversed(order):
        column = table.column(field.field, "the table that partners are taken from")
        keys = _order_values(column)  # places from 0 on: highest - keys turns them without overflow
        highest = keys.max(initial=0)
        if field.descending != backwards:
            keys = highest - keys
        absent = column.absent
        if absent is not None:
            keys = np.where(absent, highest + 1, keys)
        rows = rows[np.argsort(keys[rows], kind="stable")]
    ranks = np.empty(len(rows), np.intp)
    ranks[rows] = np.arange(len(rows))
    return ranks


def _order_values(column: Column) -> Rows:
    if column.kind is Kind.TEXT:
        assert column.dictionary is not None
        order = pc.sort_indices(column.dictionary).to_numpy()
        rank = np.zeros(len(order) + 1, np.int64)  # one more: a blank's code of -1 reads the last
        rank[order] = np.arange(len(order))
        ranks: Rows = rank[column.values]
        return ranks
    places: Rows = np.unique(sortable(column), return_inverse=True)[1]
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
