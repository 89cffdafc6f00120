"""The Match page: a tie as a sentence with choices, its three bays, and what comes out."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.compute.join_result import Tied
from keen_trellis.data import Table
from keen_trellis.desktop.bench.bay_panes import SIX_ROWS, Bays
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.rows_card import RowsCard
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, button, label
from keen_trellis.desktop.parts.join.link_sentence import LinkSentence
from keen_trellis.desktop.parts.join.over_time import OverTime
from keen_trellis.desktop.parts.join.types_card import TypesCard, Unlinked
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.document import edits
from keen_trellis.document.items import Item, JoinItem, SameValues
from keen_trellis.document.trellis import Lane
from keen_trellis.plan.bays import Bay, Keep
from keen_trellis.plan.sentences import cardinality_words, join_title, outcome_sentences

if TYPE_CHECKING:
    from keen_trellis.desktop.parts.join.types_card import Choice


class MatchPage(Page):
    """What belongs together, which rows found a partner, and the fate of those that did not."""

    rows_height = SIX_ROWS

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._sentence = LinkSentence(session)
        self._notice = Notice("match.trouble")
        self._bays = Bays(session, theme, self)
        self._said = _SaidBar(self._choose_join_type, theme)
        self._lay_out()
        self._bays.switched.connect(self._switch_bay)
        self._bays.lane_asked.connect(self.session.building.begin_with_bay)
        self._bays.same.connect(self._take_pairs)
        session.work.past_known.connect(self._show_past)

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 8)
        column.setSpacing(9)
        column.addWidget(self._sentence)
        column.addWidget(self._notice)
        column.addWidget(self._bays, 1)
        column.addWidget(self._said)
        self._sides = QWidget()  # below a notice, where there are no bays
        sides = QHBoxLayout(self._sides)
        sides.setContentsMargins(0, 0, 0, 0)
        sides.setSpacing(12)
        self._side_cards = [
            RowsCard(f"match.side.{side}", self.theme, self._sides) for side in ("left", "right")
        ]
        for card in self._side_cards:
            sides.addWidget(card)
        column.insertWidget(2, self._sides, 1)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._said.theme = self._said.over_time.theme = theme
        self._sentence.forget()
        self._bays.set_theme(theme)
        for card in self._side_cards:
            card.set_theme(theme)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a tie as the latest results have it."""
        assert isinstance(item, JoinItem)
        result = self.session.results.ties.get(item.id)
        self._sentence.show_link(lane, item, origins)
        self.tell_trouble(self._notice, result)
        is_there = isinstance(result, Tied)
        unlinked = self._unlinked(lane, item)
        self._bays.setVisible(is_there)
        self._said.setVisible(is_there or unlinked is not None)
        self._said.types = None  # of another tie they say nothing
        self._sides.setVisible(not is_there)
        if not is_there:
            self._show_sides(lane, item, origins)
            self._said.over_time.hide()
        if unlinked is not None:
            rows = unlinked.rows[0] * unlinked.rows[1]
            words = tr(
                "Every row beside every row, a cross join, would be {rows}.",
                rows=counted(rows, "row"),
            )
            self._said.say(tr("No link field yet."), words, words)
            self._said.types = (unlinked, item.keep)
        if isinstance(result, Tied):
            self._bays.show_tie(result, item.keep, (lane.id, item.lane), origins)
            # said of the tie that was worked out: the one in the sentence may be newer
            keep, columns = result.keep, result.columns
            words = outcome_sentences(result.counts, keep, *result.names, columns)
            tip = cardinality_words(result.counts, *result.names)
            self._said.say(f"{join_title(keep, columns, result.link.cross)}.", words, tip)
            self._said.types = (result, item.keep)
            self._show_past()

    def _unlinked(self, lane: Lane, item: JoinItem) -> Unlinked | None:
        """Return the sides of a tie without a link; None where it has one, or they are unknown."""
        tables = [one for one in self.session.results.sides(item.id) if isinstance(one, Table)]
        if item.link or item.cross or len(tables) < len(self._side_cards):
            return None
        names = lane.name, self.session.trellis.lane(item.lane).name
        return Unlinked(names, (len(tables[0]), len(tables[1])))

    def _show_sides(self, lane: Lane, item: JoinItem, origins: Origins) -> None:
        """Show the rows of both sides, as far as they are there: what is to be linked is seen."""
        names = lane.name, self.session.trellis.lane(item.lane).name
        colours = origins.colours[lane.id], origins.colours[item.lane]
        sides = self.session.results.sides(item.id)
        for card, name, colour, rows in zip(self._side_cards, names, colours, sides, strict=False):
            is_table = isinstance(rows, Table)
            card.setVisible(is_table)
            if isinstance(rows, Table):
                card.show_head(name, len(rows), True, colour)
                card.show_rows(rows, origins, set())

    def _show_past(self) -> None:
        item = self._current()
        if item is not None:
            self._said.over_time.show_runs(self.session.work.past, item.id)

    def _current(self) -> JoinItem | None:
        item = self.session.selected_item
        return item if isinstance(item, JoinItem) else None

    def _switch_bay(self, bay: Bay, kept: bool) -> None:
        item = self._current()
        # An edit that is refused leaves the tie as it was, and the switch has to say so again.
        if item is not None and not self.session.do(edits.SetBay(item.id, bay, kept)):
            self._bays.show_kept(item.keep)

    def _take_pairs(self, pairs: Sequence[SameValues]) -> None:
        item = self._current()
        if item is not None:
            taken = (*item.pairs, *pairs)
            self.session.do(edits.SetPairs(item.id, taken, item.not_same, tr("Take a pair")))

    def _choose_join_type(self, choice: Choice) -> None:
        item = self._current()
        if item is not None:
            self.session.do(edits.SetKeep(item.id, choice.keep, choice.semi, choice.cross))


class _SaidBar(QFrame):
    """What comes out, in words, and the way to what the other join types would give."""

    def __init__(self, choose: Callable[[Choice], object], theme: Theme) -> None:
        super().__init__()
        self.setProperty("said", True)
        self.setObjectName("match.said")
        self.theme = theme
        self._choose = choose
        self.types: tuple[Tied | Unlinked, Keep] | None = None
        self._title, self._words = label(strong=True), label()
        self._words.setObjectName("match.said.words")
        self._title.setObjectName("match.said.title")
        self._words.setWordWrap(True)
        self.over_time = OverTime(theme)
        self._ask = button(
            tr("What would other join types give?"), "match.join_types", self.show_types, "plain"
        )
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 4, 6, 4)
        row.addWidget(self._title)
        row.addWidget(self._words, 1)
        row.addWidget(self.over_time)
        row.addWidget(self._ask)

    def say(self, title: str, words: str, tip: str) -> None:
        self._title.setText(title)
        self._words.setText(words)
        self.setToolTip(as_it_is(tip))

    def show_types(self) -> None:
        """Open a small table of all join types with their rows and gaps."""
        if self.types is None:
            return
        card = TypesCard(*self.types, self.window())
        card.chosen.connect(self._choose)
        card.open_above(self._ask.mapToGlobal(self._ask.rect().topRight()))
