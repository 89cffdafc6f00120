"""Which report is looked at, and its numbers, worked out aside."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from keen_trellis.document import edits
from keen_trellis.document.reports import Report
from keen_trellis.errors import UserError
from keen_trellis.progress import Report as Progress

if TYPE_CHECKING:
    from keen_trellis.data import Table
    from keen_trellis.desktop.session.session import Session
    from keen_trellis.report.working_out import WorkedOut


_AFTER_MS = 30
"""How long the work waits for the window to be drawn: both want Python's lock."""


class Reporting(QObject):
    """Works the report out that is looked at, once for each result of the trellis.

    Signals
    -------
    renewed
        Another report is looked at, or its numbers are others.
    """

    renewed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._chosen = ""
        self._is_seen = False
        self._key: object = None
        self._found: WorkedOut | UserError | None = None
        self._due = QTimer(self, singleShot=True, interval=_AFTER_MS)
        self._due.timeout.connect(self._begin)
        session.changed.connect(self.renewed)
        session.ran.connect(self.renew)

    @property
    def is_due(self) -> bool:
        """Whether the report is about to be worked out."""
        return self._due.isActive()

    @property
    def report(self) -> Report | None:
        """The report that is looked at; None where the trellis has none."""
        reports = self._session.trellis.reports
        return next((one for one in reports if one.id == self._chosen), next(iter(reports), None))

    @property
    def found(self) -> WorkedOut | UserError | None:
        """Its numbers, or why there are none; None while they are worked out for the first time."""
        report = self.report
        if report is None or self._key is None:
            return None
        is_of_it = isinstance(self._key, tuple) and self._key[1].id == report.id
        return self._found if is_of_it else None

    @property
    def is_now(self) -> bool:
        """Whether the numbers are those of the report and the results as they are."""
        return self._key is not None and self._key == (self._session.results, self.report)

    @property
    def table(self) -> Table | None:
        """The rows that it is made of, before its filters, as far as they are known."""
        report, trellis = self.report, self._session.results.trellis
        if report is None:
            return None
        try:
            return self._session.results.table(trellis.taken_after(report.at))
        except KeyError:  # results of before the lane was there
            return None

    @property
    def tables(self) -> list[Table]:
        """The tables whose columns can be filtered: its rows, then the lanes they come from."""
        report, results = self.report, self._session.results
        own = self.table
        if report is None or own is None:
            return []
        upstream = results.trellis.upstream(results.trellis.taken_after(report.at))
        lanes = (results.table(x.id) for x in results.trellis.lanes if x.id in upstream)
        return [own, *(table for table in lanes if table is not None)]

    def see(self, is_seen: bool) -> None:
        """Note whether anybody looks; what nobody looks at is not worked out."""
        self._is_seen = is_seen
        self.renew()

    def choose(self, report_id: str) -> None:
        """Look at another report."""
        self._chosen = report_id
        self.renewed.emit()
        self.renew()

    def add(self) -> None:
        """Make a report of what is selected, or of the lane with most items, and look at it."""
        session = self._session
        lane, item = session.selected_lane, session.selected_item
        if lane is None:
            lane = max(session.trellis.lanes, key=lambda one: len(one.items), default=None)
        if lane is None:
            return
        is_end = item is None or item.id == session.trellis.end_of(lane)
        made = edits.report_at(
            lane.id, None if is_end or item is None else item.id, f"{lane.name} report"
        )
        if session.do(edits.AddReport(made)):
            self.choose(session.trellis.reports[-1].id)

    def remove(self) -> None:
        """Take the report out that is looked at."""
        if self.report is not None:
            self._session.do(edits.RemoveReport(self.report.id))

    def change(self, **changes: object) -> None:
        """Change the report that is looked at; where it cannot be so, it is said."""
        from pydantic import ValidationError

        from keen_trellis.document import edits

        if self.report is None:
            return
        try:
            made = self.report.but(**changes)
        except ValidationError as error:
            self._session.said.emit(edits.first_fault(error), True)
            self.renewed.emit()  # what was typed stands there no more
            return
        self._session.do(edits.SetReport(made))

    def renew(self) -> None:
        """Work the report out, unless its numbers are those of now."""
        if self._is_wanted:
            self._due.start()
        else:
            self.renewed.emit()

    @property
    def _is_wanted(self) -> bool:
        report, results = self.report, self._session.results
        is_run = self._session.up_to_date and results.trellis is self._session.trellis
        return report is not None and self._is_seen and is_run and not self.is_now

    def _begin(self) -> None:
        report, results = self.report, self._session.results
        if report is None or not self._is_wanted:
            return
        key = (results, report)
        runner = self._session.runner

        def work(progress: Progress) -> WorkedOut | UserError:
            from keen_trellis.report.working_out import worked_out

            try:
                return worked_out(results, report, runner, progress)
            except UserError as error:
                return error

        def done(found: WorkedOut | UserError) -> None:
            if self._session.results is results and self.report == report:
                self._key, self._found = key, found
                self.renewed.emit()

        self._session.find_out(work, done, "Stopped: the report is not worked out.")
