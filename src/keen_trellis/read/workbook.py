"""Sheets of workbooks: what is in one, and its cells as a parser gives them, odd ones told of.

Nothing that holds tables is loaded before the parser, which runs in a process of its own, has given
the cells: what loads it meanwhile is whoever waits for the rows.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keen_trellis.base.errors import MissingTableError, SourceError
from keen_trellis.base.file_stamps import FileStamp, unwritten_file
from keen_trellis.base.language import tr
from keen_trellis.base.ordinary_files import existing_file
from keen_trellis.base.progress import Cancelled, Report, part, quiet
from keen_trellis.data.conversions.noticed import Noticed, Reread
from keen_trellis.data.kinds import Kind
from keen_trellis.layouts.source_layouts import SheetLayout
from keen_trellis.read.apart import ParserError, parsed_apart
from keen_trellis.read.locked import unlocked
from keen_trellis.read.unpacking import looked_into, unpacked_size
from keen_trellis.read.workbook_facts import Box, NamedRange, SheetFacts, named_ranges, sheet_facts
from keen_trellis.servers.secrets import Secrets

if TYPE_CHECKING:
    from keen_trellis.read.reading import Reading
    from keen_trellis.read.sheet_table import Row

ENDINGS = (".xlsx", ".xlsm", ".xlsb", ".xls", ".ods")

_SAVE_AGAIN = tr("Open it in the program it was made with, save it anew, and choose it again.")


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


@unwritten_file
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
    report(0.0, tr("Reading {name}", name=path.name))
    with unlocked(path, secrets) as plain:
        box = None
        if named is not None:
            sheets, tables = _looked_up(plain, path, part(report, 0.0, 0.1))
            found = _named(tables, plain, path, named, [name for name, _, _ in sheets])
            sheet, box = found.sheet, found.box
        where = f"{path.name} › {named or sheet}"
        parts = _cells(plain, path, sheet, part(report, 0.1, 0.6))
        # What the parser sends comes in this order: the sheets, the merged ranges, then rows in
        # lists.
        names = [name for name, _, _ in next(parts)]
        if sheet not in names:
            raise MissingTableError(
                tr("{path} has no sheet “{sheet}”.", path=path, sheet=sheet), names
            )
        with _beside(plain, sheet) as facts_of:
            try:
                merged = next(parts)
                rows, blank = _with_blank_rows(parts)
            except SourceError:
                facts_of()  # says more of cells that lie too far apart
                raise
            facts = facts_of()
        merged = facts.merged if facts.merged is not None else merged
    report(0.6, tr("Reading {where}", where=where))
    # All empty rows are one and the same list: one that is about to be written to becomes a list
    # of its own first.
    changed = [row for row, _ in facts.error_cells] + [row for row, _, _ in facts.shown]
    if layout.merged == "filled":
        changed += [row for (top, _), (bottom, _) in merged for row in range(top, bottom + 1)]
    for place in changed:
        if place < len(rows) and rows[place] is blank:  # it gets cells of its own
            rows[place] = [*blank]
    for row, column in facts.error_cells:
        rows[row][column] = ""
    for row, column, text in facts.shown:
        rows[row][column] = text
    codes = facts.codes + _pad(rows, facts.padded)
    if layout.merged == "filled":
        _fill(rows, merged)
    if box is not None:
        (top, left), (bottom, right) = box
        # Rows above the range stay as empty ones, so that the numbers of rows are still those of
        # the sheet.
        outside = [""] * (right + 1 - left)
        rows = [outside] * top + [row[left : right + 1] for row in rows[top : bottom + 1]]
    from keen_trellis.read.sheet_table import table_of_cells

    spelled_out = path.suffix.lower() == ".ods"
    reading = table_of_cells(
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
    if codes:
        cells = tr("{codes:,} cells are", codes=codes) if codes > 1 else tr("1 cell is")
        text = tr(
            "{cells} shown with zeros before a number in {where}; they are read as texts so.",
            cells=cells,
            where=where,
        )
        reading = replace(reading, changed=(*reading.changed, Noticed(text, codes)))
    return replace(reading, left_out=left_out, files=(stamp,))


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
            doing=tr("Looking into {name}", name=named.name),
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


def _with_blank_rows(parts: Iterator[tuple[int, list[Row | int]]]) -> tuple[list[Row], Row]:
    """Return the rows of a sheet, and the one row that stands for every empty one."""
    rows: list[Row] = []
    blank: Row = []
    for width, some in parts:
        if len(blank) != width:
            blank = [""] * width
        for one in some:
            if isinstance(one, int):
                rows += [blank] * one
            else:
                rows.append(one)
    return rows, blank


def _cells(path: Path, named: Path, sheet: str, report: Report) -> Iterator[Any]:
    """Yield the sheets of a workbook, the merged ranges of one of them, and its rows in lists."""
    with _told_by_parser(named):
        yield from parsed_apart(
            path,
            *("sheet", _told_by_name(path, _format(path)), sheet),
            report=report,
            doing=tr("Reading {name}", name=named.name),
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

    # On a thread of its own, with a copy of nothing: both read the file, and the parser's process
    # does not wait for this one.
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
                tr("The workbook {path} is protected by a password.", path=path),
                tr("Save a copy without a password and choose that."),
            ) from None
        raise SourceError(
            tr(
                "{path} is not a workbook that can be read: it is damaged, or of a format that is "
                "none of .xlsx, .xlsm, .xlsb, .xls and .ods.",
                path=path,
            ),
            _SAVE_AGAIN,
        ) from error


def _named(
    tables: Sequence[NamedRange], plain: Path, path: Path, name: str, sheets: Sequence[str]
) -> NamedRange:
    for found in (*tables, *named_ranges(plain)):
        if found.name == name:
            return found
    raise MissingTableError(
        tr("{path} has no range or table called “{name}”.", path=path, name=name), sheets
    )


def _cells_noticed(
    facts: SheetFacts, merged: Sequence[Box], reading: Reading, layout: SheetLayout, where: str
) -> list[Noticed]:
    said = []
    if facts.errors:
        cells = (
            tr("1 cell holds an error")
            if facts.errors == 1
            else tr("{errors:,} cells hold errors", errors=facts.errors)
        )
        at = (
            tr(", the first in {first_error}", first_error=facts.first_error)
            if facts.first_error
            else ""
        )
        said.append(
            Noticed(
                tr(
                    "{cells} in {where}{at}; they are read as blanks.",
                    cells=cells,
                    where=where,
                    at=at,
                ),
                facts.errors,
            )
        )
    if facts.unworked:
        cells = (
            tr("1 cell holds a formula")
            if facts.unworked == 1
            else tr("{unworked:,} cells hold formulas", unworked=facts.unworked)
        )
        text = tr(
            "{cells} without a stored result in {where}, the first in {first_unworked}; "
            "they are read as blanks. Open the file where formulas are worked out, and save it.",
            cells=cells,
            where=where,
            first_unworked=facts.first_unworked,
        )
        said.append(Noticed(text, facts.unworked))
    header = reading.layout.header_row
    inside = [box for box in merged if box[1][0] >= header]
    if inside and layout.merged == "as they are":
        ranges = tr("1 range") if len(inside) == 1 else tr("{inside:,} ranges", inside=len(inside))
        said.append(
            Noticed(
                tr(
                    "{ranges} of merged cells in {where}: only the first cell of each "
                    "has the value.",
                    ranges=ranges,
                    where=where,
                ),
                len(inside),
                Reread(tr("Fill merged cells"), layout={"merged": "filled"}),
            )
        )
    return said


def _pad(rows: list[Row], padded: Sequence[tuple[int, int, int]]) -> int:
    """Give numbers the zeros that they are shown with, and return how many had too few digits."""
    found = 0
    for row, column, digits in padded:
        cell = rows[row][column] if row < len(rows) and column < len(rows[row]) else ""
        # `type`, not `isinstance`: a boolean is an int, and shown with no zeros.
        if type(cell) in (int, float) and cell == int(cell) and abs(cell) < 10 ** (digits - 1):
            rows[row][column] = f"{'-' if cell < 0 else ''}{abs(int(cell)):0{digits}}"
            found += 1
        elif type(cell) in (int, float) and cell == int(cell):
            rows[row][column] = str(int(cell))  # a code as well, with all its digits
    return found


def _fill(rows: list[Row], merged: Sequence[Box]) -> None:
    for (top, left), (bottom, right) in merged:
        if top < len(rows) and left < len(rows[top]):
            value = rows[top][left]
            for row in rows[top : bottom + 1]:
                for column in range(left, min(right + 1, len(row))):
                    row[column] = value
