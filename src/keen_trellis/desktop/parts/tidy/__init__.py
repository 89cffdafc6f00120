"""The step that tidies text, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "tidy",
    tr("Tidy text"),
    glyph="Aa",
    offer=tr("Tidy text"),
    tip=tr("Take stray spaces, accents and the like off, and write texts in one case."),
    page="parts.tidy.tidy_page.TidyPage",
)
