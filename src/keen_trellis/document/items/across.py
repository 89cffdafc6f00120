"""The step that works a column out across the rows of a group: numbers, ranks, sums so far."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from pydantic import Field

from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.document.items.item import Lanes, Named, StepExample, StepItem
from keen_trellis.document.items.join import OrderedBy
from keen_trellis.plan.across import OF_ROWS, OF_SEVERAL, ROWS_AT_MOST, Across, What
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Computed


class AcrossItem(StepItem):
    """Work a column out from the rows of the same group.

    Attributes
    ----------
    name : str
        What the column is called.
    what : What
    column : str
        What it is worked out of; a number and a rank need none.
    by : tuple of str
        The columns whose equal values make a group; none for all rows.
    order : tuple of OrderedBy
        The order within a group; the rows' own where none is given, and among equal ones.
    n : int
        How many rows away the other value is, or of how many a moving average is.
    """

    type: Literal["across"] = "across"
    name: str = ""
    what: What = "row number"
    column: str = ""
    by: tuple[str, ...] = ()
    order: tuple[OrderedBy, ...] = ()
    n: int = Field(default=1, ge=1, le=ROWS_AT_MOST)

    @property
    def title(self) -> str:
        """What stands above it on the map."""
        return tr("Across rows")

    @property
    def within(self) -> str:
        """What it is called within a sentence."""
        return tr("across rows")

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return self._what() if self.name else tr("across rows")

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", name="so far", what="running sum", column="riders", by=("port",)),
            before=("port,riders", "Brae,98", "Voe,7", "Brae,12"),
            after=("port,riders,so far", "Brae,98,98", "Voe,7,7", "Brae,12,110"),
        )

    @property
    def is_ready(self) -> bool:
        """Whether all is chosen that it needs."""
        return bool(self.name and (self.column or self.what in OF_ROWS))

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows with the column."""
        if not self.is_ready:
            return Computed(rows, names[0], ())
        return Across(
            rows,
            names[0],
            self.name,
            self.what,
            "" if self.what in OF_ROWS else self.column,
            self.by,
            tuple(one.as_order() for one in self.order),
            self.n if self.what in OF_SEVERAL else 1,
        )

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        order = tuple(one.but(field=change(one.field)) for one in self.order)
        column = change(self.column) if self.column else ""
        return self.but(column=column, by=tuple(map(change, self.by)), order=order)

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what is worked out, of which rows, in which order."""
        if not self.is_ready:
            return tr("Works out nothing across rows yet.")
        says = tr("Works out {name}: the {what}", name=self.name, what=self._what())
        if self.what in OF_SEVERAL:
            says += tr(" ({n:,} rows)", n=self.n)
        if self.by:
            says += tr(", for each {by}", by=listed(self.by))
        if self.order:
            words = [
                f"{one.field}{tr(', backwards') if one.descending else ''}" for one in self.order
            ]
            says += tr(", in the order of {words}", words=tr(" then ").join(words))
        return f"{says}."

    def _what(self) -> str:
        what = tr(self.what)
        if self.what in OF_ROWS:
            return what
        return tr("{how} of {name}", how=what, name=self.column)
