"""What the window works on: one trellis, its undo stack, its latest results, its jobs."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Container
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from keen_trellis.data import Table
from keen_trellis.desktop.jobs import Jobs
from keen_trellis.errors import KindsDifferError, UserError
from keen_trellis.flow import Delivered, Lane, Results, Runner, Trellis, load, make_deliveries, save
from keen_trellis.flow.changes import Changes, Snapshot, changes, snapshot
from keen_trellis.flow.document import DeliveryItem, LinkedFields, TieItem
from keen_trellis.flow.edits import AddTie, Edit, apply
from keen_trellis.flow.remembered import remember, remembered
from keen_trellis.match import Tie
from keen_trellis.progress import Cancelled, Report
from keen_trellis.read import Reading, Secrets

if TYPE_CHECKING:
    from keen_trellis.data.profile import Profile
    from keen_trellis.match.findings import Finding

_WATCH_MS = 3_000


class Session(QObject):
    """The trellis in the window, and all that may be done with it.

    Signals
    -------
    changed
        The trellis, its file or its name is another.
    ran
        The results are those of the trellis as it stands.
    selected
        Something else is selected.
    working(fraction, doing)
        A job goes on; a fraction of 1 says that all have ended.
    said(sentence, is_trouble)
        Something to tell, without a box in the way.
    noticed
        What stands out at the selected tie is known.
    outside
        Files were changed outside of the program, or are no longer.
    compared(changes)
        Another read brought something else than the one before.
    """

    changed = Signal()
    ran = Signal()
    selected = Signal()
    working = Signal(float, str)
    said = Signal(str, bool)
    crashed = Signal(object)
    noticed = Signal()
    outside = Signal()
    compared = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.trellis = Trellis()
        self.results = Results()
        self.path: Path | None = None
        self.selection = ""
        self.jobs = Jobs()
        self.undo = QUndoStack(self)
        self.secrets = Secrets()
        self.stale: frozenset[str] = frozenset()
        self._runner = Runner(self.secrets)
        self._before: Snapshot | None = None
        self._rereading: bool | Container[str] = False
        self._watching = Jobs()
        self._clock = QTimer(self, interval=_WATCH_MS)
        self._clock.timeout.connect(self.watch)
        self._clock.start()
        self._request = 0
        self.up_to_date = True
        self._looked_at: tuple[object, list[Finding]] | None = None
        self.ran.connect(self.look)
        self.selected.connect(self.look)
        self.undo.cleanChanged.connect(lambda _: self.changed.emit())

    # documents

    def new(self) -> None:
        """Begin an empty trellis."""
        self._take_up(Trellis(), None)

    def open(self, path: Path) -> bool:
        """Open a trellis and run it; say why when it cannot be opened."""
        try:
            trellis = load(path)
        except UserError as error:
            self.said.emit(str(error), True)
            return False
        self._take_up(trellis, path)
        return True

    def save(self, path: Path) -> bool:
        """Save the trellis; say why when it cannot be saved."""
        try:
            save(self.trellis, path)
        except UserError as error:
            self.said.emit(str(error), True)
            return False
        self.path = path
        self.undo.setClean()
        self.changed.emit()
        self.said.emit(f"Saved as {path.name}.", False)
        return True

    def _take_up(self, trellis: Trellis, path: Path | None) -> None:
        self.trellis, self.path = trellis, path
        self.undo.clear()
        self.results, self.stale = Results(), frozenset()
        self._before = remembered(path) if path else None
        self._rereading = False
        self._runner = Runner(self.secrets)  # what another trellis read is not kept
        first_tie = next((tie.id for _, tie in trellis.ties()), "")
        self.selection = first_tie or (trellis.lanes[0].id if trellis.lanes else "")
        self.changed.emit()
        self.selected.emit()
        self.run()

    # edits

    def do(self, edit: Edit) -> bool:
        """Make a change that can be undone, and run; say why when it is not allowed."""
        try:
            trellis, back = apply(edit, self.trellis)
        except UserError as error:
            self.said.emit(str(error), True)
            return False
        if trellis == self.trellis:
            return True
        self.undo.push(_EditCommand(self, trellis, back))
        return True

    def take(self, trellis: Trellis) -> None:
        """Make a changed trellis the one that is shown; for the undo stack."""
        self.trellis = trellis
        if self.selection and self._missing(self.selection):
            self.selection = ""
            self.selected.emit()
        self.changed.emit()
        self.run()

    def select(self, part: str) -> None:
        """Select a lane or an item by its id."""
        if part != self.selection and not (part and self._missing(part)):
            self.selection = part
            self.selected.emit()

    def _missing(self, part: str) -> bool:
        ids = {p.id for lane in self.trellis.lanes for p in (lane, *lane.items)}
        return part not in ids

    @property
    def selected_lane(self) -> Lane | None:
        """The selected lane, or the lane that the selected item stands on."""
        for lane in self.trellis.lanes:
            if self.selection in (lane.id, *(item.id for item in lane.items)):
                return lane
        return None

    @property
    def selected_item(self) -> TieItem | DeliveryItem | None:
        """The selected tie or delivery."""
        lane = self.selected_lane
        items = lane.items if lane else ()
        return next((item for item in items if item.id == self.selection), None)

    def end_table(self, lane: Lane) -> Table | UserError | None:
        """Return the rows at a lane's end, as far as they are known."""
        return self.results.tables.get((lane.id, len(lane.items)))

    # work

    def run(self, reread: bool | Container[str] = False) -> None:
        """Work out what the trellis gives; only the newest answer is shown.

        Parameters
        ----------
        reread : bool, or a container of lane ids
            Whether to read every source anew, or which lanes'.
        """
        if self._rereading is True or (self._rereading and not reread):
            reread = self._rereading  # an edit overtook it; what was asked for is still to be done
        self._rereading = reread
        self._request += 1
        request, trellis, path, old = self._request, self.trellis, self.path, self.results
        before = self._before
        self.jobs.stop_all()
        self.up_to_date = False

        def work(report: Report) -> tuple[Results, Changes | None]:
            results = self._runner.run(trellis, report, reread)
            found = None
            if before is not None:
                found = changes(trellis, before, results)
            elif reread:
                found = changes(trellis, snapshot(trellis, old), results, old)
            if path is not None:
                remember(path, snapshot(trellis, results))
            return results, found

        def done(made: tuple[Results, Changes | None]) -> None:
            if request != self._request:
                return
            self.results, found = made
            self._before, self._rereading = None, False
            self.up_to_date = True
            self.stale = frozenset()
            self.working.emit(1.0, "")
            self.ran.emit()
            if found is not None and found.is_any:
                self.compared.emit(found)
            elif reread:
                self.said.emit("Read again: nothing is different.", False)

        def failed(error: Exception) -> None:
            if request == self._request:
                self._rereading = False
                self._failed(error, "Stopped: what is shown is from before.")

        self.jobs.start(work, done, failed, self.working.emit)

    def profile(
        self,
        table: Table,
        column: str,
        done: Callable[[Profile], None],
        stopped: Callable[[], None],
    ) -> None:
        """Look at the values of one column, away from the window."""

        def ended(found: Profile) -> None:
            self.working.emit(1.0, "")
            done(found)

        def failed(error: Exception) -> None:
            stopped()
            if not isinstance(error, Cancelled):
                self._failed(error, "")

        def look(report: Report) -> Profile:
            from keen_trellis.data.profile import profile

            report(0.0, f"Looking at {column}")
            return profile(table.column(column))

        self.jobs.start(look, ended, failed, self.working.emit)

    def watch(self) -> None:
        """Look whether files of the lanes are others than those that were read."""
        if self._watching.busy or not self.up_to_date:
            return
        read = [
            (lane, reading)
            for lane in self.trellis.lanes
            if isinstance(reading := self.results.readings.get(lane.id), Reading) and reading.files
        ]

        def look(report: Report) -> frozenset[str]:
            return frozenset(
                lane.id for lane, reading in read if lane.source.stamps() != reading.files
            )

        def done(stale: frozenset[str]) -> None:
            if stale != self.stale and self.up_to_date:
                self.stale = stale
                self.outside.emit()

        self._watching.start(look, done, self.crashed.emit)

    def finish(self) -> None:
        """Stop all work; for closing."""
        self._clock.stop()
        self.jobs.finish()
        self._watching.finish()

    def look(self) -> None:
        """Find out what stands out at the selected tie, unless that is known already."""
        item = self.selected_item
        result = self.results.ties.get(item.id) if isinstance(item, TieItem) else None
        if result is None or (self._looked_at and self._looked_at[0] is result):
            self.noticed.emit()
            return
        self._looked_at = (result, [])
        self.noticed.emit()
        work = self._looking(item, result) if isinstance(item, TieItem) else None
        if work is None:
            return

        def done(found: list[Finding]) -> None:
            self.working.emit(1.0, "")
            if self._looked_at and self._looked_at[0] is result:
                self._looked_at = (result, found)
                self.noticed.emit()

        def failed(error: Exception) -> None:
            self.working.emit(1.0, "")
            if not isinstance(error, Cancelled | UserError):
                self.crashed.emit(error)

        self.jobs.start(work, done, failed, self.working.emit)

    @property
    def findings(self) -> list[Finding]:
        """What stands out at the selected tie, as far as it is known."""
        return self._looked_at[1] if self._looked_at else []

    def _looking(
        self, item: TieItem, result: Tie | UserError
    ) -> Callable[[Report], list[Finding]] | None:
        if isinstance(result, Tie):
            return result.findings
        if not isinstance(result, KindsDifferError):
            return None
        lane, place = self.trellis.place_of(item.id)
        left = self.results.tables.get((lane.id, place))
        right = self.results.tables.get((item.lane, self.trellis.taken_place(item)))
        names = (lane.name, self.trellis.lane(item.lane).name)

        def convert(report: Report) -> list[Finding]:
            from keen_trellis.match.findings import conversions

            assert isinstance(left, Table) and isinstance(right, Table)
            found = conversions(left, right, item.match_link(), names)
            return [finding for finding in found if finding.remedy]  # the rest is said already

        return convert

    def tie(self, lane: str, other: str) -> None:
        """Tie a lane's end to another lane, on the fields that most likely belong together."""
        left = self.end_table(self.trellis.lane(lane))
        right = self.end_table(self.trellis.lane(other))
        if lane == other or not isinstance(left, Table) or not isinstance(right, Table):
            self._tie(lane, other, ())
            return

        def propose(report: Report) -> tuple[LinkedFields, ...]:
            from keen_trellis.match.proposals import propose_links  # on the job's time

            best = propose_links(left, right, report)[:1]
            return tuple(
                LinkedFields(left=f.left, right=f.right) for link in best for f in link.fields
            )

        self.jobs.start(
            propose,
            lambda link: self._tie(lane, other, link),
            lambda error: self._failed(error, "Stopped: nothing has been tied."),
            self.working.emit,
        )

    def _tie(self, lane: str, other: str, link: tuple[LinkedFields, ...]) -> None:
        if self.do(AddTie(lane, other, link)):
            self.select(self.trellis.lane(lane).items[-1].id)

    def deliver(self, only: list[str] | None = None) -> None:
        """Write the deliveries, or some of them."""
        trellis, results = self.trellis, self.results

        def done(made: list[Delivered]) -> None:
            self.working.emit(1.0, "")
            words = [
                f"{d.name}: {d.rows:,} rows {'in place of' if d.replaced else 'written to'} "
                f"{'the earlier ' if d.replaced else ''}{d.path.name}"
                for d in made
            ]
            self.said.emit(". ".join(words) + ".", False)
            self.ran.emit()

        self.jobs.start(
            lambda report: make_deliveries(trellis, results, only, report),
            done,
            lambda error: self._failed(error, "Stopped: nothing more has been written."),
            self.working.emit,
        )

    def _failed(self, error: Exception, stopped: str) -> None:
        self.working.emit(1.0, "")
        if isinstance(error, Cancelled):
            self.said.emit(stopped, False)
        elif isinstance(error, UserError):
            self.said.emit(str(error), True)
        else:
            self.crashed.emit(error)

    @property
    def read_words(self) -> str:
        """When the sources were read, for the top bar."""
        at: dt.datetime | None = self.results.read_at
        if at is None:
            return ""
        today = at.date() == dt.date.today()
        return f"Sources read {at:%H:%M}" if today else f"Sources read {at:%Y-%m-%d %H:%M}"


class _EditCommand(QUndoCommand):
    """A change on the undo stack: applying one gives the change that takes it back."""

    def __init__(self, session: Session, trellis: Trellis, back: Edit) -> None:
        super().__init__(back.label)
        self._session, self._after, self._back = session, trellis, back

    def redo(self) -> None:
        self._session.take(self._after)

    def undo(self) -> None:
        self._session.take(apply(self._back, self._after)[0])
