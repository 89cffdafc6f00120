"""The heart: link keys, matching, bays, outcomes, and the sentences that say what they are."""

from keen_trellis.match.counts import Counts, JoinType, SideCounts
from keen_trellis.match.link import JOIN_NAMES, Bay, Keep, Link, LinkField, keep_of
from keen_trellis.match.matching import Match, match
from keen_trellis.match.tie import Bays, Tie, tie

__all__ = [
    "JOIN_NAMES",
    "Bay",
    "Bays",
    "Counts",
    "JoinType",
    "Keep",
    "Link",
    "LinkField",
    "Match",
    "SideCounts",
    "Tie",
    "keep_of",
    "match",
    "tie",
]
