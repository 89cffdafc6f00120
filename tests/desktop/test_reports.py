"""An analyst summarises what was brought together, follows a number to its rows, hands it on."""

import contextlib
import os
import sqlite3
import unittest
import uuid
from typing import Any
from unittest import mock

import openpyxl
import psycopg
import pypdf
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QFileDialog, QLabel, QLineEdit, QPushButton, QWidget

from keen_trellis.desktop.adding.passwords import ConnectDialog
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.desktop.report.lines import LinesTable
from keen_trellis.document.edits import AddDelivery, AddLane, SetDelivery, SetItem, SetReport
from keen_trellis.document.items import ColumnsItem, DeliveryItem, IntoTable
from keen_trellis.document.reports import Report
from keen_trellis.document.sources import TypedSource
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server, SqliteFile
from tests.desktop.window_case import WindowTestCase


class ReportsCase(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo()

    def report(self) -> Report:
        report = self.session.reporting.report
        assert report is not None
        return report

    def lines(self) -> list[list[str]]:
        model = self.find(LinesTable, "report.lines").lines_model
        return [
            [model.text(row, column) for column in range(model.columnCount())]
            for row in range(model.rowCount())
        ]

    def saved_as(self, name: str) -> contextlib.AbstractContextManager[object]:
        answer = (str(self.folder / name), "")
        return mock.patch.object(QFileDialog, "getSaveFileName", return_value=answer)


class ReportViewTest(ReportsCase):
    def setUp(self) -> None:
        super().setUp()
        QTest.keySequence(self.window, QKeySequence("F8"))
        self.settle()

    def make(self) -> None:
        self.click("report.make")
        self.choose("report.group.add", "date")
        self.choose("report.group.add", "zone")
        self.choose("report.figure.add", "passengers")

    def test_a_report_is_a_sentence_of_choices_and_each_number_leads_to_its_rows(self) -> None:
        self.assertIn("No report yet", [one.text() for one in self.window.findChildren(QLabel)])
        self.make()
        self.assertEqual(self.text("report.from"), "from Sailings + Routes · 1,209 rows")
        first, *_, total = self.lines()
        self.assertEqual(first, ["2026-01", "Inner", "12,869", "156"])
        self.assertEqual([total[0], total[-1]], ["all", "1,209"])
        self.assertIn("Routes match: they count under “no match”", self.text("report.notes"))
        gap = next(n for n, line in enumerate(self.lines()) if line[1] == "no match")
        table = self.find(LinesTable, "report.lines")
        table.setFocus()
        table.selectRow(gap)
        QTest.keyClick(table, Qt.Key.Key_Return)
        sheet = self.dialog("report.rows")
        grid = sheet.findChild(Grid)
        assert grid is not None
        self.assertEqual(f"{len(grid.table_model.table):,}", self.lines()[gap][-1])
        origins = {field.origin for field in grid.table_model.table.fields}
        self.assertEqual(origins, {"sailings", "routes"})
        sheet.accept()
        self.settle()

    def test_groups_figures_order_and_picture_are_chosen_and_taken_back(self) -> None:
        self.make()
        before = self.session.document.undo.index()
        self.choose("report.group.0.by", "quarter")
        self.assertEqual(self.lines()[0][0], "2026 Q1")
        self.choose("report.figure.0.shown", "share of all")
        self.assertEqual(self.lines()[-1][2], "100.0 %")
        self.choose("report.top", "3")
        self.assertEqual((self.report().sorted_by, self.report().descending), (0, True))
        self.choose("report.as", "heat")
        self.wait_until(lambda: bool(self.find(QWidget, "report.canvas").marks))  # type: ignore[attr-defined]
        self.click("report.group.1.remove")
        self.assertEqual(len(self.report().groups), 1)
        while self.session.document.undo.index() > before:
            self.trigger("edit.undo")
        self.assertEqual(self.lines()[0][:3], ["2026-01", "Inner", "12,869"])

    def test_a_filter_says_whom_it_reaches_and_gaps_may_stay(self) -> None:
        self.make()
        self.choose("report.filter.add", "zone")
        self.assertEqual(
            self.text("report.filter.0.reach"), "reaches Routes, and Sailings through a tie"
        )
        self.assertEqual({line[1] for line in self.lines()[:-1]}, {"Inner"})
        self.choose("report.filter.0.gaps", "gaps")
        self.assertIn("no match", {line[1] for line in self.lines()})
        self.choose("report.filter.add", "date")
        field = self.find(QLineEdit, "report.filter.1.0.value.1")
        field.setFocus()
        field.selectAll()
        self.key(Qt.Key.Key_Return, field, "2026-01-31")
        self.assertEqual({line[0] for line in self.lines()[:-1]}, {"2026-01"})
        self.assertIn("reaches Sailings", self.text("report.filter.1.reach"))
        self.click("report.filter.0.0.remove")
        self.assertEqual(len(self.report().filters), 1)

    def test_the_picture_tells_what_is_pointed_at_and_is_saved(self) -> None:
        self.make()
        canvas = self.find(QWidget, "report.canvas")
        self.wait_until(lambda: "2026-01 · Inner: 12,869" in canvas.accessibleName())
        mark = canvas.marks[0]  # type: ignore[attr-defined]
        at = QPoint(int(mark.box[0] + mark.box[2]) // 2, int(mark.box[1] + mark.box[3]) // 2)
        QTest.mouseDClick(canvas, Qt.MouseButton.LeftButton, pos=at)
        self.dialog("report.rows").accept()
        with self.saved_as("season.svg"):
            self.click("report.export")
        self.assertIn("Inner", (self.folder / "season.svg").read_text())

    def test_a_column_renamed_is_followed_and_one_that_is_gone_is_said(self) -> None:
        self.make()
        QTest.keySequence(self.window, QKeySequence("F8"))
        building = self.session.building
        building.add_step(ColumnsItem(id=""), "sailings")
        step = self.session.selected_item
        assert isinstance(step, ColumnsItem)
        building.change_columns(SetItem(step.but(names={"passengers": "riders"})), step.id)
        self.settle()
        self.assertEqual(self.report().figures[0].column, "riders")
        self.trigger("edit.undo")
        self.trigger("view.report")
        self.assertEqual(self.report().figures[0].column, "passengers")
        building.add_step(ColumnsItem(id="", without=("zone",)), "sailings-routes")
        place = self.report().at.but(after=None)
        self.session.do(SetReport(self.report().but(at=place)))
        self.settle()
        self.assertIn("zone", self.text("report.trouble.text"))
        self.trigger("report.remove")
        self.assertIsNone(self.session.reporting.report)


class HandedOnTest(ReportsCase):
    def item(self) -> DeliveryItem:
        item = self.session.selected_item
        assert isinstance(item, DeliveryItem)
        return item

    def test_the_match_report_says_the_counts_in_every_form(self) -> None:
        self.trigger("report.add")
        for name in ("season.html", "season.pdf", "season.xlsx"):
            self.trigger("report.match")
            self.find(QLineEdit, "match_report.for").setText("the harbour board")
            with self.saved_as(name):
                self.click("match_report.agree")
            self.assertTrue((self.folder / name).exists(), name)
        page = (self.folder / "season.html").read_text()
        printed = " ".join(
            one.extract_text() for one in pypdf.PdfReader(self.folder / "season.pdf").pages
        )
        for words in (
            "1,198 of 1,209 rows",
            "Sailings report",
            "11 rows of Sailings without Routes",
            "the harbour board",
            "Kelp Pt-Brae",
        ):
            self.assertIn(words, page)
            self.assertIn(words, " ".join(printed.split()))
        cells = list(openpyxl.load_workbook(self.folder / "season.xlsx").active.values)
        self.assertEqual(cells[0], ("part", "what", "says", "rows"))
        self.trigger("report.match")
        self.key(Qt.Key.Key_Space, self.find(QCheckBox, "match_report.values"))
        with self.saved_as("bare.html"):
            self.click("match_report.agree")
        self.assertNotIn("Kelp Pt-Brae", (self.folder / "bare.html").read_text())

    def test_a_delivery_takes_sheets_beside_a_date_and_a_table(self) -> None:
        self.session.select(next(item.id for _, item in self.session.trellis.deliveries()))
        self.settle()
        path = self.find(QLineEdit, "delivery.path")
        path.setFocus()
        path.setText(str(self.folder / "rows-{date}.xlsx"))
        self.key(Qt.Key.Key_Return, path)
        self.choose("delivery.sheet.add", "left")
        self.choose("delivery.sheet.add", "report")
        self.click("delivery.write")
        (made,) = self.folder.glob("rows-2*.xlsx")
        names = openpyxl.load_workbook(made).sheetnames
        self.assertEqual(names[1:], ["Sailings without Vessels", "Match report"])
        with self.saved_as("season.sqlite"):
            self.choose("delivery.place", "new")
        self.assertEqual(self.item().path, "")
        self.click("delivery.write")
        with contextlib.closing(sqlite3.connect(self.folder / "season.sqlite")) as database:
            (rows,) = database.execute(f'select count(*) from "{self.table()}"').fetchone()
        self.assertEqual(rows, len(self.session.results.rows[self.item().id]))  # type: ignore[arg-type]
        self.click("delivery.write")
        self.assertIn("There is the table", self.text("bench.notice.text"))
        self.choose("delivery.how", "replace")
        self.click("delivery.write")
        self.assertIn("in place of", self.text("status.doing"))
        self.assertIn("keeps its types, rights", self.text("delivery.spoiled"))

    def test_an_update_says_what_it_changes_and_writes_it_once_that_is_agreed_to(self) -> None:
        rows = TypedSource(columns=("id", "pier"), rows=(("1", "Tolland"), ("2", "Brae")))
        self.session.do(AddLane("Piers", rows))
        self.settle()
        file = self.folder / "piers.sqlite"
        with contextlib.closing(sqlite3.connect(file)) as database:
            database.execute("create table piers (id INTEGER, pier TEXT, since TEXT)")
            database.execute("insert into piers values (2, 'Bray', '1912'), (7, 'Voe', '1930')")
            database.commit()

        def there() -> list[tuple[Any, ...]]:
            with contextlib.closing(sqlite3.connect(file)) as database:
                return database.execute("select * from piers order by id").fetchall()

        before = there()
        lane = self.session.trellis.lanes[-1]
        into = IntoTable(database=SqliteFile(str(file)), table="piers")
        self.session.do(AddDelivery(lane.id, "Piers", str(self.folder / "x.csv")))
        item = self.session.trellis.lanes[-1].items[-1]
        self.session.do(SetDelivery(item.but(path="", into=into)))
        self.session.select(item.id)
        self.settle()
        self.choose("delivery.how", "update")
        self.assertIn("Choose the key", self.text("delivery.spoiled"))
        self.click("delivery.write")
        self.assertIn("to be updated without a key", self.text("bench.notice.text"))
        self.choose("delivery.key", "id")
        for answer, changed in (("refuse", False), ("agree", True)):
            self.click("delivery.write")
            sheet = self.dialog("update_tables")
            words = " ".join(one.text() for one in sheet.findChildren(QLabel))
            self.assertIn("1 row added, 1 changed, 0 as they were and 1 only there stays", words)
            self.assertEqual(there(), before)
            self.click(f"update_tables.{answer}")
            self.settle()
            self.assertEqual(there() != before, changed)
        self.assertEqual(there(), [(1, "Tolland", None), (2, "Brae", "1912"), (7, "Voe", "1930")])
        self.assertIn("1 row added, 1 changed", self.text("status.doing"))

    def test_a_server_is_connected_and_its_password_asked_for_when_it_is_written_to(self) -> None:
        try:
            psycopg.connect("host=127.0.0.1 dbname=test user=postgres connect_timeout=3").close()
        except psycopg.OperationalError as error:
            if os.environ.get("CI"):
                raise
            self.skipTest(f"no PostgreSQL at 127.0.0.1:5432: {error}")
        self.session.select(next(item.id for _, item in self.session.trellis.deliveries()))
        self.settle()

        def fill(dialog: ConnectDialog) -> int:
            for name, text in (("host", "127.0.0.1"), ("database", "test"), ("user", "postgres")):
                field = dialog.findChild(QLineEdit, f"connect.{name}")
                assert field is not None
                field.setText(text)
            take = dialog.findChild(QPushButton, "connect.go")
            assert take is not None
            QTest.mouseClick(take, Qt.MouseButton.LeftButton)
            return 1

        with mock.patch.object(ConnectDialog, "exec", fill):
            self.choose("delivery.place", "server")
        name = f"keen_{uuid.uuid4().hex}"
        field = self.find(QLineEdit, "delivery.table")
        field.setFocus()
        field.setText(name)
        self.key(Qt.Key.Key_Return, field)
        into = self.item().into
        assert into is not None and isinstance(into.database, Server)
        self.session.secrets.forget(into.database)
        asked: list[object] = []

        def give(parent: object, server: Server, secrets: Secrets) -> bool:
            asked.append(server)
            secrets.give(server, "")
            return True

        with mock.patch("keen_trellis.desktop.adding.passwords.ask_password", give):
            self.click("delivery.write")
        self.assertEqual(asked, [into.database])
        with psycopg.connect("host=127.0.0.1 dbname=test user=postgres") as server:
            (rows,) = server.execute(f"select count(*) from {name}").fetchone() or (0,)
            server.execute(f"drop table {name}")
        self.assertEqual(rows, len(self.session.results.rows[self.item().id]))  # type: ignore[arg-type]

    def table(self) -> str:
        into = self.item().into
        assert into is not None
        return into.table

    def test_found_over_time_stands_at_each_join_once_there_are_two_runs(self) -> None:
        line = self.find(QWidget, "match.over_time")
        self.assertFalse(line.isVisible())
        run = self.session.work.past[-1]
        self.session.work.past = (
            type(run)("2026-01-01T06:30:00", run.lanes, {"sailings-routes": (1000, 900)}),
            run,
        )
        self.session.document.changed.emit()
        self.assertTrue(line.isVisible())
        self.assertIn("2026-01-01 06:30: 900 of 1,000 found", line.toolTip())


if __name__ == "__main__":
    unittest.main()
