"""The step that puts columns together as one text."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.data import Kind
from keen_trellis.document.items.item import Lanes, Named, StepExample, StepItem
from keen_trellis.plan.formulas import Applied, Cell, Constant, Valued
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Computed


class TogetherItem(StepItem):
    """Write the values of columns one behind the other; a blank is passed over with its mark.

    Attributes
    ----------
    columns : tuple of str
    mark : str
        What stands between them.
    name : str
        Of the new column.
    """

    type: Literal["together"] = "together"
    columns: tuple[str, ...] = ()
    mark: str = " "
    name: str = "together"

    @property
    def title(self) -> str:
        """What stands above it on the map."""
        return tr("Put together")

    @property
    def within(self) -> str:
        """What it is called within a sentence."""
        return tr("put together")

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", columns=("from", "to"), mark=" to ", name="way"),
            before=(
                "from,to",
                "Kelp Point,Brae",
                "Voe,",
            ),
            after=(
                "from,to,way",
                "Kelp Point,Brae,Kelp Point to Brae",
                "Voe,,Voe",
            ),
        )

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows with the new column; blank where all columns are."""
        if not self.columns:
            return Computed(rows, names[0], ())
        parts: list[Valued] = [Constant(self.mark, Kind.TEXT)]
        for name in self.columns:
            kind = rows.schema.column(name, names[0]).kind
            cell: Valued = Cell(name, kind)
            parts.append(cell if kind is Kind.TEXT else Applied("CAST", (cell,), Kind.TEXT))
        made = Applied("CONCAT_WS", tuple(parts), Kind.TEXT)
        # CONCAT_WS gives an empty text where all are blank, and a row without any value should
        # have none.
        blank = Applied("NULLIF", (made, Constant("", Kind.TEXT)), Kind.TEXT)
        return Computed(rows, names[0], ((self.name, blank),))

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return self.name

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        return self.but(columns=tuple(map(change, self.columns)))

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what is put together, and what it is called."""
        if not self.columns:
            return tr("Puts no columns together yet.")
        return tr(
            "Puts {columns} together as {name}, with “{mark}” between.",
            columns=listed(self.columns),
            name=self.name,
            mark=self.mark,
        )
