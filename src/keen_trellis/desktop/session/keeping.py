"""Keeps what is not saved, a moment after each edit, so that a crash costs nothing."""

from __future__ import annotations

from contextlib import suppress
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from keen_trellis.desktop.jobs import Jobs
from keen_trellis.progress import Report

if TYPE_CHECKING:
    from keen_trellis.desktop.session.session import Session
    from keen_trellis.run.kept_work import Keeping as Kept

_AFTER_MS = 1_200


class KeepingWork:
    """Keeps the work of a session on this machine until it is saved, or left on purpose."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._kept: Kept | None = None
        self._jobs = Jobs()
        self._due = QTimer(session, singleShot=True, interval=_AFTER_MS)
        self._due.timeout.connect(self._keep)
        session.changed.connect(self._changed)

    def _changed(self) -> None:
        if not self._session.undo.isClean():
            self._due.start()
        elif self._due.isActive() or self._kept is not None:
            self._due.stop()
            self._jobs.start(self._drop, lambda _: None, lambda _: None)

    def _files(self) -> Kept:
        if self._kept is None:
            from keen_trellis.run.kept_work import Keeping

            self._kept = Keeping()
        return self._kept

    def _keep(self) -> None:
        trellis, path = self._session.trellis, self._session.path

        def keep(report: Report) -> None:
            self._files().keep(trellis, path)

        def failed(error: Exception) -> None:
            if not isinstance(error, OSError):
                self._session.crashed.emit(error)
                return
            said = "What is not saved cannot be kept on this machine. Save it from time to time."
            self._session.said.emit(said, True)

        self._jobs.start(keep, lambda _: None, failed)

    def _drop(self, report: Report) -> None:
        if self._kept is not None:
            self._kept.drop()

    def opened(self) -> None:
        """Tell other windows what is open here, and the one who looks whether it is there, too."""
        path = self._session.path
        with suppress(OSError):
            if self._files().opened(path) and path is not None:
                said = f"{path.name} is open in another window, too: who saves last is asked first."
                self._session.said.emit(said, True)

    def finish(self) -> None:
        """Forget the work: it is saved, or left on purpose."""
        self._due.stop()
        self._jobs.finish()
        if self._kept is not None:
            with suppress(OSError):
                self._kept.drop()
                self._kept.opened(None)
