"""What a format cannot hold as it is, said before anything is written."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow.compute as pc

from keen_trellis.data.kinds import Kind
from keen_trellis.deliver.files import has_sheets
from keen_trellis.deliver.ods import NOT_KEPT
from keen_trellis.deliver.sheet_cells import CELL_LETTERS, SHEET_COLUMNS, SHEET_ROWS, odd_rows
from keen_trellis.progress import Report, quiet
from keen_trellis.words import counted

if TYPE_CHECKING:
    from keen_trellis.data import Column, Table

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
            texts = column.dictionary
            if count := _rows_with(pc.greater(pc.utf8_length(texts), CELL_LETTERS), column):
                said.append(
                    f"{counted(count, 'text')} of “{field.name}” {'has' if count == 1 else 'have'} "
                    f"more than {CELL_LETTERS:,} letters, which no cell holds: nothing would be "
                    "written."
                )
            is_ods = path.suffix.lower() == ".ods"
            if is_ods and (count := _rows_with(pc.match_substring_regex(texts, NOT_KEPT), column)):
                said.append(
                    f"{counted(count, 'text')} of “{field.name}” {'has' if count == 1 else 'have'} "
                    "a carriage return or a sign that XML lacks: written as the end of a line, or "
                    "as “\ufffd”."
                )
        elif count := int(np.count_nonzero(odd_rows(column, path.suffix.lower() == ".ods"))):
            have = "has" if count == 1 else "have"
            said.append(
                f"{counted(count, 'value')} of “{field.name}” {have} {_WHY[column.kind]}: written "
                "as text."
            )
    return tuple(said)


def _rows_with(texts: Any, column: Column) -> int:
    """Return how many rows have one of some texts of a column's dictionary."""
    held = np.append(texts.to_numpy(zero_copy_only=False), False)  # where the code of a blank reads
    return int(np.count_nonzero(held[column.values]))
