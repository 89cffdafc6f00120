"""A filter in the desktop: its conditions, and the rows on either side of them."""

from keen_trellis.desktop.bench.notes_page import NOTES
from keen_trellis.desktop.bench.page import PageSpec, PartView
from keen_trellis.desktop.parts.filter.filter_page import FilterPage
from keen_trellis.desktop.parts.filter.rows_page import StepRowsPage

VIEW = PartView(
    pages=(
        PageSpec("filter", "Filter", FilterPage),
        PageSpec("step_rows", "Rows", StepRowsPage, counts_rows=True),
        NOTES,
    ),
    title=lambda trellis, lane, item: f"{lane.name}, filtered",
    glyph="⊂",
)
