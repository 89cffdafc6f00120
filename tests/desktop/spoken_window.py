"""The window in a language whose texts stand between brackets: what does not is not marked.

It runs in a process of its own (`test_languages.py`), since a language is settled at the start.
"""

import contextlib
import re
import unittest
from collections.abc import Iterator
from typing import Any, Literal, get_args, get_origin
from unittest import mock

from PySide6.QtCore import QAbstractListModel, QModelIndex, Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QLabel,
    QLineEdit,
    QPushButton,
    QToolButton,
    QWidget,
)

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import spoken
from keen_trellis.desktop.controls import OneLine
from keen_trellis.desktop.map.spoken import told
from keen_trellis.desktop.report.lines import LinesTable
from keen_trellis.document import Trellis, edits
from keen_trellis.document.items import STEPS, DeliveryItem, IntoTable, Part
from keen_trellis.servers.server import Server, SqliteFile
from tests.desktop.every_part import EveryPartCase

WORD = "ΩΨ"
GREEK = str.maketrans("abcdefghijklmnopqrstuvwxyz", "αβψδεφγηιξκλμνοπθρστυωςχζζ")
"""Names of the document are in other letters: all Latin ones are the program's."""
NAMES = {
    "english",
    "deutsch",
    "keen",
    "trellis",
    "python",
    "postgresql",
    "mariadb",
    "mysql",
    "sqlite",
    "spark",
}
NAMES |= {"csv", "tsv", "xlsx", "ods", "html", "pdf", "svg", "png", "parquet", "arrow"}
NAMES |= {"ctrl", "shift", "alt", "esc", "del", "return", "home", "utf", "iso", "dos", "sig"}
LIKE_OURS = "misspelled"
NAMES.add(LIKE_OURS)
DATA = re.compile(r"\brows\b|\bcount\b")
"""Columns that have no name of their own are called so, in every language."""
ROWS, OPENS = (
    12,
    ("help.here", "app.settings", "help.keys", "help.log", "tie.join_types", "view.finder"),
)


def variants(part: Any) -> Iterator[Any]:
    """Yield a part of a document with each of its settings, one after the other."""
    yield part
    for name, field in type(part).model_fields.items():
        value = getattr(part, name)
        others = [(word,) for word in words_of(field.annotation)] if name != "type" else []
        is_listed = isinstance(value, tuple) and value and isinstance(value[0], Part)
        others += [((one, *value[1:]),) for one in variants(value[0])] if is_listed else []
        for (other,) in others:
            with contextlib.suppress(ValueError, UserError):
                yield part.but(**{name: other})


def words_of(annotation: Any) -> Iterator[Any]:
    """Yield the words that a setting may be."""
    if get_origin(annotation) is Literal:
        yield from get_args(annotation)
    else:
        for one in get_args(annotation):
            yield from words_of(one)


