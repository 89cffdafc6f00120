"""One line on a map that is hardly begun: what to do next. It goes once that has been done."""

from __future__ import annotations

from PySide6.QtCore import QRect, Qt
from PySide6.QtWidgets import QLabel, QWidget

from keen_trellis.base.language import tr
from keen_trellis.document import Trellis

_FEW, _EDGE = 3, 14


def what_next(trellis: Trellis) -> str:
    """Return what a trellis needs to go on from where it is; nothing once it delivers."""
    lanes, has_ties = trellis.lanes, any(True for _ in trellis.ties())
    if not lanes or len(lanes) > _FEW or any(True for _ in trellis.deliveries()):
        return ""
    if any(not tie.link and not tie.cross for _, tie in trellis.joins()):
        return ""  # what is needed is said where the fields are chosen
    if has_ties:
        return tr(
            "Keep or leave each bay below. The + at the lane’s end delivers its rows (Ctrl+D)."
        )
    if len(lanes) == 1:
        return tr(
            "Now the table that belongs beside it: drop its file here, or + Add a lane (Ctrl+L)."
        )
    return tr("Drag the + at one lane’s end onto the other lane to tie them (Ctrl+T).")


class WhatNext(QLabel):
    """The line, at the foot of the map, where nothing else lies."""

    def __init__(self, viewport: QWidget) -> None:
        super().__init__(viewport)
        self.setObjectName("map.next")
        self.setProperty("hint", True)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()

    def tell(self, text: str, heads_width: float, taken_to: float, room: QRect) -> None:
        """Tell something right of the heads, unless what is drawn reaches down there."""
        self.setText(text)
        self.adjustSize()
        top = room.bottom() - _EDGE - self.height()
        # It never lies on the map: where there is no room for it, it is not shown.
        fits = heads_width + _EDGE + self.width() < room.right() and taken_to < top
        self.setVisible(bool(text) and fits)
        self.move(int(heads_width) + _EDGE, top)
