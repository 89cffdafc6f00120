"""What the window works on: one trellis, its undo stack, its latest results, its jobs."""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Callable, Container, Iterable
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from keen_trellis.desktop.jobs import Jobs
from keen_trellis.desktop.session.building import Building
from keen_trellis.desktop.session.delivering import Delivering
from keen_trellis.desktop.session.elsewhere import FIRST_ROWS, Elsewhere
from keen_trellis.desktop.session.keeping import KeepingWork
from keen_trellis.desktop.session.looking import Looking
from keen_trellis.desktop.session.reporting import Reporting
from keen_trellis.desktop.session.watching import Watching
from keen_trellis.document import Lane, Trellis, edits, load, save
from keen_trellis.document.items import Item
from keen_trellis.document.sources import Source
from keen_trellis.document.trellis import UNNAMED
from keen_trellis.document.wants import Want, added_wants, wants
from keen_trellis.errors import UserError
from keen_trellis.progress import Cancelled, Report
from keen_trellis.read import Secrets
from keen_trellis.run.results import Results

if TYPE_CHECKING:
    from keen_trellis.data import Table
    from keen_trellis.run import Runner
    from keen_trellis.run.changes import Changes, Snapshot
    from keen_trellis.run.first_look import FirstLook
    from keen_trellis.run.history import RunLine

_AFTER_MS = 15
"""How long a run waits for the window to be drawn: both want Python's lock."""

T = TypeVar("T")


