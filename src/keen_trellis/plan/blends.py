"""The nodes of a blend: every lane summarised to the link, then joined; what a filter reaches."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.words import listed
from keen_trellis.plan.figures import Figure, require_names
from keen_trellis.plan.nodes import Node, Outcome
from keen_trellis.plan.schema import Schema, SchemaColumn


@dataclass(frozen=True, eq=False)  # no slots: schema and digest are kept once worked out
class Summarised(Node):
    """One row for each group of equal values (GROUP BY in SQL); blanks are a group.

    Attributes
    ----------
    rows : Node
    by : tuple of str
    figures : tuple of Figure
    where : str
        What the rows are called in what is refused.
    """

    rows: Node
    by: tuple[str, ...]
    figures: tuple[Figure, ...]
    where: str = tr("the lane")

    def inputs(self) -> tuple[Node, ...]:
        """Return the one input."""
        return (self.rows,)

    @cached_property
    def schema(self) -> Schema:
        """The columns grouped by, then the figures, each from the lane of its column."""
        before = self.rows.schema
        require_names([*self.by, *(figure.title for figure in self.figures)])
        columns = [before.column(name, self.where) for name in self.by]
        first = next(iter(before), None)
        # The number of rows is of no column: it is given the lane of the first.
        usual = first.origin if first else ""
        for figure in self.figures:
            kind = figure.kind(before, self.where)
            origin = before.column(figure.column).origin if figure.column else usual
            columns.append(SchemaColumn(figure.title, kind, origin))
        return Schema(tuple(columns))

    def settings(self) -> tuple[str, ...]:
        """Return what the rows are grouped by, and the figures."""
        return repr(self.by), repr(self.figures)


@dataclass(frozen=True, slots=True)
class Reach:
    """Which lanes a filter reaches before a blend is made, and which it leaves whole."""

    filter: str
    reaches: tuple[str, ...]
    leaves_whole: tuple[str, ...]

    @property
    def words(self) -> str:
        """What is reached, and what stays whole."""
        reached = (
            tr("reaches {reaches}", reaches=listed(self.reaches))
            if self.reaches
            else tr("reaches no source")
        )
        whole = (
            tr_n(
                len(self.leaves_whole),
                "; {lanes} stays whole",
                "; {lanes} stay whole",
                lanes=listed(self.leaves_whole),
            )
            if self.leaves_whole
            else ""
        )
        return f"{reached}{whole}"

    def sentence(self) -> str:
        """Return the filter and its reach."""
        return f"{self.filter}: {self.words}."


@dataclass(frozen=True, eq=False)
class Blended(Node):
    """Lanes of different grain brought together: what goes on is the last of the outcomes.

    Attributes
    ----------
    parts : tuple of Node
        The rows of every lane, filtered, before they are summarised.
    outcomes : tuple of Outcome
        How each lane after the first meets those before it.
    names : tuple of str
    figures : tuple of tuple of Figure
        Of each lane; none for a first lane that keeps its rows.
    reaches : tuple of Reach
    """

    parts: tuple[Node, ...]
    outcomes: tuple[Outcome, ...]
    names: tuple[str, ...]
    figures: tuple[tuple[Figure, ...], ...]
    reaches: tuple[Reach, ...] = ()

    def inputs(self) -> tuple[Node, ...]:
        """Return the parts, and the pairs and sides of every meeting."""
        met = (node for one in self.outcomes for node in one.inputs())
        return (*self.parts, *met)

    @cached_property
    def schema(self) -> Schema:
        """The columns of the last outcome."""
        return self.outcomes[-1].schema

    def settings(self) -> tuple[str, ...]:
        """Return all that is shown of it: what is kept, the names, the figures, the reach."""
        outcomes = [setting for one in self.outcomes for setting in one.settings()]
        return (*outcomes, repr(self.names), repr(self.figures), repr(self.reaches))
