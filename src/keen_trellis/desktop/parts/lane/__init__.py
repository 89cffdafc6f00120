"""A lane in the desktop: its rows, its columns, its source."""

from keen_trellis.desktop.bench.notes_page import NOTES
from keen_trellis.desktop.bench.page import PageSpec, PartView
from keen_trellis.desktop.parts.lane.columns_page import ColumnsPage
from keen_trellis.desktop.parts.lane.rows_page import RowsPage
from keen_trellis.desktop.parts.lane.source_page import SourcePage

VIEW = PartView(
    pages=(
        PageSpec("rows", "Rows", RowsPage, counts_rows=True),
        PageSpec("columns", "Columns", ColumnsPage),
        PageSpec("source", "Source", SourcePage),
        NOTES,
    ),
    title=lambda trellis, lane, item: lane.name,
)
