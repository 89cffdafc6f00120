"""The window for whoever hears it, or has no mouse: names, states, Tab, a real reader."""

import os
import shutil
import subprocess
import sys
import textwrap
import unittest
from collections import Counter

from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible, QAccessibleInterface
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QWidget,
)

from keen_trellis.desktop.parts import view_of
from keen_trellis.document import edits
from tests.desktop.window_case import DEMO, WindowTestCase

NAMED = (
    QAbstractButton,
    QAbstractItemView,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QScrollArea,
)


class NamesTest(WindowTestCase):
    def test_what_can_be_used_has_a_name_that_nothing_else_on_the_page_has(self) -> None:
        self.session.document.open(self.folder / "whole-season.trellis")
        self.settle()
        trellis = self.session.trellis
        kinds = {type(item): item.id for lane in trellis.lanes for item in lane.items}
        pages = 0
        for part in ("sailings", *kinds.values()):
            self.session.select(part)
            for page in view_of(self.session.selected_item).pages:
                self.window.bench.open_page(page.id)
                self.settle()
                pages += 1
                with self.subTest(part=part, page=page.id):
                    self.see_names()
        self.assertGreater(pages, 25)

    def see_names(self) -> None:
        names: Counter[str] = Counter()
        for one in self.window.findChildren(QWidget):
            if isinstance(one, NAMED) and one.isVisible():
                words = one.text() if isinstance(one, QAbstractButton) else ""
                name = one.accessibleName() or words
                self.assertTrue(name, f"{type(one).__name__} {one.objectName()}")
                names[name] += 1
                if isinstance(one, QAbstractItemView):
                    self.assertFalse(one.tabKeyNavigation(), f"Tab does not leave {name}")
        self.assertEqual([name for name, times in names.items() if times > 1], [])


class MapTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        QAccessible.setActive(True)
        self.addCleanup(QAccessible.setActive, False)
        self.open_demo()

    def child(self, part: str) -> QPushButton:
        return self.find(QPushButton, f"map.{part}")

    def test_lanes_ties_and_deliveries_are_children_with_counts_and_a_state(self) -> None:
        tie = self.child("sailings-routes")
        self.assertEqual(tie.accessibleName(), "Join, left outer: Sailings and Routes")
        self.assertEqual(tie.accessibleDescription(), "1,198 of 1,209 found, 2 Routes rows left")
        self.assertIn("1,209 rows", self.child("sailings").accessibleDescription())
        self.assertEqual(
            self.child("season-rows").accessibleName(), "Delivery Season rows of Sailings"
        )
        QAccessible.queryAccessibleInterface(tie).actionInterface().doAction("Toggle")
        self.settle()
        self.assertEqual(self.session.selection, "sailings-routes")
        self.assertTrue(self.child("sailings-routes").isChecked())
        self.assertIn("Sailings + Routes", self.window.map.accessibleDescription())

    def test_they_follow_what_is_done_and_are_in_nobodys_way(self) -> None:
        self.session.do(edits.RemoveItem("season-rows"))
        self.settle()
        self.assertIsNone(self.window.findChild(QPushButton, "map.season-rows"))
        box = self.window.map.shown.heads[1].box
        self.click_map(box)  # through the child that lies there
        self.assertEqual(self.session.selection, "routes")
        names = [one.accessibleName() for one in self.window.map.viewport().children()[1:]]
        self.assertEqual(len(names), len(set(names)))

    def test_pages_are_heard_as_tabs_of_which_one_is_selected(self) -> None:
        self.session.select("sailings-routes")
        self.settle()

        def heard(page: str) -> QAccessibleInterface:
            tab = QAccessible.queryAccessibleInterface(self.find(QPushButton, f"page.{page}"))
            self.assertEqual(tab.role(), QAccessible.Role.PageTab)
            return tab

        for _ in range(3):  # other pages at other parts: the tabs before are gone by then
            self.assertEqual([heard(one).state().selected for one in ("match", "notes")], [1, 0])
            press = heard("promises").actionInterface()
            press.doAction(press.actionNames()[0])
            self.settle()
            now = [heard(one).state().selected for one in ("match", "promises")]
            self.assertEqual(now, [0, 1])
            self.click("page.match")
            self.session.select("sailings")
            self.settle()
            self.assertIn("Rows", heard("rows").text(QAccessible.Text.Name))
            self.session.select("sailings-routes")
            self.settle()

    def test_tab_walks_as_one_reads(self) -> None:
        self.session.select("sailings-routes")
        self.settle()
        self.window.map.setFocus()
        walked = []
        for _ in range(60):
            QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
            walked.append(QApplication.focusWidget().objectName())
            if walked[-1] == "map":
                break
        parts = [one for one in walked if one.count(".")]
        first = [parts.index(one) for one in FIRSTS]
        self.assertEqual(first, sorted(first))
        self.assertEqual(walked[-1], "map")
        QTest.keyClick(self.window.map, Qt.Key.Key_Backtab)
        self.assertEqual(QApplication.focusWidget().objectName(), walked[-2])


