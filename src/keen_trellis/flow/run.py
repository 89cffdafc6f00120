"""Running a trellis: every lane read, every tie matched, and only what changed done again."""

from __future__ import annotations

import contextlib
import datetime as dt
import hashlib
import threading
from collections.abc import Callable, Container
from dataclasses import dataclass, field, replace
from typing import TypeVar

from keen_trellis.compute.join.pairing import paired
from keen_trellis.compute.tied import Tied
from keen_trellis.data import Table
from keen_trellis.errors import (
    SourceError,
    TooManyRowsError,
    UnknownColumnError,
    UserError,
    WaitingError,
)
from keen_trellis.flow.document import Lane, TieItem, Trellis
from keen_trellis.flow.sources import Source
from keen_trellis.plan.bays import Bay
from keen_trellis.progress import Cancelled, Report, part, quiet
from keen_trellis.read import Reading, Secrets

_T = TypeVar("_T")
_LOOK_UP_S = 0.05
CELLS_COUNTED_AT_MOST = 20_000
"""Of outcomes with more rows, gaps and blanks are not counted at every run."""

_RUNS_KEPT = 3
"""For how many runs the cache keeps what nobody asked for: an undo finds it there."""


@dataclass(frozen=True, slots=True)
class Results:
    """What a run of a trellis gave. Where a part failed, its error stands in its place.

    Attributes
    ----------
    trellis : Trellis
        The one that these are the results of; no other may be paired with them.
    readings : dict of lane id to Reading or UserError
    rows : dict of part id to Table or UserError
        The rows of a lane as they were read (by the lane's id), and after each of its items (by
        the item's).
    ties : dict of tie id to Tie or UserError
    read_at : datetime or None
        When the oldest of the sources was read.
    """

    trellis: Trellis = field(default_factory=Trellis)
    readings: dict[str, Reading | UserError] = field(default_factory=dict)
    rows: dict[str, Table | UserError] = field(default_factory=dict)
    ties: dict[str, Tied | UserError] = field(default_factory=dict)
    read_at: dt.datetime | None = None

    def errors(self) -> list[UserError]:
        """Return what went wrong, each once, sources first; not what only waits for it."""
        found = [*self.readings.values(), *self.ties.values()]
        unique = {id(e): e for e in found if isinstance(e, UserError)}
        return [e for e in unique.values() if not isinstance(e, WaitingError)]

    def sides(self, tie_id: str) -> tuple[Table | UserError | None, Table | UserError | None]:
        """Return the rows that a tie brings together, as far as they are known."""
        try:
            tie = self.trellis.tie(tie_id)
        except KeyError:
            return None, None
        before, taken = self.trellis.before(tie_id), self.trellis.taken_after(tie)
        return self.rows.get(before), self.rows.get(taken)


@dataclass(slots=True)
class _Kept:
    value: object
    last_run: int


@dataclass(slots=True)
class _Read:
    reading: Reading
    at: dt.datetime
    stamp: str
    last_run: int


