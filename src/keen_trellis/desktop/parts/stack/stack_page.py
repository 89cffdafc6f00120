"""The page of a stack: the lanes whose rows are put below, how, and what comes out."""

from __future__ import annotations

from collections.abc import Sequence
from difflib import get_close_matches
from functools import partial

from PySide6.QtWidgets import QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.compute.stack_rows import Stack
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.rows_card import RowsCard
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.bench.tie_kind import say_kind
from keen_trellis.desktop.controls import Notice, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import Lane, edits
from keen_trellis.document.items import Item, StackedLane, StackItem

_REPEATS = {"kept": tr("are kept"), "left": tr("are left out")}
_NAME_WIDTH = 130


class StackPage(Page):
    """Which rows stand below which, said as a sentence; below it the outcome."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._sentence = Sentence("stack.sentence")
        self._item: StackItem | None = None
        self._notice = Notice("stack.trouble")
        self._said = label(soft=True)
        self._said.setObjectName("stack.said")
        self._said.setWordWrap(True)
        self._rows = RowsCard("stack.outcome", theme, self)
        self._spare = QWidget()
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 10)
        column.setSpacing(9)
        for widget, share in (
            (self._sentence, 0),
            (self._notice, 0),
            (self._said, 0),
            (self._rows, 1),
            (self._spare, 1),
        ):
            column.addWidget(widget, share)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._sentence.forget()
        self._rows.set_theme(theme)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a stack as the latest results have it."""
        assert isinstance(item, StackItem)
        self._item = item
        self._show_sentence(lane, item, origins)
        given = self.session.results.given.get(item.id)
        self.tell_trouble(self._notice, given)
        is_there = isinstance(given, Stack)
        self._said.setVisible(is_there)
        self._rows.setVisible(is_there)
        self._spare.setVisible(not is_there)
        if isinstance(given, Stack):
            self._said.setText(given.sentence())
            self._rows.show_head(tr("Stacked"), len(given.outcome), True, origins.colours[lane.id])
            self._rows.show_rows(given.outcome, origins, set())

    def _show_sentence(self, lane: Lane, item: StackItem, origins: Origins) -> None:
        names = tuple((one.id, one.name) for one in self.session.trellis.lanes)
        columns = tuple(self._columns_of(taken) for taken in item.lanes)
        tell = partial(self._tell, lane, item, origins, columns)
        self._sentence.say((item, lane.name, names, columns), tell)

    def _tell(
        self, lane: Lane, item: StackItem, origins: Origins, columns: Sequence[tuple[str, ...]]
    ) -> None:
        say = self._sentence
        say_kind(say, self.session, "stack")
        say.word(tr("below the rows of"))
        say.word(lane.name, origins.colours[lane.id].ink)
        say.word(tr("those of"))
        for place, taken in enumerate(item.lanes):
            other = self.session.trellis.lane(taken.lane)
            say.word(other.name, origins.colours[other.id].ink)
            self._tell_renamed(place, taken, columns[place])
            if len(item.lanes) > 1:
                says = tr("Take {name} out of the stack", name=other.name)
                say.button("×", f"stack.{place}.remove", says, partial(self._remove, place))
        self._offer_lanes(lane, item)
        say.word(tr("· rows that stand there already"))
        current = "kept" if item.repeats else "left"
        says = tr("Rows that stand there already")
        say.choice("stack.repeats", says, _REPEATS, current=current, chosen=self._choose_repeats)
        say.word(tr("· a column that says where each came from:"))
        says = tr("Name of the column that says where each row came from")
        field = say.field(
            "stack.source_column", says, item.source_column, _NAME_WIDTH, self._name_source
        )
        field.setPlaceholderText(tr("none"))

    def _tell_renamed(self, place: int, taken: StackedLane, columns: tuple[str, ...]) -> None:
        """Say which columns of a lane meet others under another name, and offer the rest."""
        say = self._sentence
        for number, (old, new) in enumerate(taken.renamed.items()):
            say.word(tr("and {old} as", old=old) if number else tr("with {old} as", old=old))
            name = f"stack.{place}.renamed.{number}"
            says = tr("Under which name {old} meets the others", old=old)
            say.field(name, says, new, _NAME_WIDTH, partial(self._rename, place, old))
            says = tr("Let {old} keep its name", old=old)
            say.button("×", f"{name}.remove", says, partial(self._rename, place, old, ""))
        others = [(c, c, "") for c in columns if c not in taken.renamed]
        says = tr("A column that meets the others under another name")
        meet = say.choice(
            f"stack.{place}.rename", says, others, current="", chosen=partial(self._meet, place)
        )
        meet.setText(tr("+ other name"))
        meet.setEnabled(bool(others))

    def _offer_lanes(self, lane: Lane, item: StackItem) -> None:
        taken = {lane.id, *(one.lane for one in item.lanes)}
        others = [(x.id, x.name, "") for x in self.session.trellis.lanes if x.id not in taken]
        add = self._sentence.choice(
            "stack.add", tr("Stack another lane"), others, current="", chosen=self._add
        )
        add.setText(tr("+ lane"))
        add.setEnabled(bool(others))

    def _columns_of(self, taken: StackedLane) -> tuple[str, ...]:
        table = self.session.results.table(self.session.trellis.taken_after(taken))
        return table.columns if table is not None else ()

    def _change(self, **changes: object) -> None:
        if self._item is not None:
            changed = StackItem(**{**dict(self._item), **changes})
            self.session.do(edits.SetItem(changed, tr("Change a stack")))

    def _choose_repeats(self, value: str) -> None:
        self._change(repeats=value == "kept")

    def _name_source(self, name: str) -> None:
        self._change(source_column=name.strip())

    def _meet(self, place: int, column: str) -> None:
        """Let a column meet a like one of the lane before under that one's name."""
        assert self._item is not None
        before = self.session.results.table(self.session.trellis.before(self._item.id))
        names = before.columns if before is not None else ()
        taken = self._columns_of(self._item.lanes[place])
        free = [name for name in names if name not in taken]
        self._rename(place, column, next(iter(get_close_matches(column, free, 1, 0)), column))

    def _rename(self, place: int, old: str, new: str) -> None:
        """Let a column meet the others under another name; under its own for an empty one."""
        assert self._item is not None
        lanes = list(self._item.lanes)
        renamed = {a: b for a, b in lanes[place].renamed.items() if a != old}
        if new.strip():
            renamed[old] = new.strip()
        lanes[place] = lanes[place].model_copy(update={"renamed": renamed})
        self._change(lanes=tuple(lanes))

    def _add(self, lane: str) -> None:
        assert self._item is not None
        trellis = self.session.trellis
        taken = StackedLane(lane=lane, after=trellis.end_of(trellis.lane(lane)))
        self._change(lanes=(*self._item.lanes, taken))

    def _remove(self, place: int) -> None:
        if self._item is not None:
            lanes = self._item.lanes
            self._change(lanes=lanes[:place] + lanes[place + 1 :])
