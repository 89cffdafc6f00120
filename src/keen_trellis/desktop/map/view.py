"""The map on the screen: it draws what the layout says, and passes on what is done to it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from html import escape
from pathlib import Path
from typing import Any

from PySide6.QtCore import QBuffer, QByteArray, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QColor,
    QContextMenuEvent,
    QFontMetricsF,
    QImage,
    QImageWriter,
    QKeyEvent,
    QMouseEvent,
    QPaintDevice,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtSvg import QSvgGenerator
from PySide6.QtWidgets import QAbstractScrollArea, QToolTip, QWidget

from keen_trellis.desktop.map.layout import lay_out
from keen_trellis.desktop.map.shapes import (
    HEADS_WIDTH,
    ROOMY,
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
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme, text_font
from keen_trellis.document.edits import MoveItem, MoveLane
from keen_trellis.errors import DeliveryError
from keen_trellis.whole_files import whole_file

_DRAG_STARTS_AT = 6


class MapView(QAbstractScrollArea):
    """Lane heads on the left, ribbons running to the right.

    A click selects; the arrow keys walk along and across the lanes. A lane's end can be dragged
    onto another lane to tie them, and a head up or down to reorder the lanes.
    """

    add_lane_asked = Signal()
    add_item_asked = Signal(str, object)  # lane, global position
    menu_asked = Signal(object)  # global position
    tie_asked = Signal(str, str)  # the lane that goes on, the lane that its end is dragged onto

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("map")
        self.setAccessibleName("Map of lanes")
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.viewport().setMouseTracking(True)
        self._session, self._theme = session, theme
        self._zoom = 1.0
        self._hovered: object = None
        self._press: QPointF | None = None
        self._dragged: Plus | Head | None = None
        self._pointer = QPointF()
        self._is_picture = False  # of which nothing is selected, and to which nothing is added
        self._proposed: dict[tuple[str, str], str] = {}
        small = QFontMetricsF(text_font(11))
        self._measure = small.horizontalAdvance
        self._layout = self._laid_out()
        self._drawn_for = session.selection
        session.changed.connect(self.renew)
        session.ran.connect(self._proposed.clear)
        session.ran.connect(self.renew)
        session.outside.connect(self.renew)
        session.selected.connect(self._follow_selection)

    @property
    def _selected(self) -> str:
        """What is drawn as selected."""
        return "" if self._is_picture else self._session.selection

    @property
    def shown(self) -> MapLayout:
        """Where everything lies, before zoom and scroll."""
        return self._layout

    def set_theme(self, theme: Theme) -> None:
        """Draw in the colours of a theme."""
        self._theme = theme
        self.viewport().update()

    def _laid_out(self) -> MapLayout:
        session = self._session
        stale = session.watching.stale
        return lay_out(session.trellis, session.results, self._measure, stale)

    def renew(self) -> None:
        """Lay everything out anew; where that changes nothing, nothing is drawn again."""
        laid_out = self._laid_out()
        if laid_out == self._layout and self._drawn_for == self._session.selection:
            return
        self._layout, self._drawn_for = laid_out, self._session.selection
        self._fit_scrollbars()
        self.viewport().update()

    def to_screen(self, box: Box) -> QRectF:
        """Return where a box of the layout is seen in the viewport."""
        in_heads = box.x < HEADS_WIDTH
        x = 0 if in_heads else self.horizontalScrollBar().value()
        y = self.verticalScrollBar().value()
        zoom = self._zoom
        return QRectF(box.x * zoom - x, box.y * zoom - y, box.width * zoom, box.height * zoom)

    # what is done to it

    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom_by(1.1 if event.angleDelta().y() > 0 else 1 / 1.1)
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            bar = self.horizontalScrollBar()
            bar.setValue(bar.value() - event.angleDelta().y())
        else:
            super().wheelEvent(event)

    def zoom_by(self, factor: float) -> None:
        """Make everything larger or smaller, from a half to twice its size."""
        self._zoom = min(max(self._zoom * factor, 0.5), 2.0)
        self._fit_scrollbars()
        self.viewport().update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        self._press = self._pointer = event.position()
        x, y = self._in_layout(event.position())
        thing = self._layout.at(x, y)
        self._dragged = thing if isinstance(thing, Plus | Head) else None
        if isinstance(thing, Head):
            self._session.select(thing.lane)
        elif isinstance(thing, Joint | Flag | Spill | Bead):
            self._session.select(thing.item)
        elif thing is None and (lane := self._layout.lane_at(x, y)):
            self._session.select(lane)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._pointer = event.position()
        if self._dragging():
            self._ask_proposal()
            self.viewport().update()
            return
        x, y = self._in_layout(event.position())
        thing = self._layout.at(x, y)
        over_button = isinstance(thing, Plus) or self._layout.add_lane.holds(x, y)
        pointing = Qt.CursorShape.PointingHandCursor
        self.viewport().setCursor(
            pointing if over_button or thing is not None else Qt.CursorShape.ArrowCursor
        )
        if thing != self._hovered:
            self._hovered = thing
            tip = self._sheet(thing) or _tip(thing)
            QToolTip.showText(event.globalPosition().toPoint(), tip, self)
            self.viewport().update()

    def _ask_proposal(self) -> None:
        """Find out what would link the lane dragged with the one below the pointer."""
        target = self._layout.lane_at(*self._in_layout(self._pointer))
        dragged = self._dragged
        if not isinstance(dragged, Plus) or not target or target == dragged.lane:
            return
        pair = dragged.lane, target
        if pair not in self._proposed:
            self._proposed[pair] = ""

            def done(words: str) -> None:
                self._proposed[pair] = words
                self.viewport().update()

            self._session.propose(*pair, done)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        dragged, was_drag = self._dragged, self._dragging()
        self._press = self._dragged = None
        x, y = self._in_layout(event.position())
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if was_drag and isinstance(dragged, Plus):
            target = self._layout.lane_at(x, y)
            if target and target != dragged.lane:
                self.tie_asked.emit(dragged.lane, target)
        elif was_drag and isinstance(dragged, Head):
            place = sum(head.box.y <= y for head in self._layout.heads) - 1
            self._session.do(MoveLane(dragged.lane, max(place, 0)))
        elif isinstance(dragged, Plus):
            self.add_item_asked.emit(dragged.lane, event.globalPosition().toPoint())
        elif self._layout.add_lane.holds(x, y):
            self.add_lane_asked.emit()
        self.viewport().update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        x, y = self._in_layout(QPointF(event.pos()))
        thing = self._layout.at(x, y)
        if isinstance(thing, Head):
            self._session.select(thing.lane)
        elif isinstance(thing, Joint | Flag | Spill | Bead):
            self._session.select(thing.item)
        self.menu_asked.emit(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
        }
        step = steps.get(Qt.Key(event.key()))
        if step is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self._move(*step)
            return
        if step is not None:
            self._walk(*step)
        elif event.key() == Qt.Key.Key_Plus and (lane := self._session.selected_lane):
            plus = next((p for p in self._layout.pluses if p.lane == lane.id), None)
            if plus:
                corner = self.to_screen(plus.box).bottomLeft().toPoint()
                self.add_item_asked.emit(lane.id, self.viewport().mapToGlobal(corner))
        else:
            super().keyPressEvent(event)

    def _move(self, down: int, right: int) -> None:
        """Move the selected lane up or down among the others, or an item along its lane."""
        lane, lanes = self._session.selected_lane, self._session.trellis.lanes
        item = self._session.selected_item
        if right and item is not None:
            self._session.do(MoveItem(item.id, right))
        elif lane is not None and down:
            place = lanes.index(lane) + down
            if 0 <= place < len(lanes):
                self._session.do(MoveLane(lane.id, place))

    def _walk(self, down: int, right: int) -> None:
        """Select the neighbour in a direction: along a lane, or at the head of the next one."""
        lanes = self._session.trellis.lanes
        if not lanes:
            return
        lane = self._session.selected_lane or lanes[0]
        parts = [lane.id, *(item.id for item in lane.items)]
        selection = self._session.selection
        place = parts.index(selection) if selection in parts else 0
        if down:
            row = min(max(lanes.index(lane) + down, 0), len(lanes) - 1)
            target = lanes[row]
            others = [target.id, *(item.id for item in target.items)]
            self._session.select(others[min(place, len(others) - 1)])
        else:
            self._session.select(parts[min(max(place + right, 0), len(parts) - 1)])

    def _follow_selection(self) -> None:
        box = self._layout.box_of(self._session.selection)
        if box is not None:
            seen = self.to_screen(box)
            for bar, low, high, room in (
                (
                    self.horizontalScrollBar(),
                    seen.left() - HEADS_WIDTH,
                    seen.right(),
                    self.viewport().width(),
                ),
                (self.verticalScrollBar(), seen.top(), seen.bottom(), self.viewport().height()),
            ):
                if low < 0 and not (bar is self.horizontalScrollBar() and box.x < HEADS_WIDTH):
                    bar.setValue(int(bar.value() + low - 20))
                elif high > room:
                    bar.setValue(int(bar.value() + high - room + 20))
        self.setAccessibleDescription(self._told())
        self.viewport().update()

    def _told(self) -> str:
        """Return what is selected, in words for those who hear the map."""
        selected = self._session.selection
        facts = self._session.results.facts
        item = facts.items.get(selected)
        if item is not None:
            return f"{item.type.capitalize()} {item.name}. {item.trouble or item.says}".strip()
        lane = facts.lanes.get(selected)
        if lane is None:
            return selected
        rows = "" if lane.rows is None else f", {lane.rows:,} rows, {len(lane.columns)} columns"
        return f"Lane {lane.name}{rows}. {lane.trouble}".strip()

    def _dragging(self) -> bool:
        if self._press is None or self._dragged is None:
            return False
        return (self._pointer - self._press).manhattanLength() > _DRAG_STARTS_AT

    def _in_layout(self, at: QPointF) -> tuple[float, float]:
        y = (at.y() + self.verticalScrollBar().value()) / self._zoom
        if at.x() / self._zoom < HEADS_WIDTH:
            return at.x() / self._zoom, y
        return (at.x() + self.horizontalScrollBar().value()) / self._zoom, y

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fit_scrollbars()

    def _fit_scrollbars(self) -> None:
        room = self.viewport().size()
        for bar, needed, page in (
            (self.horizontalScrollBar(), self._layout.width * self._zoom, room.width()),
            (self.verticalScrollBar(), self._layout.height * self._zoom, room.height()),
        ):
            bar.setRange(0, max(0, int(needed) - page))
            bar.setPageStep(page)
            bar.setSingleStep(24)

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.viewport().rect(), QColor(self._theme.ground))
        zoom, top = self._zoom, -self.verticalScrollBar().value()
        painter.translate(-self.horizontalScrollBar().value(), top)
        painter.scale(zoom, zoom)
        self._draw_ground(painter)
        self._draw_things(painter, self._seen())
        painter.resetTransform()
        painter.translate(0, top)
        painter.scale(zoom, zoom)
        self._draw_heads(painter, self._seen())
        painter.resetTransform()
        self._draw_drag(painter)
        painter.end()

    def _draw_things(self, painter: QPainter, seen: tuple[float, float]) -> None:
        """Draw all that lies right of the heads, as far as it is seen."""
        low, high = seen
        for ribbon in self._layout.ribbons:
            if max(ribbon.y1, ribbon.y2) > low and min(ribbon.y1, ribbon.y2) < high:
                self._draw_ribbon(painter, ribbon)
        groups: tuple[tuple[Sequence[Any], Callable[[QPainter, Any], None]], ...] = (
            (self._layout.spills, self._draw_spill),
            (self._layout.joints, self._draw_joint),
            (self._layout.flags, self._draw_flag),
            (self._layout.beads, self._draw_bead),
            (() if self._is_picture else self._layout.pluses, self._draw_plus),
        )
        for things, draw in groups:
            for thing in things:
                if low < thing.box.middle < high:
                    draw(painter, thing)

    def _seen(self) -> tuple[float, float]:
        """Return from where to where the map is seen, with room for what stands about a lane."""
        top = self.verticalScrollBar().value() / self._zoom
        about = ROOMY.row
        return top - about, top + self.viewport().height() / self._zoom + about

    def _draw_ground(self, painter: QPainter) -> None:
        painter.setPen(QPen(_faded(self._theme.line, 0.6), 1))
        bottom = max(self._layout.height, self.viewport().height() / self._zoom)
        for x in self._layout.stakes:
            painter.drawLine(QPointF(x, 0), QPointF(x, bottom))
        right = max(self._layout.width, self.viewport().width() / self._zoom * 2)
        for head in self._layout.heads:
            y = head.box.middle
            painter.drawLine(QPointF(HEADS_WIDTH, y), QPointF(right, y))

    def _draw_ribbon(self, painter: QPainter, ribbon: Ribbon) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        offset = -ribbon.thickness / 2
        for stripe in ribbon.stripes:
            middle = offset + stripe.thickness / 2
            offset += stripe.thickness
            colour = QColor(self._theme.lane(stripe.colour).fill)
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
        theme, box = self._theme, _rect(joint.box)
        title = _rect(joint.title_box)
        self._clear_behind(painter, joint, title)
        if joint.item == self._selected:
            self._draw_ring(painter, box, 9)
        painter.setPen(QPen(QColor(theme.warn_ink), 1.4) if joint.trouble else Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.warn_soft if joint.trouble else theme.surface))
        painter.drawRoundedRect(box, 4, 4)
        for part in joint.parts:
            fill = theme.both_fill if part.colour is None else theme.lane(part.colour).fill
            if part.kept:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(fill))
            else:
                painter.setPen(QPen(QColor(fill), 1.2))
                painter.setBrush(QBrush(QColor(theme.left_out), Qt.BrushStyle.BDiagPattern))
            painter.drawRoundedRect(_rect(part.box), 2, 2)
        if joint.trouble and not joint.parts:
            painter.setPen(QColor(theme.warn_ink))
            painter.setFont(text_font(18, bold=True))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "!")
        colour = theme.warn_ink if joint.trouble else theme.ink_soft
        if self._layout.sizes.is_close:
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
        wide = max(map(self._measure, words)) + 10
        if self._layout.sizes.is_close:
            wide = sum(map(self._measure, words)) + 8
        room = title.adjusted(-2, 0, 0, 0)
        room.setWidth(min(wide, title.width()))
        painter.fillRect(room, _faded(self._theme.ground, 0.8))

    def _draw_spill(self, painter: QPainter, spill: Spill) -> None:
        pen = QPen(QColor(self._theme.left_out), 1.5, Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        start = QPointF(*spill.start)
        box = _rect(spill.box)
        path = QPainterPath(start)
        end = QPointF(box.left(), box.center().y())
        path.quadTo(QPointF(start.x(), end.y()), end)
        painter.drawPath(path)
        painter.setPen(QPen(QColor(self._theme.line), 1))
        painter.setBrush(QColor(self._theme.surface_soft))
        painter.drawRoundedRect(box, 6, 6)
        self._draw_text(
            painter, box.adjusted(9, 0, -4, 0), spill.text, self._theme.ink_soft, centred=True
        )

    def _draw_flag(self, painter: QPainter, flag: Flag) -> None:
        theme, box = self._theme, _rect(flag.box)
        selected = flag.item == self._selected
        painter.setPen(QPen(QColor(theme.accent), 2.4 if selected else 1.4))
        painter.setBrush(QColor(theme.surface))
        painter.drawRoundedRect(box, 6, 6)
        rows = flag.trouble or flag.rows
        colour = theme.warn_ink if flag.trouble else theme.ink_soft
        if self._layout.sizes.is_close:
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
        theme, box = self._theme, _rect(bead.box)
        if bead.item == self._selected:
            self._draw_ring(painter, box, box.width() / 2)
        colour = self._session.trellis.lane(bead.lane).colour
        ink = theme.warn_ink if bead.trouble else theme.lane(colour).ink
        painter.setPen(QPen(QColor(ink), 2))
        painter.setBrush(QColor(theme.warn_soft if bead.trouble else theme.surface))
        painter.drawEllipse(box)
        painter.setFont(text_font(14, bold=True))
        glyph = "!" if bead.trouble else VIEWS[bead.sort].glyph
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, glyph)
        words = _rect(bead.words_box)
        font = text_font(11)
        painter.setFont(font)
        painter.setPen(QColor(theme.warn_ink if bead.trouble else theme.ink_soft))
        painter.drawText(
            words, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop, bead.counts
        )

    def _draw_plus(self, painter: QPainter, plus: Plus) -> None:
        box = _rect(plus.box)
        hovered = self._hovered == plus
        painter.setPen(QPen(QColor(self._theme.accent_ink), 1.4))
        painter.setBrush(QColor(self._theme.accent_soft if hovered else self._theme.surface))
        painter.drawEllipse(box.adjusted(1, 1, -1, -1))
        painter.setPen(QPen(QColor(self._theme.accent_ink), 2))
        middle = box.center()
        painter.drawLine(middle - QPointF(5, 0), middle + QPointF(5, 0))
        painter.drawLine(middle - QPointF(0, 5), middle + QPointF(0, 5))

    def _draw_heads(self, painter: QPainter, seen: tuple[float, float]) -> None:
        theme = self._theme
        bottom = max(self._layout.height, self.viewport().height() / self._zoom + 10_000)
        painter.fillRect(QRectF(0, 0, HEADS_WIDTH, bottom), QColor(theme.head_ground))
        painter.setPen(QPen(QColor(theme.line), 1))
        painter.drawLine(QPointF(HEADS_WIDTH, 0), QPointF(HEADS_WIDTH, bottom))
        low, high = seen
        for head in self._layout.heads:
            if low < head.box.middle < high:
                self._draw_head(painter, head)
        if self._is_picture:
            return
        add = _rect(self._layout.add_lane).adjusted(28, 0, 0, 0)
        self._draw_text(painter, add, "+  Add a lane", theme.accent_ink, bold=True, centred=True)

    def _draw_head(self, painter: QPainter, head: Head) -> None:
        theme, box = self._theme, _rect(head.box)
        if head.lane == self._selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.selected))
            painter.drawRoundedRect(box.adjusted(6, -1, -6, 1), 6, 6)
            if self.hasFocus():
                painter.setPen(QPen(QColor(theme.accent_ink), 1.5))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box.adjusted(6, -1, -6, 1), 6, 6)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.lane(head.colour).fill))
        close = self._layout.sizes.is_close
        inset = 3 if close else 6
        painter.drawRoundedRect(QRectF(14, box.y() + inset, 4, box.height() - 2 * inset), 2, 2)
        if close:
            self._draw_close_head(painter, head, box)
            return
        line = QRectF(28, box.y() + 3, HEADS_WIDTH - 44, 19)
        if head.stale:
            line.setWidth(line.width() - self._draw_stale(painter, box))
        self._draw_text(painter, line, head.name, theme.ink, bold=True, size=14)
        line.setWidth(HEADS_WIDTH - 44)
        self._draw_text(painter, line.translated(0, 18), head.source, theme.ink_soft)
        colour = theme.warn_ink if head.trouble else theme.ink_soft
        self._draw_text(painter, line.translated(0, 33), head.size, colour)

    def _draw_close_head(self, painter: QPainter, head: Head, box: QRectF) -> None:
        """Draw a head in one line: its name, and its rows at the right."""
        theme = self._theme
        line = QRectF(28, box.y(), HEADS_WIDTH - 40, box.height())
        if head.stale:
            line.setWidth(line.width() - self._draw_stale(painter, box.translated(0, -2)))
        rows = head.size.partition(" · ")[0]
        metrics = QFontMetricsF(text_font(11))
        wide = min(metrics.horizontalAdvance(rows) + 2, line.width() * 0.6)
        named = line.adjusted(0, 0, -wide - 8, 0)
        self._draw_text(painter, named, head.name, theme.ink, bold=True, centred=True, size=13)
        colour = theme.warn_ink if head.trouble else theme.ink_soft
        beside = line.adjusted(line.width() - wide, 0, 0, 0)
        self._draw_text(painter, beside, rows, colour, centred=True)

    def _draw_stale(self, painter: QPainter, box: QRectF) -> float:
        """Mark a lane whose file is another than the one that was read; return the room taken."""
        theme, words = self._theme, "changed since"
        width = QFontMetricsF(text_font(11, True)).horizontalAdvance(words) + 14
        label = QRectF(HEADS_WIDTH - width - 12, box.y() + 4, width, 17)
        painter.setPen(QPen(QColor(theme.warn_line), 1))
        painter.setBrush(QColor(theme.warn_soft))
        painter.drawRoundedRect(label, 8, 8)
        inner = label.adjusted(7, 0, 0, 0)
        self._draw_text(painter, inner, words, theme.warn_ink, bold=True, centred=True)
        return width

    def _draw_ring(self, painter: QPainter, box: QRectF, radius: float) -> None:
        width = 2.4 if self.hasFocus() else 1.8
        painter.setPen(QPen(QColor(self._theme.accent_ink), width))
        painter.setBrush(QColor(self._theme.ground))
        far = 2 if self._layout.sizes.is_close else 6  # words stand near where lanes are close
        painter.drawRoundedRect(box.adjusted(-far, -far, far, far), radius + 2, radius + 2)

    def _sheet(self, thing: object) -> str:
        """Return what is known of a tie or step: what it did, its promises, why it is so."""
        if not isinstance(thing, Joint | Bead) or thing.trouble:
            return ""
        facts = self._session.results.facts.items.get(thing.item)
        item = self._session.trellis.item(thing.item)
        if facts is None or not facts.says:
            return ""
        kept = [f"Promised: {one.sentence}" for one in getattr(facts, "promises", ())]
        lines = [facts.name, facts.says, *kept, *([f"Note: {item.note}"] if item.note else [])]
        return "".join(f"<p style='margin:3px 0'>{escape(line)}</p>" for line in lines)

    def save_picture(self, path: Path) -> None:
        """Save the whole map as .svg or .png, as it is drawn here but without what is selected.

        Raises
        ------
        DeliveryError
            The ending is another, or the file cannot be written.
        """
        width = int(max(self._layout.width, HEADS_WIDTH)) + 20
        size = QSize(width, int(self._layout.height))
        ending = path.suffix.lower()
        if ending == ".svg":
            drawn = QBuffer()
            svg = QSvgGenerator()
            svg.setOutputDevice(drawn)
            svg.setSize(size)
            svg.setViewBox(QRectF(0, 0, size.width(), size.height()))
            svg.setTitle(self._session.trellis.name)
            self._draw_whole(svg, size)
        elif ending == ".png":
            image = QImage(size * 2, QImage.Format.Format_ARGB32)
            image.setDevicePixelRatio(2)
            self._draw_whole(image, size)
            drawn = QBuffer()
            drawn.open(QBuffer.OpenModeFlag.WriteOnly)
            QImageWriter(drawn, QByteArray(b"png")).write(image)
        else:
            raise DeliveryError(
                f"A picture of the map cannot be written as “{ending or path.name}”.",
                "Choose a name that ends in .svg or .png.",
            )
        with whole_file(path) as half:
            half.write_bytes(drawn.data().data())

    def _draw_whole(self, device: QPaintDevice, size: QSize) -> None:
        painter = QPainter(device)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(QRectF(0, 0, size.width(), size.height()), QColor(self._theme.ground))
        self._is_picture = True
        self._draw_ground(painter)
        self._draw_things(painter, (float("-inf"), float("inf")))
        self._draw_heads(painter, (float("-inf"), float("inf")))
        self._is_picture = False
        painter.end()

    def _draw_drag(self, painter: QPainter) -> None:
        if not self._dragging() or self._press is None:
            return
        colour = QColor(self._theme.accent_ink)
        painter.setPen(QPen(colour, 2, Qt.PenStyle.DashLine))
        if isinstance(self._dragged, Head):
            y = self._pointer.y()
            painter.drawLine(QPointF(8, y), QPointF(HEADS_WIDTH * self._zoom - 8, y))
            return
        painter.drawLine(self._press, self._pointer)
        text = self.said_while_dragging()
        if text:
            self._draw_label(painter, text)

    def said_while_dragging(self) -> str:
        """Return what a drop here would tie, and by what; empty where it would tie nothing."""
        lane = self._layout.lane_at(*self._in_layout(self._pointer))
        if not lane or not isinstance(self._dragged, Plus) or lane == self._dragged.lane:
            return ""
        own, other = (self._session.trellis.lane(i).name for i in (self._dragged.lane, lane))
        found = self._proposed.get((self._dragged.lane, lane), "")
        return f"Tie {own} with {other}" + (f": {found}" if found else "")

    def _draw_label(self, painter: QPainter, text: str) -> None:
        """Draw a label beside the pointer, within the map."""
        metrics = QFontMetricsF(text_font(12, True))
        seen = QRectF(self.viewport().rect()).adjusted(6, 6, -6, -6)
        room = QRectF(0, 0, min(metrics.horizontalAdvance(text) + 20, seen.width()), 26)
        x = min(self._pointer.x() + 14, seen.right() - room.width())
        y = self._pointer.y() - 36
        room.moveTo(max(x, seen.left()), y if y > seen.top() else self._pointer.y() + 18)
        painter.setPen(QPen(QColor(self._theme.accent_ink), 1))
        painter.setBrush(QColor(self._theme.surface))
        painter.drawRoundedRect(room, 6, 6)
        inner = room.adjusted(10, 0, -6, 0)
        ink = self._theme.accent_ink
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


def _rect(box: Box) -> QRectF:
    return QRectF(box.x, box.y, box.width, box.height)


def _faded(colour: str, alpha: float) -> QColor:
    faded = QColor(colour)
    faded.setAlphaF(alpha)
    return faded


def _tip(thing: object) -> str:
    match thing:
        case Joint():
            return thing.trouble or thing.waits_for or f"{thing.title}: {thing.counts}"
        case Head():
            stale = "\nIts file has changed since it was read: F5 reads it again" * thing.stale
            return thing.trouble or f"{thing.name}: {thing.source}, {thing.size}{stale}"
        case Bead():
            return thing.trouble or f"{thing.sort.capitalize()}: {thing.counts} go on"
        case Flag():
            return thing.trouble or f"{thing.name}: {thing.rows} to {thing.file}"
        case Spill():
            return f"{thing.full}: still there to look at in the bays of the tie"
        case Plus():
            return "Add a tie or a delivery here, or drag onto another lane to tie them"
    return ""
