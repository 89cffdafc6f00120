"""Where everything on the map lies: plain numbers, worked out without a screen.

Time runs from left to right on stakes that stand evenly apart; every lane has a row. An item
stands one stake behind whatever it needs, so no ribbon ever runs backwards.
"""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from functools import partial

from keen_trellis.base.language import grouped_digits, tr, tr_n
from keen_trellis.base.words import counted
from keen_trellis.desktop.map.shapes import (
    BRANCH_WIDTH,
    CURVE_WIDTH,
    FIRST_STAKE,
    FLAG_WIDTH,
    HEADS_WIDTH,
    SPILL_WIDTH,
    STAKE_GAP,
    Bead,
    Box,
    Flag,
    Head,
    Joint,
    MapLayout,
    Plus,
    Ribbon,
    Slat,
    Spill,
    Stripe,
    sizes_for,
)
from keen_trellis.document.items import DeliveryItem, Item, JoinItem, StepItem, Taken
from keen_trellis.document.trellis import Lane, Trellis, places_in_order
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.counts import Group
from keen_trellis.plan.sentences import found_words
from keen_trellis.run.facts import ItemFacts, JoinFacts, PartFacts
from keen_trellis.run.results import Results

_SMALLER = 0.66
"""How many pixels of what is measured, in letters of 11, a bold letter of 14 takes."""

_LINE = 14
"""The height of a line of words where lanes stand close."""

_REACH = 0.62
"""How far the slat of rows on one side only goes across a joint."""

Measure = Callable[[str], float]
"""Returns the width of a text in pixels."""


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
    heads_width: float = HEADS_WIDTH,
) -> MapLayout:
    """Return where everything of a trellis lies.

    Parameters
    ----------
    trellis, results
    measure : callable
        Tells how wide a text is.
    stale : frozenset of lane id
        The lanes whose files have changed since they were read.
    heads_width : float
        How wide the heads of the lanes are.
    """
    return _Drawing(trellis, results, measure, stale, heads_width).layout()


