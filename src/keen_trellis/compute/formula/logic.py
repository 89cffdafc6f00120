"""Comparisons, SQL's three values of truth, and choices between values."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keen_trellis.base.errors import with_article
from keen_trellis.base.language import marked, tr
from keen_trellis.compute.formula.formula_values import (
    Cells,
    Flags,
    Working,
    joined_state,
    made,
    picked,
)
from keen_trellis.compute.join.comparable_columns import in_one_kind, order_keys
from keen_trellis.data import BLANK, GAP, PRESENT, Column, Kind
from keen_trellis.data.column import exact_values
from keen_trellis.data.conversions.conversion import converted
from keen_trellis.data.stacking import common_scale, rescaled

COMPARED_AS_THEY_ARE = (
    *(Kind.INTEGER, Kind.NUMBER, Kind.BOOLEAN, Kind.DATE, Kind.DATE_TIME, Kind.TIME),
)
"""The kinds whose values in memory stand in the order of what they mean; no number is NaN."""


def keys_of(left: Column, right: Column) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return integers in the order of the values of two columns, dates and date-times by day."""
    keys = order_keys(*in_one_kind(left, right))
    return keys.left, keys.right


def compared(arguments: Sequence[Cells], kind: Kind, working: Working, sign: str) -> Cells:
    """Return whether pairs of values stand to one another as a sign says; blank with a blank."""
    return made(kind, _stand(arguments, sign), arguments, working.n)


def _stand(arguments: Sequence[Cells], sign: str) -> Flags:
    left, right = arguments[0].column, arguments[1].column
    if left.kind is right.kind and left.kind in COMPARED_AS_THEY_ARE:
        return np.asarray(SIGNS[sign](left.values, right.values), np.bool_)
    a, b = keys_of(left, right)
    return np.asarray(SIGNS[sign](a, b), np.bool_)


SIGNS: dict[str, Any] = {
    "=": np.equal,
    "<>": np.not_equal,
    "<": np.less,
    "<=": np.less_equal,
    ">": np.greater,
    ">=": np.greater_equal,
}
"""How two arrays are compared by each sign."""


def distinct(arguments: Sequence[Cells], working: Working) -> Cells:
    """Return whether values differ, one that is absent being equal to one that is."""
    is_one = all(one.is_one for one in arguments)
    n = 1 if is_one else working.n
    a, b = (one.absent(n) for one in arguments)
    differ = np.broadcast_to(_stand(arguments, "<>"), n)
    return _truths(np.where(a | b, a != b, differ), is_one)


def _truths(values: Flags, is_one: bool, blank: Flags | None = None) -> Cells:
    state = None
    if blank is not None and blank.any():
        state = np.where(blank, BLANK, PRESENT).astype(np.uint8)
    return Cells(Column(Kind.BOOLEAN, np.array(values, np.bool_), state), is_one)


def both_ways(cells: Cells, n: int) -> tuple[Flags, Flags]:
    """Return where a boolean is true, and where it is false; neither where it is unknown."""
    absent = cells.absent(n)
    values = np.broadcast_to(cells.column.values, n)
    return values & ~absent, ~values & ~absent


def where_true(cells: Cells, n: int) -> Flags:
    """Return where a boolean is true, which unknown is not."""
    values: Flags = cells.column.values
    if cells.column.state is not None:
        values = values & (cells.column.state == PRESENT)
    return np.broadcast_to(values, n)


def all_hold(arguments: Sequence[Cells], working: Working) -> Cells:
    """Return whether all are true (ISO/IEC 9075-2, 6.39: AND)."""
    return _of_truths(arguments, working, is_all=True)


def any_holds(arguments: Sequence[Cells], working: Working) -> Cells:
    """Return whether any is true (OR)."""
    return _of_truths(arguments, working, is_all=False)


def _of_truths(arguments: Sequence[Cells], working: Working, is_all: bool) -> Cells:
    is_one = all(one.is_one for one in arguments)
    n = 1 if is_one else working.n
    true, false = np.full(n, is_all), np.full(n, not is_all)
    for one in arguments:
        its_true, its_false = both_ways(one, n)
        true = true & its_true if is_all else true | its_true
        false = false | its_false if is_all else false & its_false
    return _truths(true, is_one, ~(true | false))


def opposite(arguments: Sequence[Cells], working: Working) -> Cells:
    """Return the opposite of truths; what is unknown stays so."""
    cells = arguments[0]
    n = 1 if cells.is_one else working.n
    true, false = both_ways(cells, n)
    return _truths(false, cells.is_one, ~(true | false))


