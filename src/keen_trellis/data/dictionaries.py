"""Dictionaries of texts: made from the texts of rows, and brought together two at a time."""

from __future__ import annotations

import hashlib
import os
import threading
from collections import OrderedDict
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

ABSENT_CODE = -1
"""The text code beneath every cell that is a blank or a gap."""

Codes = NDArray[np.int32]

_SAMPLE, _MANY = 20_000, 5_000
_ROWS_WORTH_PARTING, _PARTS = 200_000, 16
_CACHED = 16


def encoded(texts: pa.StringArray) -> tuple[Codes, pa.StringArray]:
    """Return a code for each text, `ABSENT_CODE` for null, and the distinct texts.

    Where most texts are different, one table of hashes of all of them would leave the processor's
    cache at each look-up. So rows are parted by their last letters first (equal texts come into
    one part), and each part is encoded for itself, on all cores: twice as fast for two million
    rows of 400,000 texts.
    """
    if len(texts) < _ROWS_WORTH_PARTING or len(texts[:_SAMPLE].unique()) < _MANY:
        return _codes(texts.dictionary_encode())
    parts = _parts(texts)
    order = np.argsort(parts, kind="stable").astype(np.int32)  # a radix sort of bytes
    ends = np.cumsum(np.bincount(parts, minlength=_PARTS))
    with ThreadPoolExecutor(os.cpu_count()) as threads:
        rows = np.split(order, ends[:-1])
        made = list(threads.map(lambda part: _codes(texts.take(part).dictionary_encode()), rows))
    codes = np.empty(len(texts), np.int32)
    shift = 0  # no text stands in two parts, so their dictionaries follow each other
    for part, (own, dictionary) in zip(rows, made, strict=True):
        codes[part] = np.where(own < 0, ABSENT_CODE, own + np.int32(shift))
        shift += len(dictionary)
    return codes, pa.concat_arrays([dictionary for _, dictionary in made])


def _codes(array: pa.DictionaryArray) -> tuple[Codes, pa.StringArray]:
    codes = array.indices.fill_null(ABSENT_CODE).to_numpy(zero_copy_only=False)
    return codes, array.dictionary


def _parts(texts: pa.StringArray) -> NDArray[np.uint8]:
    """Return a part for each text that depends on its letters alone: on the last three of them."""
    _, offsets_buffer, letters_buffer = texts.buffers()
    if letters_buffer is None:
        return np.zeros(len(texts), np.uint8)
    offsets = np.frombuffer(offsets_buffer, np.int32)[texts.offset : texts.offset + len(texts) + 1]
    letters = np.frombuffer(letters_buffer, np.uint8)
    end, length = offsets[1:], np.diff(offsets)
    mixed = np.zeros(len(texts), np.uint32)
    for back, weight in ((1, 7), (2, 31), (3, 101)):
        letter = letters.take(end - back, mode="clip")  # of a shorter text none of its own
        mixed += np.where(length >= back, letter, 0).astype(np.uint32) * np.uint32(weight)
    return (mixed % _PARTS).astype(np.uint8)


def some_of(texts: pa.StringArray, how_many: int) -> pa.StringArray:
    """Return some of different texts: the same ones in whatever order all of them stand.

    Those with the smallest sums of their weighed letters, so that they are like any others.
    """
    if len(texts) <= how_many:
        return texts
    letters = np.frombuffer(texts.buffers()[2], np.uint8)
    offsets = np.frombuffer(texts.buffers()[1], np.int32)
    offsets = offsets[texts.offset : texts.offset + len(texts) + 1].astype(np.int64)
    # each letter by its place in its own text; what stands before and behind does not count, so
    # that a text has one sum in every dictionary. All is modulo 2**64: differences of running
    # sums are the sums of the texts although the running sums wrap around.
    places = np.arange(offsets[0], offsets[-1]) - np.repeat(offsets[:-1], np.diff(offsets))
    weighed = letters[offsets[0] : offsets[-1]] * _WEIGHTS[places % len(_WEIGHTS)]
    ends = np.append(np.uint64(0), np.cumsum(weighed))[offsets - offsets[0]]
    sums = np.diff(ends)
    sums ^= sums >> np.uint64(29)
    sums *= _WEIGHTS[0]
    limit = np.partition(sums, how_many - 1)[how_many - 1]
    found = texts.filter(pa.array(sums <= limit)).to_pylist()
    if len(found) > how_many:  # of equal sums, by the letters
        below = texts.filter(pa.array(sums < limit)).to_pylist()
        last = sorted(texts.filter(pa.array(sums == limit)).to_pylist())
        found = below + last[: how_many - len(below)]
    return pa.array(found, pa.string())


_WEIGHTS = np.frombuffer(hashlib.shake_128(b"letters").digest(8 * 64), "<u8") | np.uint64(1)
"""What letters are weighed by: any odd numbers, the same ones on every machine."""


@dataclass(frozen=True, eq=False)
class Joint:
    """Two dictionaries as one, in which the texts of the second come first, as they stand.

    Attributes
    ----------
    first, second : pyarrow.StringArray
        Without repeats.
    places : ndarray, shape (entries of the first,)
        Where each text of the first stands: below `len(second)` where the second has it, else
        behind, in the order of the first.
    """

    first: pa.StringArray
    second: pa.StringArray
    places: NDArray[np.intp]

    @property
    def size(self) -> int:
        """How many different texts there are."""
        return max(int(self.places.max(initial=-1)) + 1, len(self.second))

    @cached_property
    def dictionary(self) -> pa.StringArray:
        """All texts."""
        added = self.first.filter(pa.array(self.places >= len(self.second)))
        return pa.concat_arrays([self.second, added])

    def moved(self, codes: Codes) -> Codes:
        """Return codes of the first dictionary as those of both."""
        places = np.append(self.places, ABSENT_CODE).astype(np.int32)
        return places[codes]  # -1 finds the appended entry


def joint(first: pa.StringArray, second: pa.StringArray) -> Joint:
    """Return two dictionaries as one; kept, since a tie asks and then whoever fills its gaps."""
    key = id(first), id(second)
    with _cache_free:
        known = _cache.get(key)
        if known is not None:
            _cache.move_to_end(key)
            return known
    found = pc.index_in(first, value_set=second).fill_null(ABSENT_CODE)
    places = found.to_numpy(zero_copy_only=False).astype(np.intp)
    missing = places < 0
    places[missing] = len(second) + np.arange(np.count_nonzero(missing))
    made = Joint(first, second, places)
    with _cache_free:  # both dictionaries are held by it, so that no other ones get their ids
        _cache[key] = made
        while len(_cache) > _CACHED:
            _cache.popitem(last=False)
    return made


_cache: OrderedDict[tuple[int, int], Joint] = OrderedDict()
_cache_free = threading.Lock()
