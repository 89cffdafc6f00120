"""An analyst makes a lane ready, and sees what each step does to its rows."""

import unittest
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QContextMenuEvent, QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QLineEdit,
    QListWidget,
    QMenu,
    QPlainTextEdit,
    QPushButton,
)

from keen_trellis.compute.step_result import Stepped
from keen_trellis.data import Table
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.document.edits import AddLane
from keen_trellis.document.items import FilterItem, FormulaItem, ReplaceItem, StepItem, TidyItem
from keen_trellis.document.sources import DelimitedSource
from tests.desktop.window_case import WindowTestCase


class StepCase(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo()
        self.session.select("takings")
        self.settle()

    def step(self) -> StepItem:
        item = self.session.selected_item
        assert isinstance(item, StepItem), item
        return item

    def given(self) -> Stepped:
        given = self.session.results.given[self.step().id]
        assert isinstance(given, Stepped), given
        return given

    def rows(self) -> Table:
        rows = self.session.results.rows[self.step().id]
        assert isinstance(rows, Table), rows
        return rows

    def add_step(self, typed: str) -> None:
        """Find a step by typing a part of its name, as Ctrl+Shift+A offers it."""
        QTest.keySequence(self.window, QKeySequence("Ctrl+Shift+A"))
        self.settle()
        self.key(Qt.Key.Key_Return, self.find(QLineEdit, "steps.field"), typed)

    def write(self, name: str, text: str) -> None:
        field = self.find(QLineEdit, name)
        field.setFocus()
        field.selectAll()
        self.key(Qt.Key.Key_Return, field, text)

    def menu_of(self, grid: Grid, row: int, name: str) -> QMenu:
        """Open the menu of a cell by its key."""
        place = grid.table_model.table.columns.index(name)
        grid.setCurrentIndex(grid.model().index(row, place))
        at = grid.visualRect(grid.currentIndex()).center()
        reason = QContextMenuEvent.Reason.Keyboard
        QApplication.sendEvent(grid.viewport(), QContextMenuEvent(reason, at, grid.mapToGlobal(at)))
        menu = grid.findChild(QMenu, f"{grid.objectName()}.menu")
        assert menu is not None
        return menu

    def offered_on(self, grid: Grid, row: int, name: str) -> list[str]:
        """Return what the menu of a cell offers, once its rows have been counted."""
        menu = self.menu_of(grid, row, name)
        self.settle()
        words = [action.text() for action in menu.actions()]
        menu.close()
        self.settle()
        return words

    def menu_on(self, grid: Grid, row: int, name: str, *actions: str) -> None:
        """Open the menu of a cell by its key, and choose from it."""
        menu = self.menu_of(grid, row, name)
        found = menu.findChild(QAction, actions[-1])
        self.assertIsNotNone(found, [a.objectName() for a in menu.actions()])
        found.trigger()
        menu.close()
        self.settle()


class StepsOnTheBenchTest(StepCase):
    def test_text_is_tidied_and_what_changes_is_seen_before_and_after(self) -> None:
        self.add_step("tidy")
        self.assertEqual(self.text("bench.title"), "Takings · step 1 of 1")
        self.choose("tidy.column.add", "route")
        self.choose("tidy.letters", "capitals")
        self.assertEqual(self.text("tidy.changed"), f"Changed {len(self.given().changed_rows):,}")
        self.choose("tidy.letters", "stay")
        changed = len(self.given().changed_rows)
        self.assertTrue(0 < changed < 1577)
        self.assertEqual(self.text("tidy.changed"), f"Changed {changed}")
        before, after = (self.find(Grid, f"tidy.{end}.grid") for end in ("before", "after"))
        self.assertEqual(len(before.table_model.table), changed)
        first = [grid.table_model.table.column("route").text(0) for grid in (before, after)]
        self.assertEqual(" ".join(first[0].split()), first[1])
        self.click("tidy.all")
        self.assertEqual(len(after.table_model.table), 1577)
        marked = [n for n, one in enumerate(after.marks["route"]) if one]
        self.assertEqual(marked, self.given().changed_rows.tolist())
        self.click("tidy.without.outer spaces")
        self.assertEqual(
            self.step(),
            TidyItem(id=self.step().id, columns=("route",), without=("doubled spaces",)),
        )

    def test_what_a_step_wins_at_the_next_tie_is_said(self) -> None:
        self.session.select("sailings-routes")
        found = self.session.results.facts.items["sailings-routes"].says
        self.session.select("sailings")
        self.trigger("page.rows")
        grid = self.find(Grid, "rows.grid")
        self.menu_on(grid, 0, "route", "grid.steps", "grid.step.tidy")
        self.choose("tidy.letters", "capitals")
        self.assertEqual(self.session.trellis.lane("sailings").items[0], self.step())
        said = self.text("tidy.effects")
        self.assertRegex(said, r"1,\d{3} of 1,209 → 1,\d{3} of 1,209 found at Sailings \+ Routes")
        self.click("tidy.off")
        self.assertEqual(self.text("tidy.off"), "Switch on")
        self.assertEqual(self.session.results.facts.items["sailings-routes"].says, found)
        bead = self.window.map.shown.beads[0]
        self.assertEqual((bead.brief, bead.counts), ("tidy route", "off"))
        self.trigger("edit.undo")
        self.assertEqual(self.text("tidy.effects"), said)

    def test_every_sentence_is_set_up_by_choices_and_typing(self) -> None:
        self.add_step("replace")
        self.choose("replace.column.add", "office")
        self.click("replace.add")
        old = self.text("replace.0.old")
        self.write("replace.0.new", "Head office")
        self.assertIn(("Head office"), self.rows().column("office").to_list())
        self.assertNotIn(old, self.rows().column("office").to_list())

        self.add_step("split")
        self.choose("split.column", "route")
        self.write("split.mark", " - ")
        self.write("split.names", "from, to")
        self.assertEqual(self.rows().columns[-2:], ("from", "to"))
        self.assertEqual(self.rows().column("from").text(0), "Kelp Point")

        self.add_step("one row per")
        self.choose("summarise.by.add", "from")
        self.choose("summarise.add", "amount")
        self.assertEqual(self.rows().columns, ("from", "rows", "sum of amount"))
        self.assertEqual(sum(self.rows().column("rows").to_list()), 1577)

        self.add_step("order")
        self.choose("order.by.add", "rows")
        self.choose("order.by.0.way", "down")
        counts = self.rows().column("rows").to_list()
        self.assertEqual(counts, sorted(counts, reverse=True))

        self.add_step("first or last")
        self.write("first.n", "2")
        self.assertEqual(self.text("first.kept.rows"), "2 rows")
        self.assertEqual(self.rows().column("rows").to_list(), counts[:2])
        self.assertEqual(self.text("bench.title"), "Takings · step 5 of 5")

        self.add_step("choose, order")
        self.choose("columns.without.add", "rows")
        self.choose("columns.name.add", "from")
        self.write("columns.name.0", "port")
        self.assertEqual(self.rows().columns, ("port", "sum of amount"))

        self.add_step("columns to rows")
        self.choose("unpivot.columns.add", "sum of amount")
        self.write("unpivot.name", "figure")
        self.write("unpivot.value", "much")
        self.assertEqual(self.rows().columns, ("port", "figure", "much"))
        self.choose("unpivot.chosen", "called like")
        self.write("unpivot.pattern", "sum *")
        self.assertEqual(self.rows().column("figure").text(1), "sum of amount")
        self.choose("unpivot.cut", "cut")
        self.write("unpivot.mark", " of ")
        self.assertEqual(self.rows().columns, ("port", "figure", "amount"))

        self.add_step("rows to columns")
        self.choose("pivot.field", "port")
        self.choose("pivot.column", "amount")
        before = self.text("pivot.take")
        self.assertEqual(before, "+ 2 values")
        self.click("pivot.take")
        self.assertEqual(len(self.rows().columns), 2)
        self.click("pivot.value.0")
        self.assertEqual(self.text("pivot.take"), "+ 1 value")
        self.choose("pivot.others", "rest")
        self.choose("pivot.by.add", "figure")
        self.choose("pivot.empty", "zero")
        self.assertEqual(self.rows().columns[::2], ("figure", "the rest"))
        self.assertIn("1 row of other values in the rest", self.text("pivot.said"))

        self.add_step("across rows")
        self.write("across.name", "so far")
        self.assertEqual(self.rows().column("so far").to_list(), [1])
        self.choose("across.what", "running share")
        self.choose("across.column", "the rest")
        self.choose("across.by.add", "figure")
        self.choose("across.order.add", "the rest")
        self.assertEqual(self.rows().column("so far").to_list(), [1.0])
        self.choose("across.what", "value before")
        self.write("across.n", "2")
        self.assertEqual(self.rows().column("so far").to_list(), [None])

    def test_a_list_to_replace_is_pasted_or_loaded(self) -> None:
        self.add_step("replace")
        self.choose("replace.column.add", "office")
        self.click("replace.list")
        dialog = self.dialog("replace.dialog")
        text = dialog.findChild(QPlainTextEdit, "replace.dialog.text")
        text.setPlainText("Brae\tB\nTolland\tT\n")
        dialog.accept()
        self.settle()
        step = self.step()
        assert isinstance(step, ReplaceItem)
        listed = [(one.old, one.new) for one in step.replacements]
        self.assertEqual(listed, [("Brae", "B"), ("Tolland", "T")])
        path = self.folder / "offices.csv"
        path.write_text("office,code\nBrae,BR\nKelp Point,KP\n")
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            self.click("replace.load")
        step = self.step()
        assert isinstance(step, ReplaceItem)
        listed = [(one.old, one.new) for one in step.replacements]
        self.assertEqual(listed, [("Brae", "BR"), ("Tolland", "T"), ("Kelp Point", "KP")])
        path.write_text("office\nBrae\n")
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            self.click("replace.load")
        self.assertIn("offices.csv has one column", self.text("bench.notice.text"))
        self.assertEqual(self.step(), step)

    def test_of_a_long_lane_the_first_rows_are_shown_before_all_are_worked_out(self) -> None:
        path = self.folder / "long.csv"
        path.write_text("zone\n" + " Inner\nOuter\n" * 15_000)
        self.session.do(AddLane("Long", DelimitedSource(path=str(path))))
        self.settle()
        self.session.select(self.session.trellis.lanes[-1].id)
        self.add_step("tidy")
        seen: list[str] = []
        self.session.work.looked_first.connect(lambda: seen.append(self.text("tidy.said")))
        self.choose("tidy.column.add", "zone")
        self.assertEqual(len(seen), 1)
        self.assertIn("Of the first 10,000 rows: 5,000 of 10,000 rows change.", seen[0])
        self.assertIn("15,000 of 30,000 rows change.", self.text("tidy.said"))

    def test_columns_are_put_in_order_by_dragging_and_as_a_list(self) -> None:
        self.add_step("choose, order")
        before = list(self.rows().columns)
        head = self.find(Grid, "columns.after.grid").horizontalHeader()
        head.moveSection(len(before) - 1, 0)  # what a drag of the last head to the front does
        self.settle()
        self.assertEqual(list(self.rows().columns), [before[-1], *before[:-1]])
        self.click("columns.as_list")
        dialog = self.dialog("column_list")
        text = dialog.findChild(QPlainTextEdit, "column_list.text")
        self.assertEqual(text.toPlainText().split("\n"), list(self.rows().columns))
        text.setPlainText("route\namount")
        dialog.accept()
        self.settle()
        self.assertEqual(self.rows().columns, ("route", "amount"))

    def test_a_step_is_copied_to_another_lane_and_moved_along_its_own(self) -> None:
        self.add_step("fill")
        self.add_step("repeated")
        first, second = self.window.map.shown.beads
        self.assertEqual([first.sort, second.sort], ["fill", "repeats"])
        self.drag_map(second.box, first.box.__class__(first.box.x - 60, first.box.y, 10, 10))
        self.assertEqual([b.sort for b in self.window.map.shown.beads], ["repeats", "fill"])
        self.trigger("edit.undo")
        self.assertEqual([b.sort for b in self.window.map.shown.beads], ["fill", "repeats"])
        self.click("repeats.copy")
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        (to,) = (a for a in menu.actions() if a.objectName() == "copy.with.routes")
        to.trigger()
        menu.close()
        self.settle()
        self.assertEqual(self.session.trellis.lane("routes").items[-1].type, "repeats")


class FormulaOnTheBenchTest(StepCase):
    def type_in(self, text: str) -> QPlainTextEdit:
        field = self.find(QPlainTextEdit, "formula.0.text")
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        self.settle()
        return field

    def test_a_formula_is_completed_told_and_taken(self) -> None:
        self.add_step("formula")
        field = self.type_in("upp")
        popup = QApplication.activePopupWidget()
        assert popup is not None
        QTest.keyClick(popup, Qt.Key.Key_Return)
        self.assertEqual(field.toPlainText(), "UPPER()")
        QTest.keyClicks(field, '"route"')
        offered = QApplication.activePopupWidget()
        if offered is not None:
            QTest.keyClick(offered, Qt.Key.Key_Escape)
        said = self.text("formula.0.text.says")
        self.assertTrue(said.startswith("text:  KELP POINT - MARROW SOUND"), said)
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.settle()
        self.assertEqual(self.rows().columns[-1], "new")
        self.assertEqual(self.rows().column("new").text(0), "KELP POINT - MARROW SOUND")
        self.write("formula.0.name", "route in capitals")
        self.assertEqual(self.rows().columns[-1], "route in capitals")
        self.assertEqual(self.window.map.shown.beads[0].brief, "route in capitals")

    def test_what_is_wrong_is_said_as_one_types_and_marked_at_its_place(self) -> None:
        self.add_step("formula")
        self.type_in("LPAD(route, 200000)")
        self.assertRegex(
            self.text("formula.0.text.says"),
            "blank.*more than 100,000 letters: in [0-9]+ of the first [0-9]+ rows",
        )
        field = self.type_in("TRIM(amount)")
        self.assertEqual(
            self.text("formula.0.text.says"),
            "“amount” is an exact decimal; TRIM takes text. Write CAST(amount AS VARCHAR).",
        )
        (mark,) = field.extraSelections()
        self.assertEqual(mark.cursor.selectedText(), "amount")  # type: ignore[attr-defined]
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.settle()
        self.assertIn("TRIM takes text", self.text("formula.trouble.text"))
        step = self.step()
        assert isinstance(step, FormulaItem)
        self.assertEqual(step.columns[0].formula, "TRIM(amount)")  # nothing typed is lost
        self.choose("formula.0.text.functions", "ABS")


class FilterFurtherTest(StepCase):
    def test_a_value_is_picked_from_a_list_with_counts(self) -> None:
        self.trigger("step.filter")
        self.choose("filter.add", "office")
        self.choose("filter.0.test", "=")
        self.click("filter.0.value.0.pick")
        rows = self.session.results.table("takings")
        assert rows is not None
        wanted = rows.column("office").to_list().count("Tolland")
        found = self.find(QListWidget, "filter.0.value.0.picker.found")
        shown = [found.item(row).text() for row in range(found.count())]
        self.assertIn(f"Tolland    {wanted:,} rows", shown)
        field = self.find(QLineEdit, "filter.0.value.0.picker.field")
        self.key(Qt.Key.Key_Return, field, "toll")
        self.assertEqual(self.text("filter.0.value.0"), "Tolland")
        self.assertEqual(len(self.rows()), wanted)

    def test_conditions_within_conditions_are_asked_by_a_formula(self) -> None:
        self.trigger("step.filter")
        self.click("filter.ask_formula")
        field = self.find(QPlainTextEdit, "filter.formula")
        text = "(office = 'Tolland' AND amount > 500) OR office IS NULL"
        QTest.keyClicks(field, text)
        offered = QApplication.activePopupWidget()
        if offered is not None:
            offered.hide()
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.settle()
        kept = [
            (office, amount)
            for office, amount in zip(
                self.rows().column("office").to_list(),
                self.rows().column("amount").to_list(),
                strict=True,
            )
        ]
        self.assertTrue(kept)
        self.assertTrue(all(o is None or (o == "Tolland" and a > 500) for o, a in kept))
        self.choose("filter.add", "amount")
        self.assertIn("and", self.session.trellis.item(self.step().id).brief)  # type: ignore[attr-defined]
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, "amount + 1")
        said = "This gives exact decimal; boolean is wanted here. Compare it with something."
        self.assertEqual(self.text("filter.formula.says"), said)

    def test_what_is_still_empty_is_said_after_a_fill(self) -> None:
        self.session.select("sailings-vessels")
        self.settle()
        self.add_step("fill")
        still = self.text("fill.still")
        self.assertRegex(still, r"Still without a value: .*zone 11")
        self.choose("fill.column.add", "zone")
        self.write("fill.value", "no route")
        self.assertNotIn("zone", self.text("fill.still"))
        self.assertIn("distance 11", self.text("fill.still"))


