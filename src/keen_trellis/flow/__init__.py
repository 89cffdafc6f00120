"""The document and what is done with it: edits, storage, running, describing, delivering."""

from keen_trellis.flow.delivering import Delivered, make_deliveries
from keen_trellis.flow.describe import describe
from keen_trellis.flow.document import (
    DelimitedSource,
    DeliveryItem,
    Lane,
    LinkedFields,
    SheetSource,
    Source,
    TableSource,
    TieItem,
    Trellis,
)
from keen_trellis.flow.run import Results, Runner, read_source
from keen_trellis.flow.storage import load, save

__all__ = [
    "DelimitedSource",
    "Delivered",
    "DeliveryItem",
    "Lane",
    "LinkedFields",
    "Results",
    "Runner",
    "SheetSource",
    "Source",
    "TableSource",
    "TieItem",
    "Trellis",
    "describe",
    "load",
    "make_deliveries",
    "read_source",
    "save",
]
