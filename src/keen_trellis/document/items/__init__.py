"""The kinds of items. A new one is a module here, a place in `KINDS`, a folder in the desktop."""

from typing import Annotated

from pydantic import Field

from keen_trellis.document.items.base import Item, Part, Taken
from keen_trellis.document.items.blend import BlendedLane, BlendItem, FigureItem
from keen_trellis.document.items.delivery import DeliveryItem
from keen_trellis.document.items.filter import ConditionItem, FilterItem
from keen_trellis.document.items.join import (
    JoinItem,
    LinkedFields,
    OrderedBy,
    Promised,
    SameValues,
    WantedColumns,
)
from keen_trellis.document.items.stack import StackedLane, StackItem

KINDS: tuple[type[Item], ...] = (FilterItem, JoinItem, BlendItem, StackItem, DeliveryItem)
"""Every kind of item that a lane can hold."""

AnyItem = Annotated[
    FilterItem | JoinItem | BlendItem | StackItem | DeliveryItem, Field(discriminator="type")
]

__all__ = [
    "KINDS",
    "AnyItem",
    "BlendItem",
    "BlendedLane",
    "ConditionItem",
    "DeliveryItem",
    "FigureItem",
    "FilterItem",
    "Item",
    "JoinItem",
    "LinkedFields",
    "OrderedBy",
    "Part",
    "Promised",
    "SameValues",
    "StackItem",
    "StackedLane",
    "Taken",
    "WantedColumns",
]
