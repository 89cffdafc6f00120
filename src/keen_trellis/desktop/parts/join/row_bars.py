"""Numbers of rows drawn as bars, beside the number."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from keen_trellis.base.language import grouped_digits
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.desktop.bench.table_model import Index, Role
from keen_trellis.desktop.theme import value_font

_NUMBER_WIDTH = 62


class Bars(QStyledItemDelegate):
    """Draws a number of rows as a bar of a lane's colour; the longest fills its cell."""

    def __init__(self, grid: Grid) -> None:
        super().__init__(grid)
        self._grid = grid
        self.longest, self.colour = 1, ""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        theme = self._grid.theme
        number = int(str(index.data(Role.DisplayRole) or 0))
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect.adjusted(0, 0, 0, -1), QColor(theme.selected))
        room = QRectF(option.rect).adjusted(8, 5, -_NUMBER_WIDTH, -6)
        if number:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(self.colour))
            share = max(number / self.longest * room.width(), 6.0)
            painter.drawRoundedRect(QRectF(room.left(), room.top(), share, room.height()), 3, 3)
        painter.setFont(value_font(13))
        painter.setPen(QColor(theme.ink if number else theme.ink_soft))
        beside = option.rect.adjusted(option.rect.width() - _NUMBER_WIDTH, 0, -8, 0)
        side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(beside, side, grouped_digits(number) if number else "–")
        painter.restore()
