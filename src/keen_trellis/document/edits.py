"""Changes to a trellis as small values; applying one gives the change that takes it back."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from functools import partial
from pathlib import Path
from typing import Any, Protocol, TypeVar

from pydantic import BaseModel, ValidationError

from keen_trellis.document.items import (
    DeliveryItem,
    Item,
    JoinItem,
    LinkedFields,
    OrderedBy,
    Promised,
    SameValues,
    StackedLane,
    StackItem,
    Taken,
    WantedColumns,
)
from keen_trellis.document.sources import BaySource, LaneSource, Source, missing_beside
from keen_trellis.document.trellis import Lane, Trellis, kept_with
from keen_trellis.errors import EditError
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.link import Link
from keen_trellis.words import listed

_P = TypeVar("_P", bound=BaseModel)


class Edit(Protocol):
    """A change that can be named and applied."""

    @property
    def label(self) -> str:
        """What the change does, as the undo menu says it."""

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the change made; `EditError` where it cannot be."""


def apply(edit: Edit, trellis: Trellis) -> tuple[Trellis, Edit]:
    """Return the changed trellis, and the edit that takes the change back.

    Raises
    ------
    EditError
        The trellis does not allow the change; it is as it was.
    """
    try:
        return edit.changed(trellis), Restore(edit.label, trellis)
    except ValidationError as error:
        raise EditError(first_fault(error)) from error
    except KeyError as error:  # what it would change was taken out since it was offered
        raise EditError(
            f"“{edit.label}” cannot be done: what it changes is no longer there.",
            "Undo until it is back, or leave it.",
        ) from error


def first_fault(error: ValidationError) -> str:
    """Return the first fault of a document as a sentence."""
    fault = error.errors()[0]
    cause = fault.get("ctx", {}).get("error")
    if cause is not None:
        return str(cause)
    where = ".".join(str(place) for place in fault["loc"])
    return f"{where}: {fault['msg']}."


@dataclass(frozen=True, slots=True)
class Restore:
    """Back to a trellis that was."""

    label: str
    trellis: Trellis

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis that was."""
        return self.trellis


@dataclass(frozen=True, slots=True)
class RenameTrellis:
    """Give the trellis another name."""

    name: str
    label: str = "Rename the trellis"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with its new name."""
        return _with(trellis, name=_required(self.name, "A trellis"))


@dataclass(frozen=True, slots=True)
class AddLane:
    """Bring in a table as a lane, below the others or right below one of them."""

    name: str
    source: Source
    below: str = ""

    @property
    def label(self) -> str:
        """What the change does."""
        return f"Add the lane {self.name}"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the lane; its name gets a number where it is taken."""
        name = trellis.fresh_lane_name(_required(self.name, "A lane"))
        lane = Lane(
            id=trellis.fresh_id(name),
            name=name,
            colour=trellis.fresh_colour(),
            source=self.source,
        )
        ids = [one.id for one in trellis.lanes]
        place = ids.index(self.below) + 1 if self.below in ids else len(ids)
        lanes = (*trellis.lanes[:place], lane, *trellis.lanes[place:])
        return _with(trellis, lanes=lanes)


def lane_with_bay(trellis: Trellis, tie: str, bay: Bay) -> AddLane:
    """Return the edit that begins a lane with the rows of a bay."""
    lane, _ = trellis.place_of(tie)
    left, right = lane.name, trellis.lane(trellis.join(tie).lane).name
    names = {
        Bay.LEFT: f"{left} without {right}",
        Bay.BOTH: f"{left} with {right}",
        Bay.RIGHT: f"{right} without {left}",
    }
    return AddLane(names[bay], BaySource(tie=tie, bay=bay), below=lane.id)


def lane_with_rows(trellis: Trellis, lane: str, after: str) -> AddLane:
    """Return the edit that begins a lane with the rows that another has after a part of it."""
    source = LaneSource(lane=lane, after=after)
    return AddLane(trellis.lane(lane).name, source, below=lane)


@dataclass(frozen=True, slots=True)
class RenameLane:
    """Give a lane another name, also where it stands behind the name of a column.

    Attributes
    ----------
    lane, name : str
    as_read : frozenset of str
        The names of columns as sources have them: one that ends like the lane's name by itself
        stays as it is.
    """

    lane: str
    name: str
    as_read: frozenset[str] = frozenset()
    label: str = "Rename a lane"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the lane's new name; `EditError` where it is taken."""
        name = _required(self.name, "A lane")
        if any(lane.name == name and lane.id != self.lane for lane in trellis.lanes):
            raise EditError(f"Another lane is called “{name}”.", "Choose a name of its own.")
        behind = re.compile(rf"(?s)(.+) \({re.escape(trellis.lane(self.lane).name)}( \d+)?\)")

        def renamed(column: str) -> str:
            found = None if column in self.as_read else behind.fullmatch(column)
            return f"{renamed(found[1])} ({name}{found[2] or ''})" if found else column

        lanes = []
        for lane in trellis.lanes:
            places = range(len(lane.items))
            items = tuple(self._carried(trellis, lane, place, renamed) for place in places)
            if lane.id == self.lane:
                lane = _with(lane, name=name, items=items)
            elif items != lane.items:
                lane = _with(lane, items=items)
            lanes.append(lane)
        return _with(trellis, lanes=tuple(lanes))

    def _carried(
        self, trellis: Trellis, lane: Lane, place: int, renamed: Callable[[str], str]
    ) -> Item:
        """Return an item with the columns renamed that bear the lane's name, on any side."""
        item: Item = lane.items[place]
        if self.lane in trellis.tied_in(lane, place):
            item = item.renamed(renamed, "left")
        for number, taken in enumerate(item.takes()):
            other = trellis.lane(taken.lane)
            if self.lane in trellis.tied_in(other, trellis.taken_place(taken)):
                item = item.renamed(renamed, number)
        return item


