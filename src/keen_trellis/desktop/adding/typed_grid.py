"""A small grid to type or paste a table into; its first line holds the names."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QAbstractItemDelegate,
    QAbstractItemView,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from keen_trellis.desktop.theme import Theme, text_font, value_font
from keen_trellis.document import TypedSource
from keen_trellis.read import pasted_cells

_SPARE_ROWS, _SPARE_COLUMNS = 4, 1
_LEAST_ROWS, _LEAST_COLUMNS = 10, 4
_NARROWEST, _WIDEST = 90, 320
_CELLS_AT_MOST = 10_000


class TypedGrid(QTableWidget):
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
        super().__init__(_LEAST_ROWS, _LEAST_COLUMNS, parent)
        self.setObjectName(name)
        self.setAccessibleName("Cells of the table; the first row holds the names of the columns")
        self.theme = theme
        self.verticalHeader().setDefaultSectionSize(25)
        self.horizontalHeader().hide()
        self.setSelectionMode(QAbstractItemView.SelectionMode.ContiguousSelection)
        self.cellChanged.connect(self._cell_changed)
        self._label_rows()

    def show_source(self, source: TypedSource) -> None:
        """Show the cells of a typed table."""
        if self.source(source) == source:
            return
        self.blockSignals(True)
        self.clearContents()
        self._put(0, 0, [list(source.columns), *map(list, source.rows)])
        self._make_room()
        self._fit_columns()
        self.blockSignals(False)

    def source(self, before: TypedSource | None = None) -> TypedSource:
        """Return the cells as a source; empty lines and columns at the edges are left out."""
        cells = [
            [self._text(row, column) for column in range(self.columnCount())]
            for row in range(self.rowCount())
        ]
        height = max((r + 1 for r, row in enumerate(cells) if any(row)), default=0)
        width = max((c + 1 for row in cells for c, cell in enumerate(row) if cell), default=0)
        columns = tuple(cells[0][:width])
        rows = tuple(tuple(row[:width]) for row in cells[1:height])
        made = before or TypedSource(columns=())
        return made.model_copy(update={"columns": columns, "rows": rows})

    def paste(self, text: str) -> None:
        """Put copied cells in, from the current cell on."""
        at = (max(self.currentRow(), 0), max(self.currentColumn(), 0))
        cells = pasted_cells(text)
        number = sum(map(len, cells))
        if number > _CELLS_AT_MOST:
            self.refused.emit(
                f"{number:,} cells are too many to keep in a trellis ({_CELLS_AT_MOST:,} at most). "
                "Save them as a file, and add a lane from that."
            )
            return
        self.blockSignals(True)
        self._put(*at, cells)
        self._make_room()
        self._fit_columns()
        self.blockSignals(False)
        self.edited.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Paste):
            self.paste(QGuiApplication.clipboard().text())
        elif event.matches(QKeySequence.StandardKey.Copy):
            QGuiApplication.clipboard().setText(self._copied())
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            for item in self.selectedItems():
                item.setText("")
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
        below = self.currentRow() + 1
        if below < self.rowCount():
            self.setCurrentCell(below, max(self.currentColumn(), 0))

    def _copied(self) -> str:
        indexes = self.selectedIndexes()
        rows = sorted({index.row() for index in indexes})
        columns = sorted({index.column() for index in indexes})
        return "\n".join("\t".join(self._text(r, c) for c in columns) for r in rows)

    def _cell_changed(self, row: int, column: int) -> None:
        self.blockSignals(True)
        item = self.item(row, column)
        if item is not None:
            self._dress(item)
        self._make_room()
        self.blockSignals(False)
        self.edited.emit()

    def _put(self, top: int, left: int, cells: list[list[str]]) -> None:
        width = max(map(len, cells), default=0)
        self.setRowCount(max(self.rowCount(), top + len(cells)))
        self.setColumnCount(max(self.columnCount(), left + width))
        for row, values in enumerate(cells, start=top):
            for column, value in enumerate(values, start=left):
                item = QTableWidgetItem(value)
                self.setItem(row, column, item)
                self._dress(item)

    def _dress(self, item: QTableWidgetItem) -> None:
        """Show names like names and values like values."""
        is_name = item.row() == 0
        item.setFont(text_font(13, bold=True) if is_name else value_font(13))

    def _fit_columns(self) -> None:
        """Make every column as wide as its cells need, within limits."""
        for column in range(self.columnCount()):
            needed = self.sizeHintForColumn(column) + 12
            self.setColumnWidth(column, min(max(needed, _NARROWEST), _WIDEST))

    def _make_room(self) -> None:
        """Keep some empty lines and a column at the edges to type into."""
        filled = [
            (r, c)
            for r in range(self.rowCount())
            for c in range(self.columnCount())
            if self._text(r, c)
        ]
        rows = max((r for r, _ in filled), default=-1) + 1 + _SPARE_ROWS
        columns = max((c for _, c in filled), default=-1) + 1 + _SPARE_COLUMNS
        self.setRowCount(max(rows, _LEAST_ROWS))
        self.setColumnCount(max(columns, _LEAST_COLUMNS))
        self._label_rows()

    def _label_rows(self) -> None:
        names = ["names", *(str(row) for row in range(1, self.rowCount()))]
        self.setVerticalHeaderLabels(names)

    def _text(self, row: int, column: int) -> str:
        item = self.item(row, column)
        return item.text() if item is not None else ""
