"""The There page: what was counted of the selected part where it runs, and its first rows."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QSplitter,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.language import grouped_digits, tr, with_marks
from keen_trellis.base.words import counted
from keen_trellis.data import Table
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.rows_card import RowsCard
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, OneLine, Switch, button, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.session.place_runs import FIRST_ROWS
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import Lane
from keen_trellis.document.items import Item
from keen_trellis.plan.bays import Bay
from keen_trellis.run.facts import ItemFacts, JoinFacts, LaneFacts

_ROW = 24
_NOT_FETCHED = tr(
    "No rows have been fetched yet: ask for the first {first_rows:,}.", first_rows=FIRST_ROWS
)


class TherePage(Page):
    """Counts, join types, promises and first rows of one part, from the place that is chosen."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._lane: Lane | None = None
        self._item: Item | None = None
        self._origins = Origins({}, {})
        self._fetched: dict[tuple[str, Bay | None, int], Table] = {}
        self._state = OneLine(fills=True)
        self._state.setProperty("soft", True)
        self._state.setObjectName("there.state")
        self._says = label()
        self._says.setObjectName("there.says")
        self._says.setWordWrap(True)
        self._trouble = Notice("there.trouble")
        self._count = button(tr("Count everything there"), "there.count", self._ask, "main")
        self._fetch = button(
            tr("First {first_rows:,} rows", first_rows=FIRST_ROWS),
            "there.fetch",
            self._ask_rows,
            "soft",
        )
        self._bays = Switch(
            "there.bays", (tr("Left"), tr("Both"), tr("Right"), tr("Goes on")), tr("Rows of")
        )
        self._bays.chosen.connect(self._choose)
        self._chosen = 1
        self._card = RowsCard("there.rows", theme, self, tr("There is no such row."))
        self._types = _table("there.types", tr("What every join type would give"))
        self._asked = _table("there.asked", tr("What was asked there, how long it took"))
        self._lay_out()
        session.elsewhere.went.connect(self._renew)
        session.work.ran.connect(self._renew)

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        top.setSpacing(12)
        top.addWidget(self._state)
        top.addWidget(self._bays)
        top.addWidget(self._fetch)
        top.addWidget(self._count)
        beside = QWidget()
        right = QVBoxLayout(beside)
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(8)
        right.addWidget(self._types, 3)
        right.addWidget(self._asked, 2)
        halves = QSplitter(Qt.Orientation.Horizontal)
        halves.setChildrenCollapsible(False)
        halves.addWidget(self._card)
        halves.addWidget(beside)
        halves.setStretchFactor(0, 3)
        halves.setStretchFactor(1, 2)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 6, 20, 12)
        column.setSpacing(8)
        column.addLayout(top)
        column.addWidget(self._says)
        column.addWidget(self._trouble)
        column.addWidget(halves, 1)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._card.set_theme(theme)
        self._bays.paint_with(
            ground=theme.surface,
            line=theme.line,
            fill=theme.accent,
            on_fill=theme.on_accent,
            ink=theme.ink_soft,
        )

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a lane, or an item on it, as it was counted there."""
        self._lane, self._item, self._origins = lane, item, origins
        self._renew()

    @property
    def _part(self) -> str:
        if self._item is not None:
            return self._item.id
        return self._lane.id if self._lane is not None else ""

    @property
    def _bay(self) -> Bay | None:
        """The bay whose rows are looked at; None for what goes on."""
        has_bays = self._item is not None and self._item.type == "join"
        # In the order of the switch: left, both, right, and what goes on.
        return (*Bay, None)[self._chosen] if has_bays else None

    def _renew(self) -> None:
        elsewhere = self.session.elsewhere
        if elsewhere.place is None or self._lane is None:
            return
        self.set_theme(self.theme)
        facts = self._facts()
        busy = elsewhere.jobs.busy
        self._state.setText(tr("Asking …") if busy else elsewhere.words)
        self._count.setEnabled(not busy)
        again = elsewhere.results is not None
        self._count.setText(tr("Count again") if again else tr("Count everything there"))
        self._fetch.setEnabled(not busy)
        self._bays.setVisible(self._item is not None and self._item.type == "join")
        self._bays.set_chosen(self._chosen)
        self._trouble.tell(_trouble(facts))
        says = facts.says if isinstance(facts, ItemFacts) else ""
        if isinstance(facts, LaneFacts) and facts.rows is not None:
            says = "; ".join((counted(facts.rows, "row"), *facts.notes)) + "."
        if isinstance(facts, JoinFacts):
            for one in facts.promises:
                says += f" {tr('Kept') if one.is_kept else tr('Broken')}: {one.sentence}."
        self._says.setText(says)
        self._says.setVisible(bool(says))
        self._show_types(facts)
        self._show_asked()
        self._show_rows(facts)

    def _facts(self) -> LaneFacts | ItemFacts | None:
        found = self.session.elsewhere.results
        if found is None or self._lane is None:
            return None
        if self._item is not None:
            return found.facts.items.get(self._item.id)
        return found.facts.lanes.get(self._lane.id)

    def _show_types(self, facts: LaneFacts | ItemFacts | None) -> None:
        is_join = isinstance(facts, JoinFacts)
        self._types.setVisible(is_join)
        if isinstance(facts, JoinFacts):
            lines = [
                (
                    tr(one.name),
                    grouped_digits(one.rows),
                    grouped_digits(one.left_gaps),
                    grouped_digits(one.right_gaps),
                )
                for one in facts.counts.join_types()
            ]
            heads = (
                tr("join type"),
                tr("rows"),
                tr("gaps in {lane}", lane=facts.lane),
                tr("gaps in {other}", other=facts.other),
            )
            _fill(self._types, heads, lines)
            names = [line[0] for line in lines]
            if facts.join in names:
                self._types.selectRow(names.index(facts.join))

    def _show_asked(self) -> None:
        found = self.session.elsewhere.results
        names = {}
        if found is not None:
            parts = (*found.facts.lanes.values(), *found.facts.items.values())
            names = {one.id: one.name for one in parts}
        asked = found.asked if found else []
        lines = [
            (
                names.get(one.part, one.part),
                one.what,
                one.found,
                with_marks(f"{one.seconds:,.2f}") + " s",
            )
            for one in asked
        ]
        _fill(self._asked, (tr("asked of"), tr("what"), tr("found"), tr("took")), lines)

    def _show_rows(self, facts: LaneFacts | ItemFacts | None) -> None:
        rows = self._fetched.get(self._key)
        total = facts.rows if facts is not None else None
        name = tr("What goes on") if self._item is not None else tr("Rows")
        if isinstance(facts, JoinFacts):
            left, right = facts.lane, facts.other
            names = {
                Bay.LEFT: tr("Only in {left}", left=left),
                Bay.BOTH: tr("In both"),
                Bay.RIGHT: tr("Only in {right}", right=right),
                None: name,
            }
            name = names[self._bay]
            total = facts.counts.bay(self._bay) if self._bay is not None else facts.rows
        if rows is not None and total is not None and total > len(rows):
            name = tr("{name}, the first {rows:,} of", name=name, rows=len(rows))
        colour = self.theme.lane(self._lane.colour if self._lane is not None else 0)
        self._card.show_head(name, total, total is not None, colour)
        if rows is None:
            self._card.show_sentence(_NOT_FETCHED)
        else:
            self._card.show_rows(rows, self._origins, set())

    # asking

    @property
    def _key(self) -> tuple[str, Bay | None, int]:
        # A trellis of before is held by the undo stack, so that its id is nobody else's.
        return self._part, self._bay, id(self.session.trellis)

    def _choose(self, number: int) -> None:
        self._chosen = number
        self._renew()
        if self._key not in self._fetched and self.session.elsewhere.results is not None:
            self._ask_rows()

    def _ask(self) -> None:
        self._fetched = {}
        self.session.elsewhere.count()

    def _ask_rows(self) -> None:
        key = self._key

        def take(rows: Table) -> None:
            self._fetched[key] = rows
            self._renew()

        self.session.elsewhere.first_rows(self._part, self._bay, take)


def _trouble(facts: LaneFacts | ItemFacts | None) -> str:
    if facts is None:
        return ""
    return facts.trouble or (
        tr("Waits: {waits_for}", waits_for=facts.waits_for) if facts.waits_for else ""
    )


def _table(name: str, says: str) -> QTableWidget:
    made = QTableWidget()
    made.setTabKeyNavigation(False)
    made.setObjectName(name)
    made.setAccessibleName(says)
    made.verticalHeader().hide()
    made.verticalHeader().setDefaultSectionSize(_ROW)
    made.setShowGrid(False)
    made.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    made.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    made.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    return made


def _fill(made: QTableWidget, heads: Sequence[str], lines: Sequence[Sequence[str]]) -> None:
    """Put lines of texts into a table; all but the first column stand at the right."""
    made.setColumnCount(len(heads))
    made.setRowCount(len(lines))
    for place, head in enumerate(heads):
        cell = QTableWidgetItem(head)
        side = Qt.AlignmentFlag.AlignRight if place else Qt.AlignmentFlag.AlignLeft
        cell.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
        made.setHorizontalHeaderItem(place, cell)
    for number, line in enumerate(lines):
        for place, text in enumerate(line):
            cell = QTableWidgetItem(text)
            side = Qt.AlignmentFlag.AlignRight if place else Qt.AlignmentFlag.AlignLeft
            cell.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
            made.setItem(number, place, cell)
    header = made.horizontalHeader()
    for place in range(len(heads)):
        mode = (
            QHeaderView.ResizeMode.Stretch if not place else QHeaderView.ResizeMode.ResizeToContents
        )
        header.setSectionResizeMode(place, mode)