FIRSTS = (
    "page.match",
    "finding.mend",
    "tie.kind",
    "link.blanks",
    "bay.left.grid",
    "bay.both.grid",
    "bay.right.grid",
    "match.join_types",
    "topbar.name",
    "topbar.find",
)
"""From the map on: the head of the bench, the sentence, the bays, the line, and round again."""

READER = textwrap.dedent(
    """
    import sys, time, pyatspi
    def all_of(node, depth=0):
        if node is None or depth > 14 or node.getRoleName() == "table":
            return
        yield node
        for child in node:
            yield from all_of(child, depth + 1)
    until = time.time() + 120
    while time.time() < until:
        for program in pyatspi.Registry.getDesktop(0):
            if program is not None and "Trellis" in (program.name or ""):
                found = {(one.getRoleName(), one.name, one.description) for one in all_of(program)}
                if any("of 1,209 found" in says for _, _, says in found):
                    for one in sorted(found):
                        print(*one, sep="|")
                    sys.exit(0)
        time.sleep(0.5)
    sys.exit("It was not heard.")
    """
)


class RealReaderTest(WindowTestCase):
    """What a screen reader hears of the whole program, on an X server and a bus of its own."""

    def test_a_screen_reader_hears_map_bench_and_counts(self) -> None:
        wanted = ("Xvfb", "dbus-run-session", "/usr/libexec/at-spi-bus-launcher")
        missing = [one for one in wanted if shutil.which(one) is None]
        reads = subprocess.run(["/usr/bin/python3", "-c", "import pyatspi"], capture_output=True)
        if (missing or reads.returncode) and "CI" not in os.environ:
            raise unittest.SkipTest(f"not on this machine: {missing or 'pyatspi'}")
        self.assertEqual((missing, reads.returncode), ([], 0))
        folder = self.folder.parent
        (folder / "reader.py").write_text(READER)
        (folder / "run").mkdir(mode=0o700)
        script = folder / "session.sh"
        script.write_text(
            "/usr/libexec/at-spi-bus-launcher --launch-immediately &\n"
            f"{sys.executable} -m keen_trellis open {DEMO}/winter-season.trellis &\n"
            "program=$!\n/usr/bin/python3 reader.py\nheard=$?\nkill $program\nexit $heard\n"
        )
        surroundings = {k: v for k, v in os.environ.items() if not k.startswith(("QT_", "DBUS_"))}
        surroundings |= {"QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1", "QT_SCALE_FACTOR": "1"}
        surroundings |= {"XDG_RUNTIME_DIR": str(folder / "run")}
        screen, shown = os.pipe()
        server = subprocess.Popen(
            ["Xvfb", "-displayfd", str(shown), "-screen", "0", "1280x800x24"],
            pass_fds=[shown],
            stderr=subprocess.DEVNULL,
        )
        self.addCleanup(server.wait)
        self.addCleanup(server.terminate)
        os.close(shown)
        with os.fdopen(screen) as told:
            surroundings["DISPLAY"] = f":{told.readline().strip()}"
        done = subprocess.run(
            ["dbus-run-session", "--", "sh", str(script)],
            cwd=folder,
            env=surroundings,
            capture_output=True,
            text=True,
            timeout=180,
        )
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        for heard in (
            "|Join, left outer: Sailings and Routes|1,198 of 1,209 found, 2 Routes rows left",
            "|Delivery Season rows of Sailings|1,340 rows, season.csv",
            "|Only in Sailings: Keep|",
            "page tab|Page Promises|",
            "page tab list|Pages|",
            "Left outer join.",
        ):
            self.assertIn(heard, done.stdout)
