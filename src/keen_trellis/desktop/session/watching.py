"""Watches the files of the lanes: whether they are others than those that were read."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer, Signal

from keen_trellis.base.progress import Report
from keen_trellis.desktop.jobs import Jobs
from keen_trellis.desktop.session.open_document import OpenDocument
from keen_trellis.desktop.session.telling import Telling
from keen_trellis.desktop.session.work import Work

_EVERY_MS = 3_000


class Watching(QObject):
    """Looks at the files every few seconds.

    Signals
    -------
    outside
        Files were changed outside of the program, or are no longer.

    Attributes
    ----------
    stale : frozenset of lane id
        The lanes whose files have changed since they were read.
    """

    outside = Signal()

    def __init__(self, document: OpenDocument, work: Work, telling: Telling) -> None:
        super().__init__()
        self._document, self._work, self._telling = document, work, telling
        self.stale: frozenset[str] = frozenset()
        self._jobs = Jobs()
        self._clock = QTimer(self, interval=_EVERY_MS)
        self._clock.timeout.connect(self.look)
        self._clock.start()
        work.ran.connect(self.forget)

    def forget(self) -> None:
        """Take all files to be as they were read: they were read anew, or others are."""
        self.stale = frozenset()

    def finish(self) -> None:
        """Stop watching; for closing."""
        self._clock.stop()
        self._jobs.finish()

    def look(self) -> None:
        """Look whether files of the lanes are others than those that were read."""
        # A look that has not come back (a network's disk) is not followed by another; and what is
        # being read now is compared when it has been read.
        if self._jobs.busy or not self._work.up_to_date:
            return
        read = [
            (lane, reading)
            for lane in self._document.trellis.lanes
            if (reading := self._work.results.reading(lane.id)) and reading.files
        ]

        def look(report: Report) -> frozenset[str]:
            return frozenset(
                lane.id for lane, reading in read if lane.source.stamps() != reading.files
            )

        def done(stale: frozenset[str]) -> None:
            # A run may have begun while the files were looked at: its own stamps are newer than
            # this answer.
            if stale != self.stale and self._work.up_to_date:
                self.stale = stale
                self.outside.emit()

        self._jobs.start(look, done, self._telling.crashed.emit)
