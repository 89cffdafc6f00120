"""Which fields of two tables could belong together, judged by their values and their names."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property, reduce
from math import log2

import numpy as np
from numpy.typing import NDArray

from keen_trellis.advice.fingerprints import SAMPLE, Fingerprint, fingerprint, text_hashes
from keen_trellis.advice.names import alike, is_key, words_of
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.compute.join.keys import codes_of, combine
from keen_trellis.compute.join.match import tally
from keen_trellis.compute.join.tidying import tidied
from keen_trellis.data import Column, Field, Kind, Table, from_arrow
from keen_trellis.data.conversions.conversion import converted
from keen_trellis.plan.link import LinkField
from keen_trellis.plan.text_rules import TEXT_RULES

_LEAST_OVERLAP = 0.1
_TELLING_BITS = 24.0
"""That many values agree by accident once in 16 million times: no more can be told."""
_TELLING_VALUES = 6
"""Fewer shared values than this are shared by many columns that mean different things."""
_TIDIED_AT_MOST = 100_000
_PROBED, _JUDGED_AT_MOST = 64, 900
_TIDIED_COUNTS, _CONVERTED_COUNTS, _MEASURE_COUNTS = 0.95, 0.9, 0.6
_WHOLE_NUMBER = re.compile(r"\s*[+-]?\d{1,18}\s*", re.ASCII)
_COMPOUND_CANDIDATES = 3
_FOUND_TOGETHER = 0.5
_TOLD, _CALLED_ALIKE = 0.5, 0.6
_ROWS_TO_MEASURE, _VALUES_TO_MEASURE = 100_000, 50


@dataclass(frozen=True, slots=True)
class ProposedLink:
    """Fields that share values.

    Attributes
    ----------
    fields : tuple of LinkField
        One, or several where only all together tell rows apart.
    left_found, right_found : float
        The share of each side's distinct link values that the other side has.
    left_unique, right_unique : float
        How close to unique each side's link values are: 1 where none repeats.
    score : float
        The larger, the likelier.
    telling : float
        How unlikely it is, 0 to 1, that they share so many values by accident.
    is_estimate : bool
        Whether the shares are those of a sample of the values.
    """

    fields: tuple[LinkField, ...]
    left_found: float
    right_found: float
    left_unique: float
    right_unique: float
    score: float
    telling: float = 1.0
    is_estimate: bool = False


def propose_links(
    left: Table, right: Table, report: Report = quiet, names: tuple[str, str] = ("", "")
) -> list[ProposedLink]:
    """Return fields that could link two tables, the likeliest first.

    Each column's distinct values are hashed once; then a sample of either column of a pair is
    looked up in the whole of the other. What is found counts by how unlikely it is to be found by
    accident: that 1 to 20 are among 0 to 30 tells nothing. Texts also meet once they are tidied,
    and texts of digits meet numbers. Likeness of names, and that one side does not repeat, count
    too. Boolean fields are left out, and where a table meets itself, each column and itself.
    Where the best field leaves repeats on both sides, a compound link is looked for that does not.

    Parameters
    ----------
    names : (str, str)
        What the tables are called; a column `id` is then known to be that of its table.

    Raises
    ------
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    sides = _looked_at(left, right, report)
    itself = _same_table(left, right, sides)
    proposed = []
    near = _near(*sides, part(report, 0.5, 0.7))
    for place, a in enumerate(sides[0]):
        report(
            0.7 + 0.2 * place / len(sides[0]), tr("Comparing {name} with every field", name=a.name)
        )
        for number in np.flatnonzero(near[place]).tolist():
            b = sides[1][number]
            if itself and a.name == b.name:
                continue
            link = _judged(a, b, names)
            if link is not None:
                proposed.append(link)
    proposed.sort(key=lambda link: -link.score)
    report(0.9, tr("Looking for fields that belong together"))
    compound = _compound(left, right, proposed, names)
    return sorted([*compound, *proposed], key=lambda link: -link.score)


