"""A list to choose from by typing: for actions, and for columns where there are many."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.desktop.tips import as_it_is

_VALUE = Qt.ItemDataRole.UserRole


@dataclass(frozen=True, slots=True)
class Pick:
    """Something to choose: its value, its words, a remark behind them, and what else tells it.

    `also` has words that find it, and are not shown.
    """

    value: str
    words: str
    remark: str = ""
    tip: str = ""
    is_enabled: bool = True
    also: str = ""


class Picker(QFrame):
    """A field to type into, and below it what fits; Enter takes the one that is marked.

    Signals
    -------
    chosen(value)
        One was taken; the list is closed.
    """

    chosen = Signal(str)

    def __init__(self, name: str, asks: str, picks: Sequence[Pick], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName(name)
        self.setProperty("picker", True)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._picks = picks
        self.field = QLineEdit()
        self.field.setObjectName(f"{name}.field")
        self.field.setPlaceholderText(asks)
        self.field.setAccessibleName(asks)
        self.field.textChanged.connect(self._search)
        self.field.returnPressed.connect(self._take_current)
        self.field.installEventFilter(self)
        self.found = QListWidget()
        self.found.setObjectName(f"{name}.found")
        self.found.setAccessibleName(tr("What fits"))
        self.found.setUniformItemSizes(True)
        self.found.itemClicked.connect(lambda _: self._take_current())
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 12, 12, 12)
        column.addWidget(self.field)
        column.addWidget(self.found)
        self._search("")
        self.field.setFocus()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            key = Qt.Key(event.key())
            page = max(self.found.height() // max(self.found.sizeHintForRow(0), 1) - 1, 1)
            steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}
            steps |= {Qt.Key.Key_PageDown: page, Qt.Key.Key_PageUp: -page}
            if key in steps:
                row = self.found.currentRow() + steps[key]
                self.found.setCurrentRow(min(max(row, 0), self.found.count() - 1))
                return True
        return super().eventFilter(watched, event)

    def mark(self, value: str) -> None:
        """Mark what is chosen now."""
        for row in range(self.found.count()):
            if self.found.item(row).data(_VALUE) == value:
                self.found.setCurrentRow(row)

    def _search(self, text: str) -> None:
        """Show what has every word; what begins with the text comes first."""
        words = text.lower().split()
        self.found.clear()
        begins = text.lower().strip()
        fits = [p for p in self._picks if all(word in _said(p) for word in words)]
        known = set(words)

        def rank(pick: Pick) -> tuple[bool, bool, bool]:
            is_word = bool(known) and known <= {*pick.words.lower().split(), *pick.also.split()}
            # What can be done first, then what begins with the letters, then whole words; sorting
            # is stable, so that all else keeps its order.
            return not pick.is_enabled, not _said(pick).startswith(begins), not is_word

        ranked = sorted(fits, key=rank)
        for pick in ranked:
            item = QListWidgetItem(pick.words + (f"    {pick.remark}" if pick.remark else ""))
            item.setToolTip(as_it_is(pick.tip))
            item.setData(_VALUE, pick.value)
            if not pick.is_enabled:
                item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.found.addItem(item)
        self.found.setCurrentRow(0)

    def _take_current(self) -> None:
        item = self.found.currentItem()
        if item is None or not item.flags() & Qt.ItemFlag.ItemIsEnabled:
            return
        # Taken before the list closes, which deletes its items.
        value = item.data(_VALUE)
        self.close()
        self.chosen.emit(value)


def _said(pick: Pick) -> str:
    return f"{pick.words} {pick.remark} {pick.tip} {pick.also}".lower()
