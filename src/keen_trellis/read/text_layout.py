"""How a delimited text is laid out: what is chosen, and what a look at its beginning finds."""

from __future__ import annotations

import codecs
import csv
import io
import re
from collections import Counter
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

from keen_trellis.base.errors import SourceError, known
from keen_trellis.base.language import tr
from keen_trellis.base.words import listed, plainly
from keen_trellis.data.conversions.noticed import Noticed, Reread
from keen_trellis.layouts.source_layouts import TextLayout

DELIMITERS = {
    ",": tr("Comma"),
    ";": tr("Semicolon"),
    "\t": tr("Tab"),
    "|": tr("Bar"),
    " ": tr("Space"),
    ":": tr("Colon"),
    "~": tr("Tilde"),
}
_LOOKED_FOR = (",", ";", "\t", "|")
ENCODINGS = {
    "utf-8-sig": "UTF-8",
    "utf-16": "UTF-16",
    "cp1252": tr("Windows-1252"),
    "iso8859-15": "ISO 8859-15",
    "cp850": "DOS 850",
    "cp1250": tr("Windows-1250"),
    "cp1251": tr("Windows-1251"),
    "iso8859-2": "ISO 8859-2",
    "mac_roman": tr("Mac Roman"),
    "shift_jis": tr("Shift JIS"),
    "gb18030": "GB 18030",
}
QUOTES = {'"': tr("quotes \u0022"), "'": tr("quotes '"), "": tr("no quotes")}
HEAD_BYTES = 256 * 1024

_NO_TEXTS = {"punycode", "idna", "undefined"}
"""Encodings that Python knows, which are none of texts."""

_HEAD_LINES = 200
_OTHER_FORMATS = (b"PK\x03\x04", b"\xd0\xcf\x11\xe0", b"PAR1", b"ARROW1", b"%PDF", b"SQLite format")
_CONTROLS = bytes(set(range(32)) - set(b"\t\n\r\f\x1a\x1b"))
_VALUE = re.compile(r"[-+]?[\d.,:/ \-]*\d[\d.,:/ \-]*")
_TOLD_BY_MARK = (
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)


def _refuse_odd_settings(layout: TextLayout, path: Path) -> None:
    """Refuse settings that no text has, such as a delimiter of two letters."""
    for what, sign in ((tr("A delimiter"), layout.delimiter), (tr("A quote"), layout.quote)):
        if sign and not (len(sign) == 1 and sign.isascii() and sign not in "\r\n"):
            raise SourceError(
                tr(
                    "{what} is one sign of ASCII, and “{sign}” is none, to read {path} with.",
                    what=what,
                    sign=plainly(sign),
                    path=path,
                ),
                tr("Choose another one."),
            )
    for what, word, allowed in (
        (tr("The decimal mark"), layout.decimal, (".", ",")),
        (tr("What parts thousands"), layout.thousands, ("", ",", ".", " ", "'")),
        (tr("The order of dates"), layout.dates, ("day first", "month first", "year first")),
    ):
        if word is not None:
            known(what, word, allowed)
    if layout.encoding and layout.encoding.lower() in _NO_TEXTS:
        raise SourceError(
            tr(
                "There is no encoding “{encoding}” to read {path} with.",
                encoding=layout.encoding,
                path=path,
            ),
            tr("Choose another one."),
        )


def find_layout(head: bytes, path: Path, layout: TextLayout, all_there: bool) -> TextLayout:
    """Return `layout` with what was left open found in the first bytes of a text.

    How numbers and dates are written is left open: every row has a say in that.

    Parameters
    ----------
    head : bytes
    path : Path
        Named in messages.
    layout : TextLayout
    all_there : bool
        Whether `head` is the whole text.

    Raises
    ------
    SourceError
        It is not text.
    """
    _refuse_odd_settings(layout, path)
    encoding = layout.encoding or _encoding(head, all_there)
    _refuse_other_formats(head, path, encoding)
    try:
        text = head.decode(encoding, errors="replace" if _is_utf8(encoding) else "ignore")
    except (LookupError, ValueError) as error:
        raise SourceError(
            tr(
                "There is no encoding “{encoding}” to read {path} with.",
                encoding=plainly(encoding),
                path=path,
            ),
            tr("Choose another one."),
        ) from error
    lines = text.splitlines(keepends=True)
    if not all_there:
        # the last line is cut off in its middle
        lines = lines[:-1]
    sample = [line for line in lines[:_HEAD_LINES] if line.strip()]
    quote = _quote(sample) if layout.quote is None else layout.quote
    delimiter = layout.delimiter or _delimiter(sample, quote, ".tsv" in path.suffixes)
    found = replace(layout, encoding=encoding, quote=quote, delimiter=delimiter)
    if layout.header_row is None:
        found = replace(found, header_row=_header_row(lines[:_HEAD_LINES], found))
    return found


