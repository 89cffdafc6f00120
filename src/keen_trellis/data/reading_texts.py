"""From texts to values: the kind of a column, decided on every row of it.

The first texts only suggest where to begin. A kind is settled when every text of the column can
be read as it; the first that cannot sends the whole column on to the next wider kind, and at the
end of that way stands text, which takes everything.
"""

from __future__ import annotations

import datetime as dt
import math
import re
from collections.abc import Callable
from decimal import Decimal
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.data.column import BLANK, Column, from_arrow, widened_exact
from keen_trellis.data.kinds import Kind
from keen_trellis.data.written import (
    Written,
    first_texts,
    looks_like_local_dates,
    looks_like_numbers,
    may_hold,
    plain_dates,
    plain_numbers,
)

_DECIMALS_AT_MOST = 6
_DIGITS_OF_A_FLOAT = 15
"""Decimal digits that a double holds for certain (IEEE 754: 15.95)."""

_YES_NO = {"yes": True, "no": False, "true": True, "false": False}
_SHAPES = (
    (Kind.WHOLE, re.compile(r"-?\d+")),
    (Kind.EXACT, re.compile(r"-?\d*\.?\d+")),
    (Kind.NUMBER, re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?")),
    (Kind.DATE, re.compile(r"\d{4}-\d\d-\d\d")),
    (Kind.DATE_TIME, re.compile(r"\d{4}-\d\d-\d\d([T ]\d\d:\d\d(:\d\d(\.\d{1,6})?)?)?")),
    (Kind.TIME, re.compile(r"\d{1,2}:\d\d(:\d\d(\.\d{1,6})?)?")),
    (Kind.YES_NO, re.compile("|".join(_YES_NO), re.IGNORECASE)),
)
_WIDER = {
    Kind.WHOLE: Kind.EXACT,
    Kind.EXACT: Kind.NUMBER,
    Kind.DATE: Kind.DATE_TIME,
}


def column_of_texts(texts: pa.ChunkedArray, written: Written = Written()) -> Column:
    """Return texts as a column of the narrowest kind that all of them can be read as.

    Null becomes a blank. A whole number with a leading zero keeps the column text, and so does
    one with more digits than can be kept.
    """
    sample = first_texts(texts)
    array = _one_array(texts)
    encoded = None
    if len(set(sample)) <= len(sample) // 2 or _suggested(sample) in (Kind.YES_NO, Kind.TIME):
        encoded = array.dictionary_encode()
    distinct = array if encoded is None else encoded.dictionary
    plain = _plain(distinct, sample, written)
    if plain is not None:
        values = _narrowest(plain, first_texts(pa.chunked_array([plain])))
        if values is not None:
            return values if encoded is None else _spread(values, encoded)
    return from_arrow(array if encoded is None else encoded)


def _narrowest(texts: pa.StringArray, sample: list[str]) -> Column | None:
    kind = _suggested(sample)
    while kind is not Kind.TEXT:
        values = _CONVERT[kind](texts)
        if values is not None:
            return values
        kind = _WIDER.get(kind, Kind.TEXT)
    return None


def _plain(texts: pa.StringArray, sample: list[str], written: Written) -> pa.StringArray | None:
    """Return numbers and dates as standards write them; None where they are not all so written."""
    if looks_like_numbers(sample):
        return plain_numbers(texts, written)
    if looks_like_local_dates(sample):
        return plain_dates(texts, written)
    return texts


def values_of_texts(texts: pa.StringArray, kind: Kind, written: Written = Written()) -> Column:
    """Return each text as a value of `kind`; a blank where it is none.

    Outer spaces and leading zeros do not count here: whoever asks for a kind wants 007 to be 7.
    """
    read = _READ[kind]

    def value(text: str | None) -> Any:
        if text is None:
            return None
        try:
            return read(text.strip())
        except (ValueError, ArithmeticError):
            return _read_local(text.strip(), kind, written)

    return Column.of([value(text) for text in texts.to_pylist()], kind)


def _read_local(text: str, kind: Kind, written: Written) -> Any:
    """Return a number or date that is written as in its region; None where it is none."""
    one = pa.array([text])
    if kind.is_numeric:
        plain = plain_numbers(one, written)
    elif kind in (Kind.DATE, Kind.DATE_TIME):
        plain = plain_dates(one, written)
    else:
        return None
    try:
        return None if plain is None else _READ[kind](plain[0].as_py())
    except (ValueError, ArithmeticError):
        return None


def _read_whole(text: str) -> int:
    number = int(text)
    if not -(2**63) <= number < 2**63:
        raise ValueError
    return number


def _read_exact(text: str) -> Decimal:
    number = Decimal(text)
    if not number.is_finite() or abs(number) >= 10**20 or int(number.as_tuple().exponent) < -18:
        raise ValueError
    return number


def _read_number(text: str) -> float | None:
    number = float(text)
    return number if math.isfinite(number) else None


def _read_yes_no(text: str) -> bool:
    if text.lower() not in _YES_NO:
        raise ValueError
    return _YES_NO[text.lower()]


def _read_time(text: str) -> dt.time:
    if ":" not in text[:3]:  # ISO 8601 would take the month 2026-01 for a time, too
        raise ValueError
    return _clock(text).replace(tzinfo=None)


def _clock(text: str) -> dt.time:
    """Return a time of day, also one such as 8:30."""
    return dt.time.fromisoformat(f"0{text}" if text[1:2] == ":" else text)


_READ: dict[Kind, Callable[[str], Any]] = {
    Kind.TEXT: str,
    Kind.WHOLE: _read_whole,
    Kind.EXACT: _read_exact,
    Kind.NUMBER: _read_number,
    Kind.YES_NO: _read_yes_no,
    Kind.DATE: lambda text: dt.datetime.fromisoformat(text).date(),
    Kind.DATE_TIME: lambda text: dt.datetime.fromisoformat(text).replace(tzinfo=None),
    Kind.TIME: _read_time,
}


def _suggested(sample: list[str]) -> Kind:
    if not sample:
        return Kind.TEXT
    for kind, shape in _SHAPES:
        if all(map(shape.fullmatch, sample)):
            return kind
    return Kind.TEXT


def _spread(values: Column, encoded: pa.DictionaryArray) -> Column:
    """Return values of a dictionary for every row that refers to them; null stays a blank."""
    rows = encoded.indices.fill_null(0).to_numpy(zero_copy_only=False)
    spread = values.take(rows)
    if encoded.null_count == 0:
        return spread
    state = encoded.is_null().to_numpy(zero_copy_only=False).astype(np.uint8)
    return Column(spread.kind, spread.values, state, scale=spread.scale)


def _one_array(texts: pa.ChunkedArray) -> pa.StringArray:
    return texts.chunk(0) if texts.num_chunks == 1 else texts.combine_chunks()


def _whole(texts: pa.StringArray) -> Column | None:
    return None if _leading_zero(texts) else _cast(texts, pa.int64())


def _exact(texts: pa.StringArray) -> Column | None:
    """Plain decimals, all digits kept; None where one is not plain or has too many digits."""
    longest = pc.max(pc.binary_length(texts)).as_py()
    if longest is None or longest > 20 or _leading_zero(texts):
        return None
    if may_hold(pa.chunked_array([texts]), "e", "E") and _has_exponent(texts):
        return None
    marks = pc.find_substring(texts, ".")
    decimals = pc.subtract(pc.subtract(pc.binary_length(texts), marks), 1)
    scale = pc.max(pc.if_else(pc.greater_equal(marks, 0), decimals, 0)).as_py()
    if scale > _DECIMALS_AT_MOST:
        return None
    if longest > _DIGITS_OF_A_FLOAT + 1:
        return _cast(texts, pa.decimal128(38, scale))
    numbers = _finite(texts)
    if numbers is None:
        return None
    # up to 15 digits, the double nearest to a decimal gives that decimal back when rounded
    whole = np.rint(numbers.values * 10.0**scale).astype(np.int64)
    return Column(Kind.EXACT, widened_exact(whole), numbers.state, scale=scale)


def _number(texts: pa.StringArray) -> Column | None:
    if _leading_zero(texts):
        return None
    longest = pc.max(pc.binary_length(texts)).as_py()
    if longest is not None and longest > _DIGITS_OF_A_FLOAT:
        too_many_digits = rf"^-?\d{{{_DIGITS_OF_A_FLOAT + 1},}}$"
        if pc.any(pc.match_substring_regex(texts, too_many_digits)).as_py():
            return None
    return _finite(texts)


def _date(texts: pa.StringArray) -> Column | None:
    return _cast(texts, pa.date32())


def _date_time(texts: pa.StringArray) -> Column | None:
    return _cast(texts, pa.timestamp("us"))


def _time(texts: pa.StringArray) -> Column | None:
    try:
        times = [None if t is None else _clock(t) for t in texts.to_pylist()]
    except ValueError:
        return None
    if any(t is not None and t.tzinfo is not None for t in times):
        return None
    return Column.of(times, Kind.TIME)


def _yes_no(texts: pa.StringArray) -> Column | None:
    words = [None if t is None else _YES_NO.get(t.lower(), t) for t in texts.to_pylist()]
    return None if any(isinstance(w, str) for w in words) else Column.of(words, Kind.YES_NO)


def _cast(texts: pa.StringArray, target: pa.DataType) -> Column | None:
    try:
        return from_arrow(texts.cast(target))
    except pa.ArrowInvalid:
        return None


def _leading_zero(texts: pa.StringArray) -> bool:
    """Whether a text is a code like 007 or -07, which a number would change."""
    _, offsets_buffer, letters_buffer = texts.buffers()
    if letters_buffer is None:
        return False
    offsets = np.frombuffer(offsets_buffer, np.int32)[texts.offset : texts.offset + len(texts) + 1]
    letters = np.append(np.frombuffer(letters_buffer, np.uint8), np.zeros(2, np.uint8))
    start, end = offsets[:-1], offsets[1:]
    start = start + (letters[start] == ord("-"))
    after = letters[start + 1]
    coded = (letters[start] == ord("0")) & (after >= ord("0")) & (after <= ord("9"))
    return bool((coded & (end - start > 1)).any())


def _finite(texts: pa.StringArray) -> Column | None:
    """Numbers; None where a text is no number, or a word like “inf” or “nan” that passes as one."""
    numbers = _cast(texts, pa.float64())
    if numbers is None or numbers.count(BLANK) > texts.null_count:
        return None
    return numbers if bool(np.isfinite(numbers.values).all()) else None


def _has_exponent(texts: pa.StringArray) -> bool:
    return bool(pc.any(pc.match_substring_regex(texts, "[eE]")).as_py())


_CONVERT: dict[Kind, Callable[[pa.StringArray], Column | None]] = {
    Kind.WHOLE: _whole,
    Kind.EXACT: _exact,
    Kind.NUMBER: _number,
    Kind.DATE: _date,
    Kind.DATE_TIME: _date_time,
    Kind.TIME: _time,
    Kind.YES_NO: _yes_no,
}
