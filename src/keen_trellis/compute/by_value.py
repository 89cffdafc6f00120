"""What our own code makes of distinct values, wherever they are worked out.

Each is a table's rows in, columns out, and can be sent to another process: it is pickled by its
name, and needs nothing but this package, NumPy and Arrow. Where it is `apart`, nothing of a row
depends on another one, so that any rows may be worked out without the others.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass

import numpy as np

from keen_trellis.base.errors import NotThereError
from keen_trellis.base.language import tr
from keen_trellis.compute.expression_values import truth
from keen_trellis.compute.formula.casts import AS_WRITTEN
from keen_trellis.compute.formula.evaluate import evaluated
from keen_trellis.compute.join.tidying import tidied
from keen_trellis.data import Column, Kind, Table
from keen_trellis.data.conversions.conversion import converted
from keen_trellis.data.dictionaries import ABSENT_CODE
from keen_trellis.plan.expressions import Expression, Joint
from keen_trellis.plan.formulas import Applied, Valued
from keen_trellis.plan.text_rules import TextRule


class ByValue(ABC):
    """Something that is made of the values of some columns."""

    @property
    @abstractmethod
    def apart(self) -> bool:
        """Whether what is made of a row depends on that row alone."""

    @abstractmethod
    def __call__(self, values: Table) -> list[Column]:
        """Return the columns that are made, with a cell for each row."""


@dataclass(frozen=True, slots=True)
class Evaluating(ByValue):
    """The values of formulas."""

    formulas: tuple[Valued, ...]

    @property
    def apart(self) -> bool:
        """Whether no formula reads texts as their column is written, or takes exact decimals.

        Nor one of a package that only this machine is sure to have. How many digits a column of
        exact decimals has decides how many have room in what is worked out.
        """
        # A place that works out some rows at a time would else get another answer for the same
        # row.
        return not any(map(_looks_at_columns, self.formulas))

    def __call__(self, values: Table) -> list[Column]:
        """Return a column for each formula."""
        return [evaluated(one, values).column for one in self.formulas]


@dataclass(frozen=True, slots=True)
class Holding(ByValue):
    """Whether a condition holds: true, false, or blank where nobody knows."""

    condition: Expression

    @property
    def apart(self) -> bool:
        """As for formulas; conditions without one look at a row alone."""
        return not _looks_at_columns(self.condition)

    def __call__(self, values: Table) -> list[Column]:
        """Return the one column."""
        held = truth(self.condition, values)
        found = [
            # Three answers: a condition that nobody can tell is null, as it is where the rows
            # are.
            True if yes else False if no else None
            for yes, no in zip(held.true.tolist(), held.false.tolist(), strict=True)
        ]
        return [Column.of(found, Kind.BOOLEAN)]


@dataclass(frozen=True, slots=True)
class InKind(ByValue):
    """The values of a column in a kind that holds them all.

    Raises
    ------
    NotThereError
        It does not hold one, which only the values tell.
    """

    name: str
    kind: Kind

    @property
    def apart(self) -> bool:
        """Whether one may be converted without the others: no texts are read."""
        return True

    def __call__(self, values: Table) -> list[Column]:
        """Return the one column."""
        found = converted(values.column(self.name), self.kind)
        # Refused and not left blank: a value that goes without a word is what must not be.
        if len(found.lost):
            raise NotThereError(
                tr(
                    "“{name}” has values below one another that no {kind} holds.",
                    name=self.name,
                    kind=self.kind,
                ),
                tr("Give it one kind in all lanes before they are stacked."),
            )
        return [found.column]


@dataclass(frozen=True, slots=True)
class Tidying(ByValue):
    """Texts without what text rules ignore."""

    name: str
    rules: tuple[TextRule, ...]

    @property
    def apart(self) -> bool:
        """Whether one text may be tidied without the others."""
        return True

    def __call__(self, values: Table) -> list[Column]:
        """Return the one column."""
        column = values.column(self.name)
        assert column.dictionary is not None
        made = tidied(column.dictionary, self.rules)
        places = np.append(made.place, ABSENT_CODE).astype(column.values.dtype)
        return [Column(Kind.TEXT, places[column.values], column.state, dictionary=made.texts)]


_OF_OTHER_PACKAGES = ("LIKENESS", "DAY_NAME", "MONTH_NAME")
"""Functions that need more than NumPy and Arrow, which is all that another process may have."""


def _looks_at_columns(expression: Expression) -> bool:
    """Whether a row's value depends on the column that it stands in, or on what is here alone."""
    match expression:
        case Valued():
            return any(
                one.kind is Kind.EXACT
                or (isinstance(one, Applied) and AS_WRITTEN in one.settings)
                or (isinstance(one, Applied) and one.function in _OF_OTHER_PACKAGES)
                for one in expression.every()
            )
        case Joint():
            return any(map(_looks_at_columns, expression.parts))
    return False
