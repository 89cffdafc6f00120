"""The Columns page of a lane: every column with its kind, and a profile of the one looked at."""

from __future__ import annotations

from PySide6.QtCore import QItemSelectionModel, Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.language import grouped_digits, tr
from keen_trellis.base.progress import Report
from keen_trellis.data import BLANK, Kind, Table
from keen_trellis.data.profile import Profile, profile
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.profile_view import ProfileView
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Choice, Notice, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme, text_font, value_font
from keen_trellis.document import Lane, edits
from keen_trellis.document.items import Item
from keen_trellis.read import Reading

_COUNTED_AT_MOST = 300
_UNFIT_LISTED = 5


class ColumnsPage(Page):
    """Columns on the left; on the right what is in the one that is selected."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._lane: Lane | None = None
        self._shown: Table | None = None
        self._profiles: dict[str, Profile] = {}
        self._looking_at: set[str] = set()
        self._list = _list()
        self._list.itemSelectionChanged.connect(self._show_column)
        self._title = label(strong=True)
        self._title.setObjectName("columns.title")
        self._kind = Choice("columns.kind", tr("Kind of the column"))
        self._kind.chosen.connect(self._choose_kind)
        self._unfit = Notice("columns.unfit")
        self._view = ProfileView(theme, "columns.profile")
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(self._title)
        self._says = label(tr("is read as"), soft=True)
        head.addWidget(self._says)
        head.addWidget(self._kind)
        head.addStretch()
        right = QVBoxLayout()
        right.setSpacing(6)
        right.addLayout(head)
        right.addWidget(self._unfit)
        right.addWidget(self._view, 1)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 10, 20, 8)
        row.setSpacing(24)
        row.addWidget(self._list)
        row.addLayout(right, 1)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._view.set_theme(theme)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show the columns of a lane as it begins."""
        results = self.session.results
        table = results.readings.get(lane.id) or results.rows.get(lane.id)
        table = table.table if isinstance(table, Reading) else table
        same_lane = self._lane is not None and self._lane.id == lane.id
        self._lane = lane
        for widget in (self._list, self._title, self._says, self._kind, self._view):
            widget.setVisible(isinstance(table, Table))
        if not isinstance(table, Table):
            self._shown = None
            self.tell_trouble(self._unfit, table, "" if table is not None else tr("Not read yet."))
            return
        if table is self._shown and same_lane:
            if self._current not in self._profiles:
                self._look_at(table, self._current)
            return
        before = self._current
        self._shown, self._profiles, self._looking_at = table, {}, set()
        self._fill(table)
        self.select(before)

    def select(self, name: str) -> None:
        """Look at a column; at the first where there is none of that name."""
        names = self._shown.columns if self._shown is not None else ()
        place = names.index(name) if name in names else 0
        select = QItemSelectionModel.SelectionFlag.ClearAndSelect
        rows = QItemSelectionModel.SelectionFlag.Rows
        index = self._list.model().index(place, 0)
        self._list.selectionModel().setCurrentIndex(index, select | rows)
        self._show_column()

    def _fill(self, table: Table) -> None:
        self._list.blockSignals(True)
        self._list.setRowCount(len(table.fields))
        for row, field in enumerate(table.fields):
            blanks = ""
            if row < _COUNTED_AT_MOST:
                number = table.fetch(field).count(BLANK)
                blanks = grouped_digits(number) if number else "–"
            for column, text in enumerate((field.name, tr(field.kind), blanks)):
                item = QTableWidgetItem(text)
                item.setFont(text_font(13, bold=column == 0))
                if column == 2:
                    item.setFont(value_font(12))
                    item.setTextAlignment(
                        Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                    )
                self._list.setItem(row, column, item)
        self._list.blockSignals(False)

    @property
    def _current(self) -> str:
        item = self._list.item(self._list.currentRow(), 0)
        return item.text() if item is not None else ""

    def _show_column(self) -> None:
        table, name, lane = self._shown, self._current, self._lane
        if table is None or lane is None or name not in table.columns:
            return
        kind = table.field(name).kind
        self._title.setText(name)
        options = [(k.value, tr(k), "") for k in Kind]
        is_read = lane.source.begins_at() is None
        self._says.setText(
            tr("is read as") if is_read else tr("is {kind} where it comes from", kind=kind)
        )
        self._kind.setVisible(is_read)
        if name in lane.source.kinds:
            options.append(("", tr("as found in the values"), ""))
        self._kind.offer(options, kind.value)
        self._show_unfit(name)
        self._view.show_profile(self._profiles.get(name), self.theme.lane(lane.colour))
        if name not in self._profiles:
            self._look_at(table, name)

    def _look_at(self, table: Table, name: str) -> None:
        """Have a column looked at, unless that is under way."""
        if name in self._looking_at:
            return
        looking_at = self._looking_at  # of this table; another one begins a new set
        looking_at.add(name)

        def done(found: Profile) -> None:
            if table is self._shown and self._lane is not None:
                self._profiles[name] = found
                if name == self._current:
                    self._view.show_profile(found, self.theme.lane(self._lane.colour))

        def look(report: Report) -> Profile:
            report(0.0, tr("Looking at {name}", name=name))
            return profile(table.column(name))

        self.session.work.find_out(look, done, "", lambda: looking_at.discard(name))

    def _show_unfit(self, name: str) -> None:
        """Say which values are none of the kind chosen."""
        assert self._lane is not None
        reading = self.session.results.reading(self._lane.id)
        unfit = reading.unfit if reading is not None else ()
        lost = next((u for u in unfit if u.column == name), None)
        if lost is None:
            self._unfit.tell("")
            return
        pairs = zip(lost.texts[:_UNFIT_LISTED], lost.rows, strict=False)
        some = ", ".join(
            tr("“{text}” in row {row:,}", text=text, row=int(row) + 1) for text, row in pairs
        )
        more = len(lost.rows) - _UNFIT_LISTED
        tail = tr(" and {more:,} more", more=more) if more > 0 else ""
        what = tr("Their time of day is cut off") if lost.is_cut else tr("so blank here")
        self._unfit.tell(
            tr(
                "Cannot be read as {kind} whole. {what}: {some}{tail}.",
                kind=lost.kind,
                what=what,
                some=some,
                tail=tail,
            )
        )

    def _choose_kind(self, value: str) -> None:
        if self._lane is None:
            return
        kind = Kind(value) if value else None
        source = self._lane.source.with_kind(self._current, kind)
        words = (
            tr("Read “{current}” as {kind}", current=self._current, kind=kind)
            if kind
            else tr("Find the kind of “{current}”", current=self._current)
        )
        self.session.do(edits.SetSource(self._lane.id, source, words))


def _list() -> QTableWidget:
    made = QTableWidget(0, 3)
    made.setObjectName("columns.list")
    made.setAccessibleName(tr("Columns of the lane"))
    made.setHorizontalHeaderLabels([tr("Column"), tr("Kind")])
    made.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    made.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    made.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    made.setShowGrid(False)
    made.setTabKeyNavigation(False)
    made.verticalHeader().hide()
    made.verticalHeader().setDefaultSectionSize(25)
    made.setFixedWidth(380)
    header = made.horizontalHeader()
    header.setAccessibleName(tr("What is said of each column"))
    header.setHighlightSections(False)
    header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
    right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
    blank = QTableWidgetItem(tr("Blank"))
    blank.setTextAlignment(right)
    made.setHorizontalHeaderItem(2, blank)
    header.resizeSection(1, 120)
    header.resizeSection(2, 70)
    return made
