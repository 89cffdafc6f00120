"""Links by order: ranges, inequalities and nearest matches, within the rows of equal fields.

One side is sorted once by group and value; then the partners of a row of the other side are a run
that two binary searches find. So the pairs are counted before any is built. Only a mix of
conditions on different columns of both sides has to look at candidate pairs.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from keen_trellis.base.errors import LinkError, TooManyRowsError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.compute.join.comparable_columns import OrderKeys, in_one_kind, met, order_keys
from keen_trellis.compute.join.distances import within
from keen_trellis.compute.join.keys import LinkCodes
from keen_trellis.compute.join.match import (
    Match,
    PairMatch,
    SortedRunMatch,
    counts_of,
    expanded,
    in_row_order,
    require_few_pairs,
)
from keen_trellis.compute.two_cores import for_each
from keen_trellis.data import Column, Kind, Rows, row_dtype
from keen_trellis.plan.link import LinkField
from keen_trellis.plan.operators import NEAR, NEAREST, TURNED

CANDIDATES_AT_MOST = 2_000_000_000
_CHUNK = 4_000_000
_SEARCHED_AT_A_TIME = 100_000
_KEYS_BELOW = 2**62
"""Sorting keys of group and value stay below: sums of two still fit into int64."""

_COMPARE: dict[str, Callable[[Any, Any], Any]] = {
    "<": np.less,
    "<=": np.less_equal,
    ">": np.greater,
    ">=": np.greater_equal,
    "<>": np.not_equal,
}
Columns = Sequence[tuple[Column, Column]]
Runs = tuple[NDArray[np.int64], NDArray[np.int64]]


@dataclass(frozen=True, slots=True, eq=False)
class _Condition:
    """One comparison with both columns as numbers in the order of their values."""

    field: LinkField
    columns: tuple[Column, Column]
    keys: OrderKeys

    def holds(self, left: Rows, right: Rows) -> NDArray[np.bool_]:
        """Return whether it holds for each pair of rows; blanks are left out before."""
        a, b = self.keys.left[left], self.keys.right[right]
        operator, strict = self.field.operator, self.field.strict
        if operator in NEAREST:
            operator = NEAR[operator, strict]
        held: NDArray[np.bool_] = _COMPARE[operator](a, b)
        limit = self.field.distance
        if limit is not None:
            near = within(self.columns[0].take(left), self.columns[1].take(right), limit)
            held = held & near
        return held


def match_conditions(
    codes: LinkCodes, fields: Sequence[LinkField], columns: Columns, report: Report
) -> Match:
    """Return the partners of rows that have equal codes and fulfil every condition.

    Parameters
    ----------
    codes : LinkCodes
        Of the fields compared by “equals”.
    fields : sequence of LinkField
        The other fields, at least one.
    columns : sequence of (left Column, right Column)
        What each of them compares.

    Raises
    ------
    LinkError
        A nearest match of texts or booleans is asked for.
    TooManyRowsError
        A mix of conditions would look at more than `CANDIDATES_AT_MOST` pairs.
    """
    conditions = []
    for field, pair in zip(fields, columns, strict=True):
        pair = met(*pair)
        if field.operator in NEAREST and pair[0].kind in (Kind.TEXT, Kind.BOOLEAN):
            raise LinkError(
                tr(
                    "“{left}” and “{right}” are {kind}, of which none is nearest.",
                    left=field.left,
                    right=field.right,
                    kind=pair[0].kind,
                ),
                tr("A nearest match takes dates, times or numbers."),
            )
        conditions.append(_Condition(field, pair, order_keys(*in_one_kind(*pair))))
    codes = _without_blanks(codes, conditions)
    report(0.3, tr("Sorting"))
    nearest = [c for c in conditions if c.field.operator in NEAREST]
    if nearest and len(conditions) == 1:
        return _nearest(codes, nearest[0])
    ordered = [c for c in conditions if c.field.operator not in (*NEAREST, "<>")]
    if not nearest and len(ordered) == len(conditions):
        one_right = len({c.field.right for c in ordered}) == 1
        one_left = len({c.field.left for c in ordered}) == 1
        for is_one, turned in ((one_right, False), (one_left, True)):
            found = _range(codes, ordered, turned) if is_one else None
            if found is not None:
                return found
    return _filtered(codes, conditions, report)


def _without_blanks(codes: LinkCodes, conditions: Sequence[_Condition]) -> LinkCodes:
    """Return the codes with none for rows that have a blank in a condition."""
    left, right = codes.left.copy(), codes.right.copy()
    for condition in conditions:
        for side, column in ((left, condition.columns[0]), (right, condition.columns[1])):
            absent = column.absent
            if absent is not None:
                side[absent] = -1
    return LinkCodes(left, right, codes.size)


@dataclass(frozen=True, slots=True, eq=False)
class _Sorted:
    """The rows of one side by group and value.

    Attributes
    ----------
    order : ndarray of row numbers
    keys : ndarray of int64
        Group times span plus value, ascending.
    span : int
    """

    order: Rows
    keys: NDArray[np.int64]
    span: int

    @classmethod
    def of(cls, groups: NDArray[np.intp], values: NDArray[np.int64], span: int) -> _Sorted:
        """Sort the rows that have a group."""
        rows = np.flatnonzero(groups >= 0)
        keys = groups[rows].astype(np.int64) * span + values[rows]
        order = np.argsort(keys, kind="stable")
        return cls(rows[order].astype(row_dtype(len(groups))), keys[order], span)

    def before(
        self, groups: NDArray[np.intp], values: NDArray[np.int64], side: Literal["left", "right"]
    ) -> NDArray[np.int64]:
        """Return how many sorted rows stand before each value ("left"), or up to it ("right")."""
        keys = groups.astype(np.int64) * self.span + values
        found = np.empty(len(keys), np.int64)

        def search(start: int) -> None:
            part = slice(start, start + _SEARCHED_AT_A_TIME)
            found[part] = _places(self.keys, keys[part], side)

        for_each(search, range(0, len(keys), _SEARCHED_AT_A_TIME))
        return found

    def group_runs(self, groups: NDArray[np.intp]) -> Runs:
        """Return where each row's group starts and ends; those without a group come last."""
        n_groups = int(groups.max(initial=-1)) + 2
        bounds = np.searchsorted(self.keys, np.arange(n_groups + 1) * self.span).astype(np.int64)
        return bounds[groups], bounds[groups + 1]


