"""A join in the desktop: the match, and the outcome."""

from keen_trellis.desktop.bench.page import NOTES, PageSpec, PartView, later
from keen_trellis.document import Lane, Trellis
from keen_trellis.document.items import Item


def _title(trellis: Trellis, lane: Lane, item: Item | None) -> str:
    taken = item.takes() if item else ()
    return " + ".join([lane.name, *(trellis.lane(one.lane).name for one in taken)])


VIEW = PartView(
    pages=(
        PageSpec("match", "Match", later("parts.join.match_page.MatchPage")),
        PageSpec("values", "Link values", later("parts.join.link_values_page.LinkValuesPage")),
        PageSpec("tie_columns", "Columns", later("parts.join.columns_page.ColumnsPage")),
        PageSpec(
            "outcome", "Outcome", later("parts.join.outcome_page.OutcomePage"), counts_rows=True
        ),
        PageSpec("promises", "Promises", later("parts.join.promises_page.PromisesPage")),
        NOTES,
    ),
    title=_title,
)
