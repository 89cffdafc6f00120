"""Sheets of workbooks: the header found below titles, empty edges left out."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import python_calamine as calamine

from keen_trellis.data import Column, Kind, Table
from keen_trellis.errors import SourceError
from keen_trellis.progress import Report, quiet
from keen_trellis.read.reading import Reading, column_names, existing_file, require_rows

ENDINGS = (".xlsx", ".xlsm", ".xlsb", ".xls", ".ods")

_LARGEST_EXACT_FLOAT = 2**53
Row = list[Any]


def sheet_names(path: Path) -> list[str]:
    """Return the names of the sheets in their order.

    Raises
    ------
    SourceError
        The file is missing, empty or no workbook.
    """
    return list(_open(path).sheet_names)


def read_sheet(
    path: Path, sheet: str, header_row: int | None = None, report: Report = quiet
) -> Reading:
    """Return the rows of one sheet; empty cells are blanks.

    Parameters
    ----------
    path : Path
    sheet : str
    header_row : int, optional
        The row of the sheet that names the columns, counted from 1, or 0 for none. Where it is
        not given it is the first of the rows that have the most cells filled.

    Raises
    ------
    SourceError
        The file is missing or no workbook, or has no such sheet, or the sheet has no rows.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    report(0.0, f"Reading {path.name}")
    workbook = _open(path)
    where = f"The sheet “{sheet}” of {path}"
    if sheet not in workbook.sheet_names:
        raise SourceError(
            f"{path} has no sheet “{sheet}”.",
            f"Choose one of: {', '.join(workbook.sheet_names)}.",
        )
    try:
        rows: list[Row] = workbook.get_sheet_by_name(sheet).to_python(skip_empty_area=False)
    except calamine.CalamineError as error:
        raise SourceError(f"{where} cannot be read: {error}.", _SAVE_AGAIN) from error
    report(0.6, f"Reading {path.name} › {sheet}")
    place = _header_place(rows) if header_row is None else header_row - 1
    if place is None or place >= len(rows):
        raise SourceError(f"{where} is empty.", "Choose a sheet with a header and rows.")
    body = rows[place + 1 :]
    columns = _used_columns(rows[max(place, 0) :])
    kept = [row for row in body if any(_filled(row[c]) for c in columns)]
    notes = _blank_row_notes(body, kept, f"{path.name} › {sheet}")
    require_rows(len(kept), where)
    header = [_text(rows[place][c]) if place >= 0 else f"column {c + 1}" for c in columns]
    names, name_notes = column_names(header, f"{path.name} › {sheet}")
    table = Table.of(
        {name: _column([row[c] for row in kept]) for name, c in zip(names, columns, strict=True)}
    )
    taken_as = f"header in row {place + 1}" if place >= 0 else "no header"
    return Reading(table, taken_as, name_notes + notes)


_SAVE_AGAIN = "Open it in the program it was made with, save it anew, and choose it again."


def _open(path: Path) -> calamine.CalamineWorkbook:
    existing_file(path)
    try:
        return calamine.CalamineWorkbook.from_path(path)
    except calamine.PasswordError:
        raise SourceError(
            f"The workbook {path} is protected by a password.",
            "Save a copy without a password and choose that.",
        ) from None
    except (calamine.CalamineError, OSError, ValueError) as error:
        raise SourceError(
            f"{path} is not a workbook that can be read: {error}.", _SAVE_AGAIN
        ) from error


def _header_place(rows: list[Row]) -> int | None:
    """Return the first of the rows with the most cells filled; None where nothing is filled."""
    filled = [sum(map(_filled, row)) for row in rows]
    most = max(filled, default=0)
    return filled.index(most) if most else None


def _used_columns(rows: list[Row]) -> list[int]:
    width = max((len(row) for row in rows), default=0)
    return [c for c in range(width) if any(_filled(row[c]) for row in rows)]


def _blank_row_notes(body: list[Row], kept: list[Row], where: str) -> tuple[str, ...]:
    """Say how many blank rows between others were left out; those at the end are not worth it."""
    last = max((i for i, row in enumerate(body) if any(map(_filled, row))), default=-1)
    inside = last + 1 - len(kept)
    if inside <= 0:
        return ()
    rows = "1 blank row" if inside == 1 else f"{inside:,} blank rows"
    return (f"{rows} of {where} left out.",)


def _filled(cell: Any) -> bool:
    return cell is not None and cell != ""


def _column(cells: Sequence[Any]) -> Column:
    """Return cells as a column of one kind; cells of different kinds all become text."""
    values = [cell if _filled(cell) else None for cell in cells]
    types = {type(value) for value in values if value is not None}
    if not types or types == {str}:
        return Column.of(values, Kind.TEXT)
    if types <= {int, float}:
        return _numbers(values)
    if types == {bool}:
        return Column.of(values, Kind.YES_NO)
    if types == {dt.time}:
        return Column.of(values, Kind.TIME)
    if types <= {dt.date, dt.datetime}:
        return _dates(values)
    return Column.of([None if v is None else _text(v) for v in values], Kind.TEXT)


def _numbers(values: Sequence[float | None]) -> Column:
    whole = all(v is None or (v == int(v) and abs(v) <= _LARGEST_EXACT_FLOAT) for v in values)
    if whole:
        return Column.of([None if v is None else int(v) for v in values], Kind.WHOLE)
    return Column.of([None if v is None else float(v) for v in values], Kind.NUMBER)


def _dates(values: Sequence[dt.date | None]) -> Column:
    moments = [_moment(value) for value in values]
    if all(m is None or m.time() == dt.time.min for m in moments):
        return Column.of([None if m is None else m.date() for m in moments], Kind.DATE)
    return Column.of(moments, Kind.DATE_TIME)


def _moment(value: dt.date | None) -> dt.datetime | None:
    if value is None or isinstance(value, dt.datetime):
        return value
    return dt.datetime.combine(value, dt.time.min)


def _text(cell: Any) -> str:
    """Return a cell as text, the way a sheet shows it."""
    if isinstance(cell, float) and cell == int(cell):
        return str(int(cell))
    if isinstance(cell, dt.datetime):
        return cell.isoformat(" ").removesuffix(" 00:00:00")
    return str(cell)
