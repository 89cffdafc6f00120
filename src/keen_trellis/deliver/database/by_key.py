"""Rows that update a table by its key: new ones are added, changed ones changed, all else stays."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keen_trellis.base.errors import DeliveryError
from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.words import counted, listed, with_capital
from keen_trellis.compute.join.keys import codes_of
from keen_trellis.data import Rows, Table
from keen_trellis.data.conversions.conversion import in_common_kind


@dataclass(frozen=True, slots=True, eq=False)
class ByKey:
    """What an update does to a table.

    Attributes
    ----------
    new, changed : ndarray of row numbers
        The rows that are added, and those of which a cell there is another.
    same : int
        The rows that stand there as they are.
    others : int
        The rows there that no row has the key of: they stay.
    """

    new: Rows
    changed: Rows
    same: int
    others: int

    @property
    def numbers(self) -> dict[str, int]:
        """How many rows there are of each."""
        return {
            "new": len(self.new),
            "changed": len(self.changed),
            "same": self.same,
            "others": self.others,
        }

    def sentence(self) -> str:
        """Return what it does, in words."""
        parts = [
            tr("{rows} added", rows=counted(len(self.new), "row")),
            tr("{n:,} changed", n=len(self.changed)),
            tr("{n:,} as they were", n=self.same),
        ]
        if self.others:
            parts.append(tr_n(self.others, "{n:,} only there stays", "{n:,} only there stay"))
        return listed(parts)


def held_against(table: Table, there: Table, key: str, words: str) -> ByKey:
    """Return what an update of a table by a key does.

    Parameters
    ----------
    table : Table
        The rows that are delivered; their keys are there and all different (`require_names`).
    there : Table
        The rows of the table as they stand there.
    key : str
    words : str
        The table and where it is.

    Raises
    ------
    DeliveryError
        No key is chosen, a column is not there, or a key stands there more than once.
    """
    if not key:
        raise DeliveryError(
            tr("{words} is to be updated without a key.", words=with_capital(words)),
            tr("Choose the column that tells its rows apart."),
        )
    missing = [name for name in table.columns if name not in there.columns]
    if missing:
        raise DeliveryError(
            tr("{words} has no column “{name}”.", words=with_capital(words), name=missing[0]),
            tr("Let the columns go on that it has, or replace the table."),
        )
    mine, theirs = in_common_kind([table.column(key), there.column(key)])
    codes = codes_of(mine, theirs)
    # Below 0 is a row there without a key: nobody can mean it.
    held = codes.right[codes.right >= 0]
    if len(np.unique(held)) < len(held):
        raise DeliveryError(
            tr("“{key}” stands more than once in {words}.", key=key, words=words),
            tr("Choose a key that tells its rows apart, or replace the table."),
        )
    # The row there of each code; one more place takes the rows without a key.
    place = np.full(codes.size + 1, -1, np.intp)
    place[codes.right] = np.arange(len(there))
    place[-1] = -1
    partner = place[codes.left]
    found = np.flatnonzero(partner >= 0)
    is_changed = np.zeros(len(found), np.bool_)
    old, now = there.take(partner[found]), table.take(found)
    for name in table.columns:
        if name != key:
            one, other = in_common_kind([now.column(name), old.column(name)])
            cells = codes_of(one, other)
            is_changed |= cells.left != cells.right
    return ByKey(
        np.flatnonzero(partner < 0),
        found[is_changed],
        int(np.count_nonzero(~is_changed)),
        len(there) - len(found),
    )
