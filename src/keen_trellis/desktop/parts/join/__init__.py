"""A join in the desktop: the match, and the outcome."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import NOTES, PageSpec, PartView, lanes_title, later

VIEW = PartView(
    pages=(
        PageSpec(
            "match",
            tr("Match"),
            later("parts.join.match_page.MatchPage"),
            "Tie two lanes",
        ),
        PageSpec(
            "values",
            tr("Link values"),
            later("parts.join.link_values_page.LinkValuesPage"),
            "Bring values together that are written otherwise",
        ),
        PageSpec(
            "tie_columns",
            tr("Columns"),
            later("parts.join.join_columns_page.ColumnsPage"),
            "Choose the columns that go on",
        ),
        PageSpec(
            "outcome",
            tr("Outcome"),
            later("parts.join.outcome_page.OutcomePage"),
            "See the outcome",
            counts_rows=True,
        ),
        PageSpec(
            "promises",
            tr("Promises"),
            later("parts.join.promises_page.PromisesPage"),
            "Promise what must hold",
        ),
        NOTES,
    ),
    title=lanes_title,
)