class NamesOnTheBenchTest(StepCase):
    def test_who_needs_a_column_that_is_taken_out_is_said(self) -> None:
        self.add_step("choose, order")
        columns = self.step().id
        self.add_step("order")
        self.choose("order.by.add", "amount")
        self.session.select(columns)
        self.settle()
        self.choose("columns.name.add", "amount")
        self.write("columns.name.0", "paid")
        self.assertEqual(self.session.trellis.item("takings-order").brief, "by paid")  # type: ignore[attr-defined]
        self.choose("columns.without.add", "amount")
        said = "Takings, by paid: needs what is gone now. Undo (Ctrl+Z), or go on without it there."
        self.assertEqual(self.text("bench.notice.text"), said)
        self.assertEqual(self.window.map.shown.beads[1].counts, "needs a look")
        self.session.select("takings-order")
        self.settle()
        self.assertEqual(self.text("order.trouble.remedy"), "Go on without “paid”")
        self.click("order.trouble.remedy")
        self.assertEqual(self.window.map.shown.beads[1].trouble, "")
        self.assertEqual(self.session.trellis.item("takings-order").by, ())  # type: ignore[attr-defined]
        self.trigger("edit.undo")
        self.trigger("edit.undo")
        self.assertEqual(self.window.map.shown.beads[1].trouble, "")


