"""The three groups of rows at a tie, and the joins that keeping or leaving them makes."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum

from keen_trellis.base.errors import known
from keen_trellis.base.language import marked, tr


class Bay(StrEnum):
    """One of the three groups of rows at a tie."""

    LEFT = "left"
    BOTH = "both"
    RIGHT = "right"


Keep = tuple[Bay, ...]
"""The bays whose rows go on, in the order left, both, right."""

JOIN_NAMES: dict[Keep, str] = {
    (Bay.BOTH,): marked("inner"),
    (Bay.LEFT, Bay.BOTH): marked("left outer"),
    (Bay.BOTH, Bay.RIGHT): marked("right outer"),
    (Bay.LEFT, Bay.BOTH, Bay.RIGHT): marked("full outer"),
    (Bay.LEFT,): marked("left anti"),
    (Bay.RIGHT,): marked("right anti"),
    (Bay.LEFT, Bay.RIGHT): marked("full anti"),
}
"""The name of the join that follows from the bays kept."""
SEMI_NAMES = {"left": marked("left semi"), "right": marked("right semi")}
"""The name of the join that keeps what both have, without the columns of the other side."""


def keep_of(bays: Iterable[str] | str) -> Keep:
    """Return the bays in their order, each once; the name of a join stands for its bays.

    >>> keep_of("left outer") == keep_of(["both", "left"])
    True

    Raises
    ------
    WordError
        One is no bay, or the text no name of a join.
    ValueError
        None is given.
    """
    if isinstance(bays, str):
        named = {name: keep for keep, name in JOIN_NAMES.items()}
        known(tr("What is kept"), bays, list(named))
        return named[bays]
    chosen = list(bays)
    for bay in chosen:
        known(tr("A bay"), bay, list(Bay))
    if not chosen:
        raise ValueError("At least one of left, both and right must be kept.")
    return tuple(bay for bay in Bay if bay in chosen)
