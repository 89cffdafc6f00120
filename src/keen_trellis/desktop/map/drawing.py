"""The map drawn: ribbons, joints, flags, beads and heads, on the screen or as a picture."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QBuffer, QByteArray, QPointF, QRectF, QSize, QSizeF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QFontMetrics,
    QFontMetricsF,
    QImage,
    QImageWriter,
    QPaintDevice,
    QPainter,
    QPainterPath,
    QPen,
)

from keen_trellis.base.errors import DeliveryError
from keen_trellis.base.language import tr
from keen_trellis.base.whole_files import whole_file
from keen_trellis.desktop.map.layout import Measure
from keen_trellis.desktop.map.shapes import (
    Bead,
    Box,
    Flag,
    Head,
    Joint,
    MapLayout,
    Plus,
    Ribbon,
    Spill,
)
from keen_trellis.desktop.parts import VIEWS
from keen_trellis.desktop.theme import Theme, text_font
from keen_trellis.document import Trellis

EVERYTHING = (float("-inf"), float("inf"))

_SMALL_BEAD = 22


class Drawing:
    """Draws a map in the colours of a theme.

    Parameters
    ----------
    trellis, layout, theme
    measure : Measure
        The width of a text in the small font.
    selected : str
        The part that is marked; empty for none.
    hovered : object
        What the pointer is over.
    has_focus : bool
        Whether the keyboard is on the map.
    room : QSizeF
        What is seen at once.
    is_picture : bool
        Nothing can be added to a picture.
    """

    def __init__(
        self,
        trellis: Trellis,
        layout: MapLayout,
        theme: Theme,
        measure: Measure,
        selected: str = "",
        hovered: object = None,
        has_focus: bool = False,
        room: QSizeF | None = None,
        is_picture: bool = False,
    ) -> None:
        self.trellis, self.layout, self.theme, self.measure = trellis, layout, theme, measure
        self.selected, self.hovered, self.has_focus = selected, hovered, has_focus
        self.room, self.is_picture = room or QSizeF(), is_picture

    def draw_ground(self, painter: QPainter) -> None:
        """Draw the stakes and the rows."""
        # First, beneath all: stakes and rows only help the eye along.
        painter.setPen(QPen(_faded(self.theme.line, 0.6), 1))
        bottom = max(self.layout.height, self.room.height())
        for x in self.layout.stakes:
            painter.drawLine(QPointF(x, 0), QPointF(x, bottom))
        # Twice the room: what lies right of the heads is drawn scrolled.
        right = max(self.layout.width, self.room.width() * 2)
        for head in self.layout.heads:
            y = head.box.middle
            painter.drawLine(QPointF(self.layout.heads_width, y), QPointF(right, y))

    def draw_things(self, painter: QPainter, seen: tuple[float, float]) -> None:
        """Draw all that lies right of the heads, as far as it is seen."""
        low, high = seen
        for ribbon in self.layout.ribbons:
            # By both ends: a curve may cross what is seen between two lanes that are not.
            if max(ribbon.y1, ribbon.y2) > low and min(ribbon.y1, ribbon.y2) < high:
                self._draw_ribbon(painter, ribbon)
        # From the back to the front; `MapLayout.at` looks in the other direction.
        groups: tuple[tuple[Sequence[Any], Callable[[QPainter, Any], None]], ...] = (
            (self.layout.spills, self._draw_spill),
            (self.layout.joints, self._draw_joint),
            (self.layout.flags, self._draw_flag),
            (self.layout.beads, self._draw_bead),
            (() if self.is_picture else self.layout.pluses, self._draw_plus),
        )
        for things, draw in groups:
            for thing in things:
                if low < thing.box.middle < high:
                    draw(painter, thing)

    def _draw_ribbon(self, painter: QPainter, ribbon: Ribbon) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        offset = -ribbon.thickness / 2
        for stripe in ribbon.stripes:
            middle = offset + stripe.thickness / 2
            offset += stripe.thickness
            colour = QColor(self.theme.lane(stripe.colour).fill)
            # Stripes lie edge to edge; a little wider, so that antialiasing leaves no light line
            # between two.
            pen = QPen(colour, stripe.thickness + 0.3)
            pen.setCapStyle(Qt.PenCapStyle.FlatCap)
            painter.setPen(pen)
            start = QPointF(ribbon.x1, ribbon.y1 + middle)
            end = QPointF(ribbon.x2, ribbon.y2 + middle)
            if ribbon.y1 == ribbon.y2:
                painter.drawLine(start, end)
                continue
            path = QPainterPath(start)
            half = (ribbon.x2 - ribbon.x1) / 2
            path.cubicTo(
                QPointF(start.x() + half, start.y()), QPointF(end.x() - half, end.y()), end
            )
            painter.drawPath(path)

    def _draw_joint(self, painter: QPainter, joint: Joint) -> None:
        theme, box = self.theme, _rect(joint.box)
        title = _rect(joint.title_box)
        self._clear_behind(painter, joint, title)
        if joint.item == self.selected:
            self._draw_ring(painter, box, 9)
        painter.setPen(QPen(QColor(theme.warn_ink), 1.4) if joint.trouble else Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.warn_soft if joint.trouble else theme.surface))
        painter.drawRoundedRect(box, 4, 4)
        for part in joint.parts:
            fill = theme.both_fill if part.colour is None else theme.lane(part.colour).fill
            if part.is_open:
                pen = QPen(QColor(theme.warn_line if joint.trouble else fill), 1.2)
                pen.setStyle(Qt.PenStyle.DotLine)
                painter.setPen(pen)
                painter.setBrush(Qt.BrushStyle.NoBrush)
            elif part.kept:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(fill))
            else:
                painter.setPen(QPen(QColor(fill), 1.2))
                painter.setBrush(QBrush(QColor(theme.left_out), Qt.BrushStyle.BDiagPattern))
            painter.drawRoundedRect(_rect(part.box), 2, 2)
        # Only where nothing is known: a sign above bays would hide what they say.
        if joint.trouble and all(part.is_open for part in joint.parts):
            painter.setPen(QColor(theme.warn_ink))
            painter.setFont(text_font(18, bold=True))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "!")
        colour = theme.warn_ink if joint.trouble else theme.ink_soft
        if self.layout.sizes.is_close:
            # one line: what kind it is tells the joint, so its name and counts have the room
            name = joint.title.partition(" · ")[2] or joint.title
            wide = self._draw_text(painter, title, name, theme.ink, bold=True, most=0.6)
            rest = title.adjusted(wide + 6, 0, 0, 0)
            self._draw_text(painter, rest, joint.counts, colour)
            return
        top = QRectF(title.x(), title.y(), title.width(), 17)
        self._draw_text(painter, top, joint.title, theme.ink, bold=True)
        self._draw_text(painter, top.translated(0, 15), joint.counts, colour)

    def _clear_behind(self, painter: QPainter, joint: Joint, title: QRectF) -> None:
        """Let no ribbon that passes behind the words of a joint make them hard to read."""
        words = [joint.title, joint.counts]
        wide = max(map(self.measure, words)) + 10
        if self.layout.sizes.is_close:
            wide = sum(map(self.measure, words)) + 8
        room = title.adjusted(-2, 0, 0, 0)
        room.setWidth(min(wide, title.width()))
        painter.fillRect(room, _faded(self.theme.ground, 0.8))

    def _draw_spill(self, painter: QPainter, spill: Spill) -> None:
        pen = QPen(QColor(self.theme.left_out), 1.5, Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        start = QPointF(*spill.start)
        box = _rect(spill.box)
        path = QPainterPath(start)
        end = QPointF(box.left(), box.center().y())
        path.quadTo(QPointF(start.x(), end.y()), end)
        painter.drawPath(path)
        painter.setPen(QPen(QColor(self.theme.line), 1))
        painter.setBrush(QColor(self.theme.surface_soft))
        painter.drawRoundedRect(box, 6, 6)
        self._draw_text(
            painter, box.adjusted(9, 0, -4, 0), spill.text, self.theme.ink_soft, centred=True
        )

    def _draw_flag(self, painter: QPainter, flag: Flag) -> None:
        theme, box = self.theme, _rect(flag.box)
        selected = flag.item == self.selected
        painter.setPen(QPen(QColor(theme.accent), 2.4 if selected else 1.4))
        painter.setBrush(QColor(theme.surface))
        painter.drawRoundedRect(box, 6, 6)
        rows = flag.trouble or flag.rows
        colour = theme.warn_ink if flag.trouble else theme.ink_soft
        if self.layout.sizes.is_close:
            line = box.adjusted(8, 0, -5, 0)
            wide = self._draw_text(
                painter, line, flag.name, theme.ink, bold=True, centred=True, most=0.65
            )
            self._draw_text(painter, line.adjusted(wide + 6, 0, 0, 0), rows, colour, centred=True)
            return
        line = QRectF(box.x() + 9, box.y() + 4, box.width() - 16, 15)
        self._draw_text(painter, line, flag.name, theme.ink, bold=True)
        self._draw_text(painter, line.translated(0, 14.5), rows, colour)
        self._draw_text(painter, line.translated(0, 28), flag.file, theme.ink_soft)

    def _draw_bead(self, painter: QPainter, bead: Bead) -> None:
        theme, box = self.theme, _rect(bead.box)
        if bead.item == self.selected:
            self._draw_ring(painter, box, box.width() / 2)
        colour = self.trellis.lane(bead.lane).colour
        ink = theme.warn_ink if bead.trouble else theme.lane(colour).ink
        pen = QPen(QColor(theme.left_out if bead.is_off else ink), 2)
        if bead.is_off:
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(QColor(theme.warn_soft if bead.trouble else theme.surface))
        painter.drawEllipse(box)
        painter.setFont(text_font(14 if box.width() > _SMALL_BEAD else 10, bold=True))
        glyph = "!" if bead.trouble else VIEWS[bead.sort].glyph
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, glyph)
        words = _rect(bead.words_box)
        font = text_font(11)
        painter.setFont(font)
        painter.setPen(QColor(theme.warn_ink if bead.trouble else theme.ink_soft))
        metrics = QFontMetrics(font)
        counts = f" · {bead.counts}" if bead.brief and bead.counts else bead.counts
        room = int(words.width()) - metrics.horizontalAdvance(counts)
        brief = metrics.elidedText(bead.brief, Qt.TextElideMode.ElideRight, max(room, 0))
        side = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop
        said = f"{brief}{counts}"
        wide = metrics.horizontalAdvance(said) + 6
        ground = QColor(theme.ground)
        ground.setAlphaF(0.82)  # a ribbon that turns off here would strike the words through
        painter.fillRect(QRectF(words.center().x() - wide / 2, words.y(), wide, 14), ground)
        painter.drawText(words, side, said)

    def _draw_plus(self, painter: QPainter, plus: Plus) -> None:
        box = _rect(plus.box)
        hovered = self.hovered == plus
        painter.setPen(QPen(QColor(self.theme.accent_ink), 1.4))
        painter.setBrush(QColor(self.theme.accent_soft if hovered else self.theme.surface))
        painter.drawEllipse(box.adjusted(1, 1, -1, -1))
        painter.setPen(QPen(QColor(self.theme.accent_ink), 2))
        middle = box.center()
        painter.drawLine(middle - QPointF(5, 0), middle + QPointF(5, 0))
        painter.drawLine(middle - QPointF(0, 5), middle + QPointF(0, 5))

    def draw_heads(self, painter: QPainter, seen: tuple[float, float]) -> None:
        """Draw the heads of the lanes, as far as they are seen."""
        theme = self.theme
        # Scrolled by translation alone: the ground of the heads reaches below any viewport.
        bottom = max(self.layout.height, self.room.height() + 10_000)
        painter.fillRect(QRectF(0, 0, self.layout.heads_width, bottom), QColor(theme.head_ground))
        painter.setPen(QPen(QColor(theme.line), 1))
        painter.drawLine(
            QPointF(self.layout.heads_width, 0), QPointF(self.layout.heads_width, bottom)
        )
        low, high = seen
        for head in self.layout.heads:
            if low < head.box.middle < high:
                self._draw_head(painter, head)
        if self.is_picture:
            return
        add = _rect(self.layout.add_lane).adjusted(28, 0, 0, 0)
        self._draw_text(
            painter, add, tr("+  Add a lane"), theme.accent_ink, bold=True, centred=True
        )

    def _draw_head(self, painter: QPainter, head: Head) -> None:
        theme, box = self.theme, _rect(head.box)
        if head.lane == self.selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.selected))
            painter.drawRoundedRect(box.adjusted(6, -1, -6, 1), 6, 6)
            if self.has_focus:
                painter.setPen(QPen(QColor(theme.accent_ink), 1.5))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box.adjusted(6, -1, -6, 1), 6, 6)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.lane(head.colour).fill))
        close = self.layout.sizes.is_close
        inset = 3 if close else 6
        painter.drawRoundedRect(QRectF(14, box.y() + inset, 4, box.height() - 2 * inset), 2, 2)
        if close:
            self._draw_close_head(painter, head, box)
            return
        # 28: behind the mark of the lane’s colour, which stands at 14.
        line = QRectF(28, box.y() + 3, self.layout.heads_width - 44, 19)
        if head.stale:
            line.setWidth(line.width() - self._draw_stale(painter, box))
        self._draw_text(painter, line, head.shown, theme.ink, bold=True, size=14)
        line.setWidth(self.layout.heads_width - 44)
        self._draw_text(painter, line.translated(0, 18), head.source, theme.ink_soft)
        colour = theme.warn_ink if head.trouble else theme.ink_soft
        self._draw_text(painter, line.translated(0, 33), head.size, colour)

    def _draw_close_head(self, painter: QPainter, head: Head, box: QRectF) -> None:
        """Draw a head in one line: its name, and its rows at the right."""
        theme = self.theme
        line = QRectF(28, box.y(), self.layout.heads_width - 40, box.height())
        if head.stale:
            line.setWidth(line.width() - self._draw_stale(painter, box.translated(0, -2)))
        # The number of columns is told on the lane’s own page.
        rows = head.size.partition(" · ")[0]
        metrics = QFontMetricsF(text_font(11))
        wide = min(metrics.horizontalAdvance(rows) + 2, line.width() * 0.6)
        named = line.adjusted(0, 0, -wide - 8, 0)
        self._draw_text(painter, named, head.shown, theme.ink, bold=True, centred=True, size=13)
        colour = theme.warn_ink if head.trouble else theme.ink_soft
        beside = line.adjusted(line.width() - wide, 0, 0, 0)
        self._draw_text(painter, beside, rows, colour, centred=True)

    def _draw_stale(self, painter: QPainter, box: QRectF) -> float:
        """Mark a lane whose file is another than the one that was read; return the room taken."""
        theme, words = self.theme, tr("changed since")
        width = QFontMetricsF(text_font(11, True)).horizontalAdvance(words) + 14
        label = QRectF(self.layout.heads_width - width - 12, box.y() + 4, width, 17)
        painter.setPen(QPen(QColor(theme.warn_line), 1))
        painter.setBrush(QColor(theme.warn_soft))
        painter.drawRoundedRect(label, 8, 8)
        inner = label.adjusted(7, 0, 0, 0)
        self._draw_text(painter, inner, words, theme.warn_ink, bold=True, centred=True)
        return width

    def _draw_ring(self, painter: QPainter, box: QRectF, radius: float) -> None:
        width = 2.4 if self.has_focus else 1.8
        painter.setPen(QPen(QColor(self.theme.accent_ink), width))
        painter.setBrush(QColor(self.theme.ground))
        far = 2 if self.layout.sizes.is_close else 6  # words stand near where lanes are close
        painter.drawRoundedRect(box.adjusted(-far, -far, far, far), radius + 2, radius + 2)

    def draw_label(self, painter: QPainter, text: str, at: QPointF, seen: QRectF) -> None:
        """Draw a label beside a point, within what is seen."""
        metrics = QFontMetricsF(text_font(12, True))
        room = QRectF(0, 0, min(metrics.horizontalAdvance(text) + 20, seen.width()), 26)
        # Right of the pointer and above it, or wherever there is room, but never under it.
        x = min(at.x() + 14, seen.right() - room.width())
        y = at.y() - 36
        room.moveTo(max(x, seen.left()), y if y > seen.top() else at.y() + 18)
        painter.setPen(QPen(QColor(self.theme.accent_ink), 1))
        painter.setBrush(QColor(self.theme.surface))
        painter.drawRoundedRect(room, 6, 6)
        inner = room.adjusted(10, 0, -6, 0)
        ink = self.theme.accent_ink
        self._draw_text(painter, inner, text, ink, bold=True, centred=True, size=12)

    def _draw_text(
        self,
        painter: QPainter,
        room: QRectF,
        text: str,
        colour: str,
        bold: bool = False,
        centred: bool = False,
        size: int = 11,
        most: float = 1.0,
    ) -> float:
        """Draw one line and return its width; what does not fit ends in an ellipsis.

        Parameters
        ----------
        most : float
            The share of the room that it may take.
        """
        font = text_font(size, bold)
        painter.setFont(font)
        painter.setPen(QColor(colour))
        metrics, wide = QFontMetricsF(font), room.width() * most
        shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, wide)
        height = Qt.AlignmentFlag.AlignVCenter if centred else Qt.AlignmentFlag.AlignTop
        painter.drawText(room, Qt.AlignmentFlag.AlignLeft | height, shown)
        return metrics.horizontalAdvance(shown)


def save_picture(
    path: Path, trellis: Trellis, layout: MapLayout, theme: Theme, measure: Measure
) -> None:
    """Save a whole map as .svg or .png, whole or not at all.

    Raises
    ------
    DeliveryError
        The ending is another.
    OSError
        The file cannot be written.
    """
    size = QSize(int(max(layout.width, layout.heads_width)) + 20, int(layout.height))
    drawing = Drawing(trellis, layout, theme, measure, is_picture=True)
    drawn, ending = QBuffer(), path.suffix.lower()
    if ending == ".svg":
        from PySide6.QtSvg import QSvgGenerator  # loaded for those who want one

        svg = QSvgGenerator()
        svg.setOutputDevice(drawn)
        svg.setSize(size)
        svg.setViewBox(QRectF(0, 0, size.width(), size.height()))
        svg.setTitle(trellis.name)
        _draw_whole(drawing, svg, size)
    elif ending == ".png":
        # Twice as many pixels: a picture is looked at closer than a window.
        image = QImage(size * 2, QImage.Format.Format_ARGB32)
        image.setDevicePixelRatio(2)
        _draw_whole(drawing, image, size)
        drawn.open(QBuffer.OpenModeFlag.WriteOnly)
        QImageWriter(drawn, QByteArray(b"png")).write(image)
    else:
        raise DeliveryError(
            tr("A picture of the map cannot be written as “{value}”.", value=ending or path.name),
            tr("Choose a name that ends in .svg or .png."),
        )
    # Drawn into memory first: a picture is written whole or not at all, and the one before stays.
    with whole_file(path) as half:
        half.write_bytes(drawn.data().data())


def _draw_whole(drawing: Drawing, device: QPaintDevice, size: QSize) -> None:
    painter = QPainter(device)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    whole = QRectF(0, 0, size.width(), size.height())
    painter.fillRect(whole, QColor(drawing.theme.ground))
    drawing.draw_ground(painter)
    drawing.draw_things(painter, EVERYTHING)
    drawing.draw_heads(painter, EVERYTHING)
    painter.end()


def _rect(box: Box) -> QRectF:
    return QRectF(box.x, box.y, box.width, box.height)


def _faded(colour: str, alpha: float) -> QColor:
    faded = QColor(colour)
    faded.setAlphaF(alpha)
    return faded
