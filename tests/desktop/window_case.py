"""A real window, offscreen, used by clicks and keys."""

from __future__ import annotations

import os
import shutil
import tempfile
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar
from unittest import mock

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QEvent, QPoint, QSettings, QStandardPaths, Qt, qInstallMessageHandler
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QLineEdit, QPushButton, QWidget

from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.application import make_application, make_window
from keen_trellis.desktop.map.shapes import Box

DEMO = Path(__file__).parents[2] / "demo"
HARMLESS = ("propagateSizeHints", "does not support raise", "grabbing the keyboard")
W = TypeVar("W", bound=QWidget)


class WindowTestCase(unittest.TestCase):
    """Opens a window on a copy of the demo; a Qt warning or a fault on the way fails the test."""

    def setUp(self) -> None:
        QStandardPaths.setTestModeEnabled(True)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name) / "demo"
        shutil.copytree(DEMO, self.folder, ignore=shutil.ignore_patterns("out"))
        state = mock.patch.dict(
            os.environ,
            {f"XDG_{one}_HOME": f"{folder.name}/{one}" for one in ("STATE", "CONFIG", "DATA")},
        )
        state.start()
        self.addCleanup(state.stop)
        # settings of its own: packages of tests run side by side
        kept = str(Path(folder.name) / "settings")
        QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, kept)
        self.complaints: list[str] = []
        qInstallMessageHandler(lambda kind, context, text: self.complaints.append(text))
        self.application = make_application()
        self.window = make_window(self.application, themes.LIGHT)
        self.session = self.window.session
        self.heard = 0.0
        self.session.work.working.connect(self._hear)
        self.session.telling.crashed.connect(lambda error: self.complaints.append(repr(error)))
        self.window.show()
        self.addCleanup(self.close)

    def _hear(self, *_: object) -> None:
        self.heard = time.monotonic()

    def close(self) -> None:
        self.session.document.undo.setClean()
        self.session.stop()
        self.wait_until(
            lambda: not self.session.delivering.jobs.busy
        )  # else a box asks before it closes
        self.window.close()
        self.window.deleteLater()
        self.settle()
        qInstallMessageHandler(None)
        complaints = [c for c in self.complaints if not any(h in c for h in HARMLESS)]
        self.assertEqual(complaints, [])

    def open_demo(self) -> None:
        self.assertTrue(self.session.document.open(self.folder / "winter-season.trellis"))
        self.settle()

    def settle(self) -> None:
        """Wait until no job runs and everything is drawn."""
        self.wait_until(lambda: not self.session.work.busy)
        for _ in range(3):
            self.application.processEvents()
            self.application.sendPostedEvents(None, QEvent.Type.DeferredDelete)

    def wait_until(self, true: Callable[[], bool], seconds: float = 20) -> None:
        """Let the window work until something holds; QTest's waits would keep Python's lock.

        It is given up where no job has told of any progress for so long: how long a whole job takes
        says more about the machine than about the program.
        """
        began = time.monotonic()
        while not true():
            if time.monotonic() > max(began, self.heard) + seconds:
                self.fail("It did not come about in time.")
            self.application.processEvents()
            time.sleep(0.001)

    def dialog(self, name: str) -> QDialog:
        """Return an open dialog by its name."""
        self.settle()
        for widget in self.application.topLevelWidgets():
            if isinstance(widget, QDialog) and widget.objectName() == name and widget.isVisible():
                return widget
        self.fail(f"No dialog {name} is open.")

    def find(self, kind: type[W], name: str) -> W:
        found = (self.application.activePopupWidget() or self.window).findChild(kind, name)
        found = found or self.window.findChild(kind, name)
        if found is None:
            self.fail(f"There is no {kind.__name__} called {name}.")
        return found

    def text(self, name: str) -> str:
        widget = self.find(QWidget, name)
        return str(widget.property("text"))

    def click(self, name: str) -> None:
        QTest.mouseClick(self.find(QPushButton, name), Qt.MouseButton.LeftButton)
        self.settle()

    def trigger(self, action: str) -> None:
        self.assertTrue(self.window.action(action).isEnabled(), action)
        self.window.action(action).trigger()
        self.settle()

    def choose(self, choice: str, value: str) -> None:
        """Open a word of a sentence and pick one of its alternatives."""
        button = self.find(QPushButton, choice)
        menu = button.menu()
        if menu is None:  # too many for a menu: a list that is searched
            QTest.mouseClick(button, Qt.MouseButton.LeftButton)
            self.key(Qt.Key.Key_Return, self.find(QLineEdit, f"{choice}.picker.field"), value)
            return
        menu.aboutToShow.emit()
        picked = [a for a in menu.actions() if a.objectName() == f"{choice}.{value}"]
        self.assertEqual(len(picked), 1, [a.objectName() for a in menu.actions()])
        picked[0].trigger()
        self.settle()

    def key(self, key: Qt.Key, into: QWidget | None = None, text: str = "") -> None:
        target = into or QApplication.focusWidget() or self.window
        if text:
            QTest.keyClicks(target, text)
        QTest.keyClick(target, key)
        self.settle()

    def on_map(self, box: Box) -> QPoint:
        return self.window.map.to_screen(box).center().toPoint()

    def click_map(self, box: Box) -> None:
        QTest.mouseClick(
            self.window.map.viewport(), Qt.MouseButton.LeftButton, pos=self.on_map(box)
        )
        self.settle()

    def drag_map(self, start: Box, end: Box) -> None:
        viewport = self.window.map.viewport()
        QTest.mousePress(viewport, Qt.MouseButton.LeftButton, pos=self.on_map(start))
        QTest.mouseMove(viewport, self.on_map(start) + QPoint(9, 9))
        QTest.mouseMove(viewport, self.on_map(end))
        QTest.mouseRelease(viewport, Qt.MouseButton.LeftButton, pos=self.on_map(end))
        self.settle()
