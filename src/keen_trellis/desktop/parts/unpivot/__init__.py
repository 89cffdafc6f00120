"""The step that makes rows of columns, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "unpivot",
    tr("Columns to rows"),
    glyph="↧",
    offer=tr("Columns to rows"),
    tip=tr("Put columns below one another: their names in one column, their values in another."),
    page="parts.unpivot.unpivot_page.UnpivotPage",
)
