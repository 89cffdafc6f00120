"""The trellis: lanes with their sources and items, as it is saved.

Nothing in it is ever changed in place; an edit makes a new one that shares what stayed.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from functools import cached_property
from pathlib import Path
from typing import Any, Literal, Self, TypeVar

from pydantic import Field, model_validator

from keen_trellis.base.errors import DeliveryError, EditError
from keen_trellis.base.language import tr
from keen_trellis.base.ordinary_files import is_one_file
from keen_trellis.base.words import first_free
from keen_trellis.document.items import (
    AnyItem,
    DeliveryItem,
    IntoTable,
    Item,
    JoinItem,
    Part,
    Taken,
)
from keen_trellis.document.places import RunPlace
from keen_trellis.document.reports import Report
from keen_trellis.document.sources import (
    BaySource,
    LaneSource,
    QuerySource,
    Source,
    TableSource,
    source_words,
)
from keen_trellis.plan.bays import Bay, Keep, keep_of
from keen_trellis.servers.hosts import is_called_alike
from keen_trellis.servers.server import Server, SqliteFile

VERSION: Literal[3] = 3
UNNAMED = tr("Untitled")
"""What a trellis is called before anybody has named it."""
LANES_AT_MOST, ITEMS_AT_MOST, REPORTS_AT_MOST = 1_000, 5_000, 500
"""Far more than anybody could look through; a document with more was made to do harm."""

_I = TypeVar("_I", bound=Item)


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
    items: tuple[AnyItem, ...] = ()
    note: str = ""


class Trellis(Part):
    """The whole document."""

    format: Literal["keen trellis"] = "keen trellis"
    version: Literal[3] = VERSION
    name: str = UNNAMED
    lanes: tuple[Lane, ...] = ()
    reports: tuple[Report, ...] = ()
    places: tuple[RunPlace, ...] = ()

    @model_validator(mode="after")
    def _hangs_together(self) -> Trellis:
        n_items = sum(len(lane.items) for lane in self.lanes)
        for what, number, most in (
            (tr("lanes"), len(self.lanes), LANES_AT_MOST),
            (tr("items"), n_items, ITEMS_AT_MOST),
            (tr("reports"), len(self.reports), REPORTS_AT_MOST),
            (tr("places to run"), len(self.places), REPORTS_AT_MOST),
        ):
            if number > most:
                raise ValueError(
                    tr(
                        "It has {number:,} {what}; {most:,} are the most.",
                        number=number,
                        what=what,
                        most=most,
                    )
                )
        ids = [part.id for lane in self.lanes for part in (lane, *lane.items)]
        ids += [report.id for report in self.reports]
        names = [lane.name for lane in self.lanes]
        places = [place.name for place in self.places]
        for what, values in (("id", ids), (tr("lane name"), names), (tr("place"), places)):
            for value, times in Counter(values).items():
                if times > 1:
                    raise ValueError(
                        tr(
                            "The {what} “{value}” stands there more than once.",
                            what=what,
                            value=value,
                        )
                    )
        lane_ids = {lane.id for lane in self.lanes}
        # Here once, for files and edits alike: whoever holds a trellis may follow every id in it
        # without asking whether it leads anywhere.
        for lane, item in self.ties():
            for taken in item.takes():
                if taken.lane not in lane_ids:
                    raise ValueError(
                        tr("The tie “{id}” names no lane: “{lane}”.", id=item.id, lane=taken.lane)
                    )
                if taken.lane == lane.id:
                    raise ValueError(tr("The lane “{name}” would feed itself.", name=lane.name))
                other = self.lane(taken.lane)
                if taken.after not in (None, other.id, *(i.id for i in other.items)):
                    raise ValueError(
                        tr(
                            "The tie “{id}” names no item: “{after}”.",
                            id=item.id,
                            after=taken.after,
                        )
                    )
        for lane in self.lanes:
            self._refuse_beginning(lane)
        for report in self.reports:
            self._refuse_place(report)
        list(places_in_order(self))  # refuses circles
        return self

    def _refuse_place(self, report: Report) -> None:
        """Refuse a report of what is not there."""
        other = next((one for one in self.lanes if one.id == report.at.lane), None)
        if other is None:
            raise ValueError(
                tr(
                    "The report “{name}” names no lane: “{lane}”.",
                    name=report.name,
                    lane=report.at.lane,
                )
            )
        if report.at.after not in (None, other.id, *(item.id for item in other.items)):
            raise ValueError(
                tr(
                    "The report “{name}” names no item: “{after}”.",
                    name=report.name,
                    after=report.at.after,
                )
            )

    def _refuse_beginning(self, lane: Lane) -> None:
        """Refuse a lane that begins at what is not there."""
        begins = lane.source.begins_at()
        if begins is None:
            return
        if begins.taken is None:
            if begins.tie not in {tie.id for _, tie in self.ties() if tie.has_bays}:
                raise ValueError(
                    tr(
                        "The lane “{name}” begins with a bay of “{tie}”, which is no join "
                        "or blend.",
                        name=lane.name,
                        tie=begins.tie,
                    )
                )
            return
        other = next((one for one in self.lanes if one.id == begins.taken.lane), None)
        if other is None:
            raise ValueError(
                tr(
                    "The lane “{name}” names no lane: “{lane}”.",
                    name=lane.name,
                    lane=begins.taken.lane,
                )
            )
        if begins.taken.after not in (None, other.id, *(item.id for item in other.items)):
            raise ValueError(
                tr(
                    "The lane “{name}” names no item: “{after}”.",
                    name=lane.name,
                    after=begins.taken.after,
                )
            )

    @classmethod
    def empty(cls) -> Self:
        """Return a trellis without lanes: checking it would build every model first."""
        # Nothing is checked, since there is nothing to be wrong; building the models takes a
        # tenth of a second, and a window opens with this.
        return cls.model_construct()

    def lane(self, lane_id: str) -> Lane:
        """Return the lane with an id; `KeyError` where there is none."""
        return self._lanes_by_id[lane_id]

    def place(self, name: str) -> RunPlace:
        """Return the place to run of a name; `EditError` where there is none."""
        for place in self.places:
            if place.name == name:
                return place
        names = ", ".join(place.name for place in self.places)
        raise EditError(
            tr("The trellis has no place to run called “{name}”.", name=name),
            tr("It has: {names}.", names=names) if names else tr("Add one in the window first."),
        )

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """Return a copy, which finds its own lanes and not those that were found here."""
        copied = super().model_copy(update=update, deep=deep)
        for name in ("_lanes_by_id", "_places"):
            # `cached_property` keeps what it found among the attributes, which a copy takes along.
            copied.__dict__.pop(name, None)
        return copied

    @cached_property
    def _lanes_by_id(self) -> dict[str, Lane]:
        # A trellis never changes, so what is found once holds; ids are asked for thousands of
        # times while a map is drawn.
        return {lane.id: lane for lane in self.lanes}

    @cached_property
    def _places(self) -> dict[str, tuple[Lane, int]]:
        return {x.id: (lane, n) for lane in self.lanes for n, x in enumerate(lane.items)}

    def __contains__(self, part_id: str) -> bool:
        return part_id in self._lanes_by_id or part_id in self._places

    def place_of(self, item_id: str) -> tuple[Lane, int]:
        """Return the lane that an item stands on, and its place there; `KeyError` for none."""
        return self._places[item_id]

    def item(self, item_id: str) -> Item:
        """Return the item with an id; `KeyError` where there is none."""
        lane, place = self.place_of(item_id)
        return lane.items[place]

    def report(self, report_id: str) -> Report:
        """Return the report with an id; `KeyError` where there is none."""
        for report in self.reports:
            if report.id == report_id:
                return report
        raise KeyError(report_id)

    def fresh_report_name(self, wish: str) -> str:
        """Return a name made of `wish` that no report has."""
        return first_free(wish, {report.name for report in self.reports})

    def join(self, item_id: str) -> JoinItem:
        """Return the join with an id; `KeyError` where there is none."""
        item = self.item(item_id)
        if not isinstance(item, JoinItem):
            raise KeyError(item_id)
        return item

    def items(self, kind: type[_I]) -> Iterator[tuple[Lane, _I]]:
        """Yield every item of a kind with its lane."""
        for lane in self.lanes:
            for item in lane.items:
                if isinstance(item, kind):
                    yield lane, item

    def ties(self) -> Iterator[tuple[Lane, Item]]:
        """Yield every item that takes rows of other lanes, with its lane."""
        return ((lane, item) for lane, item in self.items(Item) if item.takes())

    def joins(self) -> Iterator[tuple[Lane, JoinItem]]:
        """Yield every join with its lane."""
        return self.items(JoinItem)

    def deliveries(self) -> Iterator[tuple[Lane, DeliveryItem]]:
        """Yield every delivery with its lane."""
        return self.items(DeliveryItem)

    def taken_place(self, taken: Taken) -> int:
        """Return after how many items of the other lane rows are taken."""
        if taken.after is None:
            return len(self.lane(taken.lane).items)
        return 0 if taken.after == taken.lane else self.place_of(taken.after)[1] + 1

    def taken_after(self, taken: Taken) -> str:
        """Return the id of what rows of another lane are taken after: an item, or the lane."""
        return self.part_at(self.lane(taken.lane), self.taken_place(taken))

    def part_at(self, lane: Lane, place: int) -> str:
        """Return the id of what a lane's rows after so many items belong to: an item, or it."""
        return lane.items[place - 1].id if place else lane.id

    def end_of(self, lane: Lane) -> str:
        """Return the id of the last item of a lane, or of the lane where it has none."""
        return self.part_at(lane, len(lane.items))

    def place_after(self, part_id: str) -> tuple[Lane, int]:
        """Return the lane that a part is or stands on, and how many items stand up to it."""
        if part_id in self._lanes_by_id:
            return self.lane(part_id), 0
        lane, place = self.place_of(part_id)
        return lane, place + 1

    def before(self, item_id: str) -> str:
        """Return the id of what stands before an item: another item, or its lane."""
        return self.part_at(*self.place_of(item_id))

    def begins_after(self, lane: Lane) -> str:
        """Return the part that a lane begins at: an item, or a lane; empty for one from outside."""
        begins = lane.source.begins_at()
        if begins is None:
            return ""
        return self.taken_after(begins.taken) if begins.taken else begins.tie

    def beginning_at(self, item_id: str) -> Iterator[Lane]:
        """Yield the lanes that begin with a bay of a tie."""
        for lane in self.lanes:
            begins = lane.source.begins_at()
            if begins is not None and begins.tie == item_id:
                yield lane

    def begins_words(self, lane: Lane) -> str:
        """Return where a lane comes from, as short as it can be said."""
        source = lane.source
        if isinstance(source, LaneSource):
            return tr("rows of {name}", name=self.lane(source.lane).name)
        if isinstance(source, BaySource):
            last = self.item(source.tie).takes()[-1]
            # A blend has several others: its bays are those of the last meeting.
            left, right = self.place_of(source.tie)[0].name, self.lane(last.lane).name
            return {
                Bay.LEFT: tr("rows of {left} not in {right}", left=left, right=right),
                Bay.BOTH: tr("rows of {left} with {right}", left=left, right=right),
                Bay.RIGHT: tr("rows of {right} not in {left}", right=right, left=left),
            }[source.bay]
        return source_words(source)

    def tied_in(self, lane: Lane, place: int) -> set[str]:
        """Return the lanes tied into a lane up to a place, and those tied into them.

        Where a lane begins with rows of the trellis, the lanes in these rows are among them.
        """
        found: set[str] = set()
        seen: set[tuple[str, int]] = set()
        # on a list of its own, and each place once: lanes may meet again and again
        waiting = [(lane, place)]
        while waiting:
            lane, place = waiting.pop()
            if (lane.id, place) in seen:
                continue
            seen.add((lane.id, place))
            begins = lane.source.begins_at()
            if begins is not None and begins.taken is not None:
                # these rows are called by the lane that begins with them
                waiting.append((self.lane(begins.taken.lane), self.taken_place(begins.taken)))
            elif begins is not None:
                tied, at = self.place_of(begins.tie)
                found.add(tied.id)
                waiting.append((tied, at + 1))
            for taken in (one for item in lane.items[:place] for one in item.takes()):
                other = self.lane(taken.lane)
                found.add(other.id)
                waiting.append((other, self.taken_place(taken)))
        return found

    def needed_by(self, lane: Lane, place: int) -> tuple[str, ...]:
        """Return the parts that the rows of a lane after so many items are made of."""
        return tuple(self.part_at(*needed) for needed in _needed(self, lane, place))

    def upstream(self, part_id: str) -> set[str]:
        """Return the parts whose rows a part's rows come from, itself among them."""
        found: set[str] = set()
        waiting = [part_id]
        while waiting:
            part = waiting.pop()
            if not part or part in found:
                continue
            found.add(part)
            lane, place = self.place_after(part)
            if place:
                waiting.append(self.part_at(lane, place - 1))
                waiting += map(self.taken_after, lane.items[place - 1].takes())
            else:
                waiting.append(self.begins_after(lane))
        return found

    def downstream(self, part_id: str) -> set[str]:
        """Return the parts that a part's rows go to, itself among them."""
        # Turned round once for all: asking every part of every part would take the square of their
        # number.
        takers: dict[str, list[str]] = {}
        for lane in self.lanes:
            takers.setdefault(self.begins_after(lane), []).append(lane.id)
            for place, item in enumerate(lane.items):
                for one in (self.part_at(lane, place), *map(self.taken_after, item.takes())):
                    takers.setdefault(one, []).append(item.id)
        found: set[str] = set()
        waiting = [part_id]
        while waiting:
            part = waiting.pop()
            if part not in found:
                found.add(part)
                waiting += takers.get(part, ())
        return found

    def reader_of(self, path: Path) -> Lane | None:
        """Return the lane that reads a file, or would if it were there; None where none does."""
        return next((lane for lane in self.lanes if lane.source.reads(path)), None)

    def refuse_to_write(self, path: Path, what: str) -> None:
        """Refuse to write something to a file that a lane reads; `DeliveryError`."""
        reader = self.reader_of(path)
        if reader is not None:
            raise DeliveryError(
                tr(
                    "{what} would be written to {path}, which {name} reads.",
                    what=what,
                    path=path,
                    name=reader.name,
                ),
                tr("Choose another place: sources are never written to."),
            )

    def reader_of_table(
        self, into: IntoTable, are_one: Callable[[str, str], bool] = is_called_alike
    ) -> Lane | None:
        """Return the lane that reads a table of a server, or asks a query that may; None for none.

        A query is one that may if it has the table's name in it.

        Parameters
        ----------
        into : IntoTable
        are_one : callable
            Whether two hosts are one machine.
        """
        for lane in self.lanes:
            source = lane.source
            if not isinstance(source, TableSource | QuerySource):
                continue
            if not _is_one_database(source, into.database, are_one):
                continue
            if isinstance(source, QuerySource):
                # Anywhere in the text, in a comment or a word as well: what a view hides behind it
                # nobody sees here.
                is_it = into.table.lower() in source.query.lower()
            else:
                # A schema that is not named may be any: rather one delivery too many refused than a
                # source written to.
                schemas = (source.in_schema, into.in_schema)
                is_it = _is_one_name(source.table, into) and (
                    None in schemas or len({*schemas}) == 1
                )
            if is_it:
                return lane
        return None

    def fresh_id(self, wish: str) -> str:
        """Return an id made of `wish` that nothing in the trellis has."""
        taken = {part.id for lane in self.lanes for part in (lane, *lane.items)}
        taken |= {report.id for report in self.reports}
        # Ids stand in documents, in names of widgets and on command lines: letters and digits
        # that need no quoting anywhere.
        slug = re.sub(r"[^a-z0-9]+", "-", wish.lower()).strip("-") or "lane"
        return first_free(slug, taken, "-")

    def fresh_lane_name(self, wish: str) -> str:
        """Return a lane name made of `wish` that no lane has."""
        return first_free(wish, {lane.name for lane in self.lanes})

    def fresh_colour(self) -> int:
        """Return the first colour that no lane has."""
        taken = {lane.colour for lane in self.lanes}
        return next(c for c in range(len(taken) + 1) if c not in taken)


