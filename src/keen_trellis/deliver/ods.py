"""OpenDocument sheets: odfpy makes the document and its styles, and our rows are put into it.

As with workbooks, rows are written as XML from whole columns (OpenDocument 1.3, part 3, 9.1 and
19.385), where the document without them has a mark.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.data.kinds import Kind
from keen_trellis.deliver.blocks import ROWS_AT_A_TIME, Bytes, in_turn, joined, letters_of
from keen_trellis.deliver.packages import repack
from keen_trellis.deliver.sheet_cells import SheetCells, sheet_cells
from keen_trellis.deliver.xlsx import SheetTexts, require_room, sheet_names

if TYPE_CHECKING:
    from keen_trellis.data import Table
    from keen_trellis.deliver.file_delivery import Sheet

_MARK = "rows-stand-here"
_MARKED = re.compile(
    rf"<table:table-row[^>]*><table:table-cell[^>]*><text:p[^>]*>{_MARK}(\d+)</text:p>"
    "</table:table-cell></table:table-row>"
)
_CREATED = re.compile(rb"<meta:creation-date>[^<]*</meta:creation-date>")
_NO_XML = "[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]"
"""Signs that XML cannot hold, and that OpenDocument has no other way to write."""
NOT_KEPT = rf"\r|{_NO_XML}"
"""What a text has that is written otherwise: as the end of a line, or as the sign for no sign."""
_UNUSUAL = f"^ | $|  |[\t\r\n]|{_NO_XML}"


def write_ods(sheets: Sequence[Sheet], path: Path, report: Report = quiet) -> None:
    """Write an OpenDocument file of sheets, each with the names of its columns in bold.

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
        if name == "content.xml":
            _write_content(sheets, content.decode(), file, report)
        else:
            file.write(_CREATED.sub(b"", content) if name == "meta.xml" else content)

    repack(partial(_write_bare, sheets), put, path)


def _write_bare(sheets: Sequence[Sheet], path: Path) -> None:
    from odf import number, style, table, text
    from odf.opendocument import OpenDocumentSpreadsheet

    book = OpenDocumentSpreadsheet()
    bold = style.Style(name="names", family="table-cell")
    bold.addElement(style.TextProperties(fontweight="bold"))
    book.automaticstyles.addElement(bold)
    for kind, parts in _shown(number).items():
        how = number.TimeStyle if kind is Kind.TIME else number.DateStyle
        shown = how(name=f"shown-{kind.name.lower()}")
        for one in parts:
            shown.addElement(one)
        book.automaticstyles.addElement(shown)
        cell = style.Style(name=_style(kind), family="table-cell", datastylename=shown)
        book.automaticstyles.addElement(cell)
    names = sheet_names([sheet.name for sheet in sheets])
    for place, (sheet, name) in enumerate(zip(sheets, names, strict=True)):
        page = table.Table(name=name)
        head = table.TableRow()
        for column in sheet.table.columns:
            cell = table.TableCell(valuetype="string", stylename=bold)
            cell.addElement(text.P(text=_plain(column)))
            head.addElement(cell)
        page.addElement(head)
        row, cell = table.TableRow(), table.TableCell(valuetype="string")
        cell.addElement(text.P(text=f"{_MARK}{place}"))
        row.addElement(cell)
        page.addElement(row)
        book.spreadsheet.addElement(page)
    book.save(str(path))


def _shown(number: Any) -> dict[Kind, list[Any]]:
    """Return how moments are shown: as ISO 8601 writes them."""

    def words(text: str) -> Any:
        return number.Text(text=text)

    def day() -> list[Any]:
        parts = (number.Year(style="long"), number.Month(style="long"), number.Day(style="long"))
        return [parts[0], words("-"), parts[1], words("-"), parts[2]]

    def clock() -> list[Any]:
        parts = [number.Hours(style="long"), number.Minutes(style="long")]
        return [parts[0], words(":"), parts[1], words(":"), number.Seconds(style="long")]

    return {Kind.DATE: day(), Kind.DATE_TIME: [*day(), words(" "), *clock()], Kind.TIME: clock()}


