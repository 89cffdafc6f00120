"""The line above a grid: what is searched for, how many rows are shown, and all of them again."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.desktop.controls import OneLine, button

_TYPING_MS = 220


class LookLine(QWidget):
    """Searches a grid; where it is not always there, it comes with Ctrl+F or another look."""

    def __init__(self, grid: Grid, parent: QWidget, is_always_there: bool = True) -> None:
        super().__init__(parent)
        name = grid.objectName().removesuffix(".grid")
        self.setObjectName(f"{name}.look")
        self._grid, self._is_always_there = grid, is_always_there
        self._search = QLineEdit(self)
        self._search.setObjectName(f"{name}.search")
        self._search.setAccessibleName(tr("Search these rows"))
        self._search.setPlaceholderText(tr("Search these rows   Ctrl+F"))
        self._search.setClearButtonEnabled(True)
        self._search.setMinimumWidth(110)
        self._search.setMaximumWidth(230)
        self._search.installEventFilter(self)
        self._says = OneLine()
        self._says.setObjectName(f"{name}.look.says")
        self._says.setProperty("soft", True)
        self._all = button(tr("Show all"), f"{name}.look.all", self._show_all, "plain")
        self._all.setAccessibleName(tr("Show all rows as they stand"))
        row = QHBoxLayout(self)
        row.setContentsMargins(*((0, 0, 0, 0) if is_always_there else (8, 3, 4, 3)))
        row.addWidget(self._search, 1)
        row.addWidget(self._says)
        row.addWidget(self._all)
        row.addStretch(1 if is_always_there else 0)
        self._typing = QTimer(self, singleShot=True, interval=_TYPING_MS)
        self._typing.timeout.connect(self._look)
        self._search.textEdited.connect(lambda: self._typing.start())
        grid.looked.connect(self._renew)
        grid.search_asked.connect(self.search)
        self._renew()

    def search(self) -> None:
        """Let something be searched for."""
        self.show()
        self._search.setFocus()
        self._search.selectAll()

    def _look(self) -> None:
        self._grid.look_by(replace(self._grid.look, search=self._search.text()))

    def _show_all(self) -> None:
        self._typing.stop()
        self._search.clear()
        self._grid.look_by(type(self._grid.look)())
        self._grid.setFocus()

    def _renew(self) -> None:
        look, grid = self._grid.look, self._grid
        # While somebody types, the look is of what stood there a moment ago.
        if not self._typing.isActive() and self._search.text() != look.search:
            self._search.setText(look.search)
        shown, whole = len(grid.table_model.table), len(grid.whole)
        parts = (
            [tr("{shown:,} of {whole:,} rows", shown=shown, whole=whole)]
            if look.search or look.only
            else []
        )
        parts += [str(one) for one in look.only]
        if look.sort:
            parts.append(
                tr("sorted by {sort}, backwards", sort=look.sort)
                if look.descending
                else tr("sorted by {sort}", sort=look.sort)
            )
        self._says.setText(" · ".join(parts))
        self._says.setVisible(bool(parts))
        self._all.setVisible(bool(look))
        if not self._is_always_there:
            self.setVisible(bool(look) or self._search.hasFocus())

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Let Esc go back to all rows, and Down or Return into them."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() == Qt.Key.Key_Escape:
                self._show_all()
                self._renew()
                return True
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._typing.stop()
                self._look()
                self._grid.setFocus()
                return True
        return super().eventFilter(watched, event)
