"""Running a trellis: sources read, nodes run, and what they gave kept by digest."""

from __future__ import annotations

import contextlib
import datetime as dt
import hashlib
import json
import os
import threading
from collections import OrderedDict
from collections.abc import Callable, Container, Sequence
from dataclasses import dataclass, replace
from typing import Any

from keen_trellis.compute.execute import Given, execute
from keen_trellis.compute.filtered import Filtered
from keen_trellis.compute.promised import Checked, checked
from keen_trellis.compute.schemas import schema_of
from keen_trellis.compute.sizes import size_of
from keen_trellis.compute.stepped import Stepped
from keen_trellis.compute.tied import Tied
from keen_trellis.document.items import JoinItem
from keen_trellis.document.sources import BaySource, InTrellis, Source
from keen_trellis.document.trellis import Lane, Trellis
from keen_trellis.errors import (
    NotAllowedError,
    SourceError,
    TooManyRowsError,
    UnknownColumnError,
    UserError,
    WaitingError,
)
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.nodes import Node, Outcome, Read
from keen_trellis.progress import Cancelled, Report, part, quiet
from keen_trellis.read import Reading, Secrets
from keen_trellis.run.planning import Plan, planned
from keen_trellis.run.results import CELLS_COUNTED_AT_MOST, Results

_LOOK_UP_S = 0.05
_RUNS_KEPT = 3
"""For how many runs a source is kept that no lane reads any more: an undo finds it there."""


def usual_budget() -> int:
    """Return the bytes that results may take: a quarter of the machine's memory."""
    try:
        return os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE") // 4
    except (ValueError, OSError):  # a system that does not tell
        return 2 << 30


@dataclass(slots=True)
class _Came:
    """A source as it came, before kinds are chosen: another choice reads nothing again."""

    reading: Reading
    at: dt.datetime
    last_run: int

    @property
    def size(self) -> int:
        return 0 if self.reading.unsettled is None else self.reading.unsettled.size


@dataclass(slots=True)
class _Source:
    """A source with its kinds chosen; `came` is the name of what it was made of."""

    reading: Reading
    at: dt.datetime
    stamp: str
    came: str
    last_run: int


@dataclass(slots=True)
class _Kept:
    value: Any
    size: int
    last_run: int


