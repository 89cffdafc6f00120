"""The map on the screen: it shows what the layout says, and passes on what is done to it."""

from __future__ import annotations

from html import escape
from pathlib import Path

from PySide6.QtCore import QPoint, QPointF, QRect, QRectF, QSettings, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QAbstractScrollArea, QScrollBar, QToolTip, QWidget

from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.desktop.map.drawing import Drawing, save_picture
from keen_trellis.desktop.map.layout import lay_out
from keen_trellis.desktop.map.overview import Overview
from keen_trellis.desktop.map.shapes import (
    HEADS_NARROWEST,
    HEADS_WIDEST,
    HEADS_WIDTH,
    ROOMY,
    Bead,
    Box,
    Flag,
    Head,
    Joint,
    MapLayout,
    Plus,
    Spill,
)
from keen_trellis.desktop.map.spoken import SpokenMap, told
from keen_trellis.desktop.map.what_next import WhatNext, what_next
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme, text_font
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.document import edits

_BEHIND, _BELOW = 84, 20
"""How much behind and below what is selected is brought into view: its words, and the end."""

_DRAG_STARTS_AT, _BORDER = 6, 4


class MapView(QAbstractScrollArea):
    """Lane heads on the left, ribbons running to the right.

    A click selects; the arrow keys walk along and across the lanes. A lane's end can be dragged
    onto another lane to tie them, and a head up or down to reorder the lanes; the border of the
    heads to the right, where names are long.
    """

    add_lane_asked = Signal()
    add_item_asked = Signal(str, object)  # lane, global position
    menu_asked = Signal(object)  # global position
    tie_asked = Signal(str, str)  # the lane that goes on, the lane that its end is dragged onto

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("map")
        self.setAccessibleName(tr("Map of lanes"))
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.viewport().setMouseTracking(True)
        self._session, self._theme = session, theme
        self._zoom = 1.0
        self._hovered: object = None
        self._press: QPointF | None = None
        self._dragged: Plus | Head | Joint | Flag | Bead | None = None
        self._pointer = QPointF()
        self._proposed: dict[tuple[str, str], str] = {}
        small = QFontMetricsF(text_font(11))
        self._measure = small.horizontalAdvance
        kept = QSettings().value("heads_width", float(HEADS_WIDTH), float)
        self._heads_width = _within(float(str(kept)))
        self._is_widening = False
        self._layout = self._laid_out()
        self._overview = Overview(self.viewport(), lambda: self._theme)
        self._overview.asked.connect(self._look_at)
        for bar in (self.horizontalScrollBar(), self.verticalScrollBar()):
            bar.valueChanged.connect(self._show_overview)
        self._next = WhatNext(self.viewport())
        self._spoken = SpokenMap(self.viewport(), session.select, self.to_screen)
        self._drawn_for = session.selection
        session.document.changed.connect(self.renew)
        session.work.ran.connect(self._proposed.clear)
        session.work.ran.connect(self.renew)
        session.watching.outside.connect(self.renew)
        session.document.selected.connect(self._follow_selection)

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
        width = self._heads_width
        return lay_out(session.trellis, session.told, self._measure, stale, width)

    def renew(self) -> None:
        """Lay everything out anew; where that changes nothing, nothing is drawn again."""
        laid_out = self._laid_out()
        # A layout is plain numbers and texts, and two of them are compared sooner than one is
        # drawn.
        if laid_out == self._layout and self._drawn_for == self._session.selection:
            return
        self._layout, self._drawn_for = laid_out, self._session.selection
        self._fit_scrollbars()
        self.viewport().update()
        self._speak()

    def _speak(self) -> None:
        """Tell who hears the map what is on it, and what is selected."""
        self.setAccessibleDescription(self._told())
        trellis, selected = self._session.trellis, self._session.selection
        self._spoken.renew(lambda: told(self._layout, trellis), selected)

    def to_screen(self, box: Box) -> QRectF:
        """Return where a box of the layout is seen in the viewport."""
        # The heads stay at the left while all else scrolls: two coordinate systems that meet at
        # their border, told apart by where a box begins.
        in_heads = box.x < self._layout.heads_width
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
        if self._is_on_border(event.position()):
            self._is_widening = True
            return
        x, y = self._in_layout(event.position())
        thing = self._layout.at(x, y)
        self._dragged = thing if isinstance(thing, Plus | Head | Joint | Flag | Bead) else None
        if isinstance(thing, Head):
            self._session.select(thing.lane)
        elif isinstance(thing, Joint | Flag | Spill | Bead):
            self._session.select(thing.item)
        elif thing is None and (lane := self._layout.lane_at(x, y)):
            self._session.select(lane)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._pointer = event.position()
        if self._is_widening:
            self._widen_heads(event.position().x() / self._zoom)
            return
        if self._is_on_border(event.position()):
            self.viewport().setCursor(Qt.CursorShape.SplitHCursor)
            return
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
            QToolTip.showText(event.globalPosition().toPoint(), as_it_is(tip), self)
            self.viewport().update()

    def _ask_proposal(self) -> None:
        """Find out what would link the lane dragged with the one below the pointer."""
        target = self._layout.lane_at(*self._in_layout(self._pointer))
        dragged = self._dragged
        if not isinstance(dragged, Plus) or not target or target == dragged.lane:
            return
        pair = dragged.lane, target
        if pair not in self._proposed:
            # Noted before it is known: a drag asks at every move of the mouse, and the work is
            # done once.
            self._proposed[pair] = ""

            def done(words: str) -> None:
                self._proposed[pair] = words
                self.viewport().update()

            self._session.building.propose(*pair, done)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        dragged, was_drag = self._dragged, self._dragging()
        self._press = self._dragged = None
        if self._is_widening:
            self._is_widening = False
            QSettings().setValue("heads_width", self._heads_width)
            return
        x, y = self._in_layout(event.position())
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if was_drag and isinstance(dragged, Plus):
            target = self._layout.lane_at(x, y)
            if target and target != dragged.lane:
                self.tie_asked.emit(dragged.lane, target)
        elif was_drag and isinstance(dragged, Head):
            # How many heads begin above the pointer; the one that is dragged is among them, hence
            # one less.
            place = sum(head.box.y <= y for head in self._layout.heads) - 1
            self._session.do(edits.MoveLane(dragged.lane, max(place, 0)))
        elif was_drag and isinstance(dragged, Joint | Flag | Bead):
            self._drop_item(dragged.item, x)
        elif isinstance(dragged, Plus):
            self.add_item_asked.emit(dragged.lane, event.globalPosition().toPoint())
        elif self._layout.add_lane.holds(x, y):
            self.add_lane_asked.emit()
        self.viewport().update()

    def _is_on_border(self, at: QPointF) -> bool:
        """Whether a point is where the heads end, which can be drawn wider there."""
        is_near = abs(at.x() - self._layout.heads_width * self._zoom) <= _BORDER
        return is_near and not self._dragging()

    def _widen_heads(self, width: float) -> None:
        """Let the names of lanes have more room, or less."""
        self._heads_width = _within(width)
        self.renew()

    def _drop_item(self, item: str, x: float) -> None:
        """Move an item along its lane to where it is dropped."""
        lane, place = self._session.trellis.place_of(item)
        # Without the one that is moved: its place among the others is what the edit wants.
        boxes = (self._layout.box_of(one.id) for one in lane.items if one.id != item)
        target = sum(box is not None and box.x + box.width / 2 < x for box in boxes)
        if target != place:
            self._session.do(edits.MoveItem(item, target - place))

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
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._session.asked.emit("part.remove")
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
            self._session.do(edits.MoveItem(item.id, right))
        elif lane is not None and down:
            place = lanes.index(lane) + down
            if 0 <= place < len(lanes):
                self._session.do(edits.MoveLane(lane.id, place))

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
        self._bring_selected_into_view()
        self._speak()
        self.viewport().update()

    def _bring_selected_into_view(self) -> None:
        """Scroll until what is selected is seen, with its words above and below."""
        box = self._layout.box_of(self._session.selection)
        if box is None:
            return
        seen, room = self.to_screen(box), self.viewport().size()
        title = next((j.title_height for j in self._layout.joints if j.box == box), 0) * self._zoom
        across, down = self.horizontalScrollBar(), self.verticalScrollBar()
        if box.x >= self._layout.heads_width:
            left = seen.left() - self._layout.heads_width * self._zoom - 20
            _scroll(across, left, seen.right(), room.width(), _BEHIND)
        _scroll(down, seen.top() - title - 12, seen.bottom() + 4, room.height(), _BELOW)

    def _told(self) -> str:
        """Return what is selected, in words for those who hear the map."""
        selected = self._session.selection
        facts = self._session.told.facts
        item = facts.items.get(selected)
        if item is not None:
            kind = tr(item.type.capitalize())
            return f"{kind} {item.name}. {item.trouble or item.says}".strip()
        lane = facts.lanes.get(selected)
        if lane is None:
            return selected
        size = f", {counted(lane.rows or 0, 'row')}, {counted(len(lane.columns), 'column')}"
        rows = "" if lane.rows is None else size
        return tr(
            "Lane {name}{rows}. {trouble}", name=lane.name, rows=rows, trouble=lane.trouble
        ).strip()

    def _dragging(self) -> bool:
        if self._press is None or self._dragged is None:
            return False
        return (self._pointer - self._press).manhattanLength() > _DRAG_STARTS_AT

    def _in_layout(self, at: QPointF) -> tuple[float, float]:
        y = (at.y() + self.verticalScrollBar().value()) / self._zoom
        if at.x() / self._zoom < self._layout.heads_width:
            return at.x() / self._zoom, y
        return (at.x() + self.horizontalScrollBar().value()) / self._zoom, y

    def resizeEvent(self, event: QResizeEvent) -> None:
        box = self._layout.box_of(self._session.selection)
        # Where it lay before: what whoever sits here had scrolled away from is not fetched back.
        was_seen = box is not None and QRect(QPoint(), event.oldSize()).intersects(
            self.to_screen(box).toAlignedRect()
        )
        self._fit_scrollbars()
        if was_seen:
            self._bring_selected_into_view()

    def _look_at(self, x: float, y: float) -> None:
        """Scroll so that a point of the layout is in the middle."""
        room = self.viewport().size()
        self.horizontalScrollBar().setValue(int(x * self._zoom - room.width() / 2))
        self.verticalScrollBar().setValue(int(y * self._zoom - room.height() / 2))

    def _show_overview(self) -> None:
        bars = self.horizontalScrollBar(), self.verticalScrollBar()
        start = QPointF(*(bar.value() / self._zoom for bar in bars))
        seen = QRectF(start, QSizeF(self.viewport().size()) / self._zoom)
        self._overview.show_map(self._layout, seen, QRectF(self.viewport().rect()))

    def _say_what_next(self) -> None:
        shown = self._layout
        groups = (shown.heads, shown.joints, shown.spills, shown.flags, shown.beads)
        boxes = [one.box for group in groups for one in group]
        lowest = max((self.to_screen(box).bottom() for box in boxes), default=0.0)
        text = what_next(self._session.trellis)
        self._next.tell(text, shown.heads_width * self._zoom, lowest, self.viewport().rect())

    def _fit_scrollbars(self) -> None:
        room = self.viewport().size()
        for bar, needed, page in (
            (self.horizontalScrollBar(), self._layout.width * self._zoom, room.width()),
            (self.verticalScrollBar(), self._layout.height * self._zoom, room.height()),
        ):
            bar.setRange(0, max(0, int(needed) - page))
            bar.setPageStep(page)
            bar.setSingleStep(24)
        self._say_what_next()
        self._show_overview()

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setLayoutDirection(Qt.LayoutDirection.LeftToRight)  # time runs so, and its words
        painter.fillRect(self.viewport().rect(), QColor(self._theme.ground))
        zoom, top = self._zoom, -self.verticalScrollBar().value()
        painter.translate(-self.horizontalScrollBar().value(), top)
        painter.scale(zoom, zoom)
        drawing = Drawing(
            self._session.trellis,
            self._layout,
            self._theme,
            self._measure,
            selected=self._session.selection,
            hovered=self._hovered,
            has_focus=self.hasFocus(),
            room=QSizeF(self.viewport().size()) / zoom,
        )
        drawing.draw_ground(painter)
        drawing.draw_things(painter, self._seen())
        painter.resetTransform()
        painter.translate(0, top)
        painter.scale(zoom, zoom)
        # The heads last and without the sideways scroll: they lie upon the ribbons that pass
        # beneath.
        drawing.draw_heads(painter, self._seen())
        painter.resetTransform()
        self._draw_drag(painter, drawing)
        painter.end()

    def _seen(self) -> tuple[float, float]:
        """Return from where to where the map is seen, with room for what stands about a lane."""
        top = self.verticalScrollBar().value() / self._zoom
        about = ROOMY.row
        return top - about, top + self.viewport().height() / self._zoom + about

    def _sheet(self, thing: object) -> str:
        """Return what is known of a tie or step: what it did, its promises, why it is so."""
        if not isinstance(thing, Joint | Bead) or thing.trouble:
            return ""
        facts = self._session.told.facts.items.get(thing.item)
        item = self._session.trellis.item(thing.item)
        if facts is None or not facts.says:
            return ""
        kept = [
            tr("Promised: {sentence}", sentence=one.sentence)
            for one in getattr(facts, "promises", ())
        ]
        lines = [
            facts.name,
            facts.says,
            *kept,
            *([tr("Note: {note}", note=item.note)] if item.note else []),
        ]
        return "".join(f"<p style='margin:3px 0'>{escape(line)}</p>" for line in lines)

    def save_picture(self, path: Path) -> None:
        """Save the whole map as .svg or .png; `DeliveryError` for another ending."""
        save_picture(path, self._session.trellis, self._layout, self._theme, self._measure)

    def _draw_drag(self, painter: QPainter, drawing: Drawing) -> None:
        if not self._dragging() or self._press is None:
            return
        colour = QColor(self._theme.accent_ink)
        painter.setPen(QPen(colour, 2, Qt.PenStyle.DashLine))
        if isinstance(self._dragged, Joint | Flag | Bead):
            self._draw_place(painter, self._dragged.item)
            return
        if isinstance(self._dragged, Head):
            y = self._pointer.y()
            painter.drawLine(QPointF(8, y), QPointF(self._layout.heads_width * self._zoom - 8, y))
            return
        painter.drawLine(self._press, self._pointer)
        text = self.said_while_dragging()
        if text:
            seen = QRectF(self.viewport().rect()).adjusted(6, 6, -6, -6)
            drawing.draw_label(painter, text, self._pointer, seen)

    def _draw_place(self, painter: QPainter, item: str) -> None:
        """Draw where an item goes when it is dropped: across its lane, below the pointer."""
        box = self._layout.box_of(item)
        if box is not None:
            seen = self.to_screen(box)
            painter.setPen(QPen(QColor(self._theme.accent), 2, Qt.PenStyle.DashLine))
            x = self._pointer.x()
            painter.drawLine(QPointF(x, seen.top() - 8), QPointF(x, seen.bottom() + 8))

    def said_while_dragging(self) -> str:
        """Return what a drop here would tie, and by what; empty where it would tie nothing."""
        lane = self._layout.lane_at(*self._in_layout(self._pointer))
        if not lane or not isinstance(self._dragged, Plus) or lane == self._dragged.lane:
            return ""
        own, other = (self._session.trellis.lane(i).name for i in (self._dragged.lane, lane))
        found = self._proposed.get((self._dragged.lane, lane), "")
        return tr("Tie {own} with {other}", own=own, other=other) + (f": {found}" if found else "")


