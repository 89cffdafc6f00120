"""What the window shows, writes and offers is of the trellis that is in it, and of no other."""

import threading
import time
from collections.abc import Callable
from pathlib import Path
from unittest import mock

from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit, QListWidget, QMenu, QMessageBox, QPushButton, QTableView

import keen_trellis as kt
from keen_trellis.base.errors import UserError
from keen_trellis.base.progress import Report
from keen_trellis.compute.join_result import Tied
from keen_trellis.desktop.adding.recent import remember_trellis
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.desktop.map.shapes import Plus
from keen_trellis.document import SheetSource, TypedSource, load, save
from keen_trellis.document.edits import (
    AddDelivery,
    AddLane,
    AddTie,
    RemoveItem,
    RenameTrellis,
    SetLink,
    SetSource,
    apply,
)
from keen_trellis.document.items import LinkedFields
from keen_trellis.machine.remembered import remembered
from tests.desktop.window_case import WindowTestCase

ANSWERS = QMessageBox.StandardButton
ON_CODE = (LinkedFields(left="route", right="code"),)


class AtOnceTest(WindowTestCase):
    """An analyst does not wait for the program between two clicks."""

    def setUp(self) -> None:
        super().setUp()
        self.open_demo()

    def at_once(self, *actions: str) -> None:
        """Trigger actions one after the other, without a moment for the work between them."""
        for action in actions:
            self.window.action(action).trigger()
        self.settle()

    def delivered(self, name: str = "season.csv") -> int:
        return len(kt.read(self.folder / "out" / name))

    def test_a_delivery_writes_what_was_switched_just_before(self) -> None:
        self.at_once("tie.toggle_left", "trellis.deliver")
        inner = self.session.results.rows["season-rows"]
        assert not isinstance(inner, UserError)
        self.assertEqual(self.delivered(), len(inner))
        self.assertLess(self.delivered(), 1_340)

    def test_what_is_done_after_asking_for_a_delivery_is_not_in_it(self) -> None:
        self.at_once("trellis.deliver", "tie.toggle_left")
        self.assertEqual(self.delivered(), 1_340)

    def test_a_delivery_finds_its_own_rows_after_an_item_before_it_is_gone(self) -> None:
        self.session.select("sailings-vessels")
        self.at_once("part.remove", "trellis.deliver")
        self.assertEqual(self.delivered(), 1_209)

    def test_an_edit_does_not_stop_a_delivery_and_quitting_asks(self) -> None:
        begun, go_on = threading.Event(), threading.Event()

        def slow(_: object, __: object, report: Report, **kwargs: object) -> list[object]:
            begun.set()
            while not go_on.is_set():
                report(0.5, "Writing slowly")
                time.sleep(0.005)
            return []

        with mock.patch("keen_trellis.run.make_deliveries", slow):
            self.window.action("trellis.deliver").trigger()
            self.wait_until(begun.is_set)
            self.session.do(RenameTrellis("Other"))
            self.wait_until(lambda: not self.session.work.running)
            self.assertTrue(self.session.delivering.jobs.busy)
            self.session.document.undo.setClean()
            self.answer("quit.writing", "Let it finish")
            self.assertFalse(self.window.close())
            go_on.set()
            self.settle()
        self.assertFalse(self.session.delivering.jobs.busy)

    def answer(self, box: str, words: str) -> None:
        """Press a button of a box that is about to open."""

        def press() -> None:
            for widget in self.application.topLevelWidgets():
                if isinstance(widget, QMessageBox) and widget.objectName() == box:
                    button = next(b for b in widget.buttons() if b.text() == words)
                    button.click()

        QTimer.singleShot(30, press)

    def test_a_new_tie_shows_nothing_of_the_tie_looked_at_before(self) -> None:
        self.assertIn("looks like", self.text("finding.text"))
        self.session.do(AddTie("sailings", "calendar", ()))
        self.session.select("sailings-calendar")
        self.assertNotIn("looks like", self.text("finding.text"))
        self.assertEqual(self.session.looking.findings, [])
        self.settle()
        self.trigger("page.outcome")
        self.assertIn("tied without a link field", self.text("outcome.trouble.text"))

    def test_findings_of_a_link_that_was_changed_are_not_offered_any_more(self) -> None:
        found = self.session.looking.findings
        self.assertTrue(found)
        self.session.do(SetLink("sailings-routes", ()))
        self.assertEqual(self.session.looking.findings, [])

    def test_the_outcome_of_one_tie_is_never_shown_under_the_name_of_another(self) -> None:
        self.session.select("sailings-vessels")
        self.trigger("page.outcome")
        own = self.find(Grid, "outcome.grid").table_model.table
        self.session.do(RemoveItem("sailings-routes"))  # every place after it shifts
        self.assertIs(self.find(Grid, "outcome.grid").table_model.table, own)
        self.settle()
        self.assertNotIn("from_port", self.find(Grid, "outcome.grid").table_model.table.columns)

    def test_an_edit_that_changes_no_rows_makes_nothing_anew(self) -> None:
        before = self.session.results
        grid = self.find(Grid, "bay.both.grid")
        grid.verticalScrollBar().setValue(40)
        with mock.patch("keen_trellis.advice.findings.findings", side_effect=LookupError):
            self.session.do(RenameTrellis("Other"))
            self.settle()
        self.assertIsNot(self.session.results, before)
        for part, rows in before.rows.items():
            self.assertIs(self.session.results.rows[part], rows)
        self.assertEqual(grid.verticalScrollBar().value(), 40)


