"""The table of a report: groups with their figures, subtotals and the line of all."""

from __future__ import annotations

from PySide6.QtCore import QAbstractTableModel, QRect, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QFontMetrics, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from keen_trellis.base.language import grouped_digits, tr
from keen_trellis.data import BLANK, GAP
from keen_trellis.desktop.bench.table_model import Index
from keen_trellis.desktop.theme import Theme, text_font, value_font
from keen_trellis.report.summing import ALL, Line, Summed

Role = Qt.ItemDataRole
_ROW_HEIGHT = 30
_LOOKED_AT = 200
_NARROWEST, _WIDEST = 56, 240
_EDGE = 8


class LinesModel(QAbstractTableModel):
    """Shows the lines of a report: a column for each group, for each figure, and the rows."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.summed: Summed | None = None

    def show_summed(self, summed: Summed | None) -> None:
        """Show another report."""
        self.beginResetModel()
        self.summed = summed
        self.endResetModel()

    def rowCount(self, parent: Index | None = None) -> int:
        is_below = parent is not None and parent.isValid()
        return 0 if self.summed is None or is_below else len(self.summed.lines)

    def columnCount(self, parent: Index | None = None) -> int:
        if self.summed is None or (parent is not None and parent.isValid()):
            return 0
        figures = self.summed.report.figures
        counts_rows = any(
            not one.column and not one.name for one in figures
        )  # then they stand there already
        return max(self.summed.n_groups, 1) + len(figures) + (not counts_rows)

    def line(self, row: int) -> Line:
        """Return one of the lines."""
        assert self.summed is not None
        return self.summed.lines[row]

    def group_of(self, column: int) -> int | None:
        """Return which group a column shows; None for a figure."""
        assert self.summed is not None
        return column if column < max(self.summed.n_groups, 1) else None

    def is_number(self, column: int) -> bool:
        """Whether a column shows numbers, which end at one edge."""
        assert self.summed is not None
        place = column - max(self.summed.n_groups, 1)
        if place < 0:
            return False
        kinds = self.summed.figure_kinds
        return place >= len(kinds) or kinds[place].is_numeric

    def text(self, row: int, column: int) -> str:
        """Return what a cell shows."""
        assert self.summed is not None
        line, group = self.line(row), self.group_of(column)
        if group is not None:
            if group < line.level:
                return line.groups[group].text
            return ALL if group == line.level else ""
        place = column - max(self.summed.n_groups, 1)
        if place < len(line.figures):
            return self.summed.figure_text(place, line.figures[place])
        return grouped_digits(line.rows)

    def state(self, row: int, column: int) -> int:
        """Return whether a cell is a value, a blank or a gap."""
        line, group = self.line(row), self.group_of(column)
        return line.groups[group].state if group is not None and group < line.level else 0

    def data(self, index: Index, role: int = Role.DisplayRole) -> object:
        if role in (Role.DisplayRole, Role.ToolTipRole):
            return self.text(index.row(), index.column())
        return None

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Role.DisplayRole
    ) -> object:
        if self.summed is None or orientation is not Qt.Orientation.Horizontal:
            return None
        if role == Role.TextAlignmentRole:
            side = (
                Qt.AlignmentFlag.AlignRight
                if self.is_number(section)
                else Qt.AlignmentFlag.AlignLeft
            )
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        if role not in (Role.DisplayRole, Role.ToolTipRole):
            return None
        report = self.summed.report
        titles = [group.title for group in report.groups] or [tr("rows of")]
        titles += [figure.title for figure in report.figures]
        return [*titles, tr("rows")][section]


class LinesTable(QTableView):
    """The lines of a report; a double click or Return on one shows the rows behind it.

    Signals
    -------
    rows_asked(line)
    """

    rows_asked = Signal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setTabKeyNavigation(False)  # Tab leaves it, as it leaves every table
        self.setObjectName("report.lines")
        self.setAccessibleName(tr("The groups of the report and their figures"))
        self.theme = theme
        self.gap_colours: list[str] = []
        self.lines_model = LinesModel(self)
        self.setModel(self.lines_model)
        self.setItemDelegate(_LineDelegate(self))
        self.setShowGrid(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(_ROW_HEIGHT)
        self.horizontalHeader().setHighlightSections(False)
        self.horizontalHeader().setMinimumHeight(32)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.doubleClicked.connect(lambda index: self._ask(index.row()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Ask for the rows behind the current line with Return."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentIndex().isValid():
            self._ask(self.currentIndex().row())
        else:
            super().keyPressEvent(event)

    def _ask(self, row: int) -> None:
        self.rows_asked.emit(self.lines_model.line(row))

    def show_summed(self, summed: Summed | None, gap_colours: list[str]) -> None:
        """Show a report; `gap_colours` has a colour for each group."""
        self.gap_colours = gap_colours
        self.lines_model.show_summed(summed)
        if summed is None:
            return
        model, metrics = self.lines_model, QFontMetrics(value_font(13, bold=True))
        heads = QFontMetrics(text_font(13, bold=True))
        for column in range(model.columnCount()):
            rows = [*range(min(model.rowCount(), _LOOKED_AT)), model.rowCount() - 1]
            widest = max(metrics.horizontalAdvance(model.text(row, column)) for row in rows)
            title = heads.horizontalAdvance(
                str(model.headerData(column, Qt.Orientation.Horizontal))
            )
            width = min(max(widest, title, _NARROWEST) + 2 * _EDGE + 6, _WIDEST)
            self.setColumnWidth(column, width)

    @property
    def needed_width(self) -> int:
        """The width that all columns take."""
        return self.horizontalHeader().length() + self.verticalScrollBar().sizeHint().width()


class _LineDelegate(QStyledItemDelegate):
    """Draws a cell: values in the mono font, sums of several groups on a ground of their own."""

    def __init__(self, table: LinesTable) -> None:
        super().__init__(table)
        self._table = table

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        theme, model = self._table.theme, self._table.lines_model
        summed = model.summed
        assert summed is not None
        line = model.line(index.row())
        is_sum = line.level < summed.n_groups or not summed.n_groups
        painter.save()
        ground = theme.accent_soft if not line.level else theme.surface_soft
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect, QColor(theme.selected))
        elif is_sum:
            painter.fillRect(option.rect, QColor(ground))
        painter.setPen(QColor(theme.line))
        painter.drawLine(option.rect.bottomLeft(), option.rect.bottomRight())
        state = model.state(index.row(), index.column())
        room = option.rect.adjusted(_EDGE, 0, -_EDGE, 0)
        if state == GAP:
            self._draw_gap(painter, option.rect, index.column())
        else:
            group = model.group_of(index.column())
            is_word = state == BLANK or (group is not None and group >= line.level)
            font = text_font(13, bold=is_sum) if is_word else value_font(13, bold=is_sum)
            painter.setFont(font)
            painter.setPen(QColor(theme.blank if state == BLANK else theme.ink))
            text = model.text(index.row(), index.column())
            text = f"· {text}" if state == BLANK else text
            shown = QFontMetrics(font).elidedText(text, Qt.TextElideMode.ElideRight, room.width())
            is_number = model.is_number(index.column())
            side = Qt.AlignmentFlag.AlignRight if is_number else Qt.AlignmentFlag.AlignLeft
            painter.drawText(room, side | Qt.AlignmentFlag.AlignVCenter, shown)
        painter.restore()

    def _draw_gap(self, painter: QPainter, rect: QRect, column: int) -> None:
        theme = self._table.theme
        colours = self._table.gap_colours
        colour = QColor(colours[column] if column < len(colours) else theme.left_out)
        colour.setAlphaF(0.7)
        font = text_font(12)
        words = tr("no match")
        width = QFontMetrics(font).horizontalAdvance(words) + 26
        room = QRect(
            rect.left() + 8, rect.top() + 5, min(width, rect.width() - 12), rect.height() - 11
        )
        painter.fillRect(room, QBrush(colour, Qt.BrushStyle.BDiagPattern))
        painter.fillRect(room.adjusted(7, 2, -7, -2), QColor(theme.surface))
        painter.setFont(font)
        painter.setPen(QColor(theme.ink))
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, words)
