"""The nodes that steps lower to beside `Kept` and `Summarised`: columns worked out, rows chosen."""

from __future__ import annotations

from abc import abstractmethod
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal, get_args

from keen_trellis.base.errors import LinkError, known
from keen_trellis.base.language import tr
from keen_trellis.data import Kind
from keen_trellis.plan.blends import Summarised
from keen_trellis.plan.expressions import Joint, Tested
from keen_trellis.plan.figures import Figure, require_names
from keen_trellis.plan.formulas import Applied, Cell, Constant, Valued
from keen_trellis.plan.link import OrderField
from keen_trellis.plan.nodes import Kept, Node, Stacked
from keen_trellis.plan.outcome import free_name
from keen_trellis.plan.schema import Schema, SchemaColumn

Sort = Literal["first", "last", "repeated", "alone"]
"""Which rows of equal ones go on: the first, the last, all that have others, those alone."""

SORTS: tuple[Sort, ...] = get_args(Sort)


@dataclass(frozen=True, eq=False)  # no slots: schema and digest are kept once worked out
class OnRows(Node):
    """A node over the rows of one other.

    Attributes
    ----------
    rows : Node
    where : str
        What the rows are called in sentences; it changes nothing that comes out.
    """

    rows: Node
    where: str

    def inputs(self) -> tuple[Node, ...]:
        """Return the one input."""
        return (self.rows,)

    @cached_property
    def schema(self) -> Schema:
        """The columns of its input."""
        return self.rows.schema

    def settings(self) -> tuple[str, ...]:
        """Return all settings but what the rows are called."""
        return tuple(one for one in super().settings() if not one.startswith("where="))

    def columns_known(self, names: tuple[str, ...]) -> None:
        """Refuse names of columns that are not there; `UnknownColumnError`."""
        for name in names:
            self.rows.schema.column(name, self.where)


@dataclass(frozen=True, eq=False)
class Computed(OnRows):
    """Columns worked out from the others, all at once: in place of one of that name, or behind.

    Attributes
    ----------
    columns : tuple of (name, Valued)
    """

    columns: tuple[tuple[str, Valued], ...]

    @cached_property
    def schema(self) -> Schema:
        """The columns before, those worked out in their new kind, and the new ones."""
        before = self.rows.schema
        require_names([name for name, _ in self.columns])
        made = dict(self.columns)
        for formula in made.values():
            formula.check(before, self.where)
        found = [
            SchemaColumn(c.name, made[c.name].kind, c.origin, c.gaps) if c.name in made else c
            for c in before
        ]
        first = next(iter(before), None)
        origin = first.origin if first else ""
        known_names = set(before.names)
        found += [
            SchemaColumn(name, formula.kind, origin)
            for name, formula in self.columns
            if name not in known_names
        ]
        return Schema(tuple(found))


@dataclass(frozen=True, eq=False)
class Picked(OnRows):
    """Some of the columns, in an order and under names of their own (SELECT in SQL).

    Attributes
    ----------
    columns : tuple of (name before, name after)
    """

    columns: tuple[tuple[str, str], ...]

    @cached_property
    def schema(self) -> Schema:
        """The columns chosen.

        Raises
        ------
        LinkError
            Two columns would be called the same.
        """
        for _, name in self.columns:
            if [new for _, new in self.columns].count(name) > 1:
                raise LinkError(
                    tr(
                        "Two columns of {where} would be called “{name}”.",
                        where=self.where,
                        name=name,
                    ),
                    tr("Give one of them another name."),
                )
        before = self.rows.schema
        return Schema(
            tuple(replace(before.column(old, self.where), name=new) for old, new in self.columns)
        )


class SpelledOut(OnRows):
    """A step that other nodes say: it is worked out as they are, and written as they are."""

    @cached_property
    @abstractmethod
    def spelled_out(self) -> Node:
        """The nodes that do the same, above `rows`."""

    @cached_property
    def schema(self) -> Schema:
        """The columns that these nodes give."""
        return self.spelled_out.schema


