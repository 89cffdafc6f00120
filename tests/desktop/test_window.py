"""An analyst at the window: adds lanes, ties them, decides about the bays, delivers."""

import itertools
import unittest
from pathlib import Path
from unittest import mock

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QAbstractItemModelTester, QTest
from PySide6.QtWidgets import (
    QFileDialog,
    QLabel,
    QLineEdit,
    QListWidget,
    QPushButton,
    QTableWidget,
    QWidget,
)

from keen_trellis.compute.join_result import Tied
from keen_trellis.data import GAP, Table
from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.actions import ACTIONS
from keen_trellis.desktop.adding.chooser import Chooser
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.document import DelimitedSource, LinkedFields, SheetSource, load
from keen_trellis.document.edits import AddLane, AddTie
from keen_trellis.document.items import JoinItem
from keen_trellis.plan.bays import Bay
from keen_trellis.read import read_delimited
from tests.desktop.window_case import WindowTestCase


class TieOnTheBenchTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo()

    def tie(self) -> Tied:
        tie = self.session.results.ties["sailings-routes"]
        assert isinstance(tie, Tied)
        return tie

    def item(self) -> JoinItem:
        return self.session.trellis.join("sailings-routes")

    def test_the_three_bays_show_their_rows_and_the_outcome_is_said(self) -> None:
        self.assertEqual(self.text("bench.title"), "Sailings + Routes")
        for bay, rows in (("left", "11 rows"), ("both", "1,198 rows"), ("right", "2 rows")):
            self.assertEqual(self.text(f"bay.{bay}.rows"), rows)
        model = self.find(Grid, "bay.right.grid").table_model
        self.assertEqual([model.index(r, 0).data() for r in range(2)], ["GH-BR", "TO-BR"])
        self.assertEqual(self.text("match.said.title"), "Left outer join.")
        self.assertIn("11 of them with gaps in the Routes columns", self.text("match.said.words"))

    def test_keep_and_leave_name_the_join_and_undo_takes_it_back(self) -> None:
        self.click("bay.right.switch.keep")
        self.assertEqual(self.text("match.said.title"), "Full outer join.")
        self.click("bay.both.switch.leave")
        self.assertEqual(self.text("match.said.title"), "Full anti join.")
        self.assertIn("13 rows go on", self.text("match.said.words"))
        self.trigger("edit.undo")
        self.trigger("edit.undo")
        self.assertEqual(self.text("match.said.title"), "Left outer join.")
        self.trigger("edit.redo")
        self.assertEqual(self.item().keep, (Bay.LEFT, Bay.BOTH, Bay.RIGHT))

    def test_the_last_bay_cannot_be_left(self) -> None:
        self.click("bay.left.switch.leave")
        self.click("bay.both.switch.leave")
        self.assertIn("At least one bay must be kept", self.text("bench.notice.text"))
        self.assertTrue(self.find(QPushButton, "bay.both.switch.keep").isChecked())

    def test_link_fields_are_chosen_added_and_taken_out_in_the_sentence(self) -> None:
        self.choose("link.0.right", "from_port")
        self.assertEqual(self.tie().counts.left.found, 0)
        self.choose("link.0.right", "code")
        self.assertEqual(self.tie().counts.left.found, 1198)
        self.click("link.add")
        self.assertEqual(len(self.item().link), 2)
        self.choose("link.1.left", "vessel")
        self.assertEqual(self.tie().counts.left.found, 0)
        self.click("link.1.remove")
        self.assertEqual(self.tie().counts.left.found, 1198)

    def test_a_field_among_a_thousand_is_found_by_typing(self) -> None:
        names = ["code", *(f"stop {n}" for n in range(1_000))]
        path = self.folder / "stops.csv"
        path.write_text(",".join(names) + "\n" + ",".join(["KP-MS", *["7"] * 1_000]) + "\n")
        self.session.do(AddLane("Stops", DelimitedSource(path=str(path))))
        self.settle()
        self.session.do(AddTie("routes", "stops", (LinkedFields(left="code", right="code"),)))
        self.session.select("routes-stops")
        self.settle()
        self.click("link.0.right")
        picker = self.application.activePopupWidget()
        assert picker is not None
        self.assertLessEqual(picker.height(), 400)
        found = self.find(QListWidget, "link.0.right.picker.found")
        self.assertEqual(
            (found.count(), found.currentItem().text()), (1_001, "code    text · KP-MS")
        )
        field = self.find(QLineEdit, "link.0.right.picker.field")
        QTest.keyClicks(field, "stop 99")
        self.assertEqual(found.currentItem().text(), "stop 99    integer · 7")
        self.assertEqual(found.count(), 19)
        self.key(Qt.Key.Key_Down, field)
        self.key(Qt.Key.Key_Return, field)
        self.assertEqual(self.session.trellis.join("routes-stops").link[0].right, "stop 990")
        self.choose("link.0.right", "stop 123")
        self.assertEqual(self.session.trellis.join("routes-stops").link[0].right, "stop 123")

    def test_how_values_compare_and_which_match_is_taken_is_said_in_the_sentence(self) -> None:
        self.choose("link.text", "ignoring case and spaces")
        self.assertEqual(self.tie().counts.left.found, 1201)
        self.choose("link.blanks", "match")
        self.choose("link.0.operator", "<>")
        self.assertGreater(self.tie().counts.left.multiplied, 1000)
        self.choose("link.partner", "first")
        self.assertEqual(self.tie().counts.left.multiplied, 0)
        for _ in range(4):
            self.trigger("edit.undo")
        self.assertEqual(self.item().text, ())
        self.assertEqual(self.tie().counts.left.found, 1198)

    def test_columns_are_ticked_found_and_those_of_one_name_resolved(self) -> None:
        self.session.select("sailings-vessels")
        self.trigger("page.tie_columns")
        listed = self.find(QListWidget, "tie_columns.left.list")
        self.find(QLineEdit, "tie_columns.left.find").setText("skip")
        (row,) = (n for n in range(listed.count()) if not listed.isRowHidden(n))
        corner = listed.visualItemRect(listed.item(row)).topLeft() + QPoint(14, 12)
        QTest.mouseClick(listed.viewport(), Qt.MouseButton.LeftButton, pos=corner)
        self.settle()
        self.assertEqual(self.text("tie_columns.left.title"), "Sailings: 13 of 14 columns go on")
        columns = self.session.results.rows["sailings-vessels"].columns
        self.assertNotIn("skipper", columns)
        self.choose("tie_columns.link", "both")
        columns = self.session.results.rows["sailings-vessels"].columns
        self.assertIn("vessel (Vessels)", columns)
        self.click("tie_columns.right.none")
        self.assertEqual(self.session.trellis.join("sailings-vessels").columns.right, ())
        self.click("tie_columns.left.all")
        self.click("tie_columns.right.all")
        wanted = self.session.trellis.join("sailings-vessels").columns
        self.assertEqual((wanted.left, wanted.right), (None, None))

    def test_a_promise_is_made_broken_shown_and_stops_the_deliveries_until_it_holds(self) -> None:
        self.trigger("page.promises")
        self.choose("promises.add", "left.found")
        self.choose("promises.add", "right.few without")
        field = self.find(QLineEdit, "promises.1.rows")
        field.selectAll()
        self.key(Qt.Key.Key_Return, field, "2")
        self.choose("promises.add", "left.same total")
        self.choose("promises.2.column", "vehicles")
        kept = [one.is_kept for one in self.session.results.promises["sailings-routes"]]
        self.assertEqual(kept, [False, True, True])
        self.click("promises.0.show")
        self.assertEqual(len(self.find(Grid, "promises.breaking.grid").table_model.table), 11)
        self.assertEqual(self.window.map.shown.joints[0].counts, "promise broken")
        self.assertIn("Promise broken: every Sailings row", self.text("finding.text"))
        self.trigger("trellis.deliver")
        self.assertIn("Season report was not written", self.text("bench.notice.text"))
        self.assertFalse((self.folder / "out").exists())
        self.choose("promises.0.what", "left.not multiplied")
        self.assertFalse(self.window.action("trellis.deliver_despite").isEnabled())
        self.trigger("trellis.deliver")
        self.assertTrue((self.folder / "out" / "season.csv").exists())
        for _ in range(3):
            self.click("promises.0.remove")
        self.assertEqual(self.item().promises, ())

    def test_the_latest_partner_and_the_nearest_within_a_distance_are_said_by_choices(self) -> None:
        """Each is checked by going through the rows one by one."""
        self.session.select("sailings-vessels")
        self.choose("link.partner", "last")
        self.choose("link.order.add", "built")
        self.choose("link.order.0.direction", "down")
        (order,) = self.session.trellis.join("sailings-vessels").order
        self.assertEqual((order.field, order.descending), ("built", True))
        self.choose("link.partner_for", "right")  # an order is by fields of the other side
        self.assertEqual(self.session.trellis.join("sailings-vessels").order, ())
        self.choose("link.partner", "every")
        self.choose("link.0.left", "minutes")
        self.choose("link.0.right", "seats")
        self.choose("link.0.operator", "nearest later")
        field = self.find(QLineEdit, "link.0.within")
        self.key(Qt.Key.Key_Return, field, "2,5")
        self.choose("link.0.strict", "yes")
        (linked,) = self.session.trellis.join("sailings-vessels").link
        self.assertEqual((linked.within, linked.strict), (2.5, True))
        tie = self.session.results.ties["sailings-vessels"]
        assert isinstance(tie, Tied)
        seats = [s for s in tie.right.column("seats").to_list() if s is not None]
        minutes = tie.left.column("minutes").to_list()
        near = sum(m is not None and any(0 < s - m <= 2.5 for s in seats) for m in minutes)
        self.assertEqual(tie.counts.left.found, near)
        self.key(Qt.Key.Key_Return, self.find(QLineEdit, "link.0.within"), "far")
        self.assertIn("is no distance", self.text("bench.notice.text"))
        self.choose("link.0.operator", "=")
        (linked,) = self.session.trellis.join("sailings-vessels").link
        self.assertEqual((linked.within, linked.strict), (None, False))

    def test_what_stands_out_is_mended_with_one_click_and_undone_with_another(self) -> None:
        self.assertIn("“Kelp Pt-Brae” looks like “KP-BR”", self.text("finding.text"))
        self.click("finding.mend")
        self.assertEqual(self.tie().counts.left.found, 1202)
        self.assertIn("only by outer spaces and case", self.text("finding.text"))
        others = self.find(QPushButton, "finding.more").menu().actions()
        likely = next(a for a in others if a.objectName() == "finding.likely pair")
        likely.trigger()
        self.settle()
        self.assertEqual(self.tie().counts.left.found, 1204)
        self.trigger("edit.undo")
        self.trigger("edit.undo")
        self.assertEqual(self.tie().counts.left.found, 1198)
        self.click("bay.left.switch.leave")
        self.assertIn("11 Sailings rows without a match do not go on", self.text("finding.text"))

    def test_kinds_that_differ_come_with_the_conversion(self) -> None:
        for name in ("Crew", "Mentors"):
            path = str(self.folder / "operations.ods")
            self.session.do(AddLane(name, SheetSource(path=path, sheet="Crew")))
            self.settle()
        self.session.do(AddTie("crew", "mentors", (LinkedFields(left="mentor id", right="id"),)))
        self.session.select("crew-mentors")
        self.settle()
        self.assertIn("“mentor id” in Crew is text", self.text("match.trouble.text"))
        self.assertEqual(self.text("finding.mend"), "Compare both as integer: +33")
        self.click("finding.mend")
        self.assertIn("33 of 38", self.window.map.shown.joints[-1].counts)

    def test_text_linked_to_number_is_said_in_place_and_costs_nothing(self) -> None:
        self.choose("link.0.right", "distance")
        said = self.text("match.trouble.text")
        self.assertIn("“route” in Sailings is text, but “distance” in Routes is a number", said)
        self.assertFalse(self.find(QWidget, "bay.both").isVisible())
        self.trigger("edit.undo")
        self.assertEqual(self.text("bay.both.rows"), "1,198 rows")
        self.assertTrue(self.find(QWidget, "bay.both").isVisible())

    def test_pairs_that_are_too_many_to_show_are_said_and_counted(self) -> None:
        with mock.patch("keen_trellis.compute.join.match.ROW_LIMIT", 10_000):
            self.choose("link.0.operator", "<")
            self.assertIn("rows; the limit is 10,000", self.text("match.trouble.text"))
            self.click("page.match")
            self.trigger("tie.toggle_both")
            self.assertGreater(self.tie().counts.pairs, 10_000)
            self.assertEqual(self.text("bay.both.rows"), f"{self.tie().counts.pairs:,} rows")
            shown = self.find(QWidget, "bay.both").findChildren(QLabel)
            self.assertTrue(any("too many to show" in label.text() for label in shown))

    def test_every_join_type_is_told_before_choosing_and_chosen_by_keys(self) -> None:
        self.trigger("tie.join_types")
        table = self.find(QTableWidget, "join_types")
        cells = {
            table.item(row, 0).text(): [table.item(row, column).text() for column in range(1, 6)]
            for row in range(table.rowCount())
        }
        self.assertEqual(cells["left outer"], ["1,209", "now", "–", "11", "–"])
        self.assertEqual(cells["full anti"], ["13", "-1,196", "2", "11", "–"])
        self.assertEqual(cells["left semi"][:2], ["1,198", "-11"])
        self.assertEqual(cells["cross"][0], f"{1_209 * 23:,}")
        self.assertEqual(table.item(table.currentRow(), 0).text(), "left outer")
        while table.item(table.currentRow(), 0).text() != "left semi":
            self.key(Qt.Key.Key_Down, table)
        self.assertIn("1,198 rows go on: the Sailings rows", self.text("join_types.says"))
        self.key(Qt.Key.Key_Return, table)
        self.assertEqual(self.text("match.said.title"), "Left semi join.")
        self.assertEqual(len(self.tie().outcome.columns), 9)

    def test_a_cross_join_is_taken_on_purpose_and_gives_the_link_back(self) -> None:
        self.choose_type("cross")
        self.assertEqual(self.text("match.said.title"), "Cross join.")
        self.assertEqual(len(self.tie().outcome), 1_209 * 23)
        self.assertIn("code", self.tie().outcome.columns)
        self.choose_type("by link fields")
        self.assertEqual(self.tie().counts.left.found, 1_198)
        self.choose_type("right semi")
        self.choose_type("full outer")
        self.assertEqual(len(self.tie().outcome.columns), 14)

    def choose_type(self, name: str) -> None:
        self.trigger("tie.join_types")
        table = self.find(QTableWidget, "join_types")
        names = [table.item(row, 0).text() for row in range(table.rowCount())]
        table.setCurrentCell(names.index(name), 0)
        self.key(Qt.Key.Key_Return, table)

    def test_the_outcome_shows_gaps_apart_from_blanks(self) -> None:
        self.click("page.outcome")
        grid = self.find(Grid, "outcome.grid")
        table = grid.table_model.table
        self.assertEqual(len(table), 1209)
        zone = table.columns.index("zone")
        gaps = [row for row in range(120) if grid.table_model.state(row, zone) == GAP]
        self.assertEqual([table.column("sailing").text(row) for row in gaps], ["S-0077"])
        index = grid.table_model.index(gaps[0], zone)
        self.assertEqual(index.data(Qt.ItemDataRole.AccessibleTextRole), "gap")
        self.assertIn("55 cells are gaps", self.text("outcome.line"))

    def test_cells_are_copied_as_a_sheet_takes_them(self) -> None:
        grid = self.find(Grid, "bay.right.grid")
        grid.setFocus()
        grid.selectAll()
        QTest.keySequence(grid, QKeySequence(QKeySequence.StandardKey.Copy))
        self.settle()
        self.assertEqual(self.text("status.doing"), "Copied 12 cells.")
        copied = self.application.clipboard().text().splitlines()
        self.assertEqual(
            [line.split("\t")[:3] for line in copied],
            [
                ["code", "from_port", "to_port"],
                ["GH-BR", "Gannet Head", "Brae"],
                ["TO-BR", "Tolland", "Brae"],
            ],
        )

    def test_every_model_is_one_that_qt_accepts(self) -> None:
        for name in ("bay.left.grid", "bay.both.grid", "bay.right.grid"):
            model = self.find(Grid, name).table_model
            tester = QAbstractItemModelTester(
                model, QAbstractItemModelTester.FailureReportingMode.Warning
            )
            model.show_table(Table.from_columns({"x": [1, 2]}))
            tester.deleteLater()


class MapTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo()

    def test_a_click_selects_into_the_bench_and_the_arrows_walk(self) -> None:
        self.click_map(self.window.map.shown.joints[1].box)
        self.assertEqual(self.text("bench.title"), "Sailings + Vessels")
        for key, title in (
            (Qt.Key.Key_Right, "Season report"),
            (Qt.Key.Key_Left, "Sailings + Vessels"),
            (Qt.Key.Key_Left, "Sailings + Routes"),
            (Qt.Key.Key_Left, "Sailings"),
            (Qt.Key.Key_Down, "Routes"),
            (Qt.Key.Key_Up, "Sailings"),
        ):
            self.key(key, self.window.map)
            self.assertEqual(self.text("bench.title"), title)

    def test_a_lanes_end_dragged_onto_another_lane_ties_them_on_the_likeliest_fields(self) -> None:
        self.window.adding.choose_from(self.folder / "fares.csv")
        self.accept_chooser()
        shown = self.window.map.shown
        plus = next(p for p in shown.pluses if p.lane == "fares")
        self.drag_map(plus.box, shown.heads[0].box)
        item = self.session.selected_item
        assert isinstance(item, JoinItem)
        self.assertEqual(self.session.trellis.place_of(item.id)[0].id, "fares")  # it goes on
        self.assertEqual([(f.left, f.right) for f in item.link], [("route", "route")])
        tie = self.session.results.ties[item.id]
        assert isinstance(tie, Tied)
        self.assertIn("more than once", self.text("match.said.words"))

    def test_a_head_dragged_down_reorders_the_lanes(self) -> None:
        heads = self.window.map.shown.heads
        self.drag_map(heads[0].box, heads[1].box)
        self.assertEqual(self.session.trellis.lanes[0].id, "routes")
        self.trigger("edit.undo")
        self.assertEqual(self.session.trellis.lanes[0].id, "sailings")

    def test_the_plus_offers_the_other_lanes(self) -> None:
        self.click_map(self.window.map.shown.pluses[0].box)
        menu = self.application.activePopupWidget()
        assert menu is not None
        texts = [action.text() for action in menu.actions()]
        self.assertIn("Tie with Vessels", texts)
        self.assertIn("Add a delivery …", texts)
        menu.close()

    def accept_chooser(self) -> None:
        chooser = self.find(Chooser, "chooser")
        self.wait_until(lambda: self.find(QPushButton, "chooser.add").isEnabled())
        self.assertGreater(chooser.findChild(Grid, "chooser.grid").table_model.rowCount(), 0)
        self.click("chooser.add")


