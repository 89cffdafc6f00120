"""The step that makes one row per group, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "summarise",
    tr("Summarise"),
    glyph="Σ",
    offer=tr("One row per group"),
    tip=tr("Sum, count or average the rows of each group."),
    page="parts.summarise.summarise_page.SummarisePage",
)