def _style(kind: Kind) -> str:
    return f"cell-{kind.name.lower()}"


def _write_content(sheets: Sequence[Sheet], bare: str, file: IO[bytes], report: Report) -> None:
    end = 0
    for number, found in enumerate(_MARKED.finditer(bare)):
        file.write(bare[end : found.start()].encode())
        end = found.end()
        table = sheets[int(found[1])].table
        ready = _Rows(table.settled())
        share = part(report, number / len(sheets), (number + 1) / len(sheets))
        for start, block in in_turn(len(table) if table.fields else 0, ready.block):
            share(
                start / len(table),
                tr("Writing row {start:,} of {table:,}", start=start, table=len(table)),
            )
            file.write(block)
    file.write(bare[end:].encode())


class _Rows:
    """Makes rows of a sheet."""

    def __init__(self, table: Table) -> None:
        self._table = table
        self._texts = SheetTexts(_text_cells)

    def block(self, start: int) -> Bytes:
        """Return some rows as XML."""
        rows = self._table.window(start, start + ROWS_AT_A_TIME)
        parts: list[Any] = ["<table:table-row>"]
        for field in rows.fields:
            column = rows.fetch(field)
            if column.kind is Kind.TEXT:
                cells = self._texts.of(column, start)
            else:
                cells = _cells(column.kind, sheet_cells(column, as_serial=False))
            parts.append(cells.fill_null("<table:table-cell/>"))
        return letters_of(joined([*parts, "</table:table-row>"]))


def _cells(kind: Kind, cells: SheetCells) -> pa.StringArray:
    opened = "<table:table-cell"
    shown = cells.values
    match kind:
        case Kind.BOOLEAN:
            value = [f'{opened} office:value-type="boolean" office:boolean-value="', shown]
        case Kind.DATE | Kind.DATE_TIME:
            style = f'{opened} table:style-name="{_style(kind)}" office:value-type="date"'
            value = [f'{style} office:date-value="', shown]
        case Kind.TIME:
            style = f'{opened} table:style-name="{_style(kind)}" office:value-type="time"'
            lasting = pc.replace_substring_regex(shown, r"^(\d\d):(\d\d):(.*)$", r"PT\1H\2M\3S")
            value = [f'{style} office:time-value="', lasting]
        case _:
            value = [f'{opened} office:value-type="float" office:value="', shown]
    made = joined([*value, '"><text:p>', shown, "</text:p></table:table-cell>"], nulls="emit_null")
    return made if cells.texts is None else pc.coalesce(made, _text_cells(cells.texts))


def _text_cells(texts: pa.StringArray) -> pa.StringArray:
    """Return cells of texts, absent ones null."""
    odd = pc.match_substring_regex(texts, _UNUSUAL).fill_null(False)
    plain = texts
    for sign, entity in (("&", "&amp;"), ("<", "&lt;"), (">", "&gt;")):
        plain = pc.replace_substring(plain, sign, entity)
    if pc.any(odd).as_py():
        lines = [_in_paragraphs(text) for text in plain.filter(odd).to_pylist()]
        plain = pc.replace_with_mask(plain, odd, pa.array(lines, pa.string()))
    opened = '<table:table-cell office:value-type="string"><text:p>'
    return joined([opened, plain, "</text:p></table:table-cell>"], nulls="emit_null")


def _in_paragraphs(text: str) -> str:
    """Return a text with a paragraph for each line, and signs for blanks that would be merged."""
    text = re.sub(_NO_XML, "\ufffd", text)
    # A cell of OpenDocument has paragraphs for lines, and takes several spaces for one unless
    # they are said so.
    lines = re.split("\r\n|\r|\n", text)
    spaced = [re.sub("^ | $|(?<= ) ", "<text:s/>", line) for line in lines]
    return "</text:p><text:p>".join(line.replace("\t", "<text:tab/>") for line in spaced)


def _plain(text: str) -> str:
    return re.sub(_NO_XML, "\ufffd", text)