@dataclass(frozen=True, slots=True)
class RemoveLane:
    """Take a lane out, with the items on it."""

    lane: str
    label: str = "Remove a lane"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis without the lane; `EditError` where a tie takes its rows."""
        gone = trellis.lane(self.lane)
        for lane, tie in trellis.ties():
            if lane.id != self.lane and any(taken.lane == self.lane for taken in tie.takes()):
                raise EditError(
                    f"{lane.name} takes rows of {gone.name} in a tie.", "Remove the tie first."
                )
        parts = {gone.id, *(item.id for item in gone.items)}
        for lane in trellis.lanes:
            if lane.id != self.lane and trellis.begins_after(lane) in parts:
                raise EditError(
                    f"The lane {lane.name} begins with rows of {gone.name}.",
                    f"Remove {lane.name} first.",
                )
        return _with(trellis, lanes=tuple(x for x in trellis.lanes if x.id != self.lane))


@dataclass(frozen=True, slots=True)
class MoveLane:
    """Put a lane at another place among the lane heads."""

    lane: str
    place: int
    label: str = "Reorder the lanes"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the lane at its new place, counted without it."""
        moved = trellis.lane(self.lane)
        lanes = [lane for lane in trellis.lanes if lane.id != self.lane]
        lanes.insert(self.place, moved)
        return _with(trellis, lanes=tuple(lanes))


@dataclass(frozen=True, slots=True)
class AddLanes:
    """Bring in several tables at once, such as the sheets of a workbook."""

    lanes: tuple[AddLane, ...]

    @property
    def label(self) -> str:
        """What the change does."""
        one = len(self.lanes) == 1
        return self.lanes[0].label if one else f"Add {len(self.lanes)} lanes"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the lanes, in the order given."""
        for lane in self.lanes:
            trellis = lane.changed(trellis)
        return trellis


@dataclass(frozen=True, slots=True)
class SetSource:
    """Read a lane from another source, or the same one in another way."""

    lane: str
    source: Source
    label: str = "Change how a lane is read"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the lane's new source."""
        return _with_lane(trellis, self.lane, lambda lane: _with(lane, source=self.source))


@dataclass(frozen=True, slots=True)
class FindSources:
    """Take a source from where its file is now, and those that stood beside it from there too."""

    moved_from: str
    moved_to: str
    label: str = "Find moved files"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with every source found that is missing where it was."""
        sources = (lane.source for lane in trellis.lanes)
        place = missing_beside(sources, Path(self.moved_from), Path(self.moved_to))
        lanes = tuple(
            _with(lane, source=lane.source.at(place(lane.source.place)))
            if lane.source.place
            else lane
            for lane in trellis.lanes
        )
        return _with(trellis, lanes=lanes)


@dataclass(frozen=True, slots=True)
class RenameLinkField:
    """Take another column of one side of a tie in the place of one that is gone."""

    tie: str
    side: str
    gone: str
    instead: str

    @property
    def label(self) -> str:
        """What the change does."""
        return f"Take “{self.instead}” for “{self.gone}”"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie naming the other column."""
        tie = trellis.join(self.tie)
        link = tuple(
            _with(f, **{self.side: self.instead}) if getattr(f, self.side) == self.gone else f
            for f in tie.link
        )
        wanted = getattr(tie.columns, self.side)
        names = wanted and tuple(self.instead if n == self.gone else n for n in wanted)
        columns = _with(tie.columns, **{self.side: names})
        return _with_item(trellis, self.tie, lambda item: _with(item, link=link, columns=columns))


