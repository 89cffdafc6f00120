"""The document and what is done with it: lanes, sources, items, edits, storage, describing."""

from keen_trellis.document.describe import describe
from keen_trellis.document.items import (
    BlendItem,
    ConditionItem,
    DeliveryItem,
    FilterItem,
    Item,
    JoinItem,
    LinkedFields,
    StackedLane,
    StackItem,
)
from keen_trellis.document.sources import (
    ColumnarSource,
    DelimitedSource,
    FolderSource,
    QuerySource,
    SheetSource,
    Source,
    TableSource,
    TypedSource,
    source_words,
)
from keen_trellis.document.storage import load, save
from keen_trellis.document.trellis import Lane, Trellis

__all__ = [
    "BlendItem",
    "ColumnarSource",
    "ConditionItem",
    "DelimitedSource",
    "DeliveryItem",
    "FilterItem",
    "FolderSource",
    "Item",
    "JoinItem",
    "Lane",
    "LinkedFields",
    "QuerySource",
    "SheetSource",
    "Source",
    "StackItem",
    "StackedLane",
    "TableSource",
    "Trellis",
    "TypedSource",
    "describe",
    "load",
    "save",
    "source_words",
]