csv.field_size_limit(64 << 20)  # a name may be longer than the usual 128 KB; it is said when shown


def cells_of(lines: list[str], layout: TextLayout) -> list[tuple[int, list[str]]]:
    """Return the cells of each row, with the number of the line it begins in, from 1."""
    reader = csv.reader(io.StringIO("".join(lines), newline=""), **_dialect(layout))  # type: ignore[arg-type]
    rows, begins = [], 1
    try:
        for row in reader:
            rows.append((begins, row))
            begins = reader.line_num + 1
    except csv.Error:  # this reader only has to see how lines are cut
        pass
    return rows


def layout_words(layout: TextLayout) -> str:
    """Return a settled layout in words: “Comma separated, UTF-8, header in row 1”."""
    delimiter = DELIMITERS.get(layout.delimiter or "", f"“{layout.delimiter}”")
    words = [
        tr("{delimiter} separated", delimiter=delimiter),
        ENCODINGS.get(layout.encoding or "", layout.encoding or ""),
    ]
    words.append(
        tr("header in row {header_row}", header_row=layout.header_row)
        if layout.header_row
        else tr("no header")
    )
    if layout.decimal == ",":
        words.append(tr("decimal comma"))
    if layout.dates in ("day first", "month first"):
        words.append(tr(layout.dates))
    if layout.blanks:
        words.append(tr("{blanks} blank", blanks=listed([f"“{word}”" for word in layout.blanks])))
    return ", ".join(words)


def _dialect(layout: TextLayout) -> dict[str, object]:
    if not layout.quote:
        return {"delimiter": layout.delimiter, "quoting": csv.QUOTE_NONE}
    return {"delimiter": layout.delimiter, "quotechar": layout.quote}


def _is_utf8(encoding: str) -> bool:
    return encoding.replace("_", "-").lower().startswith("utf-8")


def _encoding(head: bytes, all_there: bool) -> str:
    for mark, name in _TOLD_BY_MARK:
        if head.startswith(mark):
            return name
    for place, name in ((0, "utf-16-be"), (1, "utf-16-le")):  # without a mark, every other is 0
        # ASCII letters of two bytes have a zero in one of them, at every other place
        some = head[place:400:2]
        if some.count(0) > 0.7 * len(some):
            return name
    if is_utf8(head, all_there) or mostly_utf8(head.splitlines()):
        return "utf-8-sig"
    return likely_encodings(head)[0]


_OTHER_LETTERS = (
    ("shift_jis", re.compile(rb"\x82[\x9f-\xf1]|\x83[\x40-\x96]"), 0.2),
    ("gb18030", re.compile(rb"^[\x00-\x7f]*([\xb0-\xd7][\xa1-\xfe])+([\x00-\x7f]|$)"), 0.7),
    ("shift_jis", re.compile(rb"([\x88-\x97][\x40-\x7e\x80-\xfc]){2}"), 0.7),
    ("cp1251", re.compile(rb"[\xc0-\xff][\xe0-\xff]{2}"), 0.6),
    ("cp1250", re.compile(rb"[A-Za-z][\xb3\xb9\xbe\xbf\x9f\x9d]|\x8d|[\xa3\xaf][A-Za-z]"), 0.1),
)
"""Encodings that a text may be in if it is not UTF-8, and the bytes that speak for each, in which
share of the lines beyond ASCII: kana, the usual Chinese and Japanese characters, Cyrillic words,
letters of Central Europe where Western Europe has signs that stand in no word."""


def likely_encodings(head: bytes) -> list[str]:
    """Return the encodings that a text which is not UTF-8 may be in, the likeliest first.

    By bytes alone none can be ruled out but where a letter is none: so what is taken is a guess.
    """
    lines = [line for line in head.splitlines(keepends=True) if not line.isascii()]
    if len(lines) > 1 and not head.endswith(b"\n"):
        lines.pop()  # it may be cut within a letter
    found = []
    for name, letters, share in _OTHER_LETTERS:
        try:
            for line in lines:
                line.decode(name)
        except UnicodeDecodeError:
            continue
        if lines and sum(letters.search(line) is not None for line in lines) >= share * len(lines):
            found.append(name)
    return list(dict.fromkeys((*found, "cp1252")))


