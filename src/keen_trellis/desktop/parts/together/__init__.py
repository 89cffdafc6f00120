"""The step that puts columns together, in the desktop."""

from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "together",
    "Put together",
    glyph="+",
    offer="Put columns together",
    tip="Write columns as one text, with something between them.",
    page="parts.together.together_page.TogetherPage",
)
