"""Workbooks: XlsxWriter makes the book, its sheets and styles, and our rows are put into them.

XlsxWriter takes a cell at a time, some ten microseconds each in Python. So it writes each sheet
with its names and one row of samples, from which the numbers of its styles are taken; the rows
are written as XML from whole columns, and stand where the samples stood (ECMA-376, part 1, 18.3).
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.base.errors import DeliveryError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.data.kinds import Kind
from keen_trellis.deliver.blocks import ROWS_AT_A_TIME, Bytes, in_turn, joined, letters_of
from keen_trellis.deliver.packages import repack
from keen_trellis.deliver.sheet_cells import (
    CELL_LETTERS,
    SHEET_COLUMNS,
    SHEET_ROWS,
    SheetCells,
    sheet_cells,
)

if TYPE_CHECKING:
    from keen_trellis.data import Column, Table
    from keen_trellis.deliver.file_delivery import Sheet

_SAMPLES = re.compile(r'<row r="2".*?</row>', re.DOTALL)
_STYLE = re.compile(r'<c r="([A-Z]+)2" s="(\d+)"')
_EXTENT = re.compile(r'<dimension ref="[^"]*"/>')
_SHOWN = {
    (Kind.DATE, False): "yyyy-mm-dd",
    (Kind.DATE_TIME, False): "yyyy-mm-dd hh:mm:ss",
    (Kind.DATE_TIME, True): "yyyy-mm-dd hh:mm:ss.000",
    (Kind.TIME, False): "hh:mm:ss",
    (Kind.TIME, True): "hh:mm:ss.000",
}
"""How moments are shown, by kind and whether they have milliseconds."""

_LOOKED_AT = 200
_WIDTHS = (9, 48)
_NO_XML = "[\x00-\x08\x0b-\x1f\ufffe\uffff]|_x[0-9A-Fa-f]{4}_"
"""Signs that XML cannot hold or would change, and what looks like one of them written out."""


def require_room(name: str, table: Table) -> None:
    """Refuse what does not fit into a sheet; `DeliveryError`."""
    if len(table) >= SHEET_ROWS or len(table.columns) > SHEET_COLUMNS:
        raise DeliveryError(
            tr(
                "{table:,} rows of {columns:,} columns of “{name}” do not fit into a "
                "sheet, which holds {sheet_rows:,} rows of {sheet_columns:,}.",
                table=len(table),
                columns=len(table.columns),
                name=name,
                sheet_rows=SHEET_ROWS - 1,
                sheet_columns=SHEET_COLUMNS,
            ),
            tr("Deliver to .csv, or let fewer rows go on."),
        )


def sheet_names(names: Sequence[str]) -> list[str]:
    """Return names that sheets of one workbook may have: 31 letters, no brackets, no repeats."""
    made: list[str] = []
    taken = {"history"}  # no sheet may be called that, and case does not tell two apart
    for name in names:
        plain = name.translate(str.maketrans("[]:*?/\\", "()     ")).strip("' ")[:31] or "Outcome"
        free, number = plain, 1
        while free.lower() in taken:
            number += 1
            # Room for a space and three digits within 31 letters.
            free = f"{plain[:27]} {number}"
        taken.add(free.lower())
        made.append(free)
    return made


def write_xlsx(sheets: Sequence[Sheet], path: Path, report: Report = quiet) -> None:
    """Write a workbook: names in bold that stay in sight, columns wide enough, a table to filter.

    Raises
    ------
    DeliveryError
        The rows do not fit into a sheet, or a text does not fit into a cell.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    for sheet in sheets:
        require_room(sheet.name, sheet.table)

    def put(name: str, content: bytes, file: IO[bytes]) -> None:
        # Sheets are numbered from 1 in the order in which they were added.
        place = re.fullmatch(r"xl/worksheets/sheet(\d+)\.xml", name)
        if place is None:
            file.write(content)
            return
        number = int(place[1]) - 1
        share = part(report, number / len(sheets), (number + 1) / len(sheets))
        _write_sheet(sheets[number], content.decode(), file, share)

    repack(partial(_write_bare, sheets), put, path)


