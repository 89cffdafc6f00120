"""Every page of every part, in every state, shows what is selected now and offers what helps."""

import unittest
from unittest import mock

from PySide6.QtCore import QAbstractListModel, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QFileDialog,
    QLabel,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QPushButton,
    QWidget,
)

from keen_trellis.base.errors import UserError
from keen_trellis.desktop.controls import Choice
from keen_trellis.desktop.parts import VIEWS
from keen_trellis.document.items import KINDS, JoinItem
from tests.desktop.every_part import ITEMS, EveryPartCase

STATES = ("as it should be", "new", "without its file", "without a column", "with broken promises")
SHOWN = (QLabel, QAbstractButton, QLineEdit)


class EveryPageTest(EveryPartCase):
    """Two documents with no word in common: a page that is left over is heard by its words."""

    def seen(self) -> str:
        """Return all that the bench shows, in words."""
        return self.words_of(self.window.bench)

    def gone_words(self) -> list[str]:
        """Return the words of sentences that are marked, since what they name is not there."""
        every = self.window.findChildren(Choice)
        return [one.objectName() for one in every if one.is_gone and one.isVisible()]

    def words_of(self, above: QWidget) -> str:
        words: list[str] = []
        for widget in above.findChildren(QWidget):
            if not widget.isVisible():
                continue
            words.append(widget.toolTip())
            if isinstance(widget, SHOWN):
                words.append(widget.text())
            elif isinstance(widget, QPlainTextEdit):
                words.append(widget.toPlainText())
            elif isinstance(widget, QAbstractItemView) and widget.model() is not None:
                model, across = widget.model(), Qt.Orientation.Horizontal
                is_list = isinstance(model, QAbstractListModel)
                for column in range(1 if is_list else model.columnCount()):
                    words.append(str(model.headerData(column, across)))
                    cells = (model.index(row, column) for row in range(min(model.rowCount(), 9)))
                    words += [str(cell.data()) for cell in cells]
        return "\n".join(words)

    def test_a_page_shows_what_is_selected_now_and_what_helps_it(self) -> None:
        self.assertEqual(set(ITEMS), {kind.model_fields["type"].default for kind in KINDS})
        self.assertEqual({"lane", *ITEMS}, set(VIEWS))
        words = iter(("Wombat", "Otter", "Lynx", "Heron", "Ibex", "Newt", "Stoat", "Gecko"))
        word = next(words)
        self.open_one(word, STATES[0])
        for page in self.parts():
            self.assertIn(word, self.seen(), page)
            self.assertEqual(self.gone_words(), [], page)
        self.trigger("report.add")
        self.session.reporting.change(figures=({"column": f"{word} amount"},), picture="bars")
        self.settle()
        self.assertEqual(self.gone_words(), [])
        self.window.show_view("trellis")
        for state in STATES[1:]:
            before, word = word, next(words)
            self.open_one(word, state)
            for page in self.parts(with_notes=False):
                with self.subTest(state=state, page=page):
                    self.assertTrue(self.window.bench.isVisible())
                    self.assertNotIn(before, self.seen())
                    if page == "join, match":
                        self.assertNotIn(before, self.join_types())
                    self.check_remedies(state, page)

    def check_remedies(self, state: str, page: str) -> None:
        """What is wrong stands on every page that needs it, with what helps."""
        part = page.split(",")[0]
        if page.endswith("notes") or not self.is_troubled(part):
            return
        remedies = self.remedies()
        if state == "new":  # nothing is chosen yet: the sentence itself is what helps
            return
        self.assertTrue(remedies, self.seen())
        if (state, page) == ("without a column", "filter, filter"):
            self.assertEqual(self.gone_words(), ["filter.0.column"])
        self.assertTrue(self.does_something(remedies[0]), remedies[0].text())
        self.session.select(part)
        self.settle()

    def test_a_delivery_behind_a_broken_promise_says_so_before_it_is_pressed(self) -> None:
        self.open_one("Heron", STATES[4])
        self.session.select("delivery")
        self.settle()
        self.assertIn("promise", self.text("delivery.trouble.text"))
        self.assertFalse(self.find(QPushButton, "delivery.write").isEnabled())
        self.assertTrue(self.does_something(self.remedies()[0]))

    def join_types(self) -> str:
        """Return what the card of join types says, where it can be opened."""
        if self.window.action("tie.join_types").isEnabled():
            self.trigger("tie.join_types")
        card = self.application.activePopupWidget()
        if card is None:
            return ""
        words = self.words_of(card)
        card.close()
        return words

    def test_a_tie_without_a_link_offers_the_cross_join_and_takes_it_by_keys(self) -> None:
        self.open_one("Otter", "new")
        self.session.select("join")
        self.settle()
        self.assertIn("a cross join, would be 3 rows", self.seen())
        self.trigger("tie.join_types")
        card = self.application.activePopupWidget()
        assert card is not None
        self.key(Qt.Key.Key_Return, card.findChild(QAbstractItemView, "join_types"))
        tie = self.session.selected_item
        assert isinstance(tie, JoinItem)
        self.assertTrue(tie.cross)

    def is_troubled(self, part: str) -> bool:
        return isinstance(self.session.results.rows.get(part), UserError)

    def remedies(self) -> list[QPushButton]:
        every = self.window.bench.findChildren(QPushButton)
        return [one for one in every if ".remedy" in one.objectName() and one.isVisible()]

    def does_something(self, remedy: QPushButton) -> bool:
        before = self.session.selection, self.session.trellis
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=("", "")) as asked:
            QTest.mouseClick(remedy, Qt.MouseButton.LeftButton)
            self.settle()
        menus = [m for m in self.window.findChildren(QMenu) if m.isVisible()]
        for menu in menus:
            menu.close()
        opened = [w for w in self.application.topLevelWidgets() if w.isVisible()]
        others = [w for w in opened if w is not self.window]
        for one in others:
            one.close()
        after = self.session.selection, self.session.trellis
        while self.session.trellis is not before[1] and self.session.document.undo.canUndo():
            self.trigger("edit.undo")
        return bool(after != before or menus or others or asked.called)


if __name__ == "__main__":
    unittest.main()
