"""The kinds of items. A new one is a module here, a place in `KINDS`, a folder in the desktop."""

from typing import Annotated

from pydantic import Field

from keen_trellis.document.items.across import AcrossItem
from keen_trellis.document.items.blend import BlendedLane, BlendItem, FigureItem
from keen_trellis.document.items.columns import ColumnsItem
from keen_trellis.document.items.delivery import Beside, DeliveryItem, IntoTable
from keen_trellis.document.items.fill import FillItem
from keen_trellis.document.items.filter import ConditionItem, FilterItem
from keen_trellis.document.items.first import FirstItem
from keen_trellis.document.items.formula import FormulaItem, NamedFormula
from keen_trellis.document.items.item import Item, Part, StepItem, Taken
from keen_trellis.document.items.join import (
    JoinItem,
    LinkedFields,
    OrderedBy,
    Promised,
    SameValues,
    WantedColumns,
)
from keen_trellis.document.items.kinds import KindsItem
from keen_trellis.document.items.order import OrderItem
from keen_trellis.document.items.pivot import PivotItem
from keen_trellis.document.items.repeats import RepeatsItem
from keen_trellis.document.items.replace import ReplaceItem, Replacement
from keen_trellis.document.items.split import SplitItem
from keen_trellis.document.items.stack import StackedLane, StackItem
from keen_trellis.document.items.summarise import SummariseItem
from keen_trellis.document.items.tidy import TidyItem
from keen_trellis.document.items.together import TogetherItem
from keen_trellis.document.items.unpivot import UnpivotItem

STEPS: tuple[type[StepItem], ...] = (
    FilterItem,
    TidyItem,
    ReplaceItem,
    FormulaItem,
    FillItem,
    ColumnsItem,
    KindsItem,
    SplitItem,
    TogetherItem,
    UnpivotItem,
    PivotItem,
    AcrossItem,
    RepeatsItem,
    SummariseItem,
    OrderItem,
    FirstItem,
)
"""Every kind of step, in the order in which they are offered."""

KINDS: tuple[type[Item], ...] = (*STEPS, JoinItem, BlendItem, StackItem, DeliveryItem)
"""Every kind of item that a lane can hold."""

AnyItem = Annotated[
    FilterItem
    | TidyItem
    | ReplaceItem
    | FormulaItem
    | FillItem
    | ColumnsItem
    | KindsItem
    | SplitItem
    | TogetherItem
    | UnpivotItem
    | PivotItem
    | AcrossItem
    | RepeatsItem
    | SummariseItem
    | OrderItem
    | FirstItem
    | JoinItem
    | BlendItem
    | StackItem
    | DeliveryItem,
    Field(discriminator="type"),
]

__all__ = [
    "KINDS",
    "STEPS",
    "AcrossItem",
    "AnyItem",
    "Beside",
    "BlendItem",
    "BlendedLane",
    "ColumnsItem",
    "ConditionItem",
    "DeliveryItem",
    "FigureItem",
    "FillItem",
    "FilterItem",
    "FirstItem",
    "FormulaItem",
    "IntoTable",
    "Item",
    "JoinItem",
    "KindsItem",
    "LinkedFields",
    "NamedFormula",
    "OrderItem",
    "OrderedBy",
    "Part",
    "PivotItem",
    "Promised",
    "RepeatsItem",
    "ReplaceItem",
    "Replacement",
    "SameValues",
    "SplitItem",
    "StackItem",
    "StackedLane",
    "StepItem",
    "SummariseItem",
    "Taken",
    "TidyItem",
    "TogetherItem",
    "UnpivotItem",
    "WantedColumns",
]
