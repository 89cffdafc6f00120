"""The page of the step that chooses columns."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QWidget

from keen_trellis.base.language import tr
from keen_trellis.data import Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage, tell_columns
from keen_trellis.desktop.column_list import ListDialog
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme


class ColumnsPage(StepPage):
    """Which columns go on, in what order, under what names."""

    kind = "columns"

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        head = self.after_head = self._cards[1].grid.horizontalHeader()
        head.setSectionsMovable(True)
        head.setToolTip(tr("Drag a column to where it is to stand"))
        head.sectionMoved.connect(self._dragged)

    def _dragged(self, _: int, start: int, to: int) -> None:
        """Take the order that the heads have been dragged into; the rows come back in it."""
        head = self.after_head
        head.blockSignals(True)
        head.moveSection(to, start)  # what is seen is laid out by the step itself
        head.blockSignals(False)
        # The grid moved its heads; it is moved back, and the step says the order, which brings
        # the rows in it.
        names = self._going_on()
        if start < len(names) and to < len(names):
            names.insert(to, names.pop(start))
            self.change(first=tuple(names))

    def _going_on(self) -> list[str]:
        """Return the columns that go on, in their order, as they are called before the step."""
        before = self.session.results.table(self.session.trellis.before(self._item.id))
        chosen = self._item.chosen(before.columns) if before is not None else []
        return [old for old, _ in chosen]

    def _as_list(self) -> None:
        dialog = ListDialog(self._going_on(), self.window())
        dialog.taken.connect(lambda names: self.change(first=tuple(names), only_first=True))
        dialog.open()

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say which columns go on."""
        say.word(tr("Put"))
        tell_columns(say, "columns.first", item.first, before, lambda cs: self.change(first=cs))
        say.word(tr("first,"))
        say.choice(
            "columns.only",
            tr("Whether the others go on"),
            {"no": tr("then the others"), "yes": tr("and leave out all others")},
            current="yes" if item.only_first else "no",
            chosen=lambda value: self.change(only_first=value == "yes"),
        )
        if not item.only_first:
            say.word(tr("without"))
            tell_columns(
                say, "columns.without", item.without, before, lambda cs: self.change(without=cs)
            )
        for place, (old, new) in enumerate(item.names.items()):
            self._tell_name(say, item, place, old, new)
        fields = before.fields if before is not None else ()
        add = say.choice(
            "columns.name.add",
            tr("A column to call otherwise"),
            [(f.name, f.name, tr(f.kind)) for f in fields if f.name not in item.names],
            current="",
            chosen=lambda column: self._call(item, column, column),
        )
        add.setText(tr("+ name"))
        says = tr("Type the columns that go on, one a line, in their order")
        say.button(tr("as a list …"), "columns.as_list", says, self._as_list)

    def _tell_name(self, say: Sentence, item: Any, place: int, old: str, new: str) -> None:
        say.word(tr("call {old}", old=old) if not place else f", {old}")
        says = tr("What {old} is called", old=old)
        say.field(f"columns.name.{place}", says, new, 130, lambda t: self._call(item, old, t))
        rest = {name: one for name, one in item.names.items() if name != old}
        says = tr("Let {old} keep its name", old=old)
        say.button("×", f"columns.name.{place}.remove", says, lambda: self.change(names=rest))

    def _call(self, item: Any, old: str, new: str) -> None:
        if new.strip():
            self.change(names={**item.names, old: new.strip()})
