"""Nodes of a plan as named queries, each over those before it.

A column of ours is a column of a query and, where a tie or a stack can leave gaps, the name of
another one that marks them: in SQL both a blank and a gap are null. Rows have an order only where
something gives them one: a sheet by its row numbers, a step by its columns. What needs an order
that nobody has is refused.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from sqlglot import exp

from keen_trellis.data.kinds import Kind
from keen_trellis.errors import NotThereError
from keen_trellis.plan.blends import Blended, Summarised
from keen_trellis.plan.expressions import Expression
from keen_trellis.plan.formulas import Applied, Cell, Valued
from keen_trellis.plan.link import OrderField
from keen_trellis.plan.nodes import BayRows, Begun, Kept, Node, Outcome, Read, Stacked
from keen_trellis.plan.steps import (
    Carried,
    Computed,
    Counted,
    Grouped,
    Ordered,
    Parted,
    Picked,
    Repeated,
)
from keen_trellis.sql import values as worked
from keen_trellis.sql.conditions import condition, depth, value_of
from keen_trellis.sql.dialects import Dialect, NotSaidError, Sql, not_there
from keen_trellis.sql.relations import (
    Check,
    Held,
    MappedColumn,
    Named,
    OrderKey,
    Program,
    Relation,
    all_of,
    any_of,
    called,
    choose,
    column,
    count,
    grouped,
    having,
    identifier,
    ids_of,
    is_null,
    join,
    not_null,
    select,
    star,
    table,
    where,
    within,
)

if TYPE_CHECKING:
    from keen_trellis.data import Column, Table

_DEEPEST = 60
"""How deep a formula is written into a statement: a server's parser has a stack, too."""

_KEEPING_ORDER = (Read, Begun, Kept, Computed, Picked, Counted, Repeated, Carried, Parted)
"""Nodes whose rows stand as those before them did."""

ROW = "~row"
"""What the number of a row is called where a relation has one."""