def _is_one_database(
    source: TableSource | QuerySource,
    other: SqliteFile | Server,
    are_one: Callable[[str, str], bool],
) -> bool:
    """Whether a source is of a database, whatever it is called and reached with."""
    one = source.database
    if isinstance(one, SqliteFile) or isinstance(other, SqliteFile):
        paths = [Path(db.path) for db in (one, other) if isinstance(db, SqliteFile)]
        return len(paths) == 2 and is_one_file(*paths)
    # a query of MariaDB may ask for tables of every database there
    asks_all = isinstance(source, QuerySource) and one.type == "mariadb"
    is_named = asks_all or one.database == other.database
    return is_named and one.usual_port == other.usual_port and are_one(one.host, other.host)


def _is_one_name(table: str, into: IntoTable) -> bool:
    """Whether a table is called as one: on some systems MariaDB does not tell case apart."""
    if isinstance(into.database, Server) and into.database.type == "mariadb":
        return table.lower() == into.table.lower()
    return table == into.table


def kept_with(keep: Keep, bay: Bay, kept: bool) -> Keep:
    """Return the bays kept once one of them is kept or left.

    Raises
    ------
    EditError
        No bay would be kept.
    """
    bays = {*keep, bay} if kept else set(keep) - {bay}
    if not bays:
        raise EditError(tr("At least one bay must be kept."), tr("Keep another one first."))
    return keep_of(bays)


