"""The first columns of a grid, kept in view while the others scroll."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QPoint, Qt
from PySide6.QtGui import QContextMenuEvent, QWheelEvent
from PySide6.QtWidgets import QAbstractItemView, QApplication, QHeaderView, QTableView

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.grid_cells import BandHeader, CellDelegate, Drawn
from keen_trellis.desktop.bench.table_model import Index

_EDGE = 2
"""The line beside them, in pixels."""


class KeptColumns(QTableView):
    """Lies over the left of a grid and never scrolls sideways.

    It shows the same rows with the same cursor and selection; being no wider than the kept
    columns, it needs none of the others hidden, of which there may be thousands.
    """

    def __init__(
        self, grid: QTableView, drawn: Drawn, band: BandHeader, kept: Callable[[], int]
    ) -> None:
        super().__init__(grid)
        self.setObjectName(f"{grid.objectName()}.kept")
        self.setAccessibleName(tr("Columns kept in view"))
        self._grid, self._its_band, self._kept = grid, band, kept
        self.band = BandHeader(self)
        self.setHorizontalHeader(self.band)
        self.setModel(grid.model())
        # One selection for both: what is marked here is marked there, by Qt itself.
        self.setSelectionModel(grid.selectionModel())
        self.setItemDelegate(CellDelegate(drawn, self))
        self.verticalHeader().hide()
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.verticalHeader().setDefaultSectionSize(grid.verticalHeader().defaultSectionSize())
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setProperty("kept", True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # keys go to the grid, whose cursor it shows
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSelectionMode(grid.selectionMode())
        self.setEditTriggers(grid.editTriggers())
        down, mine = grid.verticalScrollBar(), self.verticalScrollBar()
        # Each follows the other; the circle ends since a value that is set already sends nothing.
        down.valueChanged.connect(mine.setValue)
        mine.valueChanged.connect(down.setValue)
        band.sectionResized.connect(self.renew)
        self.band.sectionResized.connect(lambda n, _, wide: grid.setColumnWidth(n, wide))
        self.viewport().setCursor(Qt.CursorShape.ArrowCursor)
        grid.viewport().installEventFilter(self)
        self.hide()

    def scrollTo(
        self,
        index: Index,
        hint: QAbstractItemView.ScrollHint = QAbstractItemView.ScrollHint.EnsureVisible,
    ) -> None:
        """Stay: the grid scrolls to its cursor, and this one with it."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Let the grid scroll, sideways too."""
        QApplication.sendEvent(self._grid.viewport(), event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self._grid.contextMenuEvent(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() in (QEvent.Type.Resize, QEvent.Type.Move):
            self.renew()
        # False: the event goes on to the grid, which is only watched.
        return False

    def covers(self, at: QPoint) -> bool:
        """Whether a place of the screen lies on the kept columns."""
        return self.isVisible() and self.rect().contains(self.mapFromGlobal(at))

    def renew(self, *_: int) -> None:
        """Take over how the grid stands."""
        kept = self._kept()
        self.setVisible(kept > 0)
        if not kept:
            return
        band, its = self.band, self._its_band
        band.theme, band.origins = its.theme, its.origins
        band.shows_kinds, band.sorted_by = its.shows_kinds, its.sorted_by
        for section in range(kept):
            self.setColumnWidth(section, self._grid.columnWidth(section))
        room, top = self._grid.viewport().geometry(), its.height()
        self.setGeometry(room.x(), room.y() - top, self.reach, top + room.height())
        band.setFixedHeight(its.height())
        self.verticalScrollBar().setValue(self._grid.verticalScrollBar().value())
        band.viewport().update()
        self.viewport().update()
        self.raise_()

    @property
    def reach(self) -> int:
        """How many pixels of the grid are kept."""
        return sum(self._grid.columnWidth(n) for n in range(self._kept())) + _EDGE
