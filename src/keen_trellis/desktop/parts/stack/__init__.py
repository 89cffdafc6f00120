"""A stack in the desktop: which lanes, how, and what comes out."""

from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.desktop.bench.page import NOTES, PageSpec, PartView, later
from keen_trellis.document import Lane, Trellis
from keen_trellis.document.items import Item


def _title(trellis: Trellis, lane: Lane, item: Item | None) -> str:
    taken = item.takes() if item else ()
    return listed([lane.name, *(trellis.lane(one.lane).name for one in taken)]) + tr(", stacked")


VIEW = PartView(
    pages=(
        PageSpec(
            "stack",
            tr("Stack"),
            later("parts.stack.stack_page.StackPage"),
            "Stack lanes",
            counts_rows=True,
        ),
        NOTES,
    ),
    title=_title,
)
