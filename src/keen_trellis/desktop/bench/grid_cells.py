"""How cells and their heads are drawn, so that nothing is hidden.

Columns stand beneath a band with the name of the lane they come from. Link fields are tinted,
stray spaces in them drawn, gaps hatched in the colour of the lane that has no row, blanks said.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import TYPE_CHECKING, Protocol

from PySide6.QtCore import QObject, QPointF, QRect, QSize, Qt
from PySide6.QtGui import QBrush, QColor, QFontMetrics, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from keen_trellis.base.language import tr
from keen_trellis.base.words import SPACES
from keen_trellis.data import BLANK, GAP, PRESENT
from keen_trellis.desktop.bench.local_formats import as_read
from keen_trellis.desktop.bench.table_model import Index, Origins, TableModel
from keen_trellis.desktop.theme import Theme, text_font, value_font

if TYPE_CHECKING:
    from keen_trellis.compute.formula.formula_values import Flags
    from keen_trellis.data import Column, Field

Marks = Mapping[str, "Flags"]
"""Which cells of a table are marked, by column."""

_BAND_HEIGHT = 18
_NAME_HEIGHT = 25
_KIND_HEIGHT = 16
_NARROWEST = 56
LONGEST_DRAWN = 400
_FORWARD = Qt.LayoutDirection.LeftToRight
"""How values are drawn wherever columns begin: a code or a number reads one way."""


class BandHeader(QHeaderView):
    """Column names beneath a band that names the lane they come from."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.theme: Theme | None = None
        self.origins = Origins({}, {})
        self.shows_kinds = False
        self.pressed_kind = False
        self.sorted_by = ("", False)
        self.setSectionsClickable(True)
        self.setHighlightSections(False)
        self.setMinimumSectionSize(_NARROWEST)

    def sizeHint(self) -> QSize:
        kinds = _KIND_HEIGHT if self.shows_kinds else 0
        return QSize(super().sizeHint().width(), self._band_height + _NAME_HEIGHT + kinds)

    @property
    def _band_height(self) -> int:
        """The height of the band; none where no column comes from a lane."""
        model = self.model()
        fields = model.table.fields if isinstance(model, TableModel) else ()
        return _BAND_HEIGHT if any(f.origin in self.origins.colours for f in fields) else 0

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Remember whether a name or the kind below it is pressed."""
        low = event.position().y() >= self._band_height + _NAME_HEIGHT - 4
        self.pressed_kind = self.shows_kinds and low
        super().mousePressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        model = self.model()
        if self.theme is None or not isinstance(model, TableModel):
            return
        painter = QPainter(self.viewport())
        painter.setLayoutDirection(_FORWARD)
        painter.fillRect(self.viewport().rect(), QColor(self.theme.surface))
        for first, last in self._bands(model):
            self._draw_band(painter, model, first, last)
        for section in self._sections_in_view():
            self._draw_name(painter, section, model.table.fields[section])
        bottom = self.viewport().height() - 1
        painter.setPen(QColor(self.theme.line))
        painter.drawLine(0, bottom, self.viewport().width(), bottom)

    def _sections_in_view(self) -> range:
        """Return the sections in view: a table may have thousands of them."""
        # −1 where no section lies at that place: left of the first, or right of the last.
        ends = [self.visualIndexAt(x) for x in (0, self.viewport().width() - 1)]
        if self.isRightToLeft():
            ends.reverse()
        return range(max(ends[0], 0), (ends[1] if ends[1] >= 0 else self.count() - 1) + 1)

    def _draw_name(self, painter: QPainter, section: int, field: Field) -> None:
        assert self.theme is not None
        x = self.sectionViewportPosition(section)
        room = QRect(x + 8, self._band_height, self.sectionSize(section) - 14, _NAME_HEIGHT)
        if field.name == self.sorted_by[0]:
            room = room.adjusted(0, 0, -14, 0)
            self._draw_arrow(painter, QPointF(room.right() + 8, room.center().y()))
        right = field.kind.is_numeric
        side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        lines = [(field.name, text_font(12, bold=True), self.theme.ink_soft, room)]
        if self.shows_kinds:
            below = room.translated(0, _NAME_HEIGHT - 5)
            below.setHeight(_KIND_HEIGHT)
            lines.append((tr(field.kind), text_font(11), self.theme.accent_ink, below))
        for text, font, colour, place in lines:
            painter.setFont(font)
            painter.setPen(QColor(colour))
            shown = QFontMetrics(font).elidedText(text, Qt.TextElideMode.ElideRight, place.width())
            painter.drawText(place, side | Qt.AlignmentFlag.AlignVCenter, shown)

    def _draw_arrow(self, painter: QPainter, middle: QPointF) -> None:
        """Draw which way the rows are sorted: up for the least first."""
        assert self.theme is not None
        tip = 3 if self.sorted_by[1] else -3
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(self.theme.accent_ink), 1.8))
        ends = (QPointF(-4, -tip), QPointF(0, tip), QPointF(4, -tip))
        painter.drawPolyline([middle + end for end in ends])

    def _bands(self, model: TableModel) -> list[tuple[int, int]]:
        """Return the first and last section of each run of columns from one lane."""
        bands: list[tuple[int, int]] = []
        for section, field in enumerate(model.table.fields):
            if bands and model.table.fields[bands[-1][0]].origin == field.origin:
                bands[-1] = (bands[-1][0], section)
            else:
                bands.append((section, section))
        return bands

    def _draw_band(self, painter: QPainter, model: TableModel, first: int, last: int) -> None:
        assert self.theme is not None
        origin = model.table.fields[first].origin
        colours = self.origins.colours.get(origin)
        if colours is None:
            return
        if self.isRightToLeft():
            first, last = last, first
        left = self.sectionViewportPosition(first)
        right = self.sectionViewportPosition(last) + self.sectionSize(last)
        band = QRect(left + 1, 1, right - left - 2, _BAND_HEIGHT - 2)
        painter.fillRect(band, QColor(colours.tint))
        # The name stands in what is seen of its band, however far this is scrolled.
        seen = band.intersected(self.viewport().rect()).adjusted(7, 0, -4, 0)
        painter.setFont(text_font(11, bold=True))
        painter.setPen(QColor(colours.ink))
        name = self.origins.names.get(origin, origin)
        metrics = painter.fontMetrics()
        shown = metrics.elidedText(name, Qt.TextElideMode.ElideMiddle, seen.width())
        painter.drawText(seen, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)


class Drawn(Protocol):
    """What the cells of a grid are drawn by."""

    theme: Theme
    table_model: TableModel
    marks: Marks
    link_fields: Collection[str]
    origins: Origins

    def row_of(self, row: int) -> int:
        """Return the row of the whole table that stands in a row of the grid."""


class CellDelegate(QStyledItemDelegate):
    """Draws one cell: its value in the mono font, a gap hatched, a blank said."""

    def __init__(self, grid: Drawn, parent: QObject) -> None:
        super().__init__(parent)
        self._grid = grid

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        theme, model = self._grid.theme, self._grid.table_model
        field = model.table.fields[index.column()]
        column, row = model.cell(index.row(), index.column())
        state = PRESENT if column.state is None else int(column.state[row])
        room = option.rect.adjusted(0, 0, 0, -1)
        painter.save()
        painter.setLayoutDirection(_FORWARD)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(room, QColor(theme.selected))
        marks = self._grid.marks.get(field.name)
        linked = field.name in self._grid.link_fields
        # Marks are by the rows of the whole table, and a grid may show some of them in another
        # order.
        if marks is not None:
            linked = linked or bool(marks[self._grid.row_of(index.row())])
        if linked and state != GAP:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.link_cell))
            painter.drawRoundedRect(room.adjusted(2, 2, -2, -2), 3, 3)
        if state == GAP:
            self._draw_gap(painter, room, field.origin)
        elif state == BLANK:
            painter.setFont(text_font(12))
            painter.setPen(QColor(theme.blank))
            painter.drawText(room.adjusted(8, 0, -6, 0), _aligned(column), tr("· blank"))
        else:
            self._draw_value(painter, room, column, row=row, linked=linked)
        painter.restore()

    def _draw_gap(self, painter: QPainter, room: QRect, origin: str) -> None:
        theme = self._grid.theme
        colours = self._grid.origins.colours.get(origin)
        colour = QColor(colours.fill if colours else theme.left_out)
        colour.setAlphaF(0.8)
        painter.fillRect(room.adjusted(2, 2, -2, -2), QBrush(colour, Qt.BrushStyle.BDiagPattern))
        painter.setFont(text_font(11))
        word = tr("gap")
        width = QFontMetrics(text_font(11)).horizontalAdvance(word) + 8
        label = QRect(room.left() + 6, room.top() + 4, width, room.height() - 8)
        painter.fillRect(label, QColor(theme.surface))
        painter.setPen(QColor(colours.ink if colours else theme.ink_soft))
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, word)

    def _draw_value(
        self, painter: QPainter, room: QRect, column: Column, row: int, linked: bool
    ) -> None:
        theme, text = self._grid.theme, as_read(column.text(row), column.kind)
        # Measuring a text takes as long as it is: a cell may hold a million letters, of which
        # some forty are seen.
        text = text[:LONGEST_DRAWN].replace("\n", "⏎")
        font = value_font(13, bold=linked)
        metrics = QFontMetrics(font)
        painter.setFont(font)
        painter.setPen(QColor(theme.ink))
        inner = room.adjusted(8, 0, -6, 0)
        if linked and text.strip(SPACES) != text:
            self._draw_strays(painter, inner, text, metrics)
        shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, inner.width())
        painter.drawText(inner, _aligned(column), shown)

    def _draw_strays(
        self, painter: QPainter, inner: QRect, text: str, metrics: QFontMetrics
    ) -> None:
        """Tint the spaces before and after a link value, which are why it finds no partner."""
        # Our own list of spaces, the one that links ignore: Python's `strip` knows fewer and
        # others.
        before = len(text) - len(text.lstrip(SPACES))
        after = len(text) - len(text.rstrip(SPACES))
        wide = metrics.horizontalAdvance
        colour = QColor(self._grid.theme.stray)
        for start, length in ((0, before), (len(text) - after, after)):
            if length:
                x = inner.left() + wide(text[:start])
                width = max(wide(text[start : start + length]), 7)
                painter.fillRect(
                    QRect(x + 1, inner.top() + 4, width - 1, inner.height() - 8), colour
                )


def _aligned(column: Column) -> Qt.AlignmentFlag:
    side = Qt.AlignmentFlag.AlignRight if column.kind.is_numeric else Qt.AlignmentFlag.AlignLeft
    return side | Qt.AlignmentFlag.AlignVCenter