class NewTrellisTest(WindowTestCase):
    """From an empty window to a delivered file, and the document saved and opened again."""

    def choose_lane(self, file: str, sheet: str = "", name: str = "") -> None:
        path = str(self.folder / file)
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(path, "")):
            self.trigger("lane.add_file")
        tables = self.find(QListWidget, "chooser.tables")
        self.wait_until(lambda: tables.count() > 0)
        if sheet:
            tables.setCurrentItem(tables.findItems(sheet, Qt.MatchFlag.MatchExactly)[0])
        add = self.find(QPushButton, "chooser.add")
        self.wait_until(add.isEnabled)
        if name:
            field = self.find(QLineEdit, "chooser.name")
            field.selectAll()
            QTest.keyClicks(field, name)
        QTest.mouseClick(add, Qt.MouseButton.LeftButton)
        self.settle()

    def test_the_whole_job(self) -> None:
        self.choose_lane("operations.ods", "Sailings")
        self.choose_lane("harbour.sqlite", name="Ways")
        self.assertEqual([x.name for x in self.session.trellis.lanes], ["Sailings", "Ways"])
        self.session.select("sailings")
        self.trigger("lane.tie")
        menu = self.application.activePopupWidget()
        assert menu is not None
        menu.actions()[0].trigger()
        menu.close()
        self.settle()
        self.assertIn("1,209 rows go on", self.text("match.said.words"))
        out = str(self.folder / "rows.csv")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(out, "*.csv")):
            self.trigger("lane.deliver")
        self.assertEqual(self.text("delivery.rows"), "1,209 rows of 14 columns")
        self.assertFalse(Path(out).exists())
        self.click("delivery.write")
        self.assertEqual(len(read_delimited(Path(out)).table), 1209)
        self.assertIn("Delivering replaces it", self.text("delivery.there"))
        saved = str(self.folder / "mine.trellis")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(saved, "")):
            self.trigger("file.save")
        self.assertEqual(load(Path(saved)), self.session.trellis)
        self.assertEqual(self.text("topbar.file"), "mine.trellis · saved")

    def test_a_lane_is_renamed_everywhere_at_once(self) -> None:
        self.open_demo()
        self.session.select("routes")
        self.trigger("lane.rename")
        self.key(Qt.Key.Key_Return, self.find(QLineEdit, "bench.rename"), "Ways")
        self.session.select("sailings-routes")
        self.assertEqual(self.text("bench.title"), "Sailings + Ways")
        self.assertIn("gaps in the Ways columns", self.text("match.said.words"))

    def test_what_cannot_be_read_is_said_in_the_chooser(self) -> None:
        (self.folder / "empty.csv").write_text("")
        self.window.adding.choose_from(self.folder / "empty.csv")
        self.wait_until(lambda: "empty.csv is empty" in self.text("chooser.trouble.text"))
        self.assertFalse(self.find(QPushButton, "chooser.add").isEnabled())
        self.click("chooser.cancel")
        self.assertEqual(self.session.trellis.lanes, ())

    def test_a_source_that_went_missing_is_said_and_nothing_is_lost(self) -> None:
        harbour = self.folder / "harbour.sqlite"
        harbour.rename(self.folder / "away.sqlite")
        self.open_demo()
        self.assertIn("harbour.sqlite is not there", self.text("match.trouble.text"))
        self.session.select("routes")
        self.settle()
        self.assertIn("harbour.sqlite is not there", self.text("rows.trouble.text"))
        (self.folder / "away.sqlite").rename(harbour)
        self.trigger("trellis.reread")
        self.assertEqual(self.find(Grid, "rows.grid").table_model.rowCount(), 23)

    def test_a_broken_document_leaves_the_open_one_as_it_is(self) -> None:
        self.open_demo()
        before = self.session.trellis
        (self.folder / "broken.trellis").write_text("{")
        self.assertFalse(self.session.document.open(self.folder / "broken.trellis"))
        self.assertIn("is not a trellis that can be opened", self.text("bench.notice.text"))
        self.assertIs(self.session.trellis, before)


