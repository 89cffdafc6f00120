"""The step that replaces values: whole ones, parts of them, or what is like a pattern."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.base.words import counted, listed
from keen_trellis.data import Kind
from keen_trellis.document.items.item import Lanes, Named, Part, StepExample, StepItem
from keen_trellis.document.items.values import typed
from keen_trellis.plan.formulas import Applied, Cell, Constant, Valued
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Computed

Matched = Literal["whole values", "parts", "patterns"]

PARTS_AT_MOST = 200
"""How many parts or patterns one step replaces: each is worked out inside the one before it."""


class Replacement(Part):
    """One value, part or pattern, and what stands in its place; an empty value is a blank."""

    old: str
    new: str = ""


class ReplaceItem(StepItem):
    """Replace values by a list.

    Attributes
    ----------
    columns : tuple of str
    matched : Matched
        Whether whole values are compared, or parts of texts, or regular expressions.
    replacements : tuple of Replacement
        Of whole values the first that fits counts; parts and patterns are replaced one after the
        other.
    """

    type: Literal["replace"] = "replace"
    columns: tuple[str, ...] = ()
    matched: Matched = "whole values"
    replacements: tuple[Replacement, ...] = ()

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(
                id="",
                columns=("port",),
                replacements=(Replacement(old="Kelp Pt", new="Kelp Point"),),
            ),
            before=(
                "port,riders",
                "Kelp Pt,98",
                "Brae,12",
            ),
            after=(
                "port,riders",
                "Kelp Point,98",
                "Brae,12",
            ),
        )

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows with the values replaced."""
        made = tuple((c, self._replaced(rows, c, names[0])) for c in self.columns)
        return Computed(rows, names[0], made)

    def _replaced(self, rows: Node, column: str, where: str) -> Valued:
        kind = rows.schema.column(column, where).kind
        cell = Cell(column, kind)
        if self.matched == "whole values":
            return self._cases(cell, column)
        if kind is not Kind.TEXT:
            raise LinkError(
                tr(
                    "“{column}” of {where} is {kind}; only texts have parts.",
                    column=column,
                    where=where,
                    kind=kind,
                ),
                tr("Replace whole values, or take the column out."),
            )
        if len(self.replacements) > PARTS_AT_MOST:
            raise LinkError(
                tr(
                    "{counts} of “{column}” of {where} "
                    "are to be replaced; one step replaces {parts_at_most} at most.",
                    counts=counted(len(self.replacements), self.matched[:-1]),
                    column=column,
                    where=where,
                    parts_at_most=PARTS_AT_MOST,
                ),
                tr("Move the rest of the list to a second step."),
            )
        name = "REPLACE" if self.matched == "parts" else "REGEXP_REPLACE"
        made: Valued = cell
        for one in self.replacements:
            if one.old:
                given = (made, Constant(one.old, kind), Constant(one.new, kind))
                # One inside the other, so that what the first replaced is what the second looks
                # at.
                made = Applied(name, given, kind)
        return made

    def _cases(self, cell: Cell, column: str) -> Valued:
        """Return CASE cell WHEN old THEN new ... ELSE cell END."""
        kind = cell.kind
        arguments: list[Valued] = []
        for one in self.replacements:
            new = Constant(typed(one.new, kind, column) if one.new else None, kind)
            arguments += [self._is(cell, one.old, column), new]
        return Applied("CASE", (*arguments, cell), kind) if arguments else cell

    def _is(self, cell: Cell, old: str, column: str) -> Valued:
        if not old:
            return Applied("IS NULL", (cell,), Kind.BOOLEAN)
        given = Constant(typed(old, cell.kind, column), cell.kind)
        return Applied("=", (cell, given), Kind.BOOLEAN)

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return tr("replace in {columns}", columns=", ".join(self.columns))

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        return self.but(columns=tuple(map(change, self.columns)))

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what is replaced."""
        if not self.columns or not self.replacements:
            return tr("Replaces nothing yet.")
        first = self.replacements[0]
        more = len(self.replacements) - 1
        words = (
            tr("“{old}” by “{new}”", old=first.old, new=first.new)
            if first.new
            else tr("“{old}” by a blank", old=first.old)
        )
        others = tr(" and {others}", others=counted(more, "other")) if more else ""
        sort = (
            ""
            if self.matched == "whole values"
            else tr("{matched} such as ", matched=tr(self.matched))
        )
        return tr(
            "In {columns} replaces {sort}{words}{others}.",
            columns=listed(self.columns),
            sort=sort,
            words=words,
            others=others,
        )
