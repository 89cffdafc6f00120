"""What is put on lanes: ties by the fields that likely belong together, steps, lanes begun."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

from pydantic import ValidationError
from PySide6.QtCore import QTimer

from keen_trellis.base.errors import EditError, UnknownColumnError, UserError, WaitingError
from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.progress import Report
from keen_trellis.desktop.session.open_document import OpenDocument
from keen_trellis.desktop.session.proposing import (
    proposed_blend,
    proposed_link,
    proposed_words,
    usual_figures_of,
)
from keen_trellis.desktop.session.telling import Telling
from keen_trellis.desktop.session.work import Work
from keen_trellis.document import Trellis, edits
from keen_trellis.document.items import FigureItem, Item, JoinItem, LinkedFields, StepItem
from keen_trellis.document.without_column import without
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.link import Side
from keen_trellis.plan.schema import Schema, SchemaColumn

if TYPE_CHECKING:
    from keen_trellis.data import Table


_WAITS_MS = 300
"""How long a tie waits for the fields that are proposed for it."""


class Building:
    """Puts ties, steps and lanes into the open trellis, and selects what is new."""

    def __init__(self, document: OpenDocument, work: Work, telling: Telling) -> None:
        self._document, self._work, self._telling = document, work, telling

    @property
    def _trellis(self) -> Trellis:
        return self._document.trellis

    def tie(self, lane: str, other: str) -> None:
        """Tie a lane's end to another lane, on the fields that most likely belong together."""
        left = self._work.end_table(self._trellis.lane(lane))
        right = self._work.end_table(self._trellis.lane(other))
        # A lane tied with itself would be proposed all its own columns; of a lane that is not
        # read yet nothing can be proposed.
        if lane == other or left is None or right is None:
            self._tie(lane, other, ())
            return
        names = (self._trellis.lane(lane).name, self._trellis.lane(other).name)

        def propose(report: Report) -> tuple[LinkedFields, ...]:
            return proposed_link(left, right, names, report)

        # the tie is there at once: where proposals take their time, they follow
        waiting = QTimer(self._document, singleShot=True, interval=_WAITS_MS)
        tie: list[str] = []

        def tie_unlinked() -> None:
            self._tie(lane, other, ())
            tie.append(self._document.fresh)

        def take(link: tuple[LinkedFields, ...]) -> None:
            if not tie:
                waiting.stop()
                self._tie(lane, other, link)
            elif link and self._is_unlinked(tie[0]):
                self._document.do(edits.SetLink(tie[0], link, tr("Link by the fields proposed")))

        def give_up() -> None:
            waiting.stop()
            if not tie:
                tie_unlinked()

        # Three things may come first: the proposal (the tie is made with it), the timer (made
        # without, and linked later unless somebody has linked it by hand), or a stop. `tie` is
        # filled by the timer alone, and tells the others that the tie is there.
        waiting.timeout.connect(tie_unlinked)
        waiting.start()
        stopped = tr("Stopped: no link has been proposed. Choose the fields that belong together.")
        self._work.find_out(propose, take, stopped, given_up=give_up)

    def _is_unlinked(self, tie: str) -> bool:
        """Whether a tie is there that nobody has linked meanwhile."""
        items = (item for lane in self._trellis.lanes for item in lane.items)
        found = next((item for item in items if item.id == tie), None)
        return isinstance(found, JoinItem) and not found.link and not found.cross

    def propose(self, lane: str, other: str, done: Callable[[str], object]) -> None:
        """Find out what would link two lanes' ends; `done` gets it in words."""
        left, right = (self._work.end_table(self._trellis.lane(one)) for one in (lane, other))
        names = (self._trellis.lane(lane).name, self._trellis.lane(other).name)
        if left is not None and right is not None:
            self._work.find_out(lambda report: proposed_words(left, right, names, report), done, "")

    def _tie(self, lane: str, other: str, link: tuple[LinkedFields, ...]) -> None:
        if self._document.do(edits.AddTie(lane, other, link)):
            self._document.fresh = self._trellis.lane(lane).items[-1].id
            self._document.select(self._document.fresh)

    def blend(self, lane: str, other: str) -> None:
        """Blend a lane's end with another, by the fields that most likely belong together."""
        sides = [self._work.end_table(self._trellis.lane(one)) for one in (lane, other)]
        names = (self._trellis.lane(lane).name, self._trellis.lane(other).name)

        def propose(report: Report) -> edits.AddBlend:
            return proposed_blend(lane, other, sides, names, report)

        self._work.find_out(propose, self._add_blend, tr("Stopped: nothing has been blended."))

    def _add_blend(self, edit: edits.AddBlend) -> None:
        if self._document.do(edit):
            self._document.fresh = self._trellis.lane(edit.lane).items[-1].id
            self._document.select(self._document.fresh)

    def change_tie(self, kind: str) -> None:
        """Make the selected tie another kind of tie, keeping what still makes sense."""
        item = self._document.selected_item
        if item is None or not item.takes() or item.type == kind:
            return
        figures: tuple[tuple[FigureItem, ...], ...] = ()
        if kind == "blend":
            sides = self._work.results.sides(item.id)
            figures = usual_figures_of([None if isinstance(s, UserError) else s for s in sides])
        self._document.do(edits.ChangeTie(item.id, kind, figures))

    def swap_sides(self) -> None:
        """Let the other lane of the selected join go on, and what stands behind with it."""
        item = self._document.selected_item
        if not isinstance(item, JoinItem):
            return
        parts = (self._trellis.before(item.id), self._trellis.taken_after(item.takes()[0]))
        left, right = (self._schema(part) for part in parts)
        lanes = (self._trellis.place_of(item.id)[0].name, self._trellis.lane(item.lane).name)
        names = None
        if left is not None and right is not None:
            try:
                names = edits.swapped_names(item, (left, right), lanes)
            except EditError as error:
                self._telling.trouble(error)
                return
            except UserError:  # of a join that cannot be made, nothing follows by columns
                # An EditError says that the swap itself is impossible; any other error is of the
                # data, and the swap is made without a look at names.
                names = None
        self._document.do(edits.SwapSides(item.id, names))

    def link_naturally(self) -> None:
        """Link the selected join by all columns that have one name on both sides."""
        item = self._document.selected_item
        if not isinstance(item, JoinItem):
            return
        sides = [getattr(side, "columns", ()) for side in self._work.results.sides(item.id)]
        names = [name for name in sides[0] if name in sides[1]] if len(sides) > 1 else []
        if not names:
            lane, other = (
                self._trellis.place_of(item.id)[0],
                self._trellis.lane(item.lane),
            )
            self._telling.trouble(
                tr(
                    "{name} and {other_name} have no column of one name, so there is no natural "
                    "join of them. Choose the fields that belong together.",
                    name=lane.name,
                    other_name=other.name,
                )
            )
            return
        link = tuple(LinkedFields(left=name, right=name) for name in names)
        self._document.do(edits.SetLink(item.id, link, tr("Link all columns of one name")))

    def stack(self, lane: str, other: str) -> None:
        """Put the rows at a lane's end below those at the end of another."""
        if self._document.do(edits.AddStack(lane, (other,))):
            self._document.fresh = self._trellis.lane(lane).items[-1].id
            self._document.select(self._document.fresh)

    def begin_with_bay(self, bay: Bay) -> None:
        """Begin a lane with the rows of a bay of the selected join or blend."""
        item = self._document.selected_item
        if item is not None and item.has_bays:
            self._begin(edits.lane_with_bay(self._trellis, item.id, bay))

    def begin_with_rows(self) -> None:
        """Begin a lane with the rows after what is selected; at its end for a lane itself."""
        lane, item = self._document.selected_lane, self._document.selected_item
        if lane is not None:
            after = item.id if item else self._trellis.end_of(lane)
            self._begin(edits.lane_with_rows(self._trellis, lane.id, after))

    def _begin(self, edit: edits.AddLane) -> None:
        before = {lane.id for lane in self._trellis.lanes}
        if self._document.do(edit):
            self._document.select(
                next(lane.id for lane in self._trellis.lanes if lane.id not in before)
            )

    def add_step(self, step: StepItem, after: str = "") -> None:
        """Put a step on the selected lane, and select it.

        Parameters
        ----------
        step : StepItem
            Its id is made anew.
        after : str, optional
            The part that it stands behind: what is selected where not given, or the last item of a
            lane that is selected itself.
        """
        lane, item = self._document.selected_lane, self._document.selected_item
        if lane is None:
            return
        before = {one.id for one in lane.items}
        after = after or (item.id if item else self._trellis.end_of(lane))
        if self._document.do(
            edits.InsertItem(lane.id, after, step, tr("Add a step: {title}", title=step.title))
        ):
            items = self._trellis.lane(lane.id).items
            self._document.fresh = next(one.id for one in items if one.id not in before)
            self._document.select(self._document.fresh)

    @property
    def gone_column(self) -> str:
        """The column that the selected item needs, is gone, and can be done without; else empty."""
        found = self._without_gone()
        return found[0] if found else ""

    def go_on_without(self) -> None:
        """Take what names a column that is gone out of the selected item."""
        found = self._without_gone()
        if found:
            column, item = found
            self.change_columns(
                edits.SetItem(item, tr("Go on without {column}", column=column)), item.id
            )

    def _without_gone(self) -> tuple[str, Item] | None:
        for item, name, side, _ in self._lacking():
            left = without(item, name, side)
            if left is not None:
                return name, left
        return None

    def _lacking(self) -> Iterator[tuple[Item, str, Side | int, Table]]:
        """Yield the selected item, a column that it names, and the side and rows that lack it."""
        item, results = self._document.selected_item, self._work.results
        error = results.given.get(item.id) if item is not None else None
        if item is None or not isinstance(error, UnknownColumnError):
            return
        # The error is of the trellis that ran; a column that an edit has just mended is not gone.
        if results.trellis is not self._trellis:
            return
        for number, rows in enumerate(results.sides(item.id)):
            if not isinstance(rows, UserError) and rows is not None:
                # Sides come as the lane's own first and then each lane that is taken: the items
                # call the first “left” and count the others from 0.
                side: Side | int = number - 1 if number else "left"
                names_it = item.renamed(lambda one: f"{one} ", side) != item
                if error.name not in rows.columns and names_it:
                    yield item, error.name, side, rows

    @property
    def missing_column(self) -> str:
        """The column that the selected item needs and that is gone; else empty."""
        return next((name for _, name, _, _ in self._lacking()), "")

    @property
    def successors(self) -> tuple[str, ...]:
        """The columns that may be meant by the one that is gone, the likeliest first."""
        from keen_trellis.run.changes import likely_successors

        for _, name, _, rows in self._lacking():
            return likely_successors(name, rows.columns)
        return ()

    def go_on_with(self, name: str) -> None:
        """Let the selected item name another column wherever it names the one that is gone."""
        for item, gone, side, _ in self._lacking():
            changed = item.renamed(lambda one: name if one == gone else one, side)  # noqa: B023
            self._document.do(
                edits.SetItem(changed, tr("Take {name} for {gone}", name=name, gone=gone))
            )
            return

    def where_failed(self, waiting: WaitingError) -> tuple[str, str] | None:
        """Return the part that something waits for, and what it is called; None if it is gone."""
        results, trellis = self._work.results, self._trellis
        for lane in trellis.lanes:
            if results.readings.get(lane.id) is waiting.cause:
                return lane.id, lane.name
            for item in lane.items:
                if results.given.get(item.id) is waiting.cause:
                    brief = item.brief if isinstance(item, StepItem) else item.within
                    return item.id, f"{lane.name}, {brief}"
        return None

    def change_columns(self, edit: edits.Edit, part: str) -> bool:
        """Change an item; where columns are called otherwise then, all behind it follows.

        What names a column that is gone then is said: undoing brings it back.
        """
        from keen_trellis.run.column_renames import Carrying, left_without, same_names

        before, item = self._trellis, self._trellis.item(part)
        parts = (before.before(part), *map(before.taken_after, item.takes()))
        inputs = [schema for one in parts if (schema := self._schema(one)) is not None]
        lanes = [before.place_of(part)[0], *(before.lane(one.lane) for one in item.takes())]
        names = [lane.name for lane in lanes]
        try:
            changed = edit.changed(before).item(part)
        except (UserError, ValidationError, KeyError):
            return self._document.do(edit)  # which says what is wrong with it
        # With every input known and no name changed, nothing behind has to follow: the plain edit
        # is cheaper, and its undo shorter.
        if len(inputs) == len(parts) and same_names(item, changed, inputs, names):
            return self._document.do(edit)
        schemas = {lane.id: one for lane in before.lanes if (one := self._schema(lane.id))}
        # One edit for the change and for all that follows from it: one undo takes both back.
        if not self._document.do(Carrying(edit, part, schemas)):
            return False
        lost = [
            f"{lane.name}, {item.brief if isinstance(item, StepItem) else item.within}"
            for lane, item in left_without(before, self._trellis, part, schemas)
            if item.id != part
        ]
        if lost:
            needs = tr_n(
                len(lost),
                "{lost}: needs what is gone now.",
                "{lost}: need what is gone now.",
                lost="; ".join(lost),
            )
            remedy = tr("Undo (Ctrl+Z), or go on without it there.")
            self._telling.trouble(f"{needs} {remedy}")
        return True

    def _schema(self, part: str) -> Schema | None:
        """Return the columns of a part's rows, as far as they are known."""
        table = self._work.results.table(part)
        if table is None:
            return None
        return Schema(tuple(SchemaColumn(f.name, f.kind, f.origin) for f in table.fields))