@dataclass(frozen=True, slots=True)
class AddTie:
    """Tie another lane to the end of a lane.

    The rows are taken where the other lane ends now, and stay to be taken there. Ties that take
    their rows at this lane's end keep taking what they took: the new tie stands behind.
    """

    lane: str
    other: str
    link: tuple[LinkedFields, ...]
    label: str = "Tie two lanes"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie; `EditError` where a lane would feed itself."""
        if self.lane == self.other:
            raise EditError(
                "A lane cannot be tied to itself.",
                "To link a table with itself, add it a second time as a lane of its own.",
            )
        tie = JoinItem(
            id=_tie_id(trellis, self.lane, self.other),
            lane=self.other,
            after=trellis.end_of(trellis.lane(self.other)),
            link=self.link,
        )
        return _with_item_behind(trellis, self.lane, tie)


@dataclass(frozen=True, slots=True)
class AddStack:
    """Put the rows of other lanes below those at the end of a lane."""

    lane: str
    others: tuple[str, ...]
    label: str = "Stack lanes"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the stack; `EditError` where a lane would feed itself."""
        lanes = tuple(
            StackedLane(lane=other, after=trellis.end_of(trellis.lane(other)))
            for other in self.others
        )
        stack_id = trellis.fresh_id(f"{trellis.lane(self.lane).name} stack")
        return _with_item_behind(trellis, self.lane, StackItem(id=stack_id, lanes=lanes))


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
    label: str = "Add a step"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the item in its place."""
        lane = trellis.lane(self.lane)
        place = 0 if self.after == lane.id else trellis.place_of(self.after)[1] + 1
        item = _with(self.item, id=trellis.fresh_id(f"{lane.name} {self.item.type}"))
        if place == len(lane.items):
            trellis = _with_places_kept(trellis, self.lane)
        return _with_lane(
            trellis,
            self.lane,
            lambda lane: _with(lane, items=(*lane.items[:place], item, *lane.items[place:])),
        )


@dataclass(frozen=True, slots=True)
class SetItem:
    """Change the settings of an item."""

    item: Item
    label: str = "Change a step"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the item of that id as given."""
        return _with_item(trellis, self.item.id, lambda _: self.item)


@dataclass(frozen=True, slots=True)
class SetNote:
    """Write why a lane or an item is so."""

    part: str
    note: str
    label: str = "Write a note"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the note."""
        if any(lane.id == self.part for lane in trellis.lanes):
            return _with_lane(trellis, self.part, lambda lane: _with(lane, note=self.note))
        return _with_item(trellis, self.part, lambda item: _with(item, note=self.note))


@dataclass(frozen=True, slots=True)
class MoveBehind:
    """Let what stood at a lane's end before a tie or a step stand behind it.

    Deliveries right before it then write the rows after it, and ties that take their rows right
    before it take those after it.
    """

    item: str
    label: str = "Move behind the tie"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with deliveries and takers moved; `EditError` for a circle."""
        lane, place = trellis.place_of(self.item)
        deliveries = _deliveries_before(lane, place)
        before = _taken_right_before(trellis, lane, place, deliveries)

        def moved(taken: Taken) -> Taken:
            is_before = taken.lane == lane.id and trellis.taken_after(taken) in before
            return _with(taken, after=self.item) if is_before else taken

        made = _with_takers(trellis, moved)
        front = lane.items[: place - len(deliveries)]
        items = (*front, lane.items[place], *deliveries, *lane.items[place + 1 :])
        return _with_lane(made, lane.id, lambda lane: _with(lane, items=items))


