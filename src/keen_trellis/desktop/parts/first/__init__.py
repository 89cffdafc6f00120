"""The step for the first or last rows, in the desktop."""

from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "first",
    "First or last",
    glyph="1…",
    offer="First or last rows",
    tip="Let only some rows go on, counted from the beginning or the end.",
    page="parts.first.first_page.FirstPage",
)
