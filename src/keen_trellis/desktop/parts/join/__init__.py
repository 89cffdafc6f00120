"""A join in the desktop: the match, and the outcome."""

from keen_trellis.desktop.bench.notes_page import NOTES
from keen_trellis.desktop.bench.page import PageSpec, PartView
from keen_trellis.desktop.parts.join.match_page import MatchPage
from keen_trellis.desktop.parts.join.outcome_page import OutcomePage
from keen_trellis.document import Lane, Trellis
from keen_trellis.document.items import Item


def _title(trellis: Trellis, lane: Lane, item: Item | None) -> str:
    taken = item.takes() if item else ()
    return " + ".join([lane.name, *(trellis.lane(one.lane).name for one in taken)])


VIEW = PartView(
    pages=(
        PageSpec("match", "Match", MatchPage),
        PageSpec("outcome", "Outcome", OutcomePage, counts_rows=True),
        NOTES,
    ),
    title=_title,
)
