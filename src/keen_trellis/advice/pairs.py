"""Pairs proposed for the link values that found no partner."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace

import numpy as np

from keen_trellis.advice.likeness import likely_partners, reason_rank
from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.base.words import first_free, listed, percent
from keen_trellis.compute.join.keys import codes_of
from keen_trellis.compute.join.pairing import field_columns
from keen_trellis.compute.join_result import Tied
from keen_trellis.data import Column, Kind, Table
from keen_trellis.plan.link import Link, Pair

_FIELD = "field"


@dataclass(frozen=True, slots=True)
class ProposedPair:
    """Two link values that are probably the same.

    Attributes
    ----------
    pair : Pair
    reason : str
        In words: “outer space”, “spelled out”, “misspelled” ...
    likeness : float
        0 to 1.
    safe : bool
        Equal once tidied, and to no other value of the other side.
    rows : int
        Left rows that hold the value and find no partner without the pair.
    """

    pair: Pair
    reason: str
    likeness: float
    safe: bool
    rows: int

    @property
    def how_alike(self) -> str:
        """How alike they are, in words; empty where the reason makes one of them all the same."""
        says_all = self.safe or self.likeness == 1
        return "" if says_all else tr("{percent} alike", percent=percent(self.likeness))


def propose_pairs(tie: Tied, report: Report = quiet) -> list[ProposedPair]:
    """Return likely pairs for left link values that the right side does not have.

    Safe ones come first, then those whose reason is more than letters that are alike; of one reason
    those that concern most rows. With a compound link each field is
    looked at by itself: what a pair wins there depends on the other fields, too. Only texts are
    looked at: two numbers or dates are two, however alike they are written.

    Raises
    ------
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    proposed: list[ProposedPair] = []
    fields = [n for n, f in enumerate(tie.link.fields) if f.operator == "="]
    for number, place in enumerate(fields):
        share = part(report, number / len(fields), (number + 1) / len(fields))
        proposed += _for_field(tie, place, share)
    # of one reason together, those that are more than mere likeness first
    rows: Counter[tuple[bool, int, str]] = Counter()
    for one in proposed:
        rows[_sort_of(one)] += one.rows

    def told_at(one: ProposedPair) -> tuple[bool, int, int, str, int, float]:
        sort = _sort_of(one)
        return sort[0], sort[1], -rows[sort], one.reason, -one.rows, -one.likeness

    return sorted(proposed, key=told_at)


def _sort_of(one: ProposedPair) -> tuple[bool, int, str]:
    """Return what a pair is sorted by first: safe ones, then by how much their reason tells."""
    return not one.safe, reason_rank(one.reason), one.reason


def with_pairs(link: Link, proposed: list[ProposedPair]) -> Link:
    """Return the link with proposed pairs accepted."""
    return replace(link, pairs=(*link.pairs, *(p.pair for p in proposed)))


def _for_field(tie: Tied, place: int, report: Report) -> list[ProposedPair]:
    left, right = field_columns(tie.left, tie.right, tie.link.fields[place], tie.names)
    if not left.kind is right.kind is Kind.TEXT:
        return []  # two numbers or dates that look alike are still two
    values, rows = _unmatched_values(tie, place, left, right)
    others = _distinct(right)
    if not values or not others:
        return []
    found = likely_partners(values, others, report)
    return [
        ProposedPair(
            Pair(values[n], others[like.other], place),
            like.reason,
            like.share,
            safe=like.safe,
            rows=rows[n],
        )
        for n, like in found.items()
    ]


def _unmatched_values(
    tie: Tied, place: int, left: Column, right: Column
) -> tuple[list[str], list[int]]:
    """Return the left values of a field that the right side lacks, with the rows of each.

    Values that are one under the text rules meet together, and are told by the most frequent.
    """
    pairs = [(p.left, p.right) for p in tie.link.pairs if p.field == place]
    codes = codes_of(left, right, tie.link.text, pairs=pairs)
    in_right = np.zeros(codes.size + 1, bool)
    in_right[codes.right] = True
    in_right[-1] = False  # where the code of rows without a key points
    alone = tie.match.partners == 0
    missing = np.flatnonzero((codes.left >= 0) & ~in_right[codes.left] & alone)
    texts = left.take(missing)
    assert texts.dictionary is not None
    tally = np.bincount(texts.values, minlength=len(texts.dictionary))
    used = np.flatnonzero(tally)
    if not len(used):
        return [], []
    # The code of each text under the rules: any row that has it tells.
    code_of = np.zeros(len(tally), np.intp)
    code_of[texts.values] = codes.left[missing]
    ways, of = np.unique(code_of[used], return_inverse=True)
    rows = np.bincount(of, weights=tally[used], minlength=len(ways)).astype(np.int64)
    # sorted by code, then by rows: the last of each code is its most frequent value
    order = np.lexsort((tally[used], of))
    told = order[np.append(np.flatnonzero(np.diff(of[order])), len(order) - 1)]
    told.sort()  # as they stand in the dictionary, which is as they first come
    return texts.dictionary.take(used[told]).to_pylist(), rows[of[told]].tolist()


def _distinct(column: Column) -> list[str]:
    assert column.dictionary is not None
    used = np.unique(column.values[column.values >= 0])
    return list(column.dictionary.take(used).to_pylist())


def table_of_pairs(link: Link, names: tuple[str, str]) -> Table:
    """Return the pairs of a link as a table: the left values, the right ones, and of which field.

    Parameters
    ----------
    names : (str, str)
        What the two sides are called.
    """
    right = first_free(names[1], {names[0]})
    field = first_free(_FIELD, {names[0], right})
    columns = {
        names[0]: [pair.left for pair in link.pairs],
        right: [pair.right for pair in link.pairs],
        field: [link.fields[pair.field].left for pair in link.pairs],
    }
    return Table.of({name: Column.of(values, Kind.TEXT) for name, values in columns.items()})


def pairs_of_table(table: Table, link: Link, where: str) -> tuple[Pair, ...]:
    """Return the pairs that a table holds: left values in its first column, right in its second.

    A third column names the left field that a pair is of; without one all are of the only field.
    Rows with an empty value are left out.

    Raises
    ------
    LinkError
        There are fewer than two columns, several fields to choose from, or no field of a name.
    """
    fields = [field.left for field in link.fields]
    if len(table.columns) < 2:
        raise LinkError(
            tr("{where} has only one column.", where=where),
            tr("Two are needed: values of the one side, of the other."),
        )
    if len(table.columns) < 3 and len(fields) > 1:
        raise LinkError(
            tr("{where} does not say which field its pairs are of.", where=where),
            tr("Name one of {fields} in a third column.", fields=listed(fields, "or")),
        )
    left, right, *others = (table.fetch(field).texts().to_pylist() for field in table.fields[:3])
    named = others[0] if others and len(fields) > 1 else [fields[0]] * len(left)
    unknown = next((name for name in named if name not in fields), None)
    if unknown is not None:
        raise LinkError(
            tr("“{unknown}” in {where} is no field of this link.", unknown=unknown, where=where),
            tr("Name one of {fields} in its third column.", fields=listed(fields, "or")),
        )
    rows = zip(left, right, named, strict=True)
    found = (Pair(a, b, fields.index(name)) for a, b, name in rows if a and b)
    return tuple(dict.fromkeys(found))
