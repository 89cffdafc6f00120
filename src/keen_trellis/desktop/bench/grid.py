"""Tables on the bench: cells fetched when they come into view, drawn so that nothing is hidden.

Columns stand beneath a band with the name of the lane they come from. Link fields are tinted,
stray spaces in them drawn, gaps hatched in the colour of the lane that has no row, blanks said.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QPersistentModelIndex,
    QPoint,
    QRect,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import (
    QBrush,
    QColor,
    QFontMetrics,
    QGuiApplication,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPaintEvent,
)
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from keen_trellis.data import BLANK, GAP, PRESENT
from keen_trellis.desktop.theme import LaneColours, Theme, text_font, value_font
from keen_trellis.words import SPACES, counted

if TYPE_CHECKING:
    from keen_trellis.data import Column, Field, Table

_BLOCK = 200
_BLOCKS_KEPT = 40
_ROWS_AT_MOST = 50_000_000  # a header's length in pixels must stay below 2**31
_ROW_HEIGHT = 23
_BAND_HEIGHT = 18
_NAME_HEIGHT = 25
_KIND_HEIGHT = 16
_LONGEST_DRAWN = 400
_NARROWEST, _WIDEST = 56, 220
_LOOKED_AT = 60
_USUAL = "a usual value"

Index = QModelIndex | QPersistentModelIndex
Role = Qt.ItemDataRole
_ROOT = QModelIndex()


@dataclass(frozen=True, slots=True)
class Origins:
    """What the lanes in a table are called, and their colours.

    Attributes
    ----------
    names : dict of lane id to name
    colours : dict of lane id to LaneColours
    """

    names: dict[str, str]
    colours: dict[str, LaneColours]


class TableModel(QAbstractTableModel):
    """Shows a table, reading only the rows that a view asks for."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        from keen_trellis.data import Table  # the first grid comes with the first rows

        self._table = Table.of({})
        self._blocks: dict[int, list[Column]] = {}

    @property
    def table(self) -> Table:
        """The table that is shown."""
        return self._table

    def show_table(self, table: Table) -> None:
        """Show another table."""
        self.beginResetModel()
        self._table, self._blocks = table, {}
        self.endResetModel()

    def rowCount(self, parent: Index = _ROOT) -> int:
        return 0 if parent.isValid() else min(len(self._table), _ROWS_AT_MOST)

    def columnCount(self, parent: Index = _ROOT) -> int:
        return 0 if parent.isValid() else len(self._table.fields)

    def data(self, index: Index, role: int = Role.DisplayRole) -> object:
        if not index.isValid():
            return None
        column, row = self.cell(index.row(), index.column())
        if role == Role.DisplayRole:
            return column.text(row)
        state = PRESENT if column.state is None else int(column.state[row])
        if role == Role.AccessibleTextRole:
            return {BLANK: "blank", GAP: "gap"}.get(state, column.text(row))
        if role == Role.TextAlignmentRole and column.kind.is_numeric:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return None

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Role.DisplayRole
    ) -> object:
        if orientation == Qt.Orientation.Vertical:
            return str(section + 1) if role == Role.DisplayRole else None
        field = self._table.fields[section]
        if role == Role.DisplayRole:
            return field.name
        if role == Role.ToolTipRole:
            return f"{field.name}: {field.kind}"
        return None

    def state(self, row: int, column: int) -> int:
        """Return whether a cell has a value, is blank, or is a gap."""
        values, at = self.cell(row, column)
        return PRESENT if values.state is None else int(values.state[at])

    def cell(self, row: int, column: int) -> tuple[Column, int]:
        """Return the fetched values that a cell lies in, and its place there."""
        number = row // _BLOCK
        if number not in self._blocks:
            if len(self._blocks) >= _BLOCKS_KEPT:
                self._blocks.pop(next(iter(self._blocks)))
            window = self._table.window(number * _BLOCK, (number + 1) * _BLOCK)
            self._blocks[number] = [window.fetch(field) for field in window.fields]
        return self._blocks[number][column], row % _BLOCK


