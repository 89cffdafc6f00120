"""Where the window and the computation meet: everything is built and connected here."""

from __future__ import annotations

import gc
import math
import os
import sys
from pathlib import Path

import PySide6
from PySide6.QtCore import QLocale, QSettings, QSize, QTimer, QTranslator
from PySide6.QtGui import QFont
from PySide6.QtWidgets import QApplication

from keen_trellis.base.language import SOURCE, spoken
from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.bench.page_tabs import hear_tabs
from keen_trellis.desktop.jobs import left_have_ended
from keen_trellis.desktop.preferences import Preferences
from keen_trellis.desktop.window import SMALLEST, Window
from keen_trellis.desktop.windows import Windows
from keen_trellis.machine.settings import read_settings

_LEAVE_MS = 1_000
_NAMES = ("keen-trellis", "Keen Trellis")
_SCALE, _ANEW = "QT_SCALE_FACTOR", "KEEN_TRELLIS_BEGUN_ANEW"
_USUAL_POINTS, _SCALED_AT_MOST, _SMALLEST_SCALE = 10, 2.0, 0.8


def start(file: Path | None, dark: bool = False) -> int:
    """Open the window, with a trellis in it when one is named; return the exit code."""
    application = _scaled_application()
    windows = Windows(Preferences(), themes.DARK if dark else None)
    themes.dress(application, windows.theme)
    window = windows.open()
    QTimer.singleShot(0, gc.enable)  # the command line put it off while everything was loaded
    if file is not None:
        QTimer.singleShot(0, lambda: window.session.document.open(file.absolute()))
    QTimer.singleShot(0, window.offer_left_work)
    QTimer.singleShot(0, windows.listen)
    code = application.exec()
    if not left_have_ended(_LEAVE_MS):  # a server that is silent, and whose answer nobody wants
        # Python would wait for the threads of a pool at its end, however long the server is
        # silent.
        os._exit(code)
    return code


_SWITCH_S = 0.001


def make_application() -> QApplication:
    """Return the one application of this process, with its name and fonts."""
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    application.setOrganizationName(_NAMES[0])
    application.setApplicationName(_NAMES[1])
    application.setDesktopFileName(_NAMES[0])
    application.setStyle("Fusion")
    _translate_qt(application)
    hear_tabs()
    # each time the window takes Python's lock from work under way, it waits so long at most; the
    # usual 5 ms add up while something is drawn
    sys.setswitchinterval(_SWITCH_S)
    themes.load_fonts()
    return application


def _translate_qt(application: QApplication) -> None:
    """Let Qt's own words, those of its dialogs and keys, be of the language that is spoken."""
    words = QTranslator(application)
    folder = Path(PySide6.__file__).parent / "Qt" / "translations"
    if spoken() != SOURCE and words.load(QLocale(spoken()), "qtbase", "_", str(folder)):
        application.installTranslator(words)


def scale_of(font: QFont, room: QSize, letters: int = 100) -> float:
    """Return how much larger everything is drawn, since the letters of the system are larger.

    Parameters
    ----------
    font : QFont
        The system's own.
    room : QSize
        What the screen has in pixels: the smallest window must fit it.
    letters : int
        How large they are asked to be beside that, in percent.
    """
    fits = min(room.width() / SMALLEST.width(), room.height() / SMALLEST.height())
    usual = max(font.pointSizeF() / _USUAL_POINTS, 1.0)
    wanted = min(usual * letters / 100, max(fits, 1.0), _SCALED_AT_MOST)
    return max(math.floor(wanted * 20 + 1e-9) / 20, _SMALLEST_SCALE)


def _scaled_application() -> QApplication:
    """Return the application, drawing at the scale of the system's letters.

    Qt must know the scale before it begins, and only then tells how large those letters are. So
    the scale of the last start is taken, and where it is another by now, the program begins anew.
    """
    if _SCALE in os.environ:  # whoever starts the program says it
        return make_application()
    remembered = QSettings(*_NAMES)
    scale = float(str(remembered.value("scale", "1")))
    os.environ[_SCALE] = f"{scale:g}"
    application = make_application()
    room = application.primaryScreen().availableSize() * scale
    # Qt tells sizes in its own pixels, already divided by the scale that it was started with: the
    # room is told in the screen's again.
    wanted = scale_of(application.font(), room, read_settings().number("look.letters"))
    if wanted != scale and _ANEW not in os.environ:
        remembered.setValue("scale", f"{wanted:g}")
        remembered.sync()
        del os.environ[_SCALE]
        os.environ[_ANEW] = "1"
        # Nothing has been opened yet, so nothing is lost; `_ANEW` stays in the environment of the
        # new process, which therefore never does this a second time.
        os.execv(sys.executable, sys.orig_argv)
    return application


def make_window(
    application: QApplication, theme: themes.Theme, preferences: Preferences | None = None
) -> Window:
    """Return a window with an empty trellis, in the colours of a theme."""
    themes.dress(application, theme)
    return Windows(preferences or Preferences(), theme).made()
