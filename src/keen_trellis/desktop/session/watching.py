"""Watches the files of the lanes: whether they are others than those that were read."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from keen_trellis.desktop.jobs import Jobs
from keen_trellis.progress import Report

if TYPE_CHECKING:
    from keen_trellis.desktop.session.session import Session

_EVERY_MS = 3_000


class Watching:
    """Looks at the files every few seconds.

    Attributes
    ----------
    stale : frozenset of lane id
        The lanes whose files have changed since they were read.
    """

    def __init__(self, session: Session) -> None:
        self._session = session
        self.stale: frozenset[str] = frozenset()
        self._jobs = Jobs()
        self._clock = QTimer(session, interval=_EVERY_MS)
        self._clock.timeout.connect(self.look)
        self._clock.start()

    def finish(self) -> None:
        """Stop watching; for closing."""
        self._clock.stop()
        self._jobs.finish()

    def look(self) -> None:
        """Look whether files of the lanes are others than those that were read."""
        if self._jobs.busy or not self._session.up_to_date:
            return
        read = [
            (lane, reading)
            for lane in self._session.trellis.lanes
            if (reading := self._session.results.reading(lane.id)) and reading.files
        ]

        def look(report: Report) -> frozenset[str]:
            return frozenset(
                lane.id for lane, reading in read if lane.source.stamps() != reading.files
            )

        def done(stale: frozenset[str]) -> None:
            if stale != self.stale and self._session.up_to_date:
                self.stale = stale
                self._session.outside.emit()

        self._jobs.start(look, done, self._session.crashed.emit)
