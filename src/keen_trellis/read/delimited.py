"""Delimited text: layout found by looking, lines that cannot be cut into columns set apart."""

from __future__ import annotations

import gzip
import io
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import IO, Any

import pyarrow as pa
import pyarrow.csv as pacsv

from keen_trellis.base.errors import SourceError, reason
from keen_trellis.base.file_stamps import FileStamp, unwritten_file
from keen_trellis.base.language import grouped_digits, tr, tr_n
from keen_trellis.base.ordinary_files import existing_file
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.base.words import counted
from keen_trellis.data import Kind
from keen_trellis.data.column_names import column_names
from keen_trellis.data.conversions.noticed import Noticed
from keen_trellis.layouts.source_layouts import TextLayout
from keen_trellis.read.reading import Reading, SetApart, without_rows
from keen_trellis.read.text_columns import unsettled_texts, with_blanks
from keen_trellis.read.text_layout import (
    ENCODINGS,
    HEAD_BYTES,
    cells_of,
    encoding_guessed,
    find_layout,
    is_utf8,
    layout_words,
    likely_encodings,
    mostly_utf8,
)
from keen_trellis.read.total_row import told, why_total_of_texts
from keen_trellis.read.unpacking import head_of, is_gzip, unpacked

_SET_APART_AT_MOST = 100_000
_LISTED = 1_000
_BLOCK = 4 << 20
_TAIL = 1 << 20


@dataclass(frozen=True, slots=True, eq=False)
class Texts:
    """The cells of a file as texts, before kinds are settled; empty cells are null.

    Attributes
    ----------
    names : tuple of str
    columns : tuple of ChunkedArray of string
    layout : TextLayout
        With all that was found.
    noticed, set_apart, partial
        As in `Reading`.
    """

    names: tuple[str, ...]
    columns: tuple[pa.ChunkedArray, ...]
    layout: TextLayout
    noticed: tuple[Noticed, ...] = ()
    set_apart: tuple[SetApart, ...] = ()
    partial: bool = False

    @property
    def n_rows(self) -> int:
        """How many rows there are."""
        return len(self.columns[0]) if self.columns else 0


def read_delimited(
    path: Path,
    layout: TextLayout = TextLayout(),
    report: Report = quiet,
    kinds: Mapping[str, Kind] | None = None,
    rows_at_most: int | None = None,
) -> Reading:
    """Return the rows of a delimited text file, also of one packed with gzip.

    Empty cells are blanks. Time and memory are linear in the size of the file.

    Parameters
    ----------
    path : Path
    layout : TextLayout
        What is left open in it is found.
    report : Report
    kinds : mapping of column to kind, optional
        The kinds chosen; those of other columns are found on all rows.
    rows_at_most : int, optional
        Reads only so many rows, from the beginning of the file: for a look before the whole.

    Raises
    ------
    SourceError
        The file is missing, empty, or not text.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    stamp = FileStamp.of(path)
    texts = read_texts(path, layout, part(report, 0.0, 0.5), rows_at_most)
    columns, totals = (texts.columns, []) if texts.partial else _without_total(texts, path.name)
    unsettled, settled = unsettled_texts(texts.names, columns, texts.layout, path.name)
    in_kinds = unsettled.in_kinds(kinds or {}, part(report, 0.5, 1.0))
    settled = with_blanks(settled, in_kinds)
    settled = replace(settled, total_row=layout.total_row or "kept")
    return Reading(
        in_kinds,
        layout_words(settled),
        left_out=(*texts.noticed, *totals, *without_rows(texts.n_rows, path.name)),
        layout=settled,
        set_apart=texts.set_apart,
        files=(stamp,),
        partial=texts.partial,
        unsettled=unsettled,
    )


def _without_total(texts: Texts, where: str) -> tuple[tuple[pa.ChunkedArray, ...], list[Noticed]]:
    """Leave out a row that sums up the others where that was chosen, or else propose it."""
    wanted_out = texts.layout.total_row == "left out"
    why = why_total_of_texts(texts.columns)
    kept = texts.n_rows - 1 if why and wanted_out else texts.n_rows
    return tuple(one.slice(0, kept) for one in texts.columns), told(why, where, wanted_out)


@unwritten_file
def read_texts(
    path: Path,
    layout: TextLayout = TextLayout(),
    report: Report = quiet,
    rows_at_most: int | None = None,
) -> Texts:
    """Return the cells of a delimited text file as texts.

    Raises
    ------
    SourceError
        The file is missing, empty, or not text.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    existing_file(path)
    report(0.0, tr("Reading {name}", name=path.name))
    try:
        head = head_of(path, HEAD_BYTES)
        if rows_at_most is not None:
            return _first_texts(head, path, layout, rows_at_most)
        with unpacked(path, part(report, 0.0, 0.3)) as plain:
            found = find_layout(head, path, layout, len(head) < HEAD_BYTES)
            reader = _Reader(path, plain, found, part(report, 0.3, 1.0))
            texts = reader.texts(head, chosen=layout.encoding is not None)
        guess = encoding_guessed(reader.beyond_ascii or head, texts.layout, layout, path.name)
        return replace(texts, noticed=(*texts.noticed, *guess))
    except OSError as error:
        raise SourceError(
            tr("{path} cannot be read to its end: {reason}.", path=path, reason=reason(error)),
            tr("See that the disk or the network it lies on is there, and read it again."),
        ) from error


