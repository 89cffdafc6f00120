"""A lane in the desktop: its rows, its columns, its source."""

from keen_trellis.desktop.bench.page import NOTES, PageSpec, PartView, later

VIEW = PartView(
    pages=(
        PageSpec("rows", "Rows", later("parts.lane.rows_page.RowsPage"), counts_rows=True),
        PageSpec("columns", "Columns", later("parts.lane.lane_columns_page.ColumnsPage")),
        PageSpec("source", "Source", later("parts.lane.source_page.SourcePage")),
        NOTES,
    ),
    title=lambda trellis, lane, item: lane.name,
)
