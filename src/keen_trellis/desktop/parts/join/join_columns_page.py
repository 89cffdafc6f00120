"""The Columns page of a tie: which columns of either side go on, and those of one name."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.errors import TooManyRowsError, UserError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.base.words import listed
from keen_trellis.compute.join_result import Tied
from keen_trellis.compute.same_named import SameNamed, same_named
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Table
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, OneLine, button
from keen_trellis.desktop.parts.join.outcome_columns import GoingOn
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.document import Lane, edits
from keen_trellis.document.items import Item, JoinItem, WantedColumns
from keen_trellis.plan.link import SIDES, Side
from keen_trellis.plan.outcome import OutcomeColumn, outcome_columns

_LINK = {"once": tr("stand once"), "both": tr("stand twice, each under its own name")}
_NAME = Qt.ItemDataRole.UserRole


class ColumnsPage(Page):
    """Columns of both sides to tick, below a sentence on those of one name and the link fields."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._item: JoinItem | None = None
        self._said = Sentence("tie_columns.sentence")
        self._sides: dict[Side, _Side] = {side: _Side(side) for side in SIDES}
        sides = QHBoxLayout()
        sides.setSpacing(12)
        for side, card in self._sides.items():
            sides.addWidget(card, 4)
            card.chosen.connect(partial(self._choose, side))
        self._going_on = GoingOn()
        self._going_on.renamed.connect(self._rename)
        self._going_on.filled.connect(self._fill)
        self._going_on.ordered.connect(lambda names: self._change(order=tuple(names)))
        self._going_on.listed.connect(self._take_list)
        sides.addWidget(self._going_on, 7)
        self._made: list[OutcomeColumn] = []
        self._notice = Notice("tie_columns.trouble")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 10)
        column.setSpacing(9)
        self._compared = OneLine()
        self._compared.setObjectName("tie_columns.compared")
        self._compared.setProperty("soft", True)
        self._compared.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._looked_at: object = None
        column.addWidget(self._said)
        column.addWidget(self._compared)
        column.addWidget(self._notice)
        column.addLayout(sides, 1)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._said.forget()

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show which columns go on from a tie."""
        assert isinstance(item, JoinItem)
        self._item = item
        other = self.session.trellis.lane(item.lane)
        names = (lane.name, other.name)
        key = (item.id, item.columns.same_named, item.columns.link, names)
        self._said.say(key, partial(self._tell, item, names))
        tables = self.session.results.sides(item.id)
        for (side, card), table, whose in zip(
            self._sides.items(), tables, (lane, other), strict=False
        ):
            fields = table.fields if isinstance(table, Table) else ()
            known = {field.name: tr(field.kind) for field in fields}
            colour = origins.colours[whose.id].ink
            card.show_columns(whose.name, colour, known, getattr(item.columns, side))
        self._show_going_on(item, other.name, origins)
        self._compare(self.session.results.ties.get(item.id))

    def _compare(self, tie: object) -> None:
        """Find out how columns of one name agree, and say it once it is known."""
        match = tie.match if isinstance(tie, Tied) else None
        if match is self._looked_at:
            return
        self._looked_at = match
        self._compared.hide()
        if not isinstance(tie, Tied):
            return

        def look(report: Report) -> list[SameNamed]:
            try:
                return same_named(tie, report)
            except TooManyRowsError:  # the Match page says it; here it is no trouble
                return []

        def done(found: list[SameNamed]) -> None:
            if self._looked_at is tie.match:
                lines = [one.sentence(tie.names) for one in found]
                self._compared.setText(" · ".join(lines))
                self._compared.setToolTip(as_it_is("\n".join(lines)))
                self._compared.setVisible(bool(lines))

        self.session.work.find_out(look, done, "")

    def _show_going_on(self, item: JoinItem, other: str, origins: Origins) -> None:
        """Show the columns that go on, as the settings now have it: no row is needed for it."""
        sides = self.session.results.sides(item.id)
        tables = [side for side in sides if isinstance(side, Table)]
        self._made, trouble = [], ""
        if len(tables) == len(SIDES):
            try:
                self._made = outcome_columns(
                    schema_of(tables[0]),
                    schema_of(tables[1]),
                    item.match_link(),
                    right_name=other,
                    columns=item.wanted_columns(),
                    keep=item.keep,
                )
            except UserError as error:
                trouble = str(error)
        given = self.session.results.given.get(item.id)
        self.tell_trouble(self._notice, given, trouble)
        lanes = {i: (name, origins.colours[i]) for i, name in origins.names.items()}
        if not trouble:
            self._going_on.show_columns(self._made, lanes)

    def _rename(self, usual: str, name: str) -> None:
        assert self._item is not None
        columns = self._item.columns
        # `usual` is what the column would be called without us; order and fills name columns as
        # they are called now, so both follow.
        old = columns.renamed.get(usual, usual)
        renamed = {a: b for a, b in columns.renamed.items() if a != usual}
        if name != usual:
            renamed[usual] = name
        order = tuple(name if one == old else one for one in columns.order)
        fills = {name if one == old else one: text for one, text in columns.fills.items()}
        self._change(renamed=renamed, order=order, fills=fills)

    def _fill(self, name: str, text: str) -> None:
        assert self._item is not None
        fills = {one: old for one, old in self._item.columns.fills.items() if one != name}
        self._change(fills={**fills, name: text} if text else fills)

    def _take_list(self, names: list[str]) -> None:
        """Let only the columns of a list go on, in its order; names that are none are said."""
        known = {column.name: column for column in self._made}
        unknown = [name for name in names if name not in known]
        if unknown:
            words = tr(
                "There is no column {unknown} that goes on. ",
                unknown=listed([f"“{n}”" for n in unknown]),
            )
            self.session.telling.trouble(tr("{words}Nothing was changed.", words=words))
            return
        wanted: dict[str, tuple[str, ...]] = {}
        for side in SIDES:
            wanted[side] = tuple(known[n].source for n in names if known[n].side == side)
        filled = (known[name].filled_from for name in names)
        wanted["right"] += tuple(name for name in filled if name is not None)
        self._change(order=tuple(names), **wanted)

    def _tell(self, item: JoinItem, names: tuple[str, str]) -> None:
        say = self._said
        left, right = names
        say.word(tr("Columns of one name"))
        same = {
            "both": tr("stand both, the second as “name ({right})”", right=right),
            "left": tr("are those of {left} only", left=left),
            "right": tr("are those of {right} only", right=right),
            "filled": tr("become one: {left}, where it has none {right}", left=left, right=right),
        }
        current = item.columns.same_named
        say.choice(
            "tie_columns.same_named", tr("Columns of one name"), same, current, self._same_named
        )
        say.word(tr("· link fields that are equal"))
        says = tr("Link fields that are equal")
        say.choice("tie_columns.link", says, _LINK, item.columns.link, self._link)

    def _same_named(self, value: str) -> None:
        self._change(same_named=value)

    def _link(self, value: str) -> None:
        self._change(link=value)

    def _choose(self, side: Side, wanted: tuple[str, ...] | None) -> None:
        self._change(**{side: wanted})

    def _change(self, **changes: object) -> None:
        if self._item is not None:
            columns = WantedColumns.model_validate({**dict(self._item.columns), **changes})
            self.session.building.change_columns(
                edits.SetColumns(self._item.id, columns), self._item.id
            )


class _Side(QFrame):
    """The columns of one side: those that are ticked go on.

    Signals
    -------
    chosen(wanted)
        A tuple of names, or None for all.
    """

    chosen = Signal(object)

    def __init__(self, side: Side) -> None:
        super().__init__()
        name = f"tie_columns.{side}"
        self.setProperty("card", True)
        self.setObjectName(name)
        self._names: tuple[str, ...] = ()
        self._title = OneLine()
        self._title.setProperty("strong", True)
        self._title.setObjectName(f"{name}.title")
        self._all = button(tr("all"), f"{name}.all", lambda: self.chosen.emit(None), "plain")
        self._none = button(tr("none"), f"{name}.none", lambda: self.chosen.emit(()), "plain")
        self._find = QLineEdit()
        self._find.setObjectName(f"{name}.find")
        self._find.setPlaceholderText(tr("Find a column"))
        self._find.textChanged.connect(self._search)
        self._list = QListWidget()
        self._list.setObjectName(f"{name}.list")
        self._list.setUniformItemSizes(True)
        self._list.itemChanged.connect(self._ticked)
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        for short in (self._all, self._none):
            short.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
            head.addWidget(short)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 12, 10)
        column.setSpacing(6)
        column.addLayout(head)
        column.addWidget(self._find)
        column.addWidget(self._list, 1)

    def show_columns(
        self, lane: str, colour: str, known: dict[str, str], wanted: tuple[str, ...] | None
    ) -> None:
        """Show the columns of a lane with their kinds; the list stays where it was scrolled to."""
        names = tuple(known)
        going_on = sum(wanted is None or name in wanted for name in names)
        self._title.setText(
            tr(
                "{lane}: {going_on:,} of {names:,} columns go on",
                lane=lane,
                going_on=going_on,
                names=len(names),
            )
        )
        self._title.setStyleSheet(f"color: {colour};")
        self._list.setAccessibleName(self._title.text())
        self._all.setAccessibleName(tr("Bring all columns of {lane}", lane=lane))
        self._none.setAccessibleName(tr("Bring no column of {lane}", lane=lane))
        self._find.setAccessibleName(tr("Find a column of {lane}", lane=lane))
        # Setting a tick in code sends the same signal as a click does.
        self._list.blockSignals(True)
        if names != self._names:
            self._names = names
            self._list.clear()
            for name in names:
                item = QListWidgetItem(f"{name}    {known[name]}")
                item.setData(_NAME, name)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                self._list.addItem(item)
            self._search(self._find.text())
        for row, name in enumerate(names):
            is_in = wanted is None or name in wanted
            state = Qt.CheckState.Checked if is_in else Qt.CheckState.Unchecked
            self._list.item(row).setCheckState(state)
        self._list.blockSignals(False)

    def _search(self, text: str) -> None:
        words = text.lower().split()
        for row in range(self._list.count()):
            item = self._list.item(row)
            item.setHidden(not all(word in item.text().lower() for word in words))

    def _ticked(self, _: QListWidgetItem) -> None:
        items = [self._list.item(row) for row in range(self._list.count())]
        ticked = [i.data(_NAME) for i in items if i.checkState() is Qt.CheckState.Checked]
        # None means all, also those that come later; a tuple means these.
        self.chosen.emit(None if len(ticked) == len(items) else tuple(ticked))
