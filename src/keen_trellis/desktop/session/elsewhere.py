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

from keen_trellis.desktop.jobs import Jobs
from keen_trellis.errors import PasswordError, UserError
from keen_trellis.progress import Report
from keen_trellis.read.server import Server
from keen_trellis.run.facts import Facts, ItemFacts, facts_of
from keen_trellis.run.results import Results
from keen_trellis.words import counted

if TYPE_CHECKING:
    from keen_trellis.data import Table
    from keen_trellis.desktop.session.session import Session
    from keen_trellis.document.places import RunPlace
    from keen_trellis.places.session import Session as PlaceSession
    from keen_trellis.plan.bays import Bay
    from keen_trellis.run import Delivered
    from keen_trellis.run.there import There
    from keen_trellis.run.there_facts import ThereResults

FIRST_ROWS = 1_000
"""How many rows of each lane are read here while it runs elsewhere, and fetched to be seen."""


class Elsewhere:
    """Where the session's trellis runs beside this machine, and what was counted there.

    Attributes
    ----------
    place : RunPlace or None
        None for this machine.
    results : ThereResults or None
        The latest counts; of `results.trellis`, which may not be the present one.
    counted_at : datetime or None
    """

    def __init__(self, session: Session) -> None:
        self._session = session
        self.place: RunPlace | None = None
        self.results: ThereResults | None = None
        self.counted_at: dt.datetime | None = None
        self.jobs = Jobs()
        self._open: PlaceSession | None = None
        self._there: There | None = None
        self._one_at_a_time = threading.Lock()
        self._uncounted: tuple[Results, Results] | None = None

    def choose(self, name: str) -> None:
        """Go to a place of the trellis by its name; with an empty one back to this machine."""
        session = self._session
        place = session.trellis.place(name) if name else None
        if place == self.place:
            return
        if place is not None and self._asks_leave(place):
            return
        self.forget()
        self.place = place
        session.begin_anew()
        session.went.emit()

    def _asks_leave(self, place: RunPlace) -> bool:
        """Ask about what nobody has allowed; tell whether there is anything."""
        session = self._session
        folder = session.path.parent if session.path is not None else None
        wanted = [want for want in place.wants(folder) if want.key not in session.allowed]
        if wanted:
            session.leave_wanted.emit(wanted)
        return bool(wanted)

    def forget(self) -> None:
        """Leave the place; another trellis is taken up, or another place."""
        self.jobs.stop_all()
        gone, self._open = self._open, None
        if gone is not None:
            threading.Thread(target=gone.close, daemon=True).start()
        self._there, self.results, self.counted_at, self.place = None, None, None, None

    @property
    def is_of_now(self) -> bool:
        """Whether what was counted is of the trellis as it stands."""
        return self.results is not None and self.results.trellis is self._session.trellis

    @property
    def told(self) -> Results:
        """What the map tells: counts from there, or none where nobody has asked for them."""
        if self.results is not None:
            return self.results
        if self._uncounted is None or self._uncounted[0] is not self._session.results:
            self._uncounted = self._session.results, _Uncounted.of(self._session.results)
        return self._uncounted[1]

    @property
    def words(self) -> str:
        """How what is shown stands to the place."""
        if self.place is None:
            return ""
        if self.results is None or self.counted_at is None:
            return f"Nothing has been counted on {self.place.name} yet"
        asked = self.results.asked
        took = sum(one.seconds for one in asked)
        said = f"Counted on {self.place.name} at {self.counted_at:%H:%M}, by "
        said += f"{counted(len(asked), 'question')} in {took:,.1f} s"
        return said if self.is_of_now else f"{said}; the trellis has changed since"

    # jobs

    def count(self) -> None:
        """Count every part there; what that costs is why it is asked for."""

        def work(report: Report) -> ThereResults:
            from keen_trellis.run.there_facts import results_of

            return results_of(self._there_now(report, anew=True))

        def done(found: ThereResults) -> None:
            self.results, self.counted_at = found, dt.datetime.now()
            self._session.rest()
            self._session.went.emit()

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
            self._session.rest()
            done(rows)
            self._session.went.emit()  # another page may be shown by now

        self._start(work, take, partial(self.first_rows, part, bay, done))

    def deliver(
        self, report: Report, only: list[str] | None, despite: bool, **settings: Any
    ) -> list[Delivered]:
        """Write deliveries of the trellis as it runs there; on the thread of who writes."""
        from keen_trellis.run.delivering_there import make_deliveries_there
        from keen_trellis.run.there_facts import results_of

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
            report(0.0, "Waiting for the question before")
        try:
            yield
        finally:
            self._one_at_a_time.release()

    def _start(
        self,
        work: Callable[[Report], Any],
        done: Callable[[Any], None],
        again: Callable[[], object],
    ) -> None:
        session = self._session
        place = self.place

        def alone(report: Report) -> Any:
            with self._alone(report):
                return work(report)

        def failed(error: Exception) -> None:
            if isinstance(error, PasswordError) and place is not None:
                session.rest()
                if isinstance(place.at, Server):
                    session.password_wanted.emit(place.at, again)
                    return
            if isinstance(error, UserError):  # a connection that is gone is made anew
                self._open, self._there = None, None
            session.tell_failure(error, "Stopped: nothing was changed there.")
            session.went.emit()

        session.typing_ends.emit()
        self.jobs.start(alone, done, failed, session.working.emit)
        session.went.emit()

    def _there_now(self, report: Report, anew: bool = False) -> There:
        """Return the run of the trellis as it stands; one state of all tables for all questions."""
        from keen_trellis.run.runner import Runner
        from keen_trellis.run.there import There, session_at

        session, place = self._session, self.place
        assert place is not None
        there = self._there
        if there is not None and there.trellis is session.trellis and not anew:
            there.report = report
            return there
        if anew and self._open is not None:  # a new look at the tables
            self._open.close()
            self._open = None
        if self._open is None:
            report(0.0, f"Going to {place.name}")
            self._open = session_at(place, session.secrets)
        runner = Runner(session.secrets, refuses=session.refuses)
        self._there = There(session.trellis, self._open, runner, report=report)
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
        found = facts_of(self)
        lanes = {one: replace(lane, rows=None, notes=()) for one, lane in found.lanes.items()}
        items = {
            one: ItemFacts(
                id=item.id, name=item.name, type=item.type, lane=item.lane, trouble=item.trouble
            )
            for one, item in found.items.items()
        }
        return Facts(lanes, items)
