"""What a match is made of, in the shapes that the ways of matching give it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keen_trellis.base.errors import TooManyRowsError
from keen_trellis.base.language import tr
from keen_trellis.compute.join.keys import Codes, LinkCodes
from keen_trellis.compute.two_cores import for_each, together
from keen_trellis.data import Rows, row_dtype
from keen_trellis.plan.counts import Counts, SideCounts

Tally = NDArray[np.integer[Any]]

ROW_LIMIT = 200_000_000
"""More pairs than this are never built, and no outcome has more rows unless it is asked for."""

_ROWS_AT_A_TIME = 65_536

GROUPED_AT_A_TIME = 1 << 18
"""Rows that are added up at their groups without a pause: NumPy keeps the interpreter's lock
meanwhile, and whoever draws a window waits for it."""


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
        """Every pair of partners as left and right row numbers, by left, then right order.

        Raises
        ------
        TooManyRowsError
            There are more than `ROW_LIMIT`; nothing has been built.
        """
        require_few_pairs(self.counts.pairs)
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
        # A row without a partner stands once all the same. `pairs` is in left order, so its right
        # rows fill the places of those that have partners in turn, and the others keep their -1.
        times = np.maximum(self.partners, 1)
        n_left = len(times)
        left = np.repeat(np.arange(n_left, dtype=row_dtype(n_left)), times)
        right = np.full(len(left), -1, self.pairs[1].dtype)
        right[np.repeat(self.partners > 0, times)] = self.pairs[1]
        return left, right

    @property
    def ambiguous(self) -> Rows:
        """The rows that had several partners of which one, or none, was taken."""
        return np.zeros(0, np.int32)

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
        if self.at_most_one:  # a run of one: its place is the pair
            left = np.flatnonzero(self.partners)
            return left.astype(row_dtype(len(self.partners))), self.order[self.first[left]]
        return expanded(self.order, self.first, self.partners)

    @cached_property
    def pairs_and_left_only(self) -> tuple[Rows, Rows]:
        """As `pairs`, with the left rows that have none in their place, -1 at their right."""
        if self.at_most_one:
            n_left = len(self.partners)
            return np.arange(n_left, dtype=row_dtype(n_left)), self.order[self.first]
        require_few_pairs(self.counts.pairs)
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
        if self.turned:
            own, other = expanded(self.order, self.first, self.right_partners)
            return in_row_order(other, own)
        return expanded(self.order, self.first, self.partners, in_order=True)

    @cached_property
    def pairs_and_left_only(self) -> tuple[Rows, Rows]:
        """As `pairs`, with the left rows that have none in their place, -1 at their right."""
        if self.turned or not self.at_most_one or not len(self.order):
            return super().pairs_and_left_only
        n_left = len(self.partners)
        right = np.where(self.partners > 0, self.order.take(self.first, mode="clip"), -1)
        return np.arange(n_left, dtype=row_dtype(n_left)), right.astype(self.order.dtype)


@dataclass(frozen=True, eq=False)
class PairMatch(Match):
    """Partners that were found one by one.

    Attributes
    ----------
    found : (left row numbers, right row numbers)
        By left, then right order.
    several : ndarray of row numbers, or None
        Of the side whose rows take one partner, those that had several.
    """

    found: tuple[Rows, Rows]
    several: Rows | None = None

    @property
    def ambiguous(self) -> Rows:
        """The rows that had several partners of which one, or none, was taken."""
        return super().ambiguous if self.several is None else self.several

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


def require_few_pairs(pairs: int) -> None:
    """Refuse more pairs than memory should be asked for; `TooManyRowsError`."""
    if pairs > ROW_LIMIT:
        raise TooManyRowsError(
            tr(
                "{pairs:,} pairs of rows are too many to show; the limit is {row_limit:,}.",
                pairs=pairs,
                row_limit=ROW_LIMIT,
            ),
            tr("Add a link field: the fields chosen repeat on both sides."),
        )


def match_codes(codes: LinkCodes) -> RunMatch:
    """Return the partners of rows whose codes are equal."""
    left_tally, right_tally = together(
        lambda: tally(codes.left, codes.size), lambda: tally(codes.right, codes.size)
    )
    is_one = right_tally.max(initial=0) <= 1  # then a left row has a partner, or none
    (order, starts), (left_partners, right_partners) = together(
        lambda: grouped(codes.right, codes.size, right_tally),
        lambda: (
            None if is_one else _partners(right_tally, codes.left),
            _partners(left_tally, codes.right),
        ),
    )
    # `begins` has an entry for each code and one more at its end, which is where the code -1 of a
    # row without a key reads; both that and codes the right side lacks lead to the -1 behind the
    # order, so that no row has to be asked whether it has a partner.
    nowhere = len(order)

    def firsts() -> tuple[Rows, Tally]:
        begins = np.where(right_tally > 0, starts[:-1], nowhere).astype(order.dtype)
        first = np.append(begins, order.dtype.type(nowhere))[codes.left]
        if left_partners is not None:
            return first, left_partners
        return first, (first != nowhere).astype(np.int32)

    (first, partners), (left_counts, right_counts) = together(
        firsts,
        lambda: (
            _key_counts(len(codes.left), left_tally, right_tally),
            _key_counts(len(codes.right), right_tally, left_tally),
        ),
    )
    counts = Counts(left_counts, right_counts, pairs=int(np.dot(left_tally, right_tally)))
    return RunMatch(partners, right_partners, counts, np.append(order, order.dtype.type(-1)), first)


def counts_of(partners: Tally, right_partners: Tally, keys: LinkCodes) -> Counts:
    """Return counts by looking at the rows, where partners do not follow from keys alone."""
    return Counts(
        left=_row_counts(keys.left, keys.size, partners),
        right=_row_counts(keys.right, keys.size, right_partners),
        pairs=int(partners.sum()),
    )


def grouped(codes: Codes, size: int, rows: Tally | None = None) -> tuple[Rows, Rows]:
    """Return the row numbers grouped by code, in row order within a code, and where each starts.

    Code and row number are packed into one 64-bit number and sorted as such: NumPy sorts those
    with vector instructions (M. Blacher, J. Giesen, P. Sanders, J. Wassenberg, “Vectorized and
    performance-portable Quicksort”, Software: Practice and Experience 52, 2022), several times
    faster here than a counting sort, which writes all over memory. The starts have `size` + 1
    entries; rows without a key are left out. `rows` is the tally of the codes, if it is known.
    """
    n = len(codes)
    bits = max(n - 1, 1).bit_length()
    starts = np.zeros(size + 1, np.int64)
    np.cumsum(tally(codes, size) if rows is None else rows, out=starts[1:])
    n_blank = n - int(starts[-1])
    # A row takes the lower `bits` bits and its code those above, together less than 63: nothing
    # runs over, packed numbers are all different, and their order is that of code, then row.
    if size.bit_length() + bits < 63:
        packed = (codes << bits) | np.arange(n)  # rows without a key are negative: they come first
        packed.sort()
        order = packed[n_blank:] & ((1 << bits) - 1)
    else:
        order = np.argsort(codes, kind="stable")[n_blank:]
    return order.astype(row_dtype(n)), starts


def expanded(order: Rows, first: Rows, times: Tally, in_order: bool = False) -> tuple[Rows, Rows]:
    """Return each row `times` times, beside the rows of `order` from its `first` place on.

    A few rows at a time, so that what is worked out in between stays in the cache. With `in_order`
    the partners of a row stand by their numbers, and not as `order` has them.
    """
    n = len(times)
    starts = range(0, n, _ROWS_AT_A_TIME)
    sizes = [int(times[start : start + _ROWS_AT_A_TIME].sum()) for start in starts]
    places = np.cumsum([0, *sizes])
    own = np.empty(places[-1], row_dtype(n))
    other = np.empty(places[-1], order.dtype)

    def expand(number: int) -> None:
        rows = slice(starts[number], starts[number] + _ROWS_AT_A_TIME)
        out = slice(places[number], places[number + 1])
        # The k-th of a row's partners stands at first + k. With `ends` the running sum of times,
        # a row's first pair is the (ends - times)-th here, so k is the pair's number less that.
        ends = np.cumsum(times[rows], dtype=np.int64)
        mine = np.repeat(np.arange(len(ends)), times[rows])
        at = (first[rows] - (ends - times[rows]))[mine]
        at += np.arange(len(mine))
        np.take(order, at, out=other[out], mode="clip")
        if in_order:  # `mine` ascends already, so that sorting moves partners of one row alone
            other[out] = in_row_order(mine, other[out])[1]
        np.add(mine, starts[number], out=own[out], casting="unsafe")

    for_each(expand, range(len(starts)))
    return own, other


def in_row_order(left: Rows, right: Rows) -> tuple[Rows, Rows]:
    """Return pairs by left, then right order."""
    if len(left) == 0:
        return left, right
    # Both are row numbers below 2**31, or the pairs would not fit into memory: a right one takes
    # the lower bits and the left one those above, and the order of that is left, then right.
    bits = max(int(right.max()), 1).bit_length()
    joint = left.astype(np.int64)
    joint <<= bits  # in place: of ten million pairs each array in between costs as much as its work
    joint |= right
    joint.sort()
    others = np.empty_like(right)
    np.bitwise_and(joint, (1 << bits) - 1, out=others, casting="unsafe")
    joint >>= bits
    return joint.astype(left.dtype), others


def _partners(tally: Tally, codes: Codes) -> Tally:
    """Return how often each row's code occurs on the other side; 0 for a row without one."""
    # the entry at the end is where the code -1 of a row without a key reads
    small = np.append(tally, 0).astype(row_dtype(int(tally.max(initial=0))))
    partners: Tally = small[codes]
    return partners


def tally(codes: Codes, size: int) -> Tally:
    """Return how many rows have each code."""
    if len(codes) and codes.min() < 0:
        codes = codes[codes >= 0]
    if len(codes) < 2 * GROUPED_AT_A_TIME or size > GROUPED_AT_A_TIME:
        return np.bincount(codes, minlength=size)
    total = np.zeros(size, np.intp)
    for start in range(0, len(codes), GROUPED_AT_A_TIME):
        total += np.bincount(codes[start : start + GROUPED_AT_A_TIME], minlength=size)
    return total


def _key_counts(n_rows: int, own: Tally, other: Tally) -> SideCounts:
    return SideCounts(
        rows=n_rows,
        found=_rows_of(own, other > 0),
        blank=n_rows - int(own.sum()),
        repeated=_rows_of(own, own > 1),
        multiplied=_rows_of(own, other > 1),
        distinct=int(np.count_nonzero(own)),
        distinct_found=int(np.count_nonzero((own > 0) & (other > 0))),
    )


def _rows_of(own: Tally, chosen: NDArray[np.bool_]) -> int:
    """Return how many rows have one of the chosen values; in one pass, with nothing in between."""
    return int(np.einsum("i,i->", own, chosen))


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
