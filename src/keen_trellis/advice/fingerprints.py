"""The distinct values of a column as sorted 64-bit hashes, so that any two columns compare fast.

A hash is uniform, so the smallest hashes of a column are a fair sample of its distinct values; and
since all of them are kept, a sample of one column is looked up in the whole of another. A small
table thus never slips through a sample of a large one. (The bottom-k idea of E. Cohen and
H. Kaplan, “Summarizing data using bottom-k sketches”, PODC 2007, with the other side whole.)
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from keen_trellis.data import Column, Kind
from keen_trellis.data.column import MICROSECONDS_A_DAY, exact_decimal, narrow_exact

SAMPLE = 2_000
_SHAPES_LOOKED_AT = 200
_SHAPES = ((re.compile(r"\d"), 10), (re.compile(r"[^\W\d_]"), 26))
_MOST_BITS = 60.0
_CHUNK = 200_000
_MULTIPLIER = 0x100000001B3  # the prime of the Fowler-Noll-Vo hash; odd, hence invertible
_WORD = 2**64
_DENSE = 4

Hashes = NDArray[np.uint64]


@dataclass(frozen=True, slots=True, eq=False)
class Fingerprint:
    """What a column's values are, for comparing it with others.

    Attributes
    ----------
    group : str
        Columns of one group can be compared: text, numbers, days, times.
    hashes : ndarray of uint64, ascending
        One for each distinct value.
    n_present : int
        Rows with a value.
    low, high : float
        The least and the largest value, where they are numbers or days.
    step : float
        How far apart two values are at least: 1 for integers and days, 0.01 for cents.
    bits : float
        Of texts: the logarithm to base 2 of how many there could be of their usual shape.
    """

    group: str
    hashes: Hashes
    n_present: int
    low: float = 0.0
    high: float = 0.0
    step: float = 1.0
    bits: float = 0.0

    @property
    def unique(self) -> float:
        """How close to unique the values are: 1 where none repeats."""
        return len(self.hashes) / self.n_present if self.n_present else 0.0

    @property
    def is_measure(self) -> bool:
        """Whether the values are amounts with decimals, which seldom link anything."""
        return self.group == "numbers" and self.step < 1

    def chance_in(self, other: Fingerprint) -> float:
        """Return the share of the values that another column would have by accident.

        Numbers and days are taken to lie anywhere between the least and the largest of each
        column, texts to be any of their shape.
        """
        if self.group == "text":
            return min(1.0, len(other.hashes) / 2 ** float(max(self.bits, other.bits)))
        step = min(self.step, other.step)
        width = (self.high - self.low) / step + 1
        in_both = (min(self.high, other.high) - max(self.low, other.low)) / step + 1
        dense = len(other.hashes) / ((other.high - other.low) / step + 1)
        return min(1.0, max(0.0, dense * min(1.0, in_both / width)))

    def share_in(self, other: Fingerprint) -> float:
        """Return the share of this column's distinct values that another has, from a sample."""
        sample = self.hashes[:SAMPLE]
        if not len(sample) or not len(other.hashes):
            return 0.0
        at = np.searchsorted(other.hashes, sample)
        at[at == len(other.hashes)] = 0
        return float((other.hashes[at] == sample).mean())


def fingerprint(column: Column) -> Fingerprint:
    """Return the fingerprint of a column; every row is looked at."""
    n_present = len(column) if column.state is None else column.count(0)
    if column.kind is Kind.TEXT:
        assert column.dictionary is not None
        used = np.zeros(len(column.dictionary) + 1, bool)
        used[column.values] = True
        texts = column.dictionary.filter(pa.array(used[:-1]))
        return Fingerprint("text", np.sort(text_hashes(texts)), n_present, bits=_bits(texts))
    group, values = _comparable(column)
    absent = column.absent
    distinct = _distinct(values if absent is None else values[~absent])
    if group == "numbers":
        distinct = distinct.astype(np.float64) + 0.0
    bounds = {"step": _step(column)}
    if len(distinct) and group != "boolean":
        bounds |= {"low": float(distinct.min()), "high": float(distinct.max())}
    hashes = np.sort(_mixed(distinct.view(np.uint64)))
    return Fingerprint(group, hashes, n_present, **bounds)


