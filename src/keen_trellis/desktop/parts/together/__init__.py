"""The step that puts columns together, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "together",
    tr("Put together"),
    glyph="+",
    offer=tr("Put columns together"),
    tip=tr("Write columns as one text, with something between them."),
    page="parts.together.together_page.TogetherPage",
)
