"""The bench: pages for whatever is selected on the map."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.compute.tied import Tied
from keen_trellis.data import Table
from keen_trellis.desktop.bench.columns_page import ColumnsPage
from keen_trellis.desktop.bench.finding_line import FindingLine
from keen_trellis.desktop.bench.grid import Grid, Origins, put_on_clipboard
from keen_trellis.desktop.bench.match_page import MatchPage
from keen_trellis.desktop.bench.pages import DeliveryPage, TablePage, outcome_line, rows_line
from keen_trellis.desktop.bench.source_page import SourcePage
from keen_trellis.desktop.controls import Notice, OneLine, label
from keen_trellis.desktop.kind_menu import offer_kinds
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.errors import UserError
from keen_trellis.flow import Lane, Source
from keen_trellis.flow.describe import counted
from keen_trellis.flow.document import DeliveryItem, TieItem
from keen_trellis.flow.edits import RenameLane, SetSource

_WELCOME = (
    "Add a lane for each table you want to bring together: a sheet of a workbook, a delimited "
    "text, a table of an SQLite file. Then drag a lane’s end onto another lane to tie them."
)


class Bench(QWidget):
    """A head with the name of what is selected and its pages, and the page that is open."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session, self._theme = session, theme
        self._page = {"tie": "Match", "lane": "Rows", "delivery": "Delivery"}
        self.match_page = MatchPage(session, theme)
        self.outcome_page = TablePage("outcome", theme)
        self.rows_page = TablePage("rows", theme)
        self.rows_page.grid.show_kinds()
        self.rows_page.grid.kind_asked.connect(self._offer_kinds)
        self.columns_page = ColumnsPage(session, theme)
        self.source_page = SourcePage(session, theme)
        self.delivery_page = DeliveryPage(session)
        self._welcome = self._welcome_page()
        self._stack = QStackedWidget()
        lane_pages = (self.rows_page, self.columns_page, self.source_page)
        pages = (self.match_page, self.outcome_page, *lane_pages, self.delivery_page)
        for page in (*pages, self._welcome):
            self._stack.addWidget(page)
        self.notice = Notice("bench.notice")
        self.finding = FindingLine(session)
        self._title = OneLine()
        self._title.setProperty("heading", True)
        self._title.setObjectName("bench.title")
        self._title.setMaximumWidth(420)
        self._rename = QLineEdit()
        self._rename.setObjectName("bench.rename")
        self._rename.setAccessibleName("Name of the lane")
        self._rename.setMaximumWidth(260)
        self._rename.hide()
        self._rename.returnPressed.connect(self._finish_renaming)
        self._rename.editingFinished.connect(self._finish_renaming)
        self._tabs = QHBoxLayout()
        self._tabs.setSpacing(22)
        self._group = QButtonGroup(self)
        self._lay_out()
        for grid in self.findChildren(Grid):
            grid.copy_asked.connect(self._copy)
        for signal in (session.changed, session.ran, session.selected, session.delivered):
            signal.connect(self.renew)
        self.renew()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.setContentsMargins(20, 6, 20, 0)
        head.setSpacing(22)
        head.addWidget(self._title)
        head.addWidget(self._rename)
        head.addLayout(self._tabs)
        head.addStretch(1)
        head.addWidget(self.notice, 4)
        head.addWidget(self.finding, 4)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(self._stack, 1)

    def _welcome_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.addStretch()
        for text, look in (("Nothing selected", "heading"), (_WELCOME, "soft")):
            line = label(text, **{look: True})
            line.setAlignment(Qt.AlignmentFlag.AlignCenter)
            line.setWordWrap(True)
            line.setContentsMargins(160, 0, 160, 0)
            column.addWidget(line)
        column.addStretch()
        return page

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        self._theme = theme
        pages = (self.match_page, self.outcome_page, self.rows_page, self.columns_page)
        for page in pages:
            page.set_theme(theme)
        self.renew()

    def open_page(self, name: str) -> None:
        """Open one of the pages of what is selected."""
        self._page[self._selected_kind()] = name
        self.renew()

    def rename_lane(self) -> None:
        """Let the name of the selected lane be typed over."""
        lane = self._session.selected_lane
        if lane is None:
            return
        self._session.select(lane.id)
        self._rename.setText(lane.name)
        self._title.hide()
        self._rename.show()
        self._rename.setFocus()
        self._rename.selectAll()

    def _finish_renaming(self) -> None:
        if self._rename.isHidden():
            return
        self._rename.hide()
        self._title.show()
        lane = self._session.selected_lane
        if lane is not None and self._rename.text().strip() != lane.name:
            columns = self._session.source_columns
            self._session.do(RenameLane(lane.id, self._rename.text(), columns))

    def _selected_kind(self) -> str:
        item = self._session.selected_item
        return item.type if item else "lane"

    def renew(self) -> None:
        """Show what is selected, as the latest results have it."""
        lane, item = self._session.selected_lane, self._session.selected_item
        if lane is None:
            self._title.setText("")
            self._show_tabs(())
            self._stack.setCurrentWidget(self._welcome)
            return
        origins = self._origins()
        if isinstance(item, TieItem):
            self._title.setText(f"{lane.name} + {self._session.trellis.lane(item.lane).name}")
            self._show_tabs(("Match", f"Outcome {self._count(item.id)}"))
            if self._page["tie"] == "Match":
                self.match_page.show_tie(lane, item, origins)
                self._stack.setCurrentWidget(self.match_page)
            else:
                table = self._session.results.rows.get(item.id)
                tie = self._session.results.ties.get(item.id)
                line = outcome_line(tie)
                links = {f.left for f in tie.link.fields} if isinstance(tie, Tied) else set()
                self.outcome_page.show_table(table, line, origins, links)
                self._stack.setCurrentWidget(self.outcome_page)
        elif isinstance(item, DeliveryItem):
            self._title.setText(item.name)
            self._show_tabs(("Delivery",))
            self.delivery_page.show_delivery(lane, item)
            self._stack.setCurrentWidget(self.delivery_page)
        else:
            self._title.setText(lane.name)
            self._show_tabs((f"Rows {self._count(lane.id)}", "Columns", "Source"))
            self._show_lane(lane, origins)

    def _show_lane(self, lane: Lane, origins: Origins) -> None:
        reading = self._session.results.readings.get(lane.id)
        match self._page["lane"]:
            case "Columns":
                self.columns_page.show_lane(lane, reading)
                self._stack.setCurrentWidget(self.columns_page)
            case "Source":
                self.source_page.show_lane(lane, reading)
                self._stack.setCurrentWidget(self.source_page)
            case _:
                table = self._session.results.rows.get(lane.id)
                shown = reading if isinstance(reading, UserError) else table
                self.rows_page.show_table(shown, rows_line(reading), origins, set())
                self._stack.setCurrentWidget(self.rows_page)

    def _offer_kinds(self, column: str) -> None:
        lane = self._session.selected_lane
        if lane is None:
            return
        grid = self.rows_page.grid
        kind = grid.table_model.table.field(column).kind

        def choose(source: Source) -> None:
            self._session.do(SetSource(lane.id, source, f"Change the kind of “{column}”"))

        offer_kinds(self, lane.source, column, kind, grid.column_place(column), choose)

    def _copy(self, table: Table, columns: Sequence[str], rows: range) -> None:
        def done(text: str) -> None:
            put_on_clipboard(text)
            self._session.said.emit(f"Copied {counted(len(columns) * len(rows), 'cell')}.", False)

        self._session.copy(table, columns, rows, done)

    def _count(self, part: str) -> str:
        table = self._session.results.rows.get(part)
        return f"{len(table):,}" if isinstance(table, Table) else ""

    def _origins(self) -> Origins:
        lanes = self._session.trellis.lanes
        return Origins(
            {lane.id: lane.name for lane in lanes},
            {lane.id: self._theme.lane(lane.colour) for lane in lanes},
        )

    def _show_tabs(self, tabs: Sequence[str]) -> None:
        """Show the pages that there are; the buttons are kept while their words stay the same."""
        names = [tab.split(" ")[0] for tab in tabs]
        buttons = [b for b in self._group.buttons() if isinstance(b, QPushButton)]
        if [b.property("page_name") for b in buttons] != names:
            for old in buttons:
                self._group.removeButton(old)
                self._tabs.removeWidget(old)
                old.hide()
                old.deleteLater()
            buttons = [self._tab(name) for name in names]
        current = self._page.get(self._selected_kind(), "")
        for tab, words in zip(buttons, tabs, strict=True):
            tab.setText(words.strip())
            tab.setAccessibleName(f"Page {words}")
            tab.setChecked(tab.property("page_name") == current)

    def _tab(self, name: str) -> QPushButton:
        tab = QPushButton()
        tab.setObjectName(f"page.{name.lower()}")
        tab.setProperty("page", True)
        tab.setProperty("page_name", name)
        tab.setCheckable(True)
        tab.setCursor(Qt.CursorShape.PointingHandCursor)
        tab.clicked.connect(lambda: self.open_page(name))
        self._group.addButton(tab)
        self._tabs.addWidget(tab)
        return tab
