"""The columns that go on from a tie, in their order: renamed in place, moved, their gaps filled."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QBrush, QColor, QKeyEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.desktop.column_list import ListDialog
from keen_trellis.desktop.controls import OneLine, button
from keen_trellis.desktop.theme import LaneColours
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.plan.outcome import OutcomeColumn

_NAME, _FROM, _FILL = range(3)
_HEADS = (tr("name"), tr("from"), tr("in the place of gaps"))
_ROW = 26


class GoingOn(QFrame):
    """A table of the columns: a name is typed over, a row dragged by its number or by Alt+arrows.

    Signals
    -------
    renamed(usual name, new name)
    filled(name, text)
        An empty text leaves the gaps.
    ordered(names)
    listed(names)
        Only these go on, in this order.
    """

    renamed = Signal(str, str)
    filled = Signal(str, str)
    ordered = Signal(object)
    listed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("card", True)
        self.setObjectName("tie_columns.going_on")
        self._columns: Sequence[OutcomeColumn] = ()
        self._title = OneLine()
        self._title.setProperty("strong", True)
        self._title.setObjectName("tie_columns.going_on.title")
        as_list = button(tr("as a list …"), "tie_columns.as_list", self._ask_list, "plain")
        as_list.setAccessibleName(tr("Type the columns that go on as a list"))
        self.table = _Rows(0, len(_HEADS))
        self.table.setObjectName("tie_columns.going_on.table")
        self.table.setAccessibleName(tr("Columns that go on, in their order"))
        self.table.setHorizontalHeaderLabels(_HEADS)
        self.table.itemChanged.connect(self._changed)
        self.table.moved.connect(self._moved)
        numbers = self.table.verticalHeader()
        numbers.setAccessibleName(tr("The order of the columns"))
        numbers.setSectionsMovable(True)
        numbers.setDefaultSectionSize(_ROW)
        numbers.sectionMoved.connect(self._dragged)
        numbers.setToolTip(tr("Drag to put a column elsewhere; Alt and an arrow do the same"))
        head = QHBoxLayout()
        head.addWidget(self._title)
        head.addStretch(1)
        head.addWidget(as_list)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 12, 10)
        column.setSpacing(6)
        column.addLayout(head)
        column.addWidget(self.table, 1)

    def show_columns(
        self, columns: Sequence[OutcomeColumn], lanes: dict[str, tuple[str, LaneColours]]
    ) -> None:
        """Show the columns that go on.

        Parameters
        ----------
        lanes : dict of lane id to (name, colours)
        """
        if columns == self._columns:
            return
        self._columns = columns
        self._title.setText(tr("{columns} go on", columns=counted(len(columns), "column")))
        table = self.table
        # Setting an item in code sends the same signal as typing into it does.
        table.blockSignals(True)
        current = table.currentRow()
        header = table.verticalHeader()
        header.blockSignals(True)
        for place in range(header.count()):  # a drag moved what is seen, not the rows
            header.moveSection(header.visualIndex(place), place)
        table.setRowCount(len(columns))
        for row, column in enumerate(columns):
            lane, colours = lanes.get(column.origin, ("", None))
            source = "" if column.source == column.name else f" · {column.source}"
            filled = (
                tr(" or {filled_from}", filled_from=column.filled_from)
                if column.filled_from
                else ""
            )
            came = QTableWidgetItem(f"{lane}{source}{filled}   {tr(column.kind)}")
            came.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            came.setToolTip(as_it_is(came.text()))
            if colours is not None:
                came.setForeground(_brush(colours.ink))
            fill = QTableWidgetItem(column.fill or "")
            if not column.gaps and column.fill is None:
                fill.setText("–")
                fill.setToolTip(tr("No gap can be here"))
                fill.setFlags(Qt.ItemFlag.ItemIsSelectable)
            else:
                fill.setToolTip(tr("What stands in the place of gaps; empty leaves them"))
            for place, item in (
                (_NAME, QTableWidgetItem(column.name)),
                (_FROM, came),
                (_FILL, fill),
            ):
                table.setItem(row, place, item)
        header.blockSignals(False)
        if 0 <= current < len(columns):
            table.setCurrentCell(current, max(table.currentColumn(), 0))
        table.blockSignals(False)

    def _changed(self, item: QTableWidgetItem) -> None:
        column = self._columns[item.row()]
        text = item.text().strip()
        if item.column() == _NAME and text and text != column.name:
            self.renamed.emit(column.usual, text)
        elif item.column() == _NAME and not text:
            self.renamed.emit(column.usual, column.usual)
        elif item.column() == _FILL and text != (column.fill or ""):
            self.filled.emit(column.name, text)

    def _moved(self, row: int, down: int) -> None:
        names = [column.name for column in self._columns]
        to = row + down
        if 0 <= to < len(names):
            # Taken out first, so that the place is counted among the others.
            names.insert(to, names.pop(row))
            self.table.setCurrentCell(to, _NAME)
            self.ordered.emit(names)

    def _dragged(self, _: int, start: int, to: int) -> None:
        names = [column.name for column in self._columns]
        names.insert(to, names.pop(start))
        self._columns = ()  # what is seen has moved already: it is laid out anew
        self.ordered.emit(names)

    def _ask_list(self) -> None:
        dialog = ListDialog([column.name for column in self._columns], self.window())
        dialog.taken.connect(self.listed.emit)
        dialog.open()


class _Rows(QTableWidget):
    """A table whose rows move with Alt and an arrow."""

    moved = Signal(int, int)

    def __init__(self, rows: int, columns: int) -> None:
        super().__init__(rows, columns)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setTabKeyNavigation(False)
        self.setFrameShape(QFrame.Shape.NoFrame)
        for column in range(columns):
            mode = QHeaderView.ResizeMode.Stretch
            self.horizontalHeader().setSectionResizeMode(column, mode)
        self.horizontalHeader().setAccessibleName(tr("What is said of each column that goes on"))
        self.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        corner = self.findChild(QAbstractButton)
        if corner is not None:
            corner.setAccessibleName(tr("Select all columns"))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Move a row up or down; all else is as in any table."""
        steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        down = steps.get(Qt.Key(event.key()), 0)
        if down and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.moved.emit(self.currentRow(), down)
        else:
            super().keyPressEvent(event)


def _brush(colour: str) -> QBrush:
    return QBrush(QColor(colour))