class PlacesTest(WindowTestCase):
    """A tie behind a lane that others take rows from changes nothing for them, and says so."""

    def setUp(self) -> None:
        super().setUp()
        self.open_demo()

    def plus_of(self, lane: str) -> Plus:
        return next(p for p in self.window.map.shown.pluses if p.lane == lane)

    def test_what_others_take_stays_and_can_be_moved(self) -> None:
        before = self.session.results.ties["sailings-routes"]
        assert isinstance(before, Tied)
        self.session.do(AddTie("routes", "takings", ()))
        self.session.do(
            SetLink("routes-takings", (LinkedFields(left="zone", right="ticket type"),))
        )
        self.session.select("routes-takings")
        self.settle()
        after = self.session.results.ties["sailings-routes"]
        assert isinstance(after, Tied)
        self.assertEqual(after.counts, before.counts)
        menu = self.find(QPushButton, "finding.more").menu()
        words = [action.text() for action in menu.actions()]
        words.append(self.text("finding.text"))
        said = "Sailings still takes the rows of Routes from before this tie."
        self.assertTrue(any(said in text for text in words), words)

    def test_a_delivery_before_a_new_tie_is_said_and_moved_by_one_click(self) -> None:
        self.session.building.tie("sailings", "calendar")
        self.settle()
        item = self.session.selected_item
        assert item is not None
        self.assertIn("still write the rows of Sailings from before", self.text("finding.text"))
        self.click("finding.mend")
        items = [i.id for i in self.session.trellis.lane("sailings").items]
        self.assertEqual(items[-2:], ["season-report", "season-rows"])
        self.trigger("edit.undo")
        self.assertEqual(self.session.trellis.lane("sailings").items[-1].id, item.id)

    def test_a_lane_is_renamed_behind_the_names_of_its_columns_too(self) -> None:
        for name, rows in (("Club", (("1", "a"),)), ("Branch", (("1", "b"), ("2", "c")))):
            source = TypedSource(columns=("id", "name"), rows=rows)
            self.session.do(AddLane(name, source))
        self.session.do(AddLane("Towns", TypedSource(columns=("t", "x"), rows=(("b", "y"),))))
        by_id = (LinkedFields(left="id", right="id"),)
        self.session.do(AddTie("club", "branch", by_id))
        self.session.do(AddTie("club", "towns", (LinkedFields(left="name (Branch)", right="t"),)))
        self.session.select("branch")
        self.trigger("lane.rename")
        self.key(Qt.Key.Key_Return, self.find(QLineEdit, "bench.rename"), "Section")
        self.assertEqual(self.session.results.errors(), [])
        tie = self.session.results.ties["club-towns"]
        assert isinstance(tie, Tied)
        self.assertEqual(tie.link.fields[0].left, "name (Section)")
        self.assertEqual(tie.counts.left.found, 1)
        self.trigger("edit.undo")
        self.assertEqual(self.session.trellis.join("club-towns").link[0].left, "name (Branch)")

    def test_a_tie_behind_a_broken_one_waits_and_can_still_be_looked_at(self) -> None:
        wrong = (LinkedFields(left="passengers", right="code"),)
        self.session.do(SetLink("sailings-routes", wrong))
        for part in ("sailings-vessels", "season-rows", "sailings-routes"):
            self.session.select(part)
            self.settle()
        counts = {c.item: (c.counts, bool(c.trouble)) for c in self.window.map.shown.joints}
        self.assertEqual(counts["sailings-routes"], ("needs a look", True))
        self.assertEqual(counts["sailings-vessels"], ("waits", False))
        self.assertEqual(self.text("status.doing"), "1 part needs a look")
        self.session.do(AddTie("sailings", "calendar", ()))
        self.session.select("sailings-calendar")
        self.settle()
        self.assertFalse(self.find(QPushButton, "link.add").isEnabled())


