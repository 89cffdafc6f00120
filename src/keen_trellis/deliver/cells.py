"""Cells as text that a sheet takes from the clipboard."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from typing import TYPE_CHECKING

from keen_trellis.deliver.lines import Lines
from keen_trellis.progress import Report, quiet

if TYPE_CHECKING:
    from keen_trellis.data import Table

_BATCH = 20_000


def cells_as_text(table: Table, columns: Sequence[str], rows: range, report: Report = quiet) -> str:
    r"""Return cells with tabs between them and a line for each row, the names of columns first.

    A cell that holds a tab, a quote or the end of a line is quoted, so that it stays one cell. One
    cell alone comes without its column's name. Blanks and gaps are empty.

    >>> from keen_trellis.data import Table
    >>> table = Table.from_columns({"code": ["KP", "a\tb"], "miles": [7, None]})
    >>> cells_as_text(table, ("code", "miles"), range(2))
    'code\tmiles\nKP\t7\n"a\tb"\t'

    Raises
    ------
    UnknownColumnError
        The table has no such column.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    fields = [table.field(name) for name in columns]
    if len(fields) * len(rows) == 1:
        return table.window(rows.start, rows.stop).fetch(fields[0]).text(0)
    buffer = io.StringIO()
    writer = csv.writer(Lines(buffer), "excel-tab", lineterminator=Lines.END)
    writer.writerow(columns)
    for start in range(rows.start, rows.stop, _BATCH):
        report((start - rows.start) / len(rows), f"Copying row {start:,} of {len(rows):,}")
        batch = table.window(start, min(start + _BATCH, rows.stop))
        writer.writerows(zip(*(batch.fetch(f).texts().to_pylist() for f in fields), strict=True))
    return buffer.getvalue().removesuffix("\n")
