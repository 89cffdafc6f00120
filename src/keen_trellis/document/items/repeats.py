"""The step for repeated rows: keep one of them, show only them, or only what stands alone."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.document.items.item import Lanes, Named, StepExample, StepItem
from keen_trellis.document.items.join import OrderedBy
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Repeated, Sort


class RepeatsItem(StepItem):
    """Of rows that are equal in some columns let one go on, or only such, or none of them.

    Attributes
    ----------
    by : tuple of str
        The columns that are compared; all of them where none is given.
    keep : Sort
    order : tuple of OrderedBy
        By which first and last are meant; as the rows stand where none is given.
    """

    type: Literal["repeats"] = "repeats"
    by: tuple[str, ...] = ()
    keep: Sort = "first"
    order: tuple[OrderedBy, ...] = ()

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", by=("port",)),
            before=(
                "port,riders",
                "Brae,98",
                "Voe,7",
                "Brae,12",
            ),
            after=(
                "port,riders",
                "Brae,98",
                "Voe,7",
            ),
        )

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows chosen."""
        order = tuple(one.as_order() for one in self.order)
        return Repeated(rows, names[0], self.by, self.keep, order)

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return tr(
            "{keep} of each {value}", keep=tr(self.keep), value=", ".join(self.by) or tr("row")
        )

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        order = tuple(one.but(field=change(one.field)) for one in self.order)
        return self.but(by=tuple(map(change, self.by)), order=order)

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return which of equal rows go on."""
        equal = tr("equal in {by}", by=listed(self.by)) if self.by else tr("equal in every column")
        if self.keep == "repeated":
            return tr("Keeps only rows that have others {equal}.", equal=equal)
        if self.keep == "alone":
            return tr("Keeps only rows that have no other {equal}.", equal=equal)
        by = (
            tr(" by {order}", order=listed([one.field for one in self.order])) if self.order else ""
        )
        return tr("Of rows {equal} keeps the {keep}{by}.", equal=equal, keep=tr(self.keep), by=by)
