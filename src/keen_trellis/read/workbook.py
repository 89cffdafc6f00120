"""Sheets of workbooks: the header found below titles, empty edges left out, odd cells told of."""

from __future__ import annotations

import datetime as dt
import re
import threading
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import pyarrow as pa

from keen_trellis.data import Column, Kind
from keen_trellis.errors import MissingTableError, SourceError
from keen_trellis.progress import Cancelled, Report, part, quiet
from keen_trellis.read.apart import ParserError, parsed_apart
from keen_trellis.read.layouts import SheetLayout
from keen_trellis.read.locked import unlocked
from keen_trellis.read.noticed import Noticed, Reread
from keen_trellis.read.python_columns import column_of_values, value_text
from keen_trellis.read.reading import (
    Reading,
    column_names,
    existing_file,
    without_rows,
)
from keen_trellis.read.secrets import Secrets
from keen_trellis.read.settling import Unsettled
from keen_trellis.read.stamps import FileStamp
from keen_trellis.read.unpacking import looked_into, unpacked_size
from keen_trellis.read.workbook_facts import Box, NamedRange, SheetFacts, named_ranges, sheet_facts

ENDINGS = (".xlsx", ".xlsm", ".xlsb", ".xls", ".ods")

_SAVE_AGAIN = "Open it in the program it was made with, save it anew, and choose it again."
_NUMBER = re.compile(r"[+-]?\d{1,3}([ ,\u00a0\u202f]?\d{3})*(\.\d+)?", re.ASCII)
_MARKS = re.compile(r"[ ,\u00a0\u202f]")
_TOTAL = re.compile(r"^\W*(grand |sub-?)?(totals?|sum|overall|all)\b", re.IGNORECASE)
_DURATION = re.compile(r"PT(\d+)H(\d+)M(\d+(?:[.,]\d+)?)S")
_HEADER_WITHIN = 60
_YEARS = range(1900, 2101)

Row = list[Any]


@dataclass(frozen=True, slots=True)
class WorkbookPart:
    """A sheet or a named range that a lane can be made of.

    Attributes
    ----------
    name : str
    sheet : str
        The sheet it lies in; for a sheet its own name.
    named : bool
        Whether it is a named range or table.
    hidden : bool
    """

    name: str
    sheet: str
    named: bool = False
    hidden: bool = False


def workbook_parts(
    path: Path, secrets: Secrets | None = None, report: Report = quiet
) -> list[WorkbookPart]:
    """Return the sheets of a workbook in their order, then its named ranges and tables.

    Parameters
    ----------
    path : Path
    secrets : Secrets, optional
        Where the password is, if it has one.
    report : Report

    Raises
    ------
    SourceError
        The file is missing, empty or no workbook.
    PasswordError
        It wants a password.
    """
    existing_file(path)
    with unlocked(path, secrets) as plain:
        return _parts(plain, path, report)


def _parts(path: Path, named: Path, report: Report) -> list[WorkbookPart]:
    sheets, tables = _looked_up(path, named, report)
    parts = [
        WorkbookPart(name, name, hidden=not seen) for name, seen, has_cells in sheets if has_cells
    ]
    ranges = (*tables, *named_ranges(path))
    return parts + [WorkbookPart(r.name, r.sheet, named=True) for r in ranges]


def sheet_names(path: Path, secrets: Secrets | None = None) -> list[str]:
    """Return the names of the sheets in their order.

    Raises
    ------
    SourceError
        The file is missing, empty or no workbook.
    """
    return [part.name for part in workbook_parts(path, secrets) if not part.named]


