"""The picture of a report: drawn aside, told when pointed at, and a way to the rows behind it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPalette, QResizeEvent
from PySide6.QtWidgets import QFrame, QToolTip, QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report as Progress
from keen_trellis.desktop.controls import OneLine, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme, mixed
from keen_trellis.desktop.tips import as_it_is

if TYPE_CHECKING:
    from keen_trellis.report.pictures import Drawn, Look, Mark
    from keen_trellis.report.summing import Summed

_AFTER_MS, _WAITED_FOR_MS = 80, 250
_BEING_DRAWN = tr("The picture is being drawn …")
_STOPPED = tr("The picture was not drawn: the work was stopped. Change the report to draw it.")


def look_of(theme: Theme, colours: tuple[str, ...]) -> Look:
    """Return the colours of a picture: those of a lane first, lighter for each further series."""
    from keen_trellis.report.pictures import Look

    lighter = tuple(mixed(colours[0], theme.surface, share) for share in (1.0, 0.48, 0.72, 0.3))
    return Look(
        theme.surface,
        theme.ink,
        theme.ink_soft,
        theme.line,
        lighter + tuple(fill for fill in theme.lane_fills if fill != colours[0]),
        colours[-1],
    )


class PictureCard(QFrame):
    """A card with the picture of a report.

    Signals
    -------
    rows_asked(line)
        A double click on what stands for a line.
    """

    rows_asked = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("report.picture")
        self.setProperty("card", True)
        self._session = session
        self._title = OneLine()
        self._title.setProperty("strong", True)
        self._title.setObjectName("report.picture.title")
        self._note = label(soft=True, small=True)
        self._note.setObjectName("report.picture.note")
        self.canvas = _Canvas(self)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 8, 8)
        column.addWidget(self._title)
        column.addWidget(self.canvas, 1)
        column.addWidget(self._note)
        self._summed: Summed | None = None
        self._look: Look | None = None
        self._asked: object = None
        self._due = QTimer(self, singleShot=True, interval=_AFTER_MS)
        self._due.timeout.connect(self._draw)
        self.canvas.resized.connect(self._due.start)
        self._late = QTimer(self, singleShot=True, interval=_WAITED_FOR_MS)
        self._late.timeout.connect(self.canvas.show_nothing)

    def show_summed(self, summed: Summed, look: Look, title: str) -> None:
        """Show the picture of a report in some colours."""
        self._title.setText(title)
        if summed is not self._summed or look != self._look:
            self._summed, self._look = summed, look
            self._due.start()
            self._late.start()  # the one of before does not stand there as if it were this one

    def _draw(self) -> None:
        summed, look = self._summed, self._look
        size = self.canvas.size()
        asked = (summed, look, size)
        if summed is None or look is None or size.width() < 60 or size.height() < 60:
            return
        if asked == self._asked:  # it is there, or on its way
            self._late.stop()
            return
        # Drawn when it is seen: `resized` comes then and asks again.
        if not self.isVisible():
            return
        self._asked = asked
        drawn_look: Look = look
        drawn_summed: Summed = summed

        def work(progress: Progress) -> Drawn:
            from keen_trellis.report.pictures import drawn

            return drawn(drawn_summed, drawn_look, size.width(), size.height())

        def done(picture: Drawn) -> None:
            if self._asked == asked:
                self._late.stop()
                self.canvas.show_picture(picture)
                self._note.setText(picture.note)
                self._note.setVisible(bool(picture.note))

        self._session.work.find_out(work, done, "", given_up=self._forget)

    def _forget(self) -> None:
        self._asked = None
        self._late.stop()
        self.canvas.show_nothing(_STOPPED)


class _Canvas(QWidget):
    """The picture itself."""

    resized = Signal()

    def __init__(self, card: PictureCard) -> None:
        super().__init__()
        self.setObjectName("report.canvas")
        self.setMouseTracking(True)
        self.setMinimumSize(QSize(220, 160))
        self._card = card
        self._image, self._says = QImage(), _BEING_DRAWN
        self.marks: tuple[Mark, ...] = ()

    def show_nothing(self, says: str = _BEING_DRAWN) -> None:
        """Say why there is no picture, in place of the one of before."""
        self._image, self.marks, self._says = QImage(), (), says
        self.setAccessibleName(says)
        self.update()

    def show_picture(self, picture: Drawn) -> None:
        """Show a picture; what it says is told to those who hear it, too."""
        form = QImage.Format.Format_RGBA8888
        # QImage does not copy the bytes that it is given, and these belong to Python: the copy is
        # Qt's own.
        image = QImage(picture.pixels, picture.width, picture.height, 4 * picture.width, form)
        self._image, self.marks = image.copy(), picture.marks
        said = "; ".join(mark.words for mark in picture.marks[:40])
        self.setAccessibleName(tr("Picture of the report: {said}", said=said))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        if self._image.isNull():
            painter.setPen(self.palette().color(QPalette.ColorRole.PlaceholderText))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._says)
        else:
            painter.drawImage(0, 0, self._image)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.resized.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        mark = self._mark_at(event.position())
        self.setCursor(Qt.CursorShape.PointingHandCursor if mark else Qt.CursorShape.ArrowCursor)
        words = as_it_is(mark.words) if mark else ""
        QToolTip.showText(event.globalPosition().toPoint(), words, self)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        mark = self._mark_at(event.position())
        if mark is not None:
            self._card.rows_asked.emit(mark.line)

    def _mark_at(self, at: QPointF) -> Mark | None:
        for mark in self.marks:
            left, top, right, bottom = mark.box
            if left <= at.x() <= right and top <= at.y() <= bottom:
                return mark
        return None
