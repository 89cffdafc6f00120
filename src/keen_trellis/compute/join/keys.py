"""Link keys: values of any kind become dense integers that mean the same on both sides.

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

from keen_trellis.base.language import tr
from keen_trellis.compute.join.comparable_columns import in_one_kind, met
from keen_trellis.compute.join.tidying import tidied, tidy
from keen_trellis.compute.two_cores import together
from keen_trellis.data import BLANK, GAP, Column, Kind, from_arrow
from keen_trellis.data.column import exact_values, narrow_exact
from keen_trellis.data.conversions.conversion import converted
from keen_trellis.data.conversions.text_parsing import decimal_of
from keen_trellis.data.dictionaries import joint
from keen_trellis.data.stacking import stack_columns
from keen_trellis.plan.text_rules import TextRule

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
        Whether blanks have a code of their own. Gaps never have one: where a tie found no row,
        there is nothing that could be equal.
    pairs : sequence of (left text, right text)
        Values that are the same, as they are shown; a pair only ever makes more values equal.

    Raises
    ------
    ValueError
        The kinds cannot be compared.
    """
    left, right = met(left, right)
    if left.kind is right.kind is Kind.TEXT:
        codes = _text_codes(left, right, text, pairs)
    elif pairs:
        codes = _codes_with_pairs(left, right, pairs)
    else:
        codes = _value_codes(left, right)
    return _with_blanks(codes, left, right) if blanks_match else codes


def own_codes(column: Column) -> LinkCodes:
    """Return the codes of one column on the left, for grouping: blanks are a group, gaps another.

    The right side is empty.
    """
    codes = codes_of(column, column.take(np.zeros(0, np.intp)))
    if column.state is None:
        return codes
    left = np.where(column.state == BLANK, codes.size, codes.left)
    left = np.where(column.state == GAP, codes.size + 1, left)
    return LinkCodes(left, codes.right, codes.size + 2)


def combine(first: LinkCodes, second: LinkCodes) -> LinkCodes:
    """Return the codes of a compound key; a row with no key in either part has none.

    Sizes are about four times the rows at most (`number_codes`), so the product of two fits into
    63 bits up to some hundred million rows a side; beyond, it is refused.
    """
    if first.size * second.size >= 2**63:
        raise OverflowError(tr("A compound key has more than 2**63 possible values."))
    left = _pair_up(first.left, second.left, second.size)
    right = _pair_up(first.right, second.right, second.size)
    return number_codes(left, right, left < 0, right < 0)


def number_codes(
    left: NDArray[np.int64],
    right: NDArray[np.int64],
    left_absent: NDArray[np.bool_] | None,
    right_absent: NDArray[np.bool_] | None,
) -> LinkCodes:
    """Return the codes of integers: their distance from the smallest, or by hashing."""
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
    # What holds in every round: a slot that has an owner keeps it, and its owner is done. Equal
    # values walk the same slots from the same beginning, so they end at the same owner. There are
    # at least twice as many slots as rows: who waits meets a free one or its own value at last.
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
    both = joint(a.texts, b.texts)
    size = both.size
    left_codes, right_codes = both.places[a.place], b.place
    if pairs:
        named = tidy(pa.array([text for pair in pairs for text in pair], pa.string()), rules)
        in_right = pc.index_in(named, value_set=b.texts).fill_null(NO_KEY).to_numpy()
        in_left = pc.index_in(named, value_set=a.texts).fill_null(NO_KEY).to_numpy()
        found = np.append(both.places, NO_KEY)[in_left], in_right
        same = _united(size, named.to_pylist(), found)
        left_codes, right_codes = same[left_codes], same[right_codes]
    return LinkCodes(
        np.append(left_codes, NO_KEY)[left.values],  # the absent code -1 finds what was appended
        np.append(right_codes, NO_KEY)[right.values],
        size,
    )