def _first_texts(head: bytes, path: Path, layout: TextLayout, rows: int) -> Texts:
    """Return the first rows out of the first bytes of a text."""
    all_there = len(head) < HEAD_BYTES
    found = find_layout(head, path, layout, all_there)
    lines = head.decode(found.encoding or "", errors="replace").splitlines(keepends=True)
    if not all_there:
        # The first bytes may end in the middle of a line, or of a letter.
        lines = lines[:-1]
    wanted = lines[: (found.header_row or 0) + rows]
    content = "".join(wanted).replace("\x00", "\ufffd").encode()
    reader = _Reader(path, path, replace(found, encoding="utf-8"), quiet)
    texts = reader.cut(io.BytesIO(content), content, quoted=True)
    partial = not all_there or len(wanted) < len(lines)
    guess = encoding_guessed(head, found, layout, path.name)
    noticed = (*texts.noticed, *guess)
    return replace(texts, layout=found, partial=partial, noticed=noticed)


_NUL = b"\x00"


class _Reader:
    """Cuts one file into cells, with what it has to set apart on the way."""

    def __init__(self, path: Path, plain: Path, layout: TextLayout, report: Report) -> None:
        self._path, self._plain, self._layout, self._report = path, plain, layout, report
        self._wrong: list[pacsv.InvalidRow] = []
        self.beyond_ascii = b""

    def texts(self, head: bytes, chosen: bool, quoted: bool = False) -> Texts:
        """Return all cells; lines with broken letters are set apart, or the encoding thought over.

        Parameters
        ----------
        head : bytes
            The beginning of the text.
        chosen : bool
            Whether the encoding is the user's own choice.
        quoted : bool
            Whether quotes are known to come, although the beginning has none.
        """
        wide = self._is_wide
        quote = (self._layout.quote or "").encode()
        quoted = quoted or wide or (bool(quote) and quote in head)
        if (_NUL in head and not wide) or self._breaks_in(head):
            return self._sound_lines(head)
        # what must not come later, since the whole would have to be cut otherwise
        # Where no quote is expected lines end where they end, so that Arrow cuts blocks side by
        # side; the first quote that comes all the same has the whole begun anew.
        unexpected = () if wide else (_NUL,) if quoted or not quote else (_NUL, quote)
        try:
            with _Counted(self._plain, self._report, self._path.name, unexpected) as file:
                return self.cut(file, head, quoted)
        except _UnexpectedError as found:
            return self._sound_lines(head) if found.sign == _NUL else self.texts(head, chosen, True)
        except UnicodeError as error:
            if self._is_mostly_utf8(chosen, error):
                return self._sound_lines(head)
            # the first letter that is not UTF-8 came late
            self.beyond_ascii = self._lines_beyond_ascii()
            encoding = likely_encodings(self.beyond_ascii)[0]
            self._layout = replace(self._layout, encoding=encoding)
            return self.texts(head, chosen=False, quoted=quoted)

    def _lines_beyond_ascii(self) -> bytes:
        """Return the first lines that have letters beyond ASCII, the others as empty lines."""
        lines, size = [], 0
        with self._plain.open("rb") as file:
            for line in file:
                # A line that tells nothing still stands for one, so that what is found keeps its
                # number.
                lines.append(b"\n" if line.isascii() else line)
                size += len(lines[-1]) - 1
                if size > HEAD_BYTES:
                    break
        return b"".join(lines)

    @property
    def _is_wide(self) -> bool:
        """Whether a letter takes two bytes or four, so that a line's end is no single byte."""
        encoding = self._layout.encoding or ""
        return "16" in encoding or "32" in encoding

    def _is_mostly_utf8(self, chosen: bool, error: UnicodeError) -> bool:
        """Whether a text with broken letters is UTF-8 all the same; refuses any other encoding."""
        if self._layout.encoding != "utf-8-sig":
            raise _not_in_encoding(self._path, self._layout.encoding or "") from error
        if chosen:
            return True
        with self._plain.open("rb") as lines:
            return mostly_utf8(lines)

    def _breaks_in(self, head: bytes) -> bool:
        """Whether letters are broken already in the beginning of a text taken as UTF-8."""
        taken_as_utf8 = self._layout.encoding == "utf-8-sig"
        return taken_as_utf8 and not is_utf8(head, len(head) < HEAD_BYTES)

    def _sound_lines(self, head: bytes) -> Texts:
        with (
            _sound_copy(self._plain, self._path.name, self._layout) as (copy, broken),
            _Counted(copy, self._report, self._path.name) as file,
        ):
            texts = self.cut(file, head.replace(b"\x00", b""), quoted=True)
        lines = _some_lines([apart.line for apart in broken])
        noticed = Noticed(
            tr_n(
                len(broken),
                "{n:,} line of {name} holds broken letters and stands apart: {lines}.",
                "{n:,} lines of {name} hold broken letters and stand apart: {lines}.",
                name=self._path.name,
                lines=lines,
            ),
            len(broken),
        )
        set_apart = (*broken[:_LISTED], *texts.set_apart)
        return replace(texts, noticed=(noticed, *texts.noticed), set_apart=set_apart)

    def cut(self, file: Any, head: bytes, quoted: bool) -> Texts:
        """Return the cells of a file-like object whose text begins with `head`."""
        layout = self._layout
        header, width = self._first_row(head)
        # Under numbers: names of a file may stand there twice, or be empty.
        types = {str(place): pa.string() for place in range(width)}
        # where there is one column, a line without a letter is a row with a blank
        blanks_count = width == 1 and not self._is_wide
        plain = file.plain if isinstance(file, _Counted) else file
        at_end = _blank_lines_at_end(plain) if blanks_count else 0
        # Arrow tells of each line that it skips; this reading has not skipped any yet.
        self._wrong = []
        try:
            read = pacsv.read_csv(
                pa.PythonFile(file, mode="r"),
                pacsv.ReadOptions(
                    column_names=list(types),
                    skip_rows=max((layout.header_row or 0) - 1, 0),
                    skip_rows_after_names=1 if layout.header_row else 0,
                    encoding="utf-8" if layout.encoding == "utf-8-sig" else layout.encoding,
                    # A row must lie in one block, or in two that follow one another.
                    block_size=_BLOCK,
                ),
                pacsv.ParseOptions(
                    delimiter=layout.delimiter,
                    quote_char=layout.quote or False,
                    newlines_in_values=quoted,
                    ignore_empty_lines=not blanks_count,
                    invalid_row_handler=self._note_wrong,
                ),
                pacsv.ConvertOptions(
                    column_types=types, strings_can_be_null=True, null_values=[""]
                ),
            )
            columns = tuple(one.slice(0, max(len(one) - at_end, 0)) for one in read.columns)
        except pa.ArrowInvalid as error:
            # A header and no rows is a table without rows.
            if "Empty CSV" not in str(error):
                raise self._explained(error) from error
            columns = tuple(pa.chunked_array([[]], pa.string()) for _ in types)
        names, noticed = column_names(header, self._path.name)
        apart = self._ragged(width)
        return Texts(
            names, columns, layout, noticed=self._said(apart) + noticed, set_apart=tuple(apart)
        )

    def _first_row(self, head: bytes) -> tuple[list[str], int]:
        """Return the names, as many as most rows have cells."""
        layout = self._layout
        encoding = "utf-8-sig" if layout.encoding == "utf-8" else layout.encoding or ""
        # The head may end within a letter.
        text = head.decode(encoding, errors="ignore")
        rows = [row for row in cells_of(text.splitlines(keepends=True)[:1_000], layout) if row[1]]
        wanted = layout.header_row or 0
        names = next((row for line, row in rows if line == wanted), None)
        if wanted and names is None:
            raise SourceError(
                tr("{path} has no names in row {wanted}.", path=self._path, wanted=wanted),
                tr("Choose another row for the header."),
            )
        widths = [len(row) for line, row in rows if line > wanted]
        # By the rows, not by the header: a title above the names has one cell.
        usual = max(set(widths), key=widths.count) if widths else 0
        if names is None:
            return [f"column {place + 1}" for place in range(usual)], usual
        width = max(usual, len(names))
        # One name less than the rows have cells: a corner without a name, unless every row just
        # ends in a delimiter.
        if width == len(names) + 1 and _begins_with_names(rows, wanted, width):
            return ["", *names], width
        return names + [""] * (width - len(names)), width

    def _note_wrong(self, row: pacsv.InvalidRow) -> str:
        self._wrong.append(row)
        # Called by Arrow while it holds the interpreter; what is raised here would be lost on its
        # way.
        return "skip" if len(self._wrong) <= _SET_APART_AT_MOST else "error"

    def _explained(self, error: pa.ArrowInvalid) -> Exception:
        words = str(error)
        if len(self._wrong) > _SET_APART_AT_MOST:
            return SourceError(
                tr(
                    "More than {set_apart_at_most:,} lines of {path} do not have the cells "
                    "that its first row has, read as {layout_words}.",
                    set_apart_at_most=_SET_APART_AT_MOST,
                    path=self._path,
                    layout_words=layout_words(self._layout),
                ),
                tr("Choose another delimiter or another row for the header."),
            )
        # Arrow's words, held by a test: it has one class of error for all of these.
        if "UTF8" in words or ": Expected " in words:  # a torn line may have broken letters
            return UnicodeError(words)
        # A row that is longer than a block is what an unclosed quote makes of the rest of a file.
        if "straddl" in words:
            if self._layout.quote and _quotes_are_odd(self._path, self._layout.quote):
                return SourceError(
                    tr("{path} has a quote that is opened and never closed.", path=self._path),
                    tr("Close it, or read the file without quotes."),
                )
            return SourceError(
                tr(
                    "{path} has a row of more than {block} MB, which is none of a table.",
                    path=self._path,
                    block=_BLOCK >> 20,
                ),
                tr(
                    "See that its lines end as those of a text do, or read the file without quotes."
                ),
            )
        return SourceError(
            tr(
                "{path} cannot be read as {layout_words}: {words}.",
                path=self._path,
                layout_words=layout_words(self._layout),
                words=words,
            ),
            tr("Choose another delimiter or encoding."),
        )

    def _ragged(self, width: int) -> list[SetApart]:
        """Return the lines with another number of cells, with the numbers they have in the file."""
        # Arrow tells no line number when it cuts with several threads: lines are looked for by
        # their text. Equal ones are numbered in the order in which they come.
        numbers = self._line_numbers({_first_line(row.text) for row in self._wrong})
        apart = []
        for row in self._wrong:
            found = numbers.get(_first_line(row.text))
            why = tr(
                "{cells} instead of {width:,}",
                cells=counted(row.actual_columns, "cell"),
                width=width,
            )
            line = found.pop(0) if found else None
            apart.append(SetApart(self._path.name, line, row.text, why))
        return sorted(apart, key=lambda a: a.line or 0)

    def _line_numbers(self, wanted: set[str]) -> dict[str, list[int]]:
        numbers: dict[str, list[int]] = {text: [] for text in wanted}
        if wanted and self._plain.suffix != ".gz":
            encoding = self._layout.encoding
            with self._plain.open(encoding=encoding, errors="replace", newline="") as file:
                for number, line in enumerate(file, 1):
                    if (text := line.rstrip("\r\n")) in numbers:
                        numbers[text].append(number)
        return numbers

    def _said(self, apart: list[SetApart]) -> tuple[Noticed, ...]:
        if not apart:
            return ()
        whys = {a.why for a in apart}
        why = f" ({apart[0].why})" if len(whys) == 1 else ""
        text = tr_n(
            len(apart),
            "{n:,} line of {name} has another number of cells{why} and stands apart: {lines}.",
            "{n:,} lines of {name} have another number of cells{why} and stand apart: {lines}.",
            name=self._path.name,
            why=why,
            lines=_some_lines([a.line for a in apart]),
        )
        return (Noticed(text, len(apart)),)


