"""The tie that stacks: rows of other lanes below those of its own, by the names of columns."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator

from keen_trellis.base.language import marked, tr
from keen_trellis.base.words import listed
from keen_trellis.document.items.item import Item, Lanes, Named, Taken
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node, Stacked


class StackedLane(Taken):
    """A lane whose rows are put below.

    Attributes
    ----------
    renamed : dict of str to str
        Its columns that meet others under another name.
    """

    renamed: dict[str, str] = Field(default={})


class StackItem(Item):
    """Rows of other lanes below those before it; columns of one name stand together.

    Attributes
    ----------
    lanes : tuple of StackedLane
        In the order of their rows.
    source_column : str
        The column that says which lane a row came from; empty for none.
    repeats : bool
        Whether rows that stand there already are kept again.
    """

    type: Literal["stack"] = "stack"
    lanes: tuple[StackedLane, ...] = Field(min_length=1)
    source_column: str = ""
    repeats: bool = True

    word: ClassVar[str] = marked("tie")

    @model_validator(mode="after")
    def _takes_each_once(self) -> Self:
        taken = [lane.lane for lane in self.lanes]
        for lane in taken:
            if taken.count(lane) > 1:
                raise ValueError(
                    tr("The lane “{lane}” is stacked twice at “{id}”.", lane=lane, id=self.id)
                )
        return self

    def takes(self) -> tuple[Taken, ...]:
        """Return the lanes that are put below."""
        return self.lanes

    def taking(self, taken: Sequence[Taken]) -> Self:
        """Return the stack with rows taken elsewhere."""
        lanes = tuple(
            StackedLane(lane=new.lane, after=new.after, renamed=old.renamed)
            for old, new in zip(self.lanes, taken, strict=True)
        )
        return type(self)(**{**dict(self), "lanes": lanes})

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows of all of them, one below the other."""
        # The first part is the lane's own, whose columns give the names; sorted, so that the
        # order of a dict is no setting.
        renamed = ((), *(tuple(sorted(lane.renamed.items())) for lane in self.lanes))
        parts = (rows, *taken)
        return Stacked(
            parts, tuple(names), renamed, source_column=self.source_column, repeats=self.repeats
        )

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the stack with columns renamed of the lane with a number."""
        if side in ("left", "right"):
            return self
        lanes = tuple(
            StackedLane(
                **{**dict(lane), "renamed": {change(a): b for a, b in lane.renamed.items()}}
            )
            if number == side
            else lane
            for number, lane in enumerate(self.lanes)
        )
        return type(self)(**{**dict(self), "lanes": lanes})

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what is put below what."""
        names = listed([lanes.lane(taken.lane).name for taken in self.lanes])
        repeats = "" if self.repeats else tr(" Rows that repeat are left out.")
        return tr(
            "Stacks the rows of {names} below its own, by the names of columns.{repeats}",
            names=names,
            repeats=repeats,
        )
