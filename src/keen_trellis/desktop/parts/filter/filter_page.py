"""The page of a filter: its conditions as a sentence with choices, the rows kept and left out."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from keen_trellis.compute.filtered import Filtered
from keen_trellis.data import Table
from keen_trellis.desktop.bench.conditions import Conditions
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.rows_card import RowsCard
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, OneLine, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import Lane
from keen_trellis.document.edits import SetItem
from keen_trellis.document.items import ConditionItem, FilterItem, Item
from keen_trellis.errors import UserError

_OF = {"all": "all of these hold", "any": "any of these holds"}


class FilterPage(Page):
    """Which rows go on, said as a sentence; below it both sorts of rows."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__(session, theme)
        self._sentence = Sentence("filter.sentence")
        self._item = FilterItem(id="")
        self._notice = Notice("filter.trouble")
        self._kept = RowsCard("filter.kept", theme, "No row goes on.")
        self._left_out = RowsCard("filter.left_out", theme, "No row is left out.")
        self._cards = QWidget()
        cards = QHBoxLayout(self._cards)
        cards.setContentsMargins(0, 0, 0, 0)
        cards.setSpacing(12)
        cards.addWidget(self._kept, 56)
        cards.addWidget(self._left_out, 44)
        self._said = QFrame()
        self._said.setProperty("said", True)
        self._words = label()
        self._words.setObjectName("filter.said")
        said = QHBoxLayout(self._said)
        said.setContentsMargins(14, 8, 14, 8)
        said.addWidget(self._words)
        self._effects = OneLine()  # its numbers stand first: a long name gives way
        self._effects.setProperty("strong", True)
        self._effects.setObjectName("filter.effects")
        said.addStretch(1)
        said.addWidget(self._effects)
        session.noticed.connect(self._show_effects)
        self._spare = QWidget()  # below a notice, where there are no rows
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 8)
        column.setSpacing(9)
        column.addWidget(self._sentence)
        column.addWidget(self._notice)
        column.addWidget(self._cards, 1)
        column.addWidget(self._said)
        column.addWidget(self._spare, 1)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._sentence.forget()
        for card in (self._kept, self._left_out):
            card.set_theme(theme)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a filter as the latest results have it."""
        assert isinstance(item, FilterItem)
        self._item = item
        given = self.session.results.given.get(item.id)
        before = self.session.results.table(self.session.trellis.before(item.id))
        self._show_sentence(item, lane.name, before)
        self._notice.tell(str(given) if isinstance(given, UserError) else "")
        is_there = isinstance(given, Filtered)
        self._cards.setVisible(is_there)
        self._said.setVisible(is_there)
        self._spare.setVisible(not is_there)
        if isinstance(given, Filtered):
            colours = origins.colours[lane.id]
            named = {condition.column for condition in item.conditions}
            self._kept.show_head("Go on", len(given.outcome), True, colours)
            self._kept.show_rows(given.outcome, origins, named)
            self._left_out.show_head("Left out", len(given.left_out), False, colours)
            self._left_out.show_rows(given.left_out, origins, named)
            self._words.setText(given.sentence())
            self._show_effects()

    def _show_effects(self) -> None:
        """Say what the filter does at the next ties; the others are in the tool tip."""
        found = self.session.looking.effects
        more = f"{len(found)} ties differ: " if len(found) > 1 else ""
        self._effects.setText(f"{more}{found[0]}" if found else "")
        self._effects.setToolTip("\n".join(found))

    def _show_sentence(self, item: FilterItem, lane: str, before: Table | None) -> None:
        names = before.columns if before is not None else ()
        self._sentence.say((item, lane, names), partial(self._tell, item, lane, before))

    def _tell(self, item: FilterItem, lane: str, before: Table | None) -> None:
        say = self._sentence
        say.word(f"Keep the rows of {lane} where" if item.conditions else f"Every row of {lane}")
        if len(item.conditions) > 1:
            says = "Whether all must hold"
            say.choice(
                "filter.of", says, _OF, current=item.of, chosen=lambda value: self._change(of=value)
            )
        told = Conditions(say, "filter", before, item.conditions, self._take)
        for place in range(len(item.conditions)):
            if place:
                say.word("and" if item.of == "all" else "or")
            told.tell(place)
        if not item.conditions:
            say.word("goes on, until something is asked of it:")
        told.offer("+ condition" if item.conditions else "choose a column")

    def _take(self, conditions: tuple[ConditionItem, ...]) -> None:
        self._change(conditions=conditions)

    def _change(self, **changes: object) -> None:
        self.session.do(SetItem(FilterItem(**{**dict(self._item), **changes}), "Change a filter"))
