"""What the map is made of: shapes with plain numbers, their sizes, and what lies at a point."""

from __future__ import annotations

from dataclasses import dataclass

HEADS_WIDTH = 226
STAKE_GAP = 178
HEADS_NARROWEST, HEADS_WIDEST = 150, 620
FIRST_STAKE = 96
"""How far behind the heads the first stake stands."""
FLAG_WIDTH = 122
CURVE_WIDTH = 116
BRANCH_WIDTH = 84
SPILL_WIDTH = STAKE_GAP - 30
# Six roomy rows fit above the bench in a window of 800 pixels; the seventh would have to be
# scrolled to.
MANY_LANES = 6
"""With more lanes than this they move together, and their heads take one line."""


@dataclass(frozen=True, slots=True)
class Sizes:
    """The heights of things, in pixels.

    Attributes
    ----------
    row, head, top : float
    title, spill : float
        The room above a joint, and below one, beyond that of the row.
    joint_width, joint, flag, plus, bead : float
    stripe : float
        The thickness of what another lane adds to a ribbon.
    thickness : float
        By which that of a ribbon is multiplied.
    is_close : bool
        Whether heads, titles and flags have one line.
    """

    row: float
    head: float
    top: float
    title: float
    spill: float
    joint_width: float
    joint: float
    flag: float
    plus: float
    bead: float
    stripe: float
    thickness: float
    is_close: bool


ROOMY = Sizes(
    row=62,
    head=56,
    top=20,
    title=34,
    spill=26,
    joint_width=44,
    joint=50,
    flag=50,
    plus=24,
    bead=26,
    stripe=3.5,
    thickness=1.0,
    is_close=False,
)
CLOSE = Sizes(
    row=21,
    head=20,
    top=6,
    title=13,
    spill=17,
    joint_width=32,
    joint=24,
    flag=20,
    plus=18,
    bead=18,
    stripe=2.2,
    thickness=0.45,
    is_close=True,
)


def sizes_for(lanes: int) -> Sizes:
    """Return how large things are with so many lanes."""
    # Two sizes and nothing between: rows that change with every lane added would never stand
    # still.
    return CLOSE if lanes > MANY_LANES else ROOMY


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
        # Edges may touch: ribbons that end at a joint begin on its edge.
        across = self.x < other.right and other.x < self.right
        return across and self.y < other.bottom and other.y < self.bottom


@dataclass(frozen=True, slots=True)
class Head:
    """The head of a lane: its name, where it comes from, and how much it holds.

    What is shown of the name is as long as the room, and tells it from the others.
    """

    lane: str
    colour: int
    box: Box
    name: str
    source: str
    size: str
    trouble: str
    stale: bool = False
    shown: str = ""


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
class Slat:
    """One group of rows in a tie: a bay of a join, or a lane of a stack.

    One that is open holds no rows yet: nobody knows how many.
    """

    box: Box
    kept: bool
    colour: int | None
    is_open: bool = False


@dataclass(frozen=True, slots=True)
class Joint:
    """A tie: its three bays in their true proportion, beneath its name.

    What is wrong with it is its trouble; where something before it is, it only waits.
    """

    item: str
    lane: str
    box: Box
    parts: tuple[Slat, ...]
    title: str
    counts: str
    trouble: str
    waits_for: str = ""
    title_height: float = ROOMY.title

    @property
    def title_box(self) -> Box:
        """Where the lines above the joint stand."""
        top = self.box.y - self.title_height - 2
        return Box(self.box.x, top, STAKE_GAP - 12, self.title_height)


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
class Bead:
    """A step on a lane: its sort, what it does in few words, and what became of the rows."""

    item: str
    lane: str
    box: Box
    sort: str
    brief: str
    counts: str
    trouble: str = ""
    is_off: bool = False
    words_below: float = 7

    @property
    def words_box(self) -> Box:
        """Where the line below the bead stands."""
        width = STAKE_GAP - 24
        middle = self.box.x + self.box.width / 2
        return Box(middle - width / 2, self.box.bottom + self.words_below, width, 13)


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
    sizes : Sizes
    """

    heads: tuple[Head, ...]
    stakes: tuple[float, ...]
    ribbons: tuple[Ribbon, ...]
    joints: tuple[Joint, ...]
    spills: tuple[Spill, ...]
    flags: tuple[Flag, ...]
    beads: tuple[Bead, ...]
    pluses: tuple[Plus, ...]
    add_lane: Box
    width: float
    height: float
    sizes: Sizes = ROOMY

    @property
    def heads_width(self) -> float:
        """How wide the heads are; what lies right of them scrolls."""
        return self.add_lane.width

    def at(self, x: float, y: float) -> Head | Joint | Spill | Flag | Bead | Plus | None:
        """Return what lies at a point, the topmost first."""
        # The smallest first: a plus lies on a flag’s way, and a bead on a spill’s.
        groups = (self.pluses, self.joints, self.flags, self.beads, self.spills, self.heads)
        for group in groups:
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
            # A lane of few rows is a hair, and nobody hits a hair.
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
        things: list[Joint | Flag | Bead] = [*self.joints, *self.flags, *self.beads]
        return next((thing.box for thing in things if thing.item == selected), None)
