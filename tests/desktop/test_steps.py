"""An analyst keeps only some rows, and puts tables of one shape below each other."""

import unittest
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QLineEdit,
    QMenu,
    QMessageBox,
    QPlainTextEdit,
    QPushButton,
)

from keen_trellis.compute.filter_result import Filtered
from keen_trellis.desktop.actions import ACTIONS
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.document import load
from keen_trellis.document.items import ConditionItem, FilterItem, StackItem
from tests.desktop.window_case import WindowTestCase


class BayToLaneTest(WindowTestCase):
    def test_the_rows_of_a_bay_become_a_lane_that_follows_the_tie(self) -> None:
        self.open_demo()
        self.click("bay.left.more")
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        (own,) = (a for a in menu.actions() if a.objectName() == "bay.left.lane")
        own.trigger()
        menu.close()
        self.settle()
        self.assertEqual(self.text("bench.title"), "Sailings without Routes")
        self.assertEqual(self.text("rows.line"), "Begins with rows of Sailings not in Routes")
        ids = [lane.id for lane in self.session.trellis.lanes]
        self.assertEqual(ids.index("sailings-without-routes"), 1)  # right below the tie's lane
        head = self.window.map.shown.heads[1]
        self.assertEqual((head.size, head.trouble), ("11 rows · 9 columns", ""))
        self.trigger("page.columns")
        self.assertEqual(self.text("columns.title"), "sailing")
        self.trigger("page.source")
        self.click("source.begin")
        self.assertEqual(self.session.selection, "sailings-routes")
        self.choose("link.text", "ignoring case and spaces")
        self.assertEqual(self.window.map.shown.heads[1].size, "8 rows · 9 columns")
        self.trigger("part.remove")
        self.assertIn("Remove Sailings without Routes first.", self.text("bench.notice.text"))
        QTest.keySequence(self.window, QKeySequence("Alt+Shift+3"))
        self.settle()
        self.assertEqual(self.text("bench.title"), "Routes without Sailings")


class FilterOnTheBenchTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo()
        self.session.select("takings")
        self.settle()
        QTest.keySequence(self.window.map, QKeySequence("Ctrl+Shift+F"))
        self.settle()

    def item(self) -> FilterItem:
        item = self.session.selected_item
        assert isinstance(item, FilterItem), item
        return item

    def given(self) -> Filtered:
        given = self.session.results.given[self.item().id]
        assert isinstance(given, Filtered), given
        return given

    def write(self, name: str, text: str) -> None:
        field = self.find(QLineEdit, name)
        field.setFocus()
        field.selectAll()
        self.key(Qt.Key.Key_Return, field, text)

    def test_nothing_is_dropped_before_anything_is_asked(self) -> None:
        self.assertEqual(self.text("filter.kept.rows"), "1,577 rows")
        self.assertEqual(self.text("filter.left_out.rows"), "0 rows")
        self.assertEqual(self.text("filter.add"), "choose a column")

    def test_a_condition_is_said_by_choices_and_both_sorts_of_rows_are_shown(self) -> None:
        self.choose("filter.add", "amount")
        self.choose("filter.0.test", ">=")
        first = self.given().table.column("amount").text(0)
        self.assertEqual(self.text("filter.0.value.0"), first)
        self.write("filter.0.value.0", "100")
        kept, left_out = len(self.given().outcome), len(self.given().left_out)
        self.assertEqual(kept + left_out, 1577)
        self.assertTrue(kept and left_out)
        self.assertEqual(self.text("filter.left_out.rows"), f"{left_out:,} rows")
        self.assertEqual(len(self.find(Grid, "filter.left_out.grid").table_model.table), left_out)
        self.assertTrue(self.text("filter.said").startswith(f"{kept:,} of 1,577 rows go on"))
        bead = self.window.map.shown.beads[0]
        self.assertEqual(
            (bead.brief, bead.counts), ("amount is at least “100”", f"{kept:,} of 1,577")
        )

    def test_what_a_filter_does_at_the_ties_behind_it_is_said(self) -> None:
        self.session.select("sailings-routes")
        self.trigger("step.filter")
        self.choose("filter.add", "zone")
        self.choose("filter.0.test", "=")
        self.write("filter.0.value.0", "Inner")
        kept = len(self.given().outcome)
        said = self.text("filter.effects")
        self.assertTrue(said.startswith("1,206 of 1,209 → "), said)
        self.assertTrue(said.endswith(f" of {kept:,} found at Sailings + Vessels"), said)
        self.click("filter.0.remove")
        self.assertEqual(self.text("filter.effects"), "")

    def test_what_a_filter_at_the_end_leaves_before_it_is_said_and_moved_behind(self) -> None:
        self.session.select("sailings")
        self.trigger("step.filter")
        said = "Season report and Season rows still write the rows of Sailings from before this ste"
        self.assertTrue(self.text("finding.text").startswith(said))
        self.choose("filter.add", "zone")
        self.click("finding.mend")
        kept = len(self.given().outcome)
        report = self.session.results.rows["season-report"]
        self.assertEqual(len(report), kept)  # type: ignore[arg-type]

    def test_conditions_are_put_together_taken_out_and_taken_back(self) -> None:
        self.choose("filter.add", "amount")
        self.choose("filter.0.test", "between")
        self.write("filter.0.value.0", "10")
        self.write("filter.0.value.1", "20")
        between = len(self.given().outcome)
        self.assertTrue(0 < between < 1577)
        self.choose("filter.add", "route")
        self.choose("filter.of", "any")
        self.assertEqual(len(self.given().outcome), 1577)
        self.click("filter.1.remove")
        self.assertEqual(len(self.given().outcome), between)
        self.trigger("edit.undo")
        self.assertEqual(len(self.item().conditions), 2)

    def test_one_of_several_values_begins_with_those_that_there_are(self) -> None:
        self.choose("filter.add", "route")
        self.choose("filter.0.test", "in")
        self.click("filter.0.more")
        first, second = self.item().conditions[0].values
        self.assertNotEqual(first, second)
        routes = self.given().outcome.column("route").to_list()
        self.assertEqual(set(routes), {first, second})

    def test_a_value_that_is_still_being_typed_is_saved(self) -> None:
        self.choose("filter.add", "amount")
        self.choose("filter.0.test", ">=")
        field = self.find(QLineEdit, "filter.0.value.0")
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, "1234")
        self.trigger("file.save")
        path = self.session.path
        assert path is not None
        saved = load(path).item(self.item().id)
        assert isinstance(saved, FilterItem)
        self.assertEqual(saved.conditions[0].values, ("1234",))

    def test_a_value_that_does_not_fit_stays_to_be_mended(self) -> None:
        self.choose("filter.add", "amount")
        self.choose("filter.0.test", "=")
        self.write("filter.0.value.0", "plenty")
        self.assertIn("“plenty” is no exact decimal", self.text("filter.trouble.text"))
        self.assertEqual(self.text("filter.0.value.0"), "plenty")
        self.assertEqual(self.window.map.shown.beads[0].counts, "needs a look")
        self.write("filter.0.value.0", "12.50")
        self.assertEqual(self.text("filter.trouble.text"), "")

    def test_what_is_typed_stays_with_the_filter_that_it_was_typed_into(self) -> None:
        self.choose("filter.add", "month")
        self.choose("filter.0.test", "=")
        field = self.find(QLineEdit, "filter.0.value.0")
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, "2026-01-03")
        first = self.item().id
        self.click_map(self.window.map.shown.heads[3].box)
        conditions = self.session.trellis.item(first).conditions  # type: ignore[attr-defined]
        self.assertEqual(conditions, (ConditionItem(column="month", values=("2026-01-03",)),))


class StackOnTheBenchTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo()
        self.session.select("routes")
        self.trigger("lane.stack")
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        actions = {action.objectName(): action for action in menu.actions()}
        actions["stack.with.vessels"].trigger()
        menu.close()
        self.settle()

    def item(self) -> StackItem:
        item = self.session.selected_item
        assert isinstance(item, StackItem), item
        return item

    def test_the_page_says_where_rows_came_from_and_what_is_lacking(self) -> None:
        self.assertEqual(self.text("bench.title"), "Routes and Vessels, stacked")
        self.assertTrue(self.text("stack.said").startswith("34 rows: 23 of Routes and 11 of Ves"))
        self.assertIn("Routes has no “vessel”, “built”", self.text("stack.said"))
        self.assertEqual(self.text("page.stack"), "Stack 34")

    def test_lanes_are_added_and_taken_out_and_a_column_says_the_source(self) -> None:
        self.choose("stack.add", "calendar")
        self.assertEqual(len(self.item().lanes), 2)
        self.click("stack.0.remove")
        self.assertEqual([lane.lane for lane in self.item().lanes], ["calendar"])
        field = self.find(QLineEdit, "stack.source_column")
        self.key(Qt.Key.Key_Return, field, "lane")
        grid = self.find(Grid, "stack.outcome.grid")
        self.assertEqual(grid.table_model.table.columns[0], "lane")
        self.choose("stack.repeats", "left")
        self.assertFalse(self.item().repeats)

    def test_columns_that_are_called_otherwise_meet(self) -> None:
        self.choose("stack.0.rename", "seats")
        old, new = next(iter(self.item().lanes[0].renamed.items()))
        self.assertEqual(old, "seats")
        field = self.find(QLineEdit, "stack.0.renamed.0")
        self.assertEqual(field.text(), new)
        field.selectAll()
        self.key(Qt.Key.Key_Return, field, "minutes")
        columns = self.find(Grid, "stack.outcome.grid").table_model.table.columns
        self.assertIn("minutes", columns)
        self.assertNotIn("seats", columns)
        self.click("stack.0.renamed.0.remove")
        self.assertEqual(self.item().lanes[0].renamed, {})

    def test_a_note_is_kept_with_its_part_also_when_another_is_selected(self) -> None:
        self.trigger("page.notes")
        part = self.item().id
        QTest.keyClicks(self.find(QPlainTextEdit, "notes.text"), "Both are lists of the harbour.")
        self.session.select("sailings-routes")
        self.wait_until(lambda: bool(self.session.trellis.item(part).note))
        self.settle()
        self.assertEqual(self.session.trellis.item(part).note, "Both are lists of the harbour.")
        self.assertEqual(self.session.trellis.item("sailings-routes").note, "")

    def test_what_is_being_typed_is_saved_and_asked_about_at_once(self) -> None:
        self.trigger("page.notes")
        QTest.keyClicks(self.find(QPlainTextEdit, "notes.text"), "Both are lists.")
        self.window.action("file.save").trigger()  # well within the pause for typing
        path = self.session.path
        assert path is not None
        self.assertEqual(load(path).item(self.item().id).note, "Both are lists.")
        QTest.keyClicks(self.find(QPlainTextEdit, "notes.text"), " Of the harbour.")
        with mock.patch.object(QMessageBox, "question") as asked:
            asked.return_value = QMessageBox.StandardButton.Cancel
            self.window.close()
        self.assertTrue(asked.called and self.window.isVisible())

    def test_pages_open_by_their_keys_whatever_is_selected(self) -> None:
        self.trigger("page.columns")
        self.assertEqual(self.text("bench.title"), "Routes")
        self.assertTrue(self.find(QPushButton, "page.columns").isChecked())
        for spec in ACTIONS:
            if spec.id in ("page.match", "page.outcome"):
                self.assertFalse(self.window.action(spec.id).isEnabled(), spec.id)


if __name__ == "__main__":
    unittest.main()
