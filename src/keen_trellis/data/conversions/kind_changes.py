"""Columns put into another kind, with every value that cannot be changed kept for showing."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keen_trellis.data.column import Column
from keen_trellis.data.conversions.conversion import converted, texts_as
from keen_trellis.data.conversions.written_forms import Written, most_look_like
from keen_trellis.data.kinds import Kind
from keen_trellis.data.states import PRESENT

_LISTED = 1_000
_DISTINCT_AT_MOST = 100_000
"""Above so many distinct texts, a column is text because texts differ, not by a slip."""

_LIKELY = 0.9
_FEW = 5
"""Fewer values than that show nothing."""

_CODE = re.compile(r"-?0\d+")
_PROBED = 200
_GUESSES = {
    "number": (Kind.INTEGER, Kind.EXACT, Kind.NUMBER),
    "date": (Kind.DATE, Kind.DATE_TIME),
    "time": (Kind.TIME,),
    "boolean": (Kind.BOOLEAN,),
}


@dataclass(frozen=True, slots=True, eq=False)
class Unfit:
    """The values of a column that the kind wanted does not hold; their cells are blanks now.

    Attributes
    ----------
    column : str
    kind : Kind
    rows : ndarray of row numbers
    texts : tuple of str
        The values of the first thousand of these rows, as they were.
    is_cut : bool
        Whether the cells are no blanks but keep a part: the day of a moment, without its time.
    """

    column: str
    kind: Kind
    rows: NDArray[np.int64]
    texts: tuple[str, ...]
    is_cut: bool = False


@dataclass(frozen=True, slots=True)
class LikelyKind:
    """The kind that most values of a text column could be.

    Attributes
    ----------
    kind : Kind
    fit, unfit : int
        How many rows have a value that can be changed, and that cannot.
    odd : str
        A value that cannot; empty where there is none.
    odd_row : int
        The first row that has it.
    """

    kind: Kind
    fit: int
    unfit: int
    odd: str = ""
    odd_row: int = 0


def changed_kind(
    column: Column, kind: Kind, name: str, written: Written | None = None
) -> tuple[Column, Unfit | None]:
    """Return a column in another kind, and the values that could not be changed, or not whole.

    Blanks and gaps stay what they are; values that cannot be changed become blanks. Of moments
    that become dates the time of day is cut off.
    """
    made = converted(column, kind, written)
    rows = made.lost if len(made.lost) else made.cut  # texts are lost and moments cut: never both
    if not len(rows):
        return made.column, None
    listed = tuple(column.text(int(row)) for row in rows[:_LISTED])
    return made.column, Unfit(name, kind, rows, listed, is_cut=rows is made.cut)


def likely_kind(column: Column, written: Written = Written()) -> LikelyKind | None:
    """Return the kind that nine in ten values of a text column could be; None where none is.

    Codes such as 007 are no numbers here.
    """
    if column.kind is not Kind.TEXT or column.dictionary is None:
        return None
    if not 0 < len(column.dictionary) <= _DISTINCT_AT_MOST:
        return None
    sample = column.dictionary.slice(0, _PROBED).to_pylist()
    kinds = _GUESSES.get(most_look_like(sample), ())
    if Kind.INTEGER in kinds and any(_CODE.fullmatch(text.strip()) for text in sample):
        return None
    return _likely(column, kinds, written)


def _likely(column: Column, kinds: Sequence[Kind], written: Written) -> LikelyKind | None:
    assert column.dictionary is not None
    present = column.values if column.absent is None else column.values[~column.absent]
    rows = np.bincount(present, minlength=len(column.dictionary))
    total = len(present)
    if total < _FEW:
        return None
    probe = column.dictionary.slice(0, _PROBED)
    for kind in kinds:
        tried = texts_as(probe, kind, written)
        if tried.count(PRESENT) < 0.5 * len(probe):
            continue
        values = texts_as(column.dictionary, kind, written)
        odd = np.zeros(len(rows), np.bool_) if values.absent is None else values.absent
        unfit = int(rows[odd].sum())
        if total - unfit < _LIKELY * total or unfit == total:
            continue
        if not unfit:
            return LikelyKind(kind, total, 0)
        first = int(np.flatnonzero(np.isin(column.values, np.flatnonzero(odd)))[0])
        return LikelyKind(kind, total - unfit, unfit, odd=column.text(first), odd_row=first)
    return None
