"""Columns as they came from a source, and the kinds they are given: found, or chosen by somebody.

A kind can be chosen again without reading anything again, since what came is still there.
"""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from keen_trellis.data import GAP, Column, Kind, Table, from_arrow
from keen_trellis.data.kind_changes import Unfit, changed_kind, likely_kind
from keen_trellis.data.reading_texts import column_of_texts
from keen_trellis.data.written import Written
from keen_trellis.progress import Report, quiet
from keen_trellis.read.noticed import Noticed, Reread

_Made = tuple[Column, Unfit | None, Noticed | None]


@dataclass(frozen=True, slots=True, eq=False)
class Settled:
    """A table whose columns have their kinds, and what is to be said about them.

    Attributes
    ----------
    table : Table
    noticed : tuple of Noticed
    unfit : tuple of Unfit
    """

    table: Table
    noticed: tuple[Noticed, ...]
    unfit: tuple[Unfit, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Unsettled:
    """Columns before kinds are chosen for them.

    Attributes
    ----------
    came : dict of name to ChunkedArray or Column
        Texts, whose kind is still to be found, or columns in the kind that they came in.
    where : str
        What they are from, in a word or two.
    written : Written
        How numbers and dates are written in texts.
    guesses : tuple of Noticed
        What nothing in the texts decides.
    gaps : mapping of name to bool array
        The rows from a file that does not have the column.
    """

    came: dict[str, pa.ChunkedArray | Column]
    where: str
    written: Written = Written()
    guesses: tuple[Noticed, ...] = ()
    gaps: Mapping[str, NDArray[np.bool_]] = field(default_factory=dict)
    _found: dict[str, Column] = field(default_factory=dict)

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
        report(0.0, f"Settling kinds of {self.where}")
        made: dict[str, Column] = {}
        likely: list[Noticed] = []
        unfit: list[Unfit] = []
        with ThreadPoolExecutor(os.cpu_count()) as threads:  # Arrow lets go of the interpreter lock
            waiting = {n: threads.submit(self._made, n, kinds.get(n)) for n in self.came}
            try:
                for done, (name, future) in enumerate(waiting.items(), start=1):
                    made[name], lost, seen = future.result()
                    unfit += [lost] if lost else []
                    likely += [seen] if seen else []
                    report(done / len(waiting), f"Settling kinds of {self.where}")
            finally:
                for future in waiting.values():
                    future.cancel()
        noticed = (*_unfit_noticed(unfit), *self.guesses, *likely)
        return Settled(Table.of(made), noticed, tuple(unfit))

    def _made(self, name: str, kind: Kind | None) -> _Made:
        if kind is None:
            found = self._in_found_kind(name)
            return found, None, _slip(found, name, self.written)
        came = self.came[name]
        column = came if isinstance(came, Column) else from_arrow(came)
        changed, lost = changed_kind(column, kind, name, self.written)
        return self._with_gaps(name, changed), lost, None

    def _in_found_kind(self, name: str) -> Column:
        if name not in self._found:
            came = self.came[name]
            column = came if isinstance(came, Column) else column_of_texts(came, self.written)
            if column.kind is Kind.TEXT:  # it has every text as it came
                self.came[name] = column
            self._found[name] = self._with_gaps(name, column)
        return self._found[name]

    def _with_gaps(self, name: str, column: Column) -> Column:
        if name not in self.gaps:
            return column
        state = np.zeros(len(column), np.uint8) if column.state is None else column.state.copy()
        state[self.gaps[name]] = GAP
        return Column(
            column.kind, column.values, state, dictionary=column.dictionary, scale=column.scale
        )


def _slip(column: Column, name: str, written: Written) -> Noticed | None:
    """Say where nearly all texts of a column could be of another kind; None where not."""
    likely = likely_kind(column, written)
    if likely is None:
        return None
    kind = likely.kind
    remedy = Reread(f"Read “{name}” as {kind}", kinds={name: kind})
    if not likely.unfit:
        text = f"All {likely.fit:,} values of “{name}” look like {kind}s kept as text."
        return Noticed(text, likely.fit, remedy)
    are = "1 value is not" if likely.unfit == 1 else f"{likely.unfit:,} values are not"
    return Noticed(
        f"“{name}” is text, though {likely.fit:,} of its values look like {kind}s: {are}, "
        f"such as “{likely.odd}” in row {likely.odd_row + 1:,}.",
        likely.unfit,
        remedy,
    )


def _unfit_noticed(unfit: Sequence[Unfit]) -> tuple[Noticed, ...]:
    """Say which values are none of the kind chosen for their column."""
    return tuple(
        Noticed(
            f"{len(u.rows):,} {'value of' if len(u.rows) == 1 else 'values of'} “{u.column}” "
            f"cannot be read as {u.kind} and {'is' if len(u.rows) == 1 else 'are'} blank now, such "
            f"as “{u.texts[0]}” in row {int(u.rows[0]) + 1:,}.",
            len(u.rows),
            Reread(f"Keep “{u.column}” as text", kinds={u.column: Kind.TEXT}),
        )
        for u in unfit
    )
