"""Which columns go on from a tie, and what the join is called."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from keen_trellis.errors import known
from keen_trellis.plan.bays import JOIN_NAMES, Bay, Keep
from keen_trellis.plan.link import SIDES, Side

SameNamed = Literal["both", "left", "right", "filled"]
LinkShown = Literal["once", "both"]


@dataclass(frozen=True, slots=True)
class Columns:
    """Which columns go on from a tie, and what becomes of those with the same name.

    Attributes
    ----------
    same_named : "both", "left", "right" or "filled"
        Keep both, the right one with the right table's name behind it; keep one; or make one of
        them, from the left where that is not a gap.
    link : "once" or "both"
        Whether a link field compared for equality stands there once, under its left name, filled
        from whichever side has the row.
    left, right : tuple of str, or None
        The columns wanted from a side; None takes all, and what is asked for by name always goes
        on. With none at all from one side and only the bay of both kept, the join is a semi join:
        each found row goes on once.

    Raises
    ------
    WordError
        `same_named` or `link` is a word that is not known.
    """

    same_named: SameNamed = "both"
    link: LinkShown = "once"
    left: tuple[str, ...] | None = None
    right: tuple[str, ...] | None = None

    def __post_init__(self) -> None:
        known("What becomes of columns of one name", self.same_named, get_args(SameNamed))
        known("How often a link field stands", self.link, get_args(LinkShown))
        for side in SIDES:
            wanted = getattr(self, side)
            if wanted is not None:  # one name by itself is that column, not its letters
                names = (wanted,) if isinstance(wanted, str) else tuple(wanted)
                object.__setattr__(self, side, names)


ALL_COLUMNS = Columns()
"""Every column of both sides; link fields once, others of the same name both."""


def join_name(keep: Keep, columns: Columns = ALL_COLUMNS) -> str:
    """Return the name of the join that the kept bays and the wanted columns make."""
    side = semi_side(keep, columns)
    return f"{side} semi" if side else JOIN_NAMES[keep]


def semi_side(keep: Keep, columns: Columns) -> Side | None:
    """Return the side whose found rows go on once each, where the join is a semi join."""
    if keep == (Bay.BOTH,):
        if columns.right == ():
            return "left"
        if columns.left == ():
            return "right"
    return None