@dataclass(frozen=True, eq=False)
class Unpivoted(SpelledOut):
    """Columns below one another: rows for the values of each (UNPIVOT in SQL).

    All rows of the first part come first, then those of the second: what it does is said by other
    nodes, and so the same wherever they are worked out.

    Attributes
    ----------
    kept : tuple of str
        The columns that every part has.
    parts : tuple of (label, columns)
        For each label the columns of its values, as many as `values`; empty where it has none.
    name : str
        The column of the labels.
    values : tuple of str
        The columns of the values.
    blanks : bool
        Whether rows without any value go on.
    """

    kept: tuple[str, ...]
    parts: tuple[tuple[str, tuple[str, ...]], ...]
    name: str
    values: tuple[str, ...]
    blanks: bool = True

    @cached_property
    def spelled_out(self) -> Node:
        """The nodes that do the same."""
        before = self.rows.schema
        kinds = [
            # a part without such a column has blanks of the kind that the others have
            next(before.column(own[at], self.where).kind for _, own in self.parts if own[at])
            for at in range(len(self.values))
        ]
        order = tuple((one, one) for one in (*self.kept, self.name, *self.values))
        made: list[Node] = []
        for label, columns in self.parts:
            taken = [(old, new) for old, new in zip(columns, self.values, strict=True) if old]
            own = Picked(self.rows, self.where, (*((one, one) for one in self.kept), *taken))
            missing = [
                (new, Constant(None, kind))
                for old, new, kind in zip(columns, self.values, kinds, strict=True)
                if not old
            ]
            labelled = ((self.name, Constant(label, Kind.TEXT)), *missing)
            made.append(Picked(Computed(own, self.where, labelled), self.where, order))
        labels = tuple(label for label, _ in self.parts)
        nothing: tuple[tuple[tuple[str, str], ...], ...] = ((),) * len(made)
        below = made[0] if len(made) == 1 else Stacked(tuple(made), labels, nothing)
        if self.blanks:
            return below
        there = tuple(Tested(value, "is not blank") for value in self.values)
        return Kept(below, there[0] if len(there) == 1 else Joint("any", there))


@dataclass(frozen=True, eq=False)
class Pivoted(SpelledOut):
    """One row for each group, with a figure in a column for each of some values (PIVOT in SQL).

    Attributes
    ----------
    field : str
    values : tuple of (name of the column, value)
    by : tuple of str
    figure : Figure
        Of the rows that have the value; without a column it counts them.
    rest : str
        The column of the rows that have none of the values; empty for none.
    zero : bool
        Whether zero stands where there is no value.
    """

    field: str
    values: tuple[tuple[str, Any], ...]
    by: tuple[str, ...]
    figure: Figure
    rest: str = ""
    zero: bool = False

    @property
    def is_other(self) -> Valued:
        """Whether a row has none of the values."""
        held: list[Valued] = [self._has(value) for _, value in self.values]
        cell = Cell(self.field, self.rows.schema.column(self.field, self.where).kind)
        absent = Applied("IS NULL", (cell,), Kind.BOOLEAN)
        if not held:
            return Applied("OR", (absent, Applied("NOT", (absent,), Kind.BOOLEAN)), Kind.BOOLEAN)
        any_of = held[0] if len(held) == 1 else Applied("OR", tuple(held), Kind.BOOLEAN)
        return Applied("OR", (absent, Applied("NOT", (any_of,), Kind.BOOLEAN)), Kind.BOOLEAN)

    def _has(self, value: Any) -> Applied:
        kind = self.rows.schema.column(self.field, self.where).kind
        return Applied("=", (Cell(self.field, kind), Constant(value, kind)), Kind.BOOLEAN)

    @cached_property
    def spelled_out(self) -> Node:
        """Columns of the values of each value alone, summarised by group."""
        before = self.rows.schema
        self.figure.kind(before, self.where)  # refused by the column's own name
        counts = self.figure.column is None
        taken: Valued = Constant(1, Kind.INTEGER)
        if self.figure.column is not None:
            kind = before.column(self.figure.column, self.where).kind
            taken = Cell(self.figure.column, kind)
        asked: list[tuple[str, Valued]] = [(name, self._has(value)) for name, value in self.values]
        asked += [(self.rest, self.is_other)] if self.rest else []
        own = {name: free_name(name, "value", before.names) for name, _ in asked}
        apart = tuple(
            (own[name], Applied("CASE", (holds, taken), taken.kind)) for name, holds in asked
        )
        how = "count" if counts else self.figure.how
        figures = tuple(Figure(own[name], how, name) for name, _ in asked)
        made: Node = Grouped(Computed(self.rows, self.where, apart), self.where, self.by, figures)
        if not self.zero:
            return made
        nothing = Constant(0, Kind.INTEGER)
        for name, _ in asked:
            kind = made.schema.column(name, self.where).kind
            if not kind.is_numeric:
                raise LinkError(
                    tr("“{name}” is {kind}, which has no zero.", name=name, kind=kind),
                    tr("Have a blank stand where there is no value."),
                )
        filled = tuple(
            (name, Applied("COALESCE", (Cell(name, kind), nothing), kind))
            for name, _ in asked
            for kind in (made.schema.column(name, self.where).kind,)
        )
        return Computed(made, self.where, filled)


