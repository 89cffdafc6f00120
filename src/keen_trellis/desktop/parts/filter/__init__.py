"""A filter in the desktop: its conditions, and the rows on either side of them."""

from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "filter",
    "Filter",
    glyph="⊂",
    offer="Keep only some rows",
    tip="Only rows for which its conditions hold go on.",
    page="parts.filter.filter_page.FilterPage",
)