def _step(column: Column) -> float:
    match column.kind:
        case Kind.EXACT:
            return float(10.0**-column.scale)
        case Kind.NUMBER:
            return 0.01  # doubles are mostly amounts; that they could be finer tells nothing
        case _:
            return 1.0


def _bits(texts: pa.StringArray) -> float:
    """Return how many bits the usual shape of some texts has room for."""
    some = texts.slice(0, _SHAPES_LOOKED_AT).to_pylist()
    rooms = sorted(
        sum(len(letters.findall(text)) * math.log2(size) for letters, size in _SHAPES)
        for text in some
    )
    return min(_MOST_BITS, rooms[len(rooms) // 2]) if rooms else 0.0


def text_hashes(texts: pa.StringArray) -> Hashes:
    """Return a hash per text: a polynomial of its bytes modulo 2 to the 64th, then mixed.

    All texts at once: the polynomial of a text is a difference of running sums, shifted back to
    its beginning by a power of the multiplier's inverse (R. M. Karp and M. O. Rabin, “Efficient
    randomized pattern-matching algorithms”, IBM Journal of Research and Development 31, 1987).
    """
    parts = [_chunk_hashes(texts.slice(n, _CHUNK)) for n in range(0, len(texts), _CHUNK)]
    return np.concatenate(parts) if parts else np.zeros(0, np.uint64)


def _chunk_hashes(texts: pa.StringArray) -> Hashes:
    _, offset_buffer, letter_buffer = texts.buffers()
    offsets = np.frombuffer(offset_buffer, np.int32)[texts.offset : texts.offset + len(texts) + 1]
    first, last = int(offsets[0]), int(offsets[-1])
    letters = np.frombuffer(letter_buffer or b"", np.uint8)[first:last].astype(np.uint64)
    at = (offsets - first).astype(np.int64)
    powers = np.full(len(letters) + 1, _MULTIPLIER, np.uint64)
    inverses = np.full(len(letters) + 1, pow(_MULTIPLIER, -1, _WORD), np.uint64)
    powers[0] = inverses[0] = 1
    np.cumprod(powers, out=powers)
    np.cumprod(inverses, out=inverses)
    sums = np.concatenate([np.zeros(1, np.uint64), np.cumsum((letters + 1) * powers[:-1])])
    return _mixed((sums[at[1:]] - sums[at[:-1]]) * inverses[at[:-1]])


def _comparable(column: Column) -> tuple[str, NDArray[Any]]:
    values = column.values
    match column.kind:
        case Kind.EXACT:
            narrow = narrow_exact(values)
            if narrow is None:
                wide = [float(exact_decimal(v, column.scale)) for v in values]
                return "numbers", np.array(wide)
            return "numbers", narrow / 10.0**column.scale if column.scale else narrow
        case Kind.INTEGER | Kind.NUMBER:
            return "numbers", values
        case Kind.DATE:
            return "days", values.astype(np.int64)
        case Kind.DATE_TIME:
            return "days", values // MICROSECONDS_A_DAY
        case _:
            return str(column.kind), values.astype(np.int64)


def _distinct(values: NDArray[Any]) -> NDArray[Any]:
    """Return distinct values: by marking them where they lie close together, else by sorting."""
    if len(values) and values.dtype.kind == "i":
        low, high = int(values.min()), int(values.max())
        if high - low < _DENSE * len(values) + 65_536:
            marked = np.zeros(high - low + 1, bool)
            marked[values - low] = True
            return np.flatnonzero(marked) + low
    ordered = np.sort(values)  # lets go of the interpreter, which NumPy's own unique does not
    fresh = np.ones(len(ordered), bool)
    fresh[1:] = ordered[1:] != ordered[:-1]
    return ordered[fresh]


def _mixed(values: Hashes) -> Hashes:
    """Return values mixed so that all bits are uniform: the finaliser of MurmurHash 3."""
    mixed = values ^ (values >> np.uint64(33))
    mixed *= np.uint64(0xFF51AFD7ED558CCD)
    mixed ^= mixed >> np.uint64(33)
    mixed *= np.uint64(0xC4CEB9FE1A85EC53)
    mixed ^= mixed >> np.uint64(33)
    return mixed
