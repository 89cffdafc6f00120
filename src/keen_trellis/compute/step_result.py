"""What a step gave: its rows before and after, the cells that differ, what could not be done."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.words import counted, listed
from keen_trellis.compute.formula.logic import keys_of
from keen_trellis.compute.sizes import table_size
from keen_trellis.data import PRESENT, Column, Rows, Table
from keen_trellis.plan.counts import Group

Flags = NDArray[np.bool_]

_TOLD = 3


@dataclass(frozen=True, eq=False)  # no slots: what is counted is kept once known
class Stepped:
    """The rows of a lane on either side of a step.

    Attributes
    ----------
    before, outcome : Table
    changed : mapping of column to ndarray of bool
        Where a step keeps the rows as they are: the cells that differ, by the name after it.
    added : tuple of str
        The columns that are new.
    faults : mapping of sentence to ndarray of bool
        The rows for which a value could not be worked out, by the reason.
    cuts : mapping of sentence to ndarray of bool
        The rows for which only a part of a value is left, by what is gone.
    rows : ndarray of row numbers, or None
        Where rows are only chosen: those that go on.
    says : str
        What became of the rows, where it is none of what is counted.
    others : tuple of str
        Where values become columns: those of the field that are none yet, as they are shown.
    """

    before: Table
    outcome: Table
    changed: Mapping[str, Flags] = field(default_factory=dict)
    added: tuple[str, ...] = ()
    faults: Mapping[str, Flags] = field(default_factory=dict)
    cuts: Mapping[str, Flags] = field(default_factory=dict)
    rows: Rows | None = None
    says: str = ""
    others: tuple[str, ...] = ()

    @cached_property
    def changed_rows(self) -> NDArray[np.intp]:
        """The rows in which any cell differs, or could not be worked out."""
        found = np.zeros(len(self.before), np.bool_)
        # Only then does row n before stand beside row n after; flags of other steps are about one
        # side alone.
        if len(self.before) == len(self.outcome):
            for flags in (*self.changed.values(), *self.faults.values(), *self.cuts.values()):
                found = found | flags
        return np.flatnonzero(found)

    @cached_property
    def only_changed(self) -> tuple[Table, Table, dict[str, Flags]]:
        """The changed rows before and after, and which of their cells differ."""
        rows = self.changed_rows
        marks = {name: flags[rows] for name, flags in self.changed.items()}
        return self.before.take(rows), self.outcome.take(rows), marks

    @cached_property
    def left_out(self) -> Table | None:
        """The rows that do not go on; None where a step does more than choose rows."""
        if self.rows is None:
            return None
        # A flag a row and not a set of numbers: the order of those left out is that of the lane.
        stays = np.ones(len(self.before), np.bool_)
        stays[self.rows] = False
        return self.before.take(np.flatnonzero(stays))

    @property
    def groups(self) -> tuple[Group, ...]:
        """The rows that it was given, by what became of them."""
        if self.left_out is not None:
            left_out = Group("left out", len(self.left_out), False)
            return Group("kept", len(self.outcome)), left_out
        return (Group("kept", len(self.outcome)),)

    @property
    def numbers(self) -> dict[str, int]:
        """What became of its rows."""
        found = {"rows": len(self.outcome), "before": len(self.before)}
        if self.changed or self.faults or self.cuts:
            found["changed"] = len(self.changed_rows)
        if self.left_out is not None:
            found["left_out"] = len(self.left_out)
        if self.cuts:
            found["cut"] = sum(int(np.count_nonzero(rows)) for rows in self.cuts.values())
        if self.faults:
            found["faults"] = sum(int(np.count_nonzero(rows)) for rows in self.faults.values())
        return found

    @property
    def size(self) -> int:
        """The bytes that it holds for itself."""
        flags = (*self.changed.values(), *self.faults.values(), *self.cuts.values())
        # A strand handed on as it is belongs to the step before, which counts it.
        known = {id(strand) for strand in self.before.strands}
        own = tuple(one for one in self.outcome.strands if id(one) not in known)
        # No fields: only what lies in the strands has a size.
        made = Table((), own, len(self.outcome))
        return table_size(made) + sum(int(one.nbytes) for one in flags)

    def look_ahead(self) -> None:
        """Work out what somebody will look at, so that nobody has to wait then."""
        # Called in the worker thread: what is cached here is only read by the window.
        _ = self.sentence()
        _ = self.only_changed if self.changed or self.faults else self.left_out

    def sentence(self) -> str:
        """Return what became of the rows, in plain words."""
        said = [self._rows_said, *self.became, *self.faults_said]
        return " ".join(f"{one}." for one in said if one)

    @property
    def faults_said(self) -> list[str]:
        """How many rows have a blank, or a part of a value, by what could not be done."""
        blank = [
            tr(
                "{rows} left blank by {why}",
                rows=counted(int(np.count_nonzero(rows)), "row"),
                why=why,
            )
            for why, rows in self.faults.items()
        ]
        return blank + [
            tr("{rows} without {what}", rows=counted(int(np.count_nonzero(rows)), "row"), what=what)
            for what, rows in self.cuts.items()
        ]

    @cached_property
    def _rows_said(self) -> str:
        before, after = len(self.before), len(self.outcome)
        if self.says:
            return self.says
        if self.left_out is not None:
            kept = tr(
                "{after:,} of {rows} go on, {before:,} are left out",
                after=after,
                rows=counted(before, "row"),
                before=before - after,
            )
            return kept if before != after else tr("All {rows} go on", rows=counted(before, "row"))
        if before != after:
            return tr("{rows} become {after:,}", rows=counted(before, "row"), after=after)
        if self.changed:
            return tr_n(
                len(self.changed_rows),
                "{n:,} of {rows} changes",
                "{n:,} of {rows} change",
                rows=counted(before, "row"),
            )
        if self.added:
            return tr("{added} for {rows}", added=listed(self.added), rows=counted(before, "row"))
        return tr("{rows} go on", rows=counted(before, "row"))

    @cached_property
    def became(self) -> list[str]:
        """How many distinct values of the changed columns become how many others."""
        found = []
        for name, flags in self.changed.items():
            rows = np.flatnonzero(flags)
            if len(rows) and name in self.before.columns:
                # Of the changed cells alone: a value that stays in other rows has become another
                # one all the same.
                old = _distinct(self.before.column(name).take(rows))
                new = _distinct(self.outcome.column(name).take(rows))
                if not old:
                    found.append(
                        tr(
                            "{cells} of {name} without a value get one",
                            cells=counted(len(rows), "cell"),
                            name=name,
                        )
                    )
                elif not new:
                    found.append(
                        tr(
                            "{values} of {name} become blanks",
                            values=counted(len(rows), "value"),
                            name=name,
                        )
                    )
                else:
                    words = counted(old, "distinct value")
                    found.append(
                        tr(
                            "{words} of {name} become {others}",
                            words=words,
                            name=name,
                            others=counted(new, "other"),
                        )
                    )
        more = len(found) - _TOLD
        return (
            [*found[:_TOLD], tr("and {columns} more", columns=counted(more, "column"))]
            if more > 0
            else found
        )


def differs(old: Column, new: Column) -> Flags:
    """Return the cells that differ; where the kinds do, those that are not shown as before."""
    had, has = ~_absent(old), ~_absent(new)
    if old.kind is not new.kind:
        # Null beside null is null here, and no difference; one side alone is told by `had !=
        # has`.
        shown = pc.equal(old.texts(), new.texts()).fill_null(True)
        found: Flags = (had != has) | ~np.asarray(shown.to_numpy(zero_copy_only=False), np.bool_)
        return found
    # Keys mean something where both have a value only; a blank that became a gap is told by the
    # states.
    a, b = keys_of(old, new)
    states = np.zeros(len(old), np.bool_)
    if old.state is not None or new.state is not None:
        states = _state(old) != _state(new)
    found = states | (had & has & (a != b))
    return found


def _absent(column: Column) -> Flags:
    return np.zeros(len(column), np.bool_) if column.absent is None else column.absent


def _state(column: Column) -> NDArray[np.uint8]:
    return np.zeros(len(column), np.uint8) if column.state is None else column.state


def _distinct(column: Column) -> int:
    """Return how many different values a column has."""
    from keen_trellis.compute.join.keys import own_codes

    present = column.take(np.flatnonzero(~_absent(column)))
    return len(np.unique(own_codes(present).left)) if len(present) else column.count(PRESENT)
