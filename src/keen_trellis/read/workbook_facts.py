"""What stands in a workbook's file beside the values of cells: names of ranges, merges, errors.

The library that reads cells gives a cell with an error as an empty one, and takes as much memory
as the cells furthest apart span. So the file is looked into first.
"""

from __future__ import annotations

import re
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from xml.etree.ElementTree import Element
from xml.parsers import expat

from defusedxml import DefusedXmlException, ElementTree

from keen_trellis.errors import SourceError
from keen_trellis.progress import Report, quiet
from keen_trellis.read.unpacking import looked_into

CELLS_AT_MOST = 60_000_000
"""Cells in the box around all filled cells of a sheet; each takes some 40 bytes while read."""

Box = tuple[tuple[int, int], tuple[int, int]]
"""The first and the last cell of a range as (row, column), counted from 0."""

_PIECE = 4 << 20
_ERROR = re.compile(rb'<(?:\w+:)?c\b[^>]*\bt="e"[^>]*>')
_PLACE = re.compile(rb'\br="([A-Z]+)(\d+)"')
_FAR_COLUMN = re.compile(rb' r="([A-Z]{2,3})\d')
_ROW = re.compile(rb'<(?:\w+:)?row\b[^>]*\br="(\d+)"')
_CELL = re.compile(r"([A-Z]{1,3})(\d{1,7})")
_UNUSUAL = (b"='", b"<!", b"&#", *(b"=%c" % room for room in b" \t\r\n"))
_UNUSUAL += tuple(b'%c="' % room for room in b" \t\r\n")
"""Single quotes, comments and declarations, characters by number, room beside an equals sign."""
_UTF8_MARK = b"\xef\xbb\xbf"
_ODS_ERROR = b'calcext:value-type="error"'
_ADDRESS = re.compile(
    r"^\$?(?P<sheet>'(?:[^']|'')+'|[^'!.$]+)[!.]"
    r"\$?(?P<c1>[A-Z]{1,3})\$?(?P<r1>\d+)(?::[^:]*?\$?(?P<c2>[A-Z]{1,3})\$?(?P<r2>\d+))?$"
)
_TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"


@dataclass(frozen=True, slots=True)
class NamedRange:
    """A range of cells that the workbook has a name for."""

    name: str
    sheet: str
    box: Box


@dataclass(frozen=True, slots=True)
class SheetFacts:
    """What the values of a sheet do not tell.

    Attributes
    ----------
    errors : int or None
        How many cells hold an error; None where the format does not let it be counted.
    first_error : str
        Where the first one is, as in “C14”; empty where that is not known.
    error_cells : tuple of (row, column)
        The cells whose error the library that reads cells takes for text.
    merged : tuple of Box, or None
        None where the library that reads the cells knows better.
    tabbed : tuple of (row, column, text)
        The texts that hold a tab, which that library leaves out.
    """

    errors: int | None = None
    first_error: str = ""
    error_cells: tuple[tuple[int, int], ...] = ()
    merged: tuple[Box, ...] | None = None
    tabbed: tuple[tuple[int, int, str], ...] = ()


def named_ranges(path: Path) -> tuple[NamedRange, ...]:
    """Return the named ranges of a workbook whose address is one block of cells.

    Raises
    ------
    SourceError
        The file is damaged.
    """
    archive = looked_into(path)
    if archive is None:
        return ()
    with _damage_said(path), archive:
        names = set(archive.namelist())
        if "xl/workbook.xml" in names:
            found = _xlsx_names(archive)
        elif "content.xml" in names:
            found = _ods_names(archive)
        else:
            found = iter(())
        return tuple(r for name, address in found if (r := _ranged(name, address)) is not None)


def sheet_facts(path: Path, sheet: str, report: Report = quiet) -> SheetFacts:
    """Return what the values of a sheet do not tell, after a look whether it can be read at all.

    Raises
    ------
    SourceError
        The file is damaged, or its cells lie too far apart.
    Cancelled
        Raised by `report` once nobody wants to know any more.
    """
    archive = looked_into(path)
    if archive is None:
        return SheetFacts()
    with _damage_said(path), archive:
        names = set(archive.namelist())
        if "xl/workbook.xml" in names:
            part = _sheet_parts(archive).get(sheet)
            if part is None or part not in names:
                return SheetFacts()
            return _xlsx_facts(archive, part, path, sheet=sheet, report=report)
        if "content.xml" in names:
            return _ods_facts(archive, sheet, report)
    return SheetFacts()


@contextmanager
def _damage_said(path: Path) -> Iterator[None]:
    """Say in a sentence that an archive or what stands in it is damaged."""
    try:
        yield
    except (
        ElementTree.ParseError,
        expat.ExpatError,
        DefusedXmlException,
        zipfile.BadZipFile,
        zlib.error,
        KeyError,
        ValueError,
        EOFError,
        NotImplementedError,
        OSError,
    ) as error:
        raise SourceError(
            f"The workbook {path} is damaged: {error}.",
            "Open it in the program it was made with, and save it anew.",
        ) from error


