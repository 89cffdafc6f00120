"""What the house asks of the window for every kind of part; a new kind finds here what it lacks."""

import unittest
from importlib.util import find_spec
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QLineEdit,
    QListWidget,
    QPlainTextEdit,
    QPushButton,
    QWidget,
)

from keen_trellis.desktop import preloading as ahead
from keen_trellis.desktop.action_words import ALSO
from keen_trellis.desktop.actions import ACTIONS
from keen_trellis.desktop.bench.page import LOADED_LATER
from keen_trellis.desktop.parts import VIEWS
from keen_trellis.document.items import KINDS, STEPS
from tests.desktop.window_case import WindowTestCase

GUIDE = (Path(__file__).parents[2] / "docs" / "guide.md").read_text().casefold()
WORKED = (QAbstractButton, QLineEdit, QPlainTextEdit, QAbstractItemView)


class EveryKindTest(WindowTestCase):
    def examples(self) -> dict[str, str]:
        """Open the demo with one of every kind on it; return their ids by kind."""
        self.open_demo()
        self.session.select("takings")
        for kind in STEPS:
            self.session.building.add_step(kind(id=""))
        self.session.building.stack("routes", "vessels")
        self.session.building.blend("vessels", "takings")
        self.settle()
        trellis = self.session.trellis
        found = {item.type: item.id for lane in trellis.lanes for item in lane.items}
        self.assertEqual(len(found), len(KINDS))
        return {"lane": "sailings", **found}

    def test_each_is_drawn_has_pages_with_names_and_is_taken_out_and_back(self) -> None:
        examples = self.examples()
        self.assertEqual(set(examples), set(VIEWS))
        for kind, part in examples.items():
            self.session.select(part)
            self.settle()
            with self.subTest(kind):
                box = self.window.map.shown.box_of(part)
                assert box is not None
                self.click_map(box)
                self.assertEqual(self.session.selection, part)
                self.assertTrue(self.text("bench.title"))
                self.assertIn(kind, GUIDE)
                for page in VIEWS[kind].pages:
                    self.click(f"page.{page.id}")
                    self.assertTrue(self.find(QPushButton, f"page.{page.id}").isChecked())
                    self.assert_named(self.window.bench)
                self.assertEqual(VIEWS[kind].pages[-1].id, "notes")

    def test_each_item_is_taken_out_and_back(self) -> None:
        examples = self.examples()
        for kind, part in examples.items():
            if kind != "lane":
                before = self.session.trellis
                self.session.select(part)
                self.trigger("part.remove")
                self.assertNotEqual(self.session.trellis, before, kind)
                self.trigger("edit.undo")
                self.assertEqual(self.session.trellis, before, kind)

    def test_every_action_has_a_tip_and_a_handle_of_its_own(self) -> None:
        ids, keys = [a.id for a in ACTIONS], [a.shortcut for a in ACTIONS if a.shortcut]
        self.assertEqual((len(set(ids)), len(set(keys))), (len(ids), len(keys)))
        for spec in ACTIONS:
            self.assertTrue(spec.tip.endswith(".") and spec.text, spec.id)
        self.assertLessEqual(set(ALSO), set(ids))

    def test_every_module_that_is_loaded_ahead_is_there(self) -> None:
        for name in (*ahead.WITHOUT_WINDOWS, *ahead.WITH_WINDOWS, *LOADED_LATER):
            self.assertIsNotNone(find_spec(f"keen_trellis.{name}"), name)

    def test_the_finder_knows_the_words_of_the_trade(self) -> None:
        self.open_demo()
        self.session.select("sailings")
        for word, title in (
            *(("dedup", "repeated"), ("group by", "group"), ("union", "stack"), ("cast", "kind")),
            *(("sort", "order"), ("concat", "together"), ("lookup", "tie"), ("export", "deliver")),
        ):
            with self.subTest(word):
                self.trigger("view.finder")
                QTest.keyClicks(self.find(QLineEdit, "finder.field"), word)
                found = self.find(QListWidget, "finder.found")
                shown = [found.item(row).text() for row in range(min(found.count(), 4))]
                self.assertTrue(any(title.casefold() in s.casefold() for s in shown), shown)
                self.key(Qt.Key.Key_Escape, self.find(QLineEdit, "finder.field"))

    def assert_named(self, above: QWidget) -> None:
        """Every control that is seen can be named by those who hear the window."""
        for widget in above.findChildren(QWidget):
            if isinstance(widget, WORKED) and widget.isVisible() and widget.objectName():
                named = widget.accessibleName() or getattr(widget, "text", str)()
                self.assertTrue(named, widget.objectName())


if __name__ == "__main__":
    unittest.main()