class Runner:
    """Runs trellises, and keeps what it read and worked out for the next run.

    A source is read again only when asked for. What a node gives is kept by the node's digest, so
    an edit that changes no rows runs nothing, and what is equal is shared wherever it stands. What
    was asked for least lately goes first once a budget of bytes is used up; what the last run gave
    stays. A run waits for one that another thread has begun.

    Parameters
    ----------
    secrets : Secrets, optional
    budget : int, optional
        In bytes; a quarter of the machine's memory where not given.
    refuses : callable, optional
        Returns what a source wants that nobody has allowed, in words; such a one is not read. All
        are where not given.
    rows_at_most : int, optional
        Of each source, for a run on samples.
    """

    def __init__(
        self,
        secrets: Secrets | None = None,
        budget: int | None = None,
        refuses: Callable[[Source], Sequence[str]] | None = None,
        rows_at_most: int | None = None,
    ) -> None:
        self.secrets = secrets or Secrets()
        self._refuses = refuses
        self._rows_at_most = rows_at_most
        self.budget = usual_budget() if budget is None else budget
        self._came: dict[str, _Came] = {}
        self._sources: dict[str, _Source] = {}
        self._kept: OrderedDict[str, _Kept] = OrderedDict()
        self._run = 0
        self._free = threading.Lock()

    def run(
        self, trellis: Trellis, report: Report = quiet, reread: bool | Container[str] = False
    ) -> Results:
        """Return what every part of a trellis gives.

        Parameters
        ----------
        trellis : Trellis
            With absolute paths, or such as are right from the current folder.
        report : Report
        reread : bool, or a container of lane ids
            Whether to read every source anew, or the lanes whose sources to read anew.

        Raises
        ------
        Cancelled
            Raised by `report` once the user has asked to stop; what was done so far is kept.
        """
        while not self._free.acquire(timeout=_LOOK_UP_S):
            report(0.0, "Waiting for the work before")
        try:
            return self._results(trellis, report, reread)
        finally:
            self._free.release()

    def _results(self, trellis: Trellis, report: Report, reread: bool | Container[str]) -> Results:
        self._run += 1
        before = dict(self._came), dict(self._sources)
        for lane in trellis.lanes:
            if reread is True or (reread and lane.id in reread):
                self._read_anew(_name(lane.source.with_kinds({})))
        try:
            results = _Running(self, trellis, report).results()
        except Cancelled:  # what was read last stays what is shown
            self._came = {**before[0], **self._came}
            self._sources = {**before[1], **self._sources}
            raise
        self._forget()
        return results

    def read(self, source: Source, report: Report = quiet) -> _Source:
        """Return the rows of a source, read now or kept from before.

        Raises
        ------
        SourceError
            It cannot be read, or may not be.
        """
        refused = self._refuses(source) if self._refuses is not None else ()
        if refused:
            raise NotAllowedError("it", refused, "Allow it, if you know where the trellis is from.")
        name, came = _name(source), _name(source.with_kinds({}))
        if name not in self._sources:
            if came in self._came:
                reading = self._came[came].reading.in_kinds(source.kinds, report)
            else:
                self._read_anew(came)
                reading = source.read(self.secrets, report, self._rows_at_most)
                self._came[came] = _Came(reading, dt.datetime.now(), self._run)
            at = self._came[came].at
            stamp = hashlib.sha256(f"{name}\x00{at.isoformat()}".encode()).hexdigest()
            settled = replace(reading, unsettled=None)
            if self._rows_at_most is not None:  # a sheet is read whole all the same
                first = settled.table.window(0, self._rows_at_most)
                settled = replace(settled, columns=replace(settled.columns, table=first))
            self._sources[name] = _Source(settled, at, stamp, came=came, last_run=self._run)
        read = self._sources[name]
        read.last_run = self._run
        if came in self._came:
            self._came[came].last_run = self._run
        return read

    def _read_anew(self, came: str) -> None:
        """Let go of a source, in whatever kinds it was."""
        self._came.pop(came, None)
        self._sources = {k: read for k, read in self._sources.items() if read.came != came}

    def result(self, node: Node, report: Report = quiet) -> Any:
        """Return what a node gives, run now or kept from before.

        Raises
        ------
        UserError
            The rows do not allow it.
        """
        if node.digest not in self._kept:
            inputs = [self.result(one, report) for one in node.inputs()]
            value = execute(node, [_rows_of(one) for one in inputs], report)
            _look_ahead(value)
            self.keep(node.digest, value)
        return self.kept(node.digest)

    def kept(self, digest: str) -> Any:
        """Return what was kept under a name, and keep it on."""
        kept = self._kept[digest]
        kept.last_run = self._run
        self._kept.move_to_end(digest)
        return kept.value

    def keep(self, digest: str, value: Any) -> None:
        """Keep what a node gave."""
        self._kept[digest] = _Kept(value, size_of(value), self._run)

    def _forget(self) -> None:
        """Let go of what is over the budget, the longest unused first, and of old sources."""
        oldest = self._run - _RUNS_KEPT
        self._sources = {k: read for k, read in self._sources.items() if read.last_run > oldest}
        self._came = {k: came for k, came in self._came.items() if came.last_run > oldest}
        used = sum(kept.size for kept in self._kept.values())
        for name, came in sorted(self._came.items(), key=lambda one: one[1].last_run):
            if used + sum(one.size for one in self._came.values()) <= self.budget:
                break
            if came.size:  # the source will be read again if other kinds are wanted
                del self._came[name]
        used += sum(came.size for came in self._came.values())
        for digest, kept in list(self._kept.items()):
            if used <= self.budget:
                break
            if kept.last_run < self._run:
                del self._kept[digest]
                used -= kept.size


