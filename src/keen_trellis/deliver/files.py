"""Outcomes written as .csv and .xlsx: the rows asked for and nothing else."""

from __future__ import annotations

import datetime as dt
import math
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keen_trellis.deliver.texts import write_text
from keen_trellis.errors import DeliveryError, reason
from keen_trellis.progress import Report, quiet
from keen_trellis.whole_files import passing_name, whole_file

if TYPE_CHECKING:
    from keen_trellis.data import Table

_BATCH = 20_000
_SHEET_ROWS, _SHEET_COLUMNS, _CELL_LETTERS = 1_048_576, 16_384, 32_767
_SHEET_DIGITS = 15
"""A number in a sheet is a double: more digits than this would be changed."""


def deliver(
    table: Table,
    path: str | Path,
    sheet: str = "Outcome",
    report: Report = quiet,
    guarded: bool = False,
) -> None:
    """Write every row of a table to `path`; blanks and gaps become empty cells.

    The file is written whole or not at all. One that is there is replaced; a folder that is not
    there is made, and ~ is the home folder. In a sheet, what its numbers and moments cannot hold
    is written as text: more than 15 digits, years before 1900, parts of a millisecond, infinity.

    Parameters
    ----------
    table, path, sheet, report
    guarded : bool
        Whether texts that begin with = + - @ are written to .csv behind an apostrophe, so that no
        spreadsheet runs them. In a sheet they are texts anyhow.

    Raises
    ------
    DeliveryError
        The ending is not .csv or .xlsx, the folder cannot be written to, or the rows do not fit
        into a sheet.
    Cancelled
        Raised by `report` once the user has asked to stop; nothing is written then.
    """
    path = Path(path).expanduser()
    write = _WRITERS.get(path.suffix.lower())
    if write is None:
        raise DeliveryError(
            f"{path.name} cannot be written: its ending is none of {', '.join(_WRITERS)}.",
            "Give the file one of these endings.",
        )
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with whole_file(path) as beside:
            write(table, beside, sheet, report, guarded)
    except OSError as error:
        raise DeliveryError(
            f"{path} cannot be written: {reason(error)}.",
            "Choose a folder that you may write to and that has room.",
        ) from error


def endings() -> tuple[str, ...]:
    """Return the endings of the files that can be written."""
    return tuple(_WRITERS)


def _write_csv(table: Table, path: Path, sheet: str, report: Report, guarded: bool) -> None:
    with path.open("wb") as file:
        write_text(table, file, report=report, guarded=guarded)


def _write_xlsx(table: Table, path: Path, sheet: str, report: Report, guarded: bool) -> None:
    import xlsxwriter
    from xlsxwriter.exceptions import XlsxWriterException

    if len(table) >= _SHEET_ROWS or len(table.columns) > _SHEET_COLUMNS:
        raise DeliveryError(
            f"{len(table):,} rows of {len(table.columns):,} columns do not fit into a sheet, which "
            f"holds {_SHEET_ROWS - 1:,} rows of {_SHEET_COLUMNS:,}.",
            "Deliver to .csv, or let fewer rows go on.",
        )
    # its temporary files lie beside the target, where there is room for it; the sheet's own date
    # of making would differ from run to run
    beside = tempfile.TemporaryDirectory(prefix=passing_name(), dir=path.parent)
    options = {
        "constant_memory": True,
        "default_date_format": "yyyy-mm-dd",
        "tmpdir": beside.name,
    }
    with beside, _full_disk_said(), xlsxwriter.Workbook(str(path), options) as workbook:
        workbook.set_properties({"created": dt.datetime(2000, 1, 1)})
        formats: _Formats = {
            (kind, fine): workbook.add_format({"num_format": shown + (".000" if fine else "")})
            for kind, shown in ((dt.datetime, "yyyy-mm-dd hh:mm:ss"), (dt.time, "hh:mm:ss"))
            for fine in (False, True)
        }
        try:
            page = workbook.add_worksheet(_sheet_name(sheet))
        except XlsxWriterException as error:
            raise DeliveryError(f"“{sheet}” cannot be the name of a sheet: {error}.") from error
        head = workbook.add_format({"bold": True})
        for place, name in enumerate(table.columns):
            page.write_string(0, place, name, head)
        page.freeze_panes(1, 0)
        row_number = 0
        for batch in _batches(table, report):
            for row in batch.rows():
                row_number += 1
                for place, value in enumerate(row):
                    if value is not None:
                        _write_cell(page, row_number, place, value=value, formats=formats)


@contextmanager
def _full_disk_said() -> Iterator[None]:
    """Give the system's own error, which the library for sheets puts into one of its own."""
    from xlsxwriter.exceptions import FileCreateError

    try:
        yield
    except FileCreateError as error:
        cause = error.args[0] if error.args else error
        raise cause if isinstance(cause, OSError) else OSError(str(error)) from error


_Formats = dict[tuple[type, bool], Any]
"""How moments and times are shown, by type and whether they have milliseconds."""


def _write_cell(page: Any, row: int, column: int, value: Any, formats: _Formats) -> None:
    if isinstance(value, str):
        if page.write_string(row, column, value) == -2:
            raise DeliveryError(
                f"Row {row:,} holds a text of {len(value):,} letters; a cell of a sheet holds "
                f"{_CELL_LETTERS:,}.",
                "Deliver to .csv instead.",
            )
    elif isinstance(value, bool):
        page.write_boolean(row, column, value)
    elif isinstance(value, int | Decimal) and _digits(value) > _SHEET_DIGITS:
        page.write_string(row, column, str(value))
    elif isinstance(value, float) and math.isinf(value):
        page.write_string(row, column, str(value))  # a sheet has no number for it
    elif isinstance(value, int | float | Decimal):
        page.write_number(row, column, float(value))
    elif isinstance(value, dt.date) and value.year < 1900:
        page.write_string(row, column, _moment_text(value))  # a sheet's calendar begins in 1900
    elif (fine := getattr(value, "microsecond", 0)) % 1_000:
        page.write_string(row, column, _moment_text(value))  # a sheet would round to another day
    else:
        page.write_datetime(row, column, value, formats.get((type(value), fine > 0)))


def _moment_text(value: dt.date | dt.time) -> str:
    return value.isoformat(" ") if isinstance(value, dt.datetime) else value.isoformat()


def _digits(value: int | Decimal) -> int:
    return len(Decimal(value).normalize().as_tuple().digits)


def _sheet_name(name: str) -> str:
    """Return a name that a sheet may have: without brackets and slashes, 31 letters at most."""
    return name.translate(str.maketrans("[]:*?/\\", "()     ")).strip("' ")[:31] or "Outcome"


def _batches(table: Table, report: Report) -> Iterator[Table]:
    for start in range(0, len(table), _BATCH):
        report(start / len(table), f"Writing row {start:,} of {len(table):,}")
        yield table.window(start, start + _BATCH)


_WRITERS: dict[str, Callable[[Table, Path, str, Report, bool], None]] = {
    ".csv": _write_csv,
    ".xlsx": _write_xlsx,
}
