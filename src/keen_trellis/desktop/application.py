"""Where the window and the computation meet: everything is built and connected here."""

from __future__ import annotations

import gc
import os
import sys
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QObject, QSettings, QTimer, Signal
from PySide6.QtWidgets import QApplication

from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.jobs import left_have_ended
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.window import Window

_LEAVE_MS = 1_000


def start(file: Path | None, dark: bool = False) -> int:
    """Open the window, with a trellis in it when one is named; return the exit code."""
    application = make_application()
    remembered = QSettings().value("theme", "light")
    theme = themes.DARK if dark or remembered == "dark" else themes.LIGHT
    window = make_window(application, theme)
    window.show()
    QTimer.singleShot(0, gc.enable)  # the command line put it off while everything was loaded
    if file is not None:
        QTimer.singleShot(0, lambda: window.session.open(file.absolute()))
    code = application.exec()
    if not left_have_ended(_LEAVE_MS):  # a server that is silent, and whose answer nobody wants
        os._exit(code)
    return code


def make_application() -> QApplication:
    """Return the one application of this process, with its name and fonts."""
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    application.setApplicationName("Keen Trellis")
    application.setOrganizationName("keen-trellis")
    application.setStyle("Fusion")
    themes.load_fonts()
    return application


def make_window(application: QApplication, theme: themes.Theme) -> Window:
    """Return a window with an empty trellis, in the colours of a theme."""
    themes.dress(application, theme)
    window = Window(Session(), theme)
    faults = _Faults(window)
    faults.heard.connect(window.show_crash)
    sys.excepthook = faults.hear
    return window


class _Faults(QObject):
    """Hands faults to the window: a hook hears them on the thread where they happened."""

    heard = Signal(object)

    def hear(
        self, kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> None:
        """Print a fault and pass it on."""
        sys.__excepthook__(kind, error, trace)
        self.heard.emit(error)
