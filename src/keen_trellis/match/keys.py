"""Link keys: values of any kind become dense whole numbers that mean the same on both sides.

Two rows are partners under “equals” exactly when their codes are the same and not -1. Each
compound key is folded into one code, so that all that follows works on one array a side.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.data import Column, Kind
from keen_trellis.data.column import narrow_exact
from keen_trellis.data.stacking import rescaled
from keen_trellis.match.comparing import converted, in_one_kind
from keen_trellis.match.link import TextRule
from keen_trellis.match.tidying import tidied, tidy
from keen_trellis.match.together import together

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


def codes_of(
    left: Column,
    right: Column,
    text: tuple[TextRule, ...] = (),
    blanks_match: bool = False,
    pairs: Sequence[tuple[str, str]] = (),
) -> LinkCodes:
    """Return the codes of two columns whose kinds can be compared.

    Text costs one hash look-up per distinct value; other kinds cost a subtraction per row where
    the values lie close together, and a hash per row otherwise.

    Parameters
    ----------
    left, right : Column
    text : tuple of TextRule
        What is ignored in texts.
    blanks_match : bool
        Whether blanks and gaps have a code of their own.
    pairs : sequence of (left text, right text)
        Values that are the same; texts and other kinds are given as they are shown.

    Raises
    ------
    ValueError
        The kinds cannot be compared.
    """
    left, right = in_one_kind(left, right)
    if pairs and left.kind is not Kind.TEXT:
        left, right = (converted(column, Kind.TEXT) for column in (left, right))
    if left.kind is Kind.TEXT:
        codes = _text_codes(left, right, text, pairs)
    else:
        a, b = _whole_numbers(left, right)
        codes = number_codes(a, b, left.absent, right.absent)
    return _with_blanks(codes) if blanks_match else codes


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
    bounds = together(lambda: _bounds(left, left_absent), lambda: _bounds(right, right_absent))
    known = [b for b in bounds if b is not None]
    if not known:
        return LinkCodes(np.full(len(left), NO_KEY), np.full(len(right), NO_KEY), 0)
    low, high = min(b[0] for b in known), max(b[1] for b in known)
    span = high - low + 1
    if span <= 4 * (len(left) + len(right)) + 65_536:
        a, b = together(
            lambda: _marked(left - low, left_absent), lambda: _marked(right - low, right_absent)
        )
        return LinkCodes(a, b, span)
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


def _text_codes(
    left: Column, right: Column, rules: tuple[TextRule, ...], pairs: Sequence[tuple[str, str]]
) -> LinkCodes:
    """Left texts that the right dictionary lacks get codes behind it: they count as distinct."""
    assert left.dictionary is not None and right.dictionary is not None
    if left.dictionary is right.dictionary and not rules and not pairs:
        size = len(left.dictionary)
        return LinkCodes(left.values.astype(np.intp), right.values.astype(np.intp), size)
    a, b = tidied(left.dictionary, rules), tidied(right.dictionary, rules)
    n_right = len(b.texts)
    place = pc.index_in(a.texts, value_set=b.texts)
    joint = place.fill_null(NO_KEY).to_numpy(zero_copy_only=False).astype(np.intp)
    missing = joint < 0
    joint[missing] = n_right + np.arange(np.count_nonzero(missing))
    size = n_right + int(np.count_nonzero(missing))
    left_codes, right_codes = joint[a.place], b.place
    if pairs:
        same = _paired(a.texts, joint, b.texts, rules, pairs, size)
        left_codes, right_codes = same[left_codes], same[right_codes]
    return LinkCodes(
        np.append(left_codes, NO_KEY)[left.values],  # the absent code -1 finds what was appended
        np.append(right_codes, NO_KEY)[right.values],
        size,
    )


def _paired(
    left: pa.StringArray,
    joint: Codes,
    right: pa.StringArray,
    rules: tuple[TextRule, ...],
    pairs: Sequence[tuple[str, str]],
    size: int,
) -> Codes:
    """Return for each code the one it counts as, once the values of pairs are the same.

    Values that stand on neither side still make others the same: with a = b and b = c, a = c.
    """
    named = tidy(pa.array([text for pair in pairs for text in pair], pa.string()), rules)
    distinct = named.dictionary_encode()
    in_right = pc.index_in(distinct.dictionary, value_set=right).to_pylist()
    in_left = pc.index_in(distinct.dictionary, value_set=left).to_pylist()
    codes = []
    for number, (r, at) in enumerate(zip(in_right, in_left, strict=True)):
        codes.append(r if r is not None else joint[at] if at is not None else size + number)
    group = {int(code): int(code) for code in codes}

    def head(code: int) -> int:
        while group[code] != code:
            code = group[code]
        return code

    places = distinct.indices.to_pylist()
    for a, b in zip(places[::2], places[1::2], strict=True):
        one, other = sorted((head(int(codes[a])), head(int(codes[b]))))
        group[other] = one  # the smaller one stays, which is a code that there is
    same = np.arange(size)
    for code in group:
        if code < size:
            same[code] = head(code)
    return same


def _with_blanks(codes: LinkCodes) -> LinkCodes:
    """Return the codes with one more for blanks."""
    sides = [np.where(side < 0, codes.size, side) for side in (codes.left, codes.right)]
    return LinkCodes(sides[0], sides[1], codes.size + 1)


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
