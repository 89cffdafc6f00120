"""The step that splits a text: into columns or rows, at a mark or at positions."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Annotated, Literal, Self

from pydantic import Field

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.data import Kind
from keen_trellis.document.items.item import Lanes, Named, StepExample, StepItem
from keen_trellis.plan.formulas import Applied, Cell, Constant, Valued
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Computed, Parted

At = Literal["a mark", "positions"]


class SplitItem(StepItem):
    """Take a text apart.

    Attributes
    ----------
    column : str
    at : At
    mark : str
    positions : tuple of int
        Behind how many letters it is cut.
    into : tuple of str
        The names of the columns for its parts; the last takes all the rest: nothing is lost.
    into_rows : bool
        Whether each part is a row of its own instead.
    """

    type: Literal["split"] = "split"
    column: str = ""
    at: At = "a mark"
    mark: str = "-"
    positions: tuple[Annotated[int, Field(ge=1)], ...] = ()
    into: tuple[str, ...] = ()
    into_rows: bool = False

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", column="route", mark="-", into=("from", "to")),
            before=(
                "route,riders",
                "KP-MS,98",
                "KP-BR,12",
            ),
            after=("route,riders,from,to", "KP-MS,98,KP,MS", "KP-BR,12,KP,BR"),
        )

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows with the text taken apart.

        Raises
        ------
        LinkError
            The column is no text.
        """
        if not self.column:
            return Computed(rows, names[0], ())
        if self.into_rows:
            return Parted(rows, names[0], self.column, self.mark)
        kind = rows.schema.column(self.column, names[0]).kind
        if kind is not Kind.TEXT:
            raise LinkError(
                tr(
                    "“{column}” of {names_1} is {kind}, and only a text has parts.",
                    column=self.column,
                    names_1=names[0],
                    kind=kind,
                ),
                tr("Choose a column of texts, or change its kind first."),
            )
        made = tuple((name, self._part(place)) for place, name in enumerate(self.into))
        return Computed(rows, names[0], made)

    def _part(self, place: int) -> Valued:
        text = Cell(self.column, Kind.TEXT)
        is_last = place + 1 == len(self.into)
        if self.at == "a mark":
            given = (text, Constant(self.mark, Kind.TEXT), Constant(place + 1, Kind.INTEGER))
            rest = (tr("and the rest"),) if is_last else ()
            part: Valued = Applied("SPLIT_PART", given, Kind.TEXT, rest)
        else:
            ends = [0, *sorted(set(self.positions))]
            if place >= len(ends):  # more columns than parts: nothing is there twice
                return Constant(None, Kind.TEXT)
            start = ends[place]
            # SQL counts letters from one; positions say after how many letters to cut.
            given_at: list[Valued] = [text, Constant(start + 1, Kind.INTEGER)]
            if place + 1 < len(ends) and not is_last:
                given_at.append(Constant(ends[place + 1] - start, Kind.INTEGER))
            part = Applied("SUBSTRING", tuple(given_at), Kind.TEXT)
        # A part that is not there is a blank and no empty text, as in a table that never had the
        # column.
        return Applied("NULLIF", (part, Constant("", Kind.TEXT)), Kind.TEXT)

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return tr("split {column}", column=self.column)

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its column renamed."""
        return self.but(column=change(self.column))

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what is split, where, and into what."""
        if not self.column:
            return tr("Splits no column yet.")
        places = listed([str(one) for one in self.positions])
        at = (
            f"“{self.mark}”"
            if self.at == "a mark" or self.into_rows
            else tr("positions {places}", places=places)
        )
        into = tr("rows") if self.into_rows else listed(self.into) or tr("no column yet")
        return tr("Splits {column} at {at} into {into}.", column=self.column, at=at, into=into)
