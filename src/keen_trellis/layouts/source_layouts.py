"""How texts and sheets are laid out: what is chosen of it, and what is left to be found."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from keen_trellis.data.kinds import DateOrder


@dataclass(frozen=True, slots=True)
class TextLayout:
    """How a text is laid out and written; None leaves it to be found.

    Attributes
    ----------
    delimiter : str or None
        One character.
    quote : str or None
        The character around cells that hold a delimiter; empty where there is none.
    encoding : str or None
        A name that Python knows.
    header_row : int or None
        The line that names the columns, counted from 1; 0 says there is none.
    decimal, thousands : str or None
        The decimal mark, and what stands between groups of digits.
    dates : “day first”, “month first”, “year first” or None
    blanks : tuple of str or None
        The cells that stand for no value, such as NA. Left open, the usual words are looked for
        among values of one kind; chosen ones are blanks in every column.
    total_row : “kept”, “left out” or None
        Whether a row at the end that sums up the others is kept as a row like these, as it is
        where that is left open.
    """

    delimiter: str | None = None
    quote: str | None = None
    encoding: str | None = None
    header_row: int | None = None
    decimal: Literal[".", ","] | None = None
    thousands: Literal["", ",", ".", " ", "'"] | None = None
    dates: DateOrder | None = None
    blanks: tuple[str, ...] | None = None
    total_row: Literal["kept", "left out"] | None = None


@dataclass(frozen=True, slots=True)
class SheetLayout:
    """How the rows of a sheet are taken.

    Attributes
    ----------
    header_row : int or None
        The row that names the columns, counted from 1 as the sheet does; 0 says there is none,
        None leaves it to be found.
    merged : str
        Whether the cells of a merged range all get its value, or only the first one has it.
    total_row : str
        Whether a row at the bottom that sums up the others is kept as a row like these.
    blanks : tuple of str or None
        As of a text.
    """

    header_row: int | None = None
    merged: Literal["as they are", "filled"] = "as they are"
    total_row: Literal["kept", "left out"] = "kept"
    blanks: tuple[str, ...] | None = None