class LinkByFormulaTest(StepCase):
    def test_one_name_meets_a_first_and_a_last_name(self) -> None:
        """The text of two columns of one lane against one column of the other."""
        self.session.select("sailings-routes")
        self.settle()
        before = self.session.results.facts.items["sailings-routes"].numbers
        self.click("link.formula")
        dialog = self.dialog("link_formula")
        field = dialog.findChild(QPlainTextEdit, "link_formula.text")
        side = dialog.findChild(QPushButton, "link_formula.side")
        side.menu().aboutToShow.emit()
        side.menu().actions()[1].trigger()
        QTest.keyClicks(field, "UPPER(TRIM(code))")
        offered = QApplication.activePopupWidget()
        if offered is not None:
            offered.hide()
        ok = dialog.findChild(QPushButton, "link_formula.link")
        self.assertFalse(ok.isEnabled())
        other = dialog.findChild(QPushButton, "link_formula.other")
        other.menu().aboutToShow.emit()
        next(a for a in other.menu().actions() if a.objectName().endswith("route")).trigger()
        ok.click()
        self.settle()
        step = self.session.trellis.lane("routes").items[-1]
        assert isinstance(step, FormulaItem)
        self.assertEqual(step.columns[0].name, "key")
        tie = self.session.trellis.join("sailings-routes")
        self.assertEqual(tie.after, step.id)
        self.assertEqual((tie.link[-1].left, tie.link[-1].right), ("route", "key"))
        self.assertEqual(self.session.results.facts.items[tie.id].numbers, before)
        self.trigger("edit.undo")
        self.assertEqual(self.session.trellis.lane("routes").items, ())