class BandHeader(QHeaderView):
    """Column names beneath a band that names the lane they come from."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.theme: Theme | None = None
        self.origins = Origins({}, {})
        self.shows_kinds = False
        self.setSectionsClickable(True)
        self.setHighlightSections(False)
        self.setMinimumSectionSize(_NARROWEST)

    def sizeHint(self) -> QSize:
        kinds = _KIND_HEIGHT if self.shows_kinds else 0
        return QSize(super().sizeHint().width(), _BAND_HEIGHT + _NAME_HEIGHT + kinds)

    def paintEvent(self, event: QPaintEvent) -> None:
        model = self.model()
        if self.theme is None or not isinstance(model, TableModel):
            return
        painter = QPainter(self.viewport())
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
        first = max(self.visualIndexAt(0), 0)
        last = self.visualIndexAt(self.viewport().width() - 1)
        return range(first, (last if last >= 0 else self.count() - 1) + 1)

    def _draw_name(self, painter: QPainter, section: int, field: Field) -> None:
        assert self.theme is not None
        x = self.sectionViewportPosition(section)
        room = QRect(x + 8, _BAND_HEIGHT, self.sectionSize(section) - 14, _NAME_HEIGHT)
        right = field.kind.is_numeric
        side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        lines = [(field.name, text_font(12, bold=True), self.theme.ink_soft, room)]
        if self.shows_kinds:
            below = room.translated(0, _NAME_HEIGHT - 5)
            below.setHeight(_KIND_HEIGHT)
            lines.append((str(field.kind), text_font(11), self.theme.accent_ink, below))
        for text, font, colour, place in lines:
            painter.setFont(font)
            painter.setPen(QColor(colour))
            shown = QFontMetrics(font).elidedText(text, Qt.TextElideMode.ElideRight, place.width())
            painter.drawText(place, side | Qt.AlignmentFlag.AlignVCenter, shown)

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
        left = self.sectionViewportPosition(first)
        right = self.sectionViewportPosition(last) + self.sectionSize(last)
        band = QRect(left + 1, 1, right - left - 2, _BAND_HEIGHT - 2)
        painter.fillRect(band, QColor(colours.tint))
        seen = band.intersected(self.viewport().rect()).adjusted(7, 0, -4, 0)
        painter.setFont(text_font(11, bold=True))
        painter.setPen(QColor(colours.ink))
        name = self.origins.names.get(origin, origin)
        painter.drawText(seen, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)


class CellDelegate(QStyledItemDelegate):
    """Draws one cell: its value in the mono font, a gap hatched, a blank said."""

    def __init__(self, grid: Grid) -> None:
        super().__init__(grid)
        self._grid = grid

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        theme, model = self._grid.theme, self._grid.table_model
        field = model.table.fields[index.column()]
        column, row = model.cell(index.row(), index.column())
        state = PRESENT if column.state is None else int(column.state[row])
        room = option.rect.adjusted(0, 0, 0, -1)
        painter.save()
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(room, QColor(theme.selected))
        linked = field.name in self._grid.link_fields
        if linked and state != GAP:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.link_cell))
            painter.drawRoundedRect(room.adjusted(2, 2, -2, -2), 3, 3)
        if state == GAP:
            self._draw_gap(painter, room, field.origin)
        elif state == BLANK:
            painter.setFont(text_font(12))
            painter.setPen(QColor(theme.blank))
            painter.drawText(room.adjusted(8, 0, -6, 0), _aligned(column), "· blank")
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
        width = QFontMetrics(text_font(11)).horizontalAdvance("gap") + 8
        label = QRect(room.left() + 6, room.top() + 4, width, room.height() - 8)
        painter.fillRect(label, QColor(theme.surface))
        painter.setPen(QColor(colours.ink if colours else theme.ink_soft))
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, "gap")

    def _draw_value(
        self, painter: QPainter, room: QRect, column: Column, row: int, linked: bool
    ) -> None:
        theme, text = self._grid.theme, column.text(row)[:_LONGEST_DRAWN].replace("\n", "⏎")
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


class Grid(QTableView):
    """A table of which only the rows in view are fetched; cells can be copied.

    Signals
    -------
    kind_asked(column)
        Another kind is wanted for a column; only where kinds are shown.
    copy_asked(table, columns, rows)
        Cells are to go to the clipboard; there may be millions.
    """

    kind_asked = Signal(str)
    copy_asked = Signal(object, object, object)

    def __init__(self, theme: Theme, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName(name)
        self.theme = theme
        self.says = "Rows"  # what they are, for those who hear it
        self.origins = Origins({}, {})
        self.link_fields: Collection[str] = ()
        self.table_model = TableModel(self)
        self._band = BandHeader(self)
        self.setHorizontalHeader(self._band)
        self.setModel(self.table_model)
        self.setItemDelegate(CellDelegate(self))
        self.verticalHeader().setDefaultSectionSize(_ROW_HEIGHT)
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.verticalHeader().hide()
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setCornerButtonEnabled(False)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ContiguousSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setTabKeyNavigation(False)
        self._band.sectionClicked.connect(self._section_clicked)

    def show_kinds(self) -> None:
        """Show the kind of every column below its name, and let it be changed there."""
        self._band.shows_kinds = True
        self._band.setCursor(Qt.CursorShape.PointingHandCursor)
        self._band.setToolTip("Click to choose another kind")

    def column_place(self, name: str) -> QPoint:
        """Return where on the screen the kind of a column stands."""
        section = self.table_model.table.columns.index(name)
        x = max(self._band.sectionViewportPosition(section), 0)
        return self._band.viewport().mapToGlobal(QPoint(x, self._band.height()))

    def _section_clicked(self, section: int) -> None:
        if self._band.shows_kinds:
            self.kind_asked.emit(self.table_model.table.columns[section])

    def show_table(self, table: Table, origins: Origins, link_fields: Collection[str] = ()) -> None:
        """Show a table; its columns keep the widths they were given while their names stay."""
        before = self.table_model.table.columns
        shown = self.table_model.table, self.origins, self.link_fields, self._band.theme
        if shown[0] is table and shown[1:] == (origins, link_fields, self.theme):
            return
        self.origins = self._band.origins = origins
        self._band.theme = self.theme
        self.link_fields = link_fields
        if table is not self.table_model.table:  # else it stays where it was scrolled to
            self.table_model.show_table(table)
            size = f"{counted(len(table), 'row')}, {counted(len(table.columns), 'column')}"
            self.setAccessibleName(f"{self.says}: {size}")
        if before != table.columns:
            self.fit_columns()
        self.viewport().update()

    def set_theme(self, theme: Theme) -> None:
        """Draw in the colours of a theme."""
        self.theme = self._band.theme = theme
        self.viewport().update()
        self._band.viewport().update()

    def fit_columns(self) -> None:
        """Make every column as wide as its name and its first values need, within limits.

        Of very wide tables only the first columns are looked at; the others have a usual width.
        """
        names, values = QFontMetrics(text_font(12, True)), QFontMetrics(value_font(13, True))
        sample = self.table_model.table.window(0, 60)
        for place, field in enumerate(sample.fields):
            texts = sample.fetch(field).texts().to_pylist() if place < _LOOKED_AT else [_USUAL]
            longest = max((t or "· blank" for t in texts), key=len, default="")
            needed = max(
                names.horizontalAdvance(field.name),
                values.horizontalAdvance(longest[:_LONGEST_DRAWN]),
                names.horizontalAdvance(str(field.kind)) if self._band.shows_kinds else 0,
            )
            self.setColumnWidth(place, min(max(needed + 22, _NARROWEST), _WIDEST))

    def ask_copy(self) -> None:
        """Ask for the selected cells to be copied, by their ranges: never cell by cell."""
        selected = self.selectionModel().selection()
        if selected.isEmpty():
            return
        only = selected.first()  # a selection is one block here
        table = self.table_model.table
        columns = table.columns[only.left() : only.right() + 1]
        self.copy_asked.emit(table, columns, range(only.top(), only.bottom() + 1))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            self.ask_copy()
        else:
            super().keyPressEvent(event)


def put_on_clipboard(text: str) -> None:
    """Put text on the clipboard."""
    QGuiApplication.clipboard().setText(text)


def _aligned(column: Column) -> Qt.AlignmentFlag:
    side = Qt.AlignmentFlag.AlignRight if column.kind.is_numeric else Qt.AlignmentFlag.AlignLeft
    return side | Qt.AlignmentFlag.AlignVCenter