def _bytes_of(path: Path) -> bytes | None:
    """Return what a file holds now; None where it cannot be read."""
    try:
        return path.read_bytes()
    except OSError:
        return None


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
    looked_first
        What the selected step does with its first rows is known, the whole run goes on.
    noticed
        What stands out at the selected tie, or what the selected step does, is known.
    outside
        Files were changed outside of the program, or are no longer.
    compared(changes)
        Another read brought something else than the one before.
    password_wanted(server, go_on)
        A server that is written to wants a password; `go_on` delivers once it is given.
    past_known
        The runs of the document that are kept on this machine are known.
    delivered
        Deliveries have been written.
    filed(path)
        A trellis was opened or saved.
    typing_ends
        What is still being typed is to be taken now: it is about to be saved, written, or left.
    leave_wanted(wants)
        The trellis that was opened wants what nobody has allowed to it yet.
    may_replace(paths)
        Deliveries would replace files that they did not write as they are now.
    asked(action)
        A page asks for one of the actions, by its id.
    went
        The place where the trellis runs is another, or what was counted there.

    Attributes
    ----------
    past : tuple of RunLine
        The runs of the document that are known on this machine.
    compared_with : Snapshot or None
        The run that the latest one was compared with.
    results : Results
        Of the trellis that they carry, which is the one in the window once all is up to date.
    jobs, looks, writes : Jobs
        The three lanes of work: running, looking (findings, profiles, proposals, copies), and
        delivering. An edit stops a run that is overtaken, and nothing else.
    building
        Puts ties, steps and lanes into the trellis.
    delivering
        Writes deliveries, and asks before it does what nobody has allowed.
    looking, watching
        What stands out where something is selected; which files have changed outside.
    reporting
        Which report is looked at, and its numbers.
    elsewhere
        The place where the trellis runs beside this machine, and what was counted there.
    fresh : str
        The tie or step that was just added; empty after any other edit.
    """

    changed = Signal()
    ran = Signal()
    selected = Signal()
    working = Signal(float, str)
    said = Signal(str, bool)
    crashed = Signal(object)
    looked_first = Signal()
    noticed = Signal()
    outside = Signal()
    compared = Signal(object)
    past_known = Signal()
    password_wanted = Signal(object, object)
    delivered = Signal()
    filed = Signal(object)
    typing_ends = Signal()
    leave_wanted = Signal(object)
    may_replace = Signal(object, object)
    asked = Signal(str)
    went = Signal()
    shows = Signal(object)
    _first_found = Signal(int, object)  # from the thread of the run

    def __init__(self) -> None:
        super().__init__()
        self.trellis = Trellis.empty()
        self.results = Results()
        self.path: Path | None = None
        self.selection = ""
        self.jobs, self.looks, self.writes = Jobs(), Jobs(), Jobs()
        self.undo = QUndoStack(self)
        self.secrets = Secrets()
        self.up_to_date = True
        self.fresh = ""
        self.allowed: frozenset[str] = frozenset()
        self._saved, self._on_disk = self.trellis, b""
        self._runner: Runner | None = None
        self._making_runner = threading.Lock()
        self._last_run_of: Path | None = None  # until this session has had a run of its own
        self.past: tuple[RunLine, ...] = ()
        self.compared_with: Snapshot | None = None
        self._rereading: bool | Container[str] = False
        self._request = 0
        self._due = QTimer(self, singleShot=True, interval=_AFTER_MS)
        self._due.timeout.connect(self._begin_run)
        self._first: FirstLook | None = None
        self._first_found.connect(self._take_first_look)
        self._next: tuple[Callable[[], object], Callable[[Exception], None]] | None = None
        self.building = Building(self)
        self.looking = Looking(self)
        self.delivering = Delivering(self)
        self.watching = Watching(self)
        self.keeping = KeepingWork(self)
        self.reporting = Reporting(self)
        self.elsewhere = Elsewhere(self)
        self.ran.connect(self.looking.renew)
        self.selected.connect(self.looking.renew)
        self.undo.cleanChanged.connect(self._clean_changed)

    def _clean_changed(self, clean: bool) -> None:
        self.changed.emit()

    # documents

    def new(self) -> None:
        """Begin an empty trellis."""
        self._take_up(Trellis.empty(), None)
        self.keeping.opened()

    def open(self, path: Path) -> bool:
        """Open a trellis and run it; say why when it cannot be opened."""
        try:
            trellis = load(path)
        except UserError as error:
            self.said.emit(str(error), True)
            return False
        from keen_trellis.run.approvals import approvals

        path = path.absolute()
        self._take_up(trellis, path, frozenset(approvals(path).allowed))
        self.filed.emit(path)
        self.keeping.opened()
        if self.not_allowed:
            self.leave_wanted.emit(self.not_allowed)
        return True

    @property
    def not_allowed(self) -> list[Want]:
        """What the trellis wants and nobody has allowed; a lane that wants it is not read."""
        return [want for want in wants(self.trellis, self.path) if want.key not in self.allowed]

    def allow(self, wanted: Iterable[Want]) -> None:
        """Let the trellis have what it wants, now and when it is opened here again."""
        self._allow(want.key for want in wanted)
        self.run()

    def _allow(self, keys: Iterable[str]) -> None:
        self.allowed |= {*keys}
        if self.path is not None:
            from keen_trellis.run.approvals import allow

            allow(self.path, self.allowed)

    def refuses(self, source: Source) -> list[str]:
        """Return what a source wants that nobody has allowed, in words."""
        folder = self.path.parent if self.path is not None else None
        return [want.words for want in source.wants(folder) if want.key not in self.allowed]

    @property
    def changed_outside(self) -> bool:
        """Whether the trellis's file holds something else than when it was opened or saved."""
        return self.path is not None and _bytes_of(self.path) not in (self._on_disk, None)

    def save(self, path: Path) -> bool:
        """Save the trellis; say why when it cannot be saved.

        One that has no name yet is called by its file.
        """
        if self.trellis.name == UNNAMED and path.stem.strip():
            self.do(edits.RenameTrellis(path.stem))
        try:
            save(self.trellis, path)
        except UserError as error:
            self.said.emit(str(error), True)
            return False
        # elsewhere, other files lie outside of its folder: what it was allowed, it stays allowed
        refused = {want.words for want in self.not_allowed}
        is_elsewhere, before = self.path != path.absolute(), self.path
        self.path = path.absolute()
        if is_elsewhere:
            from keen_trellis.run.approvals import approvals, keep_written

            keep_written(self.path, approvals(before).written | self.delivering.made)
            self.keeping.opened()
        self._allow(want.key for want in self.not_allowed if want.words not in refused)
        self._saved, self._on_disk = self.trellis, _bytes_of(path) or b""
        self.undo.setClean()
        if self.results.trellis is self.trellis and self.elsewhere.place is None:
            from keen_trellis.run.changes import snapshot
            from keen_trellis.run.remembered import remember

            remember(path, snapshot(self.results))
        self.changed.emit()
        self.filed.emit(path.absolute())
        self.said.emit(f"Saved as {path.name}.", False)
        return True

    def _take_up(
        self, trellis: Trellis, path: Path | None, allowed: frozenset[str] = frozenset()
    ) -> None:
        self.trellis, self.path, self.allowed = trellis, path, allowed
        self._saved, self._on_disk = trellis, (_bytes_of(path) or b"") if path else b""
        self.undo.clear()
        self.results, self.watching.stale = Results(), frozenset()
        self.looking.forget()
        self.fresh = ""
        self.delivering.forget()
        self.elsewhere.forget()
        self._last_run_of = path
        self.compared_with = None
        self._rereading = False
        self._runner = None  # what another trellis read is not kept
        first_tie = next((tie.id for _, tie in trellis.ties()), "")
        self.selection = first_tie or (trellis.lanes[0].id if trellis.lanes else "")
        self.run()
        self._begin_run()  # at once: readers wait for other processes while the window is drawn
        self.changed.emit()
        self.selected.emit()

    # edits

    def do(self, edit: edits.Edit) -> bool:
        """Make a change that can be undone, and run; say why when it is not allowed."""
        try:
            trellis, back = edits.apply(edit, self.trellis)
        except UserError as error:
            self.said.emit(str(error), True)
            return False
        if trellis == self.trellis:
            return True
        added = added_wants(self.trellis, trellis, self.path)
        if added:  # whoever adds it here has allowed it by that
            self._allow(want.key for want in added)
        self.undo.push(_EditCommand(self, trellis, back))
        return True

    def take(self, trellis: Trellis) -> None:
        """Make a changed trellis the one that is shown; for the undo stack."""
        self.trellis, self.fresh = trellis, ""
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
        return self._selected[0] if self._selected else None

    @property
    def selected_item(self) -> Item | None:
        """The selected step, tie or delivery."""
        lane, place = self._selected or (None, 0)
        return lane.items[place - 1] if lane is not None and place else None

    @property
    def _selected(self) -> tuple[Lane, int] | None:
        try:
            return self.trellis.place_after(self.selection) if self.selection else None
        except KeyError:
            return None

    def end_table(self, lane: Lane) -> Table | None:
        """Return the rows at a lane's end, as far as they are known."""
        return self.results.table(self.trellis.end_of(lane))

    @property
    def source_columns(self) -> frozenset[str]:
        """The names of columns as the sources have them, as far as they are known."""
        readings = (self.results.reading(lane.id) for lane in self.results.trellis.lanes)
        return frozenset(name for one in readings if one for name in one.table.columns)

    @property
    def busy(self) -> bool:
        """Whether any work goes on: running, looking or writing."""
        looks = self.looks.busy or self.looking.is_due or self.reporting.is_due
        return self.running or looks or self.writes.busy or self.elsewhere.jobs.busy

    @property
    def running(self) -> bool:
        """Whether the trellis is being worked out, or about to be."""
        return self.jobs.busy or self._next is not None

    @property
    def state_words(self) -> str:
        """How the results stand to the trellis, for the status line."""
        if self.up_to_date:
            broken = len(self.results.errors())
            needs = "1 part needs a look" if broken == 1 else f"{broken} parts need a look"
            return needs if broken else "Everything is up to date"
        return "Working …" if self.running else "Stopped: what is shown is from before"

    def stop(self) -> None:
        """Stop all work that is under way."""
        self.looking.stop()
        if self._next is not None:
            _, failed = self._next
            self._due.stop()
            self._next = None
            failed(Cancelled())
        for jobs in (self.jobs, self.looks, self.writes, self.elsewhere.jobs):
            jobs.stop_all()

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
        request, trellis, old = self._request, self.trellis, self.results
        # the first rows of a run elsewhere are no run to be compared with
        is_whole = self.elsewhere.place is None
        last_run_of = self._last_run_of if is_whole else None
        # what is not saved is no run that anybody will look for
        to_remember = self.path if trellis is self._saved and is_whole else None
        self.jobs.stop_all()
        self.looking.give_way()
        self.up_to_date = False

        def work(report: Report) -> tuple[Results, Changes | None]:
            if not reread and old.rows:
                from keen_trellis.run.first_look import first_look

                self._first_found.emit(request, first_look(trellis, self.selection, old))
            results = self.runner.run(trellis, report, reread)
            from keen_trellis.run.changes import changes, snapshot
            from keen_trellis.run.remembered import remembered

            before = remembered(last_run_of) if last_run_of is not None else None
            was = snapshot(old) if before is None and reread and is_whole else before
            found = None
            if was is not None:
                found = changes(was, results, old if before is None else None)
                self.compared_with = was
            return results, found

        def done(made: tuple[Results, Changes | None]) -> None:
            if request != self._request:
                return
            self.results, found = made
            self._first = None
            self._last_run_of, self._rereading = None, False
            self.up_to_date = True
            self.watching.stale = frozenset()
            self.rest()
            self.ran.emit()
            if to_remember is not None:
                self._keep_history(to_remember, self.results)
            if found is not None and found.is_any:
                self.compared.emit(found)
            elif reread:
                self.said.emit("Read again: nothing is different.", False)

        def failed(error: Exception) -> None:
            if request == self._request:
                self._rereading = False
                self.tell_failure(error, "Stopped: what is shown is from before.")

        self._next = lambda: self.jobs.start(work, done, failed, self.working.emit), failed
        self._due.start()

    def _keep_history(self, path: Path, results: Results) -> None:
        """Note a run on the disk, aside: what it gave is looked at meanwhile."""

        def keep(report: Report) -> tuple[RunLine, ...]:
            from keen_trellis.run.changes import snapshot
            from keen_trellis.run.history import history, note_run
            from keen_trellis.run.remembered import remember

            remember(path, snapshot(results))
            note_run(path, results)
            return history(path)

        def take(past: tuple[RunLine, ...]) -> None:
            if self.path == path:
                self.past = past
                self.past_known.emit()

        self.find_out(keep, take, "")

    def _take_first_look(self, request: int, found: FirstLook | None) -> None:
        if request == self._request and found is not None and not self.up_to_date:
            self._first = found
            self.looked_first.emit()

    def first_look(self, item: Item) -> FirstLook | None:
        """Return what a step gives for its first rows, until the whole run tells."""
        is_it = self._first is not None and self._first.item is item and not self.up_to_date
        return self._first if is_it else None

    def _begin_run(self) -> None:
        if self._next is not None:
            begin, _ = self._next
            self._due.stop()
            self._next = None
            begin()

    @property
    def runner(self) -> Runner:
        """What runs the trellis; made by whichever thread needs it first."""
        with self._making_runner:
            if self._runner is None:
                from keen_trellis.run import Runner

                first = FIRST_ROWS if self.elsewhere.place is not None else None
                self._runner = Runner(self.secrets, refuses=self.refuses, rows_at_most=first)
            return self._runner

    def begin_anew(self) -> None:
        """Run with nothing that was read before: another place is chosen."""
        self.jobs.stop_all()
        self._runner, self.results = None, Results()
        self.looking.forget()
        self.changed.emit()
        self.run()

    @property
    def told(self) -> Results:
        """What the map tells: the results, or what was counted at another place."""
        return self.results if self.elsewhere.place is None else self.elsewhere.told

    def rest(self) -> None:
        """Tell that a job has ended, and whether any other goes on."""
        if not self.busy:
            self.working.emit(1.0, "")

    def find_out(
        self,
        work: Callable[[Report], T],
        done: Callable[[T], object],
        stopped: str,
        given_up: Callable[[], object] | None = None,
    ) -> None:
        """Look into something away from the window.

        Parameters
        ----------
        work : callable
            Takes a report of progress and returns what it finds; runs on another thread.
        done : callable
            Takes what was found.
        stopped : str
            What is said when it is stopped; nothing where it is empty.
        given_up : callable, optional
            Called when it is stopped or fails.
        """

        def ended(found: T) -> None:
            self.rest()
            done(found)

        def failed(error: Exception) -> None:
            if given_up is not None:
                given_up()
            self.tell_failure(error, stopped)

        self.looks.start(work, ended, failed, self.working.emit)

    def finish(self) -> None:
        """Stop all work; for closing."""
        self.watching.finish()
        self.keeping.finish()
        self.looking.stop()
        self._due.stop()
        self._next = None
        self.elsewhere.forget()
        for jobs in (self.jobs, self.looks, self.writes, self.elsewhere.jobs):
            jobs.finish()

    def tell_failure(self, error: Exception, stopped: str) -> None:
        """Tell how work ended that gave nothing: stopped, refused, or by a fault of the program."""
        self.rest()
        if isinstance(error, Cancelled):
            if stopped:
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
        if self.elsewhere.place is not None:
            return f"First {FIRST_ROWS:,} rows read {at:%H:%M}"
        today = at.date() == dt.date.today()
        return f"Sources read {at:%H:%M}" if today else f"Sources read {at:%Y-%m-%d %H:%M}"


class _EditCommand(QUndoCommand):
    """A change on the undo stack: applying one gives the change that takes it back."""

    def __init__(self, session: Session, trellis: Trellis, back: edits.Edit) -> None:
        super().__init__(back.label)
        self._session, self._after, self._back = session, trellis, back

    def redo(self) -> None:
        self._session.take(self._after)

    def undo(self) -> None:
        self._session.take(edits.apply(self._back, self._after)[0])
