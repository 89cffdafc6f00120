"""The step that tidies text, in the desktop."""

from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "tidy",
    "Tidy text",
    glyph="Aa",
    offer="Tidy text",
    tip="Take stray spaces, accents and the like off, and write texts in one case.",
    page="parts.tidy.tidy_page.TidyPage",
)
