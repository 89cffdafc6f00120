"""Found and not found over the runs of a document, as a small line."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from keen_trellis.base.language import tr
from keen_trellis.desktop.theme import Theme

if TYPE_CHECKING:
    from keen_trellis.machine.history import RunLine

_SHOWN, _TOLD = 60, 10


class OverTime(QWidget):
    """The share of rows found at a join, run by run; the numbers are in its tip."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("match.over_time")
        self.setFixedSize(QSize(104, 26))
        self.theme = theme
        self._shares: list[float] = []

    def show_runs(self, runs: Sequence[RunLine], tie: str) -> None:
        """Show the runs that a join was made in; nothing where there is only one."""
        known = [(run.at, *run.ties[tie]) for run in runs if tie in run.ties][-_SHOWN:]
        self._shares = [found / rows if rows else 1.0 for _, rows, found in known]
        told = [
            tr(
                "{at}: {found:,} of {rows:,} found",
                at=at.replace("T", " ")[:16],
                found=found,
                rows=rows,
            )
            for at, rows, found in reversed(known[-_TOLD:])
        ]
        self.setToolTip("\n".join([tr("Found, run by run"), *told]))
        self.setAccessibleName(tr("Found, run by run: ") + "; ".join(told))
        self.setVisible(len(known) > 1)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the line, with what was found tinted below it.

        The ground line is none found, or half or nine tenths where it was never less.
        """
        if len(self._shares) < 2:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = QRectF(4, 4, self.width() - 8, self.height() - 8)
        # Shares near one would all lie on the upper edge: the ground is raised as far as no run
        # falls below it.
        low = max(floor for floor in (0.0, 0.5, 0.9) if floor <= min(self._shares))
        step = room.width() / (len(self._shares) - 1)
        points = [
            QPointF(
                room.left() + n * step, room.bottom() - (share - low) / (1 - low) * room.height()
            )
            for n, share in enumerate(self._shares)
        ]
        below = QPolygonF([room.bottomLeft(), *points, room.bottomRight()])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self.theme.selected))
        painter.drawPolygon(below)
        painter.setPen(QPen(QColor(self.theme.line), 1))
        painter.drawLine(room.bottomLeft(), room.bottomRight())
        painter.setPen(QPen(QColor(self.theme.accent), 1.8))
        painter.drawPolyline(QPolygonF(points))
        painter.setBrush(QColor(self.theme.accent))
        painter.drawEllipse(points[-1], 2.2, 2.2)
