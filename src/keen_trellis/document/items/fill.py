"""The step that fills blanks and gaps: with a value, zero, another column, or what stands near."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.data import Kind
from keen_trellis.data.kinds import widest
from keen_trellis.document.items.item import Lanes, Named, StepExample, StepItem
from keen_trellis.document.items.values import typed
from keen_trellis.plan.formulas import Applied, Cell, Constant, Valued
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Carried, Computed

Empty = Literal["blanks and gaps", "blanks", "gaps"]
With = Literal["a value", "zero", "another column", "the value above", "the value below"]


class FillItem(StepItem):
    """Fill what is empty in some columns.

    Attributes
    ----------
    columns : tuple of str
    empty : Empty
        Whether blanks of the source are filled, gaps of a tie, or both.
    with_ : With
    value : str
        The value, or the name of the other column.
    """

    type: Literal["fill"] = "fill"
    columns: tuple[str, ...] = ()
    empty: Empty = "blanks and gaps"
    with_: With = "a value"
    value: str = ""

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", columns=("port",), with_="the value above"),
            before=(
                "port,riders",
                "Brae,98",
                ",12",
                "Voe,7",
            ),
            after=(
                "port,riders",
                "Brae,98",
                "Brae,12",
                "Voe,7",
            ),
        )

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows with what was empty filled."""
        where = names[0]
        if self.with_ in ("the value above", "the value below"):
            return Carried(
                rows,
                where,
                self.columns,
                from_above=self.with_ == "the value above",
                blanks=self.empty != "gaps",
                gaps=self.empty != "blanks",
            )
        made = tuple((name, self._filled(rows, name, where)) for name in self.columns)
        return Computed(rows, where, made)

    def _filled(self, rows: Node, name: str, where: str) -> Valued:
        kind = rows.schema.column(name, where).kind
        cell = Cell(name, kind)
        if self.with_ == "a value" and not self.value:
            return cell  # nothing is typed yet
        instead = self._instead(rows, cell, where)
        # A number column filled from exact decimals becomes what holds both, as the schema says
        # before any row is filled.
        kind = widest([kind, instead.kind])
        if self.empty == "blanks and gaps":
            return Applied("COALESCE", (cell, instead), kind)
        is_gap = Applied("IS GAP", (cell,), Kind.BOOLEAN)
        if self.empty == "gaps":
            return Applied("CASE", (is_gap, instead, cell), kind)
        # IS NULL is true of gaps as well; a blank is what is null and no gap.
        is_null = Applied("IS NULL", (cell,), Kind.BOOLEAN)
        is_blank = Applied("AND", (is_null, Applied("NOT", (is_gap,), Kind.BOOLEAN)), Kind.BOOLEAN)
        return Applied("CASE", (is_blank, instead, cell), kind)

    def _instead(self, rows: Node, cell: Cell, where: str) -> Valued:
        if self.with_ == "another column":
            other = Cell(self.value, rows.schema.column(self.value, where).kind)
            try:
                widest([cell.kind, other.kind])
            except ValueError as error:
                raise LinkError(
                    tr(
                        "“{column}” is {kind} and “{other_column}” {other_kind}: one cannot "
                        "stand for the other.",
                        column=cell.column,
                        kind=cell.kind,
                        other_column=other.column,
                        other_kind=other.kind,
                    ),
                    tr("Choose a column of its kind."),
                ) from error
            return other
        if self.with_ == "zero":
            if not cell.kind.is_numeric:
                raise LinkError(
                    tr(
                        "“{column}” of {where} is {kind}, which has no zero.",
                        column=cell.column,
                        where=where,
                        kind=cell.kind,
                    ),
                    tr("Choose columns of numbers, or fill with a value."),
                )
            return Constant(0, Kind.INTEGER)
        return Constant(typed(self.value, cell.kind, cell.column), cell.kind)

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return tr("fill {columns}", columns=", ".join(self.columns))

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        fields: dict[str, object] = {"columns": tuple(map(change, self.columns))}
        if self.with_ == "another column":
            fields["value"] = change(self.value)
        return self.but(**fields)

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what is filled, and with what."""
        if not self.columns:
            return tr("Fills no column yet.")
        with_ = {"a value": f"“{self.value}”", "another column": self.value}.get(
            self.with_, tr(self.with_)
        )
        return tr(
            "Fills {empty} of {columns} with {with_}.",
            empty=tr(self.empty),
            columns=listed(self.columns),
            with_=with_,
        )
