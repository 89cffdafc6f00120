"""How numbers and dates are written in a text, settled by looking at every row of it.

“1.204,50” and “1,204.50” are one number, “03/04/2026” is two dates. What a column shows for
certain decides; where nothing does, the usual reading is taken and said to be a guess.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.data.kinds import DateOrder

SAMPLE = 1_000
BLANK_WORDS = (
    *("NA", "N/A", "n/a", "#N/A", "NULL", "null", "NaN", "nan", "None", "nil"),
    *("-", "--", "–", "—", ".", "..", "...", "?"),
)
"""What writers put where there is no value."""

_NUMBER = re.compile(
    r"[-+]?(\d+|\d{1,3}([.,' \u00a0\u202f]\d{3})+)([.,]\d+)?([eE][-+]?\d+)?|[-+]?[.,]\d+"
)
_DATE = re.compile(
    r"(\d{4}([./-])\d{1,2}\2\d{1,2}|\d{1,2}([./-])\d{1,2}\3(\d{4}|\d{2}))"
    r"([T ]\d{1,2}:\d\d(:\d\d(\.\d{1,6})?)?)?"
)
_TIME = re.compile(r"\d{1,2}:\d\d(:\d\d(\.\d{1,6})?)?")
_BOOLEAN = re.compile("true|false", re.IGNORECASE)
_ISO = re.compile(r"\d{4}-\d\d-\d\d.*")

# Arrow's regular expressions are RE2: in time linear in the text, but without references back, so
# that the second mark of a date need not be the first one again; `_DATE` above has looked at that.
_TWO_PLACES = r"^(?P<a>\d{1,2})(?P<m>[./-])(?P<b>\d{1,2})[./-](?P<y>\d{4}|\d{2})(?P<t>[T ].+)?$"
_YEAR_FIRST = r"^(?P<y>\d{4})[./-](?P<b>\d{1,2})[./-](?P<a>\d{1,2})(?P<t>[T ].+)?$"
_CENTURY_TURNS = 69
"""Two-digit years from 69 on are of the twentieth century (POSIX, strptime, %y)."""

# A number written with groups of three, by the mark between them; the one for blanks takes the
# no-break spaces as well, of which one text has now this and now that.
_GROUPED = {
    ",": r"^[-+]?\d{1,3}(,\d{3})+(\.\d+)?$",
    ".": r"^[-+]?\d{1,3}(\.\d{3})+(,\d+)?$",
    "'": r"^[-+]?\d{1,3}('\d{3})+([.,]\d+)?$",
    " ": r"^[-+]?\d{1,3}([ \x{00a0}\x{202f}]\d{3})+([.,]\d+)?$",
}
_GAPS = r"' \x{00a0}\x{202f}"
# What can only be a decimal mark: one behind which not exactly three digits stand, before which
# four or more do or a lone 0, or one that comes behind a group of three set off by another mark.
_CERTAIN_DECIMAL = {
    ",": rf"(^|[^\d,])\d*,(\d{{1,2}}|\d{{4,}})$|^[-+]?(0|\d{{4,}}),\d+$|[.{_GAPS}]\d{{3}},\d+$",
    ".": rf"(^|[^\d.])\d*\.(\d{{1,2}}|\d{{4,}})$|^[-+]?(0|\d{{4,}})\.\d+$|[,{_GAPS}]\d{{3}}\.\d+$",
}
_ODD_GROUPS = {"'": ("'",), " ": (" ", "\u00a0", "\u202f")}
UNMISTAKABLE_GROUPS = tuple(_ODD_GROUPS)
"""Marks that can stand between groups of digits and nowhere else in a number."""

_TWO_GROUPS = r"^[-+]?\d{1,3}([' \x{00a0}\x{202f}]\d{3}){2,}|[' \x{00a0}\x{202f}]\d{3}[.,]\d"
_CODE = r"^\d+E\d+$"
_MEASURE = r"[.,]\d|[eE][-+]|^-"
_DIALLED = r"^\+\d{7,}$"
_A_DAY = r"^(1[3-9]|2\d|3[01])[.-]"
_CHAPTER = r"^(\d[.-]\d{1,2}|\d{2}[.-]\d)[.-]\d{2}$"
# What can only stand between groups: a mark that comes again after three digits, or is followed
# by the other one.
_CERTAIN_GROUPS = {",": r",\d{3}(,\d{3}|\.\d)", ".": r"\.\d{3}(\.\d{3}|,\d)"}


_NO_VALUE = frozenset(BLANK_WORDS)


@dataclass(frozen=True, slots=True)
class Written:
    """How the numbers and dates of a text are written.

    Attributes
    ----------
    decimal : str
        The decimal mark, “.” or “,”.
    thousands : str
        What stands between groups of three digits; empty for nothing.
    dates : str
        Which part of a date such as 03/04/2026 comes first. Year-first dates are always read.
    guessed : tuple of str
        Which of “numbers” and “dates” nothing in the text decides.
    """

    decimal: str = "."
    thousands: str = ""
    dates: DateOrder = "year first"
    guessed: tuple[str, ...] = ()

    def marks(self) -> dict[str, Any]:
        """Return the settings by name, without what was guessed."""
        return {"decimal": self.decimal, "thousands": self.thousands, "dates": self.dates}


@dataclass(frozen=True, slots=True)
class Evidence:
    """What one column shows of how it is written.

    Attributes
    ----------
    decimals : frozenset of str
        The marks that can only be decimal marks.
    groups : frozenset of str
        The marks that can only stand between groups of digits.
    marks : frozenset of str
        The points and commas that stand in numbers.
    dates : frozenset of str
        The date orders that the values allow; empty where there are no such dates.
    """

    decimals: frozenset[str] = frozenset()
    groups: frozenset[str] = frozenset()
    marks: frozenset[str] = frozenset()
    dates: frozenset[DateOrder] = frozenset()


def evidence(texts: pa.ChunkedArray, sample: Sequence[str] | None = None) -> Evidence:
    """Return what a column of texts shows; all its rows are looked at where a sample suggests it.

    Time is linear in the rows. The first texts are the sample where none is given.
    """
    sample = first_texts(texts) if sample is None else sample
    sample = [text for text in sample if text not in _NO_VALUE]
    if not sample:
        return Evidence()
    if looks_like_numbers(sample):
        return _number_evidence(texts, sample)
    if looks_like_local_dates(sample) and not looks_like_chapters(texts):
        if _any(texts, r"^\d{4}[./]"):
            return Evidence(dates=frozenset({"year first"}))
        # an order is allowed until some value has more than 12 where the month would be
        allowed: set[DateOrder] = set()
        if not _any(texts, r"^\d+[./-](1[3-9]|[2-9]\d)[./-]"):
            allowed.add("day first")
        if not _any(texts, r"^(1[3-9]|[2-9]\d)[./-]"):
            allowed.add("month first")
        return Evidence(dates=frozenset(allowed))
    return Evidence()


def _number_evidence(texts: pa.ChunkedArray, sample: Sequence[str]) -> Evidence:
    """Return what numbers show; a sample that shows a thing saves searching all rows for it."""
    used = [m for m in (",", ".") if may_hold(texts, m) and (m != "," or _any(texts, ","))]
    odd = [m for m, signs in _ODD_GROUPS.items() if may_hold(texts, *signs)]
    if not used and not odd:
        return Evidence()
    first = pa.array(sample)

    def shown(shape: str) -> bool:
        return _any(first, shape) or _any(texts, shape)

    decimals = frozenset(m for m in used if shown(_CERTAIN_DECIMAL[m]))
    groups = {m for m in used if m not in decimals and shown(_CERTAIN_GROUPS[m])}
    groups |= {m for m in odd if shown(_GROUPED[m]) and not _of_one_shape(texts)}
    return Evidence(decimals, frozenset(groups), marks=frozenset(used))


def shape_in_doubt(mark: str) -> str:
    """Return the shape of a number whose mark may be that of decimals or of groups: 1.204."""
    return rf"^[-+]?[1-9]\d{{0,2}}{re.escape(mark)}\d{{3}}$"


def shape_of_groups(mark: str) -> str:
    """Return the shape of a number whose mark can only stand between groups: 1.204,50."""
    other = {",": ".", ".": ","}[mark]
    return rf"{_CERTAIN_GROUPS[mark]}|{_CERTAIN_DECIMAL[other]}"


def _of_one_shape(texts: pa.ChunkedArray) -> bool:
    """Whether all texts are as 123 456: as long as one another, of two groups and no fraction."""
    length = pc.min_max(pc.binary_length(texts)).as_py()
    return bool(length["min"] == length["max"] and not _any(texts, _TWO_GROUPS))


def looks_like_codes(texts: pa.StringArray) -> bool:
    """Whether texts that could be numbers are rather codes: 1E5 beside 10E4, a number to dial.

    No program writes a number as 1E5, without a point and without a sign of the exponent; among
    measurements somebody may have typed one.
    """
    whole = pa.chunked_array([texts])
    if may_hold(whole, "E") and _any(texts, _CODE) and not _any(texts, _MEASURE):
        return True
    return may_hold(whole, "+") and _any(texts, _DIALLED) and not _any(texts, "^-")


def looks_like_chapters(texts: pa.StringArray | pa.ChunkedArray) -> bool:
    """Whether texts that could be dates of two-digit years are rather numbers such as 10.1.12.

    Where one begins with what can only be a day, they are dates.
    """
    return _any(texts, _CHAPTER) and not _any(texts, _A_DAY)


def settle(found: Sequence[Evidence], delimiter: str = ",") -> Written:
    """Return how a whole text is written, from what its columns show.

    A mark that nothing decides is taken as the delimiter suggests: where a semicolon separates,
    commas are decimal marks.
    """
    guessed = []
    decimals = frozenset[str]().union(*(e.decimals for e in found))
    groups = frozenset[str]().union(*(e.groups for e in found))
    commas = any("," in e.marks for e in found)
    comma_groups = "," in groups or "." in decimals
    if commas and "," not in decimals and not comma_groups and "." not in groups:
        guessed.append("numbers")
        comma_decimal = delimiter == ";"
    else:
        comma_decimal = ("," in decimals and "." not in decimals) or "." in groups - decimals
    decimal = "," if comma_decimal else "."
    thousands = next((m for m in ("'", " ") if m in groups), "")
    if not thousands:
        thousands = "." if comma_decimal else ("," if commas else "")
    dates, doubtful = _date_order([e.dates for e in found if e.dates])
    if doubtful:
        guessed.append("dates")
    return Written(decimal, thousands, dates, tuple(guessed))


def _date_order(allowed: Iterable[frozenset[DateOrder]]) -> tuple[DateOrder, bool]:
    orders = list(allowed)
    certain = {next(iter(o)) for o in orders if len(o) == 1} - {"year first"}
    if certain:
        return ("day first" if "day first" in certain else "month first"), False
    open_ones = any(len(o) > 1 for o in orders)
    return ("day first", True) if open_ones else ("year first", False)


def plain_numbers(texts: pa.StringArray, written: Written) -> pa.StringArray | None:
    """Return numbers with a decimal point and nothing between their digits.

    None where a text is not written that way; `texts` itself where nothing has to be changed.
    """
    mark, groups = written.decimal, written.thousands
    if mark == "." and not (groups and _any(texts, _literal(groups))):
        return texts
    ungrouped = pc.match_substring_regex(texts, rf"^[-+]?\d*({_literal(mark)}\d+)?$")
    if groups:
        grouped = pc.match_substring_regex(texts, _GROUPED[groups])
        ungrouped = pc.or_(grouped, ungrouped)
    if not pc.all(ungrouped).as_py():
        return None
    if groups:
        spaces = r"[ \x{00a0}\x{202f}]"
        texts = pc.replace_substring_regex(texts, spaces if groups == " " else _literal(groups), "")
    return pc.replace_substring(texts, mark, ".") if mark != "." else texts


def plain_dates(texts: pa.StringArray, written: Written) -> pa.StringArray | None:
    """Return dates with the year first, as ISO 8601 writes them; None where one is no date.

    Where nobody knows whether the day or the month comes first, 03/04/2026 is none.
    """
    parts = pc.extract_regex(texts, _YEAR_FIRST)
    day_first = True
    if parts.null_count > texts.null_count:
        if written.dates == "year first":
            return None
        parts = pc.extract_regex(texts, _TWO_PLACES)
        day_first = written.dates == "day first"
    if parts.null_count > texts.null_count:
        return None
    day, month = ("a", "b") if day_first else ("b", "a")
    year = pc.struct_field(parts, "y")
    late = pc.greater_equal(pc.utf8_slice_codeunits(year, 0, 2), f"{_CENTURY_TURNS}")
    century = pc.if_else(late, pa.scalar("19"), pa.scalar("20"))
    full = pc.binary_join_element_wise(century, year, "")
    year = pc.if_else(pc.equal(pc.utf8_length(year), 2), full, year)
    month, day = (pc.utf8_lpad(pc.struct_field(parts, p), 2, "0") for p in (month, day))
    date = pc.binary_join_element_wise(year, month, day, "-")
    time = pc.fill_null(pc.struct_field(parts, "t"), "")
    return pc.binary_join_element_wise(date, time, "")


def first_texts(texts: pa.ChunkedArray) -> list[str]:
    """Return the first texts that are there; with blanks for long, all are searched for them."""
    sample = texts.slice(0, 20 * SAMPLE).drop_null().slice(0, SAMPLE)
    return list((sample if len(sample) else texts.drop_null().slice(0, SAMPLE)).to_pylist())


def most(shape: re.Pattern[str], sample: Sequence[str]) -> bool:
    """Whether at least nine in ten texts have a shape."""
    return sum(shape.fullmatch(t.strip()) is not None for t in sample) >= 0.9 * len(sample)


def _literal(mark: str) -> str:
    return r"[ \x{00a0}\x{202f}]" if mark == " " else re.escape(mark)


def most_look_like(sample: Sequence[str]) -> str:
    """Return what most texts look like: “number”, “date”, “time”, “boolean”, or nothing."""
    shapes = (
        ("number", _NUMBER),
        ("date", _DATE),
        ("date", _ISO),
        ("time", _TIME),
        ("boolean", _BOOLEAN),
    )
    for name, shape in shapes:
        if 2 * sum(shape.fullmatch(t.strip()) is not None for t in sample) > len(sample):
            return name
    return ""


def looks_like_numbers(sample: Sequence[str]) -> bool:
    """Whether at least nine in ten texts are numbers in one way of writing or another."""
    return most(_NUMBER, sample)


def looks_like_local_dates(sample: Sequence[str]) -> bool:
    """Whether at least nine in ten texts are dates, but not as ISO 8601 writes them."""
    return most(_DATE, sample) and not most(_ISO, sample)


def may_hold(texts: pa.ChunkedArray, *signs: str) -> bool:
    """Whether a sign may be anywhere in texts: a quick look at the last bytes of the signs.

    It never misses one, but may say yes where another letter ends in the same byte.
    """
    wanted = {sign.encode()[-1] for sign in signs}
    for chunk in texts.chunks:
        letters = chunk.buffers()[2]
        if letters is not None:
            found = np.frombuffer(letters, np.uint8)
            if any(bool((found == byte).any()) for byte in wanted):
                return True
    return False


def _any(texts: pa.ChunkedArray | pa.StringArray, shape: str) -> bool:
    return bool(pc.any(pc.match_substring_regex(texts, shape)).as_py())