def stays_before(trellis: Trellis, item_id: str) -> str:
    """Return in a sentence what still has the rows from right before an item; empty for nothing."""
    lane, place = trellis.place_of(item_id)
    word = lane.items[place].word
    deliveries = _deliveries_before(lane, place)
    before = _taken_right_before(trellis, lane, place, deliveries)
    takers = [
        taking.name
        for taking, item in trellis.ties()
        if any(t.lane == lane.id and trellis.taken_after(t) in before for t in item.takes())
    ]
    takers += [
        one.name
        for one in trellis.lanes
        if isinstance(one.source, LaneSource) and trellis.begins_after(one) in before
    ]
    parts = []
    if deliveries:
        names = listed([item.name for item in deliveries])
        parts.append(f"{names} still {'writes' if len(deliveries) == 1 else 'write'}")
    if takers:
        parts.append(f"{listed(takers)} still {'takes' if len(takers) == 1 else 'take'}")
    return f"{listed(parts)} the rows of {lane.name} from before this {word}." if parts else ""


def _taken_right_before(
    trellis: Trellis, lane: Lane, place: int, deliveries: Sequence[DeliveryItem]
) -> set[str]:
    """Return the ids after which the rows right before a place are taken."""
    return {item.id for item in deliveries} | {trellis.part_at(lane, place - len(deliveries))}


def _deliveries_before(lane: Lane, place: int) -> tuple[DeliveryItem, ...]:
    """Return the deliveries that stand right before a place on a lane."""
    found: list[DeliveryItem] = []
    for item in reversed(lane.items[:place]):
        if not isinstance(item, DeliveryItem):
            break
        found.insert(0, item)
    return tuple(found)


def _tie_id(trellis: Trellis, lane: str, other: str) -> str:
    return trellis.fresh_id(f"{trellis.lane(lane).name} {trellis.lane(other).name}")


def _with_item_behind(trellis: Trellis, lane: str, item: Item) -> Trellis:
    """Return the trellis with an item at a lane's end; who takes rows there keeps the place."""
    kept = _with_places_kept(trellis, lane)
    return _with_lane(kept, lane, lambda one: _with(one, items=(*one.items, item)))


def _with_places_kept(trellis: Trellis, lane: str) -> Trellis:
    """Return the trellis with every rows taken at a lane's end taken behind its last item."""
    end = trellis.end_of(trellis.lane(lane))

    def kept(taken: Taken) -> Taken:
        is_open = taken.lane == lane and taken.after is None
        return _with(taken, after=end) if is_open else taken

    return _with_takers(trellis, kept)


def _taking(item: Item, places: Sequence[Taken]) -> Item:
    return item.taking(places)


def _with_takers(trellis: Trellis, change: Callable[[Taken], Taken]) -> Trellis:
    """Return the trellis with the places changed where ties and lanes take their rows."""
    for lane in trellis.lanes:
        source = lane.source
        if isinstance(source, LaneSource):
            begun = source.taken_at(change(Taken(lane=source.lane, after=source.after)))
            if begun != source:
                trellis = _with_lane(trellis, lane.id, partial(_with, source=begun))
    for _, item in trellis.ties():
        places = [change(taken) for taken in item.takes()]
        if tuple(places) != item.takes():
            trellis = _with_item(trellis, item.id, partial(_taking, places=places))
    return trellis


@dataclass(frozen=True, slots=True)
class SetLink:
    """Choose the fields of a tie."""

    tie: str
    link: tuple[LinkedFields, ...]
    label: str = "Change the link"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie's new fields."""
        return _with_item(trellis, self.tie, lambda tie: _with(tie, link=self.link))


@dataclass(frozen=True, slots=True)
class RemoveLinkField:
    """Take one field out of a link, with the pairs declared for it."""

    tie: str
    place: int
    label: str = "Take a link field out"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis without the field; pairs of the fields behind it move up with them."""
        tie = trellis.join(self.tie)
        link = tie.link[: self.place] + tie.link[self.place + 1 :]
        pairs = tuple(
            _with(pair, field=pair.field - (pair.field > self.place))
            for pair in tie.pairs
            if pair.field != self.place
        )
        return _with_item(trellis, self.tie, lambda item: _with(item, link=link, pairs=pairs))


@dataclass(frozen=True, slots=True)
class TakeLink:
    """Take a whole link: fields, text rules, blanks, partner, order and pairs."""

    tie: str
    link: Link
    label: str = "Change the link"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie's link as given."""
        link = self.link
        changes = {
            "link": tuple(LinkedFields(**asdict(field)) for field in link.fields),
            "text": link.text,
            "blanks": link.blanks,
            "partner": link.partner,
            "partner_for": link.partner_for,
            "order": tuple(OrderedBy(**asdict(field)) for field in link.order),
            "pairs": tuple(SameValues(**asdict(pair)) for pair in link.pairs),
            "cross": link.cross,
        }
        return _with_item(trellis, self.tie, lambda tie: _with(tie, **changes))