def places_in_order(trellis: Trellis) -> Iterator[tuple[Lane, int]]:
    """Yield every place of every lane, each behind all that its rows come from.

    A place is a lane and how many of its items stand before it. It goes down on a list of its own
    instead of by calls within calls, of which a long trellis would have too many.

    Raises
    ------
    ValueError
        A lane would feed itself.
    """
    done: set[tuple[str, int]] = set()
    under_way: set[tuple[str, int]] = set()
    for whole in trellis.lanes:
        # Each place is seen twice: the first time all that it needs is put above it, the second
        # time, when that is done, it is yielded. What is needed and under way stands below itself:
        # a circle.
        waiting = [(whole, len(whole.items))]
        while waiting:
            lane, place = waiting[-1]
            node = (lane.id, place)
            if node in done:
                waiting.pop()
            elif node in under_way:  # all that it needs is done by now
                waiting.pop()
                under_way.remove(node)
                done.add(node)
                yield lane, place
            else:
                under_way.add(node)
                for needed in _needed(trellis, lane, place):
                    if (needed[0].id, needed[1]) in under_way:
                        raise ValueError(
                            tr("The lane “{name}” would feed itself.", name=needed[0].name)
                        )
                    waiting.append(needed)


def _needed(trellis: Trellis, lane: Lane, place: int) -> Iterator[tuple[Lane, int]]:
    """Yield the places that a place takes its rows from; its own lane last, so that it is first."""
    if place:
        for taken in reversed(lane.items[place - 1].takes()):
            yield trellis.lane(taken.lane), trellis.taken_place(taken)
        yield lane, place - 1
    elif begins := trellis.begins_after(lane):
        yield trellis.place_after(begins)
