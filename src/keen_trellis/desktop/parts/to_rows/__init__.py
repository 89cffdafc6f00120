"""The step that makes rows of columns, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "to_rows",
    tr("Columns to rows"),
    glyph="↧",
    offer=tr("Columns to rows"),
    tip=tr("Put columns below one another: their names in one column, their values in another."),
    page="parts.to_rows.to_rows_page.ToRowsPage",
)
