"""The heart: link keys, matching, bays, outcomes, and the sentences that say what they are."""

from keen_trellis.match.counts import Counts, JoinType, SideCounts
from keen_trellis.match.link import (
    JOIN_NAMES,
    OPERATORS,
    TEXT_RULES,
    Bay,
    Columns,
    Keep,
    Link,
    LinkField,
    OrderField,
    Pair,
    keep_of,
)
from keen_trellis.match.matches import Match
from keen_trellis.match.matching import match
from keen_trellis.match.tie import Bays, Tie, tie

__all__ = [
    "JOIN_NAMES",
    "OPERATORS",
    "TEXT_RULES",
    "Bay",
    "Bays",
    "Columns",
    "Counts",
    "JoinType",
    "Keep",
    "Link",
    "LinkField",
    "Match",
    "OrderField",
    "Pair",
    "SideCounts",
    "Tie",
    "keep_of",
    "match",
    "tie",
]
