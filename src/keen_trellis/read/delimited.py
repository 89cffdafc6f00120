"""Delimited text: encoding, delimiter and header found by looking, kinds settled on all rows."""

from __future__ import annotations

import csv
import io
import mmap
import re
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import pyarrow as pa
import pyarrow.csv as pacsv

from keen_trellis.data import Column, Table
from keen_trellis.data.reading_texts import column_of_texts
from keen_trellis.errors import SourceError
from keen_trellis.progress import Report, part, quiet
from keen_trellis.read.reading import Reading, column_names, existing_file, require_rows

DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
ENCODINGS = {"utf-8-sig": "UTF-8", "utf-16": "UTF-16", "cp1252": "Windows-1252"}

_HEAD_BYTES = 256 * 1024
_HEAD_LINES = 200
_ZIP, _OLE = b"PK\x03\x04", b"\xd0\xcf\x11\xe0"
_VALUE = re.compile(r"[-+]?[\d.,:/ \-]*\d[\d.,:/ \-]*")


@dataclass(frozen=True, slots=True)
class DelimitedForm:
    """How a text is laid out; None leaves it to be found.

    Attributes
    ----------
    delimiter : str or None
        One character.
    encoding : str or None
        A name that Python knows.
    header : bool or None
        Whether the first row names the columns.
    """

    delimiter: str | None = None
    encoding: str | None = None
    header: bool | None = None