class FromTheRowsTest(StepCase):
    def test_a_value_is_kept_left_out_or_replaced(self) -> None:
        self.trigger("page.rows")
        grid = self.find(Grid, "rows.grid")
        value = grid.table_model.table.column("office").text(0)
        column = grid.table_model.table.column("office").to_list()
        self.assertIn(
            f"Keep only rows where office is “{value}”\t{column.count(value):,} rows",
            self.offered_on(grid, 0, "office"),
        )
        self.menu_on(grid, 0, "office", "grid.step.value.leave")
        self.assertIsInstance(self.step(), FilterItem)
        self.assertEqual(len(self.rows()), 1577 - column.count(value))  # blanks stay
        self.trigger("edit.undo")
        self.session.select("takings")
        self.settle()
        self.menu_on(grid, 0, "office", "grid.step.value.replace")
        self.assertEqual(self.text("replace.0.old"), value)

    def test_the_head_of_a_column_offers_the_steps_that_fit(self) -> None:
        self.trigger("page.rows")
        grid = self.find(Grid, "rows.grid")
        band = grid.horizontalHeader()
        for name, fits, not_offered in (("amount", "sum", "tidy"), ("route", "split", "sum")):
            section = grid.table_model.table.columns.index(name)
            at = band.viewport().rect().topLeft()
            at.setX(band.sectionViewportPosition(section) + 5)
            band.customContextMenuRequested.emit(at)
            menu = grid.findChild(QMenu, "rows.grid.head_menu")
            self.settle()
            offered = {a.objectName(): a.text() for a in menu.actions()}
            self.assertIn(f"grid.step.{fits}", offered)
            self.assertNotIn(f"grid.step.{not_offered}", offered)
            values = grid.table_model.table.column(name).to_list()
            groups = f"One row for each value\t→ {len(set(values)):,} rows"
            self.assertEqual(offered["grid.step.summarise"], groups)
            blanks = f"{values.count(None):,} row{'s' if values.count(None) != 1 else ''}"
            self.assertEqual(offered["grid.step.fill"], f"Fill blanks and gaps\t{blanks}")
            menu.close()
            self.settle()

    def test_a_button_of_a_step_can_be_reached_by_the_finder(self) -> None:
        self.trigger("step.tidy")
        self.assertTrue(self.find(QPushButton, "page.tidy").isChecked())


if __name__ == "__main__":
    unittest.main()
