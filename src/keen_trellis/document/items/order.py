"""The step that puts rows in order."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Literal, Self

from keen_trellis.document.items.base import StepItem
from keen_trellis.document.items.join import OrderedBy
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Ordered

if TYPE_CHECKING:
    from keen_trellis.document.trellis import Lane, Trellis


class OrderItem(StepItem):
    """Put the rows in order; equal ones stay as they stood, blanks come last.

    Attributes
    ----------
    by : tuple of OrderedBy
    """

    type: Literal["order"] = "order"
    by: tuple[OrderedBy, ...] = ()

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows in order."""
        return Ordered(rows, names[0], tuple(one.as_order() for one in self.by))

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return f"by {', '.join(one.field for one in self.by)}" if self.by else "order"

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        by = tuple(one.but(field=change(one.field)) for one in self.by)
        return self.but(by=by)

    def sentence(self, trellis: Trellis, lane: Lane) -> str:
        """Return the order."""
        if not self.by:
            return "Leaves the rows in their order."
        words = [f"{one.field}{', backwards' if one.descending else ''}" for one in self.by]
        return f"Orders the rows by {' then '.join(words)}."