class SpokenWindowTest(EveryPartCase):
    maxDiff = None

    def setUp(self) -> None:
        super().setUp()
        self.bare: dict[str, str] = {}
        self.cut: dict[str, str] = {}

    def named(self, text: str, word: str) -> str:
        text = text.replace("{w} rows of it", LIKE_OURS)
        return re.sub(r"\{w\}( ?\w*)", lambda found: word + found[1].translate(GREEK), text)

    def test_all_that_is_seen_or_heard_is_marked_and_nothing_is_cut_off(self) -> None:
        self.assertEqual(spoken(), "xx")
        self.window.resize(1280, 800)
        self.look()  # the page of an empty trellis
        for state in ("as it should be", "with broken promises", "without its file"):
            self.open_one(WORD, state)
            for _ in self.parts():
                self.look()
        again = f"{WORD}Ω"
        self.open_one(again, "as it should be")
        self.session.select("delivery")
        self.window.bench.open_page("delivery")  # the walk left its last page open
        item = self.session.selected_item
        assert isinstance(item, DeliveryItem)
        harbour = SqliteFile(str(self.folder / "harbour.sqlite"))
        into = IntoTable(database=harbour, table="t")
        self.session.do(edits.SetDelivery(item.but(path="", into=into)))
        self.look()
        self.trigger("report.add")
        figure = {"column": f"{again} {'amount'.translate(GREEK)}"}
        self.session.reporting.change(figures=(figure,), picture="bars")
        self.settle()
        self.look()
        self.window.show_view("trellis")
        self.session.select("join")
        for action in OPENS:
            if self.window.action(action).isEnabled():
                self.trigger(action)
                self.look()
                if popup := QApplication.activePopupWidget():
                    popup.close()
        self.assertEqual((self.bare, self.cut), ({}, {}))

    def test_what_every_step_says_of_itself_is_marked_whatever_is_set(self) -> None:
        lane = mock.Mock()
        lane.name = WORD
        for kind in STEPS:
            step, before, after = kind.example()
            theirs = set(re.findall(r"\w+", f"{before} {after}"))
            for one in variants(step):
                for text in (one.title, one.within, one.brief, one.sentence(Trellis(), lane)):
                    for figure in getattr(one, "figures", ()):  # the titles name columns
                        text = text.replace(figure.as_figure().title, "")
                    said = re.sub("“[^”]*”|'[^']*'", "", text)
                    ours = [word for word in re.findall(r"\w+|\W", said) if word not in theirs]
                    self.note(self.window, "".join(ours))
                    self.assertEqual(self.bare, {}, f"{one!r}")

    def test_what_is_allowed_is_called_the_same_in_every_language(self) -> None:
        server = Server("postgresql", "db.example", "harbour", user="reader")
        for how in get_args(IntoTable.model_fields["how"].annotation):
            for place in (server, SqliteFile("/elsewhere/harbour.sqlite")):
                into = IntoTable(database=place, table="t", how=how)
                delivery = DeliveryItem(id="d", name="d", into=into)
                for want in delivery.wants(self.folder):
                    self.assertTrue(want.key.isascii(), want.key)
                    self.assertFalse(want.words.isascii(), want.words)

    def look(self) -> None:
        """Note every text that can be seen or heard now and is not marked, or cut off."""
        self.settle()
        for top in QApplication.topLevelWidgets():
            for widget in (top, *top.findChildren(QWidget)):
                if top.isVisible() and widget.isVisible():
                    for text in self.texts_of(widget):
                        self.note(widget, text)
                    self.measure(widget)
        for action in self.window.findChildren(QAction):
            self.note(action, action.text())
            self.note(action, action.toolTip())
        for part in told(self.window.map.shown, self.session.trellis):
            self.note(self.window.map, f"{part.name}: {part.says}")

    def texts_of(self, widget: QWidget) -> Iterator[str]:
        yield from (widget.toolTip(), widget.accessibleName(), widget.windowTitle())
        if not isinstance(widget, QLineEdit):
            yield str(widget.property("text") or "")
        yield str(widget.property("placeholderText") or "")
        if isinstance(widget, QPushButton | QToolButton) and widget.menu() is not None:
            widget.menu().aboutToShow.emit()
            for action in widget.menu().actions():
                yield from (action.text(), action.toolTip())
        model = widget.model() if isinstance(widget, QAbstractItemView) else None
        if model is not None and not isinstance(widget, LinesTable):
            is_list = isinstance(model, QAbstractListModel)
            for column in range(1 if is_list else min(model.columnCount(QModelIndex()), ROWS)):
                yield str(model.headerData(column, Qt.Orientation.Horizontal) or "")
            for row in range(min(model.rowCount(QModelIndex()), ROWS)):
                yield str(model.index(row, 0).data() or "")

    def note(self, widget: QWidget | QAction, text: str) -> None:
        self.assertNotIn(f"⟦{LIKE_OURS}", text)  # a name of theirs, though we have such a word
        rest = re.sub(rf"{re.escape(str(self.folder))}/{WORD}Ω?[a-z ]*", "", text)
        rest = DATA.sub("", re.sub(r"<[^>]*>|/\S*|\w+\.\w+|\{date\}", " ", rest))
        words = [word for word in re.findall("[A-Za-z]{3,}", rest) if not word.isupper()]
        for word in words:
            if word.lower() not in NAMES:
                self.bare.setdefault(word, f"{widget.objectName()}: {text}")

    def measure(self, widget: QWidget) -> None:
        """Note a text of one line that is wider than its place and is not shortened on purpose."""
        shown = str(widget.property("text") or "")
        is_text = isinstance(widget, QAbstractButton | QLabel) and not isinstance(widget, OneLine)
        if not is_text or "\n" in shown or "<" in shown or "…" in shown:
            return
        if isinstance(widget, QLabel) and widget.wordWrap():
            return
        if widget.fontMetrics().horizontalAdvance(shown.replace("&", "")) > widget.width() + 1:
            self.cut.setdefault(widget.objectName() or type(widget).__name__, shown)


if __name__ == "__main__":
    unittest.main()
