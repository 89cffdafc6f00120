"""The action finder: every action of the program by name, from the keyboard."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QAction, QKeyEvent
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

_ACTION = Qt.ItemDataRole.UserRole


class Finder(QFrame):
    """A field to type into, and below it the actions that fit; Enter does the first one."""

    def __init__(self, actions: Sequence[QAction], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("finder")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(520, 380)
        self._actions = actions
        self.field = QLineEdit()
        self.field.setObjectName("finder.field")
        self.field.setPlaceholderText("What do you want to do?")
        self.field.setAccessibleName("Find an action")
        self.field.textChanged.connect(self._search)
        self.field.returnPressed.connect(self._do_current)
        self.field.installEventFilter(self)
        self.found = QListWidget()
        self.found.setObjectName("finder.found")
        self.found.setAccessibleName("Actions found")
        self.found.itemActivated.connect(lambda _: self._do_current())
        self.found.itemClicked.connect(lambda _: self._do_current())
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 12, 12, 12)
        column.addWidget(self.field)
        column.addWidget(self.found)
        self._search("")
        self.field.setFocus()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None:
                row = self.found.currentRow() + step
                self.found.setCurrentRow(min(max(row, 0), self.found.count() - 1))
                return True
        return super().eventFilter(watched, event)

    def _search(self, text: str) -> None:
        words = text.lower().split()
        self.found.clear()
        for action in sorted(self._actions, key=lambda a: not a.isEnabled()):
            said = f"{action.text()} {action.toolTip()}".lower()
            if all(word in said for word in words):
                shortcut = action.shortcut().toString()
                item = QListWidgetItem(action.text() + (f"    {shortcut}" if shortcut else ""))
                item.setToolTip(action.toolTip())
                item.setData(_ACTION, action)
                if not action.isEnabled():
                    item.setFlags(Qt.ItemFlag.NoItemFlags)
                self.found.addItem(item)
        self.found.setCurrentRow(0)

    def _do_current(self) -> None:
        item = self.found.currentItem()
        if item is None or not item.flags() & Qt.ItemFlag.ItemIsEnabled:
            return
        action = item.data(_ACTION)
        self.close()
        action.trigger()
