"""Whether promises hold of a join that has been made, and the rows that break them."""

from __future__ import annotations

import math
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property
from typing import Any

import numpy as np

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import tr, tr_n
from keen_trellis.compute.join_result import Tied
from keen_trellis.compute.summary import summarise
from keen_trellis.data import Column, Kind, Rows, Table
from keen_trellis.data.column import in_all_digits
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.figures import Figure
from keen_trellis.plan.outcome import semi_side
from keen_trellis.plan.promises import Promise


@dataclass(frozen=True, eq=False)  # no slots: the rows are kept once fetched
class Checked:
    """A promise and what became of it.

    Attributes
    ----------
    promise : Promise
    is_kept : bool
    says : str
        What is instead where it is broken, in a few words.
    """

    promise: Promise
    is_kept: bool
    says: str
    tied: Tied
    breaking: Rows

    def sentence(self) -> str:
        """Return what is promised, with what the sides are called now."""
        return self.promise.sentence(self.tied.names)

    @property
    def size(self) -> int:
        """The bytes that it holds for itself."""
        return int(self.breaking.nbytes)

    @cached_property
    def rows(self) -> Table:
        """The rows of its side that break it, in their order."""
        return _side(self.tied, self.promise).take(self.breaking)


def checked(promise: Promise, tied: Tied) -> Checked:
    """Return whether a promise holds; linear in the rows of its side, sums are exact."""
    partners = tied.match.partners if promise.side == "left" else tied.match.right_partners
    none, several = np.flatnonzero(partners == 0), np.flatnonzero(partners > 1)
    nothing = none[:0]
    match promise.what:
        case "found":
            breaking, says = none, tr_n(len(none), "{n:,} does not", "{n:,} do not")
        case "one partner":
            breaking = np.flatnonzero(partners != 1)
            says = tr_n(
                len(none),
                "{n:,} finds none, {several:,} several",
                "{n:,} find none, {several:,} several",
                several=len(several),
            )
        case "not multiplied":
            breaking, says = several, tr_n(len(several), "{n:,} has", "{n:,} have")
        case "few without":
            breaking = none if len(none) > promise.rows else nothing
            says = tr_n(len(none), "{n:,} does", "{n:,} do")
        case "same total":
            return _same_total(promise, tied)
    return Checked(promise, not len(breaking), says if len(breaking) else "", tied, breaking)


def _same_total(promise: Promise, tied: Tied) -> Checked:
    """Compare the total of a side with that of its rows in the outcome, each as often as it is."""
    table, times = _side(tied, promise), _times(tied, promise)
    changed = np.flatnonzero(times != 1)
    nothing = changed[:0]
    try:
        column = table.column(promise.column, tied.names[promise.side == "right"])
        if not column.kind.is_numeric:
            says = tr(
                "“{column}” is {kind}, of which there is no total",
                column=promise.column,
                kind=column.kind,
            )
            return Checked(promise, False, says, tied, nothing)
        before, after = _totals(column, times)
    except UserError as error:
        return Checked(promise, False, error.happened.removesuffix("."), tied, nothing)
    is_kept = before == after
    if column.kind is Kind.NUMBER:
        # sums of doubles depend on their order; what is more and what is less must cancel out
        is_kept = _cancels_out(column.take(changed), times[changed] - 1)
    says = (
        ""
        if is_kept
        else tr(
            "{shown} before, {shown_2} in what goes on", shown=_shown(before), shown_2=_shown(after)
        )
    )
    return Checked(promise, is_kept, says, tied, nothing if is_kept else changed)


def _times(tied: Tied, promise: Promise) -> Rows:
    """Return how often each row of a side goes on; no pair is built for it."""
    partners = tied.match.partners if promise.side == "left" else tied.match.right_partners
    semi = semi_side(tied.keep, tied.columns)
    if semi is not None:  # the rows of one side go on, once each
        return np.minimum(partners, 1) if semi == promise.side else np.zeros_like(partners)
    alone = Bay.LEFT if promise.side == "left" else Bay.RIGHT
    found = partners if Bay.BOTH in tied.keep else np.zeros_like(partners)
    return found + (partners == 0) if alone in tied.keep else found


def _cancels_out(column: Column, more: Rows) -> bool:
    """Whether doubles, each taken so many times, add up to nothing.

    A double times a power of two is a double, so each is taken once for every bit of its number
    of times: no product is rounded. The sum is exact (Shewchuk, Discrete and Computational
    Geometry 18, 1997).
    """
    pairs = zip(column.to_list(), more.tolist(), strict=True)
    try:
        return not math.fsum(
            math.copysign(1.0, times) * math.ldexp(value, bit)
            for value, times in pairs
            if value is not None
            for bit in range(abs(times).bit_length())
            if abs(times) >> bit & 1
        )
    except (OverflowError, ValueError):  # infinities
        return False


def _totals(column: Column, times: Rows) -> tuple[Any, Any]:
    """Return the total of a column, and that of its rows each so many times.

    Rows that go on equally often are added up together, so that none is written out twice. In 200
    digits nothing is rounded: a sum has 38 at most, and a number of rows 19.
    """
    table = Table.of({"times": Column(Kind.INTEGER, times.astype(np.int64)), "value": column})
    sums = summarise(table, ["times"], [Figure("value", "sum", "sum")])
    groups = zip(sums.column("times").to_list(), sums.column("sum").to_list(), strict=True)
    held = [(often, value) for often, value in groups if value is not None]
    with in_all_digits():
        return sum(value for _, value in held), sum(often * value for often, value in held)


def _shown(total: Any) -> str:
    return f"{total:f}" if isinstance(total, Decimal) else f"{total}"


def _side(tied: Tied, promise: Promise) -> Table:
    return tied.left if promise.side == "left" else tied.right
