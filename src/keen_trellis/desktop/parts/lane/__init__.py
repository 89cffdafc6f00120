"""A lane in the desktop: its rows, its columns, its source."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import NOTES, PageSpec, PartView, later

VIEW = PartView(
    pages=(
        PageSpec(
            "rows",
            tr("Rows"),
            later("parts.lane.rows_page.RowsPage"),
            "Look at rows",
            counts_rows=True,
        ),
        PageSpec(
            "columns",
            tr("Columns"),
            later("parts.lane.lane_columns_page.ColumnsPage"),
            "Make a lane ready",
        ),
        PageSpec(
            "source",
            tr("Source"),
            later("parts.lane.source_page.SourcePage"),
            "See whether it was read right",
        ),
        NOTES,
    ),
    title=lambda trellis, lane, item: lane.name,
)
