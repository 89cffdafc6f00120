"""The step that filters: only the rows for which some conditions are true go on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Literal, Self

from pydantic import model_validator

from keen_trellis.data import Kind
from keen_trellis.document.items.base import Item, Part
from keen_trellis.errors import LinkError, UserError
from keen_trellis.plan.expressions import Expression, Of, Tested, joint
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Kept, Node
from keen_trellis.plan.operators import TEST_WORDS, Test
from keen_trellis.plan.schema import Schema
from keen_trellis.words import listed

if TYPE_CHECKING:
    from keen_trellis.document.trellis import Lane, Trellis


class ConditionItem(Part):
    """One condition on a column.

    Attributes
    ----------
    column : str
    is_ : Test
    values : tuple of str
        What it is compared with, written as the column shows its values.
    """

    column: str
    is_: Test = "="
    values: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _says_one_thing(self) -> Self:
        try:
            Tested(self.column, self.is_, self.values)
        except UserError as error:
            raise ValueError(str(error)) from error
        return self

    def expression(self, schema: Schema, where: str) -> Tested:
        """Return the condition with its values in the kind of the column.

        Raises
        ------
        UnknownColumnError
            The column is not there.
        LinkError
            A value is none of the column's kind.
        """
        kind = schema.column(self.column, where).kind
        return Tested(self.column, self.is_, tuple(_typed(v, kind, self) for v in self.values))

    def __str__(self) -> str:
        """Say the condition in words."""
        values = listed([f"“{value}”" for value in self.values])
        return f"{self.column} {TEST_WORDS[self.is_]} {values}".strip()


class FilterItem(Item):
    """Keep the rows for which all, or any, of some conditions are true.

    Attributes
    ----------
    conditions : tuple of ConditionItem
        None keep every row.
    of : "all" or "any"
    """

    type: Literal["filter"] = "filter"
    conditions: tuple[ConditionItem, ...] = ()
    of: Of = "all"

    word: ClassVar[str] = "step"

    def expression(self, schema: Schema, where: str = "the lane") -> Expression:
        """Return what must be true of a row."""
        return joint(self.of, [c.expression(schema, where) for c in self.conditions])

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows for which the conditions are true."""
        return Kept(rows, self.expression(rows.schema, names[0]))

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        conditions = tuple(
            ConditionItem(**{**dict(c), "column": change(c.column)}) for c in self.conditions
        )
        return type(self)(**{**dict(self), "conditions": conditions})

    def sentence(self, trellis: Trellis, lane: Lane) -> str:
        """Return which rows go on."""
        return f"Keeps the rows where {self.words()}." if self.conditions else "Keeps every row."

    def words(self) -> str:
        """Return the conditions, joined as they are meant."""
        joiner = " and " if self.of == "all" else " or "
        return joiner.join(str(condition) for condition in self.conditions)


_INFINITE = ("inf", "-inf")  # as a column of numbers shows them


def _typed(text: str, kind: Kind, condition: ConditionItem) -> Any:
    if kind is Kind.TEXT:
        return text
    if kind is Kind.NUMBER and text in _INFINITE:  # no text of a source is taken for it
        return float(text)
    from keen_trellis.data import Column
    from keen_trellis.data.conversion import converted

    made = converted(Column.of([text], Kind.TEXT), kind)
    if len(made.lost):
        raise LinkError(
            f"“{text}” is no {kind}, as “{condition.column}” is.", "Mend the condition."
        )
    return made.column.to_list()[0]
