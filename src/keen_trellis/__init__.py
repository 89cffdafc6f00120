"""Joins and blends between sheets and tables, with every matched and unmatched row in view.

In a notebook::

    import keen_trellis as kt

    sailings = kt.read("operations.ods", sheet="Sailings")
    routes = kt.read("harbour.sqlite", table="routes")
    tied = kt.tie(sailings, routes, on=[("route", "code")], names=("Sailings", "Routes"))
    print(tied.sentence())
    tied.bays.left.rows()
"""

from keen_trellis.data import Column, Kind, Table
from keen_trellis.deliver import deliver
from keen_trellis.errors import UserError
from keen_trellis.match import Columns, LinkField, OrderField, Pair, Tie, tie
from keen_trellis.match.blend import Blend, BlendSource, blend
from keen_trellis.match.filtering import Filter
from keen_trellis.match.findings import Finding, conversions, text_rule_gains
from keen_trellis.match.pairs import propose_pairs
from keen_trellis.match.proposals import propose_links
from keen_trellis.match.stack import Stack, stack
from keen_trellis.match.summary import Figure, summarise
from keen_trellis.match.why import why_not
from keen_trellis.read import read

__all__ = [
    "Blend",
    "BlendSource",
    "Column",
    "Columns",
    "Figure",
    "Filter",
    "Finding",
    "Kind",
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
    "propose_links",
    "propose_pairs",
    "read",
    "stack",
    "summarise",
    "text_rule_gains",
    "tie",
    "why_not",
]
