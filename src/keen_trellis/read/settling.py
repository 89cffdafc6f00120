"""Columns as they came from a source, and the kinds they are given: found, or chosen by somebody.

A kind can be chosen again without reading anything again, since what came is still there.
"""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.progress import Report, quiet
from keen_trellis.base.words import counted, listed
from keen_trellis.data import GAP, AnyColumn, Column, Kind, LateColumn, Table, from_arrow
from keen_trellis.data.conversions.kind_changes import Unfit, changed_kind, likely_kind
from keen_trellis.data.conversions.merging import merged_texts
from keen_trellis.data.conversions.noticed import Noticed, Reread
from keen_trellis.data.conversions.text_parsing import column_of_texts
from keen_trellis.data.conversions.written_forms import Written

_NAMED = 3


@dataclass(frozen=True, slots=True, eq=False)
class _Made:
    """A column in its kind, and what is to be said about how it came to it."""

    column: AnyColumn
    noticed: tuple[Noticed, ...] = ()
    unfit: Unfit | None = None
    blanks: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, eq=False)
class Settled:
    """A table whose columns have their kinds, and what is to be said about them.

    Attributes
    ----------
    table : Table
    noticed : tuple of Noticed
    unfit : tuple of Unfit
    blanks : tuple of str
        The words that were found to stand for a blank.
    """

    table: Table
    noticed: tuple[Noticed, ...]
    unfit: tuple[Unfit, ...]
    blanks: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, eq=False)
