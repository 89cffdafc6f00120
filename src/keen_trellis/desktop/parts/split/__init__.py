"""The step that splits a text, in the desktop."""

from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "split",
    "Split",
    glyph="/",
    offer="Split a text",
    tip="Take a text apart at a mark or at positions, into columns or rows.",
    page="parts.split.split_page.SplitPage",
)
