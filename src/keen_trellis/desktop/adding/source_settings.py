"""How a source is read, as a row of choices: what each offers, and what holds now.

No widgets here: the chooser and the bench show the same choices.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.data.conversions.written_forms import BLANK_WORDS
from keen_trellis.document import (
    DelimitedSource,
    FolderSource,
    QuerySource,
    SheetSource,
    Source,
    TableSource,
)
from keen_trellis.layouts.source_layouts import SheetLayout, TextLayout
from keen_trellis.read import Reading
from keen_trellis.read.text_layout import DELIMITERS, ENCODINGS
from keen_trellis.servers.server import Server

_HEADER_ROWS = 12
_ZONES = (
    *("UTC", "Atlantic/Reykjavik", "Europe/London", "Europe/Lisbon", "Europe/Berlin"),
    *("Europe/Athens", "America/New_York", "America/Los_Angeles", "Asia/Tokyo"),
)
_QUOTES = {'"': tr('quotes "'), "'": tr("quotes '"), "": tr("no quotes")}
_DECIMALS = {".": tr("decimal point"), ",": tr("decimal comma")}
_THOUSANDS = {
    "": tr("no thousands mark"),
    ",": tr("thousands comma"),
    ".": tr("thousands point"),
    " ": tr("thousands space"),
    "'": tr("thousands apostrophe"),
}
_MERGED = {"as they are": tr("merged cells as they are"), "filled": tr("merged cells filled")}
_TOTALS = {"kept": tr("last row kept"), "left out": tr("total row left out")}
_TIMEOUTS = {
    10.0: tr("10 seconds"),
    60.0: tr("a minute"),
    300.0: tr("5 minutes"),
    1800.0: tr("half an hour"),
}


@dataclass(frozen=True, slots=True)
class Setting:
    """One choice of how a source is read.

    Attributes
    ----------
    name : str
        The setting's name, for `AnySource.with_setting`.
    says : str
        What it is, for those who do not see it.
    options : tuple of (value, words)
    current : object
        The value that holds, found or chosen.
    chosen : bool
        Whether it was chosen rather than found.
    """

    name: str
    says: str
    options: tuple[tuple[Any, str], ...]
    current: Any
    chosen: bool

    @property
    def words(self) -> str:
        """What holds, in words."""
        return next((w for v, w in self.options if v == self.current), str(self.current))


def settings_of(source: Source, reading: Reading | None) -> Iterator[Setting]:
    """Yield the choices of how a source is read, with what the last reading found."""
    settled = reading.layout if reading else None
    match source:
        case DelimitedSource():
            yield from _text(source.layout, settled)
        case SheetSource():
            yield from _sheet(source.layout, settled)
        case FolderSource():
            named = source.file_column or ""
            options: tuple[tuple[Any, str], ...] = (
                ("file", tr("file names as a column")),
                (None, tr("without file names")),
            )
            if named not in ("file", ""):
                options = ((named, tr("file names in “{named}”", named=named)), *options)
            yield Setting(
                "file_column", tr("File names"), options, current=source.file_column, chosen=False
            )
            if isinstance(settled, SheetLayout):
                yield from _sheet(source.cells, settled)
            else:
                yield from _text(source.text, settled)
        case TableSource() | QuerySource():
            if isinstance(source.database, Server):
                yield _zone(source.zone)
            if isinstance(source, QuerySource):
                limits = {
                    source.timeout_s: tr("{timeout_s:g} seconds", timeout_s=source.timeout_s)
                } | _TIMEOUTS
                options_s = tuple(
                    (v, tr("given up after {w}", w=w)) for v, w in sorted(limits.items())
                )
                yield Setting(
                    "timeout_s",
                    tr("Time allowed"),
                    options_s,
                    current=source.timeout_s,
                    chosen=True,
                )


def _zone(zone: str) -> Setting:
    zones = tuple((z, tr("moments in {z}", z=z)) for z in dict.fromkeys((zone, *_ZONES)))
    return Setting("zone", tr("Time zone"), zones, current=zone, chosen=zone != "UTC")


def _text(layout: TextLayout, settled: TextLayout | None) -> Iterator[Setting]:
    shown = settled or layout
    delimiters = {d: tr("{w} separated", w=w) for d, w in DELIMITERS.items()}
    if shown.delimiter not in (*DELIMITERS, None):
        delimiters[shown.delimiter or ""] = tr("“{delimiter}” separated", delimiter=shown.delimiter)
    encodings = dict(ENCODINGS)
    if shown.encoding not in (*ENCODINGS, None):
        encodings[shown.encoding or ""] = shown.encoding or ""
    for name, says, words in (
        ("delimiter", tr("What separates cells"), delimiters),
        ("encoding", tr("Encoding"), encodings),
        ("header_row", tr("Header"), _header_rows(shown.header_row)),
        ("quote", tr("Quotes"), _QUOTES),
        ("decimal", tr("Decimal mark"), _DECIMALS),
        ("thousands", tr("Thousands mark"), _THOUSANDS),
        (
            "dates",
            tr("Order of dates"),
            {d: tr(d) for d in ("year first", "day first", "month first")},
        ),
        ("blanks", tr("What stands for no value"), _blanks(shown.blanks)),
    ):
        yield _setting(name, says, words, shown=shown, chosen=layout)
    shown = replace(shown, total_row=shown.total_row or "kept")
    yield _setting("total_row", tr("Last row"), _TOTALS, shown=shown, chosen=layout)


def _blanks(current: tuple[str, ...] | None) -> dict[Any, str]:
    """Return the words that may stand for a blank, those that hold now first."""
    wanted = (current or (), (), *((word,) for word in BLANK_WORDS), BLANK_WORDS)
    words = {
        one: tr("{one} blank", one=listed([f"“{word}”" for word in one]))
        if one
        else tr("no word is a blank")
        for one in wanted
    }
    return words | {BLANK_WORDS: tr("all usual words blank")}


def _sheet(layout: SheetLayout, settled: SheetLayout | None) -> Iterator[Setting]:
    shown = settled or layout
    yield _setting(
        "header_row", tr("Header"), _header_rows(shown.header_row), shown=shown, chosen=layout
    )
    yield _setting("merged", tr("Merged cells"), _MERGED, shown=shown, chosen=SheetLayout())
    yield _setting("total_row", tr("Last row"), _TOTALS, shown=shown, chosen=SheetLayout())
    yield _setting(
        "blanks", tr("What stands for no value"), _blanks(shown.blanks), shown=shown, chosen=layout
    )


def _setting(name: str, says: str, words: dict[Any, str], shown: object, chosen: object) -> Setting:
    current = getattr(shown, name)
    return Setting(
        name, says, tuple(words.items()), current=current, chosen=getattr(chosen, name) is not None
    )


def _header_rows(current: int | None) -> dict[Any, str]:
    rows: Sequence[int] = range(1, max(_HEADER_ROWS, current or 0) + 1)
    return {**{row: tr("header in row {row}", row=row) for row in rows}, 0: tr("no header")}
