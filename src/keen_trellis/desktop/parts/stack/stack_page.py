"""The page of a stack: the lanes whose rows are put below, how, and what comes out."""

from __future__ import annotations

from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from keen_trellis.compute.stack import Stack
from keen_trellis.desktop.bench.grid import Origins
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.rows_card import RowsCard
from keen_trellis.desktop.controls import Choice, FlowRow, Notice, button, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import Lane
from keen_trellis.document.edits import SetItem
from keen_trellis.document.items import Item, StackedLane, StackItem
from keen_trellis.errors import UserError

_REPEATS = {"kept": "are kept", "left": "are left out"}
_NAME_WIDTH = 130


class StackPage(Page):
    """Which rows stand below which, said as a sentence; below it the outcome."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__(session, theme)
        self._sentence = FlowRow("stack.sentence")
        self._sentence_key: object = None
        self._item: StackItem | None = None
        self._notice = Notice("stack.trouble")
        self._said = label(soft=True)
        self._said.setObjectName("stack.said")
        self._said.setWordWrap(True)
        self._rows = RowsCard("stack.outcome", theme)
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
        self._sentence_key = None
        self._rows.set_theme(theme)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a stack as the latest results have it."""
        assert isinstance(item, StackItem)
        self._item = item
        self._show_sentence(lane, item, origins)
        given = self.session.results.given.get(item.id)
        self._notice.tell(str(given) if isinstance(given, UserError) else "")
        is_there = isinstance(given, Stack)
        self._said.setVisible(is_there)
        self._rows.setVisible(is_there)
        self._spare.setVisible(not is_there)
        if isinstance(given, Stack):
            self._said.setText(given.sentence())
            self._rows.show_head("Stacked", len(given.outcome), True, origins.colours[lane.id])
            self._rows.show_rows(given.outcome, origins, set())

    # the sentence

    def _show_sentence(self, lane: Lane, item: StackItem, origins: Origins) -> None:
        names = tuple((one.id, one.name) for one in self.session.trellis.lanes)
        key = (item, lane.name, names)
        if key == self._sentence_key:
            return
        self._sentence_key = key
        focused = self.focusWidget()
        name = focused.objectName() if focused else ""
        self._sentence.flow.clear()
        self._word("Below the rows of")
        self._word(lane.name, origins.colours[lane.id].ink)
        self._word("stand those of")
        for place, taken in enumerate(item.lanes):
            other = self.session.trellis.lane(taken.lane)
            self._word(other.name, origins.colours[other.id].ink)
            if len(item.lanes) > 1:
                self._add_remove(place, other.name)
        self._offer_lanes(lane, item)
        self._word("· rows that stand there already")
        repeats = Choice("stack.repeats", "Rows that stand there already")
        current = "kept" if item.repeats else "left"
        repeats.offer([(value, words, "") for value, words in _REPEATS.items()], current)
        repeats.chosen.connect(lambda value: self._change(repeats=value == "kept"))
        self._sentence.flow.addWidget(repeats)
        self._word("· a column that says where each came from:")
        self._add_source_column(item)
        if name and (again := self.findChild(QWidget, name)):
            again.setFocus()

    def _word(self, text: str, colour: str = "") -> None:
        word = label(text)
        if colour:
            word.setStyleSheet(f"color: {colour}; font-weight: 600;")
        self._sentence.flow.addWidget(word)

    def _add_remove(self, place: int, name: str) -> None:
        made = button("×", f"stack.{place}.remove", lambda: self._remove(place), "plain")
        made.setToolTip(f"Take {name} out of the stack")
        made.setAccessibleName(f"Take {name} out of the stack")
        self._sentence.flow.addWidget(made)

    def _offer_lanes(self, lane: Lane, item: StackItem) -> None:
        taken = {lane.id, *(one.lane for one in item.lanes)}
        others = [one for one in self.session.trellis.lanes if one.id not in taken]
        add = Choice("stack.add", "Stack another lane")
        add.offer([(one.id, one.name, "") for one in others], "")
        add.setText("+ lane")
        add.setEnabled(bool(others))
        add.chosen.connect(self._add)
        self._sentence.flow.addWidget(add)

    def _add_source_column(self, item: StackItem) -> None:
        field = QLineEdit(item.source_column)
        field.setObjectName("stack.source_column")
        field.setAccessibleName("Name of the column that says where each row came from")
        field.setPlaceholderText("none")
        field.setFixedWidth(_NAME_WIDTH)
        field.editingFinished.connect(lambda: self._name_source(field))
        self._sentence.flow.addWidget(field)

    # what is changed

    def _change(self, **changes: object) -> None:
        if self._item is not None:
            changed = StackItem(**{**dict(self._item), **changes})
            self.session.do(SetItem(changed, "Change a stack"))

    def _name_source(self, field: QLineEdit) -> None:
        if not field.isHidden() and self._item is not None:
            name = field.text().strip()
            if name != self._item.source_column:
                self._change(source_column=name)

    def _add(self, lane: str) -> None:
        assert self._item is not None
        trellis = self.session.trellis
        taken = StackedLane(lane=lane, after=trellis.end_of(trellis.lane(lane)))
        self._change(lanes=(*self._item.lanes, taken))

    def _remove(self, place: int) -> None:
        if self._item is not None:
            lanes = self._item.lanes
            self._change(lanes=lanes[:place] + lanes[place + 1 :])
