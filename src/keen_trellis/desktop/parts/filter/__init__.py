"""A filter in the desktop: its conditions, and the rows on either side of them."""

from keen_trellis.desktop.bench.page import NOTES, PageSpec, PartView, later

VIEW = PartView(
    pages=(
        PageSpec("filter", "Filter", later("parts.filter.filter_page.FilterPage")),
        PageSpec(
            "step_rows", "Rows", later("parts.filter.rows_page.StepRowsPage"), counts_rows=True
        ),
        NOTES,
    ),
    title=lambda trellis, lane, item: f"{lane.name}, filtered",
    glyph="⊂",
)