def _places(
    ordered: NDArray[np.int64], keys: NDArray[np.int64], side: Literal["left", "right"]
) -> NDArray[np.int64]:
    """Return where keys belong among ordered ones, as `searchsorted` does.

    Neighbouring searches that end near each other find what they look at in the cache, so the keys
    are sorted first: three times as fast in 800 kB. A key stands above its own place in one
    integer, where both fit into 63 bits; it may be negative, as that of a row without a group is.
    """
    bits = max(len(keys) - 1, 1).bit_length()
    furthest = max(int(keys.max(initial=0)), -int(keys.min(initial=0)))
    if furthest.bit_length() + bits >= 63:
        return np.searchsorted(ordered, keys, side)
    packed = (keys << bits) | np.arange(len(keys))
    packed.sort()
    found = np.empty(len(keys), np.int64)
    found[packed & ((1 << bits) - 1)] = np.searchsorted(ordered, packed >> bits, side)
    return found


def _dense_span(codes: LinkCodes, keys: OrderKeys) -> OrderKeys:
    """Return keys for which group times span plus value fits into 63 bits.

    Ranks among the values of both sides span no more than the rows, and groups number no more than
    some four times the rows: their product stays far below 2**62 for every table that fits into
    memory. Left and right of one comparison are ranked together; two comparisons never are.
    """
    if codes.size * keys.span < _KEYS_BELOW:
        return keys
    values, ranks = np.unique(np.concatenate([keys.left, keys.right]), return_inverse=True)
    n, span = len(keys.left), len(values) + 1
    if codes.size * span >= _KEYS_BELOW:
        raise OverflowError(tr("More groups and values than a sorting key of 62 bits can hold."))
    return OrderKeys(ranks[:n].astype(np.int64), ranks[n:].astype(np.int64), span)


