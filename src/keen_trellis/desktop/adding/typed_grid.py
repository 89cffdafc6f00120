"""A small grid to type or paste a table into; its first line holds the names."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QAbstractItemDelegate, QAbstractItemView, QTableView, QWidget

from keen_trellis.base.language import tr
from keen_trellis.desktop.theme import Theme, text_font, value_font
from keen_trellis.document import TypedSource
from keen_trellis.read import pasted_cells

_SPARE_ROWS, _SPARE_COLUMNS = 4, 1
_LEAST_ROWS, _LEAST_COLUMNS = 10, 4
_NARROWEST, _WIDEST = 90, 320
_MEASURED_ROWS = 40
CELLS_AT_MOST = 100_000
PASTING = tr(
    "Names in the first line; Ctrl+V pastes up to {cells_at_most:,} cells from a sheet",
    cells_at_most=CELLS_AT_MOST,
)

_Index = QModelIndex | QPersistentModelIndex
_ROOT = QModelIndex()


def too_many(text: str) -> str:
    """Return why copied cells are too many to be kept in a trellis; empty where they are not.

    By the tabs and ends of lines in them, which takes no time however long they are.
    """
    number = text.count("\t") + text.count("\n") + (not text.endswith("\n"))
    if number <= CELLS_AT_MOST:
        return ""
    return tr(
        "{number:,} cells are too many to keep in a trellis ({cells_at_most:,} at most). Save "
        "them as a file, and add a lane from that.",
        number=number,
        cells_at_most=CELLS_AT_MOST,
    )


class _Cells(QAbstractTableModel):
    """The cells that were typed, with some empty lines and a column to go on typing in."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._cells: list[list[str]] = []
        self.width = 0
        """How many columns are filled."""

    def rowCount(self, parent: _Index = _ROOT) -> int:
        return 0 if parent.isValid() else max(len(self._cells) + _SPARE_ROWS, _LEAST_ROWS)

    def columnCount(self, parent: _Index = _ROOT) -> int:
        return 0 if parent.isValid() else max(self.width + _SPARE_COLUMNS, _LEAST_COLUMNS)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return self.text(index.row(), index.column())
        if role == Qt.ItemDataRole.FontRole:  # names like names, and values like values
            return text_font(13, bold=True) if not index.row() else value_font(13)
        return None

    def setData(self, index: _Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.EditRole:
            return False
        if self.text(index.row(), index.column()) != str(value):
            self.put(index.row(), index.column(), [[str(value)]])
        return True

    def flags(self, index: _Index) -> Qt.ItemFlag:
        flag = Qt.ItemFlag
        return flag.ItemIsEnabled | flag.ItemIsSelectable | flag.ItemIsEditable

    def headerData(
        self, section: int, side: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if role != Qt.ItemDataRole.DisplayRole or side is Qt.Orientation.Horizontal:
            return None
        return str(section) if section else tr("names")

    def text(self, row: int, column: int) -> str:
        """Return what stands in a cell."""
        there = row < len(self._cells) and column < len(self._cells[row])
        return self._cells[row][column] if there else ""

    @property
    def filled(self) -> list[list[str]]:
        """The lines up to the last one that holds anything."""
        return self._cells

    def put(self, top: int, left: int, cells: list[list[str]]) -> None:
        """Put cells in, from one on; lines and ends of lines that are empty then go."""
        size = self.rowCount(), self.columnCount()
        self._cells += [[] for _ in range(top + len(cells) - len(self._cells))]
        for row, values in enumerate(cells, start=top):
            line = self._cells[row]
            line += [""] * (left + len(values) - len(line))
            line[left : left + len(values)] = values
            while line and not line[-1]:
                line.pop()
        while self._cells and not self._cells[-1]:
            self._cells.pop()
        self.width = max(map(len, self._cells), default=0)
        if (self.rowCount(), self.columnCount()) != size:
            self.layoutChanged.emit()
        last = self.index(self.rowCount() - 1, self.columnCount() - 1)
        self.dataChanged.emit(self.index(top, left), last)

    def replace(self, cells: list[list[str]]) -> None:
        """Hold other cells."""
        self.beginResetModel()
        self._cells = []
        self.put(0, 0, cells)
        self.endResetModel()


class TypedGrid(QTableView):
    """Cells to type into. Ctrl+V puts in what was copied from a sheet; Delete empties cells.

    Signals
    -------
    edited
        Some cell is another.
    refused(sentence)
        Cells were not put in, and why.
    """

    edited = Signal()
    refused = Signal(str)

    def __init__(self, theme: Theme, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName(name)
        self.setAccessibleName(
            tr("Cells of the table; the first row holds the names of the columns")
        )
        self.theme = theme
        self.cells = _Cells(self)
        self.setModel(self.cells)
        self.verticalHeader().setDefaultSectionSize(25)
        self.horizontalHeader().hide()
        self.setSelectionMode(QAbstractItemView.SelectionMode.ContiguousSelection)
        self._is_told = True
        self._told: TypedSource | None = None
        self.cells.dataChanged.connect(lambda *_: self.edited.emit() if self._is_told else None)

    def show_source(self, source: TypedSource) -> None:
        """Show the cells of a typed table."""
        if source is self._told or self.source(source) == source:
            return
        self._is_told = False
        self.cells.replace([list(source.columns), *map(list, source.rows)])
        self._is_told = True
        self._fit_columns()

    def source(self, before: TypedSource | None = None) -> TypedSource:
        """Return the cells as a source; empty lines and columns at the edges are left out."""
        width = self.cells.width
        lines = [tuple(line + [""] * (width - len(line))) for line in self.cells.filled]
        columns, rows = (lines[0], tuple(lines[1:])) if lines else ((), ())
        made = before or TypedSource(columns=())
        self._told = made.model_copy(update={"columns": columns, "rows": rows})
        return self._told

    def paste(self, text: str) -> None:
        """Put copied cells in, from the current cell on."""
        why = too_many(text)
        if why:
            self.refused.emit(why)
            return
        at = self.currentIndex()
        self.cells.put(max(at.row(), 0), max(at.column(), 0), pasted_cells(text))
        self._fit_columns()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Paste):
            self.paste(QGuiApplication.clipboard().text())
        elif event.matches(QKeySequence.StandardKey.Copy):
            QGuiApplication.clipboard().setText(self._copied())
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            for index in self.selectedIndexes():
                self.cells.setData(index, "")
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self.state() != QAbstractItemView.State.EditingState:  # else it ends that first
                self._go_down()
        else:
            super().keyPressEvent(event)

    def closeEditor(self, editor: QWidget, hint: QAbstractItemDelegate.EndEditHint) -> None:
        """Go on below, once Return has ended what was typed."""
        super().closeEditor(editor, hint)
        if hint == QAbstractItemDelegate.EndEditHint.SubmitModelCache:
            self._go_down()

    def _go_down(self) -> None:
        at = self.currentIndex()
        if at.row() + 1 < self.cells.rowCount():
            self.setCurrentIndex(self.cells.index(at.row() + 1, max(at.column(), 0)))

    def _copied(self) -> str:
        indexes = self.selectedIndexes()
        rows = sorted({index.row() for index in indexes})
        columns = sorted({index.column() for index in indexes})
        return "\n".join("\t".join(self.cells.text(r, c) for c in columns) for r in rows)

    def _fit_columns(self) -> None:
        """Make every column as wide as its first cells need, within limits."""
        metrics = self.fontMetrics()
        some = self.cells.filled[:_MEASURED_ROWS]
        for column in range(self.cells.columnCount()):
            texts = [line[column] for line in some if column < len(line)]
            needed = max((metrics.horizontalAdvance(text[:60]) for text in texts), default=0)
            self.setColumnWidth(column, min(max(int(needed * 1.25) + 24, _NARROWEST), _WIDEST))
