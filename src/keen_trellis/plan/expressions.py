"""Typed expressions with SQL's three values: true, false, and unknown where a blank is compared.

An expression is data. What it gives for rows is worked out in `compute/expressions.py`; the columns
that it names and what it asks of their kinds are known here.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from keen_trellis.base.errors import LinkError, known
from keen_trellis.base.language import tr
from keen_trellis.data import Kind
from keen_trellis.plan.operators import OF_TEXT, TEST_WORDS, TESTS, VALUES_OF, Test
from keen_trellis.plan.schema import Schema

Of = Literal["all", "any"]


class Expression:
    """Something that has a value for every row: here always true, false or unknown."""

    def columns(self) -> tuple[str, ...]:
        """Return the names of the columns that it looks at, each once."""
        raise NotImplementedError

    def check(self, schema: Schema, where: str) -> None:
        """Refuse what the columns do not allow.

        Raises
        ------
        UnknownColumnError
            A column is not there.
        LinkError
            A test is none for the kind of its column.
        """
        raise NotImplementedError


@dataclass(frozen=True, slots=True)
class Tested(Expression):
    """One column put to a test.

    Attributes
    ----------
    column : str
    test : Test
    values : tuple, or one value
        What is compared with: one value, several for “in”, the two ends for “between”. A blank
        (None) among them is not known to be equal to, below or above anything, as in SQL.

    Raises
    ------
    WordError
        The test is none of `TESTS`.
    LinkError
        The test takes another number of values.
    """

    column: str
    test: Test
    values: tuple[Any, ...] = ()

    def __post_init__(self) -> None:
        known(tr("The test of a filter"), self.test, TESTS)
        # A notebook's user may pass one value, a list or a set; a text is iterable as well and is
        # still one value.
        if not isinstance(self.values, tuple | list | set | frozenset | range):
            object.__setattr__(self, "values", (self.values,))  # a text is one value, no letters
        object.__setattr__(self, "values", tuple(self.values))
        takes = VALUES_OF[self.test]
        if len(self.values) not in takes:
            words = _TAKES[takes.start] if len(takes) == 1 else tr("one value or more")
            raise LinkError(
                tr(
                    "“{column} {test}” takes {words}; {values} are given.",
                    column=self.column,
                    test=self.test,
                    words=words,
                    values=len(self.values),
                ),
                tr("Mend the filter."),
            )

    def __str__(self) -> str:
        """Say the test."""
        return " ".join([self.column, self.test, *(str(value) for value in self.values)])

    def columns(self) -> tuple[str, ...]:
        """Return the one column."""
        return (self.column,)

    def check(self, schema: Schema, where: str) -> None:
        """Refuse a column that is not there, or a test of texts on another kind."""
        kind = schema.column(self.column, where).kind
        if self.test in OF_TEXT and kind is not Kind.TEXT:
            raise LinkError(
                tr(
                    "“{column}” is {kind}; only a text {test} another.",
                    column=self.column,
                    kind=kind,
                    test=TEST_WORDS[self.test],
                ),
                tr("Compare it by another test."),
            )


@dataclass(frozen=True, slots=True)
class Joint(Expression):
    """Several expressions of which all, or any, must be true; no part asks nothing of a row."""

    of: Of
    parts: tuple[Expression, ...]

    def columns(self) -> tuple[str, ...]:
        """Return the columns of all parts, each once."""
        return tuple(dict.fromkeys(name for part in self.parts for name in part.columns()))

    def check(self, schema: Schema, where: str) -> None:
        """Refuse what any part refuses."""
        for part in self.parts:
            part.check(schema, where)


def joint(of: Of, parts: Sequence[Expression]) -> Expression:
    """Return one expression made of any number; one alone stays as it is."""
    known(tr("How conditions are put together"), of, ("all", "any"))
    return parts[0] if len(parts) == 1 else Joint(of, tuple(parts))


_TAKES = {0: tr("no value"), 1: tr("one value"), 2: tr("two values")}
