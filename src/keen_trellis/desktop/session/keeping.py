"""Keeps what is not saved, a moment after each edit, so that a crash costs nothing."""

from __future__ import annotations

from contextlib import suppress
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.desktop.jobs import Jobs
from keen_trellis.desktop.session.open_document import OpenDocument
from keen_trellis.desktop.session.telling import Telling

if TYPE_CHECKING:
    from keen_trellis.machine.unsaved_work import Keeping as Kept

_AFTER_MS = 1_200


class KeepingWork(QObject):
    """Keeps the work on a document on this machine until it is saved, or left on purpose."""

    def __init__(self, document: OpenDocument, telling: Telling) -> None:
        super().__init__()
        self._document, self._telling = document, telling
        self._kept: Kept | None = None
        self._jobs = Jobs()
        self._due = QTimer(self, singleShot=True, interval=_AFTER_MS)
        self._due.timeout.connect(self._keep)
        document.changed.connect(self._changed)
        document.opened.connect(self._opened)
        document.moved.connect(self._opened)

    def _changed(self) -> None:
        if not self._document.undo.isClean():
            self._due.start()
        elif self._due.isActive() or self._kept is not None:
            # On the lane of jobs, behind a keep that may be under way: dropped before it, the
            # file would be written after and offered at the next start.
            self._due.stop()
            self._jobs.start(self._drop, lambda _: None, lambda _: None)

    def _files(self) -> Kept:
        if self._kept is None:
            from keen_trellis.machine.unsaved_work import Keeping

            self._kept = Keeping()
        return self._kept

    def _keep(self) -> None:
        trellis, path = self._document.trellis, self._document.path

        def keep(report: Report) -> None:
            self._files().keep(trellis, path)

        def failed(error: Exception) -> None:
            if not isinstance(error, OSError):
                self._telling.crashed.emit(error)
                return
            said = tr(
                "What is not saved cannot be kept on this machine. Save it from time to time."
            )
            self._telling.trouble(said)

        self._jobs.start(keep, lambda _: None, failed)

    def _drop(self, report: Report) -> None:
        if self._kept is not None:
            self._kept.drop()

    def _opened(self, *_: object) -> None:
        """Tell other windows what is open here, and the one who looks whether it is there, too."""
        path = self._document.path
        with suppress(OSError):
            if self._files().opened(path) and path is not None:
                said = tr(
                    "{name} is open in another window, too: who saves last is asked first.",
                    name=path.name,
                )
                self._telling.trouble(said)

    def finish(self) -> None:
        """Forget the work: it is saved, or left on purpose."""
        self._due.stop()
        self._jobs.finish()
        if self._kept is not None:
            with suppress(OSError):
                self._kept.drop()
                self._kept.opened(None)