def _write_bare(sheets: Sequence[Sheet], path: Path) -> None:
    """Write the workbook without rows, and a sample of each moment in the second row."""
    import xlsxwriter
    from xlsxwriter.exceptions import FileCreateError, XlsxWriterException

    try:
        with xlsxwriter.Workbook(str(path), {"tmpdir": str(path.parent)}) as book:
            # The same day in every file: two deliveries of the same rows are the same bytes.
            book.set_properties({"created": dt.datetime(2000, 1, 1)})
            head = book.add_format({"bold": True})
            shown = {key: book.add_format({"num_format": how}) for key, how in _SHOWN.items()}
            for sheet, name in zip(sheets, sheet_names([s.name for s in sheets]), strict=True):
                page = book.add_worksheet(name)
                _write_head(page, sheet.table, head)
                for place, (_, how) in enumerate(shown.items()):
                    page.write_number(1, place, 0, how)
    except FileCreateError as error:  # the system's own error, put into one of the library's
        cause = error.args[0] if error.args else error
        raise cause if isinstance(cause, OSError) else OSError(str(error)) from error
    except XlsxWriterException as error:
        raise DeliveryError(
            tr("The sheets cannot be called so: {error}.", error=error), tr("Rename them.")
        ) from error


def _write_head(page: Any, table: Table, head: Any) -> None:
    n_rows, n_columns = len(table), len(table.columns)
    if not n_columns:
        return
    first = table.window(0, _LOOKED_AT)
    for place, (name, field) in enumerate(zip(table.columns, table.fields, strict=True)):
        page.write_string(0, place, name, head)
        longest = pc.max(pc.utf8_length(first.fetch(field).texts())).as_py() or 0
        page.set_column(place, place, min(max(len(name) + 3, longest + 2, _WIDTHS[0]), _WIDTHS[1]))
    page.freeze_panes(1, 0)
    distinct = len({name.lower() for name in table.columns}) == n_columns
    fits = all(name.strip() and len(name) < 255 for name in table.columns)
    if n_rows and distinct and fits:
        columns = [{"header": name, "header_format": head} for name in table.columns]
        style = {"columns": columns, "style": "Table Style Light 1"}
        page.add_table(0, 0, n_rows, n_columns - 1, style)
    else:  # names that a table may not have, or nothing to put into one
        page.autofilter(0, 0, n_rows, n_columns - 1)


def _write_sheet(sheet: Sheet, bare: str, file: IO[bytes], report: Report) -> None:
    table = sheet.table
    # In the order of `_SHOWN`, in which the samples were written.
    styles = [number for _, number in _STYLE.findall(bare)]
    ready = _Rows(table.settled(), dict(zip(_SHOWN, styles, strict=True)))
    found = _SAMPLES.search(bare)
    assert found is not None
    last = f"{_letters(max(len(table.columns), 1) - 1)}{len(table) + 1}"
    head = _EXTENT.sub(f'<dimension ref="A1:{last}"/>', bare[: found.start()])
    file.write(head.encode())
    for start, block in in_turn(len(table) if table.fields else 0, ready.block):
        report(
            start / len(table),
            tr("Writing row {start:,} of {table:,}", start=start, table=len(table)),
        )
        file.write(block)
    file.write(bare[found.end() :].encode())


