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
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO
from xml.etree.ElementTree import Element
from xml.parsers import expat

from defusedxml import DefusedXmlException, ElementTree

from keen_trellis.base.errors import SourceError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
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
_FORMULA = re.compile(
    rb"<(?:\w+:)?c\b([^>]*)>\s*<(?:\w+:)?f\b(?:[^>]*/>|[^>]*>[^<]*</(?:\w+:)?f>)\s*"
    rb"(<(?:\w+:)?v\s*/>|<(?:\w+:)?v></(?:\w+:)?v>)?\s*</(?:\w+:)?c>"
)
"""A cell with a formula, whose result is empty or not there."""

_ODS_FORMULA = re.compile(rb'<table:table-cell\b(?![^>]*:value-type=)[^>]*\btable:formula="')
_ODS_PADDED = re.compile(rb'number:min-integer-digits="(?:[3-9]|\d\d+)"')
_PADDED = re.compile("0{3,}")
_CODE = re.compile("0[0-9]{2,}")
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
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
    shown : tuple of (row, column, text)
        The texts that hold a tab, which that library leaves out, and codes such as 00712 that it
        gives as numbers.
    codes : int
        How many of these are such codes.
    padded : tuple of (row, column, digits)
        Cells whose number is shown with zeros before it, to so many digits.
    unworked : int
        How many cells hold a formula without a stored result, which that library gives as empty.
    first_unworked : str
        Where the first of them is.
    """

    errors: int | None = None
    first_error: str = ""
    error_cells: tuple[tuple[int, int], ...] = ()
    merged: tuple[Box, ...] | None = None
    shown: tuple[tuple[int, int, str], ...] = ()
    codes: int = 0
    unworked: int = 0
    first_unworked: str = ""
    padded: tuple[tuple[int, int, int], ...] = ()


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
            tr("The workbook {path} is damaged: what stands in it is not whole.", path=path),
            tr("Open it in the program it was made with, and save it anew."),
        ) from error


def column_letters(column: int) -> str:
    """Return the letters of a column counted from 0.

    >>> column_letters(0), column_letters(27)
    ('A', 'AB')
    """
    letters = ""
    column += 1
    while column:
        # Digits to the base of 26 without a zero: Z is followed by AA.
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
        # A target is relative to the folder of workbook.xml unless it begins with a slash.
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
    unworked: int = 0
    first_unworked: str = ""
    padded: list[tuple[int, int, int]] = field(default_factory=list)
    last_row: int = 0
    widest: int = 26


@dataclass(slots=True)
class _Cell:
    """The cell that is being read: whether it has a formula, and a result of it."""

    kind: str = ""
    place: str = ""
    formula: bool = False
    value: bool = False
    letters: int = 0

    def begins(self, kind: str, place: str) -> None:
        """Begin anew."""
        self.kind, self.place = kind, place
        self.formula, self.value, self.letters = False, False, 0


def _xlsx_facts(
    archive: zipfile.ZipFile, part: str, path: Path, sheet: str, report: Report
) -> SheetFacts:
    padding = _padding(archive)
    seen = _seen_by_patterns(archive, part, padding, report)
    seen = seen or _seen_by_reader(archive, part, padding, report)
    # The parser holds the whole box around the cells; with few columns, as many rows as a sheet
    # has still fit.
    if seen.last_row * seen.widest > CELLS_AT_MOST and seen.widest > 26:
        raise SourceError(
            tr(
                "The cells of the sheet “{sheet}” of {path} lie as far apart as A1 and "
                "{column_letters}{last_row}, which is too much to read.",
                sheet=sheet,
                path=path,
                column_letters=column_letters(seen.widest - 1),
                last_row=seen.last_row,
            ),
            tr("Delete the rows and columns outside the table, save it, and choose it again."),
        )
    return SheetFacts(
        seen.errors,
        seen.first,
        unworked=seen.unworked,
        first_unworked=seen.first_unworked,
        padded=tuple(seen.padded),
    )


def _padding(archive: zipfile.ZipFile) -> dict[str, int]:
    """Return the digits that numbers are filled up to, by the styles of cells that do so."""
    if "xl/styles.xml" not in archive.namelist():
        return {}
    styles = ElementTree.fromstring(archive.read("xl/styles.xml"))
    codes: dict[str, int] = {}
    formats: list[str] = []
    for element in styles.iter():
        name = element.tag.rpartition("}")[2]
        if name == "numFmt" and _PADDED.fullmatch(element.get("formatCode", "")):
            codes[element.get("numFmtId", "")] = len(element.get("formatCode", ""))
        elif name == "cellXfs":
            formats = [one.get("numFmtId", "") for one in element]
    return {str(place): codes[one] for place, one in enumerate(formats) if one in codes}


def _seen_by_patterns(
    archive: zipfile.ZipFile, part: str, padding: dict[str, int], report: Report
) -> _Seen | None:
    """Return what is seen of a sheet written as usual; None where patterns could be misled.

    They are ten times as fast as reading the XML, and right where all attributes stand in double
    quotes as they are meant, and nothing else has the look of a cell.
    """
    seen = _Seen()
    styles = b"|".join(re.escape(one.encode()) for one in padding)
    padded = re.compile(rb'<(?:\w+:)?c\b[^>]*\bs="(' + styles + rb')"[^>]*>') if styles else None
    with archive.open(part) as stream:
        for number, piece in enumerate(_whole_cells(stream)):
            report(0.0, "")
            if not number and not piece.lstrip(_UTF8_MARK).startswith(b"<"):
                return None  # another encoding
            if b"</f>" in piece or b"<f " in piece or b":f>" in piece:
                for attributes, empty in _FORMULA.findall(piece):
                    _note_formula(seen, attributes, bool(empty))
            for found_cell in padded.finditer(piece) if padded is not None else ():
                place = _PLACE.search(found_cell[0])
                if place is not None:
                    digits = padding[found_cell[1].decode()]
                    at_cell = int(place[2]) - 1, _column_number(place[1].decode())
                    seen.padded.append((*at_cell, digits))
            if any(one in piece for one in _UNUSUAL):
                return None
            if b't="e"' in piece:
                found = _ERROR.findall(piece)
                seen.errors += len(found)
                place = _PLACE.search(found[0]) if found and not seen.first else None
                seen.first = (place[1] + place[2]).decode() if place else seen.first
            # Columns of two letters and more alone: those up to Z are never too wide, and most
            # sheets have no others.
            letters = set(_FAR_COLUMN.findall(piece))
            far = max((_column_number(c.decode()) for c in letters), default=0)
            seen.widest = max(seen.widest, far + 1)
            # Rows come in order, so the last one of a piece is the furthest.
            at = max(piece.rfind(b"<row "), piece.rfind(b":row "))
            row = _ROW.search(piece, max(at - 8, 0)) if at >= 0 else None
            seen.last_row = max(seen.last_row, int(row[1]) if row else 0)
    return seen


def _whole_cells(stream: IO[bytes]) -> Iterator[bytes]:
    """Yield a sheet in pieces, none of which ends within a cell that is not longer than a piece."""
    rest = b""
    while piece := stream.read(_PIECE):
        piece = rest + piece
        # Cut before the last cell that begins in the piece (with a prefix, `<x:c `, the bracket
        # stands before it): what is not whole goes with the next one.
        begins = max(piece.rfind(b"<c "), piece.rfind(b":c ") - 8)
        cut = piece.rfind(b"<", 0, max(begins, 0) + 1)
        if cut <= 0:
            cut = max(piece.rfind(b"<"), 0)
        rest = piece[cut:]
        yield piece[:cut]
    yield rest


def _note_formula(seen: _Seen, attributes: bytes, is_there: bool) -> None:
    """Note a formula whose result is empty; an empty text that is stored is a result."""
    if is_there and b't="str"' in attributes:
        return
    seen.unworked += 1
    place = _PLACE.search(attributes)
    if place is not None and not seen.first_unworked:
        seen.first_unworked = (place[1] + place[2]).decode()


def _seen_by_reader(
    archive: zipfile.ZipFile, part: str, padding: dict[str, int], report: Report
) -> _Seen:
    """Return what is seen of any sheet, by reading its XML."""
    seen = _Seen()
    cell = _Cell()

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
            if found is not None and attributes.get("s", "") in padding:
                at = int(found[2]) - 1, _column_number(found[1])
                seen.padded.append((*at, padding[attributes["s"]]))
            cell.begins(attributes.get("t", ""), place)
        elif name == "f":
            cell.formula = True
        # letters are counted from the value on: those of the formula before it are none of it
        elif name == "v":
            cell.value, cell.letters = True, 0

    def end(tag: str) -> None:
        if tag.rpartition(":")[2] == "c" and cell.formula:
            # an empty text is a result; an empty number is none: nobody has worked the formula out
            stored = cell.value and (cell.letters > 0 or cell.kind == "str")
            if not stored:
                seen.unworked += 1
                seen.first_unworked = seen.first_unworked or cell.place

    def letters(text: str) -> None:
        cell.letters += len(text.strip())

    def refuse(*_: object) -> None:
        # one that stands for another that stands for another … fills the memory from a few bytes
        raise ValueError(tr("it declares entities of its own"))

    reader = expat.ParserCreate()
    reader.StartElementHandler = begin
    reader.EndElementHandler = end
    reader.CharacterDataHandler = letters
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
    is_plain = is_plain and not _ODS_FORMULA.search(content) and not _ODS_PADDED.search(content)
    del content
    if is_plain:
        return SheetFacts(0, merged=())
    found = _OdsSeen()
    with archive.open("content.xml") as stream:
        row_number, is_it = 0, False
        for event, element in ElementTree.iterparse(stream, events=("start", "end")):
            if element.tag == f"{_TABLE}table" and event == "start":
                is_it = element.get(f"{_TABLE}name") == sheet
            elif element.tag == f"{_TABLE}table-row" and event == "end":
                report(0.0, "")
                if is_it:
                    times = int(element.get(f"{_TABLE}number-rows-repeated", 1))
                    before = found.cells
                    _ods_row_facts(element, row_number, found)
                    merged = len(found.merged)
                    for more in range(1, times if before != found.cells else 1):
                        _ods_row_facts(element, row_number + more, found)
                    del found.merged[merged:]  # a range begins in one row alone
                    row_number += times
                element.clear()
    return SheetFacts(
        len(found.errors),
        _address(found.errors),
        tuple(found.errors),
        tuple(found.merged),
        shown=tuple(found.shown),
        codes=found.codes,
        unworked=len(found.unworked),
        first_unworked=_address(found.unworked),
    )


@dataclass(slots=True)
class _OdsSeen:
    """What was seen of a sheet of an .ods, cell by cell."""

    errors: list[tuple[int, int]] = field(default_factory=list)
    merged: list[Box] = field(default_factory=list)
    shown: list[tuple[int, int, str]] = field(default_factory=list)
    unworked: list[tuple[int, int]] = field(default_factory=list)
    codes: int = 0

    @property
    def cells(self) -> int:
        """How many cells something was seen of."""
        return len(self.errors) + len(self.shown) + len(self.unworked)


def _address(places: list[tuple[int, int]]) -> str:
    """Return the first of some places as a sheet calls it; empty where there is none."""
    return f"{column_letters(places[0][1])}{places[0][0] + 1}" if places else ""


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


def _ods_row_facts(row: Element, row_number: int, found: _OdsSeen) -> None:
    """Note the cells of a row of which the values do not tell all, and those that span others."""
    column = 0
    for cell in row:
        times = int(cell.get(f"{_TABLE}number-columns-repeated", 1))
        paragraphs = cell.findall(f"{_TEXT}p")
        kind = cell.get(f"{_OFFICE}value-type", "")
        text = "\n".join(map(_paragraph, paragraphs)) if paragraphs else ""
        # a number shown as 1E5 or +49…: the value that is stored has lost how it was typed
        is_code = kind == "float" and _CODE.fullmatch(text) is not None
        if is_code or cell.find(f".//{_TEXT}tab") is not None:
            found.shown += [(row_number, column + more, text) for more in range(times)]
            found.codes += times * is_code
        # errors have a type in a namespace of each writer's own, beside the one of the standard
        if any(k.endswith("}value-type") and v == "error" for k, v in cell.attrib.items()):
            found.errors.append((row_number, column))
        elif cell.get(f"{_TABLE}formula") is not None and not kind:
            found.unworked += [(row_number, column + more) for more in range(times)]
        down = int(cell.get(f"{_TABLE}number-rows-spanned", 1))
        across = int(cell.get(f"{_TABLE}number-columns-spanned", 1))
        if down > 1 or across > 1:
            last = (row_number + down - 1, column + across - 1)
            found.merged.append(((row_number, column), last))
        column += times