def _tip(thing: object) -> str:
    match thing:
        case Joint():
            return thing.trouble or thing.waits_for or f"{thing.title}: {thing.counts}"
        case Head():
            stale = tr("\nIts file has changed since it was read: F5 reads it again") * thing.stale
            return thing.trouble or f"{thing.name}: {thing.source}, {thing.size}{stale}"
        case Bead():
            return thing.trouble or tr(
                "{sort}: {counts} go on", sort=tr(thing.sort.capitalize()), counts=thing.counts
            )
        case Flag():
            return thing.trouble or tr(
                "{name}: {rows} to {file}", name=thing.name, rows=thing.rows, file=thing.file
            )
        case Spill():
            return tr("{full}: still there to look at in the bays of the tie", full=thing.full)
        case Plus():
            return tr("Add a tie or a delivery here, or drag onto another lane to tie them")
    return ""


def _within(width: float) -> float:
    """Return a width of the heads that leaves room for names and for what is behind them."""
    return min(max(width, HEADS_NARROWEST), HEADS_WIDEST)


def _scroll(bar: QScrollBar, low: float, high: float, room: int, more: int) -> None:
    """Scroll by as little as brings what lies from `low` to `high` into view, and some more."""
    if low < 0:
        bar.setValue(int(bar.value() + low))
    elif high > room:
        bar.setValue(int(bar.value() + high - room + more))
