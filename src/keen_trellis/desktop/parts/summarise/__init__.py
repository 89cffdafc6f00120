"""The step that makes one row per group, in the desktop."""

from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "summarise",
    "Summarise",
    glyph="Σ",
    offer="One row per group",
    tip="Sum, count or average the rows of each group.",
    page="parts.summarise.summarise_page.SummarisePage",
)
