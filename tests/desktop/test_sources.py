"""Bringing tables in with mouse and keyboard, looking at them, reading them again."""

import shutil
import sqlite3
import time
from pathlib import Path
from unittest import mock

import keyring
import keyring.backends.fail
import openpyxl
from msoffcrypto.format.ooxml import OOXMLFile
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QAction, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QCheckBox,
    QFileDialog,
    QLineEdit,
    QListWidget,
    QMenu,
    QPlainTextEdit,
    QPushButton,
    QTableWidget,
    QWidget,
)

from keen_trellis.data import Kind
from keen_trellis.desktop.adding.chooser import Chooser
from keen_trellis.desktop.adding.recent import recent_places
from keen_trellis.desktop.adding.typed_grid import TypedGrid
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.document import FolderSource, QuerySource, SheetSource, TableSource, TypedSource
from keen_trellis.document.edits import AddLane, RenameTrellis
from keen_trellis.servers.server import Server, SqliteFile
from tests.desktop.window_case import WindowTestCase


def type_into(grid: TypedGrid, row: int, column: int, text: str) -> None:
    grid.cells.setData(grid.cells.index(row, column), text)


class ChooserTest(WindowTestCase):
    def choosing(self) -> Chooser:
        chooser = self.window.findChild(Chooser)
        assert chooser is not None
        return chooser

    def ready(self) -> None:
        self.wait_until(self.find(QPushButton, "chooser.add").isEnabled)

    def add(self) -> None:
        self.ready()
        QTest.mouseClick(self.find(QPushButton, "chooser.add"), Qt.MouseButton.LeftButton)
        self.settle()

    def columns(self) -> tuple[str, ...]:
        return self.find(Grid, "chooser.grid").table_model.table.columns

    def test_a_text_is_shown_as_it_will_be_read_and_each_part_can_be_changed(self) -> None:
        text = "Bookings\n\nday;seats\n03/04/2026;1,5\n04/05/2026;2,5\n05/06/2026\n"
        path = self.folder / "bookings.csv"
        path.write_text(text)
        self.window.adding.choose_from(path)
        self.ready()
        self.assertEqual(self.columns(), ("day", "seats"))
        words = [
            self.text(f"chooser.form.line.{part}")
            for part in ("delimiter", "encoding", "header_row", "decimal", "dates")
        ]
        self.assertEqual(
            words,
            ["Semicolon separated", "UTF-8", "header in row 3", "decimal comma", "day first"],
        )
        self.assertIn("line 6", self.text("chooser.noticed.0.text"))
        self.assertIn("is taken as day first", self.text("chooser.noticed.1.text"))
        self.click("chooser.noticed.1.mend")
        self.ready()
        self.assertEqual(self.text("chooser.form.line.dates"), "month first")
        self.choose("chooser.form.line.header_row", "4")  # the fifth of the rows offered
        self.ready()
        self.assertEqual(self.columns(), ("04/05/2026", "2,5"))
        self.choose("chooser.form.line.header_row", "2")
        self.ready()
        self.add()
        (lane,) = self.session.trellis.lanes
        self.assertEqual(lane.name, "Bookings")
        self.assertEqual(len(self.session.results.readings[lane.id].table), 2)

    def test_several_sheets_come_in_together(self) -> None:
        with mock.patch.object(
            QFileDialog, "getOpenFileName", return_value=(str(self.folder / "operations.ods"), "")
        ):
            self.trigger("lane.add_file")
        tables = self.find(QListWidget, "chooser.tables")
        self.wait_until(lambda: tables.count() == 3)
        tables.setCurrentRow(1)
        QTest.keyClick(tables, Qt.Key.Key_Space)
        self.ready()
        self.assertEqual(self.text("chooser.add"), "Add this lane")
        tables.setCurrentRow(2)
        self.ready()
        self.assertEqual(self.text("chooser.add"), "Add “Vessels”")  # while another is shown
        QTest.keyClick(tables, Qt.Key.Key_Space)
        self.ready()
        self.assertEqual(self.text("chooser.add"), "Add 2 lanes")
        self.add()
        self.assertEqual([x.name for x in self.session.trellis.lanes], ["Vessels", "Crew"])
        self.trigger("edit.undo")
        self.assertEqual(self.session.trellis.lanes, ())
        self.assertEqual(recent_places(), [self.folder / "operations.ods"])

    def test_a_folder_with_a_pattern(self) -> None:
        with mock.patch.object(
            QFileDialog, "getExistingDirectory", return_value=str(self.folder / "takings")
        ):
            self.trigger("lane.add_folder")
        self.ready()
        self.assertEqual(self.columns()[0], "file")
        pattern = self.find(QLineEdit, "chooser.form.pattern")
        pattern.setFocus()
        pattern.selectAll()
        self.key(Qt.Key.Key_Return, pattern, "2026-0[12]*.csv")
        self.ready()
        self.add()
        source = self.session.trellis.lanes[0].source
        assert isinstance(source, FolderSource)
        self.assertEqual(source.pattern, "2026-0[12]*.csv")

    def test_a_database_table_with_fewer_columns_and_rows_and_a_query(self) -> None:
        self.window.adding.choose_from(SqliteFile(str(self.folder / "harbour.sqlite")))
        self.ready()
        wishes = "chooser.form.wishes"
        menu = self.find(QPushButton, f"{wishes}.columns").menu()
        menu.popup(self.window.mapToGlobal(QPoint(60, 60)))
        for name in ("minutes", "distance", "distance"):  # it stays open while one ticks
            action = next(a for a in menu.actions() if a.text().startswith(name))
            place = menu.actionGeometry(action).center()
            QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=place)
            self.assertTrue(menu.isVisible())
        menu.close()
        self.settle()
        self.ready()
        self.assertNotIn("minutes", self.columns())
        self.assertIn("distance", self.columns())
        self.click(f"{wishes}.add")
        self.choose(f"{wishes}.0.column", "zone")
        self.choose(f"{wishes}.0.comparison", "=")
        value = self.find(QLineEdit, f"{wishes}.0.value")
        value.setFocus()
        self.key(Qt.Key.Key_Return, value, "Inner")
        self.ready()
        self.assertEqual(self.text("chooser.size"), "8 rows, 5 columns")
        self.find(QListWidget, "chooser.tables").setCurrentRow(1)
        self.settle()
        query = self.find(QPlainTextEdit, "chooser.form.query")
        QTest.keyClicks(query, "delete from routes")
        self.click("chooser.form.ask")
        self.wait_until(lambda: "begins with DELETE" in self.text("chooser.trouble.text"))
        query.selectAll()
        QTest.keyClicks(query, "select zone, count(*) as n from routes group by zone")
        QTest.keyClick(query, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
        self.add()
        source = self.session.trellis.lanes[0].source
        assert isinstance(source, QuerySource)
        self.assertEqual(len(self.session.results.readings["query"].table), 2)

    def test_a_table_is_typed_and_pasted_and_kept_in_the_document(self) -> None:
        QApplication.clipboard().setText("month\tdays\n2026-01\t31\n2026-02\t28\n")
        self.trigger("lane.paste")
        self.ready()
        cells = self.find(TypedGrid, "chooser.form.cells")
        cells.setCurrentIndex(cells.cells.index(3, 0))
        cells.cells.setData(cells.cells.index(2, 1), "29")
        QApplication.clipboard().setText("2026-03\t31")
        QTest.keyClick(cells, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
        self.wait_until(lambda: self.text("chooser.size") == "3 rows, 2 columns")
        self.add()
        (lane,) = self.session.trellis.lanes
        assert isinstance(lane.source, TypedSource)
        self.assertEqual(lane.source.rows[1:], (("2026-02", "29"), ("2026-03", "31")))
        self.window.bench.open_page("source")
        self.settle()
        type_into(self.find(TypedGrid, "source.form.cells"), 1, 1, "30")
        self.wait_until(lambda: self.session.document.undo.count() == 2)
        self.settle()
        self.assertEqual(self.session.results.readings[lane.id].table.column("days").text(0), "30")

    def test_return_goes_down_in_a_typed_table(self) -> None:
        self.trigger("lane.type_in")
        cells = self.find(TypedGrid, "chooser.form.cells")
        cells.setCurrentIndex(cells.cells.index(0, 1))
        for text in ("days", "31", "28"):
            cells.edit(cells.currentIndex())
            self.key(Qt.Key.Key_Return, cells.viewport().findChildren(QLineEdit)[-1], text)
            self.settle()
        self.assertEqual([cells.cells.text(row, 1) for row in range(3)], ["days", "31", "28"])
        at = cells.currentIndex()
        self.assertEqual((at.row(), at.column()), (3, 1))

    def test_many_cells_are_pasted_and_too_many_refused_before_a_window_opens(self) -> None:
        rows = "\n".join(f"{n}\t{n * 2}\tx" for n in range(10_000))
        QApplication.clipboard().setText(f"a\tb\tc\n{rows}\n")
        self.trigger("lane.paste")
        self.ready()
        self.wait_until(lambda: self.text("chooser.size") == "10,000 rows, 3 columns")
        self.add()
        QApplication.clipboard().setText("1\t2\t3\n" * 40_000)
        self.trigger("lane.paste")
        self.assertIn("120,000 cells are too many", self.text("bench.notice.text"))
        self.assertIsNone(self.window.findChild(TypedGrid, "chooser.form.cells"))

    def test_files_dropped_on_the_window_are_brought_in_one_after_the_other(self) -> None:
        data = QMimeData()
        names = ("fares.csv", "roster.csv")
        data.setUrls([QUrl.fromLocalFile(str(self.folder / name)) for name in names])
        copy, left = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton
        none = Qt.KeyboardModifier.NoModifier
        self.window.dropEvent(QDropEvent(QPointF(9, 9), copy, data, left, none))
        for _ in names:
            self.wait_until(lambda: self.window.findChild(Chooser) is not None)
            self.add()
        self.assertEqual([x.name for x in self.session.trellis.lanes], ["Fares", "Roster"])

    def test_the_ways_to_add_a_lane_and_the_places_used_lately_are_offered(self) -> None:
        self.window.adding.choose_from(self.folder / "fares.csv")
        self.add()
        self.trigger("lane.add")
        menu = self.application.activePopupWidget()
        assert isinstance(menu, QMenu)
        self.assertIn("Type in a table …", [a.text() for a in menu.actions()])
        recent = menu.findChild(QAction, "add.recent.0")
        assert recent is not None and "fares.csv" in recent.text()
        menu.close()
        self.trigger("lane.again")
        self.assertEqual([x.name for x in self.session.trellis.lanes], ["Fares", "Fares 2"])

    def test_a_server_that_wants_a_password(self) -> None:
        self.trigger("lane.add_database")
        for field, text in (("host", "127.0.0.1"), ("port", "1"), ("database", "x"), ("user", "y")):
            widget = self.find(QLineEdit, f"connect.{field}")
            widget.selectAll()
            QTest.keyClicks(widget, text)
        self.choose("connect.way", "variable")
        name = self.find(QLineEdit, "connect.variable")
        name.selectAll()
        QTest.keyClicks(name, "KEEN_NOT_SET")
        self.click("connect.go")
        self.wait_until(
            lambda: "KEEN_NOT_SET, which is not set" in self.text("chooser.trouble.text")
        )
        self.assertTrue(self.find(QPushButton, "chooser.password").isVisible())
        self.click("chooser.cancel")


class LaneTest(WindowTestCase):
    """Kinds, profiles, findings of a lane, and how it is read, on the bench."""

    def setUp(self) -> None:
        super().setUp()
        path = self.folder / "days.csv"
        days = "".join(f"{n},2026-01-{n:02}\n" for n in range(1, 31))
        path.write_text(f"n,day\n{days}31,tba\n")
        self.session.do(AddLane("Days", self.window_source(path)))
        self.session.select("days")
        self.settle()

    @staticmethod
    def window_source(path: Path) -> object:
        from keen_trellis.document import DelimitedSource

        return DelimitedSource(path=str(path))

    def test_a_finding_of_a_lane_is_mended_by_one_click_and_undone(self) -> None:
        self.assertIn(
            "“day” is text, though 30 of its values look like dates", self.text("finding.text")
        )
        self.click("finding.mend")
        self.assertIs(self.session.results.readings["days"].table.field("day").kind, Kind.DATE)
        self.assertIn("cannot be read as date and is blank now", self.text("finding.text"))
        self.window.bench.open_page("columns")
        self.settle()
        self.find(QTableWidget, "columns.list").selectRow(1)
        self.settle()
        self.assertIn("“tba” in row 31", self.text("columns.unfit.text"))
        self.trigger("edit.undo")
        self.assertIs(self.session.results.readings["days"].table.field("day").kind, Kind.TEXT)

    def test_a_profile_and_a_kind_chosen_beside_it(self) -> None:
        self.trigger("page.columns")
        profile = self.find(QWidget, "columns.profile")
        self.wait_until(lambda: "31 rows" in profile.accessibleDescription())
        self.assertIn("it tells every row apart. From 1 to 31.", profile.accessibleDescription())
        self.choose("columns.kind", "text")
        self.assertIs(self.session.results.readings["days"].table.field("n").kind, Kind.TEXT)
        self.choose("columns.kind", "")
        self.assertEqual(self.session.trellis.lane("days").source.kinds, {})

    def test_a_kind_is_chosen_in_the_head_of_the_table(self) -> None:
        grid = self.find(Grid, "rows.grid")
        head = grid.horizontalHeader()
        at = head.viewport().rect().center()
        at.setX(head.sectionViewportPosition(0) + 12)
        at.setY(head.height() - 8)  # the kind stands below the name
        QTest.mouseClick(head.viewport(), Qt.MouseButton.LeftButton, pos=at)
        menu = self.application.activePopupWidget()
        assert isinstance(menu, QMenu)
        menu.findChild(QAction, "kind.exact").trigger()
        menu.close()
        self.settle()
        self.assertIs(self.session.results.readings["days"].table.field("n").kind, Kind.EXACT)

    def test_how_a_lane_is_read_is_changed_on_its_source_page(self) -> None:
        self.trigger("page.source")
        self.assertIn("31 rows and 2 columns were read", self.text("source.facts"))
        self.choose("source.form.line.header_row", "12")
        self.assertEqual(len(self.session.results.readings["days"].table), 32)
        self.trigger("edit.undo")
        self.assertEqual(self.text("source.form.line.header_row"), "header in row 1")


class ReadAgainTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo()

    def rename_code(self) -> None:
        harbour = sqlite3.connect(self.folder / "harbour.sqlite")
        with harbour:
            harbour.execute("alter table routes rename column code to route_code")
            harbour.execute("delete from routes where zone = 'Inner'")
        harbour.close()

    def test_a_changed_file_is_marked_and_what_it_brings_is_shown_and_repaired(
        self,
    ) -> None:
        time.sleep(0.02)  # a file system may tell times no finer than that
        self.rename_code()
        self.session.watching.look()
        self.wait_until(lambda: self.session.watching.stale == {"routes"})
        stale = [head.lane for head in self.window.map.shown.heads if head.stale]
        self.assertEqual(stale, ["routes"])
        self.trigger("trellis.reread")
        summary = self.dialog("reread")
        self.assertEqual(
            [summary.findChild(QWidget, f"reread.lane.0.{n}").property("text") for n in range(4)],
            ["Routes", "23", "15", "8 fewer; columns gone: code; new columns: route_code"],
        )
        self.assertEqual(self.session.watching.stale, frozenset())
        repair = summary.findChild(QPushButton, "reread.repair.sailings-routes.0")
        self.assertEqual(repair.text(), "Take “route_code” for “code”")
        QTest.mouseClick(repair, Qt.MouseButton.LeftButton)
        self.settle()
        self.assertEqual(self.session.trellis.join("sailings-routes").link[0].right, "route_code")
        self.assertEqual(self.session.results.errors(), [])
        summary.accept()

    def test_the_next_session_tells_what_is_different_since_the_last(self) -> None:
        self.session.document.new()
        shutil.copy(self.folder / "takings/2026-01.csv", self.folder / "takings/2026-04.csv")
        self.open_demo()
        words = self.dialog("reread").findChild(QWidget, "reread.lane.0.3").property("text")
        self.assertEqual(words, "525 more; new files: 2026-04.csv")
        self.dialog("reread").accept()

    def test_a_moved_folder_is_asked_for_once(self) -> None:
        away = self.folder.parent / "away"
        away.mkdir()
        for name in ("operations.ods", "harbour.sqlite", "takings"):
            shutil.move(self.folder / name, away / name)
        self.trigger("trellis.reread")
        self.dialog("reread").accept()
        self.session.select("routes")
        self.settle()
        with mock.patch.object(
            QFileDialog, "getOpenFileName", return_value=(str(away / "harbour.sqlite"), "")
        ):
            self.click("rows.trouble.remedy")
        self.assertEqual(self.session.results.errors(), [])
        self.trigger("edit.undo")
        self.assertEqual(len(self.session.results.errors()), 4)

    def test_a_column_that_was_wanted_and_is_gone_can_be_given_up(self) -> None:
        harbour = SqliteFile(str(self.folder / "harbour.sqlite"))
        wanted = TableSource(database=harbour, table="routes", columns=("code", "colour"))
        self.session.do(AddLane("Ways", wanted))
        self.session.select("ways")
        self.trigger("page.source")
        self.assertIn("no column “colour” in harbour.sqlite", self.text("source.trouble.text"))
        self.click("source.form.wishes.every")
        self.assertEqual(len(self.session.results.readings["ways"].table.columns), 6)

    def test_what_is_typed_goes_to_its_own_lane_though_another_is_selected_by_then(self) -> None:
        table = TypedSource(columns=("a",), rows=(("1",),))
        self.session.do(AddLane("First", table))
        self.session.do(AddLane("Second", table))
        self.session.select("first")
        self.window.bench.open_page("source")
        self.settle()
        type_into(self.find(TypedGrid, "source.form.cells"), 1, 0, "2")
        self.session.select("second")
        self.wait_until(lambda: self.session.trellis.lane("first").source != table)
        self.settle()
        self.assertEqual(self.session.trellis.lane("first").source.rows, (("2",),))
        self.assertEqual(self.session.trellis.lane("second").source, table)

    def test_a_reading_again_that_an_edit_overtakes_is_still_done(self) -> None:
        self.rename_code()
        self.session.work.run(reread=True)
        self.session.do(RenameTrellis("Spring season"))
        self.settle()
        self.dialog("reread").accept()
        self.assertEqual(len(self.session.results.readings["routes"].table), 15)

    def test_two_lanes_that_are_read_again_at_once_are_both_read(self) -> None:
        self.rename_code()
        for lane in ("routes", "vessels"):
            self.session.select(lane)
            self.window.action("lane.reread").trigger()
        self.settle()
        self.dialog("reread").accept()

    def test_a_profile_is_there_although_a_run_came_between(self) -> None:
        self.session.select("sailings")
        self.window.bench.open_page("columns")
        self.session.do(RenameTrellis("Spring season"))
        self.settle()
        profile = self.find(QWidget, "columns.profile")
        self.wait_until(lambda: "1,209 rows" in profile.accessibleDescription())
        (self.folder / "operations.ods").unlink()
        self.session.work.run(reread=True)
        self.dialog("reread").accept()
        self.assertIn("operations.ods is not there", self.text("columns.unfit.text"))

    def test_a_lane_alone_is_read_again(self) -> None:
        self.rename_code()
        self.session.select("vessels")
        self.trigger("lane.reread")
        self.assertIn("nothing is different", self.text("status.doing"))
        self.session.select("routes")
        self.trigger("lane.reread")
        self.dialog("reread").accept()

    def test_a_password_is_asked_for_where_the_lane_is_and_never_saved(self) -> None:
        server = Server("postgresql", "127.0.0.1", "test", "postgres", port=1)
        self.session.do(AddLane("Far", TableSource(database=server, table="t")))
        self.session.select("far")
        self.settle()
        self.assertIn("postgres@127.0.0.1:1/test wants a password", self.text("rows.trouble.text"))
        self.session.secrets.give(server, "open-harbour")
        self.session.work.run()
        self.settle()
        self.assertIn("127.0.0.1:1 does not answer", self.text("rows.trouble.text"))
        self.session.document.save(self.folder / "far.trellis")
        kept = [p for p in self.folder.parent.rglob("*") if p.is_file()]
        self.assertFalse([p for p in kept if b"open-harbour" in p.read_bytes()])


class PasswordTest(WindowTestCase):
    """A server, its account and its password, by hand; no server answers at port 1."""

    def connect(self, way: str) -> None:
        self.trigger("lane.add_database")
        self.click("connect.go")
        self.assertIn("Database and Account must be filled in", self.text("connect.trouble.text"))
        for field, text in (("host", "127.0.0.1"), ("port", "1"), ("database", "x"), ("user", "y")):
            widget = self.find(QLineEdit, f"connect.{field}")
            widget.selectAll()
            QTest.keyClicks(widget, text)
        self.choose("connect.way", way)
        QTest.keyClicks(self.find(QLineEdit, "connect.password"), "open-harbour")
        self.click("connect.go")

    def test_a_desktop_without_a_keyring_is_said_where_the_password_is_typed(self) -> None:
        before = keyring.get_keyring()
        keyring.set_keyring(keyring.backends.fail.Keyring())
        self.addCleanup(keyring.set_keyring, before)
        self.connect("keyring")
        self.assertIn("no keyring that could keep", self.text("connect.trouble.text"))
        self.choose("connect.way", "asked")
        self.click("connect.go")
        self.wait_until(lambda: "127.0.0.1:1 does not answer" in self.text("chooser.trouble.text"))
        self.click("chooser.cancel")

    def test_a_password_is_entered_for_a_lane(self) -> None:
        server = Server("mariadb", "127.0.0.1", "x", "y", port=1)
        self.session.do(AddLane("Far", TableSource(database=server, table="t")))
        self.session.select("far")
        self.settle()
        self.assertEqual(self.text("rows.trouble.remedy"), "Enter the password …")

        def enter() -> None:
            asking = self.application.activeModalWidget()
            field = asking.findChild(QLineEdit, "password.field")
            self.assertIs(field.echoMode(), QLineEdit.EchoMode.Password)
            QTest.keyClicks(field, "open-harbour")
            QTest.mouseClick(
                asking.findChild(QPushButton, "password.give"), Qt.MouseButton.LeftButton
            )

        QTimer.singleShot(50, enter)
        self.click("rows.trouble.remedy")
        self.assertIn("127.0.0.1:1 does not answer", self.text("rows.trouble.text"))
        self.assertEqual(self.text("rows.trouble.remedy"), "Read it again")
        self.assertNotIn("open-harbour", self.text("rows.trouble.text"))

    def test_the_password_of_a_workbook_is_entered_for_its_lane(self) -> None:
        plain, path = self.folder / "operations.xlsx", self.folder / "locked.xlsx"
        book = openpyxl.Workbook()
        assert book.active is not None
        book.active.append(["id", "name"])
        book.active.append([101, "Ailsa Orme"])
        book.save(plain)
        with plain.open("rb") as file, path.open("wb") as target:
            OOXMLFile(file).encrypt("open-harbour", target)
        self.session.do(AddLane("Crew", SheetSource(path=str(path), sheet="Sheet")))
        self.session.select("crew")
        self.settle()
        self.assertIn("locked.xlsx wants a password", self.text("rows.trouble.text"))

        def enter() -> None:
            asking = self.application.activeModalWidget()
            self.assertFalse(asking.findChild(QCheckBox, "password.keep").isVisible())
            QTest.keyClicks(asking.findChild(QLineEdit, "password.field"), "open-harbour")
            give = asking.findChild(QPushButton, "password.give")
            QTest.mouseClick(give, Qt.MouseButton.LeftButton)

        QTimer.singleShot(50, enter)
        self.click("rows.trouble.remedy")
        rows = self.session.results.table("crew")
        assert rows is not None
        self.assertEqual(rows.column("name").to_list(), ["Ailsa Orme"])
        self.session.document.save(self.folder / "crew.trellis")
        self.assertNotIn(b"open-harbour", (self.folder / "crew.trellis").read_bytes())

    def test_a_delivery_into_a_folder_that_is_read_is_refused(self) -> None:
        self.open_demo()
        self.session.select("sailings")
        target = (str(self.folder / "takings" / "2026-05.csv"), "*.csv")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=target):
            self.trigger("lane.deliver")
        self.assertIn("2026-05.csv, which Takings reads", self.text("bench.notice.text"))
        self.assertFalse(Path(target[0]).exists())
