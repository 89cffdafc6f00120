"""Which rows are partners: the match, from which bays, counts and outcomes are read off."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, reduce
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keen_trellis.data import Rows, Table, row_dtype
from keen_trellis.errors import LinkError
from keen_trellis.match.counts import Counts, SideCounts
from keen_trellis.match.keys import Codes, LinkCodes, codes_of, combine
from keen_trellis.match.link import Link, LinkField
from keen_trellis.progress import Report, quiet

Tally = NDArray[np.integer[Any]]


@dataclass(frozen=True, eq=False)  # no slots: pairs are kept once they have been asked for
class Match:
    """The partners of every row.

    A left row's partners are a run in `order`: right rows, grouped so that the partners of any
    one left row stand together. So the number of pairs is known before a single pair is built,
    and a lookup with one partner a row needs no pairs at all.

    Attributes
    ----------
    order : ndarray of right row numbers
        With a -1 at its end, for the rows that have no partner.
    first : ndarray, shape (left rows,)
        Where the run of each left row starts in `order`; the last place for one without a partner.
    partners : ndarray, shape (left rows,)
        How long the run of each left row is; 0 where it has no partner.
    right_partners : ndarray, shape (right rows,)
        How many left rows each right row is a partner of.
    counts : Counts
    """

    order: Rows
    first: Rows
    partners: Tally
    right_partners: Tally
    counts: Counts

    @cached_property
    def left_only(self) -> Rows:
        """The left rows without a partner, in their order."""
        return np.flatnonzero(self.partners == 0).astype(row_dtype(len(self.partners)))

    @cached_property
    def right_only(self) -> Rows:
        """The right rows without a partner, in their order."""
        return np.flatnonzero(self.right_partners == 0).astype(row_dtype(len(self.right_partners)))

    @cached_property
    def pairs(self) -> tuple[Rows, Rows]:
        """Every pair of partners as left and right row numbers, by left, then right order."""
        if self._at_most_one:
            left = np.flatnonzero(self.partners)
            return left.astype(row_dtype(len(self.partners))), self.order[self.first[left]]
        return self._expand(self.partners)

    @cached_property
    def pairs_and_left_only(self) -> tuple[Rows, Rows]:
        """As `pairs`, with the left rows that have none in their place, -1 at their right."""
        if self._at_most_one:
            n_left = len(self.partners)
            return np.arange(n_left, dtype=row_dtype(n_left)), self.order[self.first]
        return self._expand(np.maximum(self.partners, 1))

    @property
    def _at_most_one(self) -> bool:
        return self.counts.left.multiplied == 0

    def _expand(self, times: Tally) -> tuple[Rows, Rows]:
        """Return each left row `times` times beside its partners."""
        n_left = len(times)
        left = np.repeat(np.arange(n_left, dtype=row_dtype(n_left)), times)
        starts = self.first - (np.cumsum(times) - times)
        place = np.repeat(starts, times)
        place += np.arange(len(place))
        return left, self.order[place]


def match(
    left: Table,
    right: Table,
    link: Link,
    names: tuple[str, str] = ("the left table", "the right table"),
    report: Report = quiet,
) -> Match:
    """Return the partners of every row under `link`.

    Linear in the rows of both sides: codes by direct addressing or hashing, partners by a
    counting sort.

    Raises
    ------
    UnknownColumnError
        A link field is not a column of its table.
    LinkError
        There is no link field, or the kinds of two fields differ.
    """
    if not link.fields:
        raise LinkError(
            f"{names[0]} and {names[1]} are tied without a link field.",
            "Choose a field of each that belong together.",
        )
    report(0.0, f"Comparing {names[0]} with {names[1]}")
    codes: list[LinkCodes] = []
    for place, field in enumerate(link.fields):
        codes.append(_field_codes(left, right, field, names))
        report(0.7 * (place + 1) / len(link.fields), f"Comparing {field.left} with {field.right}")
    return match_codes(reduce(combine, codes))


def match_codes(codes: LinkCodes) -> Match:
    """Return the partners of rows whose codes are equal."""
    left_tally, right_tally = _tally(codes.left, codes.size), _tally(codes.right, codes.size)
    order, starts = grouped(codes.right, codes.size)
    nowhere = len(order)  # where the -1 at the end of the order stands
    first = np.append(np.where(right_tally > 0, starts[:-1], nowhere), nowhere)[codes.left]
    if right_tally.max(initial=0) <= 1:
        partners = (first != nowhere).astype(np.int32)
    else:
        partners = np.append(right_tally, 0)[codes.left]
    counts = Counts(
        left=_side_counts(len(codes.left), left_tally, right_tally),
        right=_side_counts(len(codes.right), right_tally, left_tally),
        pairs=int(np.dot(left_tally, right_tally)),
    )
    right_partners = np.append(left_tally, 0)[codes.right]
    return Match(np.append(order, -1), first, partners, right_partners, counts)


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


def _field_codes(left: Table, right: Table, field: LinkField, names: Sequence[str]) -> LinkCodes:
    left_kind = left.field(field.left, names[0]).kind
    right_kind = right.field(field.right, names[1]).kind
    if left_kind is not right_kind:
        raise LinkError(
            f"“{field.left}” in {names[0]} is {_with_article(left_kind)}, but “{field.right}” in "
            f"{names[1]} is {_with_article(right_kind)}: as they are, no row can find a partner.",
            "Link fields of one kind, or mend the column at its source so that the kinds agree.",
        )
    return codes_of(left.column(field.left), right.column(field.right))


def _with_article(kind: str) -> str:
    words = {"text": "text", "exact decimal": "an exact decimal", "yes/no": "yes/no"}
    return words.get(kind, f"a {kind}")


def _tally(codes: Codes, size: int) -> Tally:
    """Return how many rows have each code."""
    if len(codes) and codes.min() < 0:
        codes = codes[codes >= 0]
    return np.bincount(codes, minlength=size)


def _side_counts(n_rows: int, own: Tally, other: Tally) -> SideCounts:
    return SideCounts(
        rows=n_rows,
        found=int(own[other > 0].sum()),
        blank=n_rows - int(own.sum()),
        repeated=int(own[own > 1].sum()),
        multiplied=int(own[other > 1].sum()),
        distinct=int(np.count_nonzero(own)),
        distinct_found=int(np.count_nonzero((own > 0) & (other > 0))),
    )
