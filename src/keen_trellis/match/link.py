"""What belongs together: the fields of a link, and the bays that are kept."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from typing import Literal


class Bay(StrEnum):
    """One of the three groups of rows at a tie."""

    LEFT = "left"
    BOTH = "both"
    RIGHT = "right"


Keep = tuple[Bay, ...]
"""The bays whose rows go on, in the order left, both, right."""

JOIN_NAMES: dict[Keep, str] = {
    (Bay.BOTH,): "inner",
    (Bay.LEFT, Bay.BOTH): "left outer",
    (Bay.BOTH, Bay.RIGHT): "right outer",
    (Bay.LEFT, Bay.BOTH, Bay.RIGHT): "full outer",
    (Bay.LEFT,): "left anti",
    (Bay.RIGHT,): "right anti",
    (Bay.LEFT, Bay.RIGHT): "full anti",
}
"""The name of the join that follows from the bays kept."""

Operator = Literal["="]


@dataclass(frozen=True, slots=True)
class LinkField:
    """A field of the left table and the field of the right table that it is compared with."""

    left: str
    right: str
    operator: Operator = "="


@dataclass(frozen=True, slots=True)
class Link:
    """Everything that decides which rows are partners; what is kept is another matter.

    Attributes
    ----------
    fields : tuple of LinkField
        All of them must hold together (a compound key).
    """

    fields: tuple[LinkField, ...]


def keep_of(bays: Iterable[str]) -> Keep:
    """Return the bays in their order, each once.

    Raises
    ------
    ValueError
        None is given, or one that is not a bay.
    """
    chosen = {Bay(bay) for bay in bays}
    if not chosen:
        raise ValueError("At least one of left, both and right must be kept.")
    return tuple(bay for bay in Bay if bay in chosen)
