"""The step that orders rows, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "order",
    tr("Order"),
    glyph="↕",
    offer=tr("Order the rows"),
    tip=tr("Put the rows in order by some columns."),
    page="parts.order.order_page.OrderPage",
)
