"""Next month: one action reads everything again, tells what is different, and delivers."""

import sqlite3

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from keen_trellis.document import load
from keen_trellis.read import read_delimited
from tests.desktop.window_case import WindowTestCase


class NextMonthTest(WindowTestCase):
    """Someone at the ferries opens last month's trellis, and sources have moved on."""

    def a_month_passes(self) -> None:
        january = (self.folder / "takings" / "2026-01.csv").read_text()
        april = january.replace("2026-01", "2026-04")
        (self.folder / "takings" / "2026-04.csv").write_text(april + "2026-04,torn\n")
        harbour = sqlite3.connect(self.folder / "harbour.sqlite")
        with harbour:
            harbour.execute("alter table routes rename column code to route_code")
        harbour.close()

    def test_from_opening_to_delivering(self) -> None:
        self.open_demo()
        document = self.folder / "winter-season.trellis"
        self.session.document.new()
        self.a_month_passes()
        self.session.document.open(document)
        summary = self.dialog("reread")
        told = [
            summary.findChild(object, f"reread.lane.{row}.3").property("text") for row in range(2)
        ]
        self.assertEqual(
            told,
            [
                "columns gone: code; new columns: route_code",
                "525 more; new files: 2026-04.csv",
            ],
        )
        repair = summary.findChild(QPushButton, "reread.repair.sailings-routes.0")
        QTest.mouseClick(repair, Qt.MouseButton.LeftButton)
        self.settle()
        summary.accept()
        self.assertEqual(self.session.results.errors(), [])
        self.session.select("takings")
        self.settle()
        self.assertIn(
            "1 line of 2026-04.csv has another number of cells", self.text("finding.text")
        )
        self.session.select("takings-calendar")
        self.settle()
        self.assertIn("1,577 of 2,102 found", self.counts())
        self.trigger("trellis.deliver")
        rows = read_delimited(self.folder / "out" / "season.csv").table
        self.assertEqual(len(rows), 1_340)
        self.assertIn("from_port", rows.columns)
        self.trigger("file.save")
        link = load(document).join("sailings-routes").link
        self.assertEqual(link[0].right, "route_code")

    def counts(self) -> str:
        return " ".join(joint.counts for joint in self.window.map.shown.joints)