class CareTest(WindowTestCase):
    """What somebody else did, and what the analyst has not decided yet, is not lost."""

    def setUp(self) -> None:
        super().setUp()
        self.open_demo()
        self.path = self.folder / "winter-season.trellis"

    def test_a_file_that_another_window_changed_is_not_written_over_unasked(self) -> None:
        other, _ = apply(RenameTrellis("Theirs"), load(self.path))
        save(other, self.path)
        self.click("bay.right.switch.keep")
        for press, kept, name in (
            ("Cancel", "Theirs", "winter-season.trellis"),
            ("Save in its place", "Winter season", "winter-season.trellis"),
        ):
            QTimer.singleShot(30, lambda words=press: self.press(words))
            self.trigger("file.save")
            self.assertEqual(load(self.folder / name).name, kept)
        self.assertTrue(self.session.document.undo.isClean())

    def press(self, words: str) -> None:
        for widget in self.application.topLevelWidgets():
            if isinstance(widget, QMessageBox) and widget.objectName() == "save.conflict":
                next(b for b in widget.buttons() if b.text().startswith(words)).click()

    def test_only_a_saved_trellis_is_remembered_as_the_last_run(self) -> None:
        before = remembered(self.path)
        assert before is not None
        self.session.do(RemoveItem("sailings-vessels"))
        self.settle()
        self.assertEqual(remembered(self.path), before)
        self.trigger("file.save")
        now = remembered(self.path)
        assert now is not None
        self.assertEqual(before.ties.keys() - now.ties.keys(), {"sailings-vessels"})

    def test_a_sheet_that_is_gone_is_exchanged_for_another(self) -> None:
        source = self.session.trellis.lane("vessels").source
        assert isinstance(source, SheetSource)
        self.session.do(SetSource("vessels", source.model_copy(update={"sheet": "Ships"})))
        self.session.select("vessels")
        self.settle()
        self.assertIn("has no sheet “Ships”", self.text("rows.trouble.text"))
        self.assertEqual(self.text("rows.trouble.remedy"), "Choose another one …")
        self.click("rows.trouble.remedy")
        menu = self.window.findChild(QMenu, "tables.menu")
        assert menu is not None
        next(a for a in menu.actions() if a.text() == "Vessels").trigger()
        menu.close()
        self.settle()
        self.assertEqual(self.session.results.errors(), [])

    def test_stopped_work_is_said_to_be_stopped_and_taken_up_again(self) -> None:
        begun = threading.Event()

        def slow(trellis: object, report: Report, reread: bool) -> object:
            while True:
                begun.set()
                report(0.5, "Reading slowly")
                time.sleep(0.005)

        with mock.patch.object(self.session.work.runner, "run", slow):
            self.window.action("trellis.reread").trigger()
            self.wait_until(lambda: begun.is_set() and self.window.action("job.stop").isEnabled())
            self.trigger("job.stop")
        self.window._status._told.stop()
        self.window._status.show_document(self.session)
        self.assertEqual(self.text("status.doing"), "Stopped: what is shown is from before")
        self.click("status.resume")
        self.assertEqual(self.text("status.doing"), "Everything is up to date")
        self.assertFalse(self.find(QPushButton, "status.resume").isVisible())


