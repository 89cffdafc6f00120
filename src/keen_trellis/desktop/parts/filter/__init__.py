"""A filter in the desktop: its conditions, and the rows on either side of them."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "filter",
    tr("Filter"),
    glyph="⊂",
    offer=tr("Keep only some rows"),
    tip=tr("Only rows for which its conditions hold go on."),
    page="parts.filter.filter_page.FilterPage",
)
