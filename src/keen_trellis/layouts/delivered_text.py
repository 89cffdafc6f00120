"""How a delivered text is written: what parts cells and rows, how numbers and letters stand."""

from __future__ import annotations

import codecs
from dataclasses import dataclass
from typing import Literal, get_args

from keen_trellis.base.errors import DeliveryError, known
from keen_trellis.base.language import tr

DecimalMark = Literal[".", ","]
LineEnd = Literal["line feed", "carriage return and line feed"]
Quoting = Literal["where needed", "texts", "all"]

Delimiter = Literal[",", ";", "\t", "|"]
"""What may stand between cells: signs that no number, date or time is written with."""

Encoding = Literal["utf-8", "utf-8-sig", "utf-16", "cp1252", "iso-8859-1", "iso-8859-15"]


@dataclass(frozen=True, slots=True)
class TextForm:
    """How a delivered text is written.

    Attributes
    ----------
    delimiter : str
        A comma, a semicolon, a tab or a bar.
    decimal : “.” or “,”
    encoding : str
        “utf-8-sig” and “utf-16” begin with a byte order mark.
    line_end : str
    quoting : str
        “where needed”: a cell that holds a delimiter, a quote or the end of a line; “texts”: every
        text as well; “all”: every cell that is there, and the names. Blanks and gaps are empty.

    Raises
    ------
    WordError
        A word is none of those allowed.
    """

    delimiter: Delimiter = ","
    decimal: DecimalMark = "."
    encoding: Encoding = "utf-8"
    line_end: LineEnd = "line feed"
    quoting: Quoting = "where needed"

    def __post_init__(self) -> None:
        known(tr("The delimiter"), self.delimiter, get_args(Delimiter))
        known(tr("The decimal mark"), self.decimal, get_args(DecimalMark))
        known(tr("The encoding"), self.encoding, get_args(Encoding))
        known(tr("The end of a line"), self.line_end, get_args(LineEnd))
        known(tr("The quoting"), self.quoting, get_args(Quoting))

    @property
    def ends_with(self) -> str:
        """The letters at the end of a row."""
        return "\n" if self.line_end == "line feed" else "\r\n"

    def encoded(self, text: str, where: str) -> bytes:
        """Return a text in the encoding, without a byte order mark.

        Raises
        ------
        DeliveryError
            It has a letter that the encoding lacks; the message says so about `where`.
        """
        # the mark belongs to the beginning of the file alone
        bare = {"utf-8-sig": "utf-8", "utf-16": "utf-16-le"}.get(self.encoding, self.encoding)
        try:
            return text.encode(bare)
        except UnicodeEncodeError as error:
            letter = text[error.start]
            raise DeliveryError(
                tr(
                    "“{letter}” (U+{ord:04X}) cannot be written in {encoding}: {where}.",
                    letter=letter,
                    ord=ord(letter),
                    encoding=self.encoding,
                    where=where,
                ),
                tr("Choose utf-8, which has every letter."),
            ) from error

    @property
    def mark(self) -> bytes:
        """The byte order mark that the file begins with; empty for none."""
        marks = {"utf-8-sig": codecs.BOM_UTF8, "utf-16": codecs.BOM_UTF16_LE}
        return marks.get(self.encoding, b"")


USUAL = TextForm()
"""Commas, points, UTF-8, line feeds, and quotes where they are needed."""
