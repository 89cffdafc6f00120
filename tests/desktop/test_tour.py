"""The tour: each stop is done as it asks, by keys and by clicks, and the card sees it."""

import re

from PySide6.QtCore import QRect, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFrame, QLabel, QTableWidget

from keen_trellis.desktop.actions import ACTIONS
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.desktop.tour.stops import STOPS
from keen_trellis.desktop.tour.tour import placed, stop_left_at
from keen_trellis.document import edits
from keen_trellis.document.sources import DelimitedSource
from tests.desktop.window_case import WindowTestCase

ALT, CTRL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier


class TourTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.click("start.tour")
        self.settle()

    @property
    def title(self) -> str:
        return self.find(QLabel, "tour.title").text()

    def is_done(self) -> bool:
        return self.find(QLabel, "tour.asks").text().startswith("<b>Done.")

    def done(self) -> None:
        """See that the card sees it, and go on by its button."""
        self.wait_until(self.is_done)
        while popup := QApplication.activePopupWidget():
            popup.close()
        self.click("tour.next")
        self.settle()

    def test_each_stop_is_done_as_it_asks(self) -> None:
        self.assertEqual(self.session.trellis.name, "Winter season")
        for stop in STOPS:
            self.assertEqual(self.title, stop.title)
            self.assertFalse(self.is_done())
            with self.subTest(stop.title):
                self.do(stop.title)
                self.done()
        self.assertFalse(self.find(QFrame, "tour").isVisible())
        self.assertEqual(stop_left_at(), 0)

    def do(self, title: str) -> None:
        match title:
            case "Some sailings found no route":
                QTest.keyClick(self.window, Qt.Key.Key_1, ALT)
            case "What every other join would give":
                QTest.keyClick(self.window, Qt.Key.Key_J, CTRL)
                self.wait_until(lambda: bool(self.window.findChildren(QTableWidget, "join_types")))
            case "What stands out":
                self.trigger("edit.undo")  # the bay of before: what stands out is a pair again
                self.settle()
                self.click("finding.mend")
            case "Why has this row no partner?":
                grid = self.find(Grid, "bay.left.grid")
                grid.setFocus()
                grid.setCurrentIndex(grid.model().index(0, 0))
                QTest.keyClick(grid, Qt.Key.Key_Return)
            case "Promise what must hold":
                self.click("page.promises")
                self.settle()
                self.choose("promises.add", "left.found")
            case _:
                (key,) = re.findall(r"\[(.+?)\]", next(s.asks for s in STOPS if s.title == title))
                action = next(spec.id for spec in ACTIONS if spec.shortcut == key)
                self.trigger(action)

    def test_keys_that_a_stop_names_do_what_it_asks(self) -> None:
        keys = {spec.shortcut for spec in ACTIONS}
        for stop in STOPS:
            for key in re.findall(r"\[(.+?)\]", stop.asks):
                self.assertIn(key, keys, stop.title)

    def test_it_is_left_with_esc_and_taken_up_where_it_was(self) -> None:
        self.click("tour.next")
        self.click("tour.next")
        left_at = self.title
        QTest.keyClick(self.find(QFrame, "tour"), Qt.Key.Key_Escape)
        self.assertFalse(self.find(QFrame, "tour").isVisible())
        self.trigger("help.tour")
        self.assertEqual(self.title, left_at)
        self.click("tour.back")
        self.assertNotEqual(self.title, left_at)
        self.click("tour.leave")

    def test_it_shows_the_trellis_also_from_the_report(self) -> None:
        self.trigger("view.report")
        self.click("tour.next")
        self.assertTrue(self.find(QFrame, "bay.left").isVisible())

    def test_what_a_card_says_is_heard(self) -> None:
        card = self.find(QFrame, "tour")
        self.assertTrue(card.hasFocus())
        self.assertIn("1 of 10", card.accessibleName())
        self.assertIn("press Alt+1", card.accessibleDescription())

    def test_a_card_stands_in_the_window_and_not_on_what_it_speaks_of(self) -> None:
        room = QRect(12, 12, 1076, 676)
        for x, y, width, height in ((20, 400, 300, 200), (900, 380, 120, 30), (500, 40, 90, 30)):
            target = QRect(x, y, width, height)
            card = placed(340, 230, target, room)
            self.assertTrue(room.contains(card))
            self.assertFalse(card.intersects(target))
        self.assertTrue(room.contains(placed(340, 230, QRect(12, 12, 1076, 676), room)))
        self.assertEqual(placed(340, 230, QRect(), room).center(), room.center())


class WhatNextTest(WindowTestCase):
    def test_a_trellis_that_is_hardly_begun_says_what_to_do_next(self) -> None:
        line = self.window.findChild(QLabel, "map.next")
        says = []
        for name, source in (("Fares", "fares.csv"), ("Warnings", "warnings.csv")):
            path = str(self.folder / source)
            self.session.do(edits.AddLane(name, DelimitedSource(path=path)))
            self.settle()
            says.append(line.text())
        self.assertTrue(line.isVisible())
        self.session.building.tie("fares", "warnings")
        self.settle()
        self.assertEqual(line.isVisible(), bool(self.session.trellis.lane("fares").items[0].link))
        self.assertIn("Ctrl+L", says[0])
        self.assertIn("Ctrl+T", says[1])
        self.open_demo()
        self.assertFalse(line.isVisible())
