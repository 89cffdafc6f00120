"""The step that puts rows in order."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from keen_trellis.base.language import tr
from keen_trellis.document.items.item import Lanes, Named, StepExample, StepItem
from keen_trellis.document.items.join import OrderedBy
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Ordered


class OrderItem(StepItem):
    """Put the rows in order; equal ones stay as they stood, blanks come last.

    Attributes
    ----------
    by : tuple of OrderedBy
    """

    type: Literal["order"] = "order"
    by: tuple[OrderedBy, ...] = ()

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", by=(OrderedBy(field="riders", descending=True),)),
            before=(
                "port,riders",
                "Voe,7",
                "Brae,98",
            ),
            after=(
                "port,riders",
                "Brae,98",
                "Voe,7",
            ),
        )

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows in order."""
        return Ordered(rows, names[0], tuple(one.as_order() for one in self.by))

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return tr("by {by}", by=", ".join(one.field for one in self.by)) if self.by else tr("order")

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        by = tuple(one.but(field=change(one.field)) for one in self.by)
        return self.but(by=by)

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return the order."""
        if not self.by:
            return tr("Leaves the rows in their order.")
        words = [f"{one.field}{tr(', backwards') if one.descending else ''}" for one in self.by]
        return tr("Orders the rows by {words}.", words=tr(" then ").join(words))
