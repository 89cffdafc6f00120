"""The step for repeated rows, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "repeats",
    tr("Repeats"),
    glyph="≡",
    offer=tr("Repeated rows"),
    tip=tr("Keep one of equal rows, or look at the repeated ones alone."),
    page="parts.repeats.repeats_page.RepeatsPage",
)