@dataclass(slots=True)
class _Running:
    """One run of one trellis."""

    runner: Runner
    trellis: Trellis
    report: Report
    steps_done: int = 0

    def results(self) -> Results:
        readings: dict[str, Reading | UserError] = {}
        reads: dict[str, Node | UserError] = {}
        times = []
        for lane in self.trellis.lanes:
            if isinstance(lane.source, InTrellis):
                continue
            try:
                source = self.runner.read(lane.source, self._share())
            except (SourceError, UnknownColumnError) as error:
                readings[lane.id] = reads[lane.id] = error
                continue
            readings[lane.id] = source.reading
            times.append(source.at)
            reads[lane.id] = self._read(source, lane.id)
        found = Results(self.trellis, readings, read_at=min(times, default=None))
        self._work_out(planned(self.trellis, reads), found)
        _ = found.facts  # taken here, and not on the thread of whoever shows them
        return found

    def _read(self, source: _Source, lane: str) -> Node:
        """Return the node of a source's rows on a lane, with the rows put in its place."""
        node = Read(source.stamp, lane, schema_of(source.reading.table))
        if node.digest not in self.runner._kept:
            self.runner.keep(node.digest, source.reading.table.with_origin(lane))
        return node

    def _work_out(self, plan: Plan, found: Results) -> None:
        """Run every node, those that others need first, as they stand in the plan."""
        lanes = {lane.id: lane.name for lane in self.trellis.lanes}
        for part_id, node in plan.nodes.items():
            value = self._waiting(part_id, lanes, found) or self._value(node)
            found.rows[part_id] = value if isinstance(value, UserError) else _rows_of(value)
            if part_id not in lanes and self.trellis.item(part_id).gives_rows:
                found.given[part_id] = value
                found.promises[part_id] = self._promises(part_id, node, value)

    def _promises(self, part_id: str, node: Node | UserError, value: Any) -> tuple[Checked, ...]:
        """Return what is promised of a join, checked now or kept from before."""
        item = self.trellis.item(part_id)
        if not isinstance(item, JoinItem) or not isinstance(value, Tied):
            return ()
        assert isinstance(node, Node)
        found = []
        for promise in (one.as_promise() for one in item.promises):
            name = f"{node.digest} {value.names} {promise}"
            if name not in self.runner._kept:
                self.runner.keep(name, checked(promise, value))
            found.append(self.runner.kept(name))
        return tuple(found)

    def _waiting(self, part_id: str, lanes: dict[str, str], found: Results) -> WaitingError | None:
        """Return what a part waits for, where something that it takes could not be worked out."""
        if part_id in lanes:
            return self._waiting_to_begin(self.trellis.lane(part_id), found)
        taken = self.trellis.item(part_id).takes()
        lane, _ = self.trellis.place_of(part_id)
        names = [lane.name, *(lanes[one.lane] for one in taken)]
        for name, rows in zip(names, found.sides(part_id), strict=True):
            if isinstance(rows, UserError):
                return WaitingError(name, rows)
        return None

    def _waiting_to_begin(self, lane: Lane, found: Results) -> WaitingError | None:
        """Return what a lane that begins in the trellis waits for.

        A bay is there although the outcome of its tie is not: it waits for the sides alone.
        """
        after = self.trellis.begins_after(lane)
        sides = found.sides(after) if isinstance(lane.source, BaySource) else ()
        for rows in sides or (found.rows.get(after),):
            if isinstance(rows, UserError):
                return WaitingError(self.trellis.place_after(after)[0].name, rows)
        return None

    def _value(self, node: Node | UserError) -> Any:
        if isinstance(node, UserError):
            return node
        try:
            value = self.runner.result(node, self._share())
        except UserError as error:
            return error
        return self._called(node, value) if isinstance(node, Outcome) else value

    def _called(self, node: Outcome, value: Tied) -> Tied:
        """Return what a join gave with its lanes called as they are now: one object for all runs.

        Looks and pages know by identity that nothing is different.
        """
        names = node.join.names
        if value.names == names:
            return value
        name = f"{node.digest} called {names}"
        if name not in self.runner._kept:
            self.runner.keep(name, value.called(names))
        renamed: Tied = self.runner.kept(name)
        return renamed

    def _share(self) -> Report:
        """Return the report of the next piece of work, all pieces being taken as equally long."""
        pieces = sum(1 + len(lane.items) for lane in self.trellis.lanes)
        start = min(self.steps_done / max(pieces, 1), 1.0)
        self.steps_done += 1
        return part(self.report, start, min(start + 1 / max(pieces, 1), 1.0))


def _look_ahead(value: Any) -> None:
    """Work out what somebody will look at, so that nobody has to wait then."""
    if isinstance(value, Filtered):
        _ = value.left_out
    if isinstance(value, Stepped):
        _ = value.only_changed if value.changed or value.faults else value.left_out
    if isinstance(value, Tied):
        _look_at_bays(value)


def _look_at_bays(tied: Tied) -> None:
    for bay in Bay:
        with contextlib.suppress(TooManyRowsError):
            tied.bay(bay)
    if len(tied.outcome) <= CELLS_COUNTED_AT_MOST:
        _ = tied.empty_cells


def _rows_of(value: Any) -> Any:
    """Return the table that others take of what a node gave; pairs as they are."""
    return value.outcome if isinstance(value, Given) else value


def _name(source: Source) -> str:
    # not by pydantic's own JSON, which refuses a path whose bytes are no text
    return json.dumps(source.model_dump(mode="json"))
