"""An analyst lets the trellis run where the data is, and never takes a sample for the whole."""

import uuid
from dataclasses import replace
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QLabel, QLineEdit, QMenu, QPushButton, QTableWidget, QWidget

from keen_trellis.desktop.place.place_dialog import PlaceDialog
from keen_trellis.desktop.session import place_runs
from keen_trellis.document.edits import SetPlace
from keen_trellis.document.places import RunPlace
from keen_trellis.servers.server import Server
from tests.desktop.window_case import WindowTestCase
from tests.postgres_case import PostgresTestCase

SERVER = Server("postgresql", "127.0.0.1", "test", "postgres")


class ElsewhereTest(WindowTestCase, PostgresTestCase):
    def setUp(self) -> None:
        held = mock.patch.object(place_runs, "HOLDS_S", 1.0)
        held.start()
        self.addCleanup(held.stop)
        PostgresTestCase.setUp(self)
        self.account = f"keen_{uuid.uuid4().hex[:12]}"
        self.server.execute(f"create role {self.account} superuser login")
        # once the window is closed: its transaction holds the role until it ends
        self.addCleanup(self.server.execute, f"drop role {self.account}")
        WindowTestCase.setUp(self)
        self.open_demo()
        at = replace(SERVER, user=self.account)
        self.session.secrets.give(at, "")
        self.session.do(SetPlace(RunPlace(name="pier", at=at)))
        self.settle()

    def go_to(self, words: str) -> None:
        """Pick a place from the menu below the word in the top bar."""
        self.trigger("trellis.place")
        menu = self.window.findChild(QMenu, "places")
        assert menu is not None
        action = next(a for a in menu.actions() if a.text().startswith(words))
        action.trigger()
        menu.close()
        menu.setObjectName("")
        self.settle()

    def select_first_join(self) -> None:
        self.session.select(next(item.id for _, item in self.session.trellis.joins()))
        self.settle()

    def test_counts_are_asked_for_and_are_then_those_of_a_run_here(
        self,
    ) -> None:
        self.select_first_join()
        here = self.session.results.facts
        self.go_to("pier")
        self.assertIn("pier", self.text("topbar.place"))
        self.assertIn("Nothing has been counted", self.text("there.state"))
        told = self.session.told.facts
        self.assertEqual({lane.rows for lane in told.lanes.values()}, {None})
        self.click("there.count")
        there = self.session.told.facts
        self.assertEqual(
            {lane.name: lane.rows for lane in there.lanes.values()},
            {lane.name: lane.rows for lane in here.lanes.values()},
        )
        for join, other in zip(here.joins(), there.joins(), strict=True):
            self.assertEqual(join.counts, other.counts)
        self.assertIn("Counted on pier", self.text("there.state"))
        types = self.find(QTableWidget, "there.types")
        self.assertTrue(types.isVisible())
        self.assertEqual(types.item(0, 0).text(), "inner")
        self.click("there.fetch")
        self.assertTrue(self.find(QWidget, "there.rows.grid").isVisible())
        self.find(QPushButton, "there.fetch").click()
        self.session.select(self.session.trellis.lanes[0].id)  # while they are on their way
        self.settle()
        page = self.window.bench.open_one
        self.assertIn("Counted on", page.findChild(QLabel, "there.state").text())
        mine = f"select count(*) from pg_stat_activity where usename = '{self.account}'"
        self.wait_until(lambda: self.server.execute(mine).fetchone() == (0,))
        self.click("there.count")  # another connection, which is no matter of whoever asks
        self.assertIn("Counted on pier", self.text("there.state"))

    def test_an_edit_makes_counts_old_and_pages_say_that_they_see_a_part(
        self,
    ) -> None:
        self.select_first_join()
        self.go_to("pier")
        self.click("there.count")
        self.session.do(SetPlace(RunPlace(name="other", at=SERVER)))
        self.settle()
        self.assertIn("the trellis has changed since", self.text("there.state"))
        self.assertFalse(self.find(QWidget, "bench.first_rows").isVisible())
        self.click("page.match")
        self.assertTrue(self.find(QWidget, "bench.first_rows").isVisible())
        for action in ("view.report", "report.match", "report.add"):
            self.assertFalse(self.window.action(action).isEnabled(), action)
        self.go_to("This machine")
        self.assertFalse(self.find(QWidget, "bench.first_rows").isVisible())
        self.assertIsNotNone(next(iter(self.session.told.facts.lanes.values())).rows)

    def test_a_place_that_does_not_answer_is_said_and_nothing_is_lost(self) -> None:
        gone = Server("postgresql", "127.0.0.1", "test", "postgres", port=9)
        self.session.secrets.give(gone, "")
        self.session.do(SetPlace(RunPlace(name="gone", at=gone)))
        self.go_to("gone")
        self.click("there.count")
        self.assertIn("does not answer", self.window.bench.notice.text)
        self.go_to("This machine")
        self.assertTrue(self.session.work.up_to_date)

    def test_a_cluster_is_named_by_keys_alone(self) -> None:
        asking = PlaceDialog(self.session.secrets, self.window)
        self.addCleanup(asking.deleteLater)
        asking.show()
        self.key(Qt.Key.Key_Return, asking.findChild(QLineEdit, "place.name"))
        self.assertIsNone(asking.place)  # it has no name yet, which is said
        self.key(Qt.Key.Key_Tab, asking.findChild(QLineEdit, "place.name"), "cluster")
        asking.findChild(QWidget, "place.sort").chosen.emit("spark")
        self.key(Qt.Key.Key_Tab, asking.findChild(QLineEdit, "place.sees"), "/srv/season, /srv/old")
        self.key(Qt.Key.Key_Return, asking.findChild(QLineEdit, "place.host"))
        self.assertEqual(asking.result(), QDialog.DialogCode.Accepted)
        assert asking.place is not None
        self.assertEqual(asking.place.at.sees, ("/srv/season", "/srv/old"))
