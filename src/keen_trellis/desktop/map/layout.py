"""Where everything on the map lies: plain numbers, worked out without a screen.

Time runs from left to right on stakes that stand evenly apart; every lane has a row. An item
stands one stake behind whatever it needs, so no ribbon ever runs backwards.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from keen_trellis.compute.tied import Tied
from keen_trellis.data import Table
from keen_trellis.errors import UserError, WaitingError
from keen_trellis.flow.describe import counted
from keen_trellis.flow.document import DeliveryItem, Lane, TieItem, Trellis
from keen_trellis.flow.run import Results
from keen_trellis.flow.sources import source_words
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.outcome import join_name
from keen_trellis.plan.sentences import found_words

HEADS_WIDTH = 226
HEAD_HEIGHT = 56
ROW_HEIGHT = 62
TITLE_HEIGHT = 34
SPILL_HEIGHT = 20
STAKE_GAP = 178
FIRST_STAKE = HEADS_WIDTH + 96
TOP = 20
CAPSULE_WIDTH, CAPSULE_HEIGHT = 26, 50
FLAG_WIDTH, FLAG_HEIGHT = 122, 50
PLUS_SIZE = 24
CURVE_WIDTH = 116
SPILL_WIDTH = STAKE_GAP - 30
STRIPE = 3.5

Measure = Callable[[str], float]
"""Returns the width of a text in pixels."""


@dataclass(frozen=True, slots=True)
class Box:
    """A rectangle: left, top, width and height in pixels."""

    x: float
    y: float
    width: float
    height: float

    @property
    def right(self) -> float:
        """Its right edge."""
        return self.x + self.width

    @property
    def bottom(self) -> float:
        """Its lower edge."""
        return self.y + self.height

    @property
    def middle(self) -> float:
        """The height of its middle."""
        return self.y + self.height / 2

    def holds(self, x: float, y: float) -> bool:
        """Whether a point lies in it."""
        return self.x <= x <= self.right and self.y <= y <= self.bottom

    def meets(self, other: Box) -> bool:
        """Whether it shares more than an edge with another."""
        across = self.x < other.right and other.x < self.right
        return across and self.y < other.bottom and other.y < self.bottom


@dataclass(frozen=True, slots=True)
class Head:
    """The head of a lane: its name, where it comes from, and how much it holds."""

    lane: str
    colour: int
    box: Box
    name: str
    source: str
    size: str
    trouble: str
    stale: bool = False


@dataclass(frozen=True, slots=True)
class Stripe:
    """One lane's share of a ribbon: its colour, and its thickness."""

    colour: int
    thickness: float


@dataclass(frozen=True, slots=True)
class Ribbon:
    """A piece of a lane from (x1, y1) to (x2, y2), level or as a curve, in stripes from above."""

    lane: str
    x1: float
    y1: float
    x2: float
    y2: float
    stripes: tuple[Stripe, ...]

    @property
    def thickness(self) -> float:
        """The thickness of all stripes together."""
        return sum(stripe.thickness for stripe in self.stripes)


@dataclass(frozen=True, slots=True)
class Part:
    """One bay in a capsule."""

    bay: Bay
    box: Box
    kept: bool
    colour: int | None


@dataclass(frozen=True, slots=True)
class Capsule:
    """A tie: its three bays in their true proportion, beneath its name.

    What is wrong with it is its trouble; where something before it is, it only waits.
    """

    item: str
    lane: str
    box: Box
    parts: tuple[Part, ...]
    title: str
    counts: str
    trouble: str
    waits_for: str = ""

    @property
    def title_box(self) -> Box:
        """Where the two lines above the capsule stand."""
        return Box(self.box.x, self.box.y - TITLE_HEIGHT - 2, STAKE_GAP - 12, TITLE_HEIGHT)


@dataclass(frozen=True, slots=True)
class Spill:
    """The rows that a tie leaves, on a dashed branch."""

    item: str
    start: tuple[float, float]
    box: Box
    text: str
    full: str


@dataclass(frozen=True, slots=True)
class Flag:
    """A delivery at the end of a lane."""

    item: str
    lane: str
    box: Box
    name: str
    rows: str
    file: str
    trouble: str


@dataclass(frozen=True, slots=True)
class Plus:
    """The free end of a lane, where something can be added or from where it can be tied."""

    lane: str
    box: Box


