"""A table as Qt's views ask for it: cells are fetched in blocks when they come into view."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtWidgets import QWidget

from keen_trellis.base.language import tr
from keen_trellis.data import BLANK, GAP, PRESENT
from keen_trellis.desktop.bench.local_formats import as_read
from keen_trellis.desktop.theme import LaneColours
from keen_trellis.desktop.tips import as_it_is

if TYPE_CHECKING:
    from keen_trellis.data import Column, Table

_BLOCK = 200
_BLOCKS_KEPT = 40
_SHORT = 12
"""Texts no longer than this are seen whole in any column."""
_ROWS_AT_MOST = 50_000_000  # a header's length in pixels must stay below 2**31

Index = QModelIndex | QPersistentModelIndex
Role = Qt.ItemDataRole
_ROOT = QModelIndex()


@dataclass(frozen=True, slots=True)
class Origins:
    """What the lanes in a table are called, and their colours.

    Attributes
    ----------
    names : dict of lane id to name
    colours : dict of lane id to LaneColours
    """

    names: dict[str, str]
    colours: dict[str, LaneColours]


class TableModel(QAbstractTableModel):
    """Shows a table, reading only the rows that a view asks for."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        from keen_trellis.data import Table  # the first grid comes with the first rows

        self._table = Table.of({})
        self._blocks: dict[int, list[Column]] = {}

    @property
    def table(self) -> Table:
        """The table that is shown."""
        return self._table

    def show_table(self, table: Table) -> None:
        """Show another table."""
        self.beginResetModel()
        # Blocks are of one table: another one begins with none.
        self._table, self._blocks = table, {}
        self.endResetModel()

    def rowCount(self, parent: Index = _ROOT) -> int:
        return 0 if parent.isValid() else min(len(self._table), _ROWS_AT_MOST)

    def columnCount(self, parent: Index = _ROOT) -> int:
        return 0 if parent.isValid() else len(self._table.fields)

    def data(self, index: Index, role: int = Role.DisplayRole) -> object:
        if not index.isValid():
            return None
        column, row = self.cell(index.row(), index.column())
        if role == Role.DisplayRole:
            return as_read(column.text(row), column.kind)
        if role == Role.ToolTipRole:  # all of it, where a cell shows only its beginning
            text = column.text(row)
            return as_it_is(text) if len(text) > _SHORT else None
        state = PRESENT if column.state is None else int(column.state[row])
        if role == Role.AccessibleTextRole:
            return {BLANK: tr("blank"), GAP: tr("gap")}.get(
                state, as_read(column.text(row), column.kind)
            )
        if role == Role.TextAlignmentRole and column.kind.is_numeric:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return None

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Role.DisplayRole
    ) -> object:
        if orientation == Qt.Orientation.Vertical:
            return str(section + 1) if role == Role.DisplayRole else None
        field = self._table.fields[section]
        if role == Role.DisplayRole:
            return field.name
        if role == Role.ToolTipRole:
            return as_it_is(f"{field.name}: {tr(field.kind)}")
        return None

    def state(self, row: int, column: int) -> int:
        """Return whether a cell has a value, is blank, or is a gap."""
        values, at = self.cell(row, column)
        return PRESENT if values.state is None else int(values.state[at])

    def cell(self, row: int, column: int) -> tuple[Column, int]:
        """Return the fetched values that a cell lies in, and its place there."""
        number = row // _BLOCK
        if number not in self._blocks:
            if len(self._blocks) >= _BLOCKS_KEPT:
                self._blocks.pop(next(iter(self._blocks)))
            window = self._table.window(number * _BLOCK, (number + 1) * _BLOCK)
            self._blocks[number] = [window.fetch(field) for field in window.fields]
        return self._blocks[number][column], row % _BLOCK