@dataclass(frozen=True, slots=True)
class SetPromises:
    """Choose what is promised of a tie."""

    tie: str
    promises: tuple[Promised, ...]
    label: str = "Change what is promised"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie's promises."""
        return _with_item(trellis, self.tie, lambda tie: _with(tie, promises=self.promises))


@dataclass(frozen=True, slots=True)
class SetColumns:
    """Choose which columns go on from a tie."""

    tie: str
    columns: WantedColumns
    label: str = "Choose the columns"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie's new columns."""
        return _with_item(trellis, self.tie, lambda tie: _with(tie, columns=self.columns))


@dataclass(frozen=True, slots=True)
class SetBay:
    """Keep or leave a bay."""

    tie: str
    bay: Bay
    kept: bool

    @property
    def label(self) -> str:
        """What the change does."""
        return "Keep a bay" if self.kept else "Leave a bay"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the bay switched; `EditError` where none would be kept."""
        keep = kept_with(trellis.join(self.tie).keep, self.bay, self.kept)
        return _with_item(trellis, self.tie, lambda tie: _with(tie, keep=keep))


@dataclass(frozen=True, slots=True)
class SetKeep:
    """Choose a join type, which sets all three bays."""

    tie: str
    keep: tuple[Bay, ...]
    label: str = "Choose a join type"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie's new bays."""
        return _with_item(trellis, self.tie, lambda tie: _with(tie, keep=self.keep))


@dataclass(frozen=True, slots=True)
class AddDelivery:
    """Write the rows at a lane's end to a file whenever deliveries are made."""

    lane: str
    name: str
    path: str
    label: str = "Add a delivery"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the delivery."""
        name = _required(self.name, "A delivery")
        _refuse_source(trellis, name, self.path)
        delivery = DeliveryItem(id=trellis.fresh_id(name), name=name, path=self.path)
        return _with_lane(
            trellis, self.lane, lambda lane: _with(lane, items=(*lane.items, delivery))
        )


@dataclass(frozen=True, slots=True)
class SetDelivery:
    """Change a delivery's name or file."""

    delivery: str
    name: str
    path: str
    label: str = "Change a delivery"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the delivery changed."""
        name = _required(self.name, "A delivery")
        _refuse_source(trellis, name, self.path)
        return _with_item(
            trellis, self.delivery, lambda item: _with(item, name=name, path=self.path)
        )


@dataclass(frozen=True, slots=True)
class RemoveItem:
    """Take a tie or a delivery out of its lane."""

    item: str
    label: str = "Remove an item"

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis without the item."""
        lane, place = trellis.place_of(self.item)
        for begun in trellis.beginning_at(self.item):
            raise EditError(
                f"The lane {begun.name} begins with a bay of this tie.",
                f"Remove {begun.name} first.",
            )
        items = lane.items[:place] + lane.items[place + 1 :]
        before = trellis.part_at(lane, place)

        def moved(taken: Taken) -> Taken:  # those rows are the ones from before it now
            return _with(taken, after=before) if taken.after == self.item else taken

        trellis = _with_takers(trellis, moved)
        return _with_lane(trellis, lane.id, lambda lane: _with(lane, items=items))


def _refuse_source(trellis: Trellis, name: str, path: str) -> None:
    reader = trellis.reader_of(Path(path))
    if reader is not None:
        raise EditError(
            f"{name} would be written to {path}, which {reader.name} reads.",
            "Choose another file: sources are never written to.",
        )


def _required(name: str, what: str) -> str:
    stripped = name.strip()
    if not stripped:
        raise EditError(f"{what} needs a name.", "Type one.")
    return stripped


def _with(part: _P, **changes: object) -> _P:
    """Return a checked copy: pydantic's own `model_copy` checks nothing."""
    return type(part)(**{**dict(part), **changes})


def _with_lane(trellis: Trellis, lane_id: str, change: Callable[[Lane], Lane]) -> Trellis:
    lanes = tuple(change(lane) if lane.id == lane_id else lane for lane in trellis.lanes)
    return _with(trellis, lanes=lanes)


def _with_item(trellis: Trellis, item_id: str, change: Callable[[Any], BaseModel]) -> Trellis:
    lane, place = trellis.place_of(item_id)
    items = (*lane.items[:place], change(lane.items[place]), *lane.items[place + 1 :])
    return _with_lane(trellis, lane.id, lambda lane: _with(lane, items=items))
