"""A blend in the desktop: what is summarised to what, and what comes out."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import NOTES, PageSpec, PartView, lanes_title, later

VIEW = PartView(
    pages=(
        PageSpec(
            "match",
            tr("Match"),
            later("parts.blend.blend_page.BlendPage"),
            "Blend lanes of different grain",
        ),
        PageSpec(
            "outcome",
            tr("Outcome"),
            later("parts.join.outcome_page.OutcomePage"),
            "See the outcome",
            counts_rows=True,
        ),
        NOTES,
    ),
    title=lanes_title,
)
