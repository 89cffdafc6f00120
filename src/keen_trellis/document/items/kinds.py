"""The step that changes the kinds of columns; what does not fit is a blank, and counted."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from pydantic import Field

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.data import Kind
from keen_trellis.data.kinds import castable
from keen_trellis.document.items.item import Lanes, Named, StepExample, StepItem
from keen_trellis.plan.formulas import Applied, Cell, Valued
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Computed


class KindsItem(StepItem):
    """Read columns as another kind.

    Attributes
    ----------
    kinds : dict of column to Kind
    dates : “as they show”, “day first” or “month first”
        How dates such as 03/04/2026 are meant; where the texts do not show it, they are none.
    """

    type: Literal["kinds"] = "kinds"
    kinds: dict[str, Kind] = Field(default={})
    dates: Literal["as they show", "day first", "month first"] = "as they show"

    @property
    def title(self) -> str:
        """What stands above it on the map."""
        return tr("Change kinds")

    @property
    def within(self) -> str:
        """What it is called within a sentence."""
        return tr("change kinds")

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", kinds={"day": Kind.DATE}, dates="day first"),
            before=(
                "day,riders",
                "3.4.2026,98",
                "25.12.2026,7",
            ),
            after=(
                "day,riders",
                "2026-04-03,98",
                "2026-12-25,7",
            ),
        )

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows with the columns in their new kinds."""
        return Computed(
            rows, names[0], tuple((c, self._cast(rows, c, names[0])) for c in self.kinds)
        )

    def _cast(self, rows: Node, column: str, where: str) -> Valued:
        kind, to = rows.schema.column(column, where).kind, self.kinds[column]
        if not castable(kind, to):
            raise LinkError(
                tr(
                    "“{column}” of {where} is {kind}, which cannot become {to}.",
                    column=column,
                    where=where,
                    kind=kind,
                    to=to,
                ),
                tr("Choose another kind."),
            )
        order = () if self.dates == "as they show" else (self.dates,)
        return Applied("CAST", (Cell(column, kind),), to, ("as written", *order))

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return ", ".join(f"{name} {tr(kind)}" for name, kind in self.kinds.items()) or tr("kinds")

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        kinds = {change(name): kind for name, kind in self.kinds.items()}
        return self.but(kinds=kinds)

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return which columns become what."""
        if not self.kinds:
            return tr("Changes no kind yet.")
        made = listed([f"{name} {tr(kind)}" for name, kind in self.kinds.items()])
        order = tr(", dates {dates}", dates=tr(self.dates)) if self.dates != "as they show" else ""
        return tr("Makes {made}{order}.", made=made, order=order)
