"""The step for repeated rows, in the desktop."""

from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "repeats",
    "Repeats",
    glyph="≡",
    offer="Repeated rows",
    tip="Keep one of equal rows, or look at the repeated ones alone.",
    page="parts.repeats.repeats_page.RepeatsPage",
)
