"""What every join type would give for these two tables: seen side by side before choosing."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.language import grouped_digits, tr, with_marks
from keen_trellis.base.words import counted
from keen_trellis.compute.join_result import Tied
from keen_trellis.desktop.controls import label
from keen_trellis.plan.bays import Bay, Keep
from keen_trellis.plan.outcome import ALL_COLUMNS, Columns, semi_side
from keen_trellis.plan.sentences import outcome_sentences

_WIDTH, _ROW = 700, 26


@dataclass(frozen=True, slots=True)
class Choice:
    """A join type: the bays it keeps, and whether it is a semi or a cross join."""

    keep: Keep
    semi: str = ""
    cross: bool = False


@dataclass(frozen=True, slots=True)
class Unlinked:
    """A tie that no field links yet: there is only one join that it can be.

    Attributes
    ----------
    names : (str, str)
    rows : (int, int)
    """

    names: tuple[str, str]
    rows: tuple[int, int]


@dataclass(frozen=True, slots=True)
class _Line:
    """One line of the table."""

    name: str
    choice: Choice
    rows: int
    left_gaps: int
    right_gaps: int
    multiplied: int
    sentence: str


class TypesCard(QFrame):
    """A table of join types; opens with the present one marked, Return takes the marked one.

    Signals
    -------
    chosen(choice)
        One was taken; the card is closed.
    """

    chosen = Signal(object)

    def __init__(self, tie: Tied | Unlinked, keep: Keep, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("popover")
        self.setAccessibleName(tr("What every join type would give"))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setFixedWidth(_WIDTH)
        self._lines, self._now = _lines(tie), -1
        if isinstance(tie, Tied):
            semi = semi_side(keep, tie.columns) or ""
            # Found by what it would set: a join type is nothing but bays, sides and cross.
            now = Choice(keep, semi, tie.link.cross)
            self._now = next((n for n, line in enumerate(self._lines) if line.choice == now), 0)
        left, right = tie.names
        heads = (
            tr("join type"),
            tr("rows"),
            tr("against now"),
            tr("gaps in {left}", left=left),
            tr("gaps in {right}", right=right),
            tr("multiplied"),
        )
        self.table = QTableWidget(len(self._lines), len(heads))
        self.table.setTabKeyNavigation(False)
        self.table.setObjectName("join_types")
        self.table.setAccessibleName(tr("Join types, with the rows that each would give"))
        self.table.setHorizontalHeaderLabels(heads)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(_ROW)
        self.table.setShowGrid(False)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setFrameShape(QFrame.Shape.NoFrame)
        self._fill()
        for column in range(len(heads)):
            mode = QHeaderView.ResizeMode.Stretch
            self.table.horizontalHeader().setSectionResizeMode(column, mode)
        height = self.table.horizontalHeader().sizeHint().height() + _ROW * len(self._lines) + 6
        self.table.setFixedHeight(height)
        self._says = label(soft=True)
        self._says.setObjectName("join_types.says")
        self._says.setWordWrap(True)
        self._says.setFixedHeight(56)
        self._says.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        column_ = QVBoxLayout(self)
        column_.setContentsMargins(10, 10, 10, 8)
        column_.addWidget(self.table)
        column_.addWidget(self._says)
        self.table.currentCellChanged.connect(lambda row, *_: self._say(row))
        self.table.cellClicked.connect(lambda row, _: self._take(row))
        self.table.setCurrentCell(max(self._now, 0), 0)
        self._say(max(self._now, 0))

    def open_above(self, corner: QPoint) -> None:
        """Open with the lower right corner above a place on the screen."""
        self.adjustSize()
        self.move(max(corner.x() - self.width(), 8), max(corner.y() - self.height() - 6, 8))
        self.show()
        self.table.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Take the marked one with Return; the table has passed the key on."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._take(self.table.currentRow())
        else:
            super().keyPressEvent(event)

    def _fill(self) -> None:
        rows_now = self._lines[self._now].rows if self._now >= 0 else None
        for row, line in enumerate(self._lines):
            apart = line.rows - rows_now if rows_now is not None else 0
            against = (
                tr("now")
                if row == self._now
                else with_marks(f"{apart:+,}")
                if apart
                else tr("as many")
            )
            against = "–" if rows_now is None else against
            numbers = (line.left_gaps, line.right_gaps, line.multiplied)
            cells = [tr(line.name), grouped_digits(line.rows), against]
            cells += [grouped_digits(number) if number else "–" for number in numbers]
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                right = Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft
                item.setTextAlignment(right | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, column, item)
                head = self.table.horizontalHeaderItem(column)
                assert head is not None
                head.setTextAlignment(right | Qt.AlignmentFlag.AlignVCenter)

    def _say(self, row: int) -> None:
        if 0 <= row < len(self._lines):
            self._says.setText(self._lines[row].sentence)

    def _take(self, row: int) -> None:
        self.close()
        self.chosen.emit(self._lines[row].choice)


def _lines(tie: Tied | Unlinked) -> list[_Line]:
    left, right = tie.names
    if isinstance(tie, Unlinked):
        return [_cross_line(tie.names, tie.rows, tuple(Bay))]
    found = []
    for kind in () if tie.link.cross else tie.join_types():
        columns = ALL_COLUMNS
        if kind.semi:
            columns = Columns(right=()) if kind.semi == "left" else Columns(left=())
        sentence = outcome_sentences(tie.counts, kind.keep, left, right, columns)
        found.append(
            _Line(
                kind.name,
                Choice(kind.keep, kind.semi),
                kind.rows,
                kind.left_gaps,
                kind.right_gaps,
                multiplied=kind.multiplied,
                sentence=sentence,
            )
        )
    if tie.link.cross:
        back = tr("The link fields, once chosen, say again which rows belong together.")
        choice = Choice((Bay.LEFT, Bay.BOTH))
        found.append(_Line(tr("by link fields"), choice, 0, 0, 0, multiplied=0, sentence=back))
    keep = tie.keep if tie.link.cross else tuple(Bay)
    found.append(_cross_line(tie.names, (len(tie.left), len(tie.right)), keep))
    return found


def _cross_line(names: tuple[str, str], sides: tuple[int, int], keep: Keep) -> _Line:
    rows = sides[0] * sides[1]
    sentence = tr(
        "Every one of {sides_1:,} {names_1} rows beside every one of {sides_2:,} "
        "{names_2} rows, whatever they hold: {rows}.",
        sides_1=sides[0],
        names_1=names[0],
        sides_2=sides[1],
        names_2=names[1],
        rows=counted(rows, "row"),
    )
    multiplied = max(rows - sides[0], 0)
    choice = Choice(keep, cross=True)
    return _Line("cross", choice, rows, 0, 0, multiplied=multiplied, sentence=sentence)
