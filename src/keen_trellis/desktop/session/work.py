"""Working the trellis out: runs that overtake one another, and looks aside from them."""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Callable, Set
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PySide6.QtCore import QObject, QTimer, Signal

from keen_trellis.base.errors import UserError, lacking
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Cancelled, Report
from keen_trellis.desktop.jobs import Jobs
from keen_trellis.desktop.session.open_document import OpenDocument
from keen_trellis.desktop.session.telling import Telling
from keen_trellis.document import Lane
from keen_trellis.document.items import Item
from keen_trellis.run.results import Results
from keen_trellis.servers.secrets import Secrets

if TYPE_CHECKING:
    from keen_trellis.data import Table
    from keen_trellis.machine.history import RunLine
    from keen_trellis.run import Runner
    from keen_trellis.run.changes import Changes, Snapshot
    from keen_trellis.run.first_look import FirstLook

_AFTER_MS = 15
"""How long a run waits for the window to be drawn: both want Python's lock."""

T = TypeVar("T")


class Work(QObject):
    """Runs the open trellis, and knows what came of it.

    Signals
    -------
    begins
        A run is about to begin: what would keep it waiting gives way.
    ran
        The results are those of the trellis as it stands.
    working(fraction, doing)
        A job goes on; a fraction of 1 says that all have ended.
    looked_first
        What the selected step does with its first rows is known, the whole run goes on.
    compared(changes)
        Another read brought something else than the one before.
    past_known
        The runs of the document that are kept on this machine are known.

    Attributes
    ----------
    results : Results
        Of the trellis that they carry, which is the one in the window once all is up to date.
    up_to_date : bool
    jobs, looks : Jobs
        Two lanes of work: running, and looking (findings, profiles, proposals, copies). An edit
        stops a run that is overtaken, and nothing else.
    rows_at_most : int or None
        How many rows of each lane are read: all, but where the trellis runs at another place.
    past : tuple of RunLine
        The runs of the document that are known on this machine.
    compared_with : Snapshot or None
        The run that the latest one was compared with.
    """

    begins = Signal()
    ran = Signal()
    working = Signal(float, str)
    looked_first = Signal()
    compared = Signal(object)
    past_known = Signal()
    _first_found = Signal(int, object)  # from the thread of the run

    def __init__(self, document: OpenDocument, telling: Telling, secrets: Secrets) -> None:
        super().__init__()
        self._document, self._telling, self._secrets = document, telling, secrets
        self.results = Results()
        self.up_to_date = True
        self.jobs, self.looks = Jobs(), Jobs()
        self.rows_at_most: int | None = None
        self.past: tuple[RunLine, ...] = ()
        self.compared_with: Snapshot | None = None
        self._lanes = [self.jobs, self.looks]
        self._dues: list[Callable[[], bool]] = []
        self._runner: Runner | None = None
        self._making_runner = threading.Lock()
        self._last_run_of: Path | None = None  # until this session has had a run of its own
        self._rereading: bool | Set[str] = False
        self._request = 0
        self._due = QTimer(self, singleShot=True, interval=_AFTER_MS)
        self._due.timeout.connect(self._begin)
        self._first: FirstLook | None = None
        self._first_found.connect(self._take_first_look)
        self._next: tuple[Callable[[], object], Callable[[Exception], None]] | None = None
        document.outdated.connect(self.run)
        document.saved.connect(self._remember)

    def counts(self, jobs: Jobs | None = None, is_due: Callable[[], bool] | None = None) -> None:
        """Take another lane of work, or what is about to begin, for a part of what goes on."""
        self._lanes += [jobs] if jobs is not None else []
        self._dues += [is_due] if is_due is not None else []

    # how it stands

    @property
    def busy(self) -> bool:
        """Whether any work goes on, or is about to."""
        return (
            self.running
            or any(jobs.busy for jobs in self._lanes)
            or any(due() for due in self._dues)
        )

    @property
    def running(self) -> bool:
        """Whether the trellis is being worked out, or about to be."""
        return self.jobs.busy or self._next is not None

    @property
    def state_words(self) -> str:
        """How the results stand to the trellis, for the status line."""
        if self.up_to_date:
            broken = len(self.results.errors())
            needs = (
                tr("1 part needs a look")
                if broken == 1
                else tr("{broken} parts need a look", broken=broken)
            )
            return needs if broken else tr("Everything is up to date")
        return tr("Working …") if self.running else tr("Stopped: what is shown is from before")

    @property
    def read_words(self) -> str:
        """When the sources were read, for the top bar."""
        at: dt.datetime | None = self.results.read_at
        if at is None:
            return ""
        if self.rows_at_most is not None:
            return tr(
                "First {rows_at_most:,} rows read {at:%H:%M}", rows_at_most=self.rows_at_most, at=at
            )
        today = at.date() == dt.date.today()
        return (
            tr("Sources read {at:%H:%M}", at=at)
            if today
            else tr("Sources read {at:%Y-%m-%d %H:%M}", at=at)
        )

    @property
    def is_of_now(self) -> bool:
        """Whether the results are of the trellis as it stands."""
        return self.up_to_date and self.results.trellis is self._document.trellis

    def end_table(self, lane: Lane) -> Table | None:
        """Return the rows at a lane's end, as far as they are known."""
        return self.results.table(self._document.trellis.end_of(lane))

    @property
    def source_columns(self) -> frozenset[str]:
        """The names of columns as the sources have them, as far as they are known."""
        readings = (self.results.reading(lane.id) for lane in self.results.trellis.lanes)
        return frozenset(name for one in readings if one for name in one.table.columns)

    # runs

    def take_up(self) -> None:
        """Run a trellis of which nothing is known."""
        self.results = Results()
        self._last_run_of = self._document.path
        self.compared_with = None
        self._rereading = False
        self._runner = None  # what another trellis read is not kept
        self.run()
        self._begin()  # at once: readers wait for other processes while the window is drawn

    def begin_anew(self, rows_at_most: int | None) -> None:
        """Run with nothing that was read before: another place is chosen."""
        self.jobs.stop_all()
        self.rows_at_most = rows_at_most
        self._runner, self.results = None, Results()
        self._document.changed.emit()
        self.run()

    def run(self, reread: bool | Set[str] = False) -> None:
        """Work out what the trellis gives; only the newest answer is shown.

        Parameters
        ----------
        reread : bool, or a set of lane ids
            Whether to read every source anew, or which lanes'.
        """
        # what was asked for stays asked for until a run has ended well, whatever overtook it
        self._rereading = reread = _either(self._rereading, reread)
        self._document.look_again()
        # Results of an older request are thrown away, wherever they come from: signals of a thread
        # may arrive after a newer run has begun.
        self._request += 1
        request, trellis, old = self._request, self._document.trellis, self.results
        # All that the work needs is taken here: it runs on another thread, where the document may
        # be another one by the time it looks.
        selection = self._document.selection
        # the first rows of a run elsewhere are no run to be compared with
        is_whole = self.rows_at_most is None
        last_run_of = self._last_run_of if is_whole else None
        # what is not saved is no run that anybody will look for
        is_kept = self._document.is_as_saved and is_whole
        to_remember = self._document.path if is_kept else None
        self.jobs.stop_all()
        self.begins.emit()
        self.up_to_date = False

        def work(report: Report) -> tuple[Results, Changes | None]:
            if not reread and old.rows:
                from keen_trellis.run.first_look import first_look

                # Emitted on the thread of the run, taken on the window's: the signal carries it
                # over.
                self._first_found.emit(request, first_look(trellis, selection, old))
            results = self.runner.run(trellis, report, reread)
            from keen_trellis.machine.remembered import remembered
            from keen_trellis.run.changes import changes, snapshot

            # Compared with the run that the document was left with, at the first run of a
            # session, and with the run before whenever sources are read anew; an edit alone is
            # compared with nothing.
            before = remembered(last_run_of) if last_run_of is not None else None
            was = snapshot(old) if before is None and reread and is_whole else before
            found = None
            if was is not None:
                found = changes(was, results, old if before is None else None)
                self.compared_with = was
            return results, found

        def done(made: tuple[Results, Changes | None]) -> None:
            # No harm is done by a run that ended just as it was stopped: its rows stay in the
            # runner's memory and serve the run that overtook it.
            if request != self._request:
                return
            self.results, found = made
            self._first = None
            self._last_run_of, self._rereading = None, False
            self.up_to_date = True
            self.rest()
            self.ran.emit()
            if to_remember is not None:
                self._keep_history(to_remember, self.results)
            if found is not None and found.is_any:
                self.compared.emit(found)
            elif reread:
                self._telling.say(tr("Read again: nothing is different."))

        def failed(error: Exception) -> None:
            if request == self._request:
                self._rereading = False
                self.tell_failure(error, tr("Stopped: what is shown is from before."))

        # Begun by the timer, or at once by `take_up`; only one waits, so that ten edits in a row
        # begin one run.
        self._next = lambda: self.jobs.start(work, done, failed, self.working.emit), failed
        self._due.start()

    def _begin(self) -> None:
        if self._next is not None:
            begin, _ = self._next
            self._due.stop()
            self._next = None
            begin()

    @property
    def runner(self) -> Runner:
        """What runs the trellis; made by whichever thread needs it first."""
        # Called on the window's thread and on those of jobs; two runners would read every source
        # twice.
        with self._making_runner:
            if self._runner is None:
                from keen_trellis.run import Runner

                self._runner = Runner(
                    self._secrets, refuses=self._document.refuses, rows_at_most=self.rows_at_most
                )
            return self._runner

    def _remember(self, path: Path) -> None:
        """Note what the saved trellis gives, where that is known."""
        if self.results.trellis is self._document.trellis and self.rows_at_most is None:
            from keen_trellis.machine.remembered import remember
            from keen_trellis.run.changes import snapshot

            remember(path, snapshot(self.results))

    def _keep_history(self, path: Path, results: Results) -> None:
        """Note a run on the disk, aside: what it gave is looked at meanwhile."""

        def keep(report: Report) -> tuple[RunLine, ...]:
            from keen_trellis.machine.history import history, note_run
            from keen_trellis.machine.remembered import remember
            from keen_trellis.run.changes import snapshot

            remember(path, snapshot(results))
            note_run(path, results)
            return history(path)

        def take(past: tuple[RunLine, ...]) -> None:
            if self._document.path == path:
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

    # looks

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

    # ends

    def rest(self) -> None:
        """Tell that a job has ended, and whether any other goes on."""
        if not self.busy:
            self.working.emit(1.0, "")

    def tell_failure(self, error: Exception, stopped: str) -> None:
        """Tell how work ended that gave nothing: stopped, refused, or by a fault of the program."""
        self.rest()
        if isinstance(error, Cancelled):
            if stopped:
                self._telling.say(stopped)
        elif isinstance(error, UserError):
            self._telling.trouble(error)
        elif lack := lacking(error):
            said = tr("It cannot be done: {lack}. What is shown stays as it is.", lack=lack)
            self._telling.trouble(said)
        else:
            self._telling.crashed.emit(error)

    def stop(self) -> None:
        """Stop all work that is under way."""
        if self._next is not None:
            _, failed = self._next
            self._due.stop()
            self._next = None
            # Whoever waits for the run hears of its end, although it has not begun.
            failed(Cancelled())
        for jobs in self._lanes:
            jobs.stop_all()

    def finish(self) -> None:
        """Stop all work; for closing."""
        self._due.stop()
        self._next = None
        for jobs in self._lanes:
            jobs.finish()


def _either(one: bool | Set[str], other: bool | Set[str]) -> bool | Set[str]:
    """Return all lanes where either wants all, else the lanes that any of them wants."""
    if isinstance(one, bool):
        return one or other
    return other or one if isinstance(other, bool) else one | other
