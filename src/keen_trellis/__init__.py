"""Joins and blends between sheets and tables, with every matched and unmatched row in view.

In a notebook::

    import keen_trellis as kt

    sailings = kt.read("operations.ods", sheet="Sailings")
    routes = kt.read("harbour.sqlite", table="routes")
    tied = kt.tie(sailings, routes, on=[("route", "code")], names=("Sailings", "Routes"))
    print(tied.sentence())
    tied.bays.left.rows()
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

from keen_trellis.deliver import deliver  # these two are called like the packages they are in,
from keen_trellis.read import read  # and must take their place once those are loaded

if TYPE_CHECKING:
    from keen_trellis import errors
    from keen_trellis.data import BLANK, GAP, PRESENT, Column, Kind, Table
    from keen_trellis.errors import UserError
    from keen_trellis.match import (
        OPERATORS,
        TEXT_RULES,
        Columns,
        Link,
        LinkField,
        OrderField,
        Pair,
        Tie,
        tie,
    )
    from keen_trellis.match.blend import Blend, BlendSource, blend
    from keen_trellis.match.filtering import Filter, filtered
    from keen_trellis.match.findings import Finding, conversions, text_rule_gains
    from keen_trellis.match.pairs import propose_pairs, with_pairs
    from keen_trellis.match.proposals import propose_links
    from keen_trellis.match.stack import Stack, stack
    from keen_trellis.match.summary import FIGURES, Figure, summarise
    from keen_trellis.match.why import why_not

_PLACES = {
    "BLANK": "keen_trellis.data",
    "Blend": "keen_trellis.match.blend",
    "BlendSource": "keen_trellis.match.blend",
    "Column": "keen_trellis.data",
    "Columns": "keen_trellis.match",
    "FIGURES": "keen_trellis.match.summary",
    "Figure": "keen_trellis.match.summary",
    "Filter": "keen_trellis.match.filtering",
    "Finding": "keen_trellis.match.findings",
    "GAP": "keen_trellis.data",
    "Kind": "keen_trellis.data",
    "Link": "keen_trellis.match",
    "LinkField": "keen_trellis.match",
    "OPERATORS": "keen_trellis.match",
    "OrderField": "keen_trellis.match",
    "PRESENT": "keen_trellis.data",
    "Pair": "keen_trellis.match",
    "Stack": "keen_trellis.match.stack",
    "TEXT_RULES": "keen_trellis.match",
    "Table": "keen_trellis.data",
    "Tie": "keen_trellis.match",
    "UserError": "keen_trellis.errors",
    "blend": "keen_trellis.match.blend",
    "conversions": "keen_trellis.match.findings",
    "filtered": "keen_trellis.match.filtering",
    "propose_links": "keen_trellis.match.proposals",
    "propose_pairs": "keen_trellis.match.pairs",
    "stack": "keen_trellis.match.stack",
    "summarise": "keen_trellis.match.summary",
    "text_rule_gains": "keen_trellis.match.findings",
    "tie": "keen_trellis.match",
    "why_not": "keen_trellis.match.why",
    "with_pairs": "keen_trellis.match.pairs",
}
"""Where each name is; loaded when it is first asked for, so that the window opens sooner."""

__all__ = [
    "BLANK",
    "FIGURES",
    "GAP",
    "OPERATORS",
    "PRESENT",
    "TEXT_RULES",
    "Blend",
    "BlendSource",
    "Column",
    "Columns",
    "Figure",
    "Filter",
    "Finding",
    "Kind",
    "Link",
    "LinkField",
    "OrderField",
    "Pair",
    "Stack",
    "Table",
    "Tie",
    "UserError",
    "blend",
    "conversions",
    "deliver",
    "errors",
    "filtered",
    "propose_links",
    "propose_pairs",
    "read",
    "stack",
    "summarise",
    "text_rule_gains",
    "tie",
    "why_not",
    "with_pairs",
]


def __getattr__(name: str) -> Any:
    if name == "errors":
        return import_module("keen_trellis.errors")
    if name in _PLACES:
        return getattr(import_module(_PLACES[name]), name)
    raise AttributeError(f"keen_trellis has no {name}")
