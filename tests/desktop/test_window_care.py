"""Nothing the analyst made is lost, and everything can be done by mouse and by keyboard."""

import gc
import os
import subprocess
import sys
import tempfile
import threading
import unittest
from pathlib import Path
from unittest import mock

from PySide6.QtCore import QPoint, QPointF, QSize, Qt
from PySide6.QtGui import QContextMenuEvent, QFont, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QLineEdit, QListWidget, QMessageBox, QPushButton

from keen_trellis.base.progress import Report
from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.application import make_window, scale_of
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.document import DelimitedSource, DeliveryItem, load
from keen_trellis.document.edits import AddLane
from keen_trellis.run import Results
from tests.desktop.window_case import WindowTestCase

ANSWERS = QMessageBox.StandardButton


class LettersTest(unittest.TestCase):
    """Who has larger letters everywhere has them here."""

    def test_everything_grows_with_the_letters_of_the_system_as_far_as_the_screen_goes(
        self,
    ) -> None:
        for points, screen, scale in (
            (9, (1920, 1080), 1.0),
            (10, (1280, 800), 1.0),
            (12.5, (1920, 1080), 1.25),
            (15, (1280, 800), 1.25),  # 1,000 x 640 must fit
            (40, (7680, 4320), 2.0),
        ):
            font = QFont()
            font.setPointSizeF(points)
            self.assertEqual(scale_of(font, QSize(*screen)), scale)

    def test_a_start_at_another_scale_than_the_systems_begins_anew_once(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            program = (
                "from PySide6.QtWidgets import QApplication\n"
                "def shown():\n"
                "    print(QApplication.primaryScreen().devicePixelRatio())\n"
                "    return 0\n"
                "QApplication.exec = staticmethod(shown)\n"
                "from keen_trellis.desktop.application import start\n"
                "start(None)\n"
            )
            own = Path(folder) / "keen-trellis" / "Keen Trellis.conf"
            own.parent.mkdir()
            own.write_text("[General]\nscale=1.5\n")
            environment = {
                name: value for name, value in os.environ.items() if name != "QT_SCALE_FACTOR"
            } | {"XDG_CONFIG_HOME": folder, "QT_QPA_PLATFORM": "offscreen"}
            for given, wanted in (({}, "1.0\n"), ({"QT_SCALE_FACTOR": "1.25"}, "1.25\n")):
                done = subprocess.run(
                    [sys.executable, "-c", program],
                    env=environment | given,
                    capture_output=True,
                    text=True,
                    check=True,
                )
                self.assertEqual(done.stdout, wanted)
            self.assertIn("scale=1\n", own.read_text())


class UnsavedWorkTest(WindowTestCase):
    """Before the trellis leaves the window, the analyst is asked."""

    def setUp(self) -> None:
        super().setUp()
        self.open_demo()
        self.click("bay.right.switch.keep")

    def answering(self, answer: ANSWERS) -> "mock._patch[mock.MagicMock]":
        return mock.patch.object(QMessageBox, "question", return_value=answer)

    def test_cancel_keeps_everything_as_it_is(self) -> None:
        before = self.session.trellis
        with self.answering(ANSWERS.Cancel) as asked:
            self.trigger("file.new")
            self.trigger("file.open")
            self.assertFalse(self.window.close())
            self.assertEqual(asked.call_count, 3)
        self.assertIn("Save the changes to “Winter season” first?", asked.call_args.args[2])
        self.assertIs(self.session.trellis, before)
        self.assertTrue(self.window.isVisible())

    def test_save_writes_the_file_and_goes_on(self) -> None:
        kept = self.session.trellis
        with self.answering(ANSWERS.Save):
            self.trigger("file.new")
        self.assertEqual(self.session.trellis.lanes, ())
        self.assertEqual(load(self.folder / "winter-season.trellis"), kept)

    def test_a_save_that_fails_stops_the_leaving(self) -> None:
        elsewhere = str(self.folder / "no" / "folder.trellis")
        self.session.document.path = None
        with (
            self.answering(ANSWERS.Save),
            mock.patch.object(QFileDialog, "getSaveFileName", return_value=(elsewhere, "")),
        ):
            self.trigger("file.new")
        self.assertIn("cannot be saved", self.text("bench.notice.text"))
        self.assertEqual(len(self.session.trellis.lanes), 5)

    def test_the_window_is_as_it_was_left(self) -> None:
        self.session.document.undo.setClean()
        self.window.resize(1000, 710)
        self.window.close()
        another = make_window(self.application, themes.LIGHT)
        self.addCleanup(another.close)
        another.be_as_it_was_left()
        self.assertEqual((another.width(), another.height()), (1000, 710))

    def test_the_title_and_the_top_bar_say_what_is_unsaved(self) -> None:
        self.assertIn("Winter season *", self.window.windowTitle())
        self.assertEqual(self.text("topbar.file"), "winter-season.trellis · changed")
        self.trigger("file.save")
        self.assertEqual(self.text("topbar.file"), "winter-season.trellis · saved")
        self.trigger("edit.undo")
        self.assertEqual(self.text("topbar.file"), "winter-season.trellis · changed")

    def test_a_save_as_keeps_the_old_file_and_opens_again_as_it_was(self) -> None:
        old = (self.folder / "winter-season.trellis").read_bytes()
        new = str(self.folder / "full")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(new, "")):
            self.trigger("file.save_as")
        self.assertEqual((self.folder / "winter-season.trellis").read_bytes(), old)
        kept = self.session.trellis
        path = (str(self.folder / "full.trellis"), "")
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=path):
            self.trigger("file.open")
        self.assertEqual(self.session.trellis, kept)


