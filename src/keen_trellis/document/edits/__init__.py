"""Changes to a trellis as small values; applying one gives the change that takes it back.

Each is loaded when somebody first makes one, so that a window opens sooner.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from keen_trellis.document.edits.base import (
        Edit,
        RenameTrellis,
        Restore,
        apply,
        first_fault,
    )
    from keen_trellis.document.edits.items import (
        AddDelivery,
        AddStack,
        InsertItem,
        MoveBehind,
        MoveItem,
        RemoveItem,
        SetDelivery,
        SetItem,
        SetNote,
    )
    from keen_trellis.document.edits.joins import (
        AddTie,
        RemoveLinkField,
        RenameLinkField,
        SetBay,
        SetColumns,
        SetIgnored,
        SetKeep,
        SetLink,
        SetPairs,
        SetPromises,
        TakeLink,
    )
    from keen_trellis.document.edits.lanes import (
        AddLane,
        AddLanes,
        FindSources,
        MoveLane,
        RemoveLane,
        RenameLane,
        SetSource,
        lane_with_bay,
        lane_with_rows,
    )
    from keen_trellis.document.edits.places import RemovePlace, SetPlace
    from keen_trellis.document.edits.reports import AddReport, RemoveReport, SetReport, report_at
    from keen_trellis.document.edits.ties import (
        AddBlend,
        ChangeTie,
        LinkByFormula,
        SwapSides,
        swapped_names,
    )

_PLACES = {
    "AddBlend": "ties",
    "AddDelivery": "items",
    "AddLane": "lanes",
    "AddLanes": "lanes",
    "AddReport": "reports",
    "AddStack": "items",
    "AddTie": "joins",
    "ChangeTie": "ties",
    "Edit": "base",
    "FindSources": "lanes",
    "InsertItem": "items",
    "LinkByFormula": "ties",
    "MoveBehind": "items",
    "MoveItem": "items",
    "MoveLane": "lanes",
    "RemoveItem": "items",
    "RemoveLane": "lanes",
    "RemoveLinkField": "joins",
    "RemovePlace": "places",
    "RemoveReport": "reports",
    "RenameLane": "lanes",
    "RenameLinkField": "joins",
    "RenameTrellis": "base",
    "Restore": "base",
    "SetBay": "joins",
    "SetColumns": "joins",
    "SetDelivery": "items",
    "SetIgnored": "joins",
    "SetItem": "items",
    "SetKeep": "joins",
    "SetLink": "joins",
    "SetNote": "items",
    "SetPairs": "joins",
    "SetPlace": "places",
    "SetPromises": "joins",
    "SetReport": "reports",
    "SetSource": "lanes",
    "SwapSides": "ties",
    "TakeLink": "joins",
    "apply": "base",
    "first_fault": "base",
    "lane_with_bay": "lanes",
    "lane_with_rows": "lanes",
    "report_at": "reports",
    "swapped_names": "ties",
}

__all__ = [
    "AddBlend",
    "AddDelivery",
    "AddLane",
    "AddLanes",
    "AddReport",
    "AddStack",
    "AddTie",
    "ChangeTie",
    "Edit",
    "FindSources",
    "InsertItem",
    "LinkByFormula",
    "MoveBehind",
    "MoveItem",
    "MoveLane",
    "RemoveItem",
    "RemoveLane",
    "RemoveLinkField",
    "RemovePlace",
    "RemoveReport",
    "RenameLane",
    "RenameLinkField",
    "RenameTrellis",
    "Restore",
    "SetBay",
    "SetColumns",
    "SetDelivery",
    "SetIgnored",
    "SetItem",
    "SetKeep",
    "SetLink",
    "SetNote",
    "SetPairs",
    "SetPlace",
    "SetPromises",
    "SetReport",
    "SetSource",
    "SwapSides",
    "TakeLink",
    "apply",
    "first_fault",
    "lane_with_bay",
    "lane_with_rows",
    "report_at",
    "swapped_names",
]


def __getattr__(name: str) -> Any:
    if name in _PLACES:
        return getattr(import_module(f"keen_trellis.document.edits.{_PLACES[name]}"), name)
    raise AttributeError(f"keen_trellis.document.edits has no {name}")
