"""Edits of lanes: brought in, renamed, moved, read otherwise."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from keen_trellis.base.errors import EditError
from keen_trellis.base.language import tr
from keen_trellis.document.edits.edit import required, with_changes, with_lane
from keen_trellis.document.items import (
    Item,
)
from keen_trellis.document.sources import BaySource, LaneSource, Source, missing_beside
from keen_trellis.document.trellis import Lane, Trellis
from keen_trellis.plan.bays import Bay


@dataclass(frozen=True, slots=True)
class AddLane:
    """Bring in a table as a lane, below the others or right below one of them."""

    name: str
    source: Source
    below: str = ""

    @property
    def label(self) -> str:
        """What the change does."""
        return tr("Add the lane {name}", name=self.name)

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the lane; its name gets a number where it is taken."""
        name = trellis.fresh_lane_name(required(self.name, tr("A lane")))
        lane = Lane(
            id=trellis.fresh_id(name),
            name=name,
            colour=trellis.fresh_colour(),
            source=self.source,
        )
        ids = [one.id for one in trellis.lanes]
        place = ids.index(self.below) + 1 if self.below in ids else len(ids)
        lanes = (*trellis.lanes[:place], lane, *trellis.lanes[place:])
        return with_changes(trellis, lanes=lanes)


def lane_with_bay(trellis: Trellis, tie: str, bay: Bay) -> AddLane:
    """Return the edit that begins a lane with the rows of a bay."""
    lane, _ = trellis.place_of(tie)
    left, right = lane.name, trellis.lane(trellis.item(tie).takes()[-1].lane).name
    names = {
        Bay.LEFT: tr("{left} without {right}", left=left, right=right),
        Bay.BOTH: tr("{left} with {right}", left=left, right=right),
        Bay.RIGHT: tr("{right} without {left}", right=right, left=left),
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
    label: str = tr("Rename a lane")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the lane's new name; `EditError` where it is taken."""
        name = required(self.name, tr("A lane"))
        if any(lane.name == name and lane.id != self.lane for lane in trellis.lanes):
            raise EditError(
                tr("Another lane is called “{name}”.", name=name), tr("Choose a name of its own.")
            )
        # Columns of two sides with one name are told apart by the lane behind the second, in
        # brackets, with a number from the third on: “port (Routes 2)”. DOTALL, since a name may
        # hold any letter.
        behind = re.compile(rf"(?s)(.+) \({re.escape(trellis.lane(self.lane).name)}( \d+)?\)")

        def renamed(column: str) -> str:
            found = None if column in self.as_read else behind.fullmatch(column)
            # From the inside out: a name may have gone through several ties, each of which put a
            # lane behind it.
            return f"{renamed(found[1])} ({name}{found[2] or ''})" if found else column

        lanes = []
        for lane in trellis.lanes:
            places = range(len(lane.items))
            items = tuple(self._carried(trellis, lane, place, renamed) for place in places)
            if lane.id == self.lane:
                lane = with_changes(lane, name=name, items=items)
            elif items != lane.items:
                lane = with_changes(lane, items=items)
            lanes.append(lane)
        return with_changes(trellis, lanes=tuple(lanes))

    def _carried(
        self, trellis: Trellis, lane: Lane, place: int, renamed: Callable[[str], str]
    ) -> Item:
        """Return an item with the columns renamed that bear the lane's name, on any side."""
        item: Item = lane.items[place]
        # Only behind the ties that bring the lane in: an item before them names a column that
        # ends so by itself.
        if self.lane in trellis.tied_in(lane, place):
            item = item.renamed(renamed, "left")
        for number, taken in enumerate(item.takes()):
            other = trellis.lane(taken.lane)
            if self.lane in trellis.tied_in(other, trellis.taken_place(taken)):
                item = item.renamed(renamed, number)
        return item


@dataclass(frozen=True, slots=True)
class RemoveLane:
    """Take a lane out, with the items on it and the reports of it."""

    lane: str
    label: str = tr("Remove a lane")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis without the lane; `EditError` where a tie takes its rows."""
        gone = trellis.lane(self.lane)
        for lane, tie in trellis.ties():
            if lane.id != self.lane and any(taken.lane == self.lane for taken in tie.takes()):
                raise EditError(
                    tr(
                        "{name} takes rows of {gone_name} in a tie.",
                        name=lane.name,
                        gone_name=gone.name,
                    ),
                    tr("Remove the tie first."),
                )
        parts = {gone.id, *(item.id for item in gone.items)}
        for lane in trellis.lanes:
            if lane.id != self.lane and trellis.begins_after(lane) in parts:
                raise EditError(
                    tr(
                        "The lane {name} begins with rows of {gone_name}.",
                        name=lane.name,
                        gone_name=gone.name,
                    ),
                    tr("Remove {name} first.", name=lane.name),
                )
        lanes = tuple(x for x in trellis.lanes if x.id != self.lane)
        reports = tuple(x for x in trellis.reports if x.at.lane != self.lane)
        return with_changes(trellis, lanes=lanes, reports=reports)


@dataclass(frozen=True, slots=True)
class MoveLane:
    """Put a lane at another place among the lane heads."""

    lane: str
    place: int
    label: str = tr("Reorder the lanes")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the lane at its new place, counted without it."""
        moved = trellis.lane(self.lane)
        lanes = [lane for lane in trellis.lanes if lane.id != self.lane]
        lanes.insert(self.place, moved)
        return with_changes(trellis, lanes=tuple(lanes))


@dataclass(frozen=True, slots=True)
class AddLanes:
    """Bring in several tables at once, such as the sheets of a workbook."""

    lanes: tuple[AddLane, ...]

    @property
    def label(self) -> str:
        """What the change does."""
        one = len(self.lanes) == 1
        return self.lanes[0].label if one else tr("Add {lanes} lanes", lanes=len(self.lanes))

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
    label: str = tr("Change how a lane is read")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the lane's new source."""
        return with_lane(trellis, self.lane, lambda lane: with_changes(lane, source=self.source))


@dataclass(frozen=True, slots=True)
class FindSources:
    """Take a source from where its file is now, and those that stood beside it from there too."""

    moved_from: str
    moved_to: str
    label: str = tr("Find moved files")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with every source found that is missing where it was."""
        sources = (lane.source for lane in trellis.lanes)
        place = missing_beside(sources, Path(self.moved_from), Path(self.moved_to))
        lanes = tuple(
            with_changes(lane, source=lane.source.at(place(lane.source.place)))
            if lane.source.place
            else lane
            for lane in trellis.lanes
        )
        return with_changes(trellis, lanes=lanes)
