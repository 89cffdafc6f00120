"""The step that orders rows, in the desktop."""

from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "order",
    "Order",
    glyph="↕",
    offer="Order the rows",
    tip="Put the rows in order by some columns.",
    page="parts.order.order_page.OrderPage",
)