class _Rows:
    """Makes rows of a sheet; what was done to a dictionary is kept."""

    def __init__(self, table: Table, styles: dict[tuple[Kind, bool], str]) -> None:
        self._table, self._styles = table, styles
        self._texts = SheetTexts(lambda texts: joined([_TEXT, in_xml(texts), "</t></is></c>"]))

    def block(self, start: int) -> Bytes:
        """Return some rows as XML; row 1 of the sheet is that of the names."""
        rows = self._table.window(start, start + ROWS_AT_A_TIME)
        numbers = pa.array(np.arange(start + 2, start + 2 + len(rows))).cast(pa.string())
        parts: list[Any] = ['<row r="', numbers, '">']
        for place, field in enumerate(rows.fields):
            column = rows.fetch(field)
            if column.kind is Kind.TEXT:
                rest = self._texts.of(column, start)
            else:
                rest = self._rest(column.kind, sheet_cells(column, as_serial=True))
            # Null where the cell is: no cell is written at all, which is what an empty one is.
            opened = joined([f'<c r="{_letters(place)}', numbers, '"', rest], nulls="emit_null")
            parts.append(opened)
        return letters_of(joined([*parts, "</row>"]))

    def _rest(self, kind: Kind, cells: SheetCells) -> pa.StringArray:
        """Return cells behind their place; null where nothing is to be written."""
        parts: list[Any] = [">"]
        if kind is Kind.BOOLEAN:
            parts = [' t="b">']
        elif (kind, False) in self._styles:
            styles = [
                f' s="{self._styles[kind, fine]}">'
                for fine in (False, True)
                if (kind, fine) in self._styles
            ]
            parts = styles[:1]
            if cells.fine is not None:
                parts = [pc.if_else(pa.array(cells.fine), styles[1], styles[0])]
        rest = joined([*parts, "<v>", cells.values, "</v></c>"], nulls="emit_null")
        if cells.texts is None:
            return rest
        texts = joined([_TEXT, in_xml(cells.texts), "</t></is></c>"], nulls="emit_null")
        return pc.coalesce(rest, texts)


_TEXT = ' t="inlineStr"><is><t xml:space="preserve">'


class SheetTexts:
    """The texts of columns as they stand in a sheet; each dictionary is made ready once.

    Attributes
    ----------
    ready : callable
        Makes a dictionary ready.
    """

    def __init__(self, ready: Any) -> None:
        self._ready = ready
        self._made: dict[int, tuple[pa.StringArray, np.ndarray[Any, Any] | None]] = {}

    def of(self, column: Column, start: int) -> pa.StringArray:
        """Return the cells of a column whose first row is `start`; null where nothing is there.

        Raises
        ------
        DeliveryError
            A text has more letters than a cell holds.
        """
        dictionary = column.dictionary
        assert dictionary is not None
        if id(dictionary) not in self._made:  # the table lives for as long as this does
            lengths = pc.utf8_length(dictionary).to_numpy(zero_copy_only=False)
            long = np.append(lengths > CELL_LETTERS, False)  # at the end: what is absent
            self._made[id(dictionary)] = self._ready(dictionary), long if long.any() else None
        ready, too_long = self._made[id(dictionary)]
        if too_long is not None and too_long[column.values].any():
            row = int(np.flatnonzero(too_long[column.values])[0])
            raise DeliveryError(
                tr(
                    "Row {start:,} holds a text of {text:,} letters; a "
                    "cell of a sheet holds {cell_letters:,}.",
                    start=start + row + 1,
                    text=len(column.text(row)),
                    cell_letters=CELL_LETTERS,
                ),
                tr("Deliver to .csv instead."),
            )
        return ready.take(column.codes())


def in_xml(texts: pa.StringArray) -> pa.StringArray:
    """Return texts as XML holds them; other signs as workbooks write them (ST_Xstring)."""
    odd = pc.match_substring_regex(texts, _NO_XML).fill_null(False)
    if pc.any(odd).as_py():
        plain = [re.sub(_NO_XML, _written_out, text) for text in texts.filter(odd).to_pylist()]
        texts = pc.replace_with_mask(texts, odd, pa.array(plain, pa.string()))
    for sign, entity in (("&", "&amp;"), ("<", "&lt;"), (">", "&gt;")):
        texts = pc.replace_substring(texts, sign, entity)
    return texts


def _written_out(found: re.Match[str]) -> str:
    text = found[0]
    return f"_x{ord(text):04X}_" if len(text) == 1 else f"_x005F{text}"


def _letters(place: int) -> str:
    """Return the name of a column of a sheet: A, B, ... Z, AA."""
    name = ""
    place += 1
    while place:
        place, letter = divmod(place - 1, 26)
        name = chr(ord("A") + letter) + name
    return name
