"""A place other than this machine: chosen, counted there when asked, its first rows fetched.

While a place is chosen, the pages of the bench work on the first rows of each lane, read here; all
that is counted and delivered comes from there. What was counted is of one state of the trellis.
"""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QTimer, Signal

from keen_trellis.base.errors import PasswordError, UserError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.base.words import counted
from keen_trellis.desktop.jobs import Jobs
from keen_trellis.desktop.session.open_document import OpenDocument
from keen_trellis.desktop.session.telling import Telling
from keen_trellis.desktop.session.work import Work
from keen_trellis.run.facts import Facts, ItemFacts, facts_of
from keen_trellis.run.results import Results
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server

if TYPE_CHECKING:
    from keen_trellis.data import Table
    from keen_trellis.document.places import RunPlace
    from keen_trellis.places.place_session import Session
    from keen_trellis.plan.bays import Bay
    from keen_trellis.run import Delivered
    from keen_trellis.run.place_facts import ThereResults
    from keen_trellis.run.place_run import There

HOLDS_S = 30
"""How long a connection that keeps others waiting is held open after the last question."""
FIRST_ROWS = 1_000
"""How many rows of each lane are read here while it runs elsewhere, and fetched to be seen."""


class Elsewhere(QObject):
    """Where the open trellis runs beside this machine, and what was counted there.

    Signals
    -------
    went
        The place where the trellis runs is another, or what was counted there.
    leaves
        Another place is chosen: what is known of the rows is of before.

    Attributes
    ----------
    place : RunPlace or None
        None for this machine.
    results : ThereResults or None
        The latest counts; of `results.trellis`, which may not be the present one.
    counted_at : datetime or None
    """

    went = Signal()
    leaves = Signal()
    _answered = Signal()

    def __init__(
        self, document: OpenDocument, work: Work, telling: Telling, secrets: Secrets
    ) -> None:
        super().__init__()
        self._document, self._work = document, work
        self._telling, self._secrets = telling, secrets
        self.place: RunPlace | None = None
        self.results: ThereResults | None = None
        self.counted_at: dt.datetime | None = None
        self.jobs = Jobs()
        work.counts(self.jobs)
        self._open: Session | None = None
        self._there: There | None = None
        self._one_at_a_time = threading.Lock()
        self._uncounted: tuple[Results, Results] | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(int(HOLDS_S * 1000))
        self._rest.timeout.connect(self._let_go)
        # a signal, since questions end on other threads, and a timer begins on its own alone
        self._answered.connect(self._rest.start)

    def choose(self, name: str) -> None:
        """Go to a place of the trellis by its name; with an empty one back to this machine."""
        place = self._document.trellis.place(name) if name else None
        if place == self.place:
            return
        if place is not None and self._document.asks_leave(place.wants(self._document.folder)):
            return
        self.forget()
        self.place = place
        self.leaves.emit()
        self._work.begin_anew(FIRST_ROWS if place is not None else None)
        self.went.emit()

    def forget(self) -> None:
        """Leave the place; another trellis is taken up, or another place."""
        self.jobs.stop_all()
        self._leave()
        self.results, self.counted_at, self.place = None, None, None
        self._work.rows_at_most = None

    def _leave(self) -> None:
        """Let go of the connection; the next question makes another."""
        gone, self._open, self._there = self._open, None, None
        if gone is not None:
            # Apart, and nobody waits: a server that does not answer would hold the window, and a
            # cluster takes seconds to end a session.
            threading.Thread(target=gone.close, daemon=True).start()

    def _let_go(self) -> None:
        """Leave a server that others wait for: its transaction sees one state of the tables."""
        if not self._one_at_a_time.acquire(blocking=False):
            return  # somebody asks: the end of that question begins to wait anew
        try:
            if self._open is not None and self._open.holds_others_up:
                self._leave()
        finally:
            self._one_at_a_time.release()

    @property
    def is_of_now(self) -> bool:
        """Whether what was counted is of the trellis as it stands."""
        return self.results is not None and self.results.trellis is self._document.trellis

    @property
    def told(self) -> Results:
        """What the map tells: counts from there, or none where nobody has asked for them."""
        if self.results is not None:
            return self.results
        if self._uncounted is None or self._uncounted[0] is not self._work.results:
            self._uncounted = self._work.results, _Uncounted.of(self._work.results)
        return self._uncounted[1]

    @property
    def words(self) -> str:
        """How what is shown stands to the place."""
        if self.place is None:
            return ""
        if self.results is None or self.counted_at is None:
            return tr("Nothing has been counted on {name} yet", name=self.place.name)
        asked = self.results.asked
        took = sum(one.seconds for one in asked)
        said = tr(
            "Counted on {name} at {counted_at:%H:%M}, by ",
            name=self.place.name,
            counted_at=self.counted_at,
        )
        said += tr(
            "{questions} in {took:,.1f} s", questions=counted(len(asked), "question"), took=took
        )
        return said if self.is_of_now else tr("{said}; the trellis has changed since", said=said)

    # jobs

    def count(self) -> None:
        """Count every part there; what that costs is why it is asked for."""

        def work(report: Report) -> ThereResults:
            from keen_trellis.run.place_facts import results_of

            return results_of(self._there_now(report, anew=True))

        def done(found: ThereResults) -> None:
            self.results, self.counted_at = found, dt.datetime.now()
            self._work.rest()
            self.went.emit()

        self._start(work, done, self.count)

    def first_rows(self, part: str, bay: Bay | None, done: Callable[[Table], object]) -> None:
        """Fetch the first rows after a part, or of a bay of a join."""

        def work(report: Report) -> Table:
            from keen_trellis.plan.nodes import BayRows, Outcome

            there = self._there_now(report)
            node = there.plan.nodes[part]
            if isinstance(node, Outcome) and bay is not None:
                return there.fetched(BayRows(node.join, bay), FIRST_ROWS)
            return there.table(part, FIRST_ROWS)

        def take(rows: Table) -> None:
            self._work.rest()
            done(rows)
            self.went.emit()  # another page may be shown by now

        self._start(work, take, partial(self.first_rows, part, bay, done))

    def deliver(
        self, report: Report, only: list[str] | None, despite: bool, **settings: Any
    ) -> list[Delivered]:
        """Write deliveries of the trellis as it runs there; on the thread of who writes.

        Raises
        ------
        UserError
            The rows of a part cannot be had there; raised before anything is written.
        """
        from keen_trellis.run.place_delivery import make_deliveries_there
        from keen_trellis.run.place_facts import results_of

        with self._alone(report):
            there = self._there_now(report)
            results = results_of(there)
            for error in results.errors():
                raise error
            return make_deliveries_there(
                there, results, only=only, despite=despite, report=report, **settings
            )

    @contextmanager
    def _alone(self, report: Report) -> Iterator[None]:
        """Wait until nobody else asks there: one connection answers one question at a time."""
        while not self._one_at_a_time.acquire(timeout=0.05):
            report(0.0, tr("Waiting for the question before"))
        try:
            yield
        finally:
            self._one_at_a_time.release()
            self._answered.emit()

    def _start(
        self,
        work: Callable[[Report], Any],
        done: Callable[[Any], None],
        again: Callable[[], object],
    ) -> None:
        place = self.place

        def alone(report: Report) -> Any:
            with self._alone(report):
                return work(report)

        def failed(error: Exception) -> None:
            if isinstance(error, PasswordError) and place is not None:
                self._work.rest()
                if isinstance(place.at, Server):
                    self._telling.password_wanted.emit(place.at, again)
                    return
            # Whether the fault was the connection's cannot be told for every server; a new one
            # costs less than a session that stays broken.
            if isinstance(error, UserError):  # a connection that is gone is made anew
                self._leave()
            self._work.tell_failure(error, tr("Stopped: nothing was changed there."))
            self.went.emit()

        self._telling.typing_ends.emit()
        self.jobs.start(alone, done, failed, self._work.working.emit)
        self.went.emit()

    def _there_now(self, report: Report, anew: bool = False) -> There:
        """Return the run of the trellis as it stands; one state of all tables for all questions."""
        from keen_trellis.run.place_run import There, session_at
        from keen_trellis.run.runner import Runner

        place = self.place
        assert place is not None
        there = self._there
        # A trellis is never changed, an edit makes another: the same object is the same plan, and
        # all questions to it are answered from one state of the tables.
        if there is not None and there.trellis is self._document.trellis and not anew:
            there.report = report
            return there
        if anew and self._open is not None:  # a new look at the tables
            self._open.close()
            self._open = None
        if self._open is None:
            report(0.0, tr("Going to {name}", name=place.name))
            self._open = session_at(place, self._secrets)
        runner = Runner(self._secrets, refuses=self._document.refuses)
        self._there = There(self._document.trellis, self._open, runner, report=report)
        return self._there


@dataclass(frozen=True, eq=False)
class _Uncounted(Results):
    """Results whose facts have no count: nobody has asked for them."""

    @classmethod
    def of(cls, results: Results) -> _Uncounted:
        return cls(results.trellis, results.readings, results.rows, results.given)

    @cached_property
    def facts(self) -> Facts:
        """The names and kinds of the parts alone."""
        found = facts_of(self.trellis, self.readings, self.rows, self.given, self.promises)
        lanes = {one: replace(lane, rows=None, notes=()) for one, lane in found.lanes.items()}
        items = {
            one: ItemFacts(
                id=item.id, name=item.name, type=item.type, lane=item.lane, trouble=item.trouble
            )
            for one, item in found.items.items()
        }
        return Facts(lanes, items)
