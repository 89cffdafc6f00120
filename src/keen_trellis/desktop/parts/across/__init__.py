"""The step that works a column out across rows, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "across",
    tr("Across rows"),
    glyph="∑↓",
    offer=tr("Work out across rows"),
    tip=tr("Number or rank rows, add up so far, compare with the row before: of each group."),
    page="parts.across.across_page.AcrossPage",
)
