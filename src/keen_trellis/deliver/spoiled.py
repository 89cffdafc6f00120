"""What a format cannot hold as it is, said before anything is written."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import pyarrow.compute as pc

from keen_trellis.data.kinds import Kind
from keen_trellis.deliver.files import has_sheets
from keen_trellis.deliver.sheet_cells import CELL_LETTERS, SHEET_COLUMNS, SHEET_ROWS, odd_rows
from keen_trellis.progress import Report, quiet
from keen_trellis.words import counted

if TYPE_CHECKING:
    from keen_trellis.data import Table

_WHY = {
    Kind.INTEGER: "more than 15 digits",
    Kind.EXACT: "more than 15 digits",
    Kind.NUMBER: "no end (infinity)",
    Kind.DATE: "a year that a sheet's calendar lacks",
    Kind.DATE_TIME: "parts of a millisecond, or a year that a sheet's calendar lacks",
    Kind.TIME: "parts of a millisecond",
}


def spoiled(table: Table, path: Path, report: Report = quiet) -> tuple[str, ...]:
    """Return sentences on the values of a table that a file of that name would not hold so.

    Parameters
    ----------
    table : Table
    path : Path
        Its ending says the format.
    report : Report

    Raises
    ------
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    if not has_sheets(path):
        return ()
    said = []
    if len(table) >= SHEET_ROWS or len(table.columns) > SHEET_COLUMNS:
        said.append(
            f"{len(table):,} rows of {len(table.columns):,} columns do not fit into a sheet, which "
            f"holds {SHEET_ROWS - 1:,} rows of {SHEET_COLUMNS:,}: nothing would be written."
        )
    for done, field in enumerate(table.fields):
        report(done / len(table.fields), f"Looking at {field.name}")
        column = table.fetch(field)
        if column.kind is Kind.TEXT:
            long = np.append(pc.utf8_length(column.dictionary).to_numpy() > CELL_LETTERS, False)
            if count := int(np.count_nonzero(long[column.values])):
                said.append(
                    f"{counted(count, 'text')} of “{field.name}” has more than {CELL_LETTERS:,} "
                    "letters, which no cell holds: nothing would be written."
                )
        elif count := int(np.count_nonzero(odd_rows(column, path.suffix.lower() == ".ods"))):
            have = "has" if count == 1 else "have"
            said.append(
                f"{counted(count, 'value')} of “{field.name}” {have} {_WHY[column.kind]}: written "
                "as text."
            )
    return tuple(said)