def _begins_with_names(rows: list[tuple[int, list[str]]], header: int, width: int) -> bool:
    """Whether each row begins with a name of its own, for which the header has no name.

    Where the last cell is empty instead, a delimiter stands behind each row.
    """
    whole = [row for line, row in rows if line > header and len(row) == width]
    return any(row[-1].strip() for row in whole)


class _UnexpectedError(Exception):
    """A byte was read that changes how the whole text has to be cut."""

    def __init__(self, sign: bytes) -> None:
        super().__init__(sign)
        self.sign = sign


class _Counted:
    """A file that tells how far it has been read, can be stopped there, and watches for bytes."""

    def __init__(
        self, path: Path, report: Report, name: str, unexpected: Sequence[bytes] = ()
    ) -> None:
        self._unexpected = unexpected
        self.plain = path.open("rb")
        self._size = max(path.stat().st_size, 1)
        self._report, self._name = report, name

    def __enter__(self) -> _Counted:
        return self

    def __exit__(self, *_: object) -> None:
        self.plain.close()

    @property
    def closed(self) -> bool:
        return self.plain.closed

    def close(self) -> None:
        self.plain.close()

    def read(self, size: int = -1) -> bytes:
        piece = self.plain.read(size)
        for sign in self._unexpected:
            if sign in piece:
                raise _UnexpectedError(sign)
        self._report(self.plain.tell() / self._size, tr("Reading {name}", name=self._name))
        return piece

    def readable(self) -> bool:
        return True

    def writable(self) -> bool:
        return False

    def seekable(self) -> bool:
        return False


