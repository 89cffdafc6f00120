"""The step that makes columns of the values of a field, with a figure in each."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.base.words import counted, listed
from keen_trellis.document.items.item import Lanes, Named, StepExample, StepItem
from keen_trellis.document.items.values import typed
from keen_trellis.plan.figures import Figure, How
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Computed, Pivoted


class PivotItem(StepItem):
    """Make a column of each of some values of a field.

    Attributes
    ----------
    field : str
    values : tuple of str
        The values, as the field shows them: the columns are known before any row is read.
    by : tuple of str
        The columns whose equal values make a row; one row for all where none is given.
    how : How
    column : str or None
        What the figure in each column is made of; None counts rows.
    rest : str
        The column for all other values of the field; empty for none.
    zero : bool
        Whether zero stands where there is no value, and not a blank.
    """

    type: Literal["pivot"] = "pivot"
    field: str = ""
    values: tuple[str, ...] = ()
    by: tuple[str, ...] = ()
    how: How = "count"
    column: str | None = None
    rest: str = ""
    zero: bool = False

    @property
    def title(self) -> str:
        """What stands above it on the map."""
        return tr("Rows to columns")

    @property
    def within(self) -> str:
        """What it is called within a sentence."""
        return tr("rows to columns")

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return tr("columns of {field}", field=self.field)

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(
                id="",
                field="month",
                values=("jan", "feb"),
                by=("port",),
                how="sum",
                column="riders",
            ),
            before=("port,month,riders", "Brae,jan,98", "Voe,jan,7", "Brae,feb,12", "Brae,jan,1"),
            after=("port,jan,feb", "Brae,99,12", "Voe,7,"),
        )

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return a row for each group, with a figure for each value.

        Raises
        ------
        UnknownColumnError
            A column is not there.
        LinkError
            A value is none of the field's kind, there is no such figure, or two columns would be
            called the same.
        """
        where = names[0]
        if not self.field:
            return Computed(rows, where, ())
        kind = rows.schema.column(self.field, where).kind
        values = tuple(dict.fromkeys(self.values))
        made = [*self.by, *values, *([self.rest] if self.rest else [])]
        twice = next((name for name in made if made.count(name) > 1 or not name), None)
        if twice is not None:
            raise LinkError(
                tr("Two columns of {where} would be called “{name}”.", where=where, name=twice),
                tr("Take the value out, or replace it by another before."),
            )
        meant = {value: typed(value, kind, self.field) for value in values}
        for value, one in meant.items():
            same = next(other for other, two in meant.items() if one == two)
            if same != value:
                raise LinkError(
                    tr("“{value}” is the same value as “{same}”.", value=value, same=same),
                    tr("Take one of them out."),
                )
        return Pivoted(
            rows,
            where,
            self.field,
            tuple(meant.items()),
            self.by,
            Figure(self.column, self.how),
            self.rest,
            self.zero,
        )

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        column = change(self.column) if self.column else None
        by = tuple(map(change, self.by))
        return self.but(field=change(self.field), by=by, column=column)

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what becomes columns, and what stands in them."""
        if not self.field:
            return tr("Makes columns of no field yet.")
        figure = tr("the number of rows")
        if self.column:
            figure = tr("{how} of {name}", how=tr(self.how), name=self.column)
        says = tr(
            "Makes {columns} of {field} with {figure}",
            columns=counted(len(self.values), "column"),
            field=self.field,
            figure=figure,
        )
        if self.by:
            says += tr(", a row for each {by}", by=listed(self.by))
        if self.rest:
            says += tr(", all others in {rest}", rest=self.rest)
        return f"{says}."