@dataclass(frozen=True, eq=False)
class Grouped(OnRows):
    """One row for each group of equal values, as `Summarised` makes them, by a step.

    Attributes
    ----------
    by : tuple of str
    figures : tuple of Figure
    """

    by: tuple[str, ...]
    figures: tuple[Figure, ...]

    @cached_property
    def summary(self) -> Summarised:
        """The node that gives the rows."""
        return Summarised(self.rows, self.by, self.figures, self.where)

    @cached_property
    def schema(self) -> Schema:
        """The columns of the groups and the figures."""
        return self.summary.schema


@dataclass(frozen=True, eq=False)
class Ordered(OnRows):
    """The rows in another order; equal ones as they stood, blanks last."""

    by: tuple[OrderField, ...]

    @cached_property
    def schema(self) -> Schema:
        """The columns of its input, which must have those that it orders by."""
        self.columns_known(tuple(one.field for one in self.by))
        return self.rows.schema


@dataclass(frozen=True, eq=False)
class Counted(OnRows):
    """The first or last rows, of all or of each group of equal values.

    Attributes
    ----------
    n : int
    last : bool
    by : tuple of str
    """

    n: int
    last: bool = False
    by: tuple[str, ...] = ()

    @cached_property
    def schema(self) -> Schema:
        """The columns of its input, which must have those that make the groups."""
        self.columns_known(self.by)
        return self.rows.schema


@dataclass(frozen=True, eq=False)
class Repeated(OnRows):
    """Of rows that are equal in some columns the first, the last, all of them, or none.

    Attributes
    ----------
    by : tuple of str
        All columns where none is given.
    keep : Sort
    order : tuple of OrderField
        By which first and last are meant; as the rows stand where none is given.
    """

    by: tuple[str, ...]
    keep: Sort = "first"
    order: tuple[OrderField, ...] = ()

    def __post_init__(self) -> None:
        known(tr("Which of equal rows go on"), self.keep, SORTS)

    @cached_property
    def schema(self) -> Schema:
        """The columns of its input, which must have those that are looked at."""
        self.columns_known((*self.by, *(one.field for one in self.order)))
        return self.rows.schema


@dataclass(frozen=True, eq=False)
class Carried(OnRows):
    """Blanks or gaps of some columns filled with the value above them, or below.

    Attributes
    ----------
    columns : tuple of str
    from_above : bool
    blanks, gaps : bool
        Which of them are filled.
    """

    columns: tuple[str, ...]
    from_above: bool = True
    blanks: bool = True
    gaps: bool = True

    @cached_property
    def schema(self) -> Schema:
        """The columns of its input."""
        self.columns_known(self.columns)
        return self.rows.schema


@dataclass(frozen=True, eq=False)
class Parted(OnRows):
    """A row for each part of a text between marks; one without any stays as it is.

    Attributes
    ----------
    column : str
    mark : str
    """

    column: str
    mark: str

    @cached_property
    def schema(self) -> Schema:
        """The columns of its input; the parted one must be text.

        Raises
        ------
        LinkError
            The column is no text, or there is no mark.
        """
        if self.rows.schema.column(self.column, self.where).kind is not Kind.TEXT:
            raise LinkError(
                tr(
                    "“{column}” of {where} is no text, and only a text has parts.",
                    column=self.column,
                    where=self.where,
                ),
                tr("Choose a column of texts, or change its kind first."),
            )
        if not self.mark:
            raise LinkError(tr("There is no mark to split at."), tr("Type one, such as a comma."))
        return self.rows.schema
