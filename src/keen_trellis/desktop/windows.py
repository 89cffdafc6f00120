"""The windows of one process: one for each trellis, and those that later starts ask for."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QPoint, Qt, Signal
from PySide6.QtWidgets import QApplication

from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.preferences import Preferences
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.window import Window
from keen_trellis.machine.running import TAKEN, Asked, is_heard, socket_path

if TYPE_CHECKING:
    from PySide6.QtNetwork import QLocalServer, QLocalSocket

_BESIDE = QPoint(32, 32)
_MINIMISED = Qt.WindowState.WindowMinimized


class Windows(QObject):
    """Opens windows, and keeps them until they are closed.

    Parameters
    ----------
    preferences : Preferences
    theme : Theme, optional
        Instead of the one that is set.
    """

    def __init__(self, preferences: Preferences, theme: themes.Theme | None = None) -> None:
        super().__init__()
        self._preferences, self._theme = preferences, theme
        self.all: list[Window] = []
        self._faults = _Faults(self)
        self._faults.heard.connect(self._show_fault)
        sys.excepthook = self._faults.hear
        self._server: QLocalServer | None = None

    @property
    def theme(self) -> themes.Theme:
        """The colours of the next window."""
        return self._theme or self._preferences.theme

    def open(self, file: Path | None = None) -> Window:
        """Return the window for a trellis: one that has it, one that is still empty, or a new one.

        Whoever asks for a file opens it there, unless it is open already.
        """
        # Two passes: a window that has the file wins over one that is empty, wherever they stand
        # in the list.
        for window in self.all:
            if file is not None and window.session.path == file:
                return window
        for window in self.all:
            if file is not None and window.is_untouched:
                return window
        window = self.made()
        window.be_as_it_was_left()
        if len(self.all) > 1:
            window.move(self.all[-2].pos() + _BESIDE)
        window.show()
        return window

    def made(self) -> Window:
        """Return a window with an empty trellis, which is not shown yet."""
        window = Window(Session(), self.theme, self._preferences)
        self.all.append(window)
        # the lambda holds this object as well: it lives as long as its last window
        window.closed.connect(lambda: self._forget(window))
        return window

    def listen(self) -> None:
        """Hear what later starts ask for; where that cannot be, each of them is a process."""
        from PySide6.QtNetwork import QLocalServer

        path = socket_path()
        # Whoever answers there is the process that windows are asked of; taking its socket away
        # would leave it deaf.
        if path is None or is_heard(path):  # a start that asked for a process of its own
            return
        try:
            path.parent.mkdir(mode=0o700, exist_ok=True)
        except OSError:
            return
        server = self._server = QLocalServer(self)
        server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        server.newConnection.connect(self._hear)
        QLocalServer.removeServer(os.fspath(path))  # left by one that was killed
        server.listen(os.fspath(path))

    def _hear(self) -> None:
        assert self._server is not None
        while (connection := self._server.nextPendingConnection()) is not None:
            connection.readyRead.connect(lambda c=connection: self._read(c))
            # Qt's to delete, once its last bytes are gone: Python holds it no longer than this
            # loop.
            connection.disconnected.connect(connection.deleteLater)

    def _read(self, connection: QLocalSocket) -> None:
        if not connection.canReadLine():
            return
        asked = Asked.read(bytes(connection.readLine().data()))
        if asked is None:
            connection.abort()
            return
        # Answered before the window is made: who asks waits two seconds, then starts a process of
        # its own, and a busy window may take longer than that.
        connection.write(TAKEN)
        connection.flush()
        connection.disconnectFromServer()
        if asked.token:
            # Qt takes it from there when the next window is brought forward (xdg-activation)
            os.environ["XDG_ACTIVATION_TOKEN"] = asked.token
        window = self.open(asked.file)
        if asked.file is not None and window.session.path != asked.file:
            window.session.document.open(asked.file)
        self._bring_forward(window)

    def _bring_forward(self, window: Window) -> None:
        window.setWindowState(window.windowState() & ~_MINIMISED)
        window.raise_()
        window.activateWindow()

    def _forget(self, window: Window) -> None:
        self.all.remove(window)
        window.deleteLater()

    def _show_fault(self, error: BaseException) -> None:
        # While another program is in front there is no active window of ours.
        active = QApplication.activeWindow()
        shown = active if isinstance(active, Window) else self.all[-1] if self.all else None
        if shown is not None:
            shown.show_crash(error)


class _Faults(QObject):
    """Hands faults to a window: a hook hears them on the thread where they happened."""

    heard = Signal(object)

    def hear(
        self, kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> None:
        """Print a fault and pass it on."""
        sys.__excepthook__(kind, error, trace)
        self.heard.emit(error)
