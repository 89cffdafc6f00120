"""The Match page: a tie as a sentence with choices, its three bays, and what comes out."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QMenu,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.advice.why import Reason, why_not
from keen_trellis.compute.outcome import outcome_fields
from keen_trellis.compute.tied import Tied
from keen_trellis.data import Field, Table
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.rows_card import RowsCard
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, Switch, button, label
from keen_trellis.desktop.parts.join.link_sentence import LinkSentence
from keen_trellis.desktop.parts.join.why_card import WhyCard
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import LaneColours, Theme, readable
from keen_trellis.document.edits import SetBay, SetKeep, SetPairs
from keen_trellis.document.items import Item, JoinItem, SameValues
from keen_trellis.document.trellis import Lane
from keen_trellis.errors import TooManyRowsError, UserError
from keen_trellis.plan.bays import Bay, Keep
from keen_trellis.plan.link import Link, Side
from keen_trellis.plan.outcome import ALL_COLUMNS
from keen_trellis.plan.sentences import cardinality_words, join_title, outcome_sentences
from keen_trellis.progress import Report

_SHARES = {Bay.LEFT: 38, Bay.BOTH: 47, Bay.RIGHT: 38}
_NARROWEST_BAY = 300


class BayCard(RowsCard):
    """One bay: its name and rows, Keep or Leave, and the rows themselves."""

    lane_asked = Signal()
    alone_asked = Signal()
    why_asked = Signal(int)

    def __init__(self, bay: Bay, theme: Theme) -> None:
        none = "No rows here." if bay is Bay.BOTH else "Every row has a match."
        super().__init__(f"bay.{bay}", theme, none)
        self.bay = bay
        more = button("⋯", f"bay.{bay}.more", self._offer, "plain")
        more.setAccessibleName("What can be done with the rows of this bay")
        more.setToolTip(more.accessibleName())
        more.setFixedWidth(26)
        more.setStyleSheet("padding: 2px 0;")
        self.switch = Switch(f"bay.{bay}.switch", ("Keep", "Leave"), "This bay")
        self.head_row.addWidget(more)
        self.head_row.addWidget(self.switch)
        self._of: tuple[Tied, set[str]] | None = None
        self._table: Table | None = None
        self.is_alone = False
        if bay is not Bay.BOTH:
            words = "Why has this row no partner?"
            self.grid.offers.append(("why", words, self.why_asked.emit))
            self.grid.doubleClicked.connect(
                lambda index: self.why_asked.emit(self.grid.row_of(index.row()))
            )
            self.grid.setToolTip("Double-click a row to learn why it has no partner")

    def _offer(self) -> None:
        menu = QMenu(self)
        menu.setObjectName(f"bay.{self.bay}.menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        own = menu.addAction("Begin a lane with these rows", self.lane_asked.emit)
        own.setObjectName(f"bay.{self.bay}.lane")
        words = "Show all bays again" if self.is_alone else "Give this bay the whole width"
        menu.addAction(words, self.alone_asked.emit).setObjectName(f"bay.{self.bay}.alone")
        search = menu.addAction("Search these rows …", self.grid.search_asked.emit)
        search.setObjectName(f"bay.{self.bay}.search")
        below = self.switch.mapToGlobal(self.switch.rect().bottomLeft())
        menu.popup(below)

    def show_bay(self, tie: Tied, fields: set[str], right: str, origins: Origins) -> None:
        """Show the rows of the bay; the same rows as before stay where they were scrolled to.

        Raises
        ------
        TooManyRowsError
            There are more pairs of partners than can be shown.
        """
        shown, linked = self._of or (None, None)
        is_other = shown is None or any(
            a is not b
            for a, b in ((shown.match, tie.match), (shown.left, tie.left), (shown.right, tie.right))
        )
        if self._table is None or is_other or linked != fields:
            self._table = _link_first(tie.bay(self.bay), fields, right)
            self._of = tie, fields
        self.show_rows(self._table, origins, fields)

    def show_head(self, name: str, rows: int, kept: bool, colours: LaneColours) -> None:
        """Show what the bay is called, how many rows it has, and whether they are kept."""
        super().show_head(name, rows, kept, colours)
        theme = self.theme
        self.switch.set_chosen(0 if kept else 1)
        on_fill = theme.surface if theme.name == "light" else theme.ground
        strong = colours.ink if kept else theme.ink_soft
        self.switch.paint_with(
            theme.surface, theme.line, strong, on_fill=on_fill, ink=theme.ink_soft
        )


class MatchPage(Page):
    """What belongs together, which rows found a partner, and the fate of those that did not."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__(session, theme)
        self._sentence = LinkSentence(session)
        self._notice = Notice("match.trouble")
        self._bays = {bay: BayCard(bay, theme) for bay in Bay}
        self._bay_row = QSplitter(Qt.Orientation.Horizontal)
        self._bay_row.setObjectName("match.bays")
        self._said = _SaidBar(self._choose_join_type, theme)
        self._lay_out()
        for bay, panel in self._bays.items():
            panel.switch.chosen.connect(lambda number, b=bay: self._switch_bay(b, number == 0))
            panel.lane_asked.connect(lambda b=bay: self.session.begin_with_bay(b))
            panel.alone_asked.connect(lambda b=bay: self._show_alone(b))
            panel.why_asked.connect(lambda row, b=bay: self._ask_why(b, row))

    def _lay_out(self) -> None:
        self._bay_row.setHandleWidth(12)
        self._bay_row.setChildrenCollapsible(False)
        for place, (bay, share) in enumerate(_SHARES.items()):
            self._bay_row.addWidget(self._bays[bay])
            self._bay_row.setStretchFactor(place, share)
            self._bays[bay].setMinimumWidth(_NARROWEST_BAY)
        self._bay_row.setSizes([share * 10 for share in _SHARES.values()])
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 8)
        column.setSpacing(9)
        column.addWidget(self._sentence)
        column.addWidget(self._notice)
        column.addWidget(self._bay_row, 1)
        column.addWidget(self._said)
        self._spare = QWidget()  # below a notice, where there are no bays
        column.addWidget(self._spare, 1)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._said.theme = theme
        self._sentence.forget()
        for panel in self._bays.values():
            panel.set_theme(theme)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a tie as the latest results have it."""
        assert isinstance(item, JoinItem)
        result = self.session.results.ties.get(item.id)
        self._sentence.show_link(lane, item, origins)
        trouble = str(result) if isinstance(result, UserError) else ""
        self._notice.tell(trouble)
        is_there = isinstance(result, Tied)
        self._bay_row.setVisible(is_there)
        self._said.setVisible(is_there)
        self._spare.setVisible(not is_there)
        if isinstance(result, Tied):
            self._show_bays(item, result, origins)
            # said of the tie that was worked out: the one in the sentence may be newer
            keep, columns = result.keep, result.columns
            words = outcome_sentences(result.counts, keep, *result.names, columns)
            tip = cardinality_words(result.counts, *result.names)
            self._said.say(f"{join_title(keep, columns, result.link.cross)}.", words, tip)
            self._said.types = (result, item.keep)

    def _show_bays(self, item: JoinItem, tie: Tied, origins: Origins) -> None:
        left, right = tie.names
        lane_ids = self.session.trellis.place_of(item.id)[0].id, item.lane
        tint = origins.colours[lane_ids[0]].tint
        ink = readable(self.theme.both_fill, tint, self.theme.ink)
        both = LaneColours(self.theme.both_fill, ink, tint)
        left_fields = {field.left for field in tie.link.fields}
        right_fields = {field.right for field in tie.link.fields}
        shown = [
            f.name
            for f in outcome_fields(
                tie.left, tie.right, Link(), right_name=right, columns=ALL_COLUMNS
            )
        ]
        shift = len(tie.left.fields)
        moved = {
            shown[shift + place]
            for place, field in enumerate(tie.right.fields)
            if field.name in right_fields
        }
        for bay, name, colours, fields in (
            (Bay.LEFT, f"Only in {left}", origins.colours[lane_ids[0]], left_fields),
            (Bay.BOTH, "In both", both, left_fields | moved),
            (Bay.RIGHT, f"Only in {right}", origins.colours[lane_ids[1]], right_fields),
        ):
            panel, rows = self._bays[bay], tie.counts.bay(bay)
            panel.show_head(name, rows, bay in item.keep, colours)
            try:
                panel.show_bay(tie, fields, lane_ids[1], origins)
            except TooManyRowsError as error:
                panel.show_sentence(str(error))

    def _current(self) -> JoinItem | None:
        item = self.session.selected_item
        return item if isinstance(item, JoinItem) else None

    def _show_alone(self, bay: Bay) -> None:
        """Give one bay the whole width, or all of them theirs again."""
        alone = not self._bays[bay].is_alone
        for one, panel in self._bays.items():
            panel.is_alone = alone and one is bay
            panel.setVisible(not alone or one is bay)

    def _ask_why(self, bay: Bay, row: int) -> None:
        """Open a card beside a row that says why it has no partner."""
        item = self._current()
        side: Side = "left" if bay is Bay.LEFT else "right"
        tie = self.session.results.ties.get(item.id) if item else None
        if not isinstance(tie, Tied):
            return
        rows = tie.match.left_only if bay is Bay.LEFT else tie.match.right_only

        def find(report: Report) -> Reason:
            report(0.0, "Looking why this row has no partner")
            return why_not(tie, int(rows[row]), side)

        self.session.find_out(find, partial(self._show_why, tie, bay), "")

    def _show_why(self, tie: Tied, bay: Bay, reason: Reason) -> None:
        item = self._current()
        if item is None or self.session.results.ties.get(item.id) is not tie:
            return

        def remedy(number: int) -> tuple[str, Callable[[], object]] | None:
            """Return what takes a candidate's value as the same, for all rows with it."""
            pairs = [
                SameValues(left=own, right=other, field=place)
                if bay is Bay.LEFT
                else SameValues(left=other, right=own, field=place)
                for own, other, place in zip(
                    reason.values, reason.candidates[number].values, reason.fields, strict=False
                )
                if own != other
            ]
            if not pairs or any(tie.link.fields[pair.field].operator != "=" for pair in pairs):
                return None
            edit = SetPairs(item.id, (*item.pairs, *pairs), item.not_same, "Take a pair")
            return f"The same: +{reason.rows:,}", partial(self.session.do, edit)

        card = WhyCard(reason, self.theme, remedy, self.window())
        grid = self._bays[bay].grid
        place = grid.visualRect(grid.currentIndex()).bottomLeft()
        card.open_at(grid.viewport().mapToGlobal(place))

    def _switch_bay(self, bay: Bay, kept: bool) -> None:
        item = self._current()
        if item is not None and not self.session.do(SetBay(item.id, bay, kept)):
            self._bays[bay].switch.set_chosen(0 if bay in item.keep else 1)

    def _choose_join_type(self, keep: Keep) -> None:
        item = self._current()
        if item is not None:
            self.session.do(SetKeep(item.id, keep))