def _blank_lines_at_end(file: IO[bytes]) -> int:
    """Return how many lines without a letter stand at the end of a file, which are no rows."""
    size = file.seek(0, io.SEEK_END)
    file.seek(max(size - _TAIL, 0))
    # The end of the file alone: blank lines that are no rows stand nowhere else.
    lines = file.read().split(b"\n")
    file.seek(0)
    if not lines[-1]:  # behind the end of the last line
        lines.pop()
    return next((n for n, line in enumerate(reversed(lines)) if line.strip(b"\r")), len(lines))


@contextmanager
def _sound_copy(path: Path, name: str, layout: TextLayout) -> Iterator[tuple[Path, list[SetApart]]]:
    """Give a copy of a text without the lines that have broken letters, and these lines."""
    encoding = layout.encoding or "utf-8"
    broken: list[SetApart] = []
    with (
        tempfile.NamedTemporaryFile(prefix="keen-trellis-") as copy,
        path.open("rb") as file,
    ):
        for number, line in enumerate(file, 1):
            try:
                # Decoded for the error alone; the bytes are copied as they are.
                line.decode(encoding)
                sound = b"\x00" not in line
            except UnicodeDecodeError:
                sound = False
            if sound:
                copy.write(line)
            else:
                text = line.decode(encoding, errors="replace").rstrip("\r\n")
                why = (
                    tr("a NUL byte")
                    if b"\x00" in line
                    else tr("not {get}", get=ENCODINGS.get(encoding, encoding))
                )
                broken.append(SetApart(name, number, text.replace("\x00", "\ufffd"), why))
        copy.flush()
        yield Path(copy.name), broken


def _not_in_encoding(path: Path, encoding: str) -> SourceError:
    name = ENCODINGS.get(encoding, encoding)
    return SourceError(
        tr("{path} is not written in {name} throughout.", path=path, name=name),
        tr("Choose the encoding it was saved with."),
    )


def _first_line(text: str) -> str:
    return text.split("\n", 1)[0].rstrip("\r")


def _some_lines(lines: list[int | None]) -> str:
    known = [grouped_digits(line) for line in lines if line]
    if not known:
        return tr("somewhere in the file")
    more = len(lines) - min(len(known), 5)
    return tr("line {known}", known=", ".join(known[:5])) + (
        tr(" and {more:,} more", more=more) if more else ""
    )


def _quotes_are_odd(path: Path, quote: str) -> bool:
    """Return whether a text has an odd number of quotes, of which one is never closed then."""
    count = 0
    with gzip.open(path) if is_gzip(path) else path.open("rb") as file:
        while piece := file.read(_BLOCK):
            count += piece.count(quote.encode())
    return count % 2 == 1