@dataclass(frozen=True, slots=True)
class MapLayout:
    """Everything on the map.

    Attributes
    ----------
    width, height : float
        The room it takes, in pixels.
    add_lane : Box
        Where a lane is added, below the heads.
    """

    heads: tuple[Head, ...]
    stakes: tuple[float, ...]
    ribbons: tuple[Ribbon, ...]
    capsules: tuple[Capsule, ...]
    spills: tuple[Spill, ...]
    flags: tuple[Flag, ...]
    pluses: tuple[Plus, ...]
    add_lane: Box
    width: float
    height: float

    def at(self, x: float, y: float) -> Head | Capsule | Spill | Flag | Plus | None:
        """Return what lies at a point, the topmost first."""
        for group in (self.pluses, self.capsules, self.flags, self.spills, self.heads):
            for thing in group:
                if thing.box.holds(x, y):
                    return thing
        return None

    def lane_at(self, x: float, y: float) -> str | None:
        """Return the lane whose head or level ribbon lies at a point."""
        for head in self.heads:
            if head.box.holds(x, y):
                return head.lane
        for ribbon in self.ribbons:
            reach = max(ribbon.thickness / 2, 8)
            level = ribbon.y1 == ribbon.y2
            if level and ribbon.x1 <= x <= ribbon.x2 and abs(y - ribbon.y1) <= reach:
                return ribbon.lane
        return None

    def box_of(self, selected: str) -> Box | None:
        """Return the box of a lane or item."""
        for head in self.heads:
            if head.lane == selected:
                return head.box
        things: list[Capsule | Flag] = [*self.capsules, *self.flags]
        return next((thing.box for thing in things if thing.item == selected), None)


def fitted(text: str, room: float, measure: Measure) -> str:
    """Return a text that is no wider than a room, with an ellipsis in the place of what is not."""
    if measure(text) <= room:
        return text
    low, high = 0, len(text)
    while low < high:  # the most letters that fit with the ellipsis
        middle = (low + high + 1) // 2
        if measure(f"{text[:middle].rstrip()}…") <= room:
            low = middle
        else:
            high = middle - 1
    return f"{text[:low].rstrip()}…"


def thickness(rows: int) -> float:
    """Return how thick a ribbon of so many rows is, in pixels: 7 for 10, 32 for 10 million."""
    return min(3 + 4.15 * math.log10(1 + rows), 34)


def lay_out(
    trellis: Trellis,
    results: Results,
    measure: Measure,
    stale: frozenset[str] = frozenset(),
) -> MapLayout:
    """Return where everything of a trellis lies.

    Parameters
    ----------
    trellis, results
    measure : callable
        Tells how wide a text is.
    stale : frozenset of lane id
        The lanes whose files have changed since they were read.
    """
    return _Drawing(trellis, results, measure, stale).layout()