class _Drawing:
    def __init__(
        self,
        trellis: Trellis,
        results: Results,
        measure: Measure,
        stale: frozenset[str],
        heads_width: float,
    ) -> None:
        self.trellis, self.results, self.measure = trellis, results, measure
        self.stale, self.heads_width = stale, heads_width
        self.first_stake = heads_width + FIRST_STAKE
        self.sizes = sizes_for(len(trellis.lanes))
        self.columns: dict[tuple[str, int], int] = {}
        self.middles: dict[str, float] = {}
        self.end_takers: dict[str, list[str]] = {}  # by lane: the ties that take rows at its end
        for _, tie in trellis.ties():
            for taken in tie.takes():
                if trellis.taken_after(taken) == trellis.end_of(trellis.lane(taken.lane)):
                    self.end_takers.setdefault(taken.lane, []).append(tie.id)

    def layout(self) -> MapLayout:
        # each place after all that it needs: a stake asks for those before it, which are known
        # then, however long a lane is
        for lane, place in places_in_order(self.trellis):
            self._column(lane, place - 1)
        bottom = self._place_rows()
        ribbons: list[Ribbon] = []
        joints: list[Joint] = []
        spills: list[Spill] = []
        flags: list[Flag] = []
        beads: list[Bead] = []
        pluses: list[Plus] = []
        for lane in self.trellis.lanes:
            ribbons += self._branch(lane)
            ribbons += self._level_ribbons(lane)
            for place, item in enumerate(lane.items):
                if item.takes():
                    joint = self._joint(lane, place, item)
                    joints.append(joint)
                    ribbons += [self._curve(taken, joint) for taken in item.takes()]
                    spills += self._spill(item, joint)
                elif isinstance(item, DeliveryItem):
                    flags.append(self._flag(lane, place, item))
                else:
                    beads.append(self._bead(lane, place, item))
            if lane.id not in self.end_takers:
                pluses.append(self._plus(lane))
        # At least three stakes, so that an empty map looks like one.
        last = max([*self.columns.values(), 2]) + 1
        stakes = tuple(self.first_stake + STAKE_GAP * n for n in range(last + 1))
        right = max([stakes[-1], *(p.box.right + 20 for p in pluses)])
        add_lane = Box(0, bottom, self.heads_width, 22 if self.sizes.is_close else 28)
        # curves are drawn first: a joint stands on the ribbon that it ends
        ribbons.sort(key=lambda r: r.y1 == r.y2)
        return MapLayout(
            self._heads(),
            stakes,
            tuple(ribbons),
            joints=tuple(joints),
            spills=tuple(spills),
            flags=tuple(flags),
            beads=tuple(beads),
            pluses=tuple(pluses),
            add_lane=add_lane,
            width=right,
            height=add_lane.bottom + (4 if self.sizes.is_close else 12),
            sizes=self.sizes,
        )

    def _place_rows(self) -> float:
        sizes = self.sizes
        top = sizes.top
        for lane in self.trellis.lanes:
            ties = any(item.takes() for item in lane.items)
            above = max(sizes.title - 2, sizes.title + 2 - (sizes.row - sizes.joint) / 2) * ties
            below = sizes.spill if ties or (sizes.is_close and _has_words_below(lane)) else 0
            if any(self._has_words_beside(lane, place) for place in range(len(lane.items))):
                below += _LINE
            self.middles[lane.id] = top + above + sizes.row / 2
            top += above + sizes.row + below
        return top

    def _has_words_beside(self, lane: Lane, place: int) -> bool:
        """Whether what spills from a tie would lie on the words of a step at the next stake."""
        behind = lane.items[place + 1 : place + 2]
        if not (self.sizes.is_close and behind and lane.items[place].takes()):
            return False
        is_bead = not behind[0].takes() and not isinstance(behind[0], DeliveryItem)
        return is_bead and self._column(lane, place + 1) == self._column(lane, place) + 1

    def _column(self, lane: Lane, place: int) -> int:
        """Return the stake of a lane's item; -1 stands before the first."""
        if place < 0:
            begins = self.trellis.begins_after(lane)
            if not begins:
                return -1
            other, reached = self.trellis.place_after(begins)
            return self._column(other, reached - 1)
        if (lane.id, place) not in self.columns:
            # One stake behind the item before, and one behind the last thing that is needed of
            # each lane taken: stakes only grow along a lane, so no ribbon ever turns back. Kept,
            # since each is asked for by all behind it (the sum of all paths grows exponentially
            # otherwise).
            column = self._column(lane, place - 1) + 1
            item = lane.items[place]
            for taken in item.takes():
                other = self.trellis.lane(taken.lane)
                needed = self._column(other, self.trellis.taken_place(taken) - 1)
                column = max(column, needed + 1, 1)
            self.columns[lane.id, place] = column
        return self.columns[lane.id, place]

    def _x(self, lane: Lane, place: int) -> float:
        """Return where a lane's item stands; before the first one the lane begins."""
        column = self._column(lane, place)
        return self.first_stake + STAKE_GAP * column if column >= 0 else self.heads_width

    def _part(self, lane: Lane, place: int) -> PartFacts | None:
        """Return what is known of a lane after so many items."""
        facts, part = self.results.facts, self.trellis.part_at(lane, place)
        return facts.items.get(part) if place else facts.lanes.get(part)

    def _rows(self, lane: Lane, place: int) -> int | None:
        part = self._part(lane, place)
        return part.rows if part else None

    def _facts(self, item: Item) -> ItemFacts | None:
        """Return what is known of an item, unless it has been linked otherwise since."""
        facts = self.results.facts.items.get(item.id)
        if facts is not None and isinstance(item, JoinItem):
            then = self.results.trellis.item(item.id)
            if then is not item and isinstance(then, JoinItem):
                return facts if then.match_link() == item.match_link() else None
        return facts

    def _stripes(self, lane: Lane, place: int) -> tuple[Stripe, ...]:
        """Return the stripes of a lane after so many items: its own, and one for each tied in."""
        rows = self._rows(lane, place)
        total = thickness(rows) * self.sizes.thickness if rows is not None else 3.0
        tied = [
            self.trellis.lane(taken.lane).colour
            for item in lane.items[:place]
            for taken in item.takes()
        ]
        # The whole is as thick as its rows say; the lane's own stripe is what the others leave,
        # and never vanishes.
        own = max(total - self.sizes.stripe * len(tied), 3.0)
        return (Stripe(lane.colour, own), *(Stripe(colour, self.sizes.stripe) for colour in tied))

    def _level_ribbons(self, lane: Lane) -> Iterator[Ribbon]:
        y = self.middles[lane.id]
        start = self._start(lane)
        for place in range(len(lane.items)):
            x = self._x(lane, place)
            item = lane.items[place]
            half = FLAG_WIDTH / 2 if isinstance(item, DeliveryItem) else 0
            yield Ribbon(lane.id, start, y, x2=x - half, y2=y, stripes=self._stripes(lane, place))
            start = x + half
        if lane.id not in self.end_takers:
            end = self._plus(lane).box.x + self.sizes.plus / 2
        else:
            ends = [
                self._x(*self.trellis.place_of(tie)) - CURVE_WIDTH
                for tie in self.end_takers[lane.id]
            ]
            end = max(start, *ends)
        yield Ribbon(lane.id, start, y, x2=end, y2=y, stripes=self._stripes(lane, len(lane.items)))

    def _start(self, lane: Lane) -> float:
        """Return where a lane's level ribbon begins: at its head, or behind where it branches."""
        if not self.trellis.begins_after(lane):
            return self.heads_width
        return self._x(lane, -1) + BRANCH_WIDTH

    def _branch(self, lane: Lane) -> Iterator[Ribbon]:
        """Yield the ribbon from the part that a lane begins at down, or up, to its row."""
        begins = self.trellis.begins_after(lane)
        if begins:
            other, _ = self.trellis.place_after(begins)
            x, end = self._x(lane, -1), self._start(lane)
            stripes = self._stripes(lane, 0)
            yield Ribbon(
                lane.id,
                x,
                self.middles[other.id],
                x2=end,
                y2=self.middles[lane.id],
                stripes=stripes,
            )

    def _curve(self, item: Taken, joint: Joint) -> Ribbon:
        other = self.trellis.lane(item.lane)
        middle = joint.box.x + self.sizes.joint_width / 2
        own, below = self.middles[joint.lane], self.middles[other.id] > self.middles[joint.lane]
        shift = self.sizes.joint * 0.12
        landing = own + (shift if below else -shift)
        # How many items of the other lane stand before the place where its rows are taken.
        taken = self.trellis.taken_place(item)
        start = middle - CURVE_WIDTH
        if taken < len(other.items):  # it leaves before what comes next on that lane
            start = min(start, self._x(other, taken) - STAKE_GAP / 2)
        start = max(start, min(self._start(other), middle - 40))  # a branch comes down first
        stripes = self._stripes(other, taken)
        return Ribbon(
            other.id, start, self.middles[other.id], x2=middle, y2=landing, stripes=stripes
        )

    def _joint(self, lane: Lane, place: int, item: Item) -> Joint:
        x = self._x(lane, place) - self.sizes.joint_width / 2
        y = self.middles[lane.id] - self.sizes.joint / 2
        box = Box(x, y, self.sizes.joint_width, self.sizes.joint)
        facts, title = self._facts(item), item.title
        joint = partial(Joint, item.id, lane.id, box, title=title, title_height=self.sizes.title)
        colours = [lane.colour, *(self.trellis.lane(one.lane).colour for one in item.takes())]
        open_ones = partial(_open_slats, box, colours, bays=item.has_bays)
        if facts is None:
            return joint(parts=open_ones(), counts=tr("matching …"), trouble="")
        if facts.waits_for:  # nothing is wrong here
            waits = facts.waits_for
            return joint(parts=open_ones(), counts=tr("waits"), trouble="", waits_for=waits)
        if facts.trouble:
            return joint(parts=open_ones(), counts=tr("needs a look"), trouble=facts.trouble)
        if not facts.groups:  # nobody has asked for them where it runs
            return joint(parts=open_ones(), counts=tr("not counted"), trouble="")
        slats = _slats(box, facts.groups, self._colours(lane, item, facts), bays=facts.has_bays)
        counts = counted(facts.rows or 0, "row")
        if isinstance(facts, JoinFacts):
            counts = found_words(facts.counts)
            if facts.broken:
                more = (
                    tr(" and {broken} more", broken=len(facts.broken) - 1)
                    if len(facts.broken) > 1
                    else ""
                )
                broken = f"{facts.broken[0]}{more}"
                return joint(parts=slats, counts=tr("promise broken"), trouble=broken)
        return joint(parts=slats, counts=counts, trouble="")

    def _colours(self, lane: Lane, item: Item, facts: ItemFacts) -> list[int | None]:
        """Return the colour of each group of rows: of its lane, none for rows of two lanes."""
        then = self.results.trellis  # the item may take other lanes by now
        taken = [then.lane(taken.lane).colour for taken in then.item(item.id).takes()]
        if facts.has_bays:
            return [lane.colour, None, taken[-1]]
        return [lane.colour, *taken]

    def _spill(self, item: Item, joint: Joint) -> Iterator[Spill]:
        tie = self._facts(item)
        if tie is None or not tie.has_bays:
            return
        text, full = self._spill_words(tie)
        if text:
            start = (joint.box.x + self.sizes.joint_width / 2, joint.box.bottom + 2)
            # below the words of a bead at the next stake
            down, high = (1, 14) if self.sizes.is_close else (10, 21)
            if self._has_words_beside(*self.trellis.place_of(item.id)):
                down += _LINE
            width = self.measure(text) + 18
            box = Box(joint.box.right + 8, joint.box.bottom + down, width, high)
            yield Spill(item.id, start, box, text=text, full=full)

    def _spill_words(self, tie: ItemFacts) -> tuple[str, str]:
        """Return how many rows are left, with names short enough for the room, and in full."""
        words = {Bay.LEFT: tie.lane, Bay.BOTH: tr("matched"), Bay.RIGHT: tie.name.split(" + ")[-1]}
        held = {Bay(g.name): g.rows for g in tie.groups if g.rows and not g.goes_on}
        if not held:
            return "", ""

        def said(names: dict[Bay, str]) -> str:
            parts = [f"{grouped_digits(rows)} {names[bay]}" for bay, rows in held.items()]
            return tr_n(
                sum(held.values()), "{parts} row left", "{parts} rows left", parts=" + ".join(parts)
            )

        # The numbers and words need their room whatever the names are: what is left is shared
        # among these.
        spare = SPILL_WIDTH - 18 - self.measure(said(dict.fromkeys(words, "")))
        room = max(spare / len(held), self.measure("x…"))
        short = {bay: fitted(name, room, self.measure) for bay, name in words.items()}
        return said(short), said(words)

    def _flag(self, lane: Lane, place: int, item: DeliveryItem) -> Flag:
        x = self._x(lane, place) - FLAG_WIDTH / 2
        box = Box(x, self.middles[lane.id] - self.sizes.flag / 2, FLAG_WIDTH, self.sizes.flag)
        facts = self._part(lane, place + 1)
        rows, trouble = tr("no rows yet"), ""
        if facts is not None:
            trouble = facts.trouble
            rows = tr("waits") if facts.waits_for else rows
            rows = counted(facts.rows, "row") if facts.rows is not None else rows
        return Flag(
            item.id,
            lane.id,
            box,
            name=item.name,
            rows=rows,
            file=item.place,
            trouble=trouble,
        )

    def _bead(self, lane: Lane, place: int, item: Item) -> Bead:
        x, y = self._x(lane, place), self.middles[lane.id]
        box = Box(
            x - self.sizes.bead / 2, y - self.sizes.bead / 2, self.sizes.bead, self.sizes.bead
        )
        facts, below = self._facts(item), 3 if self.sizes.is_close else 7
        step = item if isinstance(item, StepItem) else None
        bead = Bead(
            item.id,
            lane.id,
            box,
            item.type,
            brief=step.brief if step else "",
            counts=tr("working …"),
            is_off=item.is_off,
            words_below=below,
        )
        if item.is_off:
            return replace(bead, counts=tr("off"))
        if facts is None:
            return bead
        if facts.trouble or facts.waits_for:
            counts = tr("needs a look") if facts.trouble else tr("waits")
            return replace(bead, brief="", counts=counts, trouble=facts.trouble)
        if facts.rows is None or facts.before is None:  # nobody has asked where it runs
            return replace(bead, counts=tr("not counted"))
        counts = (
            ""
            if facts.rows == facts.before
            else tr("{rows:,} of {before:,}", rows=facts.rows, before=facts.before)
        )
        return replace(bead, counts=counts)

    def _plus(self, lane: Lane) -> Plus:
        if lane.items:
            last = self._x(lane, len(lane.items) - 1)
            is_flag = isinstance(lane.items[-1], DeliveryItem)
            x = last + (FLAG_WIDTH / 2 + 22 if is_flag else 112)
        else:
            x = self.first_stake + STAKE_GAP * (self._column(lane, -1) + 1)
        y = self.middles[lane.id] - self.sizes.plus / 2
        return Plus(lane.id, Box(x - self.sizes.plus / 2, y, self.sizes.plus, self.sizes.plus))

    def _heads(self) -> tuple[Head, ...]:
        heads = [self._head(lane) for lane in self.trellis.lanes]
        wide = self.heads_width - (110 if self.sizes.is_close else 44)
        # the names are larger than what is measured, and bold
        names = told_apart([head.name for head in heads], wide * _SMALLER, self.measure)
        return tuple(replace(h, shown=name) for h, name in zip(heads, names, strict=True))

    def _head(self, lane: Lane) -> Head:
        box = Box(0, self.middles[lane.id] - self.sizes.head / 2, self.heads_width, self.sizes.head)
        facts = self.results.facts.lanes.get(lane.id)
        trouble = facts.trouble if facts else ""
        size = tr("cannot be read") if trouble else tr("reading …")
        if facts is not None and facts.rows is not None:
            columns = counted(len(facts.columns), "column")
            size = f"{counted(facts.rows, 'row')} · {columns}"
        elif facts is not None and facts.waits_for:
            size = tr("waits")
        elif facts is not None and facts.columns:
            size = tr("not counted · {columns}", columns=counted(len(facts.columns), "column"))
        elif facts is not None and not facts.is_allowed:
            size = tr("not allowed yet")
        source = self.trellis.begins_words(lane)
        is_stale = lane.id in self.stale
        return Head(
            lane.id,
            lane.colour,
            box,
            name=lane.name,
            source=source,
            size=size,
            trouble=trouble,
            stale=is_stale,
        )


