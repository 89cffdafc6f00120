"""Nodes run, and what they gave kept by digest; a trellis worked out from its read sources."""

from __future__ import annotations

import logging
from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from keen_trellis.base.errors import ProgramError, UserError, WaitingError
from keen_trellis.base.language import tr
from keen_trellis.base.logs import timed
from keen_trellis.base.progress import Cancelled, Report, part, quiet
from keen_trellis.compute.execute import execute
from keen_trellis.compute.join.match import Match
from keen_trellis.compute.join_result import Tied
from keen_trellis.compute.sizes import size_of
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Table
from keen_trellis.document.items import JoinItem
from keen_trellis.document.sources import BaySource
from keen_trellis.document.trellis import Lane, Trellis
from keen_trellis.plan.nodes import Node, Outcome, Read
from keen_trellis.read.reading import Reading
from keen_trellis.run.planning import Plan, planned
from keen_trellis.run.results import Results
from keen_trellis.run.source_cache import ReadSource

if TYPE_CHECKING:
    from keen_trellis.compute.promise_checks import Checked


_log = logging.getLogger(__name__)


@dataclass(slots=True)
class _Kept:
    value: Any
    size: int
    last_run: int


class Nodes:
    """What nodes gave, by their digests.

    Parameters
    ----------
    looks_ahead : bool
        Whether a window shows them, which must not wait for what it shows.
    """

    def __init__(self, looks_ahead: bool = True) -> None:
        self._looks_ahead = looks_ahead
        self._kept: OrderedDict[str, _Kept] = OrderedDict()
        self.run = 0

    def __contains__(self, digest: str) -> bool:
        """Whether something is kept under a name."""
        return digest in self._kept

    def result(self, node: Node, report: Report = quiet) -> Any:
        """Return what a node gives, run now or kept from before.

        Raises
        ------
        UserError
            The rows do not allow it.
        """
        if node.digest not in self:
            inputs = [self.result(one, report) for one in node.inputs()]
            with timed(_log, f"run {type(node).__name__}", logging.DEBUG) as told:
                value = execute(node, [_rows_of(one) for one in inputs], report)
                told.rows = len(_rows_of(value)) if not isinstance(value, Match) else None
            if self._looks_ahead and not isinstance(value, Table | Match):
                # On the thread of the run: who shows it later does so on the window's, which must
                # not wait.
                value.look_ahead()
            self.keep(node.digest, value)
        return self.kept(node.digest)

    def kept(self, digest: str) -> Any:
        """Return what was kept under a name, and keep it on."""
        kept = self._kept[digest]
        kept.last_run = self.run
        # the order of the mapping is that of use: the first is what was longest unused
        self._kept.move_to_end(digest)
        return kept.value

    def keep(self, digest: str, value: Any) -> None:
        """Keep what a node gave."""
        self._kept[digest] = _Kept(value, size_of(value), self.run)

    @property
    def size(self) -> int:
        """The bytes of all that is kept."""
        return sum(kept.size for kept in self._kept.values())

    def forget(self, room: int) -> None:
        """Let go of what is beyond some bytes, the longest unused first, but of nothing new."""
        used = self.size
        for digest, kept in list(self._kept.items()):
            if used <= room:
                break
            # What this run used is what is shown, however large it is.
            if kept.last_run < self.run:
                del self._kept[digest]
                used -= kept.size


@dataclass(slots=True)
class WorkingOut:
    """A trellis on its way to its results.

    Attributes
    ----------
    nodes : Nodes
        What is kept from before, and takes what is new.
    trellis : Trellis
    report : Report
    """

    nodes: Nodes
    trellis: Trellis
    report: Report
    _steps_done: int = 0

    def results(self, came: Mapping[str, ReadSource | UserError]) -> Results:
        """Return what every part gives, from the sources of the lanes by their ids."""
        readings: dict[str, Reading | UserError] = {}
        reads: dict[str, Node | UserError] = {}
        times = []
        for lane, source in came.items():
            if isinstance(source, UserError):
                readings[lane] = reads[lane] = source
                continue
            readings[lane] = source.reading
            times.append(source.at)
            reads[lane] = self._read(source, lane)
        # As old as its oldest source: whoever reads the time may rely on nothing being older.
        found = Results(self.trellis, readings, read_at=min(times, default=None))
        self._work_out(planned(self.trellis, reads), found)
        _ = found.facts  # taken here, and not on the thread of whoever shows them
        return found

    def _read(self, source: ReadSource, lane: str) -> Node:
        """Return the node of a source's rows on a lane, with the rows put in its place."""
        node = Read(source.stamp, lane, schema_of(source.reading.table))
        if node.digest not in self.nodes:
            self.nodes.keep(node.digest, source.reading.table.with_origin(lane))
        return node

    def _work_out(self, plan: Plan, found: Results) -> None:
        """Run every node, those that others need first, as they stand in the plan."""
        lanes = {lane.id: lane.name for lane in self.trellis.lanes}
        for part_id, node in plan.nodes.items():
            # What waits is not even tried: its own error would only repeat the first one.
            value = self._waiting(part_id, lanes, found) or self._value(node)
            found.rows[part_id] = value if isinstance(value, UserError) else _rows_of(value)
            if part_id not in lanes and self.trellis.item(part_id).gives_rows:
                found.given[part_id] = value
                found.promises[part_id] = self._promises(part_id, node, value)

    def _promises(self, part_id: str, node: Node | UserError, value: Any) -> tuple[Checked, ...]:
        """Return what is promised of a join, checked now or kept from before."""
        item = self.trellis.item(part_id)
        if not isinstance(item, JoinItem) or not item.promises or not isinstance(value, Tied):
            return ()
        assert isinstance(node, Node)
        from keen_trellis.compute.promise_checks import checked

        found = []
        for promise in (one.as_promise() for one in item.promises):
            # What a promise says names the lanes, so they are part of what it is kept under.
            name = f"{node.digest} {value.names} {promise}"
            if name not in self.nodes:
                self.nodes.keep(name, checked(promise, value))
            found.append(self.nodes.kept(name))
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
            value = self.nodes.result(node, self._share())
        except Cancelled:
            raise
        except UserError as error:
            return error
        except Exception as fault:  # noqa: BLE001  the border of a part: the others go on
            return ProgramError(tr("This part"), fault)
        return self._called(node, value) if isinstance(node, Outcome) else value

    def _called(self, node: Outcome, value: Tied) -> Tied:
        """Return what a join gave with its lanes called as they are now: one object for all runs.

        Looks and pages know by identity that nothing is different.
        """
        names = node.join.names
        if value.names == names:
            return value
        name = f"{node.digest} called {names}"
        if name not in self.nodes:
            self.nodes.keep(name, value.called(names))
        renamed: Tied = self.nodes.kept(name)
        return renamed

    def _share(self) -> Report:
        """Return the report of the next node, all being taken as equally long."""
        nodes = max(sum(len(lane.items) for lane in self.trellis.lanes), 1)
        start = min(self._steps_done / nodes, 1.0)
        self._steps_done += 1
        return part(self.report, start, min(self._steps_done / nodes, 1.0))


def _rows_of(value: Any) -> Any:
    """Return the table that others take of what a node gave; pairs as they are."""
    return value if isinstance(value, Table | Match) else value.outcome