def read_delimited(
    path: Path, form: DelimitedForm = DelimitedForm(), report: Report = quiet
) -> Reading:
    """Return the rows of a delimited text file.

    Empty cells are blanks. Time and memory are linear in the size of the file.

    Raises
    ------
    SourceError
        The file is missing, empty, not text, or a line has another number of cells.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    existing_file(path)
    report(0.0, f"Reading {path.name}")
    chosen, form = form, detect_form(path, form)
    try:
        header, texts = _read_texts(path, form)
    except UnicodeError as error:
        if chosen.encoding or form.encoding != "utf-8-sig":
            raise _not_in_encoding(path, form.encoding or "") from error
        # the first letter that is not UTF-8 came late
        form = replace(form, encoding="cp1252")
        header, texts = _read_texts(path, form)
    require_rows(texts.num_rows, str(path))
    names, notes = column_names(header, path.name)
    columns = _columns(texts, names, part(report, 0.4, 1.0), path.name)
    return Reading(Table.of(columns), taken_as(form), notes)


def detect_form(path: Path, form: DelimitedForm = DelimitedForm()) -> DelimitedForm:
    """Return `form` with all that was left open found by a look at the beginning of the file.

    Raises
    ------
    SourceError
        The file is not text.
    """
    with path.open("rb") as file:
        head = file.read(_HEAD_BYTES)
    _refuse_other_formats(head, path)
    encoding = form.encoding or _encoding(head)
    try:
        text = head.decode(encoding, errors="ignore" if len(head) == _HEAD_BYTES else "strict")
    except (UnicodeError, LookupError) as error:
        raise _not_in_encoding(path, encoding) from error
    delimiter = form.delimiter or _delimiter(text)
    rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter))[:_HEAD_LINES]
    header = _has_header(rows) if form.header is None else form.header
    return DelimitedForm(delimiter, encoding, header)


def taken_as(form: DelimitedForm) -> str:
    """Return a settled form in words."""
    delimiter = DELIMITERS.get(form.delimiter or "", f"“{form.delimiter}”")
    encoding = ENCODINGS.get(form.encoding or "", form.encoding or "")
    header = "header in row 1" if form.header else "no header"
    return f"{delimiter} separated, {encoding}, {header}"


def _read_texts(path: Path, form: DelimitedForm) -> tuple[list[str], pa.Table]:
    wrong: list[pacsv.InvalidRow] = []

    def note_wrong(row: pacsv.InvalidRow) -> str:
        wrong.append(row)
        return "skip"

    try:
        names = _first_row(path, form)
        types = {str(place): pa.string() for place in range(len(names))}
        texts = pacsv.read_csv(
            path,
            pacsv.ReadOptions(
                column_names=list(types),
                skip_rows_after_names=1 if form.header else 0,
                encoding="utf-8" if form.encoding == "utf-8-sig" else form.encoding,
                block_size=4 << 20,
            ),
            pacsv.ParseOptions(
                delimiter=form.delimiter,
                newlines_in_values=_has_quotes(path, form),
                invalid_row_handler=note_wrong,
            ),
            pacsv.ConvertOptions(column_types=types, strings_can_be_null=True, null_values=[""]),
        )
    except pa.ArrowInvalid as error:
        if "UTF8" in str(error):
            raise UnicodeError from error
        if "straddl" in str(error):
            raise SourceError(
                f"{path} has a quote that is opened and never closed.",
                "Close it, or take it out, where the last cell that reads well ends.",
            ) from error
        if "Empty CSV" in str(error):
            require_rows(0, str(path))
        raise SourceError(
            f"{path} cannot be read as {taken_as(form)}: {error}.",
            "Choose another delimiter or encoding.",
        ) from error
    if wrong:
        raise _wrong_rows(path, form, wrong, len(names))
    return names, texts


def _has_quotes(path: Path, form: DelimitedForm) -> bool:
    """Whether a cell could hold a line break; cutting such a file into blocks takes longer."""
    if form.encoding == "utf-16":
        return True
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as content:
        return content.find(b'"') >= 0


def _first_row(path: Path, form: DelimitedForm) -> list[str]:
    with path.open(encoding=form.encoding, newline="") as file:
        row = next(csv.reader(file, delimiter=form.delimiter or ","), [])
    return row if form.header else [f"column {place + 1}" for place in range(len(row))]


def _columns(
    texts: pa.Table, names: tuple[str, ...], report: Report, file: str
) -> dict[str, Column]:
    """Return every column by name; two at a time, since the kernels leave the lock alone."""
    columns = {}
    with ThreadPoolExecutor(2) as pool:
        settled = pool.map(column_of_texts, texts.columns)
        for place, (name, column) in enumerate(zip(names, settled, strict=True)):
            columns[name] = column
            report((place + 1) / len(names), f"Reading {file}: {name}")
    return columns


def _encoding(head: bytes) -> str:
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    try:
        head.decode("utf-8")
    except UnicodeDecodeError as error:
        cut_in_a_letter = len(head) == _HEAD_BYTES and error.start > len(head) - 4
        return "utf-8-sig" if cut_in_a_letter else "cp1252"
    return "utf-8-sig"


def _delimiter(text: str) -> str:
    """Return the delimiter that cuts most lines into the same number of cells."""
    lines = [line for line in text.splitlines()[:_HEAD_LINES] if line.strip()]

    def score(delimiter: str) -> tuple[float, int]:
        cells = Counter(len(row) for row in csv.reader(lines, delimiter=delimiter))
        if not cells:
            return (0.0, 0)
        usual, times = max(cells.items(), key=lambda item: (item[1], item[0]))
        return (times / len(lines) if usual > 1 else 0.0, usual)

    return max(DELIMITERS, key=score)


def _has_header(rows: list[list[str]]) -> bool:
    """Whether the first row names columns: words, all different, above something else."""
    if not rows:
        return False
    first = [cell.strip() for cell in rows[0]]
    words = [cell for cell in first if cell and not _VALUE.fullmatch(cell)]
    return len(words) == len([c for c in first if c]) > 0 and rows[0] not in rows[1:]


def _refuse_other_formats(head: bytes, path: Path) -> None:
    if head.startswith((_ZIP, _OLE)):
        raise SourceError(
            f"{path} is not text: its content is a workbook or an archive.",
            "If it is a workbook, give its name the ending .xlsx or .ods and choose it again.",
        )
    if b"\x00" in head and not head.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise SourceError(
            f"{path} is not text: it holds bytes that no text has.",
            "Choose a text file, or save the table as one.",
        )


def _not_in_encoding(path: Path, encoding: str) -> SourceError:
    name = ENCODINGS.get(encoding, encoding)
    return SourceError(
        f"{path} is not written in {name} throughout.", "Choose the encoding it was saved with."
    )


def _wrong_rows(
    path: Path, form: DelimitedForm, wrong: list[pacsv.InvalidRow], expected: int
) -> SourceError:
    first = wrong[0]
    with path.open(encoding=form.encoding, newline="") as file:
        lines = (number for number, line in enumerate(file, 1) if line.rstrip("\r\n") == first.text)
        line = next(lines, None)
    where = f"line {line}" if line else f"the line “{first.text[:60]}”"
    return SourceError(
        f"{path} has {len(wrong):,} {'line' if len(wrong) == 1 else 'lines'} with another number "
        f"of cells than the {expected} of its first row; the first is {where} with "
        f"{first.actual_columns}.",
        "Mend the line, or choose another delimiter.",
    )