def _has_words_below(lane: Lane) -> bool:
    """Whether words stand below the ribbon of a lane: those of its steps."""
    return any(not isinstance(item, DeliveryItem) for item in lane.items)


def _open_slats(box: Box, colours: Sequence[int], bays: bool) -> tuple[Slat, ...]:
    """Return the slats of a tie whose rows nobody knows yet, all of one height."""
    wanted: Sequence[int | None] = [colours[0], None, colours[-1]] if bays else colours
    groups = [Group("", 1) for _ in wanted]
    return tuple(replace(one, is_open=True) for one in _slats(box, groups, wanted, bays))


def told_apart(names: Sequence[str], room: float, measure: Measure) -> list[str]:
    """Return names as long as the room lets them be, shortened in what they share.

    >>> told_apart(["Takings of 2026-01", "Takings of 2026-02"], 12, len)
    ['Takin…26-01', 'Takin…26-02']
    """
    shown = [_without_middle(name, room, measure) for name in names]
    by_shown: dict[str, set[str]] = {}
    for name, short in zip(names, shown, strict=True):
        by_shown.setdefault(short, set()).add(name)
    for place, name in enumerate(names):
        alike = by_shown[shown[place]]
        if len(alike) > 1 and shown[place] != name:  # they differ in what would be left out
            # What they share at the beginning is left out but for two letters, and what tells
            # them apart is kept; where they differ at the end, cutting the middle has done it
            # already.
            shared = len(os.path.commonprefix([*alike]))  # noqa: RUF071  letters are meant
            shown[place] = fitted(f"{name[:3]}…{name[max(shared - 2, 3) :]}", room, measure)
    return shown


