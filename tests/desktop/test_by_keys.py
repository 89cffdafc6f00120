"""Whole jobs by the keyboard alone, to whatever has the focus: nothing is clicked or called."""

from pathlib import Path
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QWidget

from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.document.items import JoinItem
from tests.desktop.window_case import WindowTestCase

KEYS = {one.removeprefix("Key_"): getattr(Qt.Key, one) for one in dir(Qt.Key) if "Key_" in one}
MODIFIERS = {
    "Ctrl": Qt.KeyboardModifier.ControlModifier,
    "Alt": Qt.KeyboardModifier.AltModifier,
    "Shift": Qt.KeyboardModifier.ShiftModifier,
}


class ByKeysTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.window.activateWindow()
        self.settle()

    @property
    def focus(self) -> QWidget:
        popup = QApplication.activePopupWidget()
        if QApplication.activeWindow() is None and popup is None:
            self.window.activateWindow()  # as any desktop does where a dialog has gone
            self.application.processEvents()
        focus = QApplication.focusWidget()
        if popup is not None and (focus is None or not popup.isAncestorOf(focus)):
            return popup
        return focus or QApplication.activeModalWidget() or self.window

    def press(self, *presses: str) -> None:
        """Press keys one after the other, such as Ctrl+L or Down."""
        for press in presses:
            *held, key = press.split("+")
            modifier = Qt.KeyboardModifier.NoModifier
            for one in held:
                modifier |= MODIFIERS[one]
            QTest.keyClick(self.focus, KEYS[key], modifier)
            self.settle()

    def type(self, text: str) -> None:
        QTest.keyClicks(self.focus, text)
        self.settle()

    def walk_to(self, name: str) -> None:
        """Press Tab until something has the focus."""
        walked = []
        for _ in range(80):
            walked.append(self.focus.objectName())
            if self.focus.objectName() == name:
                return
            self.press("Tab")
        self.fail(f"Tab does not lead to {name}: {walked}")

    def answering(self, asks: str, path: Path) -> mock._patch:  # type: ignore[type-arg]
        """Answer the system's own box for files, which is not ours to try."""
        found: object = ([str(path)], "") if asks == "getOpenFileNames" else (str(path), "")
        return mock.patch.object(QFileDialog, asks, return_value=found)

    def add(self, path: Path) -> None:
        with self.answering("getOpenFileName", path):
            self.press("Ctrl+L", "Down", "Return")
        chooser = self.dialog("chooser")
        self.wait_until(chooser.findChild(QWidget, "chooser.add").isEnabled)
        self.press("Return")

    def test_two_files_to_a_delivery(self) -> None:
        for file in ("fares.csv", "warnings.csv"):
            self.add(self.folder / file)
        self.assertEqual([one.name for one in self.session.trellis.lanes], ["Fares", "Warnings"])
        self.press("F6", "Up", "Ctrl+T", "Down", "Return")
        (join,) = self.session.trellis.lane("fares").items
        assert isinstance(join, JoinItem)
        self.assertTrue(join.link)
        self.press("Alt+3")
        self.assertEqual(self.text("match.said.title"), "Full outer join.")
        with self.answering("getSaveFileName", self.folder / "out" / "both.csv"):
            self.press("Ctrl+D")
        self.assertEqual(self.session.trellis.lane("fares").items[-1].word, "delivery")
        self.press("Ctrl+Shift+D")
        self.wait_until((self.folder / "out" / "both.csv").exists)

    def test_a_join_is_mended(self) -> None:
        with self.answering("getOpenFileName", self.folder / "winter-season.trellis"):
            self.press("Ctrl+O")
        self.press("F6")
        self.walk_map_to("sailings-routes")
        before = self.session.results.facts.items["sailings-routes"].says
        self.walk_to("finding.mend")
        self.press("Space")
        after = self.session.results.facts.items["sailings-routes"].says
        self.assertNotEqual(before, after)
        self.walk_to("bay.left.grid")
        self.press("Return")
        self.wait_until(lambda: bool(QApplication.activePopupWidget()))
        self.press("Escape", "Ctrl+S")
        self.assertTrue(self.session.document.undo.isClean())

    def test_a_report_is_made_and_its_rows_looked_at(self) -> None:
        with self.answering("getOpenFileName", self.folder / "winter-season.trellis"):
            self.press("Ctrl+O")
        self.press("F6")
        self.walk_map_to("takings")
        self.press("Ctrl+Alt+R")
        self.walk_to("report.group.add")
        self.press("Space", "Down", "Return")
        report = self.session.reporting.report
        assert report is not None
        self.assertEqual(len(report.groups), 1)
        self.walk_to("report.lines")
        self.press("Down", "Return")
        rows = self.dialog("report.rows")
        self.assertIn("rows", rows.findChild(Grid).accessibleName())

    def walk_map_to(self, part: str) -> None:
        """Walk the map by its arrow keys until a part is selected."""
        for _ in range(4):
            for key in ("Home", "Down", "Right", "Right", "Right", "Left", "Left", "Left", "Up"):
                if self.session.selection == part:
                    return
                self.press(key)
            self.press("Down")
        self.fail(f"The arrows do not lead to {part}.")
