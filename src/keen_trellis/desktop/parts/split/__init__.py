"""The step that splits a text, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "split",
    tr("Split"),
    glyph="/",
    offer=tr("Split a text"),
    tip=tr("Take a text apart at a mark or at positions, into columns or rows."),
    page="parts.split.split_page.SplitPage",
)
