"""The document and what is done with it: edits, storage, running, describing, delivering."""

from keen_trellis.flow.delivering import Delivered, make_deliveries
from keen_trellis.flow.describe import describe
from keen_trellis.flow.document import DeliveryItem, Lane, LinkedFields, TieItem, Trellis
from keen_trellis.flow.run import Results, Runner
from keen_trellis.flow.sources import (
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
from keen_trellis.flow.storage import load, save

__all__ = [
    "ColumnarSource",
    "DelimitedSource",
    "Delivered",
    "DeliveryItem",
    "FolderSource",
    "Lane",
    "LinkedFields",
    "QuerySource",
    "Results",
    "Runner",
    "SheetSource",
    "Source",
    "TableSource",
    "TieItem",
    "Trellis",
    "TypedSource",
    "describe",
    "load",
    "make_deliveries",
    "save",
    "source_words",
]
