"""The node of a column worked out across the rows of a group (a window function in SQL)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal, get_args

from keen_trellis.base.errors import LinkError, known
from keen_trellis.base.language import tr
from keen_trellis.data import Kind
from keen_trellis.plan.link import OrderField
from keen_trellis.plan.schema import Schema, SchemaColumn
from keen_trellis.plan.steps import OnRows

What = Literal[
    "row number",
    "rank",
    "running sum",
    "share",
    "running share",
    "value before",
    "value after",
    "difference",
    "growth",
    "moving average",
]
WHATS: tuple[What, ...] = get_args(What)
OF_ROWS: tuple[What, ...] = ("row number", "rank")
"""What needs no column."""
OF_ANY_KIND: tuple[What, ...] = ("value before", "value after")
OF_SEVERAL: tuple[What, ...] = (*OF_ANY_KIND, "difference", "growth", "moving average")
"""What looks a number of rows away."""
ROWS_AT_MOST = 1_000
"""How many rows a moving average may be of."""


@dataclass(frozen=True, eq=False)
class Across(OnRows):
    """A column more, worked out from the rows of the same group in an order.

    Attributes
    ----------
    name : str
    what : What
        The running sum and both shares take blanks for nothing; a rank is one more than the rows
        before it, so that equal ones have the same; a share is that of the group's sum.
    column : str
        Empty for what needs none.
    by : tuple of str
        The columns whose equal values make a group; none for all rows.
    order : tuple of OrderField
        Rows that are equal in it stay as they stand.
    n : int
        How many rows away the other value is, or of how many rows a moving average is.
    """

    name: str
    what: What
    column: str = ""
    by: tuple[str, ...] = ()
    order: tuple[OrderField, ...] = ()
    n: int = 1

    @cached_property
    def schema(self) -> Schema:
        """The columns before, and the new one.

        Raises
        ------
        UnknownColumnError
            A column is not there.
        LinkError
            The name is taken, the column is no number, or a rank has no order.
        """
        known(tr("What is worked out across rows"), self.what, WHATS)
        before = self.rows.schema
        self.columns_known((*self.by, *(one.field for one in self.order)))
        if not self.name or self.name in before.names:
            raise LinkError(
                tr(
                    "Two columns of {where} would be called “{name}”.",
                    where=self.where,
                    name=self.name,
                ),
                tr("Give the new column another name."),
            )
        if self.what == "rank" and not self.order:
            raise LinkError(
                tr("A rank without an order would be 1 in every row."),
                tr("Choose by which field rows are ranked."),
            )
        first = next(iter(before), None)
        return Schema(
            (*before, SchemaColumn(self.name, self._kind(), first.origin if first else ""))
        )

    def _kind(self) -> Kind:
        if self.what in OF_ROWS:
            return Kind.INTEGER
        kind = self.rows.schema.column(self.column, self.where).kind
        if self.what in OF_ANY_KIND:
            return kind
        if not kind.is_numeric:
            raise LinkError(
                tr(
                    "There is no {how} of “{column}”, which is {kind}.",
                    how=tr(self.what),
                    column=self.column,
                    kind=kind,
                ),
                tr("Choose a column of numbers."),
            )
        if self.what == "running sum":
            return Kind.NUMBER if kind is Kind.NUMBER else Kind.EXACT
        return kind if self.what == "difference" else Kind.NUMBER
