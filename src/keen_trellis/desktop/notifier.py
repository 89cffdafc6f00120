"""Long work told to the desktop: how far it is, and that it has ended while nobody looked.

Nothing of the data is told: the name of the trellis, and how long it took.
"""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget
from shiboken6 import isValid

LONG_S, _BAR_AFTER_S, _BAR_EVERY_S = 10.0, 2.0, 0.5


class Notifier(QObject):
    """Listens to work, and tells the desktop of it; what the bus does holds the window up never.

    Parameters
    ----------
    window : QWidget
        In front of which nobody need be told, and which *Show* brings to the front.
    name : callable
        Gives what the trellis is called.
    wanted : callable
        Whether whoever sits here wants to be told.
    clock : callable, optional
        Gives seconds that never go back.
    """

    _answered = Signal()  # from the thread that speaks to the bus

    def __init__(
        self,
        window: QWidget,
        name: Callable[[], str],
        wanted: Callable[[], bool],
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        super().__init__(window)
        self._window, self._name, self._wanted, self._clock = window, name, wanted, clock
        self._began = 0.0
        self._bar_at = 0.0
        # the only thing that both threads touch; the answer comes back by a queued signal
        self._to_send: queue.SimpleQueue[Any] = queue.SimpleQueue()
        self._speaks: threading.Thread | None = None
        self._answered.connect(self._come_to_the_front)

    def work(self, fraction: float, doing: str) -> None:
        """Take note of how far the work is; 1 is its end."""
        now = self._clock()
        if fraction < 1:
            # Reports come from many jobs, and the first of them begins the stretch of work that 1
            # ends.
            self._began = self._began or now
            if now - self._began > _BAR_AFTER_S and now - self._bar_at > _BAR_EVERY_S:
                self._bar_at = now
                self._draw_progress(fraction)
            return
        took, self._began = now - self._began if self._began else 0.0, 0.0
        if self._bar_at:
            self._bar_at = 0.0
            self._draw_progress(None)
        if took >= LONG_S and not self._window.isActiveWindow() and self._wanted():
            from keen_trellis.desktop.session_bus import notification

            self._send(notification(self._name(), took))

    def _draw_progress(self, fraction: float | None) -> None:
        from keen_trellis.desktop.session_bus import progress

        self._send(progress(fraction))

    def _send(self, message: object) -> None:
        from keen_trellis.desktop.session_bus import speak

        self._to_send.put(message)
        # The thread ends by itself after a silence. A message put just as it ends would wait for
        # the next one; that is a bar drawn late, never anything lost of the work.
        if self._speaks is None or not self._speaks.is_alive():
            heard = (self._to_send, self._hear_answer)
            self._speaks = threading.Thread(target=speak, args=heard, daemon=True)
            self._speaks.start()

    def _hear_answer(self) -> None:
        """Pass on an answer, from the thread that heard it; the window may be closed by then."""
        if isValid(self):
            self._answered.emit()

    def _come_to_the_front(self) -> None:
        self._window.raise_()
        self._window.activateWindow()
