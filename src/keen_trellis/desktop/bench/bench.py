"""The bench: pages for whatever is selected on the map."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QLineEdit,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.language import grouped_digits, marked, tr
from keen_trellis.base.words import counted
from keen_trellis.desktop.bench.finding_line import FindingLine
from keen_trellis.desktop.bench.grid import Grid, put_on_clipboard
from keen_trellis.desktop.bench.page import Page, PageSpec, PartView, later
from keen_trellis.desktop.bench.page_tabs import PageTab, PageTabs
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, OneLine
from keen_trellis.desktop.frames import empty_page
from keen_trellis.desktop.parts import VIEWS, view_of
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.session.place_runs import FIRST_ROWS
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import edits

if TYPE_CHECKING:
    from keen_trellis.advice.findings import Shows
    from keen_trellis.base.progress import Report
    from keen_trellis.compute.row_view import Look, Only
    from keen_trellis.data import Rows, Table
    from keen_trellis.document.items import StepItem

_WELCOME = tr(
    "Add a lane for each table you want to bring together: a sheet of a workbook, a delimited "
    "text, a table of an SQLite file. Then drag a lane’s end onto another lane to tie them."
)
_THERE = PageSpec(
    "there", tr("There"), later("place.place_page.TherePage"), "Run where the data is"
)
"""The first page of every part while the trellis runs elsewhere."""
_FIRST_ROWS = marked(
    "This page works on the first {rows:,} rows of each lane, read here. What is true of all of "
    "them stands on the page There and on the map."
)
_LOOK_MS, _LOOKS = 5, 40
"""How often and how many times a new window is asked whether the screen shows it by now."""

_HEAD_HEIGHT, _LEAST_HEIGHT, _BETWEEN = 42, 260, 22


class Bench(QWidget):
    """A head with the name of what is selected and its pages, and the page that is open."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session, self._theme = session, theme
        # By the sort of what is selected: who looks at the columns of one lane looks at those of
        # the next.
        self._open = {sort: view.pages[0].id for sort, view in VIEWS.items()}
        self._trellis: object = None
        self._parts: set[str] = set()
        self._new: set[str] = set()
        self._pages: dict[tuple[str, str], Page] = {}
        self._stack = QStackedWidget(self)
        # a page takes the room that there is: one that is opened must not push the map away
        ignored = QSizePolicy.Policy.Ignored
        self._stack.setSizePolicy(ignored, ignored)
        self.setMinimumHeight(_LEAST_HEIGHT)
        self._welcome = empty_page(tr("Nothing selected"), _WELCOME)
        self._stack.addWidget(self._welcome)
        self._blank = QWidget()
        self._stack.addWidget(self._blank)
        self._page_due = QTimer(self, interval=_LOOK_MS)
        self._page_due.timeout.connect(self._make_page)
        self._looks = 0
        self.notice = Notice("bench.notice")
        self._of_first = Notice("bench.first_rows")
        self._was_elsewhere = False
        self.finding = FindingLine(session)
        self._title = OneLine(names=True)
        self._title.setProperty("heading", True)
        self._title.setObjectName("bench.title")
        self._title.setMaximumWidth(420)
        self._rename = QLineEdit()
        self._rename.setObjectName("bench.rename")
        self._rename.setAccessibleName(tr("Name of the lane"))
        self._rename.setMaximumWidth(260)
        self._rename.hide()
        self._rename.returnPressed.connect(self._finish_renaming)
        self._rename.editingFinished.connect(self._finish_renaming)
        self._tabs = PageTabs()
        self._group = QButtonGroup(self)
        self._lay_out()
        # behind the line's own, which is made first
        session.looking.noticed.connect(self._place_finding)
        for signal in (
            session.document.changed,
            session.document.selected,
            session.work.ran,
            session.work.looked_first,
            session.delivering.delivered,
        ):
            signal.connect(self.renew)
        session.document.taken_up.connect(self._wait_for_map)
        session.shows.connect(self._show_rows)
        session.elsewhere.went.connect(self._change_place)
        self.renew()

    def _lay_out(self) -> None:
        # of one height, so that a finding that comes or goes moves nothing below; one that is
        # longer than the room beside the tabs stands in a row of its own, and is never cut off
        bar = QWidget()
        bar.setFixedHeight(_HEAD_HEIGHT)
        head = self._head = QHBoxLayout(bar)
        head.setContentsMargins(20, 6, 20, 0)
        head.setSpacing(_BETWEEN)
        head.addWidget(self._title)
        head.addWidget(self._rename)
        head.addWidget(self._tabs)
        head.addStretch(1)
        head.addWidget(self.finding)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(bar)
        self._finding_row = QHBoxLayout()
        self._finding_row.setContentsMargins(20, 2, 20, 2)
        column.addLayout(self._finding_row)
        notices = QHBoxLayout()  # a row of their own: what is wrong is never cut off
        notices.setContentsMargins(20, 0, 20, 0)
        notices.addWidget(self.notice)
        column.addLayout(notices)
        firsts = QHBoxLayout()
        firsts.setContentsMargins(20, 0, 20, 0)
        firsts.addWidget(self._of_first)
        column.addLayout(firsts)
        column.addWidget(self._stack, 1)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Find the room again that a finding takes."""
        super().resizeEvent(event)
        self._place_finding()

    def _place_finding(self) -> None:
        """Put a finding beside the tabs, or in a row of its own where it would not fit there."""
        if self.finding.isHidden():
            return
        shown = [one for one in (self._title, self._rename) if not one.isHidden()]
        taken = sum(min(one.sizeHint().width(), one.maximumWidth()) + _BETWEEN for one in shown)
        tabs = self._tabs.sizeHint().width() + 2 * _BETWEEN
        margins = self._head.contentsMargins()
        room = self.width() - taken - tabs - margins.left() - margins.right()
        fits = self.finding.whole_width <= room
        wanted, other = self._head, self._finding_row
        if not fits:
            wanted, other = other, wanted
        self.finding.take_lines(not fits)
        if wanted.indexOf(self.finding) < 0:
            other.removeWidget(self.finding)
            wanted.addWidget(self.finding)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        self._theme = theme
        for page in self._pages.values():
            page.set_theme(theme)
        self.renew()

    def open_page(self, name: str) -> None:
        """Open a page of what is selected by its id; of its lane, where it has no such page."""
        item = self._session.selected_item
        if item is not None and name not in {spec.id for spec in self._specs(view_of(item))}:
            lane = self._session.selected_lane
            assert lane is not None
            self._open["lane"] = name
            self._session.select(lane.id)
        else:
            self._open[self._sort] = name
            self.renew()

    @property
    def help(self) -> str:
        """The heading of the guide's section on the page that is open."""
        if self._session.selected_lane is None:
            return tr("Begin")
        specs = self._specs(view_of(self._session.selected_item))
        return next((one.help for one in specs if one.id == self.open_id()), specs[0].help)

    def open_id(self) -> str:
        """Return the id of the page that is open."""
        return self._open.get(self._sort, "") if self._session.selected_lane else ""

    @property
    def open_one(self) -> QWidget | None:
        """The page that is open."""
        return self._stack.currentWidget()

    @property
    def needed_height(self) -> int:
        """How high it must be for all that the open page says, and some rows below it."""
        page = self._stack.currentWidget()
        layout = page.layout() if page is not None else None
        if layout is None or not self._stack.width():
            return _LEAST_HEIGHT
        says = layout.totalMinimumHeightForWidth(self._stack.width())
        above: list[QWidget] = [x for x in (self.notice, self._of_first) if not x.isHidden()]
        if self._finding_row.count() and not self.finding.isHidden():
            above.append(self.finding)
        taken = sum(one.sizeHint().height() + 4 for one in above)
        rows = page.rows_height if isinstance(page, Page) else 0
        return max(_HEAD_HEIGHT + taken + says + rows, _LEAST_HEIGHT)

    @property
    def _sort(self) -> str:
        item = self._session.selected_item
        return item.type if item else "lane"

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
            columns = self._session.work.source_columns
            self._session.do(edits.RenameLane(lane.id, self._rename.text(), columns))

    def _begin_new_parts(self) -> None:
        """Let what is new and selected open on its main page, whichever was open for others."""
        trellis, selection = self._session.trellis, self._session.selection
        if self._trellis is not trellis:
            parts = {one for x in trellis.lanes for one in (x.id, *(item.id for item in x.items))}
            # Another document shares no part with the one before: then all would be new, and
            # nothing is.
            is_another = bool(self._parts) and not self._parts & parts
            self._new = set() if is_another else (self._new | (parts - self._parts)) & parts
            self._trellis, self._parts = trellis, parts
        if selection in self._new:
            self._new.discard(selection)
            view = view_of(self._session.selected_item)
            self._open[self._sort] = "there" if self._is_elsewhere else view.pages[0].id

    def renew(self) -> None:
        """Show what is selected, as the latest results have it."""
        self._begin_new_parts()
        lane, item = self._session.selected_lane, self._session.selected_item
        if lane is None:
            self._title.setText("")
            self._show_tabs(())
            self._stack.setCurrentWidget(self._welcome)
            return
        view = view_of(item)
        self._title.setText(view.title(self._session.trellis, lane, item))
        self._show_tabs(self._specs(view))
        # A page that has been made before is cheap to show, and is shown at once.
        if self._page_due.isActive() and (self._sort, self._open[self._sort]) not in self._pages:
            self._stack.setCurrentWidget(self._blank)
            return
        page = self._page(view)
        page.show_part(lane, item, self._origins())
        self._stack.setCurrentWidget(page)
        is_of_first = self._is_elsewhere and self._open[self._sort] not in ("there", "notes")
        self._of_first.tell(tr(_FIRST_ROWS, rows=FIRST_ROWS) if is_of_first else "")

    def _wait_for_map(self) -> None:
        """Let the map of another document be drawn before a page is made for it, which is slow."""
        self._looks = 0
        self._page_due.start()

    def _make_page(self) -> None:
        self._looks += 1
        handle = self.window().windowHandle()
        # what is shown is drawn at once; a window that is not shown waits for nothing
        is_drawn = not self.isVisible() or (handle is not None and handle.isExposed())
        if is_drawn or self._looks >= _LOOKS:
            self._page_due.stop()
            self.renew()

    @property
    def _is_elsewhere(self) -> bool:
        return self._session.elsewhere.place is not None

    def _specs(self, view: PartView) -> tuple[PageSpec, ...]:
        """Return the pages of a part, and what was counted where the trellis runs elsewhere."""
        return (_THERE, *view.pages) if self._is_elsewhere else view.pages

    def _change_place(self) -> None:
        """Open what was counted there, or the first page again, when another place is chosen."""
        if self._is_elsewhere is self._was_elsewhere:
            return
        self._was_elsewhere = self._is_elsewhere
        first = "there" if self._is_elsewhere else ""
        self._open = {sort: first or view.pages[0].id for sort, view in VIEWS.items()}
        self.renew()

    def _page(self, view: PartView) -> Page:
        """Return the page that is open, made when it is opened for the first time."""
        key = self._sort, self._open[self._sort]
        if key not in self._pages:
            spec = next(spec for spec in self._specs(view) if spec.id == key[1])
            made = spec.make(self._session, self._theme, self._stack)
            for grid in made.findChildren(Grid):
                self.serve(grid)
                grid.step_asked = self._add_step if grid.offers_steps else None
                grid.count_asked = self._count
                grid.try_asked = self._try
            self._stack.addWidget(made)
            self._pages[key] = made
        return self._pages[key]

    def serve(self, grid: Grid) -> None:
        """Sort, search and copy for a grid, and lead from its rows to where they come from."""
        grid.copy_asked.connect(self._copy)
        grid.look_asked.connect(partial(self._look, grid))
        grid.sources_of = self._sources_of
        grid.source_asked.connect(self._go_to_row)

    def _sources_of(self, table: Table, row: int) -> Iterator[tuple[str, str, int]]:
        """Yield the lanes that a row comes from, as far as their own rows lie beneath it."""
        told = {self._session.selection}
        for field in table.fields:
            lane = next((x for x in self._session.trellis.lanes if x.id == field.origin), None)
            read = self._session.results.table(field.origin) if lane else None
            if lane is None or read is None or lane.id in told:
                continue
            strand = table.strands[field.places[0][0]]
            # The strand leads to a lane's own rows where its columns are the very ones that were
            # read, with nothing taken or put in order between: only then is a place in it a row
            # of the lane.
            beneath = any(s.columns is strand.columns and s.rows is None for s in read.strands)
            there = row if strand.rows is None else int(strand.rows[row])
            if beneath and there >= 0:
                told.add(lane.id)
                yield lane.id, lane.name, there

    def _add_step(self, step: StepItem) -> None:
        """Put a step behind the rows one looks at: of a lane those as they are read."""
        lane, item = self._session.selected_lane, self._session.selected_item
        if lane is not None:
            self._session.building.add_step(step, item.id if item is not None else lane.id)

    def _go_to_row(self, lane: str, row: int) -> None:
        """Show a row in the lane that it comes from."""
        self._session.select(lane)
        self.open_page("rows")
        grid = self._stack.currentWidget()
        found = grid.findChild(Grid) if grid is not None else None
        if found is not None:
            found.show_row(row)

    def _look(self, grid: Grid, table: Table, look: Look) -> None:
        def find(report: Report) -> Rows:
            from keen_trellis.compute.row_view import looked_rows

            return looked_rows(table, look, report)

        stopped = tr("Stopped: the rows are shown as they were.")
        self._session.work.find_out(find, partial(grid.take_look, table, look), stopped)

    def _rows_for_steps(self, shown: Table) -> Table:
        """Return the rows that a step would be put behind, of which a grid may show only some."""
        found = self._session.results.table(self._session.selection)
        return shown if found is None else found

    def _count(self, shown: Table, only: Only, done: Callable[[int], None]) -> None:
        table = self._rows_for_steps(shown)

        def count(report: Report) -> int:
            from keen_trellis.compute.row_view import Look, looked_rows

            return len(looked_rows(table, Look(only=(only,)), report))

        self._session.work.find_out(count, done, "")

    def _try(
        self,
        shown: Table,
        step: StepItem,
        done: Callable[[Mapping[str, int]], object],
        is_wanted: Callable[[], bool],
    ) -> None:
        table = self._rows_for_steps(shown)

        def work(report: Report) -> Mapping[str, int] | None:
            from keen_trellis.run.first_look import tried

            return tried(step, table) if is_wanted() else None

        self._session.work.find_out(work, lambda found: done(found) if found else None, "")

    def _show_rows(self, shows: Shows) -> None:
        """Show the rows of a finding in the bay where they are."""
        self.open_page("match")
        from keen_trellis.desktop.bench.bay_panes import Bays  # it comes with the first tie

        page = self._stack.currentWidget()
        bays = page.findChild(Bays) if page is not None else None
        if bays is not None:
            bays.show_rows(shows)

    def _copy(self, table: Table, columns: Sequence[str], rows: range) -> None:
        def done(text: str) -> None:
            put_on_clipboard(text)
            self._session.telling.say(
                tr("Copied {cells}.", cells=counted(len(columns) * len(rows), "cell"))
            )

        def write(report: Report) -> str:
            from keen_trellis.deliver import cells_as_text

            return cells_as_text(table, columns, rows, report)

        self._session.work.find_out(write, done, tr("Stopped: nothing has been copied."))

    def _origins(self) -> Origins:
        lanes = self._session.trellis.lanes
        return Origins(
            {lane.id: lane.name for lane in lanes},
            {lane.id: self._theme.lane(lane.colour) for lane in lanes},
        )

    def _show_tabs(self, pages: Sequence[PageSpec]) -> None:
        """Show the tabs of the pages that there are; kept while the pages stay the same."""
        # Tabs are kept while the pages are the same: one that is pressed must not be deleted by
        # its own signal.
        buttons = [b for b in self._group.buttons() if isinstance(b, PageTab)]
        if [tab.page for tab in buttons] != [spec.id for spec in pages]:
            for old in buttons:
                self._group.removeButton(old)
                self._tabs.row.removeWidget(old)
                old.hide()
                old.deleteLater()
            buttons = [self._tab(spec.id) for spec in pages]
        rows = None  # of the first rows alone nobody is told how many there are
        if not self._is_elsewhere:
            rows = self._session.results.table(self._session.selection)
        for tab, spec in zip(buttons, pages, strict=True):
            count = f" {grouped_digits(len(rows))}" if spec.counts_rows and rows is not None else ""
            tab.setText(f"{spec.title}{count}")
            tab.setAccessibleName(tr("Page {title}{count}", title=spec.title, count=count))
            tab.setChecked(spec.id == self._open[self._sort])

    def _tab(self, name: str) -> PageTab:
        tab = PageTab(name)
        tab.clicked.connect(lambda: self.open_page(name))
        self._group.addButton(tab)
        self._tabs.row.addWidget(tab)
        return tab
