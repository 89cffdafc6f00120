"""The trellis: lanes with their sources, ties and deliveries, as it is saved.

Nothing in it is ever changed in place; an edit makes a new one that shares what stayed.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field, model_validator

from keen_trellis.data import Kind
from keen_trellis.errors import EditError, UserError
from keen_trellis.flow.sources import Part, Source
from keen_trellis.plan.bays import Bay, Keep, keep_of
from keen_trellis.plan.link import Blanks, Link, LinkField, OrderField, Pair, Partner, Side
from keen_trellis.plan.operators import Operator
from keen_trellis.plan.outcome import Columns
from keen_trellis.plan.text_rules import TextRule
from keen_trellis.words import first_free

VERSION: Literal[3] = 3


class LinkedFields(Part):
    """A field of the lane that goes on and the field of the other lane it is compared with.

    The attributes mean what they mean in `match.LinkField`.
    """

    left: str
    right: str
    operator: Operator = "="
    strict: bool = False
    within: float | None = Field(default=None, ge=0)
    compare_as: Kind | None = None

    @model_validator(mode="after")
    def _says_one_thing(self) -> LinkedFields:
        try:
            self.as_link_field()
        except UserError as error:
            raise ValueError(str(error)) from error
        return self

    def as_link_field(self) -> LinkField:
        """Return the field as the matching takes it."""
        return LinkField(**dict(self))


class OrderedBy(Part):
    """A field that several partners are put in order by."""

    field: str
    descending: bool = False


class SameValues(Part):
    """Two values of a link field that mean the same in this tie; the field is its place."""

    left: str
    right: str
    field: int = Field(default=0, ge=0)


class WantedColumns(Part):
    """Which columns go on; the attributes mean what they mean in `match.Columns`."""

    same_named: Literal["both", "left", "right", "filled"] = "both"
    link: Literal["once", "both"] = "once"
    left: tuple[str, ...] | None = None
    right: tuple[str, ...] | None = None


class TieItem(Part):
    """The place where another lane meets the lane that this item stands on.

    Attributes
    ----------
    lane : str
        The id of the other lane.
    after : str or None
        The item of the other lane after which its rows are taken; its own id takes them as they
        are read, and None at its end, wherever that is.
    link : tuple of LinkedFields
        All must hold together.
    keep : tuple of bays
        The bays whose rows go on.
    text, blanks, partner, partner_for, order, pairs, cross
        As in `match.Link`.
    columns : WantedColumns
    """

    type: Literal["tie"] = "tie"
    id: str
    lane: str
    after: str | None = None
    link: tuple[LinkedFields, ...] = ()
    keep: tuple[Bay, ...] = (Bay.LEFT, Bay.BOTH)
    text: tuple[TextRule, ...] = ()
    blanks: Blanks = "never"
    partner: Partner = "every"
    partner_for: Side = "left"
    order: tuple[OrderedBy, ...] = ()
    pairs: tuple[SameValues, ...] = ()
    cross: bool = False
    columns: WantedColumns = WantedColumns()
    note: str = ""

    @model_validator(mode="after")
    def _keeps_something(self) -> TieItem:
        if keep_of(self.keep) != self.keep:
            raise ValueError("The bays kept must stand in the order left, both, right.")
        return self

    def match_link(self) -> Link:
        """Return the link as the matching takes it."""
        return Link(
            fields=tuple(field.as_link_field() for field in self.link),
            blanks=self.blanks,
            partner=self.partner,
            partner_for=self.partner_for,
            order=tuple(OrderField(**dict(field)) for field in self.order),
            pairs=tuple(Pair(**dict(pair)) for pair in self.pairs),
            cross=self.cross,
        ).with_text(self.text)

    def wanted_columns(self) -> Columns:
        """Return the columns as the matching takes them."""
        return Columns(**dict(self.columns))


class DeliveryItem(Part):
    """An outcome written to a file whenever deliveries are made."""

    type: Literal["delivery"] = "delivery"
    id: str
    name: str
    path: str
    note: str = ""


Item = Annotated[TieItem | DeliveryItem, Field(discriminator="type")]


class Lane(Part):
    """One table on its way.

    Attributes
    ----------
    id : str
        Never changes, so that a lane can be renamed.
    name : str
        Unique in the trellis.
    colour : int
        The place in the theme's row of lane colours.
    """

    id: str
    name: str = Field(min_length=1)
    colour: int = Field(default=0, ge=0)
    source: Source
    items: tuple[Item, ...] = ()
    note: str = ""


class Trellis(Part):
    """The whole document."""

    format: Literal["keen trellis"] = "keen trellis"
    version: Literal[3] = VERSION
    name: str = "Untitled"
    lanes: tuple[Lane, ...] = ()

    @model_validator(mode="after")
    def _hangs_together(self) -> Trellis:
        ids = [part.id for lane in self.lanes for part in (lane, *lane.items)]
        names = [lane.name for lane in self.lanes]
        for what, values in (("id", ids), ("lane name", names)):
            for value in values:
                if values.count(value) > 1:
                    raise ValueError(f"The {what} “{value}” stands there more than once.")
        lane_ids = {lane.id for lane in self.lanes}
        for lane in self.lanes:
            for item in lane.items:
                if isinstance(item, TieItem):
                    if item.lane not in lane_ids:
                        raise ValueError(f"The tie “{item.id}” names no lane: “{item.lane}”.")
                    other = self.lane(item.lane)
                    if item.after not in (None, other.id, *(i.id for i in other.items)):
                        raise ValueError(f"The tie “{item.id}” names no item: “{item.after}”.")
        _refuse_circles(self)
        return self

    def lane(self, lane_id: str) -> Lane:
        """Return the lane with an id; `KeyError` where there is none."""
        for lane in self.lanes:
            if lane.id == lane_id:
                return lane
        raise KeyError(lane_id)

    def place_of(self, item_id: str) -> tuple[Lane, int]:
        """Return the lane that an item stands on, and its place there."""
        for lane in self.lanes:
            for place, item in enumerate(lane.items):
                if item.id == item_id:
                    return lane, place
        raise KeyError(item_id)

    def item(self, item_id: str) -> TieItem | DeliveryItem:
        """Return the item with an id; `KeyError` where there is none."""
        lane, place = self.place_of(item_id)
        return lane.items[place]

    def tie(self, item_id: str) -> TieItem:
        """Return the tie with an id; `KeyError` where there is none."""
        item = self.item(item_id)
        if not isinstance(item, TieItem):
            raise KeyError(item_id)
        return item

    def ties(self) -> Iterator[tuple[Lane, TieItem]]:
        """Yield every tie with its lane."""
        for lane in self.lanes:
            for item in lane.items:
                if isinstance(item, TieItem):
                    yield lane, item

    def deliveries(self) -> Iterator[tuple[Lane, DeliveryItem]]:
        """Yield every delivery with its lane."""
        for lane in self.lanes:
            for item in lane.items:
                if isinstance(item, DeliveryItem):
                    yield lane, item

    def taken_place(self, tie: TieItem) -> int:
        """Return after how many items of the other lane a tie takes its rows."""
        if tie.after is None:
            return len(self.lane(tie.lane).items)
        return 0 if tie.after == tie.lane else self.place_of(tie.after)[1] + 1

    def part_at(self, lane: Lane, place: int) -> str:
        """Return the id of what a lane's rows after so many items belong to: an item, or it."""
        return lane.items[place - 1].id if place else lane.id

    def end_of(self, lane: Lane) -> str:
        """Return the id of the last item of a lane, or of the lane where it has none."""
        return self.part_at(lane, len(lane.items))

    def before(self, item_id: str) -> str:
        """Return the id of what stands before an item: another item, or its lane."""
        return self.part_at(*self.place_of(item_id))

    def taken_after(self, tie: TieItem) -> str:
        """Return the id of what a tie takes the other lane's rows after: an item, or the lane."""
        return self.part_at(self.lane(tie.lane), self.taken_place(tie))

    def reader_of(self, path: Path) -> Lane | None:
        """Return the lane that reads a file, or would if it were there; None where none does."""
        return next((lane for lane in self.lanes if lane.source.reads(path)), None)

    def fresh_id(self, wish: str) -> str:
        """Return an id made of `wish` that nothing in the trellis has."""
        taken = {part.id for lane in self.lanes for part in (lane, *lane.items)}
        slug = re.sub(r"[^a-z0-9]+", "-", wish.lower()).strip("-") or "lane"
        return first_free(slug, taken, "-")

    def fresh_lane_name(self, wish: str) -> str:
        """Return a lane name made of `wish` that no lane has."""
        return first_free(wish, {lane.name for lane in self.lanes})

    def fresh_colour(self) -> int:
        """Return the first colour that no lane has."""
        taken = {lane.colour for lane in self.lanes}
        return next(c for c in range(len(taken) + 1) if c not in taken)


def kept_with(keep: Keep, bay: Bay, kept: bool) -> Keep:
    """Return the bays kept once one of them is kept or left.

    Raises
    ------
    EditError
        No bay would be kept.
    """
    bays = {*keep, bay} if kept else set(keep) - {bay}
    if not bays:
        raise EditError("At least one bay must be kept.", "Keep another one first.")
    return keep_of(bays)


def _refuse_circles(trellis: Trellis) -> None:
    """Refuse a lane whose rows would have to be there before they are made."""
    settled: set[tuple[str, int]] = set()
    under_way: set[tuple[str, int]] = set()

    def settle(lane: Lane, place: int) -> None:
        node = (lane.id, place)
        if node in settled:
            return
        if node in under_way:
            raise ValueError(f"The lane “{lane.name}” would feed itself.")
        under_way.add(node)
        if place:
            settle(lane, place - 1)
            item = lane.items[place - 1]
            if isinstance(item, TieItem):
                settle(trellis.lane(item.lane), trellis.taken_place(item))
        under_way.remove(node)
        settled.add(node)

    for lane in trellis.lanes:
        settle(lane, len(lane.items))
