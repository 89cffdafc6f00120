"""The rows that go on from a join, and those of a bay, with what marks the gaps in them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from sqlglot import exp

from keen_trellis.base.language import tr
from keen_trellis.data.kinds import Kind
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.nodes import BayRows, Node, Outcome
from keen_trellis.plan.outcome import Columns, OutcomeColumn, only_side, outcome_columns, semi_side
from keen_trellis.sql import sql_values as worked
from keen_trellis.sql.dialects import NotSaidError, Sql, not_there
from keen_trellis.sql.links import matched
from keen_trellis.sql.relations import (
    Held,
    OrderKey,
    Relation,
    all_of,
    any_of,
    called,
    choose,
    column,
    is_null,
    join,
    select,
    star,
    table,
    where,
    within,
)
from keen_trellis.sql.sides import L, Matched, R, used

if TYPE_CHECKING:
    from keen_trellis.sql.writer import Writer


def bay(writer: Writer, node: BayRows, in_order: bool) -> Relation:
    """Return the rows of one bay."""
    if node.bay is Bay.BOTH:
        return outcome(
            writer, Outcome(node.join, (Bay.BOTH,), Columns(link="both")), in_order, node
        )
    met = matched(writer, node.join, in_order)
    side = met.left if node.bay is Bay.LEFT else met.right
    query = _without_partner(met, node.bay)
    name = writer.add(node, query, used(met), "bay")
    columns = _own_columns(node, side)
    return replace(side, name=name, columns=columns)


def _own_columns(node: Node, side: Relation) -> tuple[Held, ...]:
    """Return the columns of a side, those of the node and no others."""
    return tuple(side.held(one.name) for one in node.schema)


def _without_partner(met: Matched, bay: Bay) -> exp.Select:
    """Return the rows of a side that have no partner."""
    if bay is Bay.LEFT:
        there = select([exp.Literal.number(1)], table(met.partners.name, R))
        where(there, met.on.copy())
        rows, side = met.left, L
    else:
        rows, side = met.right, R
        if met.found_right is not None:
            there = met.found_right.copy()
        else:
            there = select([exp.Literal.number(1)], table(met.left.name, L))
            where(there, met.on.copy())
    return where(select([star(side)], table(rows.name, side)), exp.Not(this=exp.Exists(this=there)))


def _with_partner(met: Matched, bay: Bay) -> exp.Select:
    """Return the rows of a side that have a partner, each once (a semi join)."""
    query = _without_partner(met, bay)
    # the anti join without its NOT
    condition = query.args["where"].this
    assert isinstance(condition, exp.Not)
    query.args["where"].set("this", condition.this)
    return query


def outcome(
    writer: Writer, node: Outcome, in_order: bool, for_node: Node | None = None
) -> Relation:
    """Return the rows that go on from a join."""
    join = node.join
    met = matched(writer, join, in_order)
    made = outcome_columns(
        join.left.schema,
        join.right.schema,
        join.link,
        right_name=join.names[1],
        columns=node.columns,
        keep=node.keep,
    )
    owner = for_node or node
    reads = used(met)
    alone = only_side(node.keep, node.columns)
    if alone is not None:
        side = met.left if alone == "left" else met.right
        bay_of = Bay.LEFT if alone == "left" else Bay.RIGHT
        semi = semi_side(node.keep, node.columns) is not None
        query = (_with_partner if semi else _without_partner)(met, bay_of)
        name = writer.add(owner, query, reads, "join")
        columns = tuple(replace(side.held(c.source), name=c.name) for c in made)
        return replace(side, name=name, columns=columns)
    return _Going(
        writer, node, met, made, owner, reads, in_order, writer.columns_of(owner)
    ).relation()


@dataclass(slots=True)
class _Going:
    """The rows of several bays that go on together."""

    writer: Writer
    node: Outcome
    met: Matched
    made: Sequence[OutcomeColumn]
    owner: Node
    reads: Sequence[str]
    in_order: bool
    columns: Sequence[Held]
    marks: dict[str, str] = field(default_factory=dict)

    def relation(self) -> Relation:
        """Return the relation of all bays that are kept."""
        keep, met = self.node.keep, self.met
        is_total = met.left.is_total and met.right.is_total and self.in_order
        # PostgreSQL makes a FULL join only of conditions that it can merge or hash: equality of
        # both sides. Anything else is a LEFT join and the right rows without a partner below it.
        if keep == (Bay.LEFT, Bay.BOTH, Bay.RIGHT) and met.is_equality and not met.pairs:
            query: Sql = self._full()
        else:
            queries = []
            if Bay.BOTH in keep:
                queries.append(self._inner(outer=Bay.LEFT in keep))
            elif Bay.LEFT in keep:
                queries.append(self._one_side(Bay.LEFT))
            if Bay.RIGHT in keep:
                queries.append(self._one_side(Bay.RIGHT))
            query = queries[0]
            if len(queries) > 1:
                # UNION ALL: the right rows without a partner are none of the first query
                query = exp.Union(this=queries[0], expression=queries[1], distinct=False)
        name = self.writer.add(self.owner, query, self.reads, "join")
        columns = []
        for one, held in zip(self.made, self.columns, strict=True):
            columns.append(replace(held, gap=self._mark(one)))
        order: tuple[OrderKey, ...] = ()
        if is_total:
            # Left order first, then right order: rows of the right side alone have nulls in the
            # left keys, which come last, so that they stand at the end as they do on this machine.
            order = tuple(
                replace(key, id=f"~{side} {place}")
                for side, rows in ((L, met.left), (R, met.right))
                for place, key in enumerate(rows.order)
            )
        return Relation(name, tuple(columns), order, is_total)

    # marks: a column for each different way in which a cell of the outcome can be a gap

    def _mark(self, one: OutcomeColumn) -> str:
        """Return what marks the gaps of a column: empty where it cannot have any."""
        if one.fill is not None:
            return ""
        side, held = self._held(one)
        if one.filled_from is not None:  # a row of either side is there: its own gap alone counts
            other = self.met.right.held(one.filled_from)
            return self._named(f"filled {one.name}") if held.gap or other.gap else ""
        # a cell of one side is a gap in the rows that only the other side has
        can_lack = (Bay.RIGHT if side == L else Bay.LEFT) in self.node.keep
        return self._named(f"{side} {held.gap}") if held.gap or can_lack else ""

    def _named(self, way: str) -> str:
        if way not in self.marks:
            self.marks[way] = self.writer.fresh("gap")
        return self.marks[way]

    def _held(self, one: OutcomeColumn) -> tuple[str, Held]:
        if one.side == "left":
            return L, self.met.left.held(one.source)
        return R, self.met.right.held(one.source)

    # the queries

    def _values(self, here: dict[str, Sql]) -> list[Sql]:
        """Return the columns, the marks of gaps and the order of rows.

        Parameters
        ----------
        here : dict of side to Sql
            Whether a row of the side is there, as the query knows it.
        """
        values: list[tuple[Sql, str]] = []
        marks: dict[str, Sql] = {}
        for one, held in zip(self.made, self.columns, strict=True):
            value, gap = self._cell(one, here)
            values.append((value, held.id))
            mark = self._mark(one)
            if mark:
                marks[mark] = gap
        values += [(gap, mark) for mark, gap in marks.items()]
        if self.met.left.is_total and self.met.right.is_total and self.in_order:
            for side, rows in ((L, self.met.left), (R, self.met.right)):
                for place, key in enumerate(rows.order):
                    own = self._if_there(column(key.id, side), key.kind, here[side])
                    values.append((own, f"~{side} {place}"))
        return worked.renamed(values)

    def _if_there(self, value: Sql, kind: Kind, here: Sql) -> Sql:
        if is_always(here, False):
            return self.writer.dialect.literal(None, kind)
        return value

    def _cell(self, one: OutcomeColumn, here: dict[str, Sql]) -> tuple[Sql, Sql]:
        """Return the value of a column, and whether a null of it is a gap."""
        side, held = self._held(one)
        value, gap = self._side_cell(side, held, one.kind, here)
        if one.filled_from is not None:
            theirs = self.met.right.held(one.filled_from)
            other, other_gap = self._side_cell(R, theirs, one.kind, here)
            # What is known when the statement is written is not asked of every row.
            if is_always(gap, True):
                value, gap = other, other_gap
            elif not is_always(gap, False):
                value = choose(gap.copy(), other, value)
                # A cell filled from both sides is a gap only where neither has a row.
                gap = all_of([exp.paren(gap.copy()), exp.paren(other_gap)])
        if one.fill is not None and not is_always(gap, False):
            value = choose(gap.copy(), self._fill(one), value)
            gap = exp.false()
        return value, gap

    def _side_cell(
        self, side: str, held: Held, kind: Kind, here: dict[str, Sql]
    ) -> tuple[Sql, Sql]:
        dialect = self.writer.dialect
        is_here = here[side]
        if is_always(is_here, False):
            return dialect.literal(None, kind), exp.true()
        try:
            value = worked.in_kind(column(held.id, side), held, kind, dialect)
        except NotSaidError as error:
            raise not_there(
                dialect,
                tr("“{name}” filled from both sides, {error}", name=held.name, error=error),
                tr("Let the link fields of both sides go on, or give them one kind."),
            ) from error
        own: Sql = column(held.gap, side) if held.gap else exp.false()
        if is_always(is_here, True):
            return value, own
        # an outer join leaves null in `~here` where the side has no row
        missing = is_null(is_here.copy())
        return value, missing if is_always(own, False) else any_of([missing, own])

    def _fill(self, one: OutcomeColumn) -> Sql:
        from keen_trellis.compute.outcome_rows import fill

        assert one.fill is not None
        (value,) = fill(one.fill, one.name, one.kind).to_list()
        return self.writer.dialect.literal(value, one.kind)

    def _inner(self, outer: bool) -> exp.Select:
        """Return pairs of partners, and with `outer` left rows without any."""
        here: dict[str, Sql] = {L: exp.true(), R: column("~here", R) if outer else exp.true()}
        query = select(self._values(here), table(self.met.left.name, L))
        if outer:
            right = _here(self.met.partners, R)
            join(query, right, self.met.on.copy(), "LEFT")
        elif self.node.join.link.cross and not self.met.pairs:
            join(query, table(self.met.partners.name, R), None)
        else:
            join(query, table(self.met.partners.name, R), self.met.on.copy())
        return query

    def _one_side(self, bay: Bay) -> exp.Select:
        """Return the rows of one side that have no partner, gaps in the columns of the other."""
        is_left = bay is Bay.LEFT
        query = _without_partner(self.met, bay)
        here: dict[str, Sql] = {
            L: exp.true() if is_left else exp.false(),
            R: exp.false() if is_left else exp.true(),
        }
        # the rows are those of the anti join, its columns those of the outcome
        query.set("expressions", self._values(here))
        return query

    def _full(self) -> exp.Select:
        """Return pairs of partners and the rows of both sides that have none."""
        here: dict[str, Sql] = {side: column("~here", side) for side in (L, R)}
        query = select(self._values(here), _here(self.met.left, L))
        join(query, _here(self.met.partners, R), self.met.on.copy(), "FULL")
        return query


def is_always(condition: Sql, value: bool) -> bool:
    """Whether a condition is written as true, or as false."""
    return isinstance(condition, exp.Boolean) and condition.this is value


def _here(rows: Relation, side: str) -> Sql:
    """Return a side with a column that is true wherever a row of it is there."""
    made = select([star(), called(exp.true(), "~here")], table(rows.name))
    return within(made, side)
