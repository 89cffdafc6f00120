"""The step that chooses columns: which go on, in what order, under what names."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from pydantic import Field

from keen_trellis.base.language import tr
from keen_trellis.base.words import listed, with_capital
from keen_trellis.document.items.item import Lanes, Named, StepExample, StepItem
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Picked


class ColumnsItem(StepItem):
    """Let some columns go on, in an order and under names of their own.

    Attributes
    ----------
    first : tuple of str
        The columns that stand first, in this order.
    without : tuple of str
        Those that do not go on.
    names : dict of column to its other name
    only_first : bool
        Whether none but those of `first` go on; else columns that come later go on as well.
    """

    type: Literal["columns"] = "columns"
    first: tuple[str, ...] = ()
    without: tuple[str, ...] = ()
    names: dict[str, str] = Field(default={})
    only_first: bool = False

    def chosen(self, available: Sequence[str]) -> list[tuple[str, str]]:
        """Return which of the columns go on, in their order, each with its name."""
        order = [*self.first]
        if not self.only_first:
            order += [name for name in available if name not in self.first]
        return [(name, self.names.get(name, name)) for name in order if name not in self.without]

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", first=("riders",), without=("note",), names={"riders": "people"}),
            before=(
                "port,note,riders",
                "Brae,late,98",
                "Voe,,7",
            ),
            after=(
                "people,port",
                "98,Brae",
                "7,Voe",
            ),
        )

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows with the columns chosen."""
        for name in (*self.first, *self.without, *self.names):
            rows.schema.column(name, names[0])
        return Picked(rows, names[0], tuple(self.chosen(rows.schema.names)))

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with the columns that come renamed."""
        return self.but(
            first=tuple(map(change, self.first)),
            without=tuple(map(change, self.without)),
            names={change(old): new for old, new in self.names.items()},
        )

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what goes on, and what it is called."""
        said = []
        if self.only_first:
            said.append(tr("lets {value} go on", value=listed(self.first) or tr("no column")))
        elif self.first:
            said.append(tr("puts {first} first", first=listed(self.first)))
        if self.without:
            said.append(tr("leaves out {without}", without=listed(self.without)))
        if self.names:
            said.append(
                tr(
                    "calls {items}",
                    items=listed([f"{old} {new}" for old, new in self.names.items()]),
                )
            )
        words = ", ".join(said) or tr("lets every column go on")
        return f"{with_capital(words)}."
