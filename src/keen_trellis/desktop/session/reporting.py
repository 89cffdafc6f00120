"""Which report is looked at, and its numbers, worked out aside."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report as Progress
from keen_trellis.desktop.session.open_document import OpenDocument
from keen_trellis.desktop.session.telling import Telling
from keen_trellis.desktop.session.work import Work
from keen_trellis.document import edits
from keen_trellis.document.reports import Report

if TYPE_CHECKING:
    from keen_trellis.data import Table
    from keen_trellis.report.report_rows import WorkedOut


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

    def __init__(self, document: OpenDocument, work: Work, telling: Telling) -> None:
        super().__init__()
        self._document, self._work, self._telling = document, work, telling
        self._chosen = ""
        self._is_seen = False
        self._key: object = None
        self._found: WorkedOut | UserError | None = None
        self._due = QTimer(self, singleShot=True, interval=_AFTER_MS)
        self._due.timeout.connect(self._begin)
        work.counts(is_due=self._due.isActive)
        document.changed.connect(self.renewed)
        work.ran.connect(self.renew)

    @property
    def report(self) -> Report | None:
        """The report that is looked at; None where the trellis has none."""
        reports = self._document.trellis.reports
        return next((one for one in reports if one.id == self._chosen), next(iter(reports), None))

    @property
    def found(self) -> WorkedOut | UserError | None:
        """Its numbers, or why there are none; None while they are worked out for the first time."""
        report = self.report
        if report is None or self._key is None:
            return None
        # Numbers of before are shown while new ones are worked out, but never another report's.
        is_of_it = isinstance(self._key, tuple) and self._key[1].id == report.id
        return self._found if is_of_it else None

    @property
    def is_now(self) -> bool:
        """Whether the numbers are those of the report and the results as they are."""
        return self._key is not None and self._key == (self._work.results, self.report)

    @property
    def table(self) -> Table | None:
        """The rows that it is made of, before its filters, as far as they are known."""
        report, trellis = self.report, self._work.results.trellis
        if report is None:
            return None
        try:
            return self._work.results.table(trellis.taken_after(report.at))
        except KeyError:  # results of before the lane was there
            return None

    @property
    def tables(self) -> list[Table]:
        """The tables whose columns can be filtered: its rows, then the lanes they come from."""
        report, results = self.report, self._work.results
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
        lane, item = self._document.selected_lane, self._document.selected_item
        if lane is None:
            lane = max(self._document.trellis.lanes, key=lambda one: len(one.items), default=None)
        if lane is None:
            return
        is_end = item is None or item.id == self._document.trellis.end_of(lane)
        made = edits.report_at(
            lane.id,
            None if is_end or item is None else item.id,
            tr("{name} report", name=lane.name),
        )
        if self._document.do(edits.AddReport(made)):
            self.choose(self._document.trellis.reports[-1].id)

    def remove(self) -> None:
        """Take the report out that is looked at."""
        if self.report is not None:
            self._document.do(edits.RemoveReport(self.report.id))

    def change(self, **changes: object) -> None:
        """Change the report that is looked at; where it cannot be so, it is said."""
        from pydantic import ValidationError

        from keen_trellis.document import edits

        if self.report is None:
            return
        try:
            made = self.report.but(**changes)
        except ValidationError as error:
            self._telling.trouble(edits.first_fault(error))
            self.renewed.emit()  # what was typed stands there no more
            return
        self._document.do(edits.SetReport(made))

    def renew(self) -> None:
        """Work the report out, unless its numbers are those of now."""
        if self._is_wanted:
            self._due.start()
        else:
            self.renewed.emit()

    @property
    def _is_wanted(self) -> bool:
        report = self.report
        is_run = self._work.is_of_now
        return report is not None and self._is_seen and is_run and not self.is_now

    def _begin(self) -> None:
        report, results = self.report, self._work.results
        if report is None or not self._is_wanted:
            return
        key = (results, report)
        runner = self._work.runner

        def work(progress: Progress) -> WorkedOut | UserError:
            from keen_trellis.report.report_rows import worked_out

            try:
                return worked_out(results, report, runner, progress)
            except UserError as error:
                return error

        def done(found: WorkedOut | UserError) -> None:
            # By identity for results, by value for the report: an edit elsewhere makes an equal
            # report of another identity, and its numbers still hold.
            if self._work.results is results and self.report == report:
                self._key, self._found = key, found
                self.renewed.emit()

        self._work.find_out(work, done, tr("Stopped: the report is not worked out."))
