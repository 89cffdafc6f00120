"""Cells as text that a sheet takes from the clipboard."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from keen_trellis.base.progress import Report, quiet
from keen_trellis.layouts.delivered_text import TextForm

if TYPE_CHECKING:
    from keen_trellis.data import Table


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
    fields = tuple(table.field(name) for name in columns)
    chosen = replace(table, fields=fields).window(rows.start, rows.stop)
    if len(fields) * len(rows) == 1:
        return chosen.fetch(fields[0]).text(0)
    from keen_trellis.deliver.text_writer import write_text  # the window opens without it

    buffer = io.BytesIO()
    write_text(chosen, buffer, TextForm(delimiter="\t"), report)
    return buffer.getvalue().decode().removesuffix("\n")