def column_letters(column: int) -> str:
    """Return the letters of a column counted from 0.

    >>> column_letters(0), column_letters(27)
    ('A', 'AB')
    """
    letters = ""
    column += 1
    while column:
        column, place = divmod(column - 1, 26)
        letters = chr(ord("A") + place) + letters
    return letters


def _column_number(letters: str) -> int:
    number = 0
    for letter in letters:
        number = number * 26 + ord(letter) - ord("A") + 1
    return number - 1


def _ranged(name: str, address: str) -> NamedRange | None:
    found = _ADDRESS.match(address)
    if found is None or found["c2"] is None:
        return None
    sheet = found["sheet"].strip("'").replace("''", "'")
    first = (int(found["r1"]) - 1, _column_number(found["c1"]))
    last = (int(found["r2"]) - 1, _column_number(found["c2"]))
    return NamedRange(name, sheet, (first, last))


def _xlsx_names(archive: zipfile.ZipFile) -> Iterator[tuple[str, str]]:
    for element in _elements(archive, "xl/workbook.xml", "definedName"):
        name = element.get("name", "")
        if not name.startswith("_xlnm") and element.get("hidden") != "1":
            yield name, element.text or ""


def _ods_names(archive: zipfile.ZipFile) -> Iterator[tuple[str, str]]:
    for element in _ends(archive, "content.xml"):
        if element.tag == f"{_TABLE}named-range":
            yield element.get(f"{_TABLE}name", ""), element.get(f"{_TABLE}cell-range-address", "")
        elif element.tag == f"{_TABLE}database-range":
            name = element.get(f"{_TABLE}name", "")
            if not name.startswith("__Anonymous"):
                yield name, element.get(f"{_TABLE}target-range-address", "")


def _ends(archive: zipfile.ZipFile, part: str) -> Iterator[Element]:
    """Yield the elements of a part as each ends, and let go of those behind: it may be large."""
    with archive.open(part) as stream:
        for _, element in ElementTree.iterparse(stream):
            yield element
            if element.tag in (f"{_TABLE}table-row", f"{_TABLE}table"):
                element.clear()


def _sheet_parts(archive: zipfile.ZipFile) -> dict[str, str]:
    """Return the part of the archive that each sheet is in."""
    targets = {
        e.get("Id", ""): e.get("Target", "")
        for e in _elements(archive, "xl/_rels/workbook.xml.rels", "Relationship")
    }
    parts = {}
    for element in _elements(archive, "xl/workbook.xml", "sheet"):
        key = next((v for k, v in element.attrib.items() if k.endswith("}id")), "")
        target = targets.get(key, "")
        parts[element.get("name", "")] = target.lstrip("/") if target[:1] == "/" else f"xl/{target}"
    return parts


def _elements(archive: zipfile.ZipFile, part: str, tag: str) -> Iterator[Element]:
    for element in ElementTree.fromstring(archive.read(part)).iter():
        if element.tag.rpartition("}")[2] == tag:
            yield element


@dataclass(slots=True)
class _Seen:
    """What was seen of a sheet: errors, the place of the first, the last row, the widest row."""

    errors: int = 0
    first: str = ""
    last_row: int = 0
    widest: int = 26


def _xlsx_facts(
    archive: zipfile.ZipFile, part: str, path: Path, sheet: str, report: Report
) -> SheetFacts:
    seen = _seen_by_patterns(archive, part, report) or _seen_by_reader(archive, part, report)
    if seen.last_row * seen.widest > CELLS_AT_MOST and seen.widest > 26:
        raise SourceError(
            f"The cells of the sheet “{sheet}” of {path} lie as far apart as A1 and "
            f"{column_letters(seen.widest - 1)}{seen.last_row}, which is too much to read.",
            "Delete the rows and columns outside the table, save it, and choose it again.",
        )
    return SheetFacts(seen.errors, seen.first)


def _seen_by_patterns(archive: zipfile.ZipFile, part: str, report: Report) -> _Seen | None:
    """Return what is seen of a sheet written as usual; None where patterns could be misled.

    They are ten times as fast as reading the XML, and right where all attributes stand in double
    quotes as they are meant, and nothing else has the look of a cell.
    """
    seen = _Seen()
    with archive.open(part) as stream:
        rest = b""
        while piece := stream.read(_PIECE):
            report(0.0, "")
            if not rest and not piece.lstrip(_UTF8_MARK).startswith(b"<"):
                return None  # another encoding
            piece = rest + piece
            cut = piece.rfind(b"<")
            rest, piece = piece[cut:], piece[:cut]
            if any(one in piece for one in _UNUSUAL):
                return None
            if b't="e"' in piece:
                found = _ERROR.findall(piece)
                seen.errors += len(found)
                place = _PLACE.search(found[0]) if found and not seen.first else None
                seen.first = (place[1] + place[2]).decode() if place else seen.first
            letters = set(_FAR_COLUMN.findall(piece))
            far = max((_column_number(c.decode()) for c in letters), default=0)
            seen.widest = max(seen.widest, far + 1)
            at = max(piece.rfind(b"<row "), piece.rfind(b":row "))
            row = _ROW.search(piece, max(at - 8, 0)) if at >= 0 else None
            seen.last_row = max(seen.last_row, int(row[1]) if row else 0)
    return seen


