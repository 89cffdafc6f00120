"""Edits of any item: put on a lane, moved, changed, taken out; stacks and deliveries."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from keen_trellis.base.errors import EditError
from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.words import listed
from keen_trellis.document.edits.edit import (
    required,
    with_changes,
    with_item,
    with_item_behind,
    with_lane,
    with_places_kept,
    with_takers,
)
from keen_trellis.document.items import (
    DeliveryItem,
    Item,
    StackedLane,
    StackItem,
    Taken,
)
from keen_trellis.document.rows_before import deliveries_before, taken_right_before
from keen_trellis.document.sources import LaneSource
from keen_trellis.document.trellis import Trellis
from keen_trellis.layouts.delivered_text import TextForm


@dataclass(frozen=True, slots=True)
class AddStack:
    """Put the rows of other lanes below those at the end of a lane."""

    lane: str
    others: tuple[str, ...]
    label: str = tr("Stack lanes")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the stack; `EditError` where a lane would feed itself."""
        lanes = tuple(
            StackedLane(lane=other, after=trellis.end_of(trellis.lane(other)))
            for other in self.others
        )
        stack_id = trellis.fresh_id(tr("{name} stack", name=trellis.lane(self.lane).name))
        return with_item_behind(trellis, self.lane, StackItem(id=stack_id, lanes=lanes))


@dataclass(frozen=True, slots=True)
class InsertItem:
    """Put an item on a lane, behind one that is there or at its beginning.

    Attributes
    ----------
    lane : str
    after : str
        The id of the item that it stands behind; the lane's own for its beginning. At the end of
        a lane, what takes its rows there goes on taking them before it.
    item : Item
        Its id is made anew.
    """

    lane: str
    after: str
    item: Item
    label: str = tr("Add a step")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the item in its place."""
        lane = trellis.lane(self.lane)
        # At the end of a lane others may take “the end”, whichever item that is: they are tied to
        # what is last now, so that a new item behind it is not taken in by them.
        place = 0 if self.after == lane.id else trellis.place_of(self.after)[1] + 1
        item = with_changes(self.item, id=trellis.fresh_id(f"{lane.name} {self.item.type}"))
        if place == len(lane.items):
            trellis = with_places_kept(trellis, self.lane)
        return with_lane(
            trellis,
            self.lane,
            lambda lane: with_changes(lane, items=(*lane.items[:place], item, *lane.items[place:])),
        )


@dataclass(frozen=True, slots=True)
class SetItem:
    """Change the settings of an item."""

    item: Item
    label: str = tr("Change a step")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the item of that id as given."""
        return with_item(trellis, self.item.id, lambda _: self.item)


@dataclass(frozen=True, slots=True)
class SetNote:
    """Write why a lane or an item is so."""

    part: str
    note: str
    label: str = tr("Write a note")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the note."""
        if any(lane.id == self.part for lane in trellis.lanes):
            return with_lane(trellis, self.part, lambda lane: with_changes(lane, note=self.note))
        return with_item(trellis, self.part, lambda item: with_changes(item, note=self.note))


@dataclass(frozen=True, slots=True)
class MoveBehind:
    """Let what stood at a lane's end before a tie or a step stand behind it.

    Deliveries right before it then write the rows after it, and ties that take their rows right
    before it take those after it.
    """

    item: str
    label: str = tr("Move behind the tie")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with deliveries and takers moved; `EditError` for a circle."""
        lane, place = trellis.place_of(self.item)
        deliveries = deliveries_before(lane, place)
        before = taken_right_before(trellis, lane, place, deliveries)

        def moved(taken: Taken) -> Taken:
            is_before = taken.lane == lane.id and trellis.taken_after(taken) in before
            return with_changes(taken, after=self.item) if is_before else taken

        made = with_takers(trellis, moved)
        # Deliveries and the item change places; what stands before both stays.
        front = lane.items[: place - len(deliveries)]
        items = (*front, lane.items[place], *deliveries, *lane.items[place + 1 :])
        return with_lane(made, lane.id, lambda lane: with_changes(lane, items=items))