class Unsettled:
    """Columns before kinds are chosen for them.

    Attributes
    ----------
    came : dict of name to ChunkedArray, Column or LateColumn
        Texts, whose kind is still to be found, or columns in the kind that they came in. A late
        one stays late in that kind, and is read for another.
    where : str
        What the source is called in what is said.
    written : Written
        How numbers and dates are written in the texts.
    guesses : tuple of Noticed
        What nothing in the texts decides.
    gaps : mapping of name to bool array
        The rows from a file that does not have the column.
    blank_words : tuple of str
        What may stand for a blank among values of one kind.
    """

    came: dict[str, pa.ChunkedArray | AnyColumn]
    where: str
    written: Written = Written()
    guesses: tuple[Noticed, ...] = ()
    gaps: Mapping[str, NDArray[np.bool_]] = field(default_factory=dict)
    blank_words: tuple[str, ...] = ()
    _found: dict[str, _Made] = field(default_factory=dict)

    @property
    def size(self) -> int:
        """How many bytes its texts take, beside the columns that were made of them."""
        texts = (came for came in self.came.values() if isinstance(came, pa.ChunkedArray))
        return sum(int(came.nbytes) for came in texts)

    def in_kinds(self, kinds: Mapping[str, Kind], report: Report = quiet) -> Settled:
        """Return the columns in the kinds chosen, or else in those that all their rows allow.

        A column whose kind was found before is the same object again.

        Raises
        ------
        Cancelled
            Raised by `report` once the user has asked to stop.
        """
        report(0.0, tr("Settling kinds of {where}", where=self.where))
        made: dict[str, _Made] = {}
        with ThreadPoolExecutor(os.cpu_count()) as threads:  # Arrow lets go of the interpreter lock
            waiting = {n: threads.submit(self._made, n, kinds.get(n)) for n in self.came}
            try:
                for done, (name, future) in enumerate(waiting.items(), start=1):
                    made[name] = future.result()
                    report(done / len(waiting), tr("Settling kinds of {where}", where=self.where))
            finally:
                for future in waiting.values():
                    # Those under way go on to their end; they have nothing that anybody waits for.
                    future.cancel()
        unfit = tuple(one.unfit for one in made.values() if one.unfit is not None)
        blanks = {name: one.blanks for name, one in made.items() if one.blanks}
        noticed = (
            *_unfit_noticed(unfit),
            *self.guesses,
            *blanks_noticed(blanks),
            *(said for one in made.values() for said in one.noticed),
        )
        words = tuple(dict.fromkeys(word for found in blanks.values() for word in found))
        # in the order of the source, whichever was done first
        columns = {name: one.column for name, one in made.items()}
        return Settled(Table.of(columns), noticed, unfit, words)

    def _made(self, name: str, kind: Kind | None) -> _Made:
        if kind is None:
            return self._in_found_kind(name)
        column = self._column_of(name)
        came = self.came[name]
        # what was said of a late column as it came is true of it in any kind
        said = came.noticed if isinstance(came, LateColumn) else ()
        words: dict[str, int] = {}
        # Words that stand for a blank are no values that the chosen kind fails to hold.
        if column.kind is Kind.TEXT and kind is not Kind.TEXT:
            rest, words = self._without_words(column.to_arrow(), column)
            column = from_arrow(rest) if words else column
        changed, lost = changed_kind(column, kind, name, self.written)
        merged = _merged(column.to_arrow(), changed, name) if column.kind is Kind.TEXT else ()
        return _Made(self._with_gaps(name, changed), (*said, *merged), lost, words)

    def _column_of(self, name: str) -> Column:
        came = self.came[name]
        if isinstance(came, LateColumn):
            return came.column
        return came if isinstance(came, Column) else from_arrow(came)

    def _in_found_kind(self, name: str) -> _Made:
        if name not in self._found:
            came = self.came[name]
            if isinstance(came, LateColumn):
                assert name not in self.gaps, "gaps come of folders, whose files are read whole"
                slip = partial(_slip, name=name, written=self.written)
                self._found[name] = _Made(came.told_with(slip))
                return self._found[name]
            if isinstance(came, Column):
                made = _Made(came, _slip(came, name, self.written))
            else:
                made = self._of_texts(came, name)
            assert isinstance(made.column, Column)
            if made.column.kind is Kind.TEXT:  # it has every text as it came
                # Each thread has a column of its own, and a dictionary takes one key after the
                # other.
                self.came[name] = made.column
            self._found[name] = replace(made, column=self._with_gaps(name, made.column))
        return self._found[name]

    def _of_texts(self, texts: pa.ChunkedArray, name: str) -> _Made:
        """Return texts in the kind that all of them allow, or all but words for a blank."""
        column = column_of_texts(texts, self.written)
        if column.kind is not Kind.TEXT:
            return _Made(column, _merged(texts, column, name))
        rest, words = self._without_words(texts, column)
        if words:
            values = column_of_texts(rest, self.written)
            if values.kind is not Kind.TEXT:
                return _Made(values, _merged(rest, values, name), blanks=words)
        return _Made(column, _slip(column, name, self.written))

    def _without_words(
        self, texts: pa.StringArray | pa.ChunkedArray, column: Column
    ) -> tuple[pa.ChunkedArray, dict[str, int]]:
        """Return texts without the words that may stand for a blank, and how many there were.

        `column` holds the same texts: its dictionary tells at once that most have none.
        """
        assert column.dictionary is not None
        # Looked for among the different texts, not among the rows.
        is_word = pc.is_in(column.dictionary, pa.array(self.blank_words, pa.string()))
        found = column.dictionary.filter(is_word)
        # A column of nothing but such words is one of words: where none is a value, none is a
        # blank.
        if not len(found) or len(found) == len(column.dictionary):
            return texts, {}
        # The dictionary told which words there are; only now every row is looked at.
        is_blank = pc.is_in(texts, found)
        counts = pc.value_counts(texts.filter(is_blank)).to_pylist()
        rest = pc.if_else(is_blank, pa.scalar(None, pa.string()), texts)
        whole = rest if isinstance(rest, pa.ChunkedArray) else pa.chunked_array([rest])
        return whole, {one["values"]: one["counts"] for one in counts}

    def _with_gaps(self, name: str, column: Column) -> Column:
        if name not in self.gaps:
            return column
        # A copy: the column without gaps is kept for the kind that it has.
        state = np.zeros(len(column), np.uint8) if column.state is None else column.state.copy()
        state[self.gaps[name]] = GAP
        return replace(column, state=state)


