"""The step that lets the first or last rows go on, of all or of each group."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from pydantic import Field

from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.words import listed
from keen_trellis.document.items.item import Lanes, Named, StepExample, StepItem
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Counted


class FirstItem(StepItem):
    """Let some rows go on, counted from the beginning or the end.

    Attributes
    ----------
    n : int
    end : "first" or "last"
    by : tuple of str
        The columns whose equal values make a group; none for all rows together.
    """

    type: Literal["first"] = "first"
    n: int = Field(default=10, ge=0)
    end: Literal["first", "last"] = "first"
    by: tuple[str, ...] = ()

    @property
    def title(self) -> str:
        """What stands above it on the map."""
        return tr("First {n:,}", n=self.n) if self.end == "first" else tr("Last {n:,}", n=self.n)

    @property
    def within(self) -> str:
        """What it is called within a sentence."""
        return tr("first {n:,}", n=self.n) if self.end == "first" else tr("last {n:,}", n=self.n)

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", n=1, by=("port",)),
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
        return Counted(rows, names[0], self.n, last=self.end == "last", by=self.by)

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        return self.but(by=tuple(map(change, self.by)))

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return which rows go on."""
        each = tr(" of each {by}", by=listed(self.by)) if self.by else ""
        if self.end == "first":
            return tr_n(
                self.n,
                "Keeps the first {n:,} row{each}.",
                "Keeps the first {n:,} rows{each}.",
                each=each,
            )
        return tr_n(
            self.n, "Keeps the last {n:,} row{each}.", "Keeps the last {n:,} rows{each}.", each=each
        )
