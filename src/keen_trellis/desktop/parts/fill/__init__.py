"""The step that fills blanks and gaps, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "fill",
    tr("Fill"),
    glyph="▪",
    offer=tr("Fill blanks and gaps"),
    tip=tr("Put a value, another column or what stands above where nothing is."),
    page="parts.fill.fill_page.FillPage",
)
