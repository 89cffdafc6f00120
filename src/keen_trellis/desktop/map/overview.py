"""The whole map in a corner of itself, once it is larger than what is seen of it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from keen_trellis.base.language import tr
from keen_trellis.desktop.map.shapes import MapLayout
from keen_trellis.desktop.theme import Theme

_WIDTH, _HIGHEST, _EDGE = 150.0, 84.0, 5.0
_NEARLY_ALL = 40.0
"""With no more than this out of sight an overview would show nothing new."""


class Overview(QWidget):
    """Lanes as lines, ties as dots, and a frame about what is seen; a press or a drag goes there.

    Signals
    -------
    asked(x, y)
        The point of the layout that is to be seen in the middle.
    """

    asked = Signal(float, float)

    def __init__(self, parent: QWidget, theme: Callable[[], Theme]) -> None:
        super().__init__(parent)
        self.setObjectName("map.overview")
        self.setAccessibleName(tr("Overview of the map: press where you want to look"))
        self.setToolTip(tr("The whole map: press or drag to look elsewhere"))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._theme = theme
        self._layout: MapLayout | None = None
        self._seen = QRectF()
        self._scale = 1.0
        self.hide()

    def show_map(self, layout: MapLayout, seen: QRectF, room: QRectF) -> None:
        """Show a map where its lanes are close together and not all of it is seen.

        Parameters
        ----------
        layout : MapLayout
        seen : QRectF
            The part of the layout that is seen.
        room : QRectF
            The viewport, in whose lower right corner the overview stands.
        """
        hidden = max(layout.width - seen.width(), layout.height - seen.height())
        self.setVisible(layout.sizes.is_close and hidden > _NEARLY_ALL)
        if self.isHidden():
            return
        inner = _WIDTH - 2 * _EDGE
        self._scale = min(inner / layout.width, (_HIGHEST - 2 * _EDGE) / layout.height)
        width, height = layout.width * self._scale, layout.height * self._scale
        self._layout, self._seen = layout, seen
        w, h = int(width + 2 * _EDGE), int(height + 2 * _EDGE)
        self.setGeometry(int(room.right()) - w - 6, int(room.bottom()) - h - 6, w, h)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        theme, layout = self._theme(), self._layout
        if layout is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(theme.line), 1))
        ground = QColor(theme.surface)
        ground.setAlphaF(0.92)
        painter.setBrush(ground)
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        painter.translate(_EDGE, _EDGE)
        for ribbon in layout.ribbons:
            painter.setPen(QPen(QColor(theme.lane(ribbon.stripes[0].colour).fill), 1.4))
            start = QPointF(ribbon.x1, ribbon.y1) * self._scale
            painter.drawLine(start, QPointF(ribbon.x2, ribbon.y2) * self._scale)
        painter.setPen(Qt.PenStyle.NoPen)
        for joint in layout.joints:
            colour = theme.warn_ink if joint.trouble else theme.both_fill
            painter.setBrush(QColor(colour))
            middle = QPointF(joint.box.x + joint.box.width / 2, joint.box.middle) * self._scale
            painter.drawEllipse(middle, 2.2, 2.2)
        painter.setPen(QPen(QColor(theme.accent_ink), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        whole = QRectF(0, 0, layout.width, layout.height)
        # What is seen may be larger than the map on one side.
        frame = self._seen.intersected(whole)
        top_left = frame.topLeft() * self._scale
        painter.drawRoundedRect(QRectF(top_left, frame.size() * self._scale), 2, 2)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Look where it is pressed."""
        self._ask(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Look where it is dragged to."""
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._ask(event.position())

    def _ask(self, at: QPointF) -> None:
        self.asked.emit((at.x() - _EDGE) / self._scale, (at.y() - _EDGE) / self._scale)