class EveryActionTest(WindowTestCase):
    def test_every_action_can_be_found_by_its_name_from_the_keyboard(self) -> None:
        self.open_demo()
        shortcuts = [spec.shortcut for spec in ACTIONS if spec.shortcut]
        self.assertEqual(len(shortcuts), len(set(shortcuts)))
        for spec in ACTIONS:
            self.assertTrue(spec.tip.endswith("."), spec.id)
        self.trigger("view.finder")
        field = self.find(QLineEdit, "finder.field")
        found = self.find(QListWidget, "finder.found")
        self.assertEqual(found.count(), len(ACTIONS))
        self.key(Qt.Key.Key_Return, field, "keep rows second lane")
        self.assertEqual(self.text("match.said.title"), "Full outer join.")

    def test_every_control_has_a_name_to_hear(self) -> None:
        self.open_demo()
        for button in self.window.findChildren(QPushButton):
            self.assertTrue(button.accessibleName(), button.objectName())


class ThemeTest(unittest.TestCase):
    def test_text_can_be_read_in_every_theme(self) -> None:
        for theme in themes.BY_NAME.values():
            least = themes.WELL_READABLE if theme is themes.CONTRAST else themes.READABLE
            inks = ("ink", "ink_soft", "accent_ink", "blank")
            grounds = ("surface", "ground", "head_ground")
            pairs = [
                (getattr(theme, a), getattr(theme, b)) for a, b in itertools.product(inks, grounds)
            ]
            pairs += [(theme.warn_ink, theme.warn_soft), (theme.ink, theme.link_cell)]
            pairs += [(theme.accent_ink, theme.accent_soft), (theme.ink, theme.selected)]
            for number in range(len(theme.lane_fills)):
                lane = theme.lane(number)
                pairs += [(lane.ink, lane.tint), (lane.ink, theme.surface)]
            for ink, ground in pairs:
                with self.subTest(theme=theme.name, ink=ink, ground=ground):
                    self.assertGreaterEqual(themes.contrast(ink, ground), least)
