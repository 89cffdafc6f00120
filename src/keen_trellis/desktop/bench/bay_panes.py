"""The three bays of a tie side by side: resized, one alone, and why a row has no partner."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QSplitter, QWidget

from keen_trellis.base.errors import TooManyRowsError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.compute.join_result import Tied
from keen_trellis.compute.outcome_rows import outcome_fields
from keen_trellis.compute.row_view import Look, Only
from keen_trellis.desktop.bench.bay_card import BayCard
from keen_trellis.desktop.bench.rows_card import RowsCard, Unit, in_rows
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import LaneColours, Theme, readable
from keen_trellis.document.items import SameValues
from keen_trellis.plan.bays import Bay, Keep
from keen_trellis.plan.link import Link, Side
from keen_trellis.plan.outcome import ALL_COLUMNS

if TYPE_CHECKING:
    from keen_trellis.advice.findings import Shows
    from keen_trellis.advice.missing_partner import Reason

_SHARES = {Bay.LEFT: 39, Bay.BOTH: 45, Bay.RIGHT: 39}
_NARROWEST = 300
SIX_ROWS = 174
"""The height that lets six rows of each bay be seen, beside the least that bays take."""


class Bays(QSplitter):
    """The bays of a tie.

    Signals
    -------
    switched(bay, kept)
        A bay is to be kept, or to be left.
    lane_asked(bay)
        Its rows are to begin a lane.
    same(pairs)
        Values are to be taken as the same.
    """

    switched = Signal(object, bool)
    lane_asked = Signal(object)
    same = Signal(object)

    def __init__(
        self, session: Session, theme: Theme, parent: QWidget, takes_pairs: bool = True
    ) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.setObjectName("bays")
        self._session, self.theme, self._takes_pairs = session, theme, takes_pairs
        self._tie: Tied | None = None
        self._cards = {bay: BayCard(bay, theme, self) for bay in Bay}
        self.setHandleWidth(12)
        self.setChildrenCollapsible(False)
        for place, (bay, card) in enumerate(self._cards.items()):
            self.addWidget(card)
            self.setStretchFactor(place, _SHARES[bay])
            card.setMinimumWidth(_NARROWEST)
            card.switch.chosen.connect(lambda number, b=bay: self.switched.emit(b, number == 0))
            card.lane_asked.connect(partial(self.lane_asked.emit, bay))
            card.deliver_asked.connect(partial(self._deliver, bay))
            card.alone_asked.connect(partial(self._show_alone, bay))
            card.why_asked.connect(partial(self._ask_why, bay))
        self._several = RowsCard("bay.several", theme, self)
        self._several.setMinimumWidth(_NARROWEST // 2)
        self.addWidget(self._several)
        self.setStretchFactor(len(_SHARES), 20)
        self._several.hide()
        self.setSizes([share * 10 for share in (*_SHARES.values(), 20)])

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        self.theme = theme
        for card in (*self._cards.values(), self._several):
            card.set_theme(theme)

    def show_kept(self, keep: Keep) -> None:
        """Show which bays are kept."""
        for bay, card in self._cards.items():
            card.switch.set_chosen(0 if bay in keep else 1)

    def show_tie(
        self, tie: Tied, keep: Keep, lanes: tuple[str, str], origins: Origins, unit: Unit = in_rows
    ) -> None:
        """Show the bays of a tie.

        Parameters
        ----------
        keep : Keep
            The bays kept now; the tie may be of before.
        lanes : (str, str)
            The ids of both lanes.
        unit : callable
            Says a number of what is counted: of rows, or of groups of them.
        """
        self._tie = tie
        left, right = tie.names
        tint = origins.colours[lanes[0]].tint
        least = self.theme.least_contrast
        ink = readable(self.theme.both_fill, tint, self.theme.ink, least)
        both = LaneColours(self.theme.both_fill, ink, tint)
        left_fields = {field.left for field in tie.link.fields}
        right_fields = {field.right for field in tie.link.fields}
        shown = [
            f.name
            for f in outcome_fields(
                tie.left, tie.right, Link(), right_name=right, columns=ALL_COLUMNS
            )
        ]
        # In the rows of both sides the right columns stand behind the left ones, some under other
        # names (two columns of one name): by place, they are found again.
        shift = len(tie.left.fields)
        moved = {
            shown[shift + place]
            for place, field in enumerate(tie.right.fields)
            if field.name in right_fields
        }
        for bay, name, colours, fields in (
            (Bay.LEFT, tr("Only in {left}", left=left), origins.colours[lanes[0]], left_fields),
            (Bay.BOTH, tr("In both"), both, left_fields | moved),
            (
                Bay.RIGHT,
                tr("Only in {right}", right=right),
                origins.colours[lanes[1]],
                right_fields,
            ),
        ):
            card, rows = self._cards[bay], tie.counts.bay(bay)
            card.show_head(name, rows, bay in keep, colours, unit)
            try:
                card.show_bay(tie, fields, origins)
            except TooManyRowsError as error:
                card.show_sentence(str(error))

        self._show_several(tie, lanes, origins)

    def _show_several(self, tie: Tied, lanes: tuple[str, str], origins: Origins) -> None:
        """Show the rows with several matches, where only a single one is taken."""
        own = 0 if tie.link.partner_for == "left" else 1
        rows = tie.ambiguous if tie.link.partner == "only" else None
        is_alone = any(card.is_alone for card in self._cards.values())
        self._several.setVisible(rows is not None and len(rows) > 0 and not is_alone)
        if rows is None or not len(rows):
            return
        name = tr("Several matches in {names}", names=tie.names[1 - own])
        self._several.show_head(name, len(rows), False, origins.colours[lanes[own]])
        side = "left" if own == 0 else "right"
        self._several.show_rows(rows, origins, {getattr(f, side) for f in tie.link.fields})

    def _deliver(self, bay: Bay) -> None:
        """Begin a lane with the rows of a bay, and ask where they are to be delivered."""
        self.lane_asked.emit(bay)
        self._session.asked.emit("lane.deliver")

    def show_rows(self, shows: Shows) -> None:
        """Look at the rows of a finding in their bay."""
        grid = self._cards[shows.bay].grid
        if shows.what == "sorted":
            look = Look(sort=shows.column)
        else:
            one = Only(shows.column, shows.what, shows.value)
            look = Look(only=(one,) if shows.column else ())
        grid.look_by(look.within(grid.whole))
        grid.setFocus()

    def _show_alone(self, bay: Bay) -> None:
        """Give one bay the whole width, or all of them theirs again."""
        alone = not self._cards[bay].is_alone
        for one, card in self._cards.items():
            card.is_alone = alone and one is bay
            card.setVisible(not alone or one is bay)
        if self._tie is not None:
            several = self._tie.link.partner == "only" and len(self._tie.ambiguous) > 0
            self._several.setVisible(several and not alone)

    def _ask_why(self, bay: Bay, row: int) -> None:
        """Open a card beside a row that says why it has no partner."""
        tie = self._tie
        if tie is None:
            return
        side: Side = "left" if bay is Bay.LEFT else "right"
        # What is shown in the bay are these rows in this order: the row of the card leads to the
        # row of its side.
        rows = tie.match.left_only if bay is Bay.LEFT else tie.match.right_only

        def find(report: Report) -> Reason:
            from keen_trellis.advice.missing_partner import why_not

            report(0.0, tr("Looking why this row has no partner"))
            return why_not(tie, int(rows[row]), side)

        self._session.work.find_out(find, partial(self._show_why, tie, bay), "")

    def _show_why(self, tie: Tied, bay: Bay, reason: Reason) -> None:
        # Looked for on another thread: the card of a row that is not shown any more would tell a
        # riddle.
        if tie is not self._tie:
            return

        def remedy(number: int) -> tuple[str, Callable[[], object]] | None:
            """Return what takes a candidate's value as the same, for all rows with it."""
            values = zip(
                reason.values, reason.candidates[number].values, reason.fields, strict=False
            )
            pairs = [
                SameValues(left=own, right=other, field=place)
                if bay is Bay.LEFT
                else SameValues(left=other, right=own, field=place)
                for own, other, place in values
                if own != other
            ]
            # Values can be declared the same for a comparison by equals alone.
            if not pairs or any(tie.link.fields[pair.field].operator != "=" for pair in pairs):
                return None
            return tr("The same: +{rows:,}", rows=reason.rows), partial(self.same.emit, pairs)

        from keen_trellis.desktop.bench.why_card import WhyCard

        offered = remedy if self._takes_pairs else lambda _: None
        card = WhyCard(reason, self.theme, offered, self.window())
        grid = self._cards[bay].grid
        place = grid.visualRect(grid.currentIndex()).bottomLeft()
        card.open_at(grid.viewport().mapToGlobal(place))
