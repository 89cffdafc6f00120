"""Items that go on without a column that is no longer there."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ValidationError

from keen_trellis.document.items import BlendItem, Item, JoinItem
from keen_trellis.plan.link import Side

_GONE = "\ue000gone\ue000"
"""A name for private use, which no column has; it also survives inside a formula."""


def without(item: Item, column: str, side: Side | int = "left") -> Item | None:
    """Return an item with all that names a column taken out of it.

    None where it names no such column, or is nothing without it: a split column, a link field,
    what a promise is about.

    Parameters
    ----------
    item : Item
    column : str
    side : Side or int
        Whose column it is: of its own lane ("left"), or of one that it takes.
    """
    # Renamed by the item itself, which knows every place where it names a column, also within
    # formulas; what bears the odd name then is taken out, whatever kind of item it is.
    marked = item.renamed(lambda name: _GONE if name == column else name, side)
    if marked == item:
        return None
    kept: dict[str, Any] = {}
    for name, value in dict(marked).items():
        left = _left_of(value)
        # A setting that is about the column as a whole cannot lose it and still mean something.
        if left is None and value is not None:
            return None
        kept[name] = left
    try:
        made = type(item)(**kept)
    except ValidationError:
        # Nothing is left that such an item could be.
        return None
    return None if _means_another(item, made) else made


def _left_of(value: Any) -> Any:
    """Return what is left of a setting; None where it is about the column as a whole."""
    if isinstance(value, str):
        return None if _GONE in value else value
    if isinstance(value, tuple):
        return tuple(one for one in map(_left_of, value) if one is not None)
    if isinstance(value, dict):
        return {
            name: one
            for name, one in value.items()
            if _left_of(name) is not None and _left_of(one) is not None
        }
    if isinstance(value, BaseModel):
        parts = {name: _left_of(part) for name, part in dict(value).items()}
        if any(parts[name] is None and part is not None for name, part in dict(value).items()):
            return None
        return type(value)(**parts)
    return value


def _means_another(item: Item, made: Item) -> bool:
    """Whether what is left would bring other rows together, or no longer be checked."""
    if isinstance(item, JoinItem) and isinstance(made, JoinItem):
        same = len(item.link) == len(made.link) and len(item.order) == len(made.order)
        return not same or len(item.promises) != len(made.promises)
    if isinstance(item, BlendItem) and isinstance(made, BlendItem):
        fields = [len(item.fields), *(len(lane.fields) for lane in item.lanes)]
        return fields != [len(made.fields), *(len(lane.fields) for lane in made.lanes)]
    return False
