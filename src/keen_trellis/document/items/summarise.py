"""The step that makes one row of each group, with figures."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from pydantic import Field

from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.document.items.blend import FigureItem
from keen_trellis.document.items.item import Lanes, Named, StepExample, StepItem
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Grouped


class SummariseItem(StepItem):
    """One row for each group of equal values; blanks are a group, gaps another.

    Attributes
    ----------
    by : tuple of str
        One row for all where none is given.
    figures : tuple of FigureItem
    """

    type: Literal["summarise"] = "summarise"
    by: tuple[str, ...] = ()
    figures: tuple[FigureItem, ...] = Field(default_factory=lambda: (FigureItem(how="count"),))

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", by=("port",), figures=(FigureItem(how="sum", column="riders"),)),
            before=(
                "port,riders",
                "Brae,98",
                "Voe,7",
                "Brae,12",
            ),
            after=(
                "port,sum of riders",
                "Brae,110",
                "Voe,7",
            ),
        )

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the summary."""
        figures = tuple(one.as_figure() for one in self.figures)
        return Grouped(rows, names[0], self.by, figures)

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return tr("1 row per {by}", by=", ".join(self.by)) if self.by else tr("1 row")

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        figures = tuple(
            one.but(column=change(one.column) if one.column else None) for one in self.figures
        )
        return self.but(by=tuple(map(change, self.by)), figures=figures)

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what makes a group, and the figures."""
        groups = (
            tr("One row for each {by}", by=listed(self.by)) if self.by else tr("One row for all")
        )
        figures = listed([one.as_figure().title for one in self.figures]) or tr("no figures")
        return tr("{groups}, with {figures}.", groups=groups, figures=figures)
