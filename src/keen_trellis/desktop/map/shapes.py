"""What the map is made of: shapes with plain numbers, their sizes, and what lies at a point."""

from __future__ import annotations

from dataclasses import dataclass

HEADS_WIDTH = 226
HEAD_HEIGHT = 56
ROW_HEIGHT = 62
TITLE_HEIGHT = 34
SPILL_HEIGHT = 26
STAKE_GAP = 178
FIRST_STAKE = HEADS_WIDTH + 96
TOP = 20
JOINT_WIDTH, JOINT_HEIGHT = 44, 50
FLAG_WIDTH, FLAG_HEIGHT = 122, 50
PLUS_SIZE = 24
BEAD_SIZE = 26
CURVE_WIDTH = 116
BRANCH_WIDTH = 84
SPILL_WIDTH = STAKE_GAP - 30
STRIPE = 3.5


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
class Slat:
    """One group of rows in a tie: a bay of a join, or a lane of a stack."""

    box: Box
    kept: bool
    colour: int | None


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

    @property
    def title_box(self) -> Box:
        """Where the two lines above the joint stand."""
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
class Bead:
    """A step on a lane: the sort of step, and how many rows went in and came out."""

    item: str
    lane: str
    box: Box
    sort: str
    counts: str
    trouble: str

    @property
    def words_box(self) -> Box:
        """Where the line below the bead stands."""
        width = STAKE_GAP - 24
        middle = self.box.x + self.box.width / 2
        return Box(middle - width / 2, self.box.bottom + 7, width, 13)  # below the ring


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
    joints: tuple[Joint, ...]
    spills: tuple[Spill, ...]
    flags: tuple[Flag, ...]
    beads: tuple[Bead, ...]
    pluses: tuple[Plus, ...]
    add_lane: Box
    width: float
    height: float

    def at(self, x: float, y: float) -> Head | Joint | Spill | Flag | Bead | Plus | None:
        """Return what lies at a point, the topmost first."""
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