def _seen_by_reader(archive: zipfile.ZipFile, part: str, report: Report) -> _Seen:
    """Return what is seen of any sheet, by reading its XML."""
    seen = _Seen()

    def begin(tag: str, attributes: dict[str, str]) -> None:
        name = tag.rpartition(":")[2]
        place = attributes.get("r", "")
        if name == "row" and place.isdecimal():
            seen.last_row = max(seen.last_row, int(place))
        elif name == "c":
            found = _CELL.fullmatch(place)
            if found is not None:
                seen.widest = max(seen.widest, _column_number(found[1]) + 1)
                seen.last_row = max(seen.last_row, int(found[2]))
            if attributes.get("t") == "e":
                seen.errors += 1
                seen.first = seen.first or place

    def refuse(*_: object) -> None:
        raise ValueError("it declares entities of its own")

    reader = expat.ParserCreate()
    reader.StartElementHandler = begin
    reader.EntityDeclHandler = refuse
    with archive.open(part) as stream:
        while piece := stream.read(_PIECE // 16):
            report(0.0, "")
            reader.Parse(piece)
        reader.Parse(b"", True)
    return seen


def _ods_facts(archive: zipfile.ZipFile, sheet: str, report: Report) -> SheetFacts:
    content = archive.read("content.xml")
    spans = b"number-rows-spanned" in content or b"number-columns-spanned" in content
    is_plain = _ODS_ERROR not in content and not spans and b"text:tab" not in content
    del content
    if is_plain:
        return SheetFacts(0, merged=())
    errors: list[tuple[int, int]] = []
    merged: list[Box] = []
    tabbed: list[tuple[int, int, str]] = []
    with archive.open("content.xml") as stream:
        row_number, is_it = 0, False
        for event, element in ElementTree.iterparse(stream, events=("start", "end")):
            if element.tag == f"{_TABLE}table" and event == "start":
                is_it = element.get(f"{_TABLE}name") == sheet
            elif element.tag == f"{_TABLE}table-row" and event == "end":
                report(0.0, "")
                if is_it:
                    before = len(errors), len(tabbed)
                    _ods_row_facts(element, row_number, errors, merged=merged, tabbed=tabbed)
                    times = int(element.get(f"{_TABLE}number-rows-repeated", 1))
                    for more in range(1, times if before != (len(errors), len(tabbed)) else 1):
                        _ods_row_facts(element, row_number + more, errors, [], tabbed=tabbed)
                    row_number += times
                element.clear()
    first = f"{column_letters(errors[0][1])}{errors[0][0] + 1}" if errors else ""
    return SheetFacts(len(errors), first, tuple(errors), tuple(merged), tuple(tabbed))


def _paragraph(element: Element) -> str:
    """Return the letters of a paragraph, where tabs, blanks and ends of lines are elements."""
    signs = {f"{_TEXT}tab": "\t", f"{_TEXT}line-break": "\n"}
    parts = [element.text or ""]
    for child in element:
        if child.tag == f"{_TEXT}s":
            parts.append(" " * int(child.get(f"{_TEXT}c", 1)))
        else:
            parts.append(signs.get(child.tag) or _paragraph(child))
        parts.append(child.tail or "")
    return "".join(parts)


def _ods_row_facts(
    row: Element,
    row_number: int,
    errors: list[tuple[int, int]],
    merged: list[Box],
    tabbed: list[tuple[int, int, str]],
) -> None:
    """Note the cells of a row that hold an error or a tab, and those that span others."""
    column = 0
    for cell in row:
        if cell.find(f".//{_TEXT}tab") is not None:
            text = "\n".join(map(_paragraph, cell.findall(f"{_TEXT}p")))
            times = int(cell.get(f"{_TABLE}number-columns-repeated", 1))
            tabbed += [(row_number, column + more, text) for more in range(times)]
        if any(k.endswith("}value-type") and v == "error" for k, v in cell.attrib.items()):
            errors.append((row_number, column))
        down = int(cell.get(f"{_TABLE}number-rows-spanned", 1))
        across = int(cell.get(f"{_TABLE}number-columns-spanned", 1))
        if down > 1 or across > 1:
            last = (row_number + down - 1, column + across - 1)
            merged.append(((row_number, column), last))
        column += int(cell.get(f"{_TABLE}number-columns-repeated", 1))
