"""Long work on other threads, with progress and a stop; its end comes back to the window."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QThreadPool, Signal

from keen_trellis.base.progress import Cancelled, Report

_REPORTS_A_SECOND = 20


class Job(QObject):
    """One piece of work. `ended` comes exactly once: with a value, an error, or neither.

    Made on the window's thread and kept by `Jobs` until it has ended: made elsewhere its slots
    would run there, and dropped early its signals would fail.
    """

    progressed = Signal(float, str)
    ended = Signal(object, object)  # value, error

    def __init__(self, work: Callable[[Report], Any]) -> None:
        super().__init__()
        self._work: Callable[[Report], Any] | None = work
        self._is_held = True
        self._stop = threading.Event()
        self._last_report = 0.0

    def stop(self) -> None:
        """Ask the work to stop at its next report."""
        self._stop.set()

    def run(self) -> None:
        """Do the work; called on a thread of the pool."""
        value: Any = None
        error: Exception | None = None
        work, self._work = self._work, None  # it holds what it worked on, and is done once
        assert work is not None
        try:
            value = work(self._report)
        except Cancelled as stopped:
            error = stopped
        except Exception as fault:  # noqa: BLE001  the border between threads; nothing is dropped
            error = fault
        del work
        # What was worked on is dropped before: its destructor would else run on whichever thread
        # lets go last.
        self.ended.emit(value, error)

    def let_go(self) -> None:
        """Hold nobody any more who waited for it: neither they nor what they hold would go."""
        if self._is_held:
            self._is_held = False
            self.progressed.disconnect()
            self.ended.disconnect()

    def _report(self, fraction: float, doing: str) -> None:
        # On the thread of the pool. An Event needs no lock; a report that comes a moment before it
        # is set is one report more, no more than that.
        if self._stop.is_set():
            raise Cancelled
        now = time.monotonic()
        if now - self._last_report > 1 / _REPORTS_A_SECOND:
            self._last_report = now
            self.progressed.emit(fraction, doing)


def _to_nobody(fraction: float, doing: str) -> None:
    """Take progress that nobody shows."""


class Jobs:
    """A lane of jobs: they are done one after the other on one thread."""

    def __init__(self) -> None:
        self._pool = QThreadPool()
        # One thread: a lane's jobs never meet, so that what they work on needs no lock among them.
        self._pool.setMaxThreadCount(1)
        self._running: set[Job] = set()
        self._silent = False

    @property
    def busy(self) -> bool:
        """Whether a job has not ended yet."""
        return bool(self._running)

    def start(
        self,
        work: Callable[[Report], Any],
        done: Callable[[Any], None],
        failed: Callable[[Exception], None],
        progressed: Callable[[float, str], None] | None = None,
    ) -> Job:
        """Start `work` on the pool; exactly one of `done` and `failed` is called on this thread."""
        job = Job(work)
        # Held here until its end: a QObject that Python drops while its thread is at work is
        # deleted under that thread's hands.
        self._running.add(job)

        # A signal that is emitted on the pool's thread reaches a slot of an object of the window's
        # thread as an event there: `ended` and all that it calls run between two events of the
        # window, and need no lock. A plain function runs where its signal's object lives.
        def ended(value: Any, error: Exception | None) -> None:
            self._running.discard(job)
            job.let_go()
            if self._silent:  # its end was on the way already
                return
            if error is None:
                done(value)
            else:
                failed(error)

        job.ended.connect(ended)
        # Something is always connected: `let_go` disconnects, and Qt warns of a signal without
        # any.
        job.progressed.connect(progressed or _to_nobody)
        self._pool.start(job.run)
        return job

    def stop_all(self) -> None:
        """Ask every job to stop."""
        for job in self._running:
            job.stop()

    def finish(self) -> None:
        """Stop every job and wait for the last to end; nobody is told of it. For closing."""
        self._silence()
        self._pool.waitForDone()
        # `ended` of these may still be on its way as an event; it finds `_silent` and tells nobody.
        self._running.clear()

    def leave(self) -> None:
        """Stop every job and do not wait: what still goes on ends by itself, and nobody is told."""
        self._silence()
        if not self._running:
            return
        _left.add(self)  # a pool that is dropped would wait for its threads
        # `_silence` has let go of what listened before; this listener only keeps the pool alive
        # until its last job is gone. Job and listener hold each other in a circle, as long as
        # that lasts.
        for job in list(self._running):
            job.ended.connect(lambda *_, ended=job: self._gone(ended))

    def _silence(self) -> None:
        if self._silent:
            return
        self._silent = True
        for job in self._running:
            job.let_go()
        self.stop_all()

    def _gone(self, job: Job) -> None:
        self._running.discard(job)
        if not self._running:
            _left.discard(self)


_left: set[Jobs] = set()
"""Jobs that nobody waits for any more, until the last of each has ended."""


def left_have_ended(timeout_ms: int) -> bool:
    """Wait for jobs that were left, each for so long at most; tell whether all have ended."""
    return all(jobs._pool.waitForDone(timeout_ms) for jobs in list(_left))