class _SaidBar(QFrame):
    """What comes out, in words, and the way to what the other join types would give."""

    def __init__(self, choose: Callable[[Keep], object], theme: Theme) -> None:
        super().__init__()
        self.setProperty("said", True)
        self.setObjectName("match.said")
        self.theme = theme
        self._choose = choose
        self.types: tuple[Tied, Keep] | None = None
        self._title, self._words = label(strong=True), label()
        self._words.setObjectName("match.said.words")
        self._title.setObjectName("match.said.title")
        self._words.setWordWrap(True)
        self._ask = button(
            "What would other join types give?", "match.join_types", self.show_types, "plain"
        )
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 4, 6, 4)
        row.addWidget(self._title)
        row.addWidget(self._words, 1)
        row.addWidget(self._ask)
        self._popover: QFrame | None = None

    def say(self, title: str, words: str, tip: str) -> None:
        self._title.setText(title)
        self._words.setText(words)
        self.setToolTip(tip)

    def show_types(self) -> None:
        """Open a small table of all join types with their rows and gaps."""
        if self.types is None:
            return
        tie, keep = self.types
        popover = QFrame(self.window(), Qt.WindowType.Popup)
        popover.setObjectName("popover")
        popover.setAccessibleName("What every join type would give")
        popover.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        grid = QGridLayout(popover)
        grid.setContentsMargins(14, 12, 14, 12)
        grid.setHorizontalSpacing(22)
        grid.setVerticalSpacing(3)
        left, right = tie.names

        def pick(keep: Keep) -> None:
            popover.close()
            self._choose(keep)

        heads = ("join type", "rows", f"gaps in {left}", f"gaps in {right}", "multiplied")
        for column, head in enumerate(heads):
            side = Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft
            grid.addWidget(label(head, soft=True, small=True), 0, column, side)
        kinds = [kind for kind in tie.join_types() if not kind.semi]  # those are about columns
        for row, kind in enumerate(kinds, start=1):
            chosen = button(
                kind.name, f"join_type.{'-'.join(kind.keep)}", partial(pick, kind.keep), "plain"
            )
            if kind.keep == keep:
                chosen.setText(f"{kind.name}  · now")
            grid.addWidget(chosen, row, 0, Qt.AlignmentFlag.AlignLeft)
            numbers = (kind.rows, kind.left_gaps, kind.right_gaps, kind.multiplied)
            for column, number in enumerate(numbers, start=1):
                shown = label(f"{number:,}" if number else "–", soft=not number)
                grid.addWidget(shown, row, column, Qt.AlignmentFlag.AlignRight)

        popover.adjustSize()
        corner = self._ask.mapToGlobal(self._ask.rect().topRight())
        popover.move(corner.x() - popover.width(), corner.y() - popover.height() - 6)
        popover.show()
        self._popover = popover


def _link_first(table: Table, fields: set[str], right_origin: str) -> Table:
    """Return the table with what shows the match in front: a bay is narrow.

    First come the first column and the link fields of the left side, then the right side, its
    link fields first, then the rest of the left side.
    """
    left = [field for field in table.fields if field.origin != right_origin]
    right = [field for field in table.fields if field.origin == right_origin]
    wanted = (*left[:1], *_linked(left, fields), *_linked(right, fields), *right, *left)
    ordered = {field.name: field for field in wanted}
    return Table(tuple(ordered.values()), table.strands, table.n_rows)


def _linked(fields: list[Field], names: set[str]) -> list[Field]:
    return [field for field in fields if field.name in names]