def _range(
    codes: LinkCodes, conditions: Sequence[_Condition], turned: bool
) -> SortedRunMatch | None:
    """Match by conditions that all bound one column, which is sorted: the right one or the left.

    Each row of the other side has one run, the part that all bounds have in common. Every bound
    has a scale of its own, since each may compare the sorted column in another kind: a date-time
    by its day with a date, integers as exact decimals with prices. What the sorted order has
    to fulfil is only that no bound's own values ever fall within a group. The finest comparison
    gives such an order for the coarser ones; None is returned where no comparison does.
    """
    scales = [_dense_span(codes, condition.keys) for condition in conditions]
    own, other = (codes.right, codes.left) if turned else (codes.left, codes.right)
    sides = [(k.right, k.left) if turned else (k.left, k.right) for k in scales]
    spans = [scale.span for scale in scales]
    found = _in_one_order(other, [its for _, its in sides], spans)
    if found is None:
        return None
    ordered, runs = found
    start, stop = ordered.group_runs(own)
    for condition, run, (mine, _) in zip(conditions, runs, sides, strict=True):
        operator = condition.field.operator
        operator = TURNED[operator] if turned else operator
        start, stop = _bounded(run, operator, own, mine=mine, so_far=(start, stop))
    # own is -1 for a row without a key, whose run would be the one of the last group
    times = np.where(own >= 0, np.maximum(stop - start, 0), 0)
    return _run_match(codes, ordered.order, start, times=times, turned=turned)


def _in_one_order(
    groups: NDArray[np.intp], values: Sequence[NDArray[np.int64]], spans: Sequence[int]
) -> tuple[_Sorted, list[_Sorted]] | None:
    """Return rows in an order in which the values of every bound ascend within each group.

    Returns the order, and for every bound its own keys in that order; None where there is none.
    """
    for its, span in zip(values, spans, strict=True):
        ordered = _Sorted.of(groups, its, span)
        sorted_groups = groups[ordered.order]
        runs = [
            _Sorted(ordered.order, sorted_groups * one + bound[ordered.order], one)
            for one, bound in zip(spans, values, strict=True)
        ]
        if all(bool((np.diff(run.keys) >= 0).all()) for run in runs):
            return ordered, runs
    return None


def _bounded(
    run: _Sorted, operator: str, own: NDArray[np.intp], mine: NDArray[np.int64], so_far: Runs
) -> Runs:
    """Return runs with one bound more: “<” and “<=” bound them below, “>” and “>=” above."""
    start, stop = so_far
    if operator in ("<", "<="):
        first = run.before(own, mine, "right" if operator == "<" else "left")
        return np.maximum(start, first), stop
    last = run.before(own, mine, "left" if operator == ">" else "right")
    return start, np.minimum(stop, last)


def _run_match(
    codes: LinkCodes, order: Rows, start: NDArray[np.int64], times: NDArray[np.int64], turned: bool
) -> SortedRunMatch:
    """Return the runs as a match; `start` counts sorted rows, `times` how many of them follow.

    What holds: 0 <= start, start + times <= len(order), and times is 0 for rows without a key.
    """
    n_other = len(codes.left) if turned else len(codes.right)
    # a row is in as many runs as have begun and not yet ended at its place
    changes = np.bincount(start[times > 0], minlength=len(order) + 1)
    changes = changes - np.bincount((start + times)[times > 0], minlength=len(order) + 1)
    others = np.zeros(n_other, np.int64)
    others[order] = np.cumsum(changes)[: len(order)]
    left, right = (others, times) if turned else (times, others)
    return SortedRunMatch(left, right, counts_of(left, right, codes), order, start, turned)


def _nearest(codes: LinkCodes, condition: _Condition) -> Match:
    """Match every left row with the right rows of its group whose value is the nearest."""
    keys = _dense_span(codes, condition.keys)
    ordered = _Sorted.of(codes.right, keys.right, keys.span)
    later, strict = condition.field.operator == "nearest later", condition.field.strict
    start, stop = ordered.group_runs(codes.left)
    if later:
        at = ordered.before(codes.left, keys.left, "right" if strict else "left")
        has = (codes.left >= 0) & (at < stop)
    else:
        at = ordered.before(codes.left, keys.left, "left" if strict else "right") - 1
        has = (codes.left >= 0) & (at >= start)
    rows = np.flatnonzero(has)
    limit = condition.field.distance
    if limit is not None and len(rows):
        left, right = condition.columns
        rows = rows[within(left.take(rows), right.take(ordered.order[at[rows]]), limit)]
    first, last = _equal_run(ordered.keys, at[rows])
    begin = np.zeros(len(codes.left), np.int64)
    times = np.zeros(len(codes.left), np.int64)
    begin[rows], times[rows] = first, last - first
    return _run_match(codes, ordered.order, begin, times, turned=False)


