"""The step for the first or last rows, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "first",
    tr("First or last"),
    glyph="1…",
    offer=tr("First or last rows"),
    tip=tr("Let only some rows go on, counted from the beginning or the end."),
    page="parts.first.first_page.FirstPage",
)
