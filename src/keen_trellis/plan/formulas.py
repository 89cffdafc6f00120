"""Expressions with a value of any kind for every row: cells, constants, functions of these.

Each knows its kind before there are rows. What it gives is worked out in `compute/formula`; text
becomes such an expression, and is checked against the columns, in `formulas/`.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.data import Kind
from keen_trellis.plan.expressions import Expression
from keen_trellis.plan.schema import Schema


class Valued(Expression):
    """An expression that has a value of one kind for every row.

    Attributes
    ----------
    kind : Kind
    """

    kind: Kind

    def parts(self) -> tuple[Valued, ...]:
        """Return the expressions that it is made of."""
        return ()

    def every(self) -> Iterator[Valued]:
        """Yield the expression and all within it."""
        # The expression before what is within it: who looks for the first of a sort finds the
        # outermost.
        yield self
        for part in self.parts():
            yield from part.every()

    def columns(self) -> tuple[str, ...]:
        """Return the names of the columns that it looks at, each once."""
        return tuple(dict.fromkeys(one.column for one in self.every() if isinstance(one, Cell)))

    def check(self, schema: Schema, where: str) -> None:
        """Refuse columns that are not there, or are of another kind than they were said to be."""
        for one in self.every():
            if isinstance(one, Cell):
                kind = schema.column(one.column, where).kind
                if kind is not one.kind:
                    raise LinkError(
                        tr(
                            "“{column}” in {where} is {kind}; this takes it as {one_kind}.",
                            column=one.column,
                            where=where,
                            kind=kind,
                            one_kind=one.kind,
                        ),
                        tr("Write it for the kind that the column has."),
                    )


@dataclass(frozen=True, slots=True)
class Cell(Valued):
    """The value that a column has in the row."""

    column: str
    kind: Kind


@dataclass(frozen=True, slots=True)
class Constant(Valued):
    """One value for all rows; None is a blank."""

    value: Any
    kind: Kind


@dataclass(frozen=True, slots=True)
class Applied(Valued):
    """A function of `plan.functions` applied to the values of expressions.

    Attributes
    ----------
    function : str
        Its name in the registry.
    arguments : tuple of Valued
    kind : Kind
    settings : tuple
        Words and numbers that are no values of rows: the field of EXTRACT, the digits of DECIMAL.
    """

    function: str
    arguments: tuple[Valued, ...]
    kind: Kind
    settings: tuple[str | int, ...] = ()

    def parts(self) -> tuple[Valued, ...]:
        """Return the arguments."""
        return self.arguments
