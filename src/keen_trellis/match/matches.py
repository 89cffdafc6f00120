"""What a match is made of, in the shapes that the ways of matching give it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keen_trellis.data import Rows, row_dtype
from keen_trellis.match.counts import Counts, SideCounts
from keen_trellis.match.keys import Codes, LinkCodes

Tally = NDArray[np.integer[Any]]


@dataclass(frozen=True, eq=False)  # no slots: pairs are kept once they have been asked for
class Match(ABC):
    """The partners of every row. Counts are known before a single pair is built.

    Attributes
    ----------
    partners : ndarray, shape (left rows,)
        How many partners each left row has.
    right_partners : ndarray, shape (right rows,)
        How many left rows each right row is a partner of.
    counts : Counts
    """

    partners: Tally
    right_partners: Tally
    counts: Counts

    @abstractmethod
    def _pairs(self) -> tuple[Rows, Rows]:
        """Build every pair, by left, then right order."""

    @cached_property
    def pairs(self) -> tuple[Rows, Rows]:
        """Every pair of partners as left and right row numbers, by left, then right order."""
        return self._pairs()

    @cached_property
    def left_only(self) -> Rows:
        """The left rows without a partner, in their order."""
        return np.flatnonzero(self.partners == 0).astype(row_dtype(len(self.partners)))

    @cached_property
    def right_only(self) -> Rows:
        """The right rows without a partner, in their order."""
        return np.flatnonzero(self.right_partners == 0).astype(row_dtype(len(self.right_partners)))

    @cached_property
    def pairs_and_left_only(self) -> tuple[Rows, Rows]:
        """As `pairs`, with the left rows that have none in their place, -1 at their right."""
        if self.counts.left.not_found == 0:
            return self.pairs
        times = np.maximum(self.partners, 1)
        n_left = len(times)
        left = np.repeat(np.arange(n_left, dtype=row_dtype(n_left)), times)
        right = np.full(len(left), -1, self.pairs[1].dtype)
        right[np.repeat(self.partners > 0, times)] = self.pairs[1]
        return left, right

    @property
    def at_most_one(self) -> bool:
        """Whether no left row has more than one partner."""
        return self.counts.left.multiplied == 0


@dataclass(frozen=True, eq=False)
class RunMatch(Match):
    """Partners by equality: a left row's partners are a run of right rows in row order.

    Attributes
    ----------
    order : ndarray of right row numbers
        Grouped by link value; with a -1 at its end, for the rows that have no partner.
    first : ndarray, shape (left rows,)
        Where the run of each left row starts in `order`; the last place for one without a partner.
    """

    order: Rows
    first: Rows

    def _pairs(self) -> tuple[Rows, Rows]:
        if self.at_most_one:
            left = np.flatnonzero(self.partners)
            return left.astype(row_dtype(len(self.partners))), self.order[self.first[left]]
        return expanded(self.order, self.first, self.partners)

    @cached_property
    def pairs_and_left_only(self) -> tuple[Rows, Rows]:
        """As `pairs`, with the left rows that have none in their place, -1 at their right."""
        if self.at_most_one:
            n_left = len(self.partners)
            return np.arange(n_left, dtype=row_dtype(n_left)), self.order[self.first]
        return expanded(self.order, self.first, np.maximum(self.partners, 1))


@dataclass(frozen=True, eq=False)
class SortedRunMatch(Match):
    """Partners by a range: each row of one side has a run in the sorted rows of the other.

    Attributes
    ----------
    order : ndarray of row numbers
        The rows of the side that was sorted.
    first : ndarray
        Where the run of each row of the other side starts.
    turned : bool
        Whether the left side was sorted, and the runs are those of the right rows.
    """

    order: Rows
    first: Rows
    turned: bool = False

    def _pairs(self) -> tuple[Rows, Rows]:
        times = self.right_partners if self.turned else self.partners
        own, other = expanded(self.order, self.first, times)
        return in_row_order(other, own) if self.turned else in_row_order(own, other)


@dataclass(frozen=True, eq=False)
class PairMatch(Match):
    """Partners that were found one by one.

    Attributes
    ----------
    found : (left row numbers, right row numbers)
        By left, then right order.
    """

    found: tuple[Rows, Rows]

    def _pairs(self) -> tuple[Rows, Rows]:
        return self.found

    @classmethod
    def of(cls, left: Rows, right: Rows, n_left: int, n_right: int, keys: LinkCodes) -> PairMatch:
        """Return the match of pairs that stand in left, then right order."""
        partners = np.bincount(left, minlength=n_left)
        right_partners = np.bincount(right, minlength=n_right)
        counts = counts_of(partners, right_partners, keys)
        found = left.astype(row_dtype(n_left)), right.astype(row_dtype(n_right))
        return cls(partners, right_partners, counts, found)


@dataclass(frozen=True, eq=False)
class CrossMatch(Match):
    """Every row is a partner of every row."""

    def _pairs(self) -> tuple[Rows, Rows]:
        n_left, n_right = len(self.partners), len(self.right_partners)
        left = np.repeat(np.arange(n_left, dtype=row_dtype(n_left)), n_right)
        return left, np.tile(np.arange(n_right, dtype=row_dtype(n_right)), n_left)

    @classmethod
    def of(cls, n_left: int, n_right: int) -> CrossMatch:
        """Return the match of two tables of so many rows."""
        keys = LinkCodes(np.zeros(n_left, np.intp), np.zeros(n_right, np.intp), 1)
        partners, right_partners = np.full(n_left, n_right), np.full(n_right, n_left)
        return cls(partners, right_partners, counts_of(partners, right_partners, keys))


def match_codes(codes: LinkCodes) -> RunMatch:
    """Return the partners of rows whose codes are equal."""
    left_tally, right_tally = tally(codes.left, codes.size), tally(codes.right, codes.size)
    order, starts = grouped(codes.right, codes.size)
    nowhere = len(order)  # where the -1 at the end of the order stands
    first = np.append(np.where(right_tally > 0, starts[:-1], nowhere), nowhere)[codes.left]
    if right_tally.max(initial=0) <= 1:
        partners: Tally = (first != nowhere).astype(np.int32)
    else:
        partners = np.append(right_tally, 0)[codes.left]
    counts = Counts(
        left=_key_counts(len(codes.left), left_tally, right_tally),
        right=_key_counts(len(codes.right), right_tally, left_tally),
        pairs=int(np.dot(left_tally, right_tally)),
    )
    right_partners = np.append(left_tally, 0)[codes.right]
    return RunMatch(partners, right_partners, counts, np.append(order, -1), first)


def counts_of(partners: Tally, right_partners: Tally, keys: LinkCodes) -> Counts:
    """Return counts by looking at the rows, where partners do not follow from keys alone."""
    return Counts(
        left=_row_counts(keys.left, keys.size, partners),
        right=_row_counts(keys.right, keys.size, right_partners),
        pairs=int(partners.sum()),
    )


def grouped(codes: Codes, size: int) -> tuple[Rows, Rows]:
    """Return the row numbers grouped by code, in row order within a code, and where each starts.

    A counting sort: turning a sparse matrix with one entry a row from rows to columns is one.
    The starts have `size` + 1 entries; rows without a key are left out.
    """
    from scipy import sparse  # takes a while to load, and the window need not wait for it

    n = len(codes)
    dtype = row_dtype(n)
    held = codes >= 0
    ends = np.concatenate([[0], np.cumsum(held)]).astype(dtype)
    columns = codes[held].astype(dtype)
    ones = np.ones(len(columns), np.int8)
    by_column = sparse.csr_array((ones, columns, ends), shape=(n, size)).tocsc()
    return by_column.indices, by_column.indptr


def expanded(order: Rows, first: Rows, times: Tally) -> tuple[Rows, Rows]:
    """Return each row `times` times, beside the rows of `order` from its `first` place on."""
    n = len(times)
    own = np.repeat(np.arange(n, dtype=row_dtype(n)), times)
    place = np.repeat(first - (np.cumsum(times) - times), times)
    place += np.arange(len(place))
    return own, order[place]


def in_row_order(left: Rows, right: Rows) -> tuple[Rows, Rows]:
    """Return pairs by left, then right order."""
    if len(left) == 0:
        return left, right
    n_right = int(right.max()) + 1
    joint = left.astype(np.int64) * n_right + right
    joint.sort()
    return (joint // n_right).astype(left.dtype), (joint % n_right).astype(right.dtype)


def tally(codes: Codes, size: int) -> Tally:
    """Return how many rows have each code."""
    if len(codes) and codes.min() < 0:
        codes = codes[codes >= 0]
    return np.bincount(codes, minlength=size)


def _key_counts(n_rows: int, own: Tally, other: Tally) -> SideCounts:
    return SideCounts(
        rows=n_rows,
        found=int(own[other > 0].sum()),
        blank=n_rows - int(own.sum()),
        repeated=int(own[own > 1].sum()),
        multiplied=int(own[other > 1].sum()),
        distinct=int(np.count_nonzero(own)),
        distinct_found=int(np.count_nonzero((own > 0) & (other > 0))),
    )


def _row_counts(codes: Codes, size: int, partners: Tally) -> SideCounts:
    own = tally(codes, size)
    with_partner = tally(codes[partners > 0], size)
    return SideCounts(
        rows=len(codes),
        found=int(np.count_nonzero(partners)),
        blank=len(codes) - int(own.sum()),
        repeated=int(own[own > 1].sum()),
        multiplied=int(np.count_nonzero(partners > 1)),
        distinct=int(np.count_nonzero(own)),
        distinct_found=int(np.count_nonzero(with_partner)),
    )
