"""The step that chooses columns, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "columns",
    tr("Columns"),
    glyph="|||",
    offer=tr("Choose, order and rename columns"),
    tip=tr("Let only some columns go on, in another order, under other names."),
    page="parts.columns.columns_page.ColumnsPage",
)
