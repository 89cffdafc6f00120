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
from dataclasses import replace
from decimal import Decimal
from typing import Any, TypeVar

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.data.column import DIGITS_AT_MOST, Column, exact_values, from_arrow, widened_exact
from keen_trellis.data.conversions.written_forms import (
    UNMISTAKABLE_GROUPS,
    Written,
    first_texts,
    looks_like_chapters,
    looks_like_codes,
    looks_like_local_dates,
    looks_like_numbers,
    may_hold,
    plain_dates,
    plain_numbers,
)
from keen_trellis.data.kinds import Kind
from keen_trellis.data.states import BLANK

_DECIMALS_AT_MOST = 6
_DIGITS_OF_A_FLOAT = 15
"""Decimal digits that a double holds for certain (IEEE 754: 15.95)."""

_NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?", re.ASCII)
"""What a number is here: Python would also take 1_000, “nan” and digits of other scripts."""

_LEAST_FULL_DOUBLE = 2.0**-1022
"""Below it doubles have fewer digits than fifteen, down to none."""

_BOOLEANS = {"true": True, "false": False}
"""What a boolean is without being asked: a “yes” that came back as “true” would be another text."""

_TAKEN_AS_BOOLEANS = {**_BOOLEANS, "yes": True, "no": False}
_SHAPES = (
    (Kind.INTEGER, re.compile(r"-?\d+")),
    (Kind.EXACT, re.compile(r"-?\d*\.?\d+")),
    (Kind.NUMBER, re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?")),
    (Kind.DATE, re.compile(r"\d{4}-\d\d-\d\d")),
    (Kind.DATE_TIME, re.compile(r"\d{4}-\d\d-\d\d([T ]\d\d:\d\d(:\d\d(\.\d{1,6})?)?)?")),
    (Kind.TIME, re.compile(r"\d{1,2}:\d\d(:\d\d(\.\d{1,6})?)?")),
    (Kind.BOOLEAN, re.compile("|".join(_BOOLEANS), re.IGNORECASE)),
)
_WIDER = {
    Kind.INTEGER: Kind.EXACT,
    Kind.EXACT: Kind.NUMBER,
    Kind.DATE: Kind.DATE_TIME,
}


def column_of_texts(texts: pa.ChunkedArray, written: Written = Written()) -> Column:
    """Return texts as a column of the narrowest kind that all of them can be read as.

    Null becomes a blank. An integer with a leading zero keeps the column text, and so does
    one with more digits than can be kept.
    """
    sample = first_texts(texts)
    array = _one_array(texts)
    # of few different texts each is read once, and its value put at every row; true, false and
    # times of day go text by text through Python, so always once each
    encoded = None
    if len(set(sample)) <= len(sample) // 2 or _suggested(sample) in (Kind.BOOLEAN, Kind.TIME):
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
        # the sample only says where to begin: one row that is not of a kind sends all of them on
        kind = _WIDER.get(kind, Kind.TEXT)
    return None


def _plain(texts: pa.StringArray, sample: list[str], written: Written) -> pa.StringArray | None:
    """Return numbers and dates as standards write them; None where they are not all so written.

    None too where they are rather codes that only look so: 1E5, +491701234567, 10.1.12.
    """
    if looks_like_numbers(sample):
        return None if looks_like_codes(texts) else plain_numbers(texts, written)
    if looks_like_local_dates(sample):
        return None if looks_like_chapters(texts) else plain_dates(texts, written)
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

    values = [value(text) for text in texts.to_pylist()]
    return _exact_column(values) if kind is Kind.EXACT else Column.of(values, kind)


def _exact_column(values: list[Decimal | None]) -> Column:
    """Return exact decimals; what does not fit into the scale of most of them is a blank."""
    whole, fits, scale = exact_values(values)
    state = None if bool(fits.all()) else np.where(fits, 0, BLANK).astype(np.uint8)
    return Column(Kind.EXACT, whole, state, scale=scale)


def _read_local(text: str, kind: Kind, written: Written) -> Any:
    """Return a number or date that is written as in its region; None where it is none."""
    one = pa.array([text])
    if kind.is_numeric:
        ways = (written, *(replace(written, thousands=mark) for mark in UNMISTAKABLE_GROUPS))
        plain = next((p for way in ways if (p := plain_numbers(one, way)) is not None), None)
    elif kind in (Kind.DATE, Kind.DATE_TIME):
        plain = plain_dates(one, written)
    else:
        return None
    try:
        return None if plain is None else _READ[kind](plain[0].as_py())
    except (ValueError, ArithmeticError):
        return None


def _read_whole(text: str) -> int:
    number = _decimal(text)
    if number != number.to_integral_value() or not -(2**63) <= number < 2**63:
        raise ValueError
    return int(number)


def decimal_of(text: str) -> Decimal | None:
    """Return the number that a text is, with all its digits; None where it is none."""
    try:
        return _decimal(text.strip())
    except ValueError:
        return None


def _decimal(text: str) -> Decimal:
    if not _NUMBER.fullmatch(text):
        raise ValueError
    return Decimal(text)


def _read_number(text: str) -> float:
    """Return the double nearest to a number; an integer must be shown with its own digits."""
    exact, number = _decimal(text), float(text)
    is_whole = exact == exact.to_integral_value()
    if not math.isfinite(number) or (is_whole and exact != Decimal(repr(number))):
        raise ValueError
    return number


def _read_date(text: str) -> dt.date:
    """Return the day that a text is; one with a time is none, since the time would be lost."""
    moment = dt.datetime.fromisoformat(text)
    if moment.time() != dt.time.min or moment.tzinfo is not None:
        raise ValueError
    return moment.date()


def _read_boolean(text: str) -> bool:
    if text.lower() not in _TAKEN_AS_BOOLEANS:
        raise ValueError
    return _TAKEN_AS_BOOLEANS[text.lower()]


def _read_time(text: str) -> dt.time:
    if ":" not in text[:3]:  # ISO 8601 would take the month 2026-01 for a time, too
        raise ValueError
    return _without_zone(_clock(text))


_Moment = TypeVar("_Moment", dt.datetime, dt.time)


def _without_zone(moment: _Moment) -> _Moment:
    """Return what the clock shows; one of another zone is no value, since that would be lost."""
    if moment.utcoffset():
        raise ValueError
    return moment.replace(tzinfo=None)


def _clock(text: str) -> dt.time:
    """Return a time of day, also one such as 8:30."""
    return dt.time.fromisoformat(f"0{text}" if text[1:2] == ":" else text)


_READ: dict[Kind, Callable[[str], Any]] = {
    Kind.TEXT: str,
    Kind.INTEGER: _read_whole,
    Kind.EXACT: _decimal,
    Kind.NUMBER: _read_number,
    Kind.BOOLEAN: _read_boolean,
    Kind.DATE: _read_date,
    Kind.DATE_TIME: lambda text: _without_zone(dt.datetime.fromisoformat(text)),
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
    """Plain decimals with all their digits; None where one is not plain or they are too many.

    Finer fractions than six digits are measurements: they are numbers where a double holds them.
    """
    longest = pc.max(pc.binary_length(texts)).as_py()
    if longest is None or longest > DIGITS_AT_MOST + 2 or _leading_zero(texts):
        return None
    if may_hold(pa.chunked_array([texts]), "e", "E") and _has_exponent(texts):
        return None
    marks = pc.find_substring(texts, ".")
    has_mark = pc.greater_equal(marks, 0)
    length = pc.binary_length(texts)
    before = pc.max(pc.if_else(has_mark, marks, length)).as_py()
    if before > DIGITS_AT_MOST:  # a sign is no digit; looked at only where it decides
        signs = pc.cast(pc.match_substring_regex(texts, "^[-+]"), pa.int32())
        before = pc.max(pc.subtract(pc.if_else(has_mark, marks, length), signs)).as_py()
    scale = pc.max(pc.if_else(has_mark, pc.subtract(pc.subtract(length, marks), 1), 0)).as_py()
    if scale > _DECIMALS_AT_MOST and (number := _number(texts)) is not None:
        return number
    if before + scale > _DIGITS_OF_A_FLOAT:
        fits = before + scale <= DIGITS_AT_MOST
        return _cast(texts, pa.decimal128(DIGITS_AT_MOST, scale)) if fits else None
    numbers = _finite(texts)
    if numbers is None:
        return None
    # up to 15 digits, those behind the mark included, the nearest double gives a decimal back
    # when it is rounded, and ten to the scale is a double itself
    whole = np.rint(numbers.values * 10.0**scale).astype(np.int64)
    return Column(Kind.EXACT, widened_exact(whole), numbers.state, scale=scale)


def _number(texts: pa.StringArray) -> Column | None:
    """Numbers; None where a text is none, or has digits that its double does not give back."""
    if _leading_zero(texts):
        return None
    numbers = _finite(texts)
    if numbers is None:
        return None
    small = np.abs(numbers.values) < _LEAST_FULL_DOUBLE
    long = pc.greater(pc.binary_length(texts), _DIGITS_OF_A_FLOAT).fill_null(False)
    doubtful = np.flatnonzero(small | np.asarray(long.to_numpy(zero_copy_only=False)))
    if not len(doubtful):
        return numbers
    written, held = texts.take(pa.array(doubtful)), pa.array(numbers.values[doubtful])
    differ = pc.not_equal(held.cast(pa.string()), written).fill_null(False)
    pairs = zip(written.filter(differ).to_pylist(), held.filter(differ).to_pylist(), strict=True)
    return numbers if all(Decimal(t) == Decimal(repr(n)) for t, n in pairs) else None


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


def _boolean(texts: pa.StringArray) -> Column | None:
    words = [None if t is None else _BOOLEANS.get(t.lower(), t) for t in texts.to_pylist()]
    return None if any(isinstance(w, str) for w in words) else Column.of(words, Kind.BOOLEAN)


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
    # two more, so that “the letter behind” and “the next one” are there for the last text as well
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
    Kind.INTEGER: _whole,
    Kind.EXACT: _exact,
    Kind.NUMBER: _number,
    Kind.DATE: _date,
    Kind.DATE_TIME: _date_time,
    Kind.TIME: _time,
    Kind.BOOLEAN: _boolean,
}
