"""The step that changes kinds, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "kinds",
    tr("Kinds"),
    glyph="#",
    offer=tr("Change the kind of columns"),
    tip=tr("Read columns as text, numbers or dates; what does not fit is counted."),
    page="parts.kinds.kinds_page.KindsPage",
)