class Writer:
    """Writes the nodes of one plan.

    Parameters
    ----------
    dialect : Dialect
    begins : callable
        Takes a `Read`, and returns the query that its rows lie in, its columns in the order of the
        node's schema under the ids given, and whether a column `~row` numbers the rows.
    labels : mapping of digest to (name, comment), optional
        What the queries of nodes are called.
    checks : callable, optional
        Takes a `Read`, and returns what must be nowhere so in its rows.
    """

    def __init__(
        self,
        dialect: Dialect,
        begins: Callable[[Read, Sequence[str]], tuple[Sql, bool]],
        labels: Mapping[str, tuple[str, str]] | None = None,
        checks: Callable[[Read], Sequence[Check]] | None = None,
    ) -> None:
        self.dialect = dialect
        self.program = Program(dialect)
        self._begins = begins
        self._labels = labels or {}
        self._checks = checks
        self._made: dict[str, Relation] = {}
        self._ordered: dict[str, Relation] = {}
        self._as_it_came: dict[str, bool] = {}
        self._named = 0

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
        in_order = in_order or self._stands_as_it_came(node)
        known = self._ordered if in_order else self._made
        if node.digest not in known:
            known[node.digest] = self._written(node, in_order)
        return known[node.digest]

    def _stands_as_it_came(self, node: Node) -> bool:
        """Whether a node's rows stand in an order that costs nothing to know."""
        if node.digest not in self._as_it_came:
            is_so = isinstance(node, _KEEPING_ORDER)
            self._as_it_came[node.digest] = is_so and all(
                self._stands_as_it_came(one) for one in node.inputs()
            )
        return self._as_it_came[node.digest]

    def _written(self, node: Node, in_order: bool) -> Relation:
        from keen_trellis.sql import going_on, summaries

        match node:
            case Read():
                return self._read(node)
            case Begun():
                return replace(self.rows(node.rows, in_order))
            case Kept():
                return self._kept(node, in_order)
            case Outcome():
                return going_on.outcome(self, node, in_order)
            case BayRows():
                return going_on.bay(self, node, in_order)
            case Stacked():
                return self._stacked(node, in_order)
            case Summarised():
                return summaries.summarised(self, node, node, in_order)
            case Grouped():
                return summaries.summarised(self, node.summary, node, in_order)
            case Blended():
                return self.rows(node.outcomes[-1], in_order)
            case Computed():
                return self._computed(node, in_order)
            case Picked():
                before = self.rows(node.rows, in_order)
                chosen = [replace(before.held(old), name=new) for old, new in node.columns]
                return replace(before, columns=tuple(chosen))
            case Ordered():
                return self._in_order(node, in_order)
            case Counted():
                return self._counted(node, in_order)
            case Repeated():
                return self._repeated(node, in_order)
            case Carried():
                return self._carried(node)
            case Parted():
                return self._parted(node, in_order)
        raise not_there(self.dialect, type(node).__name__, "Run the trellis on this machine.")

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

    def _kept(self, node: Kept, in_order: bool) -> Relation:
        before = self.rows(node.rows, in_order)
        before, asked = self.asked(before, node.condition, self.label(node, "filter"))
        query = where(select([star()], table(before.name)), asked)
        return replace(before, name=self.add(node, query, (before.name,), "filter"))

    def asked(self, rows: Relation, asked: Expression, says: str) -> tuple[Relation, Sql]:
        """Return a condition as SQL, and the relation that it is asked of.

        What the dialect has no equal for is worked out by our own code, by the distinct values.
        """
        if isinstance(asked, Valued):
            if not asked.columns():
                return rows, self._one_value(asked)
            self._refuse_texts_of_exact(asked)
        try:
            if depth(asked) > _DEEPEST:
                raise NotSaidError("a formula of so many levels")
            return rows, condition(asked, rows, self.dialect)
        except NotSaidError:
            takes = [rows.held(name) for name in asked.columns()]
            holds = MappedColumn(self.fresh("holds"), Kind.BOOLEAN)

            def work(values: Table) -> Column:
                from keen_trellis.compute.expressions import truth
                from keen_trellis.data import Column

                held = truth(asked, values)
                found = [
                    True if yes else False if no else None
                    for yes, no in zip(held.true.tolist(), held.false.tolist(), strict=True)
                ]
                return Column.of(found, Kind.BOOLEAN)

            rows = self.with_worked_out(rows, takes, [holds], lambda values: [work(values)], says)
            return rows, column(holds.id)

    def with_worked_out(
        self,
        rows: Relation,
        takes: Sequence[Held],
        gives: Sequence[MappedColumn],
        work: Callable[[Table], Sequence[Column]],
        says: str,
    ) -> Relation:
        """Return a relation with columns beside it that our own code works out."""
        (made,) = self.worked_out_together(
            [(rows, takes, gives)], lambda tables: [work(tables[0])], says
        )
        return made

    def worked_out_together(
        self,
        asked: Sequence[tuple[Relation, Sequence[Held], Sequence[MappedColumn]]],
        work: Callable[[Sequence[Table]], Sequence[Sequence[Column]]],
        says: str,
    ) -> list[Relation]:
        """Return relations each with columns beside it, which are worked out of all together."""
        names = worked.mapped(self.program, asked, work, says)
        made = []
        for found, (rows, takes, gives) in zip(names, asked, strict=True):
            own = [name for one in gives for name in (one.id, one.gap) if name]
            query = select([star("r"), *(column(one, "m") for one in own)], table(rows.name, "r"))
            join(query, table(found, "m"), worked.meets("r", "m", takes, self.dialect), "LEFT")
            name = self.add(None, query, (rows.name, found), f"{rows.name} with {says}")
            made.append(replace(rows, name=name))
        return made

    # columns

    def _computed(self, node: Computed, in_order: bool) -> Relation:
        before = self.rows(node.rows, in_order)
        rows, made = self._formulas(node, before)
        columns = self.columns_of(node)
        kept = {held.name: held for held in before.columns}
        held, values = [], []
        for one in columns:
            if one.name in made:
                value, gap = made[one.name]
            else:
                value, gap = column(kept[one.name].id), kept[one.name].gap
            values.append((value, one.id))
            held.append(replace(one, gap=gap))
        marks = dict.fromkeys(one.gap for one in held if one.gap)
        places, order = self.order_beside(before)
        own = [*map(column, marks), *places]
        query = select([*worked.renamed(values), *own], table(rows.name))
        name = self.add(node, query, (rows.name,), "formula")
        return replace(before, name=name, columns=tuple(held), order=order)

    def order_beside(self, rows: Relation) -> tuple[list[Sql], tuple[OrderKey, ...]]:
        """Return what rows are in order by beside their columns, which may become others."""
        own = {held.id for held in rows.columns}
        values: list[Sql] = []
        keys = []
        for key in rows.order:
            name = self.fresh("by") if key.id in own else key.id
            values += worked.renamed([(column(key.id), name)])
            keys.append(replace(key, id=name))
        return values, tuple(keys)

    def _formulas(
        self, node: Computed, before: Relation
    ) -> tuple[Relation, dict[str, tuple[Sql, str]]]:
        """Return the value of every formula and what marks its gaps, and the relation of both.

        What our own code works out of the same columns it works out in one go.
        """
        made: dict[str, tuple[Sql, str]] = {}
        left: dict[tuple[str, ...], list[tuple[str, Valued]]] = {}
        for name, formula in node.columns:
            try:
                made[name] = self._formula(before, formula)
            except NotSaidError:
                left.setdefault(formula.columns(), []).append((name, formula))
        rows = before
        for columns, formulas in left.items():
            takes = [before.held(name) for name in columns]
            has_gaps = any(held.gap for held in takes)
            gives = [
                MappedColumn(self.fresh("made"), one.kind, self.fresh("gap") if has_gaps else "")
                for _, one in formulas
            ]
            rows = self.with_worked_out(
                rows, takes, gives, _evaluating([one for _, one in formulas]), formulas[0][0]
            )
            for (name, _), given in zip(formulas, gives, strict=True):
                made[name] = column(given.id), given.gap
        return rows, made

    def _formula(self, before: Relation, formula: Valued) -> tuple[Sql, str]:
        """Return the value of a formula, and what marks its gaps, as the dialect says it."""
        if isinstance(formula, Cell):
            return value_of(formula, before, self.dialect), before.held(formula.column).gap
        takes = [before.held(name) for name in formula.columns()]
        if not takes:
            return self._one_value(formula), ""
        self._refuse_texts_of_exact(formula)
        if any(held.gap for held in takes) or depth(formula) > _DEEPEST:
            raise NotSaidError("what becomes of a gap")
        return value_of(formula, before, self.dialect), ""

    def _one_value(self, formula: Valued) -> Sql:
        """Return the value of a formula without a column, worked out here once for all rows."""
        from keen_trellis.compute.formula.evaluate import evaluated
        from keen_trellis.data import Table

        (value,) = evaluated(formula, Table((), (), 1)).column.to_list()
        try:
            return self.dialect.cast(self.dialect.literal(value, formula.kind), formula.kind)
        except NotSaidError as error:
            raise not_there(self.dialect, f"{error}", "Leave it out.") from error

    def _refuse_texts_of_exact(self, formula: Valued) -> None:
        for one in formula.every():
            is_text = isinstance(one, Applied) and one.kind is Kind.TEXT
            if is_text and any(part.kind is Kind.EXACT for part in one.parts()):
                raise self.no_text_of_exact(next(iter(one.columns()), "a number"))

    # rows in an order

    def _in_order(self, node: Ordered, in_order: bool) -> Relation:
        before = self.rows(node.rows, in_order)
        if not in_order or not node.by:
            return replace(before)
        keys = self.order_keys(before, node.by)
        return replace(before, order=(*keys, *before.order))

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
                f"{what} needs the order of rows, and those of “{rows.name}” have none "
                f"in {self.dialect.title}.",
                "Put them in order by columns that tell all rows apart, or run it on this machine.",
            )

    def numbered(self, rows: Relation) -> tuple[Relation, str]:
        """Return a relation whose rows have one number each, and what that is called.

        Where the order leaves rows equal, all columns tell them apart: rows of other numbers are
        others, or the same in every column. The numbers are the order of rows only if that tells
        all apart.
        """
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

    def _counted(self, node: Counted, in_order: bool) -> Relation:
        before = self.rows(node.rows, in_order=True)
        groups = self.group_values(before, node.by)
        n = exp.Literal.number(max(node.n, 0))
        keys = tuple(key.turned() for key in before.order) if node.last else before.order
        return self.first_of(before, groups, keys, n, node)

    def _repeated(self, node: Repeated, in_order: bool) -> Relation:
        by = node.by or node.rows.schema.names
        if node.keep in ("repeated", "alone"):
            before = self.rows(node.rows, in_order)
            groups = self.group_values(before, by)
            number = self.fresh("nr")
            inner = select([star(), called(self.over(count(), groups), number)], table(before.name))
            one = exp.Literal.number(1)
            wanted = column(number)
            test = exp.GT if node.keep == "repeated" else exp.EQ
            outer = where(select([star()], within(inner, "w")), test(this=wanted, expression=one))
            return replace(before, name=self.add(node, outer, (before.name,), "repeats"))
        before = self.rows(node.rows, in_order=True)
        groups = self.group_values(before, by)
        keys = self.by_fields(before, node.order, backwards=node.keep == "last")
        return self.first_of(before, groups, keys, exp.Literal.number(1), node)

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
        turned = tuple(replace(key, descending=not key.descending) for key in fields)
        return (*turned, *(key.turned() for key in rows.order))

    def first_of(
        self, rows: Relation, groups: Sequence[Sql], keys: Sequence[OrderKey], n: Sql, what: Node
    ) -> Relation:
        """Return the first rows of each group, and make sure that it is clear which they are.

        Where the order leaves rows equal, they are told apart by all columns. That changes
        nothing as long as rows that differ do not stand on both sides of the border.
        """
        full = tuple(keys) if rows.is_total else (*keys, *self.all_columns(rows))
        number = self.fresh("nr")
        inner = select([star(), called(self.row_number(groups, full), number)], table(rows.name))
        border = exp.LTE(this=column(number), expression=n)
        query = where(select([star()], within(inner, "w")), border)
        checks = () if rows.is_total else (self.clear_border(rows, groups, keys, full, n),)
        return replace(rows, name=self.add(what, query, (rows.name,), "first", checks))

    def clear_border(
        self,
        rows: Relation,
        groups: Sequence[Sql],
        keys: Sequence[OrderKey],
        full: Sequence[OrderKey],
        n: Sql,
    ) -> Check:
        """Return the check that rows which are equal in an order do not differ at its border."""
        order, all_keys = self.ordering(keys), self.ordering(full)
        inner = select(
            [
                called(self.over(exp.Anonymous(this="RANK"), groups, order), "~tied")
                if order
                else called(exp.Literal.number(1), "~tied"),
                called(self.row_number(groups, full), "~place"),
                called(self.over(exp.Anonymous(this="DENSE_RANK"), groups, all_keys), "~distinct"),
                *(called(one.copy(), f"~group {place}") for place, one in enumerate(groups)),
            ],
            table(rows.name),
        )
        by = [column("~tied"), *(column(f"~group {place}") for place in range(len(groups)))]
        inside = exp.LTE(this=column("~place"), expression=n.copy())
        is_in, is_out = (
            exp.Max(this=choose(one, exp.Literal.number(1), exp.Literal.number(0)))
            for one in (inside, exp.Not(this=exp.paren(inside.copy())))
        )
        unclear = all_of(
            [
                exp.EQ(this=is_in, expression=exp.Literal.number(1)),
                exp.EQ(this=is_out, expression=exp.Literal.number(1)),
                exp.LT(
                    this=exp.Min(this=column("~distinct")),
                    expression=exp.Max(this=column("~distinct")),
                ),
            ]
        )
        tied = select([called(exp.Literal.number(1), "one")], within(inner, "w"))
        tied = having(grouped(tied, by), unclear)
        query = select([called(count(), "n")], within(tied, "u"))
        title = self.dialect.title

        def says(times: int) -> tuple[str, str]:
            return (
                f"Which rows of “{rows.name}” come first is not clear in {title} in {times:,} "
                "places: rows that differ are equal in the order asked for.",
                "Put them in order by one column more.",
            )

        return Check(query, (rows.name,), says)

    def _carried(self, node: Carried) -> Relation:
        before = self.rows(node.rows, in_order=True)
        self.require_order(before, "Filling from other rows")
        wanted = [before.held(name) for name in node.columns]
        order = before.order
        if not node.from_above:
            order = tuple(key.turned() for key in order)
        runs = {held.id: f"~run {place}" for place, held in enumerate(wanted)}
        inner = select(
            [
                star(),
                *(
                    called(self.over(count(column(one)), (), self.ordering(order)), name)
                    for one, name in runs.items()
                ),
            ],
            table(before.name),
        )
        columns, values, marks = [], [], {}
        for held in before.columns:
            value: Sql = column(held.id)
            if held.id in runs:
                # rows of one run follow its first, the only one that may have a value
                first = self.over(
                    exp.FirstValue(this=value), (column(runs[held.id]),), self.ordering(order)
                )
                is_gap: Sql = column(held.gap) if held.gap else exp.false()
                filled = any_of(
                    [
                        *([exp.Not(this=is_gap.copy())] if node.blanks else []),
                        *([is_gap.copy()] if node.gaps else []),
                    ]
                )
                value = choose(
                    all_of([is_null(value.copy()), exp.paren(filled)]), first, value.copy()
                )
                if held.gap:
                    mark = self.fresh("gap")
                    marks[mark] = (is_gap, held.id)
                    held = replace(held, gap=mark)
            columns.append(held)
            values.append((value, held.id))
        rest = dict.fromkeys(h.gap for h in columns if h.gap and h.gap not in marks)
        places, stands = self.order_beside(before)
        query = select(
            [
                *worked.renamed(values),
                *map(column, rest),
                *places,
                *(called(gap, f"~was {mark}") for mark, (gap, _) in marks.items()),
            ],
            within(inner, "w"),
        )
        if marks:
            # a gap that was filled is none any more
            query = select(
                [
                    star(),
                    *(
                        called(all_of([column(f"~was {mark}"), is_null(column(one))]), mark)
                        for mark, (_, one) in marks.items()
                    ),
                ],
                within(query, "v"),
            )
        name = self.add(node, query, (before.name,), "fill")
        return replace(before, name=name, columns=tuple(columns), order=stands)

    def _parted(self, node: Parted, in_order: bool) -> Relation:
        before = self.rows(node.rows, in_order)
        held = before.held(node.column)
        part, nth = self.fresh("text"), self.fresh("nth")
        mark = self.dialect.literal(node.mark, Kind.TEXT)
        query = self.parts_of(before, held, mark, part=part, nth=nth)
        value = column(part)
        others = [column(one.id) for one in before.columns if one.id != held.id]
        places, stands = self.order_beside(before)
        outer = select(
            [*others, called(value, held.id), *map(column, before.gaps), *places, column(nth)],
            within(query, "w"),
        )
        name = self.add(node, outer, (before.name,), "split")
        order = (*stands, OrderKey(nth)) if before.is_total else stands
        return replace(before, name=name, order=order)

    def parts_of(self, rows: Relation, held: Held, mark: Sql, part: str, nth: str) -> exp.Select:
        """Return a query of each part of a text in a row of its own."""
        cell = column(held.id, "r")
        if self.dialect.name == "spark":
            quoted = exp.func("CONCAT", exp.Literal.string("\\Q"), mark, exp.Literal.string("\\E"))
            parts = exp.Anonymous(this="SPLIT", expressions=[cell, quoted, exp.Literal.number(-1)])
            query = select([star()], table(rows.name, "r"))
            query.set(
                "laterals",
                [
                    exp.Lateral(
                        this=exp.Anonymous(this="POSEXPLODE", expressions=[parts]),
                        view=True,
                        outer=True,
                        alias=exp.TableAlias(
                            this=identifier("p"),
                            columns=[
                                identifier(nth),
                                identifier(part),
                            ],
                        ),
                    )
                ],
            )
            return query
        found = exp.Anonymous(
            this="UNNEST",
            expressions=[exp.Anonymous(this="STRING_TO_ARRAY", expressions=[cell, mark])],
        )
        lateral = exp.Lateral(
            this=found,
            ordinality=True,
            alias=exp.TableAlias(
                this=identifier("p"),
                columns=[
                    exp.to_identifier("one", quoted=True),
                    exp.to_identifier(nth, quoted=True),
                ],
            ),
        )
        # an empty text has no part there, and is one of ours
        value = choose(
            not_null(cell.copy()),
            exp.Coalesce(this=column("one", "p"), expressions=[exp.Literal.string("")]),
        )
        query = select([star("r"), called(value, part), column(nth, "p")], table(rows.name, "r"))
        join(query, lateral, exp.true(), "LEFT")
        return query

    # rows below one another

    def _stacked(self, node: Stacked, in_order: bool) -> Relation:
        parts = [self.rows(part, in_order) for part in node.parts]
        columns = self.columns_of(node)
        source = columns[0] if node.source_column else None
        names = [dict(pairs) for pairs in node.renamed]
        own = [
            {names[place].get(held.name, held.name): held for held in rows.columns}
            for place, rows in enumerate(parts)
        ]
        met = columns[1:] if source is not None else columns
        marks = {
            one.name: self.fresh("gap")
            for one in met
            if any(one.name not in part or part[one.name].gap for part in own)
        }
        is_total = all(rows.is_total for rows in parts) and in_order
        if is_total:
            parts = [self.numbered(rows)[0] for rows in parts]
        keys = ["~part", "~row"] if is_total else []
        queries, used = [], []
        for place, mine in enumerate(own):
            rows, values_of = self._in_kinds(parts[place], mine, met)
            used.append(rows.name)
            values: list[tuple[Sql, str]] = []
            if source is not None:
                said = self.dialect.literal(node.names[place], Kind.TEXT)
                values.append((self.dialect.cast(said, Kind.TEXT), source.id))
            for one in met:
                values.append((values_of[one.name], one.id))
            for one in met:
                if one.name in marks:
                    held = mine.get(one.name)
                    gap: Sql = exp.true()
                    if held is not None:
                        gap = column(held.gap) if held.gap else exp.false()
                    values.append((gap, marks[one.name]))
            if is_total:
                values.append((exp.Literal.number(place), keys[0]))
                values.append((column(self.numbered(rows)[1]), keys[1]))
            queries.append(select(worked.renamed(values), table(rows.name)))
        query = _below(queries)
        there = tuple(replace(one, gap=marks.get(one.name, "")) for one in columns)
        order = tuple(OrderKey(key) for key in keys)
        name = self.add(node, query, used, "stack")
        made = Relation(name, there, order, is_total)
        if node.repeats:
            return made
        return self._once(node, made, [one.name for one in met])

    def _in_kinds(
        self, rows: Relation, mine: Mapping[str, Held], met: Sequence[Held]
    ) -> tuple[Relation, dict[str, Sql]]:
        """Return a part's columns in the kinds of the stack, and the relation that has them."""
        found: dict[str, Sql] = {}
        for one in met:
            held = mine.get(one.name)
            if held is None:
                found[one.name] = self.dialect.literal(None, one.kind)
                continue
            try:
                found[one.name] = worked.in_kind(column(held.id), held, one.kind, self.dialect)
            except NotSaidError:
                rows, found[one.name] = self._converted(rows, held, one)
        return rows, found

    def _converted(self, rows: Relation, held: Held, one: Held) -> tuple[Relation, Sql]:
        """Return a cell in another kind, as our own code puts it there."""
        if held.kind is Kind.EXACT and one.kind is Kind.TEXT:
            raise self.no_text_of_exact(held.name)
        made = MappedColumn(self.fresh("made"), one.kind)

        def work(values: Table) -> list[Column]:
            from keen_trellis.data.conversion import converted

            found = converted(values.column(held.name), one.kind)
            if len(found.lost):
                raise NotThereError(
                    f"“{held.name}” has values below one another that no {one.kind} holds.",
                    "Give it one kind in all lanes before they are stacked.",
                )
            return [found.column]

        rows = self.with_worked_out(rows, [held], [made], work, f"{held.name} as {one.kind}")
        return rows, column(made.id)

    def no_text_of_exact(self, name: str) -> NotThereError:
        """Return the refusal of an exact decimal as a text, whose last zeros nobody knows."""
        return NotThereError(
            f"“{name}” as text shows as many digits as its whole column has, which is not known "
            f"in {self.dialect.title}.",
            "Do this step on this machine, or let the source give the text.",
        )

    def _once(self, node: Stacked, rows: Relation, names: Sequence[str]) -> Relation:
        """Return rows that stand there once: the first of each, by the parts."""
        groups = self.group_values(rows, names)
        number = self.fresh("nr")
        if rows.order or not node.source_column:
            # rows of no order are alike in all that is there to tell them apart
            ordering = self.ordering(rows.order or [OrderKey(rows.columns[0].id)])
        else:  # the rows of one part are alike; the first part says where they are from
            said = column(rows.columns[0].id)
            places = [
                exp.If(
                    this=exp.EQ(this=said.copy(), expression=self.dialect.literal(name, Kind.TEXT)),
                    true=exp.Literal.number(place),
                )
                for place, name in enumerate(node.names)
            ]
            ordering = [exp.Ordered(this=exp.Case(ifs=places), nulls_first=False)]
        inner = select(
            [star(), called(self.over(exp.RowNumber(), groups, ordering), number)],
            table(rows.name),
        )
        query = where(
            select([star()], within(inner, "w")),
            exp.EQ(this=column(number), expression=exp.Literal.number(1)),
        )
        return replace(rows, name=self.add(None, query, (rows.name,), f"{rows.name} once"))


def _evaluating(formulas: Sequence[Valued]) -> Callable[[Table], list[Column]]:
    """Return what works formulas out on a table of values."""

    def work(values: Table) -> list[Column]:
        from keen_trellis.compute.formula.evaluate import evaluated

        return [evaluated(one, values).column for one in formulas]

    return work


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


def _below(queries: Sequence[exp.Select]) -> Sql:
    """Return queries one below the other, as a tree that is not deep."""
    if len(queries) == 1:
        return queries[0]
    middle = len(queries) // 2
    return exp.Union(
        this=_below(queries[:middle]), expression=_below(queries[middle:]), distinct=False
    )
