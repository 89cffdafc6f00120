"""The step that filters: only the rows for which some conditions are true go on."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Sequence
from typing import Literal, Self

from pydantic import model_validator

from keen_trellis.base.errors import FormulaError, UserError
from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.data import Kind
from keen_trellis.document.items.item import Lanes, Named, Part, StepExample, StepItem
from keen_trellis.document.items.values import typed
from keen_trellis.plan.expressions import Expression, Of, Tested, joint
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Kept, Node
from keen_trellis.plan.operators import TEST_WORDS, Test
from keen_trellis.plan.schema import Schema


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
            # Made for its refusal: how many values a test takes is known in the plan, and said
            # there.
            Tested(self.column, self.is_, self.values)
        except UserError as error:
            raise ValueError(str(error)) from error
        return self

    def expression(self, schema: Schema, where: str) -> Expression:
        """Return the condition with its values in the kind of the column.

        A day that a date-time is compared with is the whole day.

        Raises
        ------
        UnknownColumnError
            The column is not there.
        LinkError
            A value is none of the column's kind.
        """
        kind = schema.column(self.column, where).kind
        values = [typed(v, self._meant(v, kind), self.column) for v in self.values]
        days = [one for one in values if not isinstance(one, dt.datetime)]
        if self.is_ != "in" or kind is not Kind.DATE_TIME or len(days) in (0, len(values)):
            return Tested(self.column, self.is_, tuple(values))
        # A list of days and moments is two questions, of which either may be true: a day is met
        # by all its moments, a moment by itself.
        moments = [one for one in values if isinstance(one, dt.datetime)]
        return joint("any", [Tested(self.column, "in", tuple(one)) for one in (days, moments)])

    @staticmethod
    def _meant(value: str, kind: Kind) -> Kind:
        """Return the kind of a value that is typed for a column: a day is none of its moments."""
        return Kind.DATE if kind is Kind.DATE_TIME and ":" not in value else kind

    def __str__(self) -> str:
        """Say the condition in words."""
        values = listed([f"“{value}”" for value in self.values])
        return f"{self.column} {TEST_WORDS[self.is_]} {values}".strip()


class FilterItem(StepItem):
    """Keep the rows for which all, or any, of some conditions are true.

    Attributes
    ----------
    conditions : tuple of ConditionItem
        None keep every row.
    of : "all" or "any"
    formula : str
        One more condition, as a formula that gives true or false; none where it is empty.
    """

    type: Literal["filter"] = "filter"
    conditions: tuple[ConditionItem, ...] = ()
    of: Of = "all"
    formula: str = ""

    def expression(self, schema: Schema, where: str = tr("the lane")) -> Expression:
        """Return what must be true of a row."""
        parts: list[Expression] = [c.expression(schema, where) for c in self.conditions]
        if self.formula.strip():
            parts.append(self._formula(schema, where))
        return joint(self.of, parts)

    def _formula(self, schema: Schema, where: str) -> Expression:
        from keen_trellis.formulas.formula_parser import (
            formula,  # loads what others need not wait for
        )

        made = formula(self.formula, schema, where)
        if made.kind is not Kind.BOOLEAN:
            raise FormulaError(
                tr("The formula gives {kind}, and a filter wants true or false.", kind=made.kind),
                tr("Compare it with something."),
                (0, len(self.formula)),
            )
        return made

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", conditions=(ConditionItem(column="riders", is_=">", values=("20",)),)),
            before=(
                "route,riders",
                "KP-MS,98",
                "KP-BR,12",
                "MS-GH,",
            ),
            after=(
                "route,riders",
                "KP-MS,98",
            ),
        )

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows for which the conditions are true."""
        return Kept(rows, self.expression(rows.schema, names[0]))

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return self.words() or tr("every row")

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        conditions = tuple(c.but(column=change(c.column)) for c in self.conditions)
        if not self.formula:
            return self.but(conditions=conditions)
        from keen_trellis.formulas.formula_parser import renamed

        return self.but(conditions=conditions, formula=renamed(self.formula, change))

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return which rows go on."""
        return (
            tr("Keeps the rows where {words}.", words=self.words())
            if self.words()
            else tr("Keeps every row.")
        )

    def words(self) -> str:
        """Return the conditions, joined as they are meant."""
        joiner = " and " if self.of == "all" else " or "
        said = [str(condition) for condition in self.conditions]
        return joiner.join([*said, self.formula.strip()] if self.formula.strip() else said)
