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
    from keen_trellis.advice.findings import Finding, conversions, text_rule_gains
    from keen_trellis.advice.missing_partner import why_not
    from keen_trellis.advice.pairs import propose_pairs, with_pairs
    from keen_trellis.advice.proposals import propose_links
    from keen_trellis.base import errors
    from keen_trellis.base.errors import UserError
    from keen_trellis.compute.blending import Blend, BlendSource, blend
    from keen_trellis.compute.expression_values import filtered
    from keen_trellis.compute.stack_rows import Stack, stack
    from keen_trellis.compute.summary import summarise
    from keen_trellis.data import BLANK, GAP, PRESENT, Column, Kind, Table
    from keen_trellis.notebook import (
        Filter,
        Formula,
        Summary,
        Tie,
        formula,
        report_of,
        step,
        tie,
    )
    from keen_trellis.plan.figures import FIGURES, Figure
    from keen_trellis.plan.link import Link, LinkField, OrderField, Pair
    from keen_trellis.plan.operators import OPERATORS
    from keen_trellis.plan.outcome import Columns
    from keen_trellis.plan.text_rules import TEXT_RULES

_PLACES = {
    "BLANK": "keen_trellis.data",
    "Blend": "keen_trellis.compute.blending",
    "BlendSource": "keen_trellis.compute.blending",
    "Column": "keen_trellis.data",
    "Columns": "keen_trellis.plan.outcome",
    "FIGURES": "keen_trellis.plan.figures",
    "Figure": "keen_trellis.plan.figures",
    "Filter": "keen_trellis.notebook",
    "Finding": "keen_trellis.advice.findings",
    "Formula": "keen_trellis.notebook",
    "GAP": "keen_trellis.data",
    "Kind": "keen_trellis.data",
    "Link": "keen_trellis.plan.link",
    "LinkField": "keen_trellis.plan.link",
    "OPERATORS": "keen_trellis.plan.operators",
    "OrderField": "keen_trellis.plan.link",
    "PRESENT": "keen_trellis.data",
    "Pair": "keen_trellis.plan.link",
    "Stack": "keen_trellis.compute.stack_rows",
    "Summary": "keen_trellis.notebook",
    "TEXT_RULES": "keen_trellis.plan.text_rules",
    "Table": "keen_trellis.data",
    "Tie": "keen_trellis.notebook",
    "UserError": "keen_trellis.base.errors",
    "blend": "keen_trellis.compute.blending",
    "conversions": "keen_trellis.advice.findings",
    "filtered": "keen_trellis.compute.expression_values",
    "formula": "keen_trellis.notebook",
    "propose_links": "keen_trellis.advice.proposals",
    "propose_pairs": "keen_trellis.advice.pairs",
    "stack": "keen_trellis.compute.stack_rows",
    "report_of": "keen_trellis.notebook",
    "step": "keen_trellis.notebook",
    "summarise": "keen_trellis.compute.summary",
    "text_rule_gains": "keen_trellis.advice.findings",
    "tie": "keen_trellis.notebook",
    "why_not": "keen_trellis.advice.missing_partner",
    "with_pairs": "keen_trellis.advice.pairs",
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
    "Formula",
    "Kind",
    "Link",
    "LinkField",
    "OrderField",
    "Pair",
    "Stack",
    "Summary",
    "Table",
    "Tie",
    "UserError",
    "blend",
    "conversions",
    "deliver",
    "errors",
    "filtered",
    "formula",
    "propose_links",
    "propose_pairs",
    "read",
    "report_of",
    "stack",
    "step",
    "summarise",
    "text_rule_gains",
    "tie",
    "why_not",
    "with_pairs",
]


def __getattr__(name: str) -> Any:
    if name == "errors":
        return import_module("keen_trellis.base.errors")
    if name in _PLACES:
        return getattr(import_module(_PLACES[name]), name)
    raise AttributeError(f"keen_trellis has no {name}")
