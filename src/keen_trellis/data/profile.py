"""What is in a column, at a glance: how many, how often, from where to where, of which shape.

Everything is counted once per distinct value where it can be; no step takes longer than sorting
the column once.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.base.words import SPACES, counted
from keen_trellis.data.column import Column, narrow_exact
from keen_trellis.data.kinds import Kind
from keen_trellis.data.states import BLANK, GAP

BARS = 32
_LISTED = 12
_LONGEST_RUN = 4
_TEXTS_AT_ONCE = 150_000
_DENSE = 4
"""Whole values are counted by direct addressing where they span at most so many per row."""

_CUT = ord("~")


@dataclass(frozen=True, slots=True)
class Profile:
    """What a look at one column tells.

    Attributes
    ----------
    kind : Kind
    rows, blanks, gaps, distinct : int
    repeated : int
        Rows whose value another row has too.
    strays : int
        Rows whose text begins or ends with a space or an invisible character.
    least, greatest : str
        The ends of the range; for text in the order of its letters.
    frequent : tuple of (value, rows)
        The values that most rows have, the most frequent first.
    shapes : tuple of (shape, rows)
        How texts are made: `AA-99` is two capitals, a hyphen and two digits; a long run of one
        sort of letters is cut short with “…”. Empty for other kinds.
    bars : tuple of int
        Rows in equal parts of the range from least to greatest; for text by length in letters.
    bar_ends : (str, str)
        What the first and the last bar stand for.
    """

    kind: Kind
    rows: int
    blanks: int
    gaps: int
    distinct: int
    repeated: int
    strays: int
    least: str
    greatest: str
    frequent: tuple[tuple[str, int], ...]
    shapes: tuple[tuple[str, int], ...]
    bars: tuple[int, ...]
    bar_ends: tuple[str, str]

    @property
    def unique(self) -> bool:
        """Whether no value repeats: such a column can tell rows apart."""
        return self.distinct > 0 and self.repeated == 0


def profile(column: Column) -> Profile:
    """Return the profile of a column; O(n log n) at worst, in its rows."""
    absent = column.absent
    values = column.values if absent is None else column.values[~absent]
    distinct, counts = _distinct(column, values)
    order = np.argsort(-counts, kind="stable")[:_LISTED]
    frequent = tuple((column.value_text(distinct[i]), int(counts[i])) for i in order)
    span = _Span()
    if len(distinct) and column.kind is Kind.TEXT:
        span = _span_of_texts(column, distinct, counts)
    elif len(distinct):
        # distinct values stand in order: as doubles, some beyond 2**53 would be one
        ends = column.value_text(distinct[0]), column.value_text(distinct[-1])
        span = _Span(*ends, bars=_bars(_as_doubles(column, distinct), counts), bar_ends=ends)
    return Profile(
        column.kind,
        rows=len(column),
        blanks=column.count(BLANK),
        gaps=column.count(GAP),
        distinct=len(distinct),
        repeated=int(counts[counts > 1].sum()),
        frequent=frequent,
        **vars(span),
    )


@dataclass(frozen=True)  # without slots: its parts are those of a profile
class _Span:
    """From where to where the values of a column go, and how they are spread."""

    least: str = ""
    greatest: str = ""
    strays: int = 0
    shapes: tuple[tuple[str, int], ...] = ()
    bars: tuple[int, ...] = ()
    bar_ends: tuple[str, str] = ("", "")


def _span_of_texts(column: Column, distinct: NDArray[Any], counts: NDArray[np.int64]) -> _Span:
    """Return the span of texts: their bars are over lengths, since letters have no distance."""
    assert column.dictionary is not None
    texts = column.dictionary
    if len(distinct) < len(texts):  # a part of a column has texts that none of its rows has
        texts = texts.take(pa.array(distinct))
    shapes, strays, lengths, least, greatest = _letters_of(texts, counts)
    ends = (_in_letters(int(lengths.min())), _in_letters(int(lengths.max())))
    return _Span(least, greatest, strays, shapes=shapes, bars=_bars(lengths, counts), bar_ends=ends)


def _distinct(column: Column, values: NDArray[Any]) -> tuple[NDArray[Any], NDArray[np.int64]]:
    """Return the distinct values in their order (text: of codes), and the rows of each."""
    if column.kind is Kind.TEXT:
        return _dense(values, 0, len(column.dictionary or ()))
    if column.kind is Kind.BOOLEAN:
        found, counts = _dense(values.astype(np.int64), 0, 2)
        return found.astype(np.bool_), counts
    if column.kind is Kind.EXACT:
        narrow = narrow_exact(values)
        if narrow is None:
            keys = [(int(v["hi"]), int(v["lo"])) for v in values]
            _, places, counts = np.unique(
                np.array(keys, dtype="i8,u8"), return_index=True, return_counts=True
            )
            return values[places], counts
        whole, counts = _whole(narrow)
        wide = np.empty(len(whole), values.dtype)
        wide["lo"], wide["hi"] = whole.view(np.uint64), whole >> 63
        return wide, counts
    if column.kind is Kind.NUMBER:
        return _sorted(values + 0.0)  # -0.0 and 0.0 are one value
    return _whole(values)


def _whole(values: NDArray[Any]) -> tuple[NDArray[Any], NDArray[np.int64]]:
    if not len(values):
        return values, np.zeros(0, np.int64)
    low, high = int(values.min()), int(values.max())
    if high - low < _DENSE * len(values) + 1_000:
        return _dense(values, low, high - low + 1)
    return _sorted(values)


def _dense(values: NDArray[Any], low: int, span: int) -> tuple[NDArray[Any], NDArray[np.int64]]:
    rows = np.bincount(values - low if low else values, minlength=span)
    found = np.flatnonzero(rows)
    return (found + low).astype(values.dtype), rows[found]


def _sorted(values: NDArray[Any]) -> tuple[NDArray[Any], NDArray[np.int64]]:
    ordered = np.sort(values)
    first = np.ones(len(ordered), np.bool_)
    np.not_equal(ordered[1:], ordered[:-1], out=first[1:])
    places = np.flatnonzero(first)
    return ordered[places], np.diff(np.append(places, len(ordered)))


def _as_doubles(column: Column, distinct: NDArray[Any]) -> NDArray[np.float64]:
    """Return values as doubles: exact enough to draw bars."""
    if column.kind is Kind.EXACT:
        return distinct["hi"].astype(np.float64) * 2.0**64 + distinct["lo"].astype(np.float64)
    return distinct.astype(np.float64)


def _bars(values: NDArray[Any], counts: NDArray[np.int64]) -> tuple[int, ...]:
    """Return the rows in equal parts of the range; few whole values get a part each."""
    finite = np.isfinite(values)
    values, counts = values[finite], counts[finite]
    if not len(values):
        return ()
    low, high = float(values.min()), float(values.max())
    if high == low:
        return (int(counts.sum()),)
    whole = bool((values == np.floor(values)).all())
    span = high / 2 - low / 2  # halves, since the whole may be beyond what a double holds
    n_bars = int(min(BARS, 2 * span + 1)) if whole else BARS
    share = (values / 2 - low / 2) / (span + 0.5 if whole else span)
    place = (share * n_bars).astype(np.int64).clip(0, n_bars - 1)
    return tuple(int(n) for n in np.bincount(place, weights=counts, minlength=n_bars))


def _in_letters(length: int) -> str:
    return counted(length, "letter")


def _letters_of(
    texts: pa.StringArray, counts: NDArray[np.int64]
) -> tuple[tuple[tuple[str, int], ...], int, NDArray[np.int32], str, str]:
    """Return shapes with their rows, rows with stray spaces, lengths, the first and last text.

    So many texts are looked at together as the processor keeps at hand.
    """

    def part(start: int) -> tuple[Counter[str], int, NDArray[np.int32], str, str]:
        some, rows = texts.slice(start, _TEXTS_AT_ONCE), counts[start : start + _TEXTS_AT_ONCE]
        letters = _Letters.of(some)
        encoded = _shapes_of(letters).dictionary_encode()
        codes = encoded.indices.to_numpy(zero_copy_only=False)
        found = np.bincount(codes, weights=rows)
        pairs = zip(encoded.dictionary.to_pylist(), found, strict=True)
        shapes = Counter({shape: int(n) for shape, n in pairs})
        span = pc.min_max(some).as_py()
        return shapes, _strays(some, letters, rows), letters.lengths, span["min"], span["max"]

    shapes: Counter[str] = Counter()
    with ThreadPoolExecutor() as threads:  # NumPy lets go of the interpreter lock
        parts = list(threads.map(part, range(0, len(texts), _TEXTS_AT_ONCE)))
    found, strays, lengths, least, greatest = zip(*parts, strict=True)
    for some in found:
        shapes.update(some)
    listed = tuple((shape.replace("~", "…"), n) for shape, n in shapes.most_common(_LISTED))
    return listed, sum(strays), np.concatenate(lengths), min(least), max(greatest)


def _shapes_of(text: _Letters) -> pa.StringArray:
    sorts = np.frombuffer(bytearray(text.bytes.tobytes().translate(_SORT)), np.uint8)
    alike = np.zeros(len(sorts), np.bool_)
    np.equal(sorts[1:], sorts[:-1], out=alike[1:])
    alike &= sorts & 0x40 != 0  # letters; no digit, space or sign of punctuation is cut
    alike[text.starts[text.lengths > 0]] = False
    long = alike.copy()  # letters with three of their sort before them, and then with four
    for back in range(1, _LONGEST_RUN - 1):
        long[back:] &= alike[:-back]
    dropped = long.copy()
    dropped[1:] &= long[:-1]
    if dropped.any():
        cut = long[:-1] & ~dropped[:-1] & dropped[1:]
        sorts[:-1][cut] = _CUT
    return text.without(dropped, sorts)


def _strays(texts: pa.StringArray, text: _Letters, counts: NDArray[np.int64]) -> int:
    """Return the rows whose text begins or ends with a space; few texts need a closer look."""
    ends = np.zeros(len(texts), np.bool_)
    some = text.lengths > 0
    first = text.starts[some]
    ends[some] = _MAY_BE_STRAY[text.bytes[first]]
    ends[some] |= _MAY_BE_STRAY[text.bytes[first + text.lengths[some] - 1]]
    places = np.flatnonzero(ends)
    if not len(places):
        return 0
    closer = texts.take(pa.array(places))
    changed = pc.not_equal(closer, pc.utf8_trim(closer, characters=SPACES))
    return int(counts[places[np.asarray(changed)]].sum())


@dataclass(frozen=True, slots=True, eq=False)
class _Letters:
    """The letters of many texts in one row; a letter beyond ASCII counts as one byte here."""

    bytes: NDArray[np.uint8]
    starts: NDArray[np.int32]
    lengths: NDArray[np.int32]

    @classmethod
    def of(cls, texts: pa.StringArray) -> _Letters:
        _, offsets_buffer, letters_buffer = texts.buffers()
        offsets = np.frombuffer(offsets_buffer, np.int32)
        offsets = offsets[texts.offset : texts.offset + len(texts) + 1]
        letters = np.frombuffer(letters_buffer or b"", np.uint8)[offsets[0] : offsets[-1]]
        whole = cls(letters, offsets[:-1] - offsets[0], np.diff(offsets))
        beyond = letters >= 0x80
        if not beyond.any():
            return whole
        follows = (letters & 0xC0) == 0x80  # the later bytes of one letter, in UTF-8
        before = np.append(0, np.cumsum(~follows, dtype=np.int32))
        starts = before[whole.starts]
        return cls(letters[~follows], starts, before[whole.starts + whole.lengths] - starts)

    def without(self, dropped: NDArray[np.bool_], letters: NDArray[np.uint8]) -> pa.StringArray:
        """Return texts of other letters, some of them dropped."""
        offsets = np.append(self.starts, len(letters))
        if dropped.any():
            before = np.append(0, np.cumsum(~dropped, dtype=np.int32))
            offsets, letters = before[offsets], letters[~dropped]
        buffers = (pa.py_buffer(offsets.astype(np.int32)), pa.py_buffer(letters))
        return pa.StringArray.from_buffers(len(self.starts), *buffers)


def _sort_of_each_byte() -> bytes:
    table = bytearray(range(256))

    def put(codes: Iterable[int], sign: str) -> None:
        for code in codes:
            table[code] = ord(sign)

    put(range(ord("A"), ord("Z") + 1), "A")
    put(range(ord("a"), ord("z") + 1), "a")
    put(range(ord("0"), ord("9") + 1), "9")
    put(range(0x80, 0x100), "a")  # letters beyond ASCII
    put((_CUT, *range(0x20), 0x7F), "?")
    return bytes(table)


_SORT = _sort_of_each_byte()
_MAY_BE_STRAY = np.isin(np.arange(256), [*SPACES.encode(), *range(0xC2, 0xF0)])
