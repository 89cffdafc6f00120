"""The step that makes columns of rows, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "pivot",
    tr("Rows to columns"),
    glyph="↦",
    offer=tr("Rows to columns"),
    tip=tr("Make a column of each value of a field, with a figure in it."),
    page="parts.pivot.pivot_page.PivotPage",
)
