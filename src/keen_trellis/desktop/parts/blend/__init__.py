"""A blend in the desktop: what is summarised to what, and what comes out."""

from keen_trellis.desktop.bench.page import NOTES, PageSpec, PartView, later
from keen_trellis.document import Lane, Trellis
from keen_trellis.document.items import Item


def _title(trellis: Trellis, lane: Lane, item: Item | None) -> str:
    taken = item.takes() if item else ()
    return " + ".join([lane.name, *(trellis.lane(one.lane).name for one in taken)])


VIEW = PartView(
    pages=(
        PageSpec("match", "Match", later("parts.blend.blend_page.BlendPage")),
        PageSpec(
            "outcome",
            "Outcome",
            later("parts.join.outcome_page.OutcomePage"),
            counts_rows=True,
        ),
        NOTES,
    ),
    title=_title,
)
