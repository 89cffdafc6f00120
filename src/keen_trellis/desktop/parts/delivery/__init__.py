"""A delivery in the desktop: one page."""

from keen_trellis.desktop.bench.notes_page import NOTES
from keen_trellis.desktop.bench.page import PageSpec, PartView
from keen_trellis.desktop.parts.delivery.delivery_page import DeliveryPage

VIEW = PartView(
    pages=(PageSpec("delivery", "Delivery", DeliveryPage), NOTES),
    title=lambda trellis, lane, item: getattr(item, "name", ""),
)