class _Looked:
    """A column as it is compared with others: as it is, tidied, and texts of digits as numbers."""

    def __init__(self, field: Field, column: Column) -> None:
        self.name, self.kind, self._column = field.name, field.kind, column
        self.plain = fingerprint(column)

    def equals(self, other: _Looked) -> bool:
        """Whether another column has the same values in the same rows."""
        mine, others = self.plain, other.plain
        same = np.array_equal(mine.hashes, others.hashes) and self.kind is other.kind
        return same and np.array_equal(self._column.values, other._column.values)

    @cached_property
    def tidied(self) -> Fingerprint | None:
        """The distinct texts once tidied; None for other kinds, and where there are too many."""
        texts = self._column.dictionary
        if texts is None or len(texts) > _TIDIED_AT_MOST:
            return None
        made = tidied(texts, TEXT_RULES)
        return replace(self.plain, hashes=np.unique(text_hashes(made.texts)))

    @cached_property
    def as_numbers(self) -> Fingerprint | None:
        """The distinct texts as integers; None for other kinds, and where they are no integers."""
        texts = self._column.dictionary
        if texts is None or not len(texts) or len(texts) > _TIDIED_AT_MOST:
            return None
        if not all(_WHOLE_NUMBER.fullmatch(text) for text in texts.slice(0, 100).to_pylist()):
            return None
        made = fingerprint(converted(from_arrow(texts), Kind.INTEGER).column)
        return replace(made, n_present=self.plain.n_present)


def _looked_at(left: Table, right: Table, report: Report) -> tuple[list[_Looked], list[_Looked]]:
    fields = [(side, f) for side in (left, right) for f in side.fields if f.kind != Kind.BOOLEAN]
    looked = []
    with ThreadPoolExecutor(2) as pool:
        # Two threads: NumPy and Arrow let go of Python's lock while they hash and sort.
        found = pool.map(lambda side: _Looked(side[1], side[0].fetch(side[1])), fields)
        for number, made in enumerate(found):
            looked.append(made)
            report(
                0.5 * number / len(fields), tr("Looking at the values of {name}", name=made.name)
            )
    # where a table meets itself both sides are the one object
    of_left = sum(side is left for side, _ in fields) if left is not right else len(fields) // 2
    return looked[:of_left], looked[of_left:]


def _near(lefts: list[_Looked], rights: list[_Looked], report: Report) -> NDArray[np.bool_]:
    """Return which columns are worth comparing: all others cost nothing.

    A few values of each, which a hash has chosen, are looked up in the whole of every other column,
    those of all columns at once. Where a tenth is shared, all of these few are missed one time in
    a thousand on either side; where a third is, never. Of very many pairs those are taken that
    promise most as a score would weigh it (a column that tells rows apart before one of few values
    or of measures, which share all they have with many), and those that are called alike.
    """
    ways: tuple[Callable[[_Looked], Fingerprint | None], ...] = (
        lambda one: one.plain,
        lambda one: one.tidied,
        lambda one: one.as_numbers,
    )
    found = np.zeros((len(lefts), len(rights)))
    of_left = [[way(one) for one in lefts] for way in ways]
    of_right = [[way(one) for one in rights] for way in ways]
    # as they are, both tidied, and texts of digits on one side as numbers
    pairs = ((0, 0), (1, 1), (2, 0), (0, 2))
    for done, (mine, theirs) in enumerate(pairs):
        share = part(report, done / len(pairs), (done + 1) / len(pairs))
        met = _shared(of_left[mine], of_right[theirs], part(share, 0.0, 0.5))
        met = np.maximum(met, _shared(of_right[theirs], of_left[mine], part(share, 0.5, 1.0)).T)
        # the best of all ways to compare
        found = np.maximum(found, met)
    worth = found > 0
    if np.count_nonzero(worth) > _JUDGED_AT_MOST:
        called = [[" ".join(words_of(one.name)) for one in side] for side in (lefts, rights)]
        # Every name against every other at once.
        same = np.array(called[0])[:, None] == np.array(called[1])[None, :]
        unique = [np.array([one.plain.unique for one in side]) for side in (lefts, rights)]
        tells = 0.4 + 0.6 * np.maximum(unique[0][:, None], unique[1][None, :])
        measures = np.array([one.plain.is_measure for one in lefts])
        promise = found * tells * np.where(measures, _MEASURE_COUNTS, 1.0)[:, None]
        # The most promising ones, in no order: each of them is judged on its own.
        best = np.argpartition(promise.ravel(), -_JUDGED_AT_MOST)[-_JUDGED_AT_MOST:]
        called_alike = worth & same
        worth = np.zeros_like(worth)
        worth.ravel()[best] = True
        worth = (worth & (found > 0)) | called_alike
    return worth