def is_true(arguments: Sequence[Cells], working: Working) -> Cells:
    """Return whether each is true, which unknown is not."""
    cells = arguments[0]
    n = 1 if cells.is_one else working.n
    return _truths(where_true(cells, n), cells.is_one)


def is_absent(arguments: Sequence[Cells], working: Working, gaps_alone: bool) -> Cells:
    """Return which cells have no value; or only those of them that are gaps."""
    cells = arguments[0]
    n = 1 if cells.is_one else working.n
    if not gaps_alone:
        return _truths(cells.absent(n), cells.is_one)
    state = cells.column.state
    found = np.zeros(n, np.bool_) if state is None else state == GAP
    return _truths(np.broadcast_to(found, n), cells.is_one)


def chosen(
    values: Sequence[Cells], which: NDArray[np.integer[Any]], kind: Kind, working: Working
) -> Cells:
    """Return for each row the value of the given number; a blank for -1."""
    columns = [one.column for one in values]
    if all(one.is_one for one in values):
        return Cells(taken(columns, which, np.zeros(1, np.intp), kind, working))
    rows = np.arange(working.n)
    for place, one in enumerate(values):
        if one.is_one:
            rows = np.where(which == place, 0, rows)
    return Cells(taken(columns, which, rows, kind, working))


def taken(
    columns: Sequence[Column],
    which: NDArray[np.integer[Any]],
    rows: NDArray[np.intp],
    kind: Kind,
    working: Working,
) -> Column:
    """Return for each row the cell of one of some columns in a kind, with a fault for what it lost.

    Arguments are as those of `cells.picked`.
    """
    made, lost = in_kind(columns, kind)
    for place, gone in enumerate(lost):
        if len(gone):
            flags = np.zeros(len(columns[place]), np.bool_)
            flags[gone] = True
            at = np.minimum(rows, len(flags) - 1)  # of a single cell; others are not looked at
            working.fault(tr(_NO_ROOM, kind=with_article(kind)), (which == place) & flags[at])
    return picked(made, which, rows)


_NO_ROOM = marked("a value with more digits than {kind} holds beside the others")


def in_kind(columns: Sequence[Column], kind: Kind) -> tuple[list[Column], list[NDArray[np.int64]]]:
    """Return columns in one kind, and of each the rows whose value it does not hold.

    Exact decimals have one scale: where no scale holds all of them, the one that holds most.
    """
    made = [converted(column, kind) for column in columns]
    found, lost = [one.column for one in made], [one.lost for one in made]
    if kind is not Kind.EXACT:
        return found, lost
    scale = common_scale(found)
    if scale is not None:
        return [rescaled(column, scale) for column in found], lost
    decimals = [column.to_list() for column in found]
    _, _, scale = exact_values([value for values in decimals for value in values])
    for place, (column, values) in enumerate(zip(found, decimals, strict=True)):
        whole, fits, _ = exact_values(values, scale)
        gone = ~fits if column.absent is None else ~fits & ~column.absent
        state = joined_state(column.state, gone)
        found[place] = Column(kind, whole, state, scale=scale)
        lost[place] = np.union1d(lost[place], np.flatnonzero(gone))
    return found, lost


def first_present(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return the first value that is there; the state of the last where none is."""
    n = working.n
    which = np.full(n, len(arguments) - 1, np.intp)
    for place in range(len(arguments) - 2, -1, -1):
        which = np.where(arguments[place].absent(n), which, place)
    return chosen(arguments, which, kind, working)


def blank_where_equal(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return the first value, a blank where it equals the second."""
    n = working.n
    a, b = (one.absent(n) for one in arguments)
    equal = np.broadcast_to(_stand(arguments, "="), n) & ~a & ~b
    return chosen(arguments[:1], np.where(equal, -1, 0), kind, working)


def furthest(arguments: Sequence[Cells], kind: Kind, working: Working, largest: bool) -> Cells:
    """Return the largest, or the smallest, of the values that are there."""
    n = working.n
    which = np.zeros(n, np.intp)
    if kind is Kind.DATE_TIME:  # a date is its midnight in what comes out, and so here
        moments = (Cells(converted(one.column, kind).column, one.is_one) for one in arguments)
        arguments = list(moments)
    # Each is compared with the one that is best so far as it came: in the kind of the outcome it
    # might have lost digits, or its value.
    for place, one in enumerate(arguments[1:], start=1):
        is_better = np.zeros(n, np.bool_)
        for earlier in np.unique(which).tolist():
            best = arguments[earlier]
            a, b = keys_of(best.spread(n), one.spread(n))
            wins = (b > a if largest else b < a) | best.absent(n)
            is_better |= (which == earlier) & wins
        which = np.where(~one.absent(n) & is_better, place, which)
    return chosen(arguments, which, kind, working)