class LongWorkTest(WindowTestCase):
    """Work that takes long is seen and can be stopped, and a fault of the program is told."""

    def test_a_stopped_run_leaves_what_was_shown(self) -> None:
        self.open_demo()
        begun, go_on = threading.Event(), threading.Event()

        def slow(trellis: object, report: Report, reread: bool) -> object:
            while True:
                report(0.5, "Reading slowly")
                begun.set()
                go_on.wait(0.01)

        with mock.patch.object(self.session.work.runner, "run", slow):
            self.window.action("trellis.reread").trigger()
            self.wait_until(begun.is_set)
            self.wait_until(self.find(QPushButton, "status.stop").isVisible)
            self.assertEqual(self.text("status.doing"), "Reading slowly")
            QTest.mouseClick(self.find(QPushButton, "status.stop"), Qt.MouseButton.LeftButton)
            self.settle()
        self.assertIn("Stopped", self.text("status.doing"))
        self.assertFalse(self.find(QPushButton, "status.stop").isVisible())
        self.assertEqual(self.text("bay.both.rows"), "1,198 rows")

    def test_only_the_newest_answer_is_shown(self) -> None:
        self.open_demo()
        for bay in ("right", "left"):
            self.window.action(f"tie.toggle_{bay}").trigger()
        self.settle()
        self.assertEqual(self.text("match.said.title"), "Right outer join.")

    def test_old_results_are_let_go_of_and_a_lack_of_the_system_is_a_sentence(self) -> None:
        self.open_demo()
        gc.collect()
        before = sum(isinstance(one, Results) for one in gc.get_objects())
        for bay in ("right", "left", "right"):
            self.trigger(f"tie.toggle_{bay}")
        gc.collect()
        held = sum(isinstance(one, Results) for one in gc.get_objects())
        self.assertLessEqual(held, before)
        for lack in (MemoryError(), RuntimeError("can't start new thread")):
            with mock.patch.object(self.session.work.runner, "run", side_effect=lack):
                self.trigger("trellis.reread")
            self.assertIn("It cannot be done: ", self.window.bench.notice.text)

    def test_a_fault_of_the_program_is_told_and_the_trellis_stays(self) -> None:
        self.open_demo()
        before = self.session.trellis
        with mock.patch.object(
            self.session.work.runner, "run", side_effect=ZeroDivisionError("oops")
        ):
            self.trigger("trellis.reread")
        box = self.find(QMessageBox, "crash")
        self.assertIn("Your trellis is as it was", box.text())
        self.assertIn("ZeroDivisionError\n", box.detailedText())
        box.close()
        self.assertIs(self.session.trellis, before)
        self.assertEqual(self.complaints.pop(), "ZeroDivisionError('oops')")


class DeliveringTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo()

    def test_every_delivery_is_written_and_said(self) -> None:
        self.trigger("trellis.deliver")
        self.assertIn("1,340 rows written to season.xlsx", self.text("status.doing"))
        made = sorted(p.name for p in (self.folder / "out").iterdir())
        self.assertEqual(made, ["season.csv", "season.xlsx"])
        self.trigger("trellis.deliver")
        self.assertIn("in place of the earlier season.csv", self.text("status.doing"))

    def test_a_deliverys_name_and_file_can_be_changed(self) -> None:
        self.session.select("season-rows")
        name, path = self.find(QLineEdit, "delivery.name"), self.find(QLineEdit, "delivery.path")
        for field, text in ((name, "Rows"), (path, str(self.folder / "rows.csv"))):
            field.selectAll()
            self.key(Qt.Key.Key_Return, field, text)
        item = self.session.selected_item
        assert isinstance(item, DeliveryItem)
        self.assertEqual((item.name, Path(item.path).name), ("Rows", "rows.csv"))
        chosen = (str(self.folder / "sheet"), "*.xlsx")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=chosen):
            self.click("delivery.choose")
        self.assertEqual(Path(path.text()).name, "sheet.xlsx")
        self.click("delivery.write")
        self.assertTrue((self.folder / "sheet.xlsx").exists())

    def test_a_delivery_over_a_source_is_refused(self) -> None:
        before = (self.folder / "fares.csv").read_bytes()
        self.session.do(AddLane("Fares", DelimitedSource(path=str(self.folder / "fares.csv"))))
        self.session.select("sailings")
        target = (str(self.folder / "fares.csv"), "*.csv")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=target):
            self.trigger("lane.deliver")
        self.assertIn("fares.csv, which Fares reads", self.text("bench.notice.text"))
        self.assertEqual(len(list(self.session.trellis.deliveries())), 2)
        self.session.select("season-rows")
        path = self.find(QLineEdit, "delivery.path")
        path.selectAll()
        self.key(Qt.Key.Key_Return, path, "fares.csv")
        self.assertIn("which Fares reads", self.text("bench.notice.text"))
        self.assertEqual(Path(path.text()).name, "season.csv")
        self.trigger("trellis.deliver")
        self.assertEqual((self.folder / "fares.csv").read_bytes(), before)

    def test_where_a_delivery_goes_is_understood_as_it_is_typed(self) -> None:
        self.session.select("season-rows")
        path = self.find(QLineEdit, "delivery.path")
        for typed, answer, expected in (
            ("~/rows.csv", ANSWERS.No, Path.home() / "rows.csv"),
            ("new/rows.csv", ANSWERS.No, Path.home() / "rows.csv"),
            ("new/rows.csv", ANSWERS.Yes, self.folder / "new" / "rows.csv"),
        ):
            with mock.patch.object(QMessageBox, "question", return_value=answer):
                path.selectAll()
                self.key(Qt.Key.Key_Return, path, typed)
            self.assertEqual(Path(path.text()), expected)


class MouseAndKeyboardTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo()

    def test_a_right_click_offers_what_can_be_done(self) -> None:
        head = self.window.map.shown.heads[1]
        at = self.on_map(head.box)
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, QPoint(5, 5))
        self.window.map.contextMenuEvent(event)
        menu = self.application.activePopupWidget()
        assert menu is not None
        texts = [action.text() for action in menu.actions()]
        self.assertLessEqual({"Rename the lane", "Remove what is selected"}, set(texts))
        self.assertEqual(self.session.selection, "routes")
        menu.close()

    def test_a_lane_that_others_need_stays_until_its_tie_is_gone(self) -> None:
        self.session.select("routes")
        self.trigger("part.remove")
        self.assertIn("Remove the tie first", self.text("bench.notice.text"))
        self.session.select("sailings-routes")
        self.trigger("part.remove")
        self.session.select("routes")
        self.trigger("part.remove")
        self.assertEqual(
            [lane.id for lane in self.session.trellis.lanes],
            ["sailings", "vessels", "takings", "calendar"],
        )
        self.trigger("edit.undo")
        self.trigger("edit.undo")
        self.assertEqual(self.session.trellis, load(self.folder / "winter-season.trellis"))

    def test_the_heads_are_drawn_wider_and_stay_so(self) -> None:
        map_view, viewport = self.window.map, self.window.map.viewport()
        before = map_view.shown
        border = QPoint(int(before.heads_width), 20)
        left = Qt.MouseButton.LeftButton
        QTest.mousePress(viewport, left, pos=border)
        QTest.mouseMove(viewport, QPoint(border.x() + 90, 20))
        QTest.mouseRelease(viewport, left, pos=QPoint(border.x() + 90, 20))
        self.settle()
        self.assertAlmostEqual(map_view.shown.heads_width, before.heads_width + 90, delta=2)
        self.assertAlmostEqual(map_view.shown.stakes[0], before.stakes[0] + 90, delta=2)
        tie = map_view.shown.box_of("sailings-routes")
        assert tie is not None
        self.click_map(tie)
        self.assertEqual(self.session.selection, "sailings-routes")
        again = make_window(self.application, themes.LIGHT)
        self.assertEqual(again.map.shown.heads_width, map_view.shown.heads_width)
        again.close()

    def test_the_map_zooms_and_a_click_still_finds_its_place(self) -> None:
        self.trigger("view.zoom_in")
        self.trigger("view.zoom_in")
        self.click_map(self.window.map.shown.joints[0].box)
        self.assertEqual(self.session.selection, "sailings-routes")
        up, control = QPoint(0, 120), Qt.KeyboardModifier.ControlModifier
        for delta in (up, -up, -up, -up):
            wheel = QWheelEvent(
                QPointF(400, 100),
                QPointF(400, 100),
                QPoint(),
                delta,
                Qt.MouseButton.NoButton,
                control,
                Qt.ScrollPhase.NoScrollPhase,
                False,
            )
            self.window.map.wheelEvent(wheel)
        self.click_map(self.window.map.shown.joints[1].box)
        self.assertEqual(self.session.selection, "sailings-vessels")

    def test_a_small_window_scrolls_to_what_is_selected(self) -> None:
        self.window.resize(1100, 700)
        self.settle()
        self.session.select("season-rows")
        box = self.window.map.shown.flags[-1].box
        self.assertLessEqual(
            self.window.map.to_screen(box).right(), self.window.map.viewport().width()
        )

    def test_lanes_are_tied_with_the_keyboard_alone(self) -> None:
        self.session.select("sailings")
        self.window.map.setFocus()
        self.key(Qt.Key.Key_Plus, self.window.map)
        menu = self.application.activePopupWidget()
        assert menu is not None
        self.key(Qt.Key.Key_Down, menu)
        self.key(Qt.Key.Key_Return, menu)
        ties = [tie.lane for _, tie in self.session.trellis.ties()]
        self.assertEqual(ties, ["routes", "vessels", "routes", "calendar"])
        self.assertEqual(self.session.trellis.lane("sailings").items[-1].id, self.session.selection)

    def test_the_finder_walks_with_the_arrows_and_leaves_out_what_cannot_be_done(self) -> None:
        self.trigger("view.finder")
        field = self.find(QLineEdit, "finder.field")
        QTest.keyClicks(field, "page selected tie")
        found = self.find(QListWidget, "finder.found")
        self.assertGreaterEqual(found.count(), 2)
        QTest.keyClick(field, Qt.Key.Key_Down)
        self.assertEqual(found.currentRow(), 1)
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.settle()
        self.assertTrue(self.find(QPushButton, "page.outcome").isChecked())

    def test_the_trellis_is_renamed_in_the_top_bar(self) -> None:
        self.trigger("trellis.rename")
        self.key(Qt.Key.Key_Return, self.find(QLineEdit, "topbar.rename"), "Summer")
        self.assertEqual(self.session.trellis.name, "Summer")
        self.assertEqual(self.text("topbar.name"), "Summer")
        self.trigger("edit.undo")
        self.assertEqual(self.text("topbar.name"), "Winter season")

    def test_the_other_theme_reaches_every_part(self) -> None:
        self.trigger("view.theme")
        self.assertIs(self.window.theme, themes.DARK)
        self.assertIs(self.find(Grid, "bay.both.grid").theme, themes.DARK)
        picture = self.window.grab().toImage()
        dark = sum(
            picture.pixelColor(x, y).lightness() < 90
            for x in range(0, 1280, 40)
            for y in range(0, 800, 40)
        )
        self.assertGreater(dark, 500)
        self.trigger("view.theme")
        self.assertIs(self.window.theme, themes.LIGHT)

    def test_gaps_blanks_and_stray_spaces_are_drawn(self) -> None:
        left = self.find(Grid, "bay.left.grid")
        stray = themes.LIGHT.stray.lower()
        shown = left.viewport().grab().toImage()
        colours = {
            shown.pixelColor(x, y).name()
            for x in range(0, shown.width(), 2)
            for y in range(0, shown.height(), 3)
        }
        self.assertIn(stray, colours)
        self.trigger("page.outcome")
        grid = self.find(Grid, "outcome.grid")
        grid.verticalScrollBar().setValue(70)
        self.settle()
        gap = grid.visualRect(
            grid.table_model.index(76, grid.table_model.table.columns.index("zone"))
        )
        cell = grid.viewport().grab(gap).toImage()
        inks = {
            cell.pixelColor(x, y).name() for x in range(cell.width()) for y in range(cell.height())
        }
        self.assertGreater(len(inks), 4, "a gap is hatched and labelled")