def _equal_run(keys: NDArray[np.int64], at: NDArray[np.int64]) -> Runs:
    """Return where the run of equal keys around each place starts and ends."""
    # a head stands where a key differs from the one before it, and one behind the last of all:
    # with that, the run after the last has a start, which is where the last run stops
    heads = np.ones(len(keys) + 1, bool)
    heads[1:-1] = keys[1:] != keys[:-1]
    if bool(heads.all()):
        return at, at + 1
    starts = np.flatnonzero(heads)
    run = np.cumsum(heads[:-1])[at] - 1
    return starts[run], starts[run + 1]


def _filtered(codes: LinkCodes, conditions: Sequence[_Condition], report: Report) -> Match:
    """Match by looking at the candidates of the best range, or of the equal fields alone."""
    candidates = _candidates(codes, conditions)
    if candidates.counts.pairs > CANDIDATES_AT_MOST:
        raise TooManyRowsError(
            tr(
                "These conditions would look at {pairs:,} pairs of rows; the limit "
                "is {candidates_at_most:,}.",
                pairs=candidates.counts.pairs,
                candidates_at_most=CANDIDATES_AT_MOST,
            ),
            tr("Add a field that must be equal."),
        )
    found, n_found = [], 0
    total = max(candidates.counts.pairs, 1)
    done = 0
    for left, right in _chunks(candidates):
        done += len(left)
        report(
            0.3 + 0.7 * done / total,
            tr("Looking at pair {done:,} of {total:,}", done=done, total=total),
        )
        for condition in conditions:
            held = condition.holds(left, right)
            left, right = left[held], right[held]
        found.append((left, right))
        n_found += len(left)
        require_few_pairs(n_found)
    left = np.concatenate([a for a, _ in found]) if found else np.zeros(0, np.intp)
    right = np.concatenate([b for _, b in found]) if found else np.zeros(0, np.intp)
    left, right = in_row_order(left, right)
    for condition in conditions:
        if condition.field.operator in NEAREST and len(left):
            left, right = _only_nearest(condition, left, right)
    return PairMatch.of(left, right, len(codes.left), len(codes.right), codes)


def _candidates(codes: LinkCodes, conditions: Sequence[_Condition]) -> SortedRunMatch:
    """Return the fewest pairs that one condition, or the equal fields alone, leave to look at."""
    best: SortedRunMatch | None = None
    for condition in conditions:
        if condition.field.operator not in (*NEAREST, "<>"):
            match = _range(codes, [condition], turned=False)
            if match and (best is None or match.counts.pairs < best.counts.pairs):
                best = match
    if best is None:
        zeros = np.zeros(len(codes.right), np.int64)
        ordered = _Sorted.of(codes.right, zeros, 1)
        start, stop = ordered.group_runs(codes.left)
        times = np.where(codes.left >= 0, stop - start, 0)
        best = _run_match(codes, ordered.order, start, times, turned=False)
    return best


def _chunks(candidates: SortedRunMatch) -> Iterator[tuple[Rows, Rows]]:
    """Yield candidate pairs, so many rows at a time that memory stays bounded."""
    # ends[row] is how many pairs stand up to and with a row; a chunk takes whole rows, at least
    # one, so a row with more than _CHUNK partners is a chunk of its own
    ends = np.cumsum(candidates.partners)
    n = len(ends)
    begin = 0
    while begin < n:
        before = int(ends[begin - 1]) if begin else 0
        stop = int(np.searchsorted(ends, before + _CHUNK, side="right"))
        stop = min(max(stop, begin + 1), n)
        rows = slice(begin, stop)
        own, other = expanded(candidates.order, candidates.first[rows], candidates.partners[rows])
        yield own.astype(np.intp) + begin, other
        begin = stop


def _only_nearest(condition: _Condition, left: Rows, right: Rows) -> tuple[Rows, Rows]:
    """Return of each left row's pairs those with the nearest value; pairs stand by left row."""
    # pairs of one left row stand together (they are in row order), so each row's is one segment;
    # reduceat needs at least one pair and never an empty segment: the caller sees to the first
    values = condition.keys.right[right]
    starts = np.flatnonzero(np.concatenate([[True], left[1:] != left[:-1]]))
    later = condition.field.operator == "nearest later"
    best = (np.minimum if later else np.maximum).reduceat(values, starts)
    times = np.diff(np.append(starts, len(left)))
    held = values == np.repeat(best, times)
    return left[held], right[held]