def _merged(texts: pa.Array | pa.ChunkedArray, column: Column, name: str) -> tuple[Noticed, ...]:
    """Say where texts that are written differently became one value."""
    found = merged_texts(texts, column)
    if found is None:
        return ()
    one, other = found.texts
    text = tr(
        "“{one}” and “{other}” in “{name}” are one value, read as {kind}: "
        "{rows} of values that are written in several ways, the first "
        "in row {rows_1:,}.",
        one=one,
        other=other,
        name=name,
        kind=column.kind,
        rows=counted(len(found.rows), "row"),
        rows_1=int(found.rows[0]) + 1,
    )
    remedy = Reread(tr("Keep “{name}” as text", name=name), kinds={name: Kind.TEXT})
    return (Noticed(text, len(found.rows), remedy),)


def blanks_noticed(blanks: Mapping[str, Mapping[str, int]]) -> tuple[Noticed, ...]:
    """Say which words were taken for blanks, in how many cells of which columns."""
    if not blanks:
        return ()
    words = dict.fromkeys(word for found in blanks.values() for word in found)
    cells = sum(sum(found.values()) for found in blanks.values())
    quoted = listed([f"“{word}”" for word in words])
    names = [f"“{name}”" for name in blanks]
    columns = listed(names) if len(names) <= _NAMED else tr("{names:,} columns", names=len(names))
    text = tr_n(
        len(words),
        "{quoted} stands for no value among the values of {columns}, so is a blank: {become}.",
        "{quoted} stand for no value among the values of {columns}, so are blanks: {become}.",
        quoted=quoted,
        columns=columns,
        become=tr_n(cells, "{n:,} cell is blank now", "{n:,} cells are blank now"),
    )
    return (Noticed(text, cells, Reread(tr("Keep as text"), layout={"blanks": ()})),)


def _slip(column: Column, name: str, written: Written) -> tuple[Noticed, ...]:
    """Say where nearly all texts of a column could be of another kind."""
    likely = likely_kind(column, written)
    if likely is None:
        return ()
    kind = likely.kind
    remedy = Reread(tr("Read “{name}” as {kind}", name=name, kind=kind), kinds={name: kind})
    if not likely.unfit:
        text = tr(
            "All {fit:,} values of “{name}” look like {kind}s kept as text.",
            fit=likely.fit,
            name=name,
            kind=kind,
        )
        return (Noticed(text, likely.fit, remedy),)
    are = tr_n(likely.unfit, "{n:,} value is not", "{n:,} values are not")
    text = tr(
        "“{name}” is text, though {fit:,} of its values look like {kind}s: {are}, "
        "such as “{odd}” in row {odd_row:,}.",
        name=name,
        fit=likely.fit,
        kind=kind,
        are=are,
        odd=likely.odd,
        odd_row=likely.odd_row + 1,
    )
    return (Noticed(text, likely.unfit, remedy),)


def _unfit_noticed(unfit: Sequence[Unfit]) -> tuple[Noticed, ...]:
    """Say which values the kind chosen for their column does not hold, or not whole."""
    said = []
    for one in unfit:
        values = counted(len(one.rows), "value")
        became = tr("is blank") if len(one.rows) == 1 else tr("are blank")
        if one.is_cut:
            became = tr("has lost its") if len(one.rows) == 1 else tr("have lost their")
            became += tr(" time of day")
        text = tr(
            "{values} of “{column}” cannot be read as {kind} and {became} now, such as "
            "“{texts_1}” in row {rows_1:,}.",
            values=values,
            column=one.column,
            kind=one.kind,
            became=became,
            texts_1=one.texts[0],
            rows_1=int(one.rows[0]) + 1,
        )
        kind = Kind.DATE_TIME if one.is_cut else Kind.TEXT
        remedy = Reread(
            tr("Keep “{column}” as {kind}", column=one.column, kind=kind), kinds={one.column: kind}
        )
        said.append(Noticed(text, len(one.rows), remedy))
    return tuple(said)