@dataclass(frozen=True, slots=True)
class MoveItem:
    """Move an item along its lane.

    Who takes the rows after both it and what it changes places with goes on taking those.

    Attributes
    ----------
    item : str
    by : int
        Over how many others: towards the end of the lane, below zero towards its beginning.
    """

    item: str
    by: int
    label: str = tr("Move along the lane")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the item moved.

        `EditError` where it stands at the end already, or somebody takes the rows between.
        """
        for _ in range(abs(self.by)):
            trellis = self._over_one(trellis, 1 if self.by > 0 else -1)
        return trellis

    def _over_one(self, trellis: Trellis, by: int) -> Trellis:
        lane, place = trellis.place_of(self.item)
        at = min(place, place + by)
        if at < 0 or at + 1 >= len(lane.items):
            raise EditError(
                tr("There is nothing on this lane to change places with."), tr("Leave it.")
            )
        first, second = lane.items[at], lane.items[at + 1]
        # Who took rows after the second took them after both; after both is after the first now.
        instead = {second.id: first.id}
        if not first.changes_rows:  # the rows after a delivery are those before it
            instead[first.id] = trellis.part_at(lane, at)
        elif not second.changes_rows:
            instead[first.id] = first.id
        else:
            takers = _takers_after(trellis, first.id)
            if takers:
                raise EditError(
                    tr_n(
                        len(takers),
                        "{takers} takes the rows between this {first} and the {second} behind it.",
                        "{takers} take the rows between this {first} and the {second} behind it.",
                        takers=listed(takers),
                        first=tr(first.word),
                        second=tr(second.word),
                    ),
                    tr("Let them take other rows first."),
                )

        def moved(taken: Taken) -> Taken:
            return with_changes(taken, after=instead.get(taken.after or "", taken.after))

        made = with_takers(trellis, moved)
        items = (*lane.items[:at], second, first, *lane.items[at + 2 :])
        return with_lane(made, lane.id, lambda one: with_changes(one, items=items))


def _takers_after(trellis: Trellis, item: str) -> list[str]:
    """Return the names of the lanes that take or begin with the rows right after an item."""
    taking = [
        lane.name
        for lane, tie in trellis.ties()
        if any(trellis.taken_after(taken) == item for taken in tie.takes())
    ]
    begun = [
        lane.name
        for lane in trellis.lanes
        if isinstance(lane.source, LaneSource) and trellis.begins_after(lane) == item
    ]
    return list(dict.fromkeys([*taking, *begun]))


@dataclass(frozen=True, slots=True)
class RemoveItem:
    """Take a tie or a delivery out of its lane."""

    item: str
    label: str = tr("Remove an item")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis without the item.

        Raises
        ------
        EditError
            A lane begins with a bay of it.
        """
        lane, place = trellis.place_of(self.item)
        for begun in trellis.beginning_at(self.item):
            raise EditError(
                tr("The lane {name} begins with a bay of this tie.", name=begun.name),
                tr("Remove {name} first.", name=begun.name),
            )
        items = lane.items[:place] + lane.items[place + 1 :]
        before = trellis.part_at(lane, place)

        def moved(taken: Taken) -> Taken:  # those rows are the ones from before it now
            return with_changes(taken, after=before) if taken.after == self.item else taken

        # Everybody who took rows after the item takes them after what stood before it: these are
        # the same rows as long as nothing is done to them.
        trellis = with_takers(trellis, moved)
        return with_lane(trellis, lane.id, lambda lane: with_changes(lane, items=items))


@dataclass(frozen=True, slots=True)
class AddDelivery:
    """Write the rows at a lane's end to a file whenever deliveries are made."""

    lane: str
    name: str
    path: str
    form: TextForm = field(default_factory=TextForm)
    label: str = tr("Add a delivery")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the delivery."""
        name = required(self.name, tr("A delivery"))
        delivery = DeliveryItem(
            id=trellis.fresh_id(name), name=name, path=self.path, form=self.form
        )
        _refuse_source(trellis, delivery)
        return with_lane(
            trellis, self.lane, lambda lane: with_changes(lane, items=(*lane.items, delivery))
        )


@dataclass(frozen=True, slots=True)
class SetDelivery:
    """Change a delivery: its name, where it goes, and how it is written."""

    delivery: DeliveryItem
    label: str = tr("Change a delivery")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the delivery as given."""
        made = self.delivery.but(name=required(self.delivery.name, tr("A delivery")))
        _refuse_source(trellis, made)
        return with_item(trellis, made.id, lambda _: made)


def _refuse_source(trellis: Trellis, delivery: DeliveryItem) -> None:
    reader = trellis.reader_of(Path(delivery.file)) if delivery.file else None
    if reader is None and delivery.into is not None:
        # Two hosts are compared by their names here, with nobody asked: an edit must not wait for
        # a name server. The run compares machines.
        reader = trellis.reader_of_table(delivery.into)
    if reader is not None:
        raise EditError(
            tr(
                "{name} would be written to {value}, which {reader_name} reads.",
                name=delivery.name,
                value=delivery.path or delivery.place,
                reader_name=reader.name,
            ),
            tr("Choose another place: sources are never written to."),
        )
