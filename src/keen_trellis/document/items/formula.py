"""The step that works out columns by formulas: new ones, or in place of those of their name."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from pydantic import Field

from keen_trellis.base.language import tr
from keen_trellis.document.items.item import Lanes, Named, Part, StepExample, StepItem
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Computed


class NamedFormula(Part):
    """A column and the formula that it is worked out by."""

    name: str
    formula: str


class FormulaItem(StepItem):
    """Work out columns, all of them from the rows as they come.

    Attributes
    ----------
    columns : tuple of NamedFormula
        One without a formula yet is passed over.
    """

    type: Literal["formula"] = "formula"
    columns: tuple[NamedFormula, ...] = Field(
        default_factory=lambda: (NamedFormula(name="new", formula=""),)
    )

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", columns=(NamedFormula(name="a day", formula="riders / days"),)),
            before=(
                "route,riders,days",
                "KP-MS,98,7",
                "KP-BR,12,6",
            ),
            after=(
                "route,riders,days,a day",
                "KP-MS,98,7,14",
                "KP-BR,12,6,2",
            ),
        )

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows with the columns worked out."""
        from keen_trellis.formulas.formula_parser import (
            formula,  # loads what others need not wait for
        )

        schema = rows.schema
        made = tuple((one.name, formula(one.formula, schema, names[0])) for one in self.written)
        return Computed(rows, names[0], made)

    @property
    def written(self) -> tuple[NamedFormula, ...]:
        """The columns that have a formula."""
        return tuple(one for one in self.columns if one.formula.strip())

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return ", ".join(one.name for one in self.columns) or "formula"

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with the columns that it works with renamed."""
        from keen_trellis.formulas.formula_parser import renamed

        columns = tuple(
            NamedFormula(name=change(one.name), formula=renamed(one.formula, change))
            for one in self.columns
        )
        return self.but(columns=columns)

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return the formulas."""
        if not self.written:
            return tr("Works out no column yet.")
        return tr(
            "Works out {written}.",
            written=", ".join(f"{one.name} = {one.formula}" for one in self.written),
        )
