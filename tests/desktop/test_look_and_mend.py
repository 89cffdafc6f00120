"""Looking at the rows of a tie, asking why, and mending it by pairs: by clicks and keys."""

from __future__ import annotations

import csv
from pathlib import Path
from unittest import mock

from PySide6.QtCore import QItemSelectionModel, QLocale, Qt
from PySide6.QtGui import QAction, QContextMenuEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QPushButton,
    QTableView,
    QTableWidget,
    QWidget,
)

from keen_trellis.compute.join_result import Tied
from keen_trellis.data import Kind
from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.application import make_window
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.desktop.bench.local_formats import as_read, read_locally
from keen_trellis.document.items import SameValues
from tests.desktop.window_case import WindowTestCase


class LookedAtTestCase(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo()

    def tie(self) -> Tied:
        tie = self.session.results.ties["sailings-routes"]
        assert isinstance(tie, Tied)
        return tie

    def column(self, grid: Grid, name: str) -> list[str]:
        """Return what a grid shows in one column, from the top."""
        model = grid.table_model
        place = model.table.columns.index(name)
        return [str(model.index(row, place).data()) for row in range(model.rowCount())]

    def click_head(self, grid: Grid, name: str) -> None:
        head = grid.horizontalHeader()
        section = grid.table_model.table.columns.index(name)
        grid.scrollTo(grid.model().index(0, section))
        at = head.viewport().rect().center()
        at.setX(head.sectionViewportPosition(section) + 12)
        QTest.mouseClick(head.viewport(), Qt.MouseButton.LeftButton, pos=at)
        self.settle()

    def menu_on(self, grid: Grid, row: int, name: str, action: str) -> None:
        """Open the menu of a cell as its key does, and choose from it."""
        index = grid.model().index(row, grid.table_model.table.columns.index(name))
        grid.setCurrentIndex(index)
        by_key = QContextMenuEvent.Reason.Keyboard
        QApplication.sendEvent(
            grid, QContextMenuEvent(by_key, grid.pos(), grid.mapToGlobal(grid.pos()))
        )
        menu = grid.findChild(QMenu)
        found = menu.findChild(QAction, action)
        self.assertIsNotNone(found, [a.objectName() for a in menu.actions()])
        found.trigger()
        menu.close()
        self.settle()


class LookTest(LookedAtTestCase):
    """Sorted, searched and filtered rows are those that Python finds in the whole table."""

    def test_a_click_on_a_name_sorts_and_a_third_one_gives_the_order_back(self) -> None:
        self.trigger("page.outcome")
        grid = self.find(Grid, "outcome.grid")
        as_they_stand = self.column(grid, "passengers")
        numbers = sorted(int(n) for n in as_they_stand if n)
        blanks = [""] * (len(as_they_stand) - len(numbers))
        self.click_head(grid, "passengers")
        self.assertEqual(self.column(grid, "passengers"), [*map(str, numbers), *blanks])
        self.assertIn("sorted by passengers", self.text("outcome.look.says"))
        self.click_head(grid, "passengers")
        self.assertEqual(self.column(grid, "passengers"), [*map(str, numbers[::-1]), *blanks])
        self.click_head(grid, "passengers")
        self.assertEqual(self.column(grid, "passengers"), as_they_stand)

    def test_what_is_searched_for_is_found_in_any_column_and_esc_shows_all(self) -> None:
        self.trigger("page.outcome")
        grid = self.find(Grid, "outcome.grid")
        whole = list(self.tie().outcome.rows())
        grid.setFocus()
        QTest.keyClick(grid, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
        field = self.find(QLineEdit, "outcome.search")
        self.key(Qt.Key.Key_Return, field, "tolland")
        held = [row for row in whole if any("tolland" in str(cell).lower() for cell in row)]
        self.assertEqual(self.column(grid, "sailing"), [row[0] for row in held])
        self.assertIn(f"{len(held):,} of 1,209 rows", self.text("outcome.look.says"))
        self.key(Qt.Key.Key_Escape, field)
        self.assertEqual(len(grid.table_model.table), 1_209)

    def test_gaps_of_a_lane_are_shown_alone_and_stay_so_after_an_edit(self) -> None:
        self.trigger("page.outcome")
        grid = self.find(Grid, "outcome.grid")
        row = self.column(grid, "sailing").index("S-0077")
        self.menu_on(grid, row, "zone", "grid.only")
        self.assertEqual(self.text("outcome.look.says"), "11 of 1,209 rows · zone is a gap")
        self.menu_on(grid, 0, "sailing", "grid.sort_down")
        self.assertEqual(self.column(grid, "sailing")[-1], "S-0077")
        self.trigger("tie.toggle_right")
        self.assertIn("11 of 1,211 rows", self.text("outcome.look.says"))
        self.click("outcome.look.all")
        self.assertEqual(len(grid.table_model.table), 1_211)

    def test_a_profile_follows_the_cursor_and_the_rows_that_are_shown(self) -> None:
        self.trigger("page.outcome")
        grid = self.find(Grid, "outcome.grid")
        view = self.find(QWidget, "outcome.profile.view")
        self.assertFalse(view.isVisible())
        self.click("outcome.beside")
        column = grid.table_model.table.columns.index("passengers")
        grid.setCurrentIndex(grid.model().index(0, column - 1))
        self.key(Qt.Key.Key_Right, grid)
        self.wait_until(lambda: "4 blank" in view.accessibleDescription())
        self.assertEqual(self.text("outcome.profile.title"), "passengers")
        numbers = [n for n in self.column(grid, "passengers") if n]
        distinct = f"1,209 rows · {len(set(numbers))} distinct values · 4 blank"
        self.assertIn(distinct, view.accessibleDescription())
        self.menu_on(grid, self.column(grid, "sailing").index("S-0077"), "zone", "grid.only")
        self.wait_until(lambda: "11 gaps" in view.accessibleDescription())
        self.assertIn("11 rows · 0 distinct values", view.accessibleDescription())

    def test_columns_kept_in_view_stay_while_the_others_scroll(self) -> None:
        self.trigger("page.outcome")
        grid = self.find(Grid, "outcome.grid")
        self.menu_on(grid, 0, "sailing", "grid.keep")
        kept = self.find(QTableView, "outcome.grid.kept")
        columns = grid.table_model.table.columns
        grid.setCurrentIndex(grid.model().index(700, len(columns) - 1))
        self.settle()
        top = kept.rowAt(0)
        self.assertEqual((top, kept.columnAt(4)), (grid.rowAt(0), 0))
        self.assertGreater(top, 600)
        grid.setFocus()
        for name in reversed(columns[1:-1]):  # the cursor is never beneath them
            self.key(Qt.Key.Key_Left, grid)
            left = grid.columnViewportPosition(grid.currentIndex().column())
            self.assertGreaterEqual(left, grid.columnWidth(0), name)
        at = kept.visualRect(kept.model().index(top + 1, 0)).center()
        QTest.mouseClick(kept.viewport(), Qt.MouseButton.LeftButton, pos=at)
        self.assertEqual(grid.currentIndex().row(), top + 1)
        head = kept.horizontalHeader().viewport()
        QTest.mouseClick(head, Qt.MouseButton.LeftButton, pos=head.rect().center())
        self.settle()
        self.assertIn("sorted by sailing", self.text("outcome.look.says"))
        grid.setColumnWidth(0, 90)
        self.assertEqual((kept.columnWidth(0), kept.width()), (90, 92))
        kept.setColumnWidth(0, 120)  # as by dragging its border
        self.assertEqual((grid.columnWidth(0), kept.width()), (120, 122))
        self.menu_on(grid, 0, columns[-1], "grid.keep")  # more than there is room for
        self.assertTrue(0 < kept.width() < 0.6 * grid.width() + 2)
        grid.setCurrentIndex(grid.model().index(0, grid.kept))
        self.assertGreaterEqual(grid.visualRect(grid.currentIndex()).left(), kept.width() - 2)
        self.menu_on(grid, 0, "date", "grid.keep_none")
        self.assertFalse(kept.isVisible())
        self.menu_on(grid, 0, "sailing", "grid.keep")
        another = make_window(self.application, themes.LIGHT)  # as at the next start
        self.addCleanup(another.close)
        another.show()
        another.session.document.open(self.folder / "winter-season.trellis")
        self.wait_until(lambda: not another.session.work.busy)
        another.action("page.outcome").trigger()
        again = another.findChild(Grid, "outcome.grid")
        self.assertEqual(again.kept, 1)

    def test_a_row_leads_to_its_rows_in_each_source(self) -> None:
        self.trigger("page.outcome")
        grid = self.find(Grid, "outcome.grid")
        self.click_head(grid, "distance")
        row = self.column(grid, "sailing").index("S-0002")
        distance = self.column(grid, "distance")[row]
        self.menu_on(grid, row, "sailing", "grid.go.routes")
        self.assertEqual((self.session.selection, self.text("bench.title")), ("routes", "Routes"))
        rows = self.find(Grid, "rows.grid")
        there = rows.currentIndex().row()
        self.assertEqual(self.column(rows, "code")[there], "KP-GH")
        self.assertEqual(self.column(rows, "distance")[there], distance)
        self.session.select("sailings-routes")
        self.settle()
        gap = self.column(grid, "sailing").index("S-0077")
        with self.assertRaises(AssertionError):  # no row of Routes lies beneath a gap
            self.menu_on(grid, gap, "sailing", "grid.go.routes")
        self.application.activePopupWidget().close()
        self.menu_on(grid, gap, "sailing", "grid.go.sailings")
        self.assertEqual(rows.currentIndex().row(), 76)

    def test_what_is_copied_is_what_is_shown(self) -> None:
        self.trigger("page.outcome")
        grid = self.find(Grid, "outcome.grid")
        self.click_head(grid, "sailing")
        self.click_head(grid, "sailing")
        grid.setCurrentIndex(grid.model().index(0, 0))
        grid.selectionModel().select(
            grid.model().index(1, 0), QItemSelectionModel.SelectionFlag.Select
        )
        QTest.keyClick(grid, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
        self.settle()
        self.assertEqual(QApplication.clipboard().text().split(), ["sailing", "S-1209", "S-1208"])

    def test_one_bay_takes_the_whole_width_and_is_searched(self) -> None:
        bay = self.find(QWidget, "bay.left")
        narrow = bay.width()
        for alone in (True, False):
            self.click("bay.left.more")
            self.find(QAction, "bay.left.alone").trigger()
            self.settle()
            self.assertEqual(self.find(QWidget, "bay.both").isVisible(), not alone)
            self.assertEqual(bay.width() > 2 * narrow, alone)
        grid = self.find(Grid, "bay.left.grid")
        self.assertFalse(self.find(QLineEdit, "bay.left.search").isVisible())
        QTest.keyClick(grid, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
        self.key(Qt.Key.Key_Return, self.find(QLineEdit, "bay.left.search"), "kp-ms")
        self.assertEqual(self.column(grid, "sailing"), ["S-0418", "S-0533", "S-0602"])


class WhyTest(LookedAtTestCase):
    """A row without a partner says why, and its remedy is for all rows like it."""

    def test_the_nearest_is_declared_the_same_for_all_rows_like_it(self) -> None:
        grid = self.find(Grid, "bay.left.grid")
        self.menu_on(grid, 0, "route", "grid.why")
        self.assertEqual(self.text("why.text"), "Routes has no code “Kelp Pt-Brae”.")
        self.assertEqual(self.text("why.0.reason"), "spelled out, 77% alike")
        self.assertEqual(self.text("why.0.same"), "The same: +4")
        self.click("why.0.same")
        self.assertEqual(self.tie().counts.left.found, 1_202)
        self.assertNotIn("Kelp Pt-Brae", self.column(grid, "route"))

    def test_a_double_click_asks_of_the_right_row_of_a_sorted_bay(self) -> None:
        grid = self.find(Grid, "bay.left.grid")
        self.click_head(grid, "route")
        row = self.column(grid, "route").index("ZZ-00")
        place = grid.visualRect(grid.model().index(row, 0)).center()
        for click in (QTest.mouseClick, QTest.mouseDClick):
            click(grid.viewport(), Qt.MouseButton.LeftButton, pos=place)
        self.settle()
        self.assertEqual(self.text("why.text"), "Routes has no code “ZZ-00”.")
        popup = QApplication.activePopupWidget()
        assert popup is not None
        popup.close()
        blank = self.column(grid, "route").index("")
        self.menu_on(grid, blank, "route", "grid.why")
        self.assertIn("blanks match nothing", self.text("why.text"))


class LinkValuesTest(LookedAtTestCase):
    """Every value with its rows; pairs proposed, taken, refused, made by hand, saved, loaded."""

    def setUp(self) -> None:
        super().setUp()
        self.trigger("page.values")
        self.wait_until(lambda: self.window.findChild(QPushButton, "pairs.same.0") is not None)
        self.settle()
        self.grid = self.find(Grid, "values.grid")

    def pairs(self) -> tuple[SameValues, ...]:
        return self.session.trellis.join("sailings-routes").pairs

    def test_values_of_one_side_are_listed_with_their_rows(self) -> None:
        sailings, routes = self.tie().left, self.tie().right
        left, right = (t.column(c).to_list() for t, c in ((sailings, "route"), (routes, "code")))
        self.choose("values.show", "left")
        only = [v for v in dict.fromkeys(left) if v is not None and v not in right]
        self.assertEqual(self.column(self.grid, "route = code"), only)
        rows = [str(left.count(v)) for v in only]
        self.assertEqual(self.column(self.grid, "Sailings rows"), rows)
        self.choose("values.show", "blank")
        self.assertEqual(self.column(self.grid, "found in"), ["matches nothing"])
        self.choose("values.show", "repeats left")
        self.click_head(self.grid, "Sailings rows")
        self.assertEqual(self.column(self.grid, "Sailings rows")[0], "2")

    def test_safe_pairs_at_once_others_one_by_one_and_each_can_be_taken_back(self) -> None:
        self.click("pairs.all_safe")
        self.assertEqual(
            {(p.left, p.right) for p in self.pairs()}, {("KP-MS ", "KP-MS"), ("kp-ms", "KP-MS")}
        )
        self.assertEqual(self.tie().counts.left.found, 1_201)
        self.wait_until(lambda: self.window.findChild(QPushButton, "pairs.same.0") is not None)
        self.click("pairs.same.0")
        self.assertEqual(self.pairs()[-1].left, "Kelp Pt-Brae")
        self.click("pairs.undo.0")
        self.assertEqual(len(self.pairs()), 2)
        self.trigger("edit.undo")
        self.assertEqual(len(self.pairs()), 3)

    def test_what_is_refused_is_not_proposed_again_nor_after_saving(self) -> None:
        self.assertTrue(self.session.looking.findings)
        refused = self.find(QPushButton, "pairs.not.2").accessibleName()
        self.assertIn("Kelp Pt-Brae", refused)
        self.click("pairs.not.2")
        item = self.session.trellis.join("sailings-routes")
        self.assertEqual([pair.left for pair in item.not_same], ["Kelp Pt-Brae"])
        left = [
            b.accessibleName()
            for b in self.window.findChildren(QPushButton)
            if b.objectName().startswith("pairs.same.")
        ]
        self.assertFalse(any("Kelp Pt-Brae" in name for name in left))
        told = [finding.text for finding in self.session.looking.findings]
        self.assertFalse(any("Kelp Pt-Brae" in text for text in told), told)
        self.trigger("file.save")
        self.assertTrue(self.session.document.open(self.folder / "winter-season.trellis"))
        self.assertEqual(self.session.trellis.join("sailings-routes").not_same, item.not_same)

    def test_two_selected_values_are_declared_the_same(self) -> None:
        self.choose("values.show", "one")
        values = self.column(self.grid, "route = code")
        flags = QItemSelectionModel.SelectionFlag
        for value in ("ZZ-00", "GH-BR"):
            index = self.grid.model().index(values.index(value), 0)
            self.grid.selectionModel().select(index, flags.Select | flags.Rows)
        self.assertEqual(self.text("values.same"), "The same: “ZZ-00” is “GH-BR”")
        self.click("values.same")
        self.assertEqual((self.pairs()[-1].left, self.pairs()[-1].right), ("ZZ-00", "GH-BR"))
        self.assertEqual(self.tie().counts.left.found, 1_199)

    def test_pairs_go_to_a_sheet_and_come_back_from_it(self) -> None:
        self.click("pairs.all_safe")
        path = self.folder / "pairs.csv"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            self.click("pairs.save")
        with Path(path).open(newline="") as lines:
            rows = list(csv.reader(lines))
        self.assertEqual(rows[0], ["Sailings", "Routes", "field"])
        self.assertIn(["KP-MS ", "KP-MS", "route"], rows)
        before = self.pairs()
        self.trigger("edit.undo")
        self.assertEqual(self.pairs(), ())
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            self.click("pairs.load")
        self.assertEqual(set(self.pairs()), set(before))
        (self.folder / "one.csv").write_text("only\na\nb\n")
        wrong = (str(self.folder / "one.csv"), "")
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=wrong):
            self.click("pairs.load")
        self.assertIn("one.csv has only one column", self.text("bench.notice.text"))
        source = Path(self.window.session.trellis.lane("sailings").source.place)
        before = source.read_bytes()
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(source), "")):
            self.click("pairs.save")
        self.settle()
        self.assertIn("which Sailings reads", self.text("bench.notice.text"))
        self.assertEqual(source.read_bytes(), before)


class FindingTest(LookedAtTestCase):
    """A finding shows its rows, and is not told again where it is no problem."""

    def choose_else(self, action: str) -> None:
        found = self.find(QPushButton, "finding.else").findChild(QAction, f"finding.{action}")
        self.assertIsNotNone(found)
        found.trigger()
        self.settle()

    def test_its_rows_are_shown_in_their_bay(self) -> None:
        self.assertIn("“Kelp Pt-Brae” looks like", self.text("finding.text"))
        self.choose_else("show")
        grid = self.find(Grid, "bay.left.grid")
        self.assertEqual(set(self.column(grid, "route")), {"Kelp Pt-Brae"})
        self.assertEqual(self.text("bay.left.look.says"), "4 of 11 rows · route is “Kelp Pt-Brae”")

    def test_what_is_no_problem_here_is_not_told_again_until_it_is_asked_for(self) -> None:
        told = []
        while self.find(QWidget, "finding").isVisible():
            told.append(self.text("finding.text"))
            self.choose_else("refuse")
        self.assertEqual(len(told), len(set(told)))
        item = self.session.trellis.join("sailings-routes")
        self.assertIn("blank keys", item.ignored)
        self.assertEqual(
            {pair.left for pair in item.not_same}, {"Kelp Pt-Brae", "Gannet Hd-Tolland"}
        )
        self.trigger("edit.undo")
        self.assertEqual(self.text("finding.text"), told[-1])
        self.choose_else("again")
        self.assertEqual(self.session.trellis.join("sailings-routes").ignored, ())


class ColumnsTest(LookedAtTestCase):
    """What goes on: renamed in place, put in order by keys and as a list, gaps filled."""

    def setUp(self) -> None:
        super().setUp()
        self.trigger("page.tie_columns")
        self.table = self.find(QTableWidget, "tie_columns.going_on.table")

    def names(self) -> list[str]:
        return [self.table.item(row, 0).text() for row in range(self.table.rowCount())]

    def type_over(self, name: str, column: int, text: str) -> None:
        """Type over a cell as a double click lets one."""
        row = self.names().index(name)
        self.table.setCurrentCell(row, column)
        self.table.editItem(self.table.item(row, column))
        editor = self.table.findChild(QLineEdit)
        editor.selectAll()
        QTest.keyClick(editor, Qt.Key.Key_Delete)
        self.key(Qt.Key.Key_Return, editor, text)
        self.settle()  # the editor hands its text on after the key

    def test_a_column_is_renamed_moved_and_its_gaps_are_filled(self) -> None:
        self.type_over("zone", 0, "area")
        self.assertIn("area", self.tie().outcome.columns)
        self.type_over("area", 2, "no route")
        self.table.setCurrentCell(self.names().index("area"), 0)
        alt = Qt.KeyboardModifier.AltModifier
        while self.names()[0] != "area":
            QTest.keyClick(self.table, Qt.Key.Key_Up, alt)
            self.settle()
        outcome = self.tie().outcome
        self.assertEqual(outcome.columns[:2], ("area", "sailing"))
        self.assertEqual(outcome.column("area").to_list().count("no route"), 11)
        self.type_over("distance", 2, "far")
        self.assertIn("“far” is no number", self.text("tie_columns.trouble.text"))
        self.trigger("edit.undo")
        self.type_over("area", 0, "")
        self.assertIn("zone", self.tie().outcome.columns)

    def test_a_list_says_what_goes_on_and_in_which_order(self) -> None:
        self.click("tie_columns.as_list")
        text = self.dialog("column_list").findChild(QPlainTextEdit)
        text.setPlainText("zone\nsailing\n\nroute\n")
        self.click_in("column_list", "column_list.ok")
        self.assertEqual(self.tie().outcome.columns, ("zone", "sailing", "route"))
        self.click("tie_columns.as_list")
        self.dialog("column_list").findChild(QPlainTextEdit).setPlainText("nowhere\n")
        self.click_in("column_list", "column_list.ok")
        self.assertIn("no column “nowhere”", self.text("bench.notice.text"))
        self.assertEqual(len(self.tie().outcome.columns), 3)

    def click_in(self, dialog: str, button: str) -> None:
        found = self.dialog(dialog).findChild(QPushButton, button)
        QTest.mouseClick(found, Qt.MouseButton.LeftButton)
        self.settle()


class FieldListTest(WindowTestCase):
    def test_each_field_says_how_much_it_would_find(self) -> None:
        """Counted row by row: the share of the sailings that find their route in the column."""
        self.open_demo()
        choice = self.find(QPushButton, "link.0.right")
        choice.setFocus()
        self.settle()
        choice.menu().aboutToShow.emit()
        said = {a.objectName().rpartition(".")[2]: a.text() for a in choice.menu().actions()}
        sailings, routes = (self.session.results.table(one) for one in ("sailings", "routes"))
        assert sailings is not None and routes is not None
        asked = [text for text in sailings.column("route").to_list() if text is not None]
        for name in ("code", "zone"):
            there = set(routes.column(name).to_list())
            share = sum(text in there for text in asked) / len(asked)
            self.assertIn(f"{share:.0%} found · text · ", said[name])


class LocalReadingTest(WindowTestCase):
    def test_numbers_and_dates_are_read_as_here_and_copied_as_they_are(self) -> None:
        before = QLocale()
        self.addCleanup(QLocale.setDefault, before)
        self.addCleanup(read_locally, False)
        QLocale.setDefault(QLocale(QLocale.Language.German, QLocale.Country.Germany))
        self.open_demo()
        self.session.select("sailings")
        self.trigger("page.rows")
        grid = self.find(Grid, "rows.grid")
        column = grid.table_model.table.columns.index("date")
        index = grid.model().index(0, column)
        self.assertEqual(grid.model().data(index), "2026-01-01")
        self.trigger("view.local")
        self.assertEqual(grid.model().data(index), "01.01.2026")
        grid.setCurrentIndex(index)
        grid.ask_copy()
        self.settle()
        self.assertIn("2026-01-01", QApplication.clipboard().text())
        for text, kind, shown in (
            ("-1234567.50", Kind.EXACT, "-1.234.567,50"),
            ("9223372036854775807", Kind.INTEGER, "9.223.372.036.854.775.807"),
            ("1e+300", Kind.NUMBER, "1e+300"),
            ("0001-12-31 23:59:59.5", Kind.DATE_TIME, "31.12.0001 23:59:59.5"),
            ("1234", Kind.TEXT, "1234"),
        ):
            self.assertEqual(as_read(text, kind), shown)
        self.trigger("view.local")
        self.assertEqual(grid.model().data(index), "2026-01-01")


class RightToLeftTest(WindowTestCase):
    def test_heads_are_drawn_where_columns_begin_at_the_right(self) -> None:
        self.addCleanup(self.application.setLayoutDirection, Qt.LayoutDirection.LeftToRight)
        self.application.setLayoutDirection(Qt.LayoutDirection.RightToLeft)
        self.open_demo()
        self.session.select("sailings")
        self.trigger("page.rows")
        head = self.find(Grid, "rows.grid").horizontalHeader()
        first = head.sectionViewportPosition(0)
        last = head.sectionViewportPosition(4)
        self.assertGreater(first, last)
        picture = head.viewport().grab().toImage()
        ground = picture.pixelColor(picture.width() - 2, 25).name()
        for section in (0, 4):
            x = head.sectionViewportPosition(section)
            inked = {
                picture.pixelColor(at, y).name()
                for at in range(max(x, 0), x + head.sectionSize(section))
                for y in range(20, 40)
            }
            self.assertGreater(len(inked - {ground}), 3, section)
