"""A filter in the desktop: its conditions, and the rows on either side of them."""

from keen_trellis.desktop.bench.page import PageSpec, PartView
from keen_trellis.desktop.parts.filter.filter_page import FilterPage

VIEW = PartView(
    pages=(PageSpec("filter", "Filter", FilterPage),),
    title=lambda trellis, lane, item: f"{lane.name}, filtered",
    glyph="⊂",
)
