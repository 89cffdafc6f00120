"""The step that puts columns below one another: names in one column, values in others."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Literal, Self

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.document.items.item import Lanes, Named, StepExample, StepItem
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Computed, Unpivoted

Chosen = Literal["these", "all but", "called like"]

_TOLD = 3


class UnpivotItem(StepItem):
    """Make rows of columns.

    Attributes
    ----------
    chosen : Chosen
        Whether the columns are named, or all but those, or called by a pattern; of the last two,
        a column that comes later becomes rows as well.
    columns : tuple of str
    pattern : str
        What the columns are called, with * for any letters.
    name : str
        The column for their names.
    value : str
        The column for their values; where names are cut, their last parts name these columns.
    mark : str
        Where names are cut, the last time that it stands in them; empty for nowhere.
    blanks : bool
        Whether rows without any value go on.
    """

    type: Literal["unpivot"] = "unpivot"
    chosen: Chosen = "these"
    columns: tuple[str, ...] = ()
    pattern: str = ""
    name: str = "name"
    value: str = "value"
    mark: str = ""
    blanks: bool = True

    @property
    def title(self) -> str:
        """What stands above it on the map."""
        return tr("Columns to rows")

    @property
    def within(self) -> str:
        """What it is called within a sentence."""
        return tr("columns to rows")

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return tr("{name}, {value} in rows", name=self.name, value=self.value)

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", chosen="all but", columns=("port",), name="month", value="riders"),
            before=("port,jan,feb", "Brae,98,12", "Voe,7,"),
            after=("port,month,riders", "Brae,jan,98", "Voe,jan,7", "Brae,feb,12", "Voe,feb,"),
        )

    def of(self, available: Sequence[str]) -> list[str]:
        """Return which of the columns become rows."""
        match self.chosen:
            case "these":
                return list(dict.fromkeys(self.columns))
            case "all but":
                return [name for name in available if name not in self.columns]
        like = re.compile(".*".join(map(re.escape, self.pattern.split("*"))), re.DOTALL)
        return [name for name in available if like.fullmatch(name)]

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows of each column, one column below the other.

        Raises
        ------
        UnknownColumnError
            A column that is named is not there.
        LinkError
            None is called so, a name cannot be cut, or a new column would be called as another.
        """
        where, available = names[0], rows.schema.names
        for name in self.columns:
            rows.schema.column(name, where)
        chosen = self.of(available)
        if not (self.pattern if self.chosen == "called like" else self.columns):
            return Computed(rows, where, ())  # nothing is chosen yet
        if not chosen:
            raise LinkError(
                tr("No column of {where} is left to become rows.", where=where),
                tr("Choose other columns, or another pattern."),
            )
        kept = tuple(name for name in available if name not in chosen)
        parts, values = self._parts(chosen, where)
        made = [self.name, *values]
        twice = next((n for n in made if n in kept or made.count(n) > 1 or not n), None)
        if twice is not None:
            raise LinkError(
                tr("Two columns of {where} would be called “{name}”.", where=where, name=twice),
                tr("Give the names or the values of the columns another name."),
            )
        return Unpivoted(rows, where, kept, parts, self.name, values, self.blanks)

    def _parts(
        self, chosen: Sequence[str], where: str
    ) -> tuple[tuple[tuple[str, tuple[str, ...]], ...], tuple[str, ...]]:
        """Return for each name in the rows its columns, and what their values are called."""
        if not self.mark:
            return tuple((name, (name,)) for name in chosen), (self.value,)
        held: dict[str, dict[str, str]] = {}
        values: dict[str, None] = {}
        for name in chosen:
            head, mark, tail = name.rpartition(self.mark)
            if not mark or not head or not tail:
                raise LinkError(
                    tr(
                        "“{name}” of {where} cannot be cut at “{mark}”.",
                        name=name,
                        where=where,
                        mark=self.mark,
                    ),
                    tr("Choose other columns, another mark, or do not cut their names."),
                )
            held.setdefault(head, {})[tail] = name
            values[tail] = None
        parts = tuple(
            (head, tuple(own.get(one, "") for one in values)) for head, own in held.items()
        )
        return parts, tuple(values)

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        return self.but(columns=tuple(map(change, self.columns)))

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return which columns become rows, and what is left out."""
        if not (self.pattern if self.chosen == "called like" else self.columns):
            return tr("Makes rows of no column yet.")
        few = [*self.columns[:_TOLD]]
        more = len(self.columns) - len(few)
        of = listed([*few, tr("{more:,} more", more=more)] if more else few)
        if self.chosen == "called like":
            of = tr("the columns called like {pattern}", pattern=self.pattern)
        elif self.chosen == "all but":
            of = tr("all columns but {columns}", columns=of)
        made = tr("parts of their names") if self.mark else self.value
        says = tr("Makes rows of {of}: {name} and {value}", of=of, name=self.name, value=made)
        return f"{says}." if self.blanks else tr("{says}, without blanks.", says=says)
