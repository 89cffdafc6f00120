"""A delivery in the desktop: one page."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import NOTES, PageSpec, PartView, later

VIEW = PartView(
    pages=(
        PageSpec(
            "delivery",
            tr("Delivery"),
            later("parts.delivery.delivery_page.DeliveryPage"),
            "Deliver",
        ),
        NOTES,
    ),
    title=lambda trellis, lane, item: getattr(item, "name", ""),
)