def _codes_with_pairs(left: Column, right: Column, pairs: Sequence[tuple[str, str]]) -> LinkCodes:
    """Return codes with the values of pairs the same, each read as a value of either side's kind.

    The values of the pairs stand below the rows of both sides, so they get codes as all others do.
    """
    texts = [text for pair in pairs for text in pair]
    longer = [stack_columns([side, _as_values(texts, side)]) for side in (left, right)]
    codes = _value_codes(*longer)
    n_left, n_right = len(left), len(right)
    same = _united(codes.size, texts, (codes.left[n_left:], codes.right[n_right:]))
    same = np.append(same, NO_KEY)
    return LinkCodes(same[codes.left[:n_left]], same[codes.right[:n_right]], codes.size)


def _as_values(texts: Sequence[str], like: Column) -> Column:
    """Return texts as values of a column's kind and scale; blank where one is none."""
    if like.kind is not Kind.EXACT:
        return converted(from_arrow(pa.array(texts, pa.string())), like.kind).column
    whole, fits, scale = exact_values([decimal_of(text) for text in texts], like.scale)
    return Column(like.kind, whole, np.where(fits, 0, BLANK).astype(np.uint8), scale=scale)


def _united(size: int, texts: Sequence[str], found: tuple[Codes, Codes]) -> Codes:
    """Return for each code the one it counts as, once the values of pairs are the same.

    Parameters
    ----------
    size : int
        How many codes there are.
    texts : sequence of str
        The values, two for each pair.
    found : (codes, codes)
        The code of each value on the left and on the right; `NO_KEY` where no row has it. Values
        that stand on neither side still make others the same: with a = b and b = c, a = c.
    """
    group: dict[int, int] = {}

    def head(node: int) -> int:
        while group.setdefault(node, node) != node:
            node = group[node]
        return node

    def unite(a: int, b: int) -> None:
        one, other = sorted((head(a), head(b)))
        group[other] = one  # the smaller one stays: a code, where the group has any

    node_of = {text: size + number for number, text in enumerate(dict.fromkeys(texts))}
    nodes = [node_of[text] for text in texts]
    for side in found:
        for node, code in zip(nodes, side.tolist(), strict=True):
            if code != NO_KEY:
                unite(node, code)
    for a, b in zip(nodes[::2], nodes[1::2], strict=True):
        unite(a, b)
    same = np.arange(size)
    for node in list(group):
        if node < size:
            same[node] = head(node)
    return same


def _with_blanks(codes: LinkCodes, left: Column, right: Column) -> LinkCodes:
    """Return the codes with one more for blanks; gaps stay without."""
    sides = [
        side if column.state is None else np.where(column.state == BLANK, codes.size, side)
        for side, column in ((codes.left, left), (codes.right, right))
    ]
    return LinkCodes(sides[0], sides[1], codes.size + 1)


def _value_codes(left: Column, right: Column) -> LinkCodes:
    left, right = in_one_kind(left, right)
    a, b = _whole_numbers(left, right)
    return number_codes(a, b, left.absent, right.absent)


def _whole_numbers(left: Column, right: Column) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    if left.kind is Kind.NUMBER:
        return _float_bits(left), _float_bits(right)
    if left.kind is Kind.EXACT:
        return _exact_numbers(left, right)
    return left.values.astype(np.int64, copy=False), right.values.astype(np.int64, copy=False)


def _float_bits(column: Column) -> NDArray[np.int64]:
    return (column.values + 0.0).view(np.int64)  # adding 0.0 turns -0.0 into 0.0


def _exact_numbers(left: Column, right: Column) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return numbers that are equal where the exact decimals, of one scale, are."""
    narrow = [narrow_exact(column.values) for column in (left, right)]
    if narrow[0] is not None and narrow[1] is not None:
        return narrow[0], narrow[1]
    both = np.concatenate([left.values, right.values])
    high, _ = hashed_codes(np.ascontiguousarray(both["hi"]))
    low, n_low = hashed_codes(np.ascontiguousarray(both["lo"]).view(np.int64))
    joint = high.astype(np.int64) * n_low + low  # both below the rows: fits into 63 bits
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
