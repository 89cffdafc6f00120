"""A card of rows: a tinted head with a name and how many there are, and the rows below it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.data import Table
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.desktop.bench.grid_cells import Marks
from keen_trellis.desktop.bench.look_line import LookLine
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import OneLine, label
from keen_trellis.desktop.theme import LaneColours, Theme

Unit = Callable[[int], str]
"""Says a number of what a card counts."""


def in_rows(number: int) -> str:
    """Return a number of rows, in words."""
    return counted(number, "row")


def in_groups(number: int) -> str:
    """Return a number of groups, in words."""
    return counted(number, "group")


class RowsCard(QFrame):
    """Rows of one sort; `name` is the beginning of the object names."""

    def __init__(
        self, name: str, theme: Theme, parent: QWidget, none_words: str = tr("No rows here.")
    ) -> None:
        super().__init__(parent)
        self.theme, self._none_words = theme, none_words
        self.setProperty("card", True)
        self.setObjectName(name)
        self._head = _Head()
        self._name = OneLine(names=True)  # a long one gives way to the rows and what is behind
        self._name.setProperty("strong", True)
        self._name.setMinimumWidth(36)
        self._rows = label(soft=True)
        self._rows.setObjectName(f"{name}.rows")
        self.head_row = QHBoxLayout(self._head)
        self.head_row.setContentsMargins(13, 4, 6, 4)
        self.head_row.setSpacing(5)  # the name needs the room
        self.head_row.addWidget(self._name)
        self.head_row.addWidget(self._rows)
        self.head_row.addStretch(1)
        self.grid = Grid(theme, f"{name}.grid", self)
        self._empty = label(soft=True)
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._empty.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(1, 1, 1, 1)
        column.setSpacing(0)
        column.addWidget(self._head)
        column.addWidget(LookLine(self.grid, self, is_always_there=False))
        column.addWidget(self.grid, 1)
        column.addWidget(self._empty, 1)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        self.theme = theme
        self.grid.set_theme(theme)

    def show_head(
        self, name: str, rows: int | None, kept: bool, colours: LaneColours, unit: Unit = in_rows
    ) -> None:
        """Show what the rows are called, how many where it is known, and whether they go on."""
        theme = self.theme
        self._name.setText(name)
        self.grid.says = name
        self._rows.setText(tr("not counted") if rows is None else unit(rows))
        fill = colours.fill if kept else theme.left_out
        self._head.set_colours(fill, colours.tint if kept else theme.surface_soft)
        self._name.setStyleSheet(f"color: {colours.ink if kept else theme.ink_soft};")

    def show_rows(
        self, table: Table, origins: Origins, links: set[str], marks: Marks | None = None
    ) -> None:
        """Show the rows, or that there are none; `marks` says by column which cells differ."""
        if not len(table):
            self.show_sentence(self._none_words)
            return
        self.grid.show_table(table, origins, links, marks or {})
        self.grid.show()
        self._empty.hide()

    def show_sentence(self, sentence: str) -> None:
        """Say why there are no rows to show."""
        self.grid.hide()
        self._empty.setText(sentence)
        self._empty.show()


class _Head(QWidget):
    """The tinted head, with a strip of full colour at its left."""

    def __init__(self) -> None:
        super().__init__()
        self._strip, self._ground = QColor(), QColor()
        self.setFixedHeight(34)

    def set_colours(self, strip: str, ground: str) -> None:
        self._strip, self._ground = QColor(strip), QColor(ground)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._ground)
        painter.fillRect(0, 0, 5, self.height(), self._strip)
