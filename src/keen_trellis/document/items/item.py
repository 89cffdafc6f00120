"""What every item of a lane has, and what the rest of the house asks of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import ClassVar, NamedTuple, Protocol, Self

from pydantic import BaseModel, ConfigDict

from keen_trellis.base.language import marked, tr
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node


class Named(Protocol):
    """What sentences call by its name: a lane."""

    @property
    def name(self) -> str:
        """What it is called."""


class Lanes(Protocol):
    """What finds the lanes that a sentence names: a trellis."""

    def lane(self, lane_id: str) -> Named:
        """Return a lane by its id."""


class Part(BaseModel):
    """A part of a document: it never changes, and has no fields but those it declares."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    def but(self, **changes: object) -> Self:
        """Return a checked copy with some fields changed; pydantic's own copy checks nothing."""
        return type(self)(**{**dict(self), **changes})


class Taken(Part):
    """Where an item takes rows from another lane.

    Attributes
    ----------
    lane : str
        The id of the other lane.
    after : str or None
        The item of that lane after which its rows are taken; the lane's own id takes them as they
        are read, and None at its end, wherever that is.
    """

    lane: str
    after: str | None = None


class Item(Part):
    """One thing on a lane: a step, a tie or a delivery.

    Attributes
    ----------
    id : str
    note : str
        Why it is so.
    """

    type: str
    id: str
    note: str = ""

    word: ClassVar[str] = marked("item")
    """What it is called in sentences."""

    changes_rows: ClassVar[bool] = True
    """Whether other rows come out than go in; a delivery only writes them."""

    has_bays: ClassVar[bool] = False
    """Whether its groups of rows are the three bays of a tie."""

    @property
    def is_off(self) -> bool:
        """Whether it is switched off, and rows pass it as they are; only steps can be."""
        return False

    @property
    def gives_rows(self) -> bool:
        """Whether it does anything to rows: no delivery does, and no step that is off."""
        return self.changes_rows and not self.is_off

    @property
    def title(self) -> str:
        """What stands above it on the map."""
        return tr(self.type.capitalize())

    @property
    def within(self) -> str:
        """What it is called within a sentence."""
        return tr(self.type)

    def takes(self) -> tuple[Taken, ...]:
        """Return the lanes whose rows it takes beside those of its own."""
        return ()

    def taking(self, taken: Sequence[Taken]) -> Self:
        """Return the item with its rows taken elsewhere, as many places as `takes` gives."""
        return self

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return what it does to the rows before it.

        Parameters
        ----------
        rows : Node
            What stands before it on its lane.
        taken : sequence of Node
            What it takes of other lanes, as many as `takes` gives.
        names : sequence of str
            The name of its lane, and of those that it takes from.
        """
        return rows

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the item with columns renamed: of its own lane ("left"), or of one it takes."""
        return self

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what it does, in words."""
        raise NotImplementedError


class StepExample(NamedTuple):
    """A step at work: in the guide, and where every kind of step is tried.

    Attributes
    ----------
    step : StepItem
    before, after : lines of cells as texts, the names of the columns first
        A blank is an empty text. The rows are others after it.
    """

    step: StepItem
    before: tuple[str, ...]
    after: tuple[str, ...]


class StepItem(Item):
    """One change on a lane: a bead on its ribbon.

    Attributes
    ----------
    off : bool
        Whether the rows pass it as they are, for now.
    """

    off: bool = False

    word: ClassVar[str] = marked("step")

    @property
    def is_off(self) -> bool:
        """Whether the rows pass it as they are."""
        return self.off

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does; every kind of step has one."""
        raise NotImplementedError

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return self.within