def _without_middle(name: str, room: float, measure: Measure) -> str:
    """Return a name without as many letters in its middle as have no room."""
    if measure(name) <= room:
        return name
    for left in range(len(name) - 1, 1, -1):
        cut = f"{name[: (left + 1) // 2].rstrip()}…{name[len(name) - left // 2 :].lstrip()}"
        if measure(cut) <= room:
            return cut
    return "…"


def _slats(
    box: Box, groups: Sequence[Group], colours: Sequence[int | None], bays: bool = False
) -> tuple[Slat, ...]:
    """Return groups of rows in their true proportion; one that holds rows is always seen.

    With `bays` they are the three of a join: only in the first stands out to the left, both goes
    right across, only in the second stands out to the right.
    """
    inner = Box(box.x + 3, box.y + 3, box.width - 6, box.height - 6)
    reach = inner.width * (_REACH if bays else 1)
    rows = [group.rows for group in groups]
    held = [count > 0 for count in rows]
    gaps = 2 * max(sum(held) - 1, 0)
    room = inner.height - gaps
    # Small groups get five pixels, more than their share; then all shrink together to fit the
    # room.
    heights = [max(room * count / max(sum(rows), 1), 5.0) if count else 0.0 for count in rows]
    shrink = room / sum(heights) if any(heights) else 1.0
    starts = (inner.x, inner.x, inner.right - reach) if bays else (inner.x,) * len(groups)
    widths = (reach, inner.width, reach) if bays else (inner.width,) * len(groups)
    parts, y = [], inner.y
    shown = zip(heights, groups, colours, starts, widths, strict=True)
    for height, group, colour, x, width in shown:
        if height:
            parts.append(Slat(Box(x, y, width, height * shrink), group.goes_on, colour))
            y += height * shrink + 2
    return tuple(parts)