class ChooserTest(WindowTestCase):
    def test_cancel_does_not_wait_for_a_slow_read(self) -> None:
        reading, go_on = threading.Event(), threading.Event()
        self.addCleanup(go_on.set)

        def slow(*_: object) -> object:
            reading.set()
            go_on.wait(20)
            raise UserError("Too late.")

        path = self.folder / "fares.csv"
        with mock.patch("keen_trellis.desktop.adding.chooser.read_source", slow):
            self.window.adding.choose_from(path)
            chooser = self.dialog_now("chooser")
            self.wait_until(reading.is_set)
            started = time.monotonic()
            QTest.keyClick(chooser, Qt.Key.Key_Escape)
            self.assertLess(time.monotonic() - started, 15)
            go_on.set()

    def dialog_now(self, name: str) -> "QListWidget":
        for widget in self.application.topLevelWidgets():
            if widget.objectName() == name and widget.isVisible():
                return widget  # type: ignore[return-value]
        self.fail(f"No {name} is open.")

    def test_escape_asks_before_typed_cells_are_thrown_away(self) -> None:
        self.trigger("lane.type_in")
        chooser = self.dialog("chooser")
        cells = chooser.findChild(QTableView, "chooser.form.cells")
        assert cells is not None
        cells.setCurrentIndex(cells.model().index(0, 0))
        QTest.keyClicks(cells, "days")
        self.key(Qt.Key.Key_Return, cells.viewport().focusWidget() or cells)
        self.settle()
        for answer, stays in ((ANSWERS.Cancel, True), (ANSWERS.Discard, False)):
            with mock.patch.object(QMessageBox, "question", return_value=answer) as asked:
                QTest.keyClick(chooser, Qt.Key.Key_Escape)
                self.settle()
            there = [w.objectName() for w in self.application.topLevelWidgets() if w.isVisible()]
            self.assertEqual((asked.call_count, "chooser" in there), (1, stays))

    def test_a_protected_workbook_shows_its_sentence_and_no_form(self) -> None:
        path = self.folder / "locked.xlsx"
        path.write_bytes(b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(4_000))
        self.window.adding.choose_from(path)
        chooser = self.dialog("chooser")
        self.assertTrue(chooser.findChild(QMessageBox) is None)
        self.assertFalse(chooser._form.isVisible())
        QTest.keyClick(chooser, Qt.Key.Key_Escape)


class StartTest(WindowTestCase):
    """The first look: an empty trellis says how to begin."""

    def test_an_empty_trellis_offers_every_way_to_begin(self) -> None:
        for name in ("lane.add_file", "lane.add_folder", "lane.add_database", "lane.paste"):
            self.assertTrue(self.find(QPushButton, f"start.{name}").isVisible(), name)
        self.assertFalse(self.find(QPushButton, "topbar.reread").isVisible())
        self.click("start.lane.type_in")
        QTest.keyClick(self.dialog("chooser"), Qt.Key.Key_Escape)

    def test_what_was_worked_on_lately_is_opened_by_one_click(self) -> None:
        remember_trellis(Path("/gone.trellis"))
        self.open_demo()
        self.assertFalse(self.find(QPushButton, "topbar.open").isVisible())
        self.trigger("file.new")
        self.assertFalse(self.find(QPushButton, "start.recent.1").isEnabled())
        self.click("start.recent.0")
        self.assertEqual(self.session.trellis.name, "Winter season")

    def test_the_demo_is_one_click_away(self) -> None:
        self.click("start.demo")
        self.assertEqual(self.session.trellis.name, "Whole season")


class BigCopyTest(WindowTestCase):
    def test_copying_goes_on_in_the_background_and_can_be_stopped(self) -> None:
        self.open_demo()
        self.session.select("sailings")
        grid = self.find(Grid, "rows.grid")
        grid.selectAll()
        told: list[str] = []
        self.session.telling.said.connect(lambda text, _: told.append(text))
        self.copying(grid, self.settle)
        lines = self.application.clipboard().text().splitlines()
        self.assertEqual((len(lines), lines[0].split("\t")[0]), (1_210, "sailing"))
        with mock.patch("keen_trellis.deliver.cells_as_text", self.endless):
            stop = self.window.action("job.stop")
            self.copying(grid, lambda: self.wait_until(stop.isEnabled))
            self.trigger("job.stop")
        self.assertEqual(told[-1], "Stopped: nothing has been copied.")

    def copying(self, grid: Grid, then: Callable[[], object]) -> None:
        QTest.keyClick(grid, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
        then()

    @staticmethod
    def endless(*arguments: object) -> str:
        report = arguments[-1]
        assert callable(report)
        while True:
            report(0.5, "Copying")
            time.sleep(0.005)


class DeliveryPlaceTest(WindowTestCase):
    def test_a_delivery_added_before_others_keeps_to_its_rows(self) -> None:
        self.open_demo()
        self.session.do(AddDelivery("routes", "Ways", str(self.folder / "ways.csv")))
        self.settle()
        tie = self.session.results.ties["sailings-routes"]
        assert isinstance(tie, Tied)
        self.assertEqual(tie.counts.left.found, 1_198)
