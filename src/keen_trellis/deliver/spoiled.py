"""What a format cannot hold as it is, said before anything is written."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow.compute as pc

from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.progress import Report, quiet
from keen_trellis.data.kinds import Kind
from keen_trellis.deliver.file_delivery import has_sheets, is_text
from keen_trellis.deliver.ods import NOT_KEPT
from keen_trellis.deliver.sheet_cells import CELL_LETTERS, SHEET_COLUMNS, SHEET_ROWS, odd_rows
from keen_trellis.deliver.text_writer import RUN_BY_SHEETS

if TYPE_CHECKING:
    from collections.abc import Iterator

    from keen_trellis.data import Column, Table

_HARMLESS = r"^[-+]?[\d., ]*$|^-+$"
"""Signed numbers, and strokes that stand for nothing."""
_WHY = {
    Kind.INTEGER: tr("more than 15 digits"),
    Kind.EXACT: tr("more than 15 digits"),
    Kind.NUMBER: tr("no end (infinity)"),
    Kind.DATE: tr("a year that a sheet's calendar lacks"),
    Kind.DATE_TIME: tr("parts of a millisecond, or a year that a sheet's calendar lacks"),
    Kind.TIME: tr("parts of a millisecond"),
}


def spoiled(
    table: Table, path: Path, report: Report = quiet, guarded: bool = False
) -> tuple[str, ...]:
    """Return sentences on the values of a table that a file of that name would not hold so.

    Parameters
    ----------
    table : Table
    path : Path
        Its ending says the format.
    report : Report
    guarded : bool
        Whether a text is written so that no spreadsheet runs what is in it.

    Raises
    ------
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    if is_text(path):
        return () if guarded else tuple(_run_by_sheets(table, report))
    if not has_sheets(path):
        return ()
    said = []
    long = [name for name in table.columns if len(name) > CELL_LETTERS]
    if long:
        said.append(
            tr_n(
                len(long),
                "{n:,} name of a column has more than {most:,} letters, which no cell holds: "
                "nothing would be written.",
                "{n:,} names of columns have more than {most:,} letters, which no cell holds: "
                "nothing would be written.",
                most=CELL_LETTERS,
            )
        )
    if len(table) >= SHEET_ROWS or len(table.columns) > SHEET_COLUMNS:
        said.append(
            tr(
                "{table:,} rows of {columns:,} columns do not fit into a sheet, which "
                "holds {sheet_rows:,} rows of {sheet_columns:,}: nothing would be written.",
                table=len(table),
                columns=len(table.columns),
                sheet_rows=SHEET_ROWS - 1,
                sheet_columns=SHEET_COLUMNS,
            )
        )
    for done, field in enumerate(table.fields):
        report(done / len(table.fields), tr("Looking at {name}", name=field.name))
        column = table.fetch(field)
        if column.kind is Kind.TEXT:
            texts = column.dictionary
            if count := _rows_with(pc.greater(pc.utf8_length(texts), CELL_LETTERS), column):
                said.append(
                    tr_n(
                        count,
                        "{n:,} text of “{name}” has more than {most:,} letters, which no cell "
                        "holds: nothing would be written.",
                        "{n:,} texts of “{name}” have more than {most:,} letters, which no cell "
                        "holds: nothing would be written.",
                        name=field.name,
                        most=CELL_LETTERS,
                    )
                )
            is_ods = path.suffix.lower() == ".ods"
            if is_ods and (count := _rows_with(pc.match_substring_regex(texts, NOT_KEPT), column)):
                said.append(
                    tr_n(
                        count,
                        "{n:,} text of “{name}” has a carriage return or a sign that XML lacks: "
                        "written as the end of a line, or as “\ufffd”.",
                        "{n:,} texts of “{name}” have a carriage return or a sign that XML lacks: "
                        "written as the end of a line, or as “\ufffd”.",
                        name=field.name,
                    )
                )
        elif count := int(np.count_nonzero(odd_rows(column, path.suffix.lower() == ".ods"))):
            said.append(
                tr_n(
                    count,
                    "{n:,} value of “{name}” has {why}: written as text.",
                    "{n:,} values of “{name}” have {why}: written as text.",
                    name=field.name,
                    why=_WHY[column.kind],
                )
            )
    return tuple(said)


def _run_by_sheets(table: Table, report: Report) -> Iterator[str]:
    """Yield how many texts a spreadsheet that opens the file would take for formulas."""
    for done, field in enumerate(table.fields):
        report(done / len(table.fields), tr("Looking at {name}", name=field.name))
        if field.kind is not Kind.TEXT:
            continue
        column = table.fetch(field)
        texts = column.dictionary
        runs = pc.match_substring_regex(texts, RUN_BY_SHEETS)
        # What is run is told of; a number with a sign is only a number, and a stroke nothing.
        runs = pc.and_(runs, pc.invert(pc.match_substring_regex(texts, _HARMLESS)))
        if count := _rows_with(runs, column):
            yield tr_n(
                count,
                "{n:,} text of “{name}” begins as a formula does: a spreadsheet that opens the "
                "file would run what is in it.",
                "{n:,} texts of “{name}” begin as a formula does: a spreadsheet that opens the "
                "file would run what is in it.",
                name=field.name,
            )


def _rows_with(texts: Any, column: Column) -> int:
    """Return how many rows have one of some texts of a column's dictionary."""
    held = np.append(texts.to_numpy(zero_copy_only=False), False)  # where the code of a blank reads
    return int(np.count_nonzero(held[column.values]))