def _shared(
    asked: Sequence[Fingerprint | None], wholes: Sequence[Fingerprint | None], report: Report
) -> NDArray[np.float64]:
    """Return for each column, and each other one, the share of its few values that is there."""
    few = [np.zeros(0, np.uint64) if one is None else one.hashes[:_PROBED] for one in asked]
    values = np.concatenate(few) if few else np.zeros(0, np.uint64)
    whose = np.repeat(np.arange(len(few)), [len(one) for one in few])
    order = np.argsort(values)  # neighbours are looked up in the same place
    values, whose = values[order], whose[order]
    sizes = np.maximum([len(one) for one in few], 1)
    found = np.zeros((len(asked), len(wholes)))
    for place, whole in enumerate(wholes):
        report(place / len(wholes), tr("Looking for values in common"))
        if whole is None or not len(whole.hashes) or not len(values):
            continue
        at = np.searchsorted(whole.hashes, values)
        # beyond the last stands nothing; the first is not equal to what is larger than the last
        at[at == len(whole.hashes)] = 0
        # For each hit the column that asked; counted by column, and divided by how much each had
        # asked.
        met = whose[whole.hashes[at] == values]
        found[:, place] = np.bincount(met, minlength=len(few)) / sizes
    return found


def _same_table(left: Table, right: Table, sides: tuple[list[_Looked], list[_Looked]]) -> bool:
    """Whether both are one table: the same columns with the same values, row by row."""
    return (
        len(left) == len(right)
        and left.columns == right.columns
        and all(a.equals(b) for a, b in zip(*sides, strict=True))
    )


def _judged(a: _Looked, b: _Looked, names: tuple[str, str]) -> ProposedLink | None:
    """Return how well two columns link; None where they have too little in common."""
    field = LinkField(a.name, b.name)
    if a.plain.group == b.plain.group:
        link = _linked(field, a.plain, b.plain, names)
        if a.plain.group == "text" and not (link and link.left_found + link.right_found > 1.8):
            return _better(link, _met(field, a.tidied, b.tidied, names), _TIDIED_COUNTS)
        return link
    met = None
    if (a.plain.group, b.plain.group) == ("text", "numbers"):
        met = _met(replace(field, compare_as=b.kind), a.as_numbers, b.plain, names)
    elif (a.plain.group, b.plain.group) == ("numbers", "text"):
        met = _met(replace(field, compare_as=a.kind), a.plain, b.as_numbers, names)
    return _better(None, met, _CONVERTED_COUNTS)


def _better(
    plain: ProposedLink | None, other: ProposedLink | None, counts: float
) -> ProposedLink | None:
    """Return the better one, the other counting for a little less."""
    other = other and replace(other, score=other.score * counts)
    return max((one for one in (plain, other) if one), key=lambda x: x.score, default=None)


def _met(
    field: LinkField,
    left: Fingerprint | None,
    right: Fingerprint | None,
    names: tuple[str, str],
) -> ProposedLink | None:
    """Return how well two columns link once changed; None where one cannot be."""
    return None if left is None or right is None else _linked(field, left, right, names)


def _linked(
    field: LinkField, left: Fingerprint, right: Fingerprint, names: tuple[str, str]
) -> ProposedLink | None:
    if min(len(left.hashes), len(right.hashes)) < 2:
        return None
    left_found, right_found = left.share_in(right), right.share_in(left)
    if max(left_found, right_found) < _LEAST_OVERLAP:
        return None
    link = ProposedLink(
        (field,),
        left_found,
        right_found,
        left_unique=left.unique,
        right_unique=right.unique,
        score=0.0,
        is_estimate=max(len(left.hashes), len(right.hashes)) > SAMPLE,
    )
    telling = _telling(link, left, right)
    score = _score(link, names, telling) * (_MEASURE_COUNTS if left.is_measure else 1.0)
    return replace(link, score=score, telling=telling)


def _telling(link: ProposedLink, left: Fingerprint, right: Fingerprint) -> float:
    """Return how much it tells that values are shared, 0 to 1: how unlikely it is by accident.

    The bits are those of Chernoff's bound for as large a share of found values (H. Chernoff, “A
    measure of asymptotic efficiency for tests of a hypothesis based on the sum of observations”,
    Annals of Mathematical Statistics 23, 1952).
    """
    shared = min(link.left_found * len(left.hashes), link.right_found * len(right.hashes))
    bits = min(
        len(left.hashes) * _divergence(link.left_found, left.chance_in(right)),
        len(right.hashes) * _divergence(link.right_found, right.chance_in(left)),
    )
    return min(1.0, bits / _TELLING_BITS, shared / _TELLING_VALUES)


def _divergence(share: float, chance: float) -> float:
    """Return the bits each value tells where a share is found and another one is by accident."""
    chance = max(chance, 1e-12)
    if share <= chance:
        return 0.0
    # The divergence of Kullback and Leibler of two coins, with 0 · log 0 = 0.
    told = share * log2(share / chance)
    return told if share == 1 else told + (1 - share) * log2((1 - share) / (1 - chance))


