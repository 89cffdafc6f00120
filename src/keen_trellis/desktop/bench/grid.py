"""Tables on the bench: sorted, searched and copied; only the cells in view are fetched."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QMetaMethod, QPoint, QSettings, Qt, Signal
from PySide6.QtGui import (
    QAction,
    QContextMenuEvent,
    QFontMetrics,
    QGuiApplication,
    QKeyEvent,
    QKeySequence,
)
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QMenu, QTableView, QWidget
from shiboken6 import isValid

from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.data import BLANK, GAP
from keen_trellis.desktop.bench.column_steps import (
    Offer,
    steps_of_columns,
    steps_of_value,
    told,
)
from keen_trellis.desktop.bench.frozen_columns import KeptColumns
from keen_trellis.desktop.bench.grid_cells import (
    LONGEST_DRAWN,
    BandHeader,
    CellDelegate,
    Marks,
)
from keen_trellis.desktop.bench.local_formats import as_read
from keen_trellis.desktop.bench.table_model import Index, Origins, TableModel
from keen_trellis.desktop.theme import Theme, text_font, value_font

if TYPE_CHECKING:
    from keen_trellis.compute.row_view import Look, Only
    from keen_trellis.data import Kind, Rows, Table
    from keen_trellis.document.items import StepItem

    Numbers = Mapping[str, int]
    Trying = Callable[[Table, StepItem, Callable[[Numbers], object], Callable[[], bool]], object]

_ROW_HEIGHT = 23
_NARROWEST, _WIDEST = 56, 220
_LOOKED_AT = 60
_USUAL = tr("a usual value")
_KEPT_AT_MOST = 0.6  # of the width


_TAKES = (Qt.Key.Key_Return, Qt.Key.Key_Enter)


class Grid(QTableView):
    """A table of which only the rows in view are fetched; cells can be copied.

    Signals
    -------
    kind_asked(column)
        Another kind is wanted for a column; only where kinds are shown.
    copy_asked(table, columns, rows)
        Cells are to go to the clipboard; there may be millions.
    look_asked(table, look)
        The rows of a look are wanted; `take_look` takes them.
    looked()
        What one looks at is another.
    source_asked(lane, row)
        A row is to be seen in the lane that it comes from.
    search_asked()
        Something is to be searched for.
    """

    kind_asked = Signal(str)
    copy_asked = Signal(object, object, object)
    look_asked = Signal(object, object)
    looked = Signal()
    source_asked = Signal(str, int)
    search_asked = Signal()

    def __init__(self, theme: Theme, name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName(name)
        self.theme = theme
        self.says = tr("Rows")  # what they are, for those who hear it
        self.origins = Origins({}, {})
        self.link_fields: Collection[str] = ()
        self.marks: Marks = {}
        from keen_trellis.compute.row_view import Look  # the first grid comes with the first rows

        self.table_model = TableModel(self)
        self.whole = self.table_model.table
        self.look = Look()
        self.offers: list[tuple[str, str, Callable[[int], object]]] = []
        self.step_asked: Callable[[StepItem], object] | None = None
        """Puts a step behind the rows that are shown, where they are what a part gives."""
        self.offers_steps = False
        self.count_asked: Callable[[Table, Only, Callable[[int], None]], object] | None = None
        """Counts aside how many rows have a value, for those who are offered to keep them."""
        self.try_asked: Trying | None = None
        """Tries a step aside on the rows, for those who are offered it, while they still are."""
        self.sources_of: Callable[[Table, int], Iterable[tuple[str, str, int]]] | None = None
        """Gives the lane, its name and the row there, for each lane that a row comes from."""
        self._rows: Rows | None = None
        self._band = BandHeader(self)
        self.setHorizontalHeader(self._band)
        self.setModel(self.table_model)
        self.setItemDelegate(CellDelegate(self, self))
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
        self.setMinimumHeight(_ROW_HEIGHT)  # a sentence above is never cut for the rows below it
        self._kept_to = ""
        self._kept_columns: KeptColumns | None = None
        self._band.sectionClicked.connect(partial(self._section_clicked, self._band))
        self._band.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self._band.customContextMenuRequested.connect(self._head_menu)

    def show_kinds(self) -> None:
        """Show the kind of every column below its name, and let it be changed there."""
        self._band.shows_kinds = True
        self._band.setToolTip(tr("Click a name to sort by it, a kind to choose another one"))

    def column_place(self, name: str) -> QPoint:
        """Return where on the screen the kind of a column stands."""
        section = self.table_model.table.columns.index(name)
        kept = self._kept_columns if section < self.kept else None
        band = self._band if kept is None else kept.band
        x = max(band.sectionViewportPosition(section), 0)
        return self._band.viewport().mapToGlobal(QPoint(x, self._band.height()))

    def keep_to(self, column: str) -> None:
        """Keep the columns up to one in view while the others scroll; none for an empty name."""
        self._kept_to = column
        QSettings().setValue(self._kept_as, column)
        self._keep()

    @property
    def _kept_as(self) -> str:
        """Under what it is remembered which columns are kept: wherever there are these columns."""
        names = "\n".join(self.whole.columns)
        return f"kept/{hashlib.sha256(names.encode(errors='replace')).hexdigest()[:16]}"

    @property
    def kept(self) -> int:
        """How many columns are kept in view: those that leave the others room to scroll.

        One more would be cut, and nothing could bring the rest of it into view.
        """
        columns = self.table_model.table.columns
        wanted = columns.index(self._kept_to) + 1 if self._kept_to in columns else 0
        room = self.viewport().width() * _KEPT_AT_MOST
        # Widths as they are drawn now; who makes a column wider may so let go of the last one
        # that is kept.
        for column in range(wanted):
            room -= self.columnWidth(column)
            if room < 0:
                return column
        return wanted

    def _keep(self) -> None:
        if self._kept_to and self._kept_columns is None:
            self._kept_columns = KeptColumns(self, self, self._band, lambda: self.kept)
            band = self._kept_columns.band
            band.sectionClicked.connect(partial(self._section_clicked, band))
        self._renew_kept()

    def _renew_kept(self) -> None:
        if self._kept_columns is not None:
            self._kept_columns.renew()

    def scrollTo(
        self,
        index: Index,
        hint: QAbstractItemView.ScrollHint = QAbstractItemView.ScrollHint.EnsureVisible,
    ) -> None:
        """Scroll to a cell, and bring it out from beneath the columns that are kept in view."""
        sideways = self.horizontalScrollBar()
        # Qt scrolls so far that a cell is in the viewport, and knows nothing of the columns that
        # lie upon its left part.
        before = sideways.value()
        super().scrollTo(index, hint)
        if self._kept_columns is None or not self.kept or not index.isValid():
            return
        if index.column() < self.kept:  # it is in view wherever the others are
            sideways.setValue(before)
            return
        hidden = self._kept_columns.reach - self.columnViewportPosition(index.column())
        if hidden > 0:
            sideways.setValue(sideways.value() - hidden)

    def _section_clicked(self, band: BandHeader, section: int) -> None:
        column = self.table_model.table.columns[section]
        if band.pressed_kind:
            self.kind_asked.emit(column)
        elif not self._can_look:
            return
        elif self.look.sort != column:
            self.sort_by(column)
        else:
            self.sort_by("" if self.look.descending else column, not self.look.descending)

    @property
    def _can_look(self) -> bool:
        """Whether anybody finds the rows of a look; a table that is only shown has none."""
        return self.isSignalConnected(QMetaMethod.fromSignal(self.look_asked))

    def sort_by(self, column: str, descending: bool = False) -> None:
        """Sort the rows by a column; with an empty name they stand as they came."""
        self.look_by(replace(self.look, sort=column, descending=descending and bool(column)))

    def look_by(self, look: Look) -> None:
        """Look at some of the rows, or in another order; all stay as they are."""
        self.look = look
        self._band.sorted_by = look.sort, look.descending
        self._band.viewport().update()
        self._renew_kept()
        if look:
            self.look_asked.emit(self.whole, look)
        else:
            self.take_look(self.whole, look, None)
        self.looked.emit()

    def take_look(self, table: Table, look: Look, rows: Rows | None) -> None:
        """Show the rows of a look, unless another one has been asked for since."""
        # Looks are found on another thread: by now another table may be shown, or another order.
        if table is not self.whole or look != self.look:
            return
        self._rows = rows
        self._show(table if rows is None else table.take(rows))
        self.looked.emit()

    def row_of(self, row: int) -> int:
        """Return which row of the whole table a row that is shown is."""
        # `_rows` holds, for each row shown, its place in the whole table.
        return row if self._rows is None else int(self._rows[row])

    def _show(self, table: Table) -> None:
        self.table_model.show_table(table)
        size = f"{counted(len(table), 'row')}, {counted(len(table.columns), 'column')}"
        self.setAccessibleName(f"{self.says}: {size}")
        self.horizontalHeader().setAccessibleName(
            tr("Heads of the columns of {says}", says=self.says)
        )

    def show_table(
        self,
        table: Table,
        origins: Origins,
        link_fields: Collection[str] = (),
        marks: Marks | None = None,
    ) -> None:
        """Show a table; its columns keep the widths they were given while their names stay.

        Link fields are tinted, and so are the cells that `marks` says by their column and row.
        """
        self.marks = marks or {}
        from keen_trellis.compute.row_view import Look

        before = self.whole.columns
        # By identity: tables are never changed, and the same one in the same dress need not be
        # shown again. Pages call this at every renewal.
        shown = self.whole, self.origins, self.link_fields, self._band.theme
        if shown[0] is table and shown[1:] == (origins, link_fields, self.theme):
            return
        self.origins = self._band.origins = origins
        self._band.theme = self.theme
        self.link_fields = link_fields
        if table is not self.whole:  # else it stays where it was scrolled to
            self.whole, self._rows = table, None
            if before != table.columns:
                self.look, self._band.sorted_by = Look(), ("", False)
            self._show(table)
            if self.look:
                self.look_by(self.look)
            else:
                self.looked.emit()
        if before != table.columns:
            kept = QSettings().value(self._kept_as)
            self._kept_to = self._kept_to if kept is None else str(kept)
            self.fit_columns()
            self._band.updateGeometry()
        self.viewport().update()
        self._keep()

    def set_theme(self, theme: Theme) -> None:
        """Draw in the colours of a theme."""
        self.theme = self._band.theme = theme
        self.viewport().update()
        self._band.viewport().update()
        self._renew_kept()

    def fit_columns(self) -> None:
        """Make every column as wide as its name and its first values need, within limits.

        Of very wide tables only the first columns are looked at; the others have a usual width.
        """
        names, values = QFontMetrics(text_font(12, True)), QFontMetrics(value_font(13, True))
        sample = self.table_model.table.window(0, 60)
        for place, field in enumerate(sample.fields):
            texts = sample.fetch(field).texts().to_pylist() if place < _LOOKED_AT else [_USUAL]
            shown = (as_read(t, field.kind) if t else tr("· blank") for t in texts)
            longest = max(shown, key=len, default="")
            needed = max(
                names.horizontalAdvance(field.name),
                values.horizontalAdvance(longest[:LONGEST_DRAWN]),
                names.horizontalAdvance(tr(field.kind)) if self._band.shows_kinds else 0,
            )
            self.setColumnWidth(place, min(max(needed + 22, _NARROWEST), _WIDEST))

    def ask_copy(self) -> None:
        """Ask for the selected cells to be copied, by their ranges: never cell by cell."""
        import numpy as np  # there are rows: it has been loaded

        selected = self.selectionModel().selection()
        if selected.isEmpty():
            return
        table = self.table_model.table
        # A selection is a few ranges, however many cells it has; asking for its indexes would
        # make an object for each of a million.
        blocks = [selected.at(number) for number in range(selected.count())]
        left, right = min(b.left() for b in blocks), max(b.right() for b in blocks)
        columns = table.columns[left : right + 1]
        rows = range(blocks[0].top(), blocks[0].bottom() + 1)
        if len(blocks) > 1:  # of whole rows
            wanted = sorted({n for b in blocks for n in range(b.top(), b.bottom() + 1)})
            table, rows = table.take(np.array(wanted)), range(len(wanted))
        self.copy_asked.emit(table, columns, rows)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Offer what can be done with a cell and its row."""
        by_mouse = event.reason() == QContextMenuEvent.Reason.Mouse
        kept = self._kept_columns
        under = kept if kept is not None and kept.covers(event.globalPos()) else self
        at = under.indexAt(under.viewport().mapFromGlobal(event.globalPos()))
        index = at if by_mouse else self.currentIndex()
        if not index.isValid() or not self._can_look:
            return
        menu = QMenu(self)
        menu.setObjectName(f"{self.objectName()}.menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)

        def offer(name: str, words: str, do: Callable[[], object]) -> None:
            menu.addAction(words, do).setObjectName(f"grid.{name}")

        column, row = self.table_model.table.columns[index.column()], index.row()
        if self.step_asked is not None:
            self._offer_steps(menu, index)
        for name, words, do in self.offers:
            offer(name, words, partial(do, self.row_of(row)))
        for lane, name, there in self._sources(row):
            go = partial(self.source_asked.emit, lane, there)
            offer(f"go.{lane}", tr("Go to this row of {name}", name=name), go)
        only = self._only(row, index.column())
        look = replace(self.look, only=(*self.look.only, only))
        offer("only", tr("Look only at rows where {only}", only=only), partial(self.look_by, look))
        offer("sort_up", tr("Sort by {column}", column=column), partial(self.sort_by, column))
        offer(
            "sort_down",
            tr("Sort by {column}, backwards", column=column),
            partial(self.sort_by, column, True),
        )
        if self.look:
            offer(
                "all", tr("Show all rows as they stand"), partial(self.look_by, type(self.look)())
            )
        if index.column() >= self.kept:
            offer(
                "keep",
                tr("Keep the columns up to {column} in view", column=column),
                partial(self.keep_to, column),
            )
        if self._kept_to:
            offer("keep_none", tr("Keep no column in view"), partial(self.keep_to, ""))
        offer("search", tr("Search these rows …"), self.search_asked.emit)
        offer("copy", tr("Copy what is selected"), self.ask_copy)
        place = self.visualRect(index).bottomLeft()
        menu.popup(event.globalPos() if by_mouse else self.viewport().mapToGlobal(place))

    def _head_menu(self, at: QPoint) -> None:
        """Offer the steps that fit the column below its head."""
        section = self._band.logicalIndexAt(at)
        if section < 0 or self.step_asked is None:
            return
        menu = QMenu(self)
        menu.setObjectName(f"{self.objectName()}.head_menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._add_offers(menu, steps_of_columns(*self._named([section])))
        menu.popup(self._band.viewport().mapToGlobal(at))

    def _offer_steps(self, menu: QMenu, index: Index) -> None:
        """Offer what can be done with a value, and in a menu of their own what with its column."""
        cell, at = self.table_model.cell(index.row(), index.column())
        name = self.table_model.table.columns[index.column()]
        state = self.table_model.state(index.row(), index.column())
        self._add_offers(menu, steps_of_value(name, cell.text(at), state))
        if self.count_asked is not None:
            counted_ones = [one for one in menu.actions() if "value" in one.objectName()]

            def tell(rows: int) -> None:
                for one in counted_ones:
                    if isValid(one):  # the menu may have been closed meanwhile
                        one.setText(f"{one.text()}\t{counted(rows, 'row')}")

            self.count_asked(self.whole, self._only(index.row(), index.column()), tell)
        chosen = sorted({one.column() for one in self.selectionModel().selectedIndexes()})
        sections = chosen if index.column() in chosen else [index.column()]
        words = (
            tr("Steps for {name}", name=name)
            if len(sections) == 1
            else tr("Steps for {sections} columns", sections=len(sections))
        )
        more = menu.addMenu(words.replace("&", "&&"))
        more.setObjectName("grid.steps")
        self._add_offers(more, steps_of_columns(*self._named(sections)))
        menu.addSeparator()

    def _named(self, sections: Sequence[int]) -> tuple[tuple[str, ...], tuple[Kind, ...]]:
        fields = [self.table_model.table.fields[section] for section in sections]
        return tuple(f.name for f in fields), tuple(f.kind for f in fields)

    def _add_offers(self, menu: QMenu, offers: Iterable[Offer]) -> None:
        ask = self.step_asked
        assert ask is not None
        for offer in offers:
            action = menu.addAction(offer.words.replace("&", "&&"), partial(ask, offer.step))
            action.setObjectName(f"grid.step.{offer.id}")
            if offer.tried is not None and self.try_asked is not None:
                self.try_asked(
                    self.whole, offer.tried, partial(_tell, action), partial(isValid, action)
                )

    def _sources(self, row: int) -> Iterable[tuple[str, str, int]]:
        return self.sources_of(self.table_model.table, row) if self.sources_of else ()

    def show_row(self, row: int) -> None:
        """Bring a row of the whole table into view, and mark it."""
        if self.look:
            self.look_by(type(self.look)())
        index = self.model().index(row, 0)
        self.setCurrentIndex(index)
        self.scrollTo(index, QAbstractItemView.ScrollHint.PositionAtCenter)
        self.selectRow(row)
        self.setFocus()

    def bring_into_view(self, column: str) -> None:
        """Scroll sideways until a column is seen."""
        if len(self.table_model.table) and column in self.table_model.table.columns:
            place = self.table_model.table.columns.index(column)
            self.scrollTo(self.model().index(max(self.rowAt(0), 0), place))

    def _only(self, row: int, column: int) -> Only:
        from keen_trellis.compute.row_view import Only

        name, state = self.table_model.table.columns[column], self.table_model.state(row, column)
        if state == BLANK:
            return Only(name, "blank")
        if state == GAP:
            return Only(name, "gap")
        cell, at = self.table_model.cell(row, column)
        return Only(name, "value", cell.text(at))

    def _takes_rows(self) -> bool:
        """Whether a double click does anything here; in a dialog, Return is its button's."""
        return self.isSignalConnected(QMetaMethod.fromSignal(self.doubleClicked))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            self.ask_copy()
        elif event.matches(QKeySequence.StandardKey.Find):
            self.search_asked.emit()
        elif event.key() in _TAKES and self.currentIndex().isValid() and self._takes_rows():
            self.doubleClicked.emit(self.currentIndex())  # what a double click does, by a key
        else:
            super().keyPressEvent(event)


def _tell(action: QAction, numbers: Numbers) -> None:
    """Add to an offer how much it would do; the menu may have been closed meanwhile."""
    if isValid(action):
        action.setText(f"{action.text()}\t{told(numbers)}")


def put_on_clipboard(text: str) -> None:
    """Put text on the clipboard."""
    QGuiApplication.clipboard().setText(text)
