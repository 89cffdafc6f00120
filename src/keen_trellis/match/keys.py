"""Link keys: values of any kind become dense whole numbers that mean the same on both sides.

Two rows are partners under “equals” exactly when their codes are the same and not -1. Each
compound key is folded into one code, so that all that follows works on one array a side.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.data import Column, Kind
from keen_trellis.data.column import narrow_exact
from keen_trellis.data.stacking import rescaled

NO_KEY = -1
"""The code of a row that cannot have a partner, since a link field of it is blank."""

Codes = NDArray[np.intp]  # what NumPy indexes with, so that nothing is converted on the way

_GOLDEN = np.uint64(0x9E3779B97F4A7C15)


@dataclass(frozen=True, slots=True, eq=False)
class LinkCodes:
    """The link values of both sides as codes.

    Attributes
    ----------
    left, right : ndarray of codes
        For each row a number from 0 to `size` - 1, or `NO_KEY`.
    size : int
        One more than the largest code that can occur.
    """

    left: Codes
    right: Codes
    size: int


def codes_of(left: Column, right: Column) -> LinkCodes:
    """Return the codes of two columns of one kind.

    Text costs one hash look-up per distinct value; other kinds cost a subtraction per row where
    the values lie close together, and a hash per row otherwise.

    Raises
    ------
    ValueError
        The columns are not of one kind.
    """
    if left.kind is not right.kind:
        raise ValueError(f"A {left.kind} column cannot be coded together with {right.kind}.")
    if left.kind is Kind.TEXT:
        return _text_codes(left, right)
    left_values, right_values = _whole_numbers(left, right)
    return number_codes(left_values, right_values, left.absent, right.absent)


def combine(first: LinkCodes, second: LinkCodes) -> LinkCodes:
    """Return the codes of a compound key; a row with no key in either part has none."""
    left = _pair_up(first.left, second.left, second.size)
    right = _pair_up(first.right, second.right, second.size)
    return number_codes(left, right, left < 0, right < 0)


def number_codes(
    left: NDArray[np.int64],
    right: NDArray[np.int64],
    left_absent: NDArray[np.bool_] | None,
    right_absent: NDArray[np.bool_] | None,
) -> LinkCodes:
    """Return the codes of whole numbers: their distance from the smallest, or by hashing."""
    bounds = [_bounds(left, left_absent), _bounds(right, right_absent)]
    known = [b for b in bounds if b is not None]
    if not known:
        return LinkCodes(np.full(len(left), NO_KEY), np.full(len(right), NO_KEY), 0)
    low, high = min(b[0] for b in known), max(b[1] for b in known)
    span = high - low + 1
    if span <= 4 * (len(left) + len(right)) + 65_536:
        return LinkCodes(_marked(left - low, left_absent), _marked(right - low, right_absent), span)
    codes, size = hashed_codes(np.concatenate([left, right]))
    return LinkCodes(
        _marked(codes[: len(left)], left_absent), _marked(codes[len(left) :], right_absent), size
    )


def hashed_codes(values: NDArray[np.int64]) -> tuple[Codes, int]:
    """Return a dense code per distinct value, and how many there are; linear time.

    Open addressing with linear probing, done for all rows at once: in each round every waiting
    row looks at its slot, takes it when free, leaves when the slot holds its value, and moves on
    by one otherwise. Multiplicative hashing after Knuth, The Art of Computer Programming,
    volume 3, section 6.4 (1973).
    """
    n = len(values)
    bits = max(4, int(2 * n - 1).bit_length()) if n else 4
    mask = (1 << bits) - 1
    slots = ((values.view(np.uint64) * _GOLDEN) >> np.uint64(64 - bits)).astype(np.int64)
    owner_of_slot = np.full(mask + 1, -1, np.int64)
    owner = np.empty(n, np.int64)
    waiting = np.arange(n)
    while len(waiting):
        free = owner_of_slot[slots] < 0
        owner_of_slot[slots[free]] = waiting[free]  # of several rows the last one stays
        found = owner_of_slot[slots]
        same = values[found] == values[waiting]
        owner[waiting[same]] = found[same]
        waiting = waiting[~same]
        slots = (slots[~same] + 1) & mask
    is_owner = owner == np.arange(n)
    code_of_owner = np.cumsum(is_owner) - 1
    return code_of_owner[owner], int(is_owner.sum())


def _text_codes(left: Column, right: Column) -> LinkCodes:
    """Left texts that the right dictionary lacks get codes behind it: they count as distinct."""
    assert left.dictionary is not None and right.dictionary is not None
    n_right = len(right.dictionary)
    if left.dictionary is right.dictionary:
        return LinkCodes(left.values.astype(np.intp), right.values.astype(np.intp), n_right)
    place = pc.index_in(left.dictionary, value_set=right.dictionary)
    codes = place.fill_null(NO_KEY).to_numpy(zero_copy_only=False)
    missing = codes < 0
    codes = np.where(missing, n_right - 1 + np.cumsum(missing), codes).astype(np.intp)
    joint = np.append(codes, NO_KEY)  # the absent code -1 finds the appended entry
    return LinkCodes(joint[left.values], right.values.astype(np.intp), n_right + int(missing.sum()))


def _whole_numbers(left: Column, right: Column) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    if left.kind is Kind.NUMBER:
        return _float_bits(left), _float_bits(right)
    if left.kind is Kind.EXACT:
        return _exact_numbers(left, right)
    return left.values.astype(np.int64, copy=False), right.values.astype(np.int64, copy=False)


def _float_bits(column: Column) -> NDArray[np.int64]:
    return (column.values + 0.0).view(np.int64)  # adding 0.0 turns -0.0 into 0.0


def _exact_numbers(left: Column, right: Column) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    scale = max(left.scale, right.scale)
    sides = [rescaled(column, scale).values for column in (left, right)]
    narrow = [narrow_exact(values) for values in sides]
    if narrow[0] is not None and narrow[1] is not None:
        return narrow[0], narrow[1]
    both = np.concatenate(sides)
    high, _ = hashed_codes(np.ascontiguousarray(both["hi"]))
    low, n_low = hashed_codes(np.ascontiguousarray(both["lo"]).view(np.int64))
    joint = high.astype(np.int64) * n_low + low
    return joint[: len(left)], joint[len(left) :]


def _pair_up(first: Codes, second: Codes, second_size: int) -> NDArray[np.int64]:
    paired = first.astype(np.int64) * second_size + second
    paired[(first < 0) | (second < 0)] = NO_KEY
    return paired


def _bounds(values: NDArray[np.int64], absent: NDArray[np.bool_] | None) -> tuple[int, int] | None:
    if absent is not None:
        values = values[~absent]
    return (int(values.min()), int(values.max())) if len(values) else None


def _marked(codes: Codes, absent: NDArray[np.bool_] | None) -> Codes:
    if absent is not None:
        codes[absent] = NO_KEY
    return codes
