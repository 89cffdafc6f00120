"""Nodes of a plan as named queries, each over those before it.

A column of ours is a column of a query and, where a tie or a stack can leave gaps, the name of
another one that marks them: in SQL both a blank and a gap are null. Rows have an order only where
something gives them one: a sheet by its row numbers, a step by its columns. What needs an order
that nobody has is refused.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from sqlglot import exp

from keen_trellis.base.errors import NotThereError
from keen_trellis.base.language import tr
from keen_trellis.data.kinds import Kind
from keen_trellis.plan.link import OrderField
from keen_trellis.plan.nodes import Begun, Kept, Node, Read
from keen_trellis.plan.steps import (
    Carried,
    Computed,
    Counted,
    Parted,
    Picked,
    Repeated,
)
from keen_trellis.sql import sql_values as worked
from keen_trellis.sql.dialects import Dialect, Sql
from keen_trellis.sql.relations import (
    Check,
    Held,
    MappedColumn,
    Named,
    OrderKey,
    Program,
    Relation,
    called,
    column,
    ids_of,
    join,
    select,
    star,
    table,
)

if TYPE_CHECKING:
    from keen_trellis.compute.by_value import ByValue
    from keen_trellis.data import Column, Table

_KEEPING_ORDER = (Read, Begun, Kept, Computed, Picked, Counted, Repeated, Carried, Parted)
"""Nodes whose rows stand as those before them did."""

ROW = "~row"
"""What the number of a row is called where a relation has one."""


_DEEPEST_CALL = 40
"""How many nodes are written by calls within calls."""


class _TooDeepError(Exception):
    """A node is asked for from too deep: it is to be written before those that ask."""

    def __init__(self, node: Node, in_order: bool) -> None:
        super().__init__()
        self.asked = node, in_order


WritesNode = Callable[["Writer", Any, bool], Relation]
"""Writes one sort of node: with what, the node, and whether the order of its rows is wanted."""


class Writer:
    """Writes the nodes of one plan.

    Parameters
    ----------
    dialect : Dialect
    begins : callable
        Takes a `Read`, and returns the query that its rows lie in, its columns in the order of the
        node's schema under the ids given, and whether a column `~row` numbers the rows.
    writers : mapping of the class of a node to a callable
        What writes each sort of node, as `node_writers.NODE_WRITERS` has it: given, since all of
        them write with this.
    labels : mapping of digest to (name, comment), optional
        What the queries of nodes are called.
    checks : callable, optional
        Takes a `Read`, and returns what must be nowhere so in its rows.
    """

    def __init__(
        self,
        dialect: Dialect,
        begins: Callable[[Read, Sequence[str]], tuple[Sql, bool]],
        writers: Mapping[type[Node], WritesNode],
        labels: Mapping[str, tuple[str, str]] | None = None,
        checks: Callable[[Read], Sequence[Check]] | None = None,
    ) -> None:
        self.dialect = dialect
        self.program = Program(dialect)
        self._begins = begins
        self._writers = writers
        self._labels = labels or {}
        self._checks = checks
        self._made: dict[str, Relation] = {}
        self._ordered: dict[str, Relation] = {}
        self._as_it_came: dict[str, bool] = {}
        self._named = 0
        self._depth = 0

    def rows(self, node: Node, in_order: bool = False) -> Relation:
        """Return the relation of a node's rows.

        Parameters
        ----------
        node : Node
            Any but `Join`, which gives pairs.
        in_order : bool
            Whether their order is wanted, where they have one: it may cost a sort.

        Raises
        ------
        NotThereError
            The dialect cannot say it, and nothing of ours can stand in for it.
        """
        # an order that costs nothing is always known: so the two are written once
        in_order = in_order or self._stands_as_it_came(node)
        known = self._ordered if in_order else self._made
        if node.digest in known:
            return known[node.digest]
        # What writes a node asks for those before it, by calls within calls. A plan may be deeper
        # than these can be: beyond a depth they are given up, what was asked for last is written
        # from the bottom, and then the node once more, which finds it there.
        if self._depth == _DEEPEST_CALL:
            raise _TooDeepError(node, in_order)
        if self._depth:
            return self._written(node, in_order)
        waiting = [(node, in_order)]
        while waiting:
            try:
                self._written(*waiting[-1])
                waiting.pop()
            except _TooDeepError as deeper:
                waiting.append(deeper.asked)
        return known[node.digest]

    def _stands_as_it_came(self, node: Node) -> bool:
        """Whether a node's rows stand in an order that costs nothing to know."""
        waiting = [node]
        while waiting:
            one = waiting[-1]
            unknown = [before for before in one.inputs() if before.digest not in self._as_it_came]
            if isinstance(one, _KEEPING_ORDER) and unknown:
                waiting += unknown
                continue
            waiting.pop()
            self._as_it_came[one.digest] = isinstance(one, _KEEPING_ORDER) and all(
                self._as_it_came[before.digest] for before in one.inputs()
            )
        return self._as_it_came[node.digest]

    def _written(self, node: Node, in_order: bool) -> Relation:
        self._depth += 1
        try:
            if isinstance(node, Read):
                made = self._read(node)
            else:
                made = self._writers[type(node)](self, node, in_order)
        finally:
            self._depth -= 1
        known = self._ordered if in_order else self._made
        known[node.digest] = made
        return made

    # what is written

    def fresh(self, word: str) -> str:
        """Return the name of a column of our own, which no other has in the whole program."""
        self._named += 1
        return f"~{word} {self._named}"

    def add(
        self,
        node: Node | None,
        query: Sql,
        uses: Sequence[str],
        wanted: str = "step",
        checks: Sequence[Check] = (),
    ) -> str:
        """Add a query to the program, called as its node is; return its name."""
        label, comment = self._labels.get(node.digest, (wanted, "")) if node else (wanted, "")
        name = self.program.free_name(label)
        self.program.add(Named(name, query, tuple(dict.fromkeys(uses)), comment, tuple(checks)))
        return name

    def label(self, node: Node, otherwise: str = "step") -> str:
        """Return what a node is called."""
        return self._labels.get(node.digest, (otherwise, ""))[0]

    def columns_of(self, node: Node, gaps: Mapping[str, str] | None = None) -> tuple[Held, ...]:
        """Return the columns of a node under ids of their own, with the marks of their gaps."""
        names = node.schema.names
        marks = gaps or {}
        return tuple(
            Held(c.name, c.kind, one, marks.get(c.name, ""), c.seen)
            for c, one in zip(node.schema, ids_of(names, self.dialect), strict=True)
        )

    # rows as they come, and those that a condition keeps

    def _read(self, node: Read) -> Relation:
        columns = self.columns_of(node)
        query, has_rows = self._begins(node, [held.id for held in columns])
        checks = self._checks(node) if self._checks is not None else ()
        name = self.add(node, query, (), "lane", checks)
        order = (OrderKey(ROW),) if has_rows else ()
        return Relation(name, columns, order, has_rows)

    def with_worked_out(
        self,
        rows: Relation,
        takes: Sequence[Held],
        gives: Sequence[MappedColumn],
        work: ByValue,
        says: str,
    ) -> Relation:
        """Return a relation with columns beside it that our own code works out."""
        (made,) = self.worked_out_together(
            [(rows, takes, gives)],
            lambda tables: [work(tables[0])],
            says,
            work if work.apart else None,
        )
        return made

    def worked_out_together(
        self,
        asked: Sequence[tuple[Relation, Sequence[Held], Sequence[MappedColumn]]],
        work: Callable[[Sequence[Table]], Sequence[Sequence[Column]]],
        says: str,
        each: ByValue | None = None,
    ) -> list[Relation]:
        """Return relations each with columns beside it, which are worked out of all together."""
        names = worked.mapped(self.program, asked, work, says, each)
        made = []
        for found, (rows, takes, gives) in zip(names, asked, strict=True):
            own = [name for one in gives for name in (one.id, one.gap) if name]
            query = select([star("r"), *(column(one, "m") for one in own)], table(rows.name, "r"))
            join(query, table(found, "m"), worked.meets("r", "m", takes, self.dialect), "LEFT")
            name = self.add(None, query, (rows.name, found), f"{rows.name} with {says}")
            made.append(replace(rows, name=name))
        return made

    # columns

    # rows in an order

    def order_keys(self, rows: Relation, by: Sequence[OrderField]) -> tuple[OrderKey, ...]:
        """Return the fields of an order as keys of a relation."""
        found = []
        for one in by:
            held = rows.held(one.field)
            found.append(OrderKey(held.id, one.descending, held.kind))
        return tuple(found)

    def ordering(self, keys: Sequence[OrderKey], of: str = "") -> list[Sql]:
        """Return keys as ORDER BY has them."""
        return ordering(self.dialect, keys, of)

    def all_columns(self, rows: Relation) -> tuple[OrderKey, ...]:
        """Return all columns of a relation as keys: rows equal in all of them are the same."""
        keys = [OrderKey(held.id, kind=held.kind) for held in rows.columns]
        return (*keys, *(OrderKey(mark, kind=Kind.BOOLEAN) for mark in rows.gaps))

    def require_order(self, rows: Relation, what: str) -> None:
        """Refuse what needs every row's place; `NotThereError`."""
        if not rows.is_total:
            raise NotThereError(
                tr(
                    "{what} needs the order of rows, and those of “{name}” have none in {place}.",
                    what=what,
                    name=rows.name,
                    place=self.dialect.title,
                ),
                tr("Put them in order by columns that tell all apart, or run it on this machine."),
            )

    def numbered(self, rows: Relation) -> tuple[Relation, str]:
        """Return a relation whose rows have one number each, and what that is called.

        Where the order leaves rows equal, all columns tell them apart: rows of other numbers are
        others, or the same in every column. The numbers are the order of rows only if that tells
        all apart.
        """
        # The one key of a total order tells rows apart as a number would: a sheet's row numbers.
        if len(rows.order) == 1 and rows.is_total and not rows.order[0].descending:
            return rows, rows.order[0].id
        number = self.fresh("nr")
        keys = rows.order if rows.is_total else (*rows.order, *self.all_columns(rows))
        query = select([star(), called(self.row_number((), keys), number)], table(rows.name))
        name = self.add(None, query, (rows.name,), f"{rows.name} numbered")
        made = replace(rows, name=name)
        return (replace(made, order=(OrderKey(number),)) if rows.is_total else made), number

    def row_number(self, groups: Sequence[Sql], keys: Sequence[OrderKey]) -> Sql:
        """Return the number of a row within its group; any number where nothing is to order by."""
        # A window without an order is refused by some dialects; a constant orders nothing.
        order = self.ordering(keys) or [exp.Ordered(this=exp.Literal.number(1), nulls_first=False)]
        return self.over(exp.RowNumber(), groups, order)

    @staticmethod
    def over(what: Sql, groups: Sequence[Sql], order: Sequence[Sql] = ()) -> Sql:
        """Return a figure of the rows around each row."""
        made = exp.Window(this=what, partition_by=list(groups))
        if order:
            made.set("order", exp.Order(expressions=list(order)))
        return made

    def group_values(self, rows: Relation, by: Sequence[str]) -> list[Sql]:
        """Return what rows are grouped by: the values, and whether a null of them is a gap."""
        held = [rows.held(name) for name in by]
        marks = dict.fromkeys(one.gap for one in held if one.gap)
        return [*(column(one.id) for one in held), *(column(mark) for mark in marks)]

    def by_fields(
        self, rows: Relation, by: Sequence[OrderField], backwards: bool
    ) -> tuple[OrderKey, ...]:
        """Return an order by fields, and of equal rows as they stand, or turned round.

        Turned round, too, what has no value in a field comes last: the last by a date is the row
        of the latest date, not one without any.
        """
        fields = self.order_keys(rows, by)
        if not backwards:
            return (*fields, *rows.order)
        # Only the direction of the values turns: where the nulls stand does not.
        turned = tuple(replace(key, descending=not key.descending) for key in fields)
        return (*turned, *(key.turned() for key in rows.order))

    # rows below one another


def ordering(dialect: Dialect, keys: Sequence[OrderKey], of: str = "") -> list[Sql]:
    """Return keys, of a side of a statement where it is named, as ORDER BY has them."""
    return [
        exp.Ordered(
            this=dialect.in_order(column(key.id, of), key.kind),
            desc=key.descending,
            nulls_first=key.nulls_first,
        )
        for key in keys
    ]