def encoding_guessed(
    head: bytes, layout: TextLayout, chosen: TextLayout, name: str
) -> list[Noticed]:
    """Say that the encoding of a text is a guess, with what it makes of a letter, and another."""
    if chosen.encoding is not None or head.isascii() or layout.encoding not in GUESSED:
        return []
    others = [one for one in (*likely_encodings(head), "cp1250") if one != layout.encoding]
    taken, other = layout.encoding, others[0]
    for number, line in enumerate(head.splitlines(), 1):
        if line.isascii():
            continue
        word = next(one for one in re.split(rb'[\s,;|"]+', line) if not one.isascii())
        read, instead = (word.decode(one, errors="replace") for one in (taken, other))
        if read != instead or number > _HEAD_LINES:
            shown = tr(
                "“{read}” in line {number:,} of {name} is taken as {encodings}",
                read=read[:40],
                number=number,
                name=name,
                encodings=ENCODINGS[taken],
            )
            text = tr(
                "{shown}; no text says which encoding it is in. It might be “{instead}”.",
                shown=shown,
                instead=instead[:40],
            )
            return [
                Noticed(
                    text,
                    0,
                    Reread(
                        tr("Read it as {encodings}", encodings=ENCODINGS[other]),
                        {"encoding": other},
                    ),
                )
            ]
    return []


GUESSED = (*(name for name, *_ in _OTHER_LETTERS), "cp1252")
"""The encodings that are never certain."""


def is_utf8(head: bytes, all_there: bool) -> bool:
    """Whether bytes are UTF-8; a letter may be cut off at the end where more bytes follow."""
    try:
        codecs.getincrementaldecoder("utf-8")().decode(head, final=all_there)
    except UnicodeDecodeError:
        return False
    return True


def mostly_utf8(lines: Iterable[bytes]) -> bool:
    """Whether letters beyond ASCII are UTF-8 in more lines than they are not."""
    good = bad = 0
    for line in lines:
        if not line.isascii():
            try:
                line.decode()
                good += 1
            except UnicodeDecodeError:
                bad += 1
    return good > bad


def _quote(lines: list[str]) -> str:
    if any('"' in line for line in lines):
        return '"'
    around = re.compile(r"(^|[,;\t|])'[^']*'([,;\t|]|\s*$)")
    # An apostrophe within words is none: most lines must have a cell that stands in single quotes
    # whole.
    quoted = sum(around.search(line) is not None for line in lines)
    return "'" if quoted > len(lines) / 2 else '"'


def _delimiter(lines: list[str], quote: str, is_called_tabs: bool = False) -> str:
    """Return the delimiter that cuts most lines into the same number of cells.

    Where the file is called by tabs, another one has to cut all lines, and no line has a tab.
    """

    def score(delimiter: str) -> tuple[float, int]:
        layout = TextLayout(delimiter=delimiter, quote=quote)
        cells = Counter(len(row) for _, row in cells_of(lines, layout))
        if not cells:
            return (0.0, 0)
        # The width that most lines have; of two that are as frequent the larger.
        usual, times = max(cells.items(), key=lambda item: (item[1], item[0]))
        return (times / len(lines) if usual > 1 else 0.0, usual)

    best = max(_LOOKED_FOR, key=score)
    if is_called_tabs and (score(best)[0] < 1 or any("\t" in line for line in lines)):
        return "\t"
    return best


def _header_row(lines: list[str], layout: TextLayout) -> int:
    """Return the line of the names: the first row as wide as most, if it holds words only."""
    rows = [(line, row) for line, row in cells_of(lines, layout) if any(map(str.strip, row))]
    if not rows:
        return 1
    usual = Counter(len(row) for _, row in rows).most_common(1)[0][0]
    line, header = next((line, row) for line, row in rows if len(row) == usual)
    others = [row for _, row in rows]
    # the first of equal rows alone goes: a header that stands twice names nothing
    others.remove(header)
    cells = [cell.strip() for cell in header if cell.strip()]
    words = [cell for cell in cells if not _VALUE.fullmatch(cell)]
    names_columns = len(words) == len(cells) > 0 and header not in others
    # a corner left empty makes the names' row one cell shorter than all others
    before = next((one for one in reversed(rows) if one[0] < line), None)
    if before is not None and usual > 2 and _names_all_but_first(before[1], usual):
        return before[0]
    return line if names_columns else 0


def _names_all_but_first(row: list[str], usual: int) -> bool:
    """Whether a row names all columns but the first, which has the names of the rows."""
    cells = [cell.strip() for cell in row]
    words = [cell for cell in cells if cell and not _VALUE.fullmatch(cell)]
    return len(words) == len(cells) == usual - 1 == len(set(words))


def _refuse_other_formats(head: bytes, path: Path, encoding: str) -> None:
    if head.startswith(_OTHER_FORMATS):
        raise SourceError(
            tr(
                "{path} is not text: its content is a workbook, a database, an archive or a "
                "columnar file.",
                path=path,
            ),
            tr("Give its name the ending that belongs to it, such as .xlsx, and choose it again."),
        )
    # `translate` takes the control characters out; what is missing then was there.
    controls = len(head) - len(head.translate(None, _CONTROLS))
    if "16" not in encoding and "32" not in encoding and controls > max(8, len(head) / 200):
        raise SourceError(
            tr("{path} is not text: it holds bytes that no text has.", path=path),
            tr("Choose a text file, or save the table as one."),
        )