def read_sheet(
    path: Path,
    sheet: str,
    layout: SheetLayout = SheetLayout(),
    report: Report = quiet,
    kinds: Mapping[str, Kind] | None = None,
    named: str | None = None,
    secrets: Secrets | None = None,
) -> Reading:
    """Return the rows of one sheet, or of one named range; empty cells are blanks.

    Parameters
    ----------
    path : Path
    sheet : str
    layout : SheetLayout
        Where the header's row is left open, it is the first row that is as wide as most and
        holds words only.
    report : Report
    kinds : mapping of column to kind, optional
        The kinds chosen; those of other columns are the kinds of their cells.
    named : str, optional
        A named range or table; its cells are taken instead of the whole sheet.
    secrets : Secrets, optional
        Where the password is, if the workbook has one.

    Raises
    ------
    SourceError
        The file is missing or no workbook, or has no such sheet or range, or it is empty.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    existing_file(path)
    stamp = FileStamp.of(path)
    report(0.0, f"Reading {path.name}")
    with unlocked(path, secrets) as plain:
        box = None
        if named is not None:
            sheets, tables = _looked_up(plain, path, part(report, 0.0, 0.1))
            found = _named(tables, plain, path, named, [name for name, _, _ in sheets])
            sheet, box = found.sheet, found.box
        where = f"{path.name} › {named or sheet}"
        parts = _cells(plain, path, sheet, part(report, 0.1, 0.6))
        names = [name for name, _, _ in next(parts)]
        if sheet not in names:
            raise MissingTableError(f"{path} has no sheet “{sheet}”.", names)
        with _beside(plain, sheet) as facts_of:
            try:
                merged = next(parts)
                rows = [row for some in parts for row in some]
            except SourceError:
                facts_of()  # says more of cells that lie too far apart
                raise
            facts = facts_of()
        merged = facts.merged if facts.merged is not None else merged
    report(0.6, f"Reading {where}")
    for row, column in facts.error_cells:
        rows[row][column] = ""
    for row, column, text in facts.tabbed:
        rows[row][column] = text
    if layout.merged == "filled":
        _fill(rows, merged)
    if box is not None:
        (top, left), (bottom, right) = box
        blank = [""] * (right + 1 - left)
        rows = [blank] * top + [row[left : right + 1] for row in rows[top : bottom + 1]]
    spelled_out = path.suffix.lower() == ".ods"
    reading = _reading(
        rows,
        layout,
        where,
        spelled_out=spelled_out,
        kinds=kinds or {},
        report=part(report, 0.6, 1.0),
    )
    left_out = (
        *_cells_noticed(facts, merged, reading, layout=layout, where=where),
        *reading.left_out,
    )
    return replace(reading, left_out=left_out, files=(stamp,))


def _reading(
    rows: list[Row],
    layout: SheetLayout,
    where: str,
    spelled_out: bool,
    kinds: Mapping[str, Kind],
    report: Report,
) -> Reading:
    place = _header_place(rows) if layout.header_row is None else layout.header_row - 1
    if place is None or not any(map(_n_filled, rows[max(place, 0) :])):
        raise SourceError(f"{where} is empty.", "Choose a sheet with a header and rows.")
    body = rows[place + 1 :]
    kept = [row for row in body if _n_filled(row)]
    noticed = list(_blank_rows_noticed(body, kept, where))
    header = rows[place] if place >= 0 else [""] * len(rows[0])
    columns = list(zip(*kept, strict=True)) if kept else [()] * len(header)
    used = [c for c, cells in enumerate(columns) if header[c] != "" or set(cells) - {""}]
    kept, totals = _without_total(kept, used, layout, where)
    names = [value_text(header[c]) if place >= 0 else f"column {c + 1}" for c in used]
    unique, renamed = column_names(names, where)
    made: dict[str, pa.ChunkedArray | Column] = {}
    for done, (name, c) in enumerate(zip(unique, used, strict=True)):
        made[name], seen = column_of_values(_values(columns[c][: len(kept)], spelled_out), name)
        noticed += seen
        report(done / len(used), f"Settling kinds of {where}")
    unsettled = Unsettled(made, where)
    settled = replace(layout, header_row=place + 1)
    return Reading(
        unsettled.in_kinds(kinds),
        sheet_words(settled),
        left_out=(*totals, *without_rows(len(kept), where)),
        changed=(*renamed, *noticed),
        layout=settled,
        unsettled=unsettled,
    )


def sheet_words(layout: SheetLayout) -> str:
    """Return a settled layout in words."""
    words = [f"header in row {layout.header_row}" if layout.header_row else "no header"]
    if layout.merged == "filled":
        words.append("merged cells filled")
    if layout.total_row == "left out":
        words.append("total row left out")
    return ", ".join(words)


_Sheets = list[tuple[str, bool, bool]]
"""Of each sheet its name, whether it is seen, and whether it has cells."""


def _looked_up(path: Path, named: Path, report: Report) -> tuple[_Sheets, list[NamedRange]]:
    """Return the sheets of a workbook, and the tables inside them.

    The header of a table stands in the row above its values.
    """
    with _told_by_parser(named):
        found_in = _format(path)
        tables = "tables" if found_in == ".xlsx" else "sheets"
        sheets, found = parsed_apart(
            path,
            *("parts", _told_by_name(path, found_in), tables),
            report=report,
            doing=f"Looking into {named.name}",
            said_of=named,
            unpacked=unpacked_size(path),
        )
    return sheets, [
        NamedRange(name, sheet, ((max(start[0] - 1, 0), start[1]), end))
        for name, sheet, start, end in found
    ]


_FORMATS = {"xl/workbook.xml": ".xlsx", "xl/workbook.bin": ".xlsb", "content.xml": ".ods"}


def _format(path: Path) -> str:
    """Return the ending that a workbook should have by what is in it; empty for no format."""
    archive = looked_into(path)
    if archive is None:
        return ".xls"
    with archive:
        names = set(archive.namelist())
    return next((ending for part, ending in _FORMATS.items() if part in names), "")


def _told_by_name(path: Path, found_in: str) -> str:
    """Return the path of a workbook whose name tells its format; else empty."""
    ending = path.suffix.lower().replace(".xlsm", ".xlsx")
    return str(path.absolute()) if ending == found_in else ""


def _cells(path: Path, named: Path, sheet: str, report: Report) -> Iterator[Any]:
    """Yield the sheets of a workbook, the merged ranges of one of them, and its rows in lists."""
    with _told_by_parser(named):
        yield from parsed_apart(
            path,
            *("sheet", _told_by_name(path, _format(path)), sheet),
            report=report,
            doing=f"Reading {named.name}",
            said_of=named,
            unpacked=unpacked_size(path),
        )


@contextmanager
def _beside(path: Path, sheet: str) -> Iterator[Callable[[], SheetFacts]]:
    """Look into a sheet while its cells are parsed; what is given waits for the facts."""
    is_over = threading.Event()

    def go_on(_: float, __: str) -> None:
        if is_over.is_set():
            raise Cancelled

    with ThreadPoolExecutor(1) as thread:
        facts = thread.submit(sheet_facts, path, sheet, go_on)
        try:
            yield facts.result
        finally:
            is_over.set()


@contextmanager
def _told_by_parser(path: Path) -> Iterator[None]:
    """Say in sentences what the parser tells of a workbook."""
    try:
        yield
    except ParserError as error:
        if error.kind == "PasswordError":
            raise SourceError(
                f"The workbook {path} is protected by a password.",
                "Save a copy without a password and choose that.",
            ) from None
        raise SourceError(
            f"{path} is not a workbook that can be read: {error or error.kind}.", _SAVE_AGAIN
        ) from error


def _named(
    tables: Sequence[NamedRange], plain: Path, path: Path, name: str, sheets: Sequence[str]
) -> NamedRange:
    for found in (*tables, *named_ranges(plain)):
        if found.name == name:
            return found
    raise MissingTableError(f"{path} has no range or table called “{name}”.", sheets)


def _header_place(rows: list[Row]) -> int | None:
    """Return the row of the names, -1 where there is none; None where nothing is filled."""
    filled = [_n_filled(row) for row in rows]
    usual = Counter(n for n in filled if n).most_common(1)
    if not usual:
        return None
    widest = max(filled)
    enough = max(0.6 * usual[0][0], min(2, widest))
    for place, number in enumerate(filled[:_HEADER_WITHIN]):
        if number >= enough:
            return place if _names_columns(rows, place) else -1
    return filled.index(widest)


def _names_columns(rows: list[Row], place: int) -> bool:
    """Whether a row names the columns below it: words, or years, and not values like the rest."""
    cells = [cell for cell in rows[place] if cell != ""]
    if all(isinstance(cell, str) for cell in cells):
        return True
    others = [cell for cell in cells if not isinstance(cell, str)]
    if all(isinstance(c, int | float) and c in _YEARS for c in others) and len(others) > 1:
        return len(set(others)) == len(others)
    below = rows[place + 1] if place + 1 < len(rows) else []
    pairs = zip(rows[place], below, strict=False)
    return any(type(a) is not type(b) for a, b in pairs if a != "" and b != "")


def _without_total(
    rows: list[Row], columns: Sequence[int], layout: SheetLayout, where: str
) -> tuple[list[Row], list[Noticed]]:
    """Leave out a row that sums up the others where that was chosen, or else propose it."""
    wanted_out = layout.total_row == "left out"
    why = _why_total(rows, columns)
    if not why:
        if not wanted_out:
            return rows, []
        return rows, [Noticed(f"The last row of {where} is no total any more, so it is kept.", 1)]
    if wanted_out:
        text = f"The last row of {where} is left out: {why}."
        keep = Reread("Keep it", layout={"total_row": "kept"})
        return rows[:-1], [Noticed(text, 1, keep)]
    text = f"The last row of {where} looks like a total: {why}. It would be counted twice."
    return rows, [Noticed(text, 1, Reread("Leave it out", layout={"total_row": "left out"}))]


def _why_total(rows: list[Row], columns: Sequence[int]) -> str:
    """Return what makes the last row look like a total; empty where nothing does."""
    if len(rows) < 3:
        return ""
    last = [rows[-1][c] for c in columns]
    label = next((c for c in last if isinstance(c, str) and _TOTAL.match(c)), None)
    if label is None and "" not in last:
        return ""
    sums = []
    for c, cell in zip(columns, last, strict=True):
        above = [figure for figure in (_figure(r[c]) for r in rows[:-1]) if figure is not None]
        figure = _figure(cell)
        if figure and len(above) > 1:
            sums.append(abs(sum(above) - figure) <= 1e-9 * abs(figure))
    if label is not None and sums:
        return f"it begins with “{label.strip()}”"
    blanks = last.count("")
    if sums and all(sums) and blanks:
        return "its numbers are the sums of the rows above"
    return ""


def _figure(cell: Any) -> float | None:
    """Return the number in a cell, also where it is kept as text; None for no number."""
    if type(cell) in (int, float):
        return float(cell)
    if isinstance(cell, str) and _NUMBER.fullmatch(cell.strip()):
        return float(_MARKS.sub("", cell.strip()))
    return None


def _cells_noticed(
    facts: SheetFacts, merged: Sequence[Box], reading: Reading, layout: SheetLayout, where: str
) -> list[Noticed]:
    said = []
    if facts.errors:
        cells = (
            "1 cell holds an error" if facts.errors == 1 else f"{facts.errors:,} cells hold errors"
        )
        at = f", the first in {facts.first_error}" if facts.first_error else ""
        said.append(Noticed(f"{cells} in {where}{at}; they are read as blanks.", facts.errors))
    header = reading.layout.header_row
    inside = [box for box in merged if box[1][0] >= header]
    if inside and layout.merged == "as they are":
        ranges = "1 range" if len(inside) == 1 else f"{len(inside):,} ranges"
        said.append(
            Noticed(
                f"{ranges} of merged cells in {where}: only the first cell of each has the value.",
                len(inside),
                Reread("Fill merged cells", layout={"merged": "filled"}),
            )
        )
    return said


def _blank_rows_noticed(body: list[Row], kept: list[Row], where: str) -> tuple[Noticed, ...]:
    """Say how many blank rows between others were left out; those at the end are not worth it."""
    last = next((n for n, row in enumerate(reversed(body)) if _n_filled(row)), len(body))
    inside = len(body) - last - len(kept)
    if inside <= 0:
        return ()
    rows = "1 blank row" if inside == 1 else f"{inside:,} blank rows"
    return (Noticed(f"{rows} of {where} left out.", inside),)


def _fill(rows: list[Row], merged: Sequence[Box]) -> None:
    for (top, left), (bottom, right) in merged:
        if top < len(rows) and left < len(rows[top]):
            value = rows[top][left]
            for row in rows[top : bottom + 1]:
                for column in range(left, min(right + 1, len(row))):
                    row[column] = value


def _n_filled(row: Row) -> int:
    """Return how many cells of a row are not empty."""
    return len(row) - row.count("")


def _values(cells: Sequence[Any], spelled_out: bool) -> Sequence[Any]:
    """Return cells as values: None for an empty one; long durations may be spelled out."""
    if str not in set(map(type, cells)):
        return cells
    values = [None if cell == "" else cell for cell in cells]
    if spelled_out and any(isinstance(v, str) and v.startswith("PT") for v in values):
        return [_duration(v) if isinstance(v, str) else v for v in values]
    return values


def _duration(text: str) -> Any:
    found = _DURATION.fullmatch(text)
    if found is None:
        return text
    hours, minutes, seconds = found.groups()
    second = float(seconds.replace(",", "."))
    return dt.timedelta(hours=int(hours), minutes=int(minutes), seconds=second)