def _score(link: ProposedLink, names: tuple[str, str], telling: float = 1.0) -> float:
    # the side that repeats looks up in the one that tells apart: that all of its values are found
    # counts for most
    looks_up = link.right_unique >= link.left_unique
    found, back = (link.left_found, link.right_found)[:: 1 if looks_up else -1]
    called = [alike(f.left, f.right, names) for f in link.fields]
    keys = [is_key(f.left) or is_key(f.right) for f in link.fields]
    unique = max(link.left_unique, link.right_unique)
    score = (
        (0.8 * found + 0.2 * back) * (0.2 + 0.4 * telling)
        + 0.4 * telling
        + 0.6 * sum(called) / len(called)
        + 0.05 * sum(keys) / len(keys)
        + 0.01 * link.right_unique  # of two ways round, the one that looks up
    )
    return score * (0.4 + 0.6 * unique)


def _compound(
    left: Table, right: Table, singles: list[ProposedLink], names: tuple[str, str]
) -> list[ProposedLink]:
    """Return the best field together with others, where alone it leaves repeats on both sides."""
    if not singles or max(singles[0].left_unique, singles[0].right_unique) > 0.98:
        return []
    best = singles[0]
    if best.fields[0].compare_as is not None:
        return []
    whole, (left, right) = (left, right), _sampled(left, right, best.fields[0])
    is_estimate = (len(left), len(right)) != tuple(map(len, whole))
    alone = measured(left, right, best.fields, names)
    found = []
    used = {best.fields[0].left}, {best.fields[0].right}
    for other in singles[1:]:
        field = other.fields[0]
        weak = max(other.left_found, other.right_found) < _FOUND_TOGETHER
        # values that agree by accident also tell rows apart: they take a name that agrees
        weak |= other.telling < _TOLD and alike(field.left, field.right, names) < _CALLED_ALIKE
        used_up = field.left in used[0] or field.right in used[1]
        if weak or used_up or field.compare_as is not None:
            continue
        used[0].add(field.left)
        used[1].add(field.right)
        link = measured(left, right, (best.fields[0], field), names)
        gain = max(link.left_unique, link.right_unique) - max(alone.left_unique, alone.right_unique)
        if gain > 0.2 and max(link.left_found, link.right_found) >= _FOUND_TOGETHER:
            found.append(replace(link, is_estimate=is_estimate))
        if len(used[0]) > _COMPOUND_CANDIDATES:
            break
    return found


def _sampled(left: Table, right: Table, field: LinkField) -> tuple[Table, Table]:
    """Return the rows of some values of a field, the same ones on both sides, all rows of each.

    What is found and what repeats within a value is then as in the whole.
    """
    codes = codes_of(left.column(field.left), right.column(field.right))
    too_many = max(len(left), len(right)) // _ROWS_TO_MEASURE
    share = min(too_many, codes.size // _VALUES_TO_MEASURE)
    if share < 2:
        return left, right
    # Knuth's multiplicative hash: neighbouring codes, which often mean values that stand together
    # in the source, are chosen or not as if by chance (The Art of Computer Programming 3, 6.4)
    mixed = (np.arange(codes.size, dtype=np.uint64) * np.uint64(0x9E3779B97F4A7C15)) >> np.uint64(
        32
    )
    # code -1, a row without a value, finds the appended False
    chosen = np.append(mixed % np.uint64(share) == 0, False)
    return left.take(np.flatnonzero(chosen[codes.left])), right.take(
        np.flatnonzero(chosen[codes.right])
    )


def measured(
    left: Table, right: Table, fields: tuple[LinkField, ...], names: tuple[str, str] = ("", "")
) -> ProposedLink:
    """Return how well fields link two tables together, counted on every row."""
    codes = reduce(combine, [codes_of(left.column(f.left), right.column(f.right)) for f in fields])
    tallies = tally(codes.left, codes.size), tally(codes.right, codes.size)
    held = [rows > 0 for rows in tallies]
    shared = int(np.count_nonzero(held[0] & held[1]))
    distinct = [max(int(np.count_nonzero(side)), 1) for side in held]
    rows = [max(int(side.sum()), 1) for side in tallies]
    link = ProposedLink(
        fields,
        shared / distinct[0],
        shared / distinct[1],
        left_unique=distinct[0] / rows[0],
        right_unique=distinct[1] / rows[1],
        score=0.0,
    )
    return replace(link, score=_score(link, names))