class Runner:
    """Runs trellises, and keeps what it read and matched for the next run.

    A source is read again only when asked for. What is worked out from it is kept by content: by
    the sources read, and by the settings of every item up to it. A run waits for one that another
    thread has begun.
    """

    def __init__(self, secrets: Secrets | None = None) -> None:
        self.secrets = secrets or Secrets()
        self._sources: dict[str, _Read] = {}
        self._kept: dict[str, _Kept] = {}
        self._run = 0
        self._free = threading.Lock()

    def run(
        self, trellis: Trellis, report: Report = quiet, reread: bool | Container[str] = False
    ) -> Results:
        """Return what every lane and tie of a trellis gives.

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
        before = dict(self._sources)
        for lane in trellis.lanes:
            if reread is True or (reread and lane.id in reread):
                self._sources.pop(_name(lane.source), None)
        try:
            results = _Running(self, trellis, report).results()
        except Cancelled:
            self._sources = {**before, **self._sources}  # what was read last stays what is shown
            raise
        self._forget()
        return results

    def read(self, source: Source, report: Report = quiet) -> _Read:
        """Return the rows of a source, read now or kept from before."""
        name = _name(source)
        if name not in self._sources:
            reading = source.read(self.secrets, report)
            at = dt.datetime.now()
            self._sources[name] = _Read(reading, at, _digest(name, at.isoformat()), self._run)
        read = self._sources[name]
        read.last_run = self._run
        return read

    def kept(self, key: str, make: Callable[[], _T]) -> _T:
        """Return what is kept under a key, made when it is not."""
        if key not in self._kept:
            self._kept[key] = _Kept(make(), self._run)
        kept = self._kept[key]
        kept.last_run = self._run
        return kept.value  # type: ignore[return-value]  # one key, one type

    def _forget(self) -> None:
        oldest = self._run - _RUNS_KEPT
        self._kept = {key: kept for key, kept in self._kept.items() if kept.last_run > oldest}
        self._sources = {k: read for k, read in self._sources.items() if read.last_run > oldest}


@dataclass(slots=True)
class _Running:
    """One run. Each table is worked out once, when something first asks for it."""

    runner: Runner
    trellis: Trellis
    report: Report
    found: Results = field(init=False)
    keys: dict[tuple[str, int], str] = field(default_factory=dict)
    steps_done: int = 0

    def __post_init__(self) -> None:
        self.found = Results(self.trellis)

    def results(self) -> Results:
        for lane in self.trellis.lanes:
            self.table(lane, len(lane.items))
        used = {_name(lane.source) for lane in self.trellis.lanes}
        times = [read.at for name, read in self.runner._sources.items() if name in used]
        return replace(self.found, read_at=min(times, default=None))

    def table(self, lane: Lane, place: int) -> Table | UserError:
        part_id = self.trellis.part_at(lane, place)
        if part_id not in self.found.rows:
            self.found.rows[part_id] = self._made(lane, place)
        return self.found.rows[part_id]

    def _made(self, lane: Lane, place: int) -> Table | UserError:
        if place == 0:
            return self._read(lane)
        before = self.table(lane, place - 1)
        item = lane.items[place - 1]
        self.keys[lane.id, place] = self.keys.get((lane.id, place - 1), "")
        if not isinstance(item, TieItem):
            return before
        tie = self.found.ties[item.id] = self._tied(lane, place, item, before)
        return tie if isinstance(tie, UserError) else tie.outcome

    def _read(self, lane: Lane) -> Table | UserError:
        try:
            read = self.runner.read(lane.source, self._share())
        except (SourceError, UnknownColumnError) as error:
            self.found.readings[lane.id] = error
            return WaitingError(lane.name, error)
        self.found.readings[lane.id] = read.reading
        key = self.keys[lane.id, 0] = _digest(read.stamp, lane.id)
        return self.runner.kept(key, lambda: read.reading.table.with_origin(lane.id))

    def _tied(
        self, lane: Lane, place: int, item: TieItem, left: Table | UserError
    ) -> Tied | UserError:
        other = self.trellis.lane(item.lane)
        taken = self.trellis.taken_place(item)
        right = self.table(other, taken)
        if isinstance(left, UserError):
            return WaitingError(lane.name, left)
        if isinstance(right, UserError):
            return WaitingError(other.name, right)
        link, names = item.match_link(), (lane.name, other.name)
        columns = item.wanted_columns()
        matched = _digest(self.keys[lane.id, place - 1], self.keys[other.id, taken], repr(link))
        shaped = _digest(matched, *names, *item.keep, repr(columns))
        self.keys[lane.id, place] = shaped

        def tied() -> Tied:
            found = self.runner.kept(
                matched, lambda: paired(left, right, link, names, self._share())
            )
            tie = Tied(left, right, link, item.keep, found, names, columns)
            _ = tie.outcome
            for bay in Bay:  # made here, not when somebody looks and has to wait
                with contextlib.suppress(TooManyRowsError):
                    tie.bay(bay)
            if len(tie.outcome) <= CELLS_COUNTED_AT_MOST:
                _ = tie.empty_cells
            return tie

        try:
            return self.runner.kept(shaped, tied)
        except UserError as error:
            return error

    def _share(self) -> Report:
        """Return the report of the next piece of work, all pieces being taken as equally long."""
        pieces = sum(1 + len(lane.items) for lane in self.trellis.lanes)
        start = min(self.steps_done / max(pieces, 1), 1.0)
        self.steps_done += 1
        return part(self.report, start, min(start + 1 / max(pieces, 1), 1.0))


def _name(source: Source) -> str:
    return source.model_dump_json()


def _digest(*parts: str) -> str:
    return hashlib.sha256("\x00".join(parts).encode()).hexdigest()
