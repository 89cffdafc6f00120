"""Which fields of two tables could belong together, judged by their values and their names."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import reduce

import numpy as np
from rapidfuzz import fuzz

from keen_trellis.advice.fingerprints import Fingerprint, fingerprint
from keen_trellis.compute.join.keys import codes_of, combine
from keen_trellis.compute.join.match import tally
from keen_trellis.data import Kind, Table
from keen_trellis.plan.link import LinkField
from keen_trellis.progress import Report, quiet

_LEAST_OVERLAP = 0.1
_TELLING_VALUES = 8
"""Fewer distinct values than this are shared by many columns that mean different things."""
_COMPOUND_CANDIDATES = 3
_FOUND_TOGETHER = 0.5
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
    """

    fields: tuple[LinkField, ...]
    left_found: float
    right_found: float
    left_unique: float
    right_unique: float
    score: float


def propose_links(left: Table, right: Table, report: Report = quiet) -> list[ProposedLink]:
    """Return fields that could link two tables, the likeliest first.

    Each column's distinct values are hashed once; then a sample of either column of a pair is
    looked up in the whole of the other. Boolean fields are left out. Where the best field leaves
    repeats on both sides, a compound link is looked for that does not.

    Raises
    ------
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    prints = _fingerprints(left, right, report)
    proposed = []
    for a in left.fields:
        for b in right.fields:
            if Kind.BOOLEAN not in (a.kind, b.kind):
                link = _judged(a.name, b.name, prints["left", a.name], prints["right", b.name])
                if link is not None:
                    proposed.append(link)
    proposed.sort(key=lambda link: -link.score)
    report(0.9, "Looking for fields that belong together")
    compound = _compound(left, right, proposed)
    return sorted([*compound, *proposed], key=lambda link: -link.score)


def _fingerprints(left: Table, right: Table, report: Report) -> dict[tuple[str, str], Fingerprint]:
    sides = [("left", left, f) for f in left.fields] + [("right", right, f) for f in right.fields]
    prints = {}
    with ThreadPoolExecutor(2) as pool:
        found = pool.map(lambda side: fingerprint(side[1].fetch(side[2])), sides)
        for number, (side, made) in enumerate(zip(sides, found, strict=True)):
            prints[side[0], side[2].name] = made
            report(0.9 * number / len(sides), f"Looking at the values of {side[2].name}")
    return prints


def _judged(a: str, b: str, left: Fingerprint, right: Fingerprint) -> ProposedLink | None:
    if left.group != right.group or min(len(left.hashes), len(right.hashes)) < 2:
        return None
    left_found, right_found = left.share_in(right), right.share_in(left)
    if max(left_found, right_found) < _LEAST_OVERLAP:
        return None
    link = ProposedLink(
        (LinkField(a, b),),
        left_found,
        right_found,
        left_unique=left.unique,
        right_unique=right.unique,
        score=0.0,
    )
    telling = min(1.0, min(len(left.hashes), len(right.hashes)) / _TELLING_VALUES)
    return replace(link, score=_score(link, telling))


def _score(link: ProposedLink, telling: float = 1.0) -> float:
    overlap = max(link.left_found, link.right_found) + min(link.left_found, link.right_found)
    names = [fuzz.token_sort_ratio(f.left.lower(), f.right.lower()) / 100 for f in link.fields]
    alike = sum(names) / len(names)
    unique = max(link.left_unique, link.right_unique)
    return overlap * (0.4 + 0.6 * telling) + 0.5 * alike + 0.5 * unique


def _compound(left: Table, right: Table, singles: list[ProposedLink]) -> list[ProposedLink]:
    """Return the best field together with others, where alone it leaves repeats on both sides."""
    if not singles or max(singles[0].left_unique, singles[0].right_unique) > 0.98:
        return []
    best = singles[0]
    left, right = _sampled(left, right, best.fields[0])
    alone = measured(left, right, best.fields)
    found = []
    used = {best.fields[0].left}, {best.fields[0].right}
    for other in singles[1:]:
        field = other.fields[0]
        weak = max(other.left_found, other.right_found) < _FOUND_TOGETHER
        if weak or field.left in used[0] or field.right in used[1]:
            continue
        used[0].add(field.left)
        used[1].add(field.right)
        link = measured(left, right, (best.fields[0], field))
        gain = max(link.left_unique, link.right_unique) - max(alone.left_unique, alone.right_unique)
        if gain > 0.2 and max(link.left_found, link.right_found) >= _FOUND_TOGETHER:
            found.append(link)
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
    mixed = (np.arange(codes.size, dtype=np.uint64) * np.uint64(0x9E3779B97F4A7C15)) >> np.uint64(
        32
    )
    chosen = np.append(mixed % np.uint64(share) == 0, False)
    return left.take(np.flatnonzero(chosen[codes.left])), right.take(
        np.flatnonzero(chosen[codes.right])
    )


def measured(left: Table, right: Table, fields: tuple[LinkField, ...]) -> ProposedLink:
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
    return replace(link, score=_score(link))