class _Drawing:
    def __init__(
        self, trellis: Trellis, results: Results, measure: Measure, stale: frozenset[str]
    ) -> None:
        self.trellis, self.results, self.measure = trellis, results, measure
        self.stale = stale
        self.columns: dict[tuple[str, int], int] = {}
        self.middles: dict[str, float] = {}
        self.tied_ends = {
            tie.lane
            for _, tie in trellis.ties()
            if trellis.taken_after(tie) == trellis.end_of(trellis.lane(tie.lane))
        }

    def layout(self) -> MapLayout:
        bottom = self._place_rows()
        ribbons: list[Ribbon] = []
        capsules: list[Capsule] = []
        spills: list[Spill] = []
        flags: list[Flag] = []
        pluses: list[Plus] = []
        for lane in self.trellis.lanes:
            ribbons += self._level_ribbons(lane)
            for place, item in enumerate(lane.items):
                if isinstance(item, TieItem):
                    capsule = self._capsule(lane, place, item)
                    capsules.append(capsule)
                    ribbons.append(self._curve(item, capsule))
                    spills += self._spill(lane, item, capsule)
                else:
                    flags.append(self._flag(lane, place, item))
            if lane.id not in self.tied_ends:
                pluses.append(self._plus(lane))
        last = max([*self.columns.values(), 2]) + 1
        stakes = tuple(FIRST_STAKE + STAKE_GAP * n for n in range(last + 1))
        right = max([stakes[-1], *(p.box.right + 20 for p in pluses)])
        add_lane = Box(0, bottom, HEADS_WIDTH, 28)
        # curves are drawn first: a capsule stands on the ribbon that it ends
        ribbons.sort(key=lambda r: r.y1 == r.y2)
        return MapLayout(
            tuple(self._head(lane) for lane in self.trellis.lanes),
            stakes,
            tuple(ribbons),
            tuple(capsules),
            tuple(spills),
            tuple(flags),
            tuple(pluses),
            add_lane,
            right,
            add_lane.bottom + 12,
        )

    def _place_rows(self) -> float:
        top = float(TOP)
        for lane in self.trellis.lanes:
            ties = [item for item in lane.items if isinstance(item, TieItem)]
            above = TITLE_HEIGHT - 2 if ties else 0
            self.middles[lane.id] = top + above + ROW_HEIGHT / 2
            top += above + ROW_HEIGHT + (SPILL_HEIGHT if ties else 0)
        return top

    def _column(self, lane: Lane, place: int) -> int:
        """Return the stake of a lane's item; -1 stands before the first."""
        if place < 0:
            return -1
        if (lane.id, place) not in self.columns:
            column = self._column(lane, place - 1) + 1
            item = lane.items[place]
            if isinstance(item, TieItem):
                other = self.trellis.lane(item.lane)
                needed = self._column(other, self.trellis.taken_place(item) - 1)
                column = max(column, needed + 1, 1)
            self.columns[lane.id, place] = column
        return self.columns[lane.id, place]

    def _x(self, lane: Lane, place: int) -> float:
        """Return where a lane's item stands; before the first one the lane begins."""
        return FIRST_STAKE + STAKE_GAP * self._column(lane, place) if place >= 0 else HEADS_WIDTH

    def _table(self, lane: Lane, place: int) -> Table | None:
        table = self.results.rows.get(self.trellis.part_at(lane, place))
        return table if isinstance(table, Table) else None

    def _result(self, item: TieItem) -> Tied | UserError | None:
        """Return what a tie gave, unless it has been linked otherwise since."""
        result = self.results.ties.get(item.id)
        if isinstance(result, Tied) and result.link != item.match_link():
            return None
        return result

    def _stripes(self, lane: Lane, place: int) -> tuple[Stripe, ...]:
        """Return the stripes of a lane after so many items: its own, and one for each tied in."""
        table = self._table(lane, place)
        total = thickness(len(table)) if table is not None else 3.0
        tied = [
            self.trellis.lane(item.lane).colour
            for item in lane.items[:place]
            if isinstance(item, TieItem)
        ]
        own = max(total - STRIPE * len(tied), 3.0)
        return (Stripe(lane.colour, own), *(Stripe(colour, STRIPE) for colour in tied))

    def _level_ribbons(self, lane: Lane) -> Iterator[Ribbon]:
        y = self.middles[lane.id]
        start = float(HEADS_WIDTH)
        for place in range(len(lane.items)):
            x = self._x(lane, place)
            item = lane.items[place]
            end = x if isinstance(item, TieItem) else x - FLAG_WIDTH / 2
            yield Ribbon(lane.id, start, y, end, y, self._stripes(lane, place))
            start = end if isinstance(item, TieItem) else x + FLAG_WIDTH / 2
        if lane.id not in self.tied_ends:
            end = self._plus(lane).box.x + PLUS_SIZE / 2
        else:
            ends = [
                self._x(*self.trellis.place_of(item.id)) - CURVE_WIDTH
                for _, item in self.trellis.ties()
                if item.lane == lane.id
                and self.trellis.taken_after(item) == self.trellis.end_of(lane)
            ]
            end = max(start, *ends)
        yield Ribbon(lane.id, start, y, end, y, self._stripes(lane, len(lane.items)))

    def _curve(self, item: TieItem, capsule: Capsule) -> Ribbon:
        other = self.trellis.lane(item.lane)
        middle = capsule.box.x + CAPSULE_WIDTH / 2
        own, below = self.middles[capsule.lane], self.middles[other.id] > self.middles[capsule.lane]
        landing = own + (6 if below else -6)
        taken = self.trellis.taken_place(item)
        start = middle - CURVE_WIDTH
        if taken < len(other.items):  # it leaves before what comes next on that lane
            start = min(start, self._x(other, taken) - STAKE_GAP / 2)
        stripes = self._stripes(other, taken)
        return Ribbon(other.id, start, self.middles[other.id], middle, landing, stripes)

    def _capsule(self, lane: Lane, place: int, item: TieItem) -> Capsule:
        x = self._x(lane, place) - CAPSULE_WIDTH / 2
        y = self.middles[lane.id] - CAPSULE_HEIGHT / 2
        box = Box(x, y, CAPSULE_WIDTH, CAPSULE_HEIGHT)
        tie = self._result(item)
        other = self.trellis.lane(item.lane)
        name = "cross" if item.cross else join_name(item.keep, item.wanted_columns())
        title = f"Join · {name}"
        if isinstance(tie, Tied):
            parts = _parts(box, tie, (lane.colour, None, other.colour))
            return Capsule(item.id, lane.id, box, parts, title, found_words(tie.counts), "")
        if isinstance(tie, WaitingError):  # nothing is wrong here
            return Capsule(item.id, lane.id, box, (), title, "waits", "", tie.happened)
        trouble = tie.happened if isinstance(tie, UserError) else ""
        counts = "needs a look" if trouble else "matching …"
        return Capsule(item.id, lane.id, box, (), title, counts, trouble)

    def _spill(self, lane: Lane, item: TieItem, capsule: Capsule) -> Iterator[Spill]:
        tie = self._result(item)
        if not isinstance(tie, Tied):
            return
        text, full = self._spill_words(tie)
        if text:
            start = (capsule.box.x + CAPSULE_WIDTH / 2, capsule.box.bottom + 2)
            box = Box(capsule.box.right + 8, capsule.box.bottom + 4, self.measure(text) + 18, 21)
            yield Spill(item.id, start, box, text, full)

    def _spill_words(self, tie: Tied) -> tuple[str, str]:
        """Return how many rows are left, with names short enough for the room, and in full."""
        left, right = tie.names
        words = {Bay.LEFT: left, Bay.BOTH: "matched", Bay.RIGHT: right}
        spilled = {bay: tie.counts.bay(bay) for bay in Bay if bay not in tie.keep}
        held = {bay: rows for bay, rows in spilled.items() if rows}
        if not held:
            return "", ""
        end = f"{'row' if sum(held.values()) == 1 else 'rows'} left"

        def said(names: dict[Bay, str]) -> str:
            return f"{' + '.join(f'{rows:,} {names[bay]}' for bay, rows in held.items())} {end}"

        spare = SPILL_WIDTH - 18 - self.measure(said(dict.fromkeys(words, "")))
        room = max(spare / len(held), self.measure("x…"))
        short = {bay: fitted(name, room, self.measure) for bay, name in words.items()}
        return said(short), said(words)

    def _flag(self, lane: Lane, place: int, item: DeliveryItem) -> Flag:
        x = self._x(lane, place) - FLAG_WIDTH / 2
        box = Box(x, self.middles[lane.id] - FLAG_HEIGHT / 2, FLAG_WIDTH, FLAG_HEIGHT)
        table = self.results.rows.get(item.id)
        rows = counted(len(table), "row") if isinstance(table, Table) else "no rows yet"
        rows = "waits" if isinstance(table, WaitingError) else rows
        is_trouble = isinstance(table, UserError) and not isinstance(table, WaitingError)
        trouble = table.happened if is_trouble and isinstance(table, UserError) else ""
        return Flag(item.id, lane.id, box, item.name, rows, Path(item.path).name, trouble)

    def _plus(self, lane: Lane) -> Plus:
        if lane.items:
            last = self._x(lane, len(lane.items) - 1)
            is_tie = isinstance(lane.items[-1], TieItem)
            x = last + (112 if is_tie else FLAG_WIDTH / 2 + 22)
        else:
            x = float(FIRST_STAKE)
        y = self.middles[lane.id] - PLUS_SIZE / 2
        return Plus(lane.id, Box(x - PLUS_SIZE / 2, y, PLUS_SIZE, PLUS_SIZE))

    def _head(self, lane: Lane) -> Head:
        box = Box(0, self.middles[lane.id] - HEAD_HEIGHT / 2, HEADS_WIDTH, HEAD_HEIGHT)
        reading = self.results.readings.get(lane.id)
        table = self._table(lane, 0)
        trouble = reading.happened if isinstance(reading, UserError) else ""
        if table is not None:
            columns = counted(len(table.columns), "column")
            size = f"{counted(len(table), 'row')} · {columns}"
        else:
            size = "cannot be read" if trouble else "reading …"
        source = source_words(lane.source)
        is_stale = lane.id in self.stale
        return Head(lane.id, lane.colour, box, lane.name, source, size, trouble, is_stale)


def _parts(box: Box, tie: Tied, colours: tuple[int | None, ...]) -> tuple[Part, ...]:
    """Return the bays stacked in their true proportion; one that holds rows is always seen."""
    inner = Box(box.x + 4, box.y + 4, box.width - 8, box.height - 8)
    rows = [tie.counts.bay(bay) for bay in Bay]
    held = [count > 0 for count in rows]
    gaps = 2 * max(sum(held) - 1, 0)
    room = inner.height - gaps
    heights = [max(room * count / max(sum(rows), 1), 5.0) if count else 0.0 for count in rows]
    shrink = room / sum(heights) if any(heights) else 1.0
    parts, y = [], inner.y
    for bay, height, colour in zip(Bay, heights, colours, strict=True):
        if height:
            part = Box(inner.x, y, inner.width, height * shrink)
            parts.append(Part(bay, part, bay in tie.keep, colour))
            y += height * shrink + 2
    return tuple(parts)
