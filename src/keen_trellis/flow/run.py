"""Running a trellis: every lane read, every tie matched, and only what changed done again."""

from __future__ import annotations

import datetime as dt
import hashlib
from collections.abc import Callable, Container
from dataclasses import dataclass, field
from typing import TypeVar

from keen_trellis.data import Table
from keen_trellis.errors import SourceError, UnknownColumnError, UserError
from keen_trellis.flow.document import Lane, TieItem, Trellis
from keen_trellis.flow.sources import Source
from keen_trellis.match import Match, Tie, match, matches
from keen_trellis.match.outcome import CROSS_LIMIT
from keen_trellis.progress import Cancelled, Report, part, quiet
from keen_trellis.read import Reading, Secrets

_T = TypeVar("_T")
_RUNS_KEPT = 3
"""For how many runs the cache keeps what nobody asked for: an undo finds it there."""


@dataclass(frozen=True, slots=True)
class Results:
    """What a run gave. Where a part failed, its error stands in its place.

    Attributes
    ----------
    readings : dict of lane id to Reading or UserError
    tables : dict of (lane id, place) to Table or UserError
        The rows of a lane after so many of its items.
    ties : dict of tie id to Tie or UserError
    read_at : datetime or None
        When the oldest of the sources was read.
    """

    readings: dict[str, Reading | UserError] = field(default_factory=dict)
    tables: dict[tuple[str, int], Table | UserError] = field(default_factory=dict)
    ties: dict[str, Tie | UserError] = field(default_factory=dict)
    read_at: dt.datetime | None = None

    def errors(self) -> list[UserError]:
        """Return what went wrong, each once, sources first."""
        found = [*self.readings.values(), *self.ties.values()]
        unique = {id(e): e for e in found if isinstance(e, UserError)}
        return [e for e in unique.values() if not isinstance(e, WaitingError)]


class WaitingError(UserError):
    """A part cannot be worked out since one before it failed."""

    def __init__(self, lane: str, cause: UserError) -> None:
        super().__init__(f"{lane} has no rows to bring here: {cause.happened}", cause.remedy)


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
    the sources read, and by the settings of every item up to it. One run at a time.
    """

    def __init__(self, secrets: Secrets | None = None) -> None:
        self.secrets = secrets or Secrets()
        self._sources: dict[str, _Read] = {}
        self._kept: dict[str, _Kept] = {}
        self._run = 0

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
    found: Results = field(default_factory=Results)
    keys: dict[tuple[str, int], str] = field(default_factory=dict)
    steps_done: int = 0

    def results(self) -> Results:
        for lane in self.trellis.lanes:
            self.table(lane, len(lane.items))
        used = {_name(lane.source) for lane in self.trellis.lanes}
        times = [read.at for name, read in self.runner._sources.items() if name in used]
        return Results(
            self.found.readings, self.found.tables, self.found.ties, min(times, default=None)
        )

    def table(self, lane: Lane, place: int) -> Table | UserError:
        node = (lane.id, place)
        if node not in self.found.tables:
            self.found.tables[node] = self._made(lane, place)
        return self.found.tables[node]

    def _made(self, lane: Lane, place: int) -> Table | UserError:
        if place == 0:
            return self._read(lane)
        before = self.table(lane, place - 1)
        item = lane.items[place - 1]
        self.keys[lane.id, place] = self.keys.get((lane.id, place - 1), "")
        if not isinstance(item, TieItem):
            return before
        tie = self._tied(lane, place, item, before)
        self.found.ties[item.id] = tie
        if isinstance(tie, UserError):
            return tie
        key = _digest(self.keys[lane.id, place], *tie.keep, tie.names[1], repr(tie.columns))
        self.keys[lane.id, place] = key
        try:
            return self.runner.kept(key, lambda: tie.outcome)
        except UserError as error:  # too many rows, or a column that is no longer there
            self.found.ties[item.id] = error
            return error

    def _read(self, lane: Lane) -> Table | UserError:
        try:
            read = self.runner.read(lane.source, self._share())
        except (SourceError, UnknownColumnError) as error:
            self.found.readings[lane.id] = error
            return WaitingError(lane.name, error)
        self.found.readings[lane.id] = read.reading
        self.keys[lane.id, 0] = _digest(read.stamp, lane.id)
        return read.reading.table.with_origin(lane.id)

    def _tied(
        self, lane: Lane, place: int, item: TieItem, left: Table | UserError
    ) -> Tie | UserError:
        other = self.trellis.lane(item.lane)
        taken = self.trellis.taken_place(item)
        right = self.table(other, taken)
        for table in (left, right):
            if isinstance(table, UserError):
                return table
        assert isinstance(left, Table) and isinstance(right, Table)
        link, names = item.match_link(), (lane.name, other.name)
        key = _digest(
            self.keys[lane.id, place - 1],
            self.keys[other.id, taken],
            repr(link),
        )

        def matched() -> Match:
            found = match(left, right, link, names, self._share())
            if found.counts.pairs <= (CROSS_LIMIT if link.cross else matches.ROW_LIMIT):
                # what the bays show is built here, not when somebody looks and has to wait
                _ = found.pairs, found.left_only, found.right_only
            return found

        try:
            found = self.runner.kept(key, matched)
        except UserError as error:
            return error
        self.keys[lane.id, place] = key
        return Tie(left, right, link, item.keep, found, names, item.wanted_columns())

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
