"""Plans by chance over small tables with the ends of every kind, and what they give here."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import astuple, dataclass, field
from decimal import Decimal
from random import Random
from typing import Any

from keen_trellis.base.errors import UserError
from keen_trellis.compute.execute import execute
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Column, Kind, Table
from keen_trellis.data.kinds import comparable
from keen_trellis.formulas.formula_parser import formula
from keen_trellis.places.place_session import Session
from keen_trellis.plan.bays import JOIN_NAMES, Bay
from keen_trellis.plan.blends import Summarised
from keen_trellis.plan.counts import Counts
from keen_trellis.plan.expressions import Expression, Tested, joint
from keen_trellis.plan.figures import Figure
from keen_trellis.plan.formulas import Valued
from keen_trellis.plan.link import Link, LinkField, OrderField, Pair
from keen_trellis.plan.nodes import BayRows, Begun, Join, Kept, Node, Outcome, Read, Stacked
from keen_trellis.plan.outcome import Columns
from keen_trellis.plan.schema import Schema, SchemaColumn
from keen_trellis.plan.spans import SPANS
from keen_trellis.plan.steps import (
    Carried,
    Computed,
    Counted,
    Ordered,
    Parted,
    Picked,
    Pivoted,
    Repeated,
    Unpivoted,
)
from keen_trellis.sql import summaries
from keen_trellis.sql.dialects import Sql
from keen_trellis.sql.node_writers import NODE_WRITERS
from keen_trellis.sql.relations import select, star, table
from keen_trellis.sql.writer import Writer

VALUES: dict[Kind, list[Any]] = {
    Kind.TEXT: ["a", "A", "b", "é", "ß", "ss", "", "a b", "  a", "Z", "10", "%", "it's", "a\\b"],
    Kind.INTEGER: [0, 1, 2, 3, -1, 2**62, -(2**63), 2**63 - 1, 10],
    Kind.NUMBER: [0.0, -0.0, 1.0, 0.1, 0.3, 0.1 + 0.2, 1e300, -1e300, float("inf"), 1e-9, 2.5],
    Kind.EXACT: [Decimal(t) for t in ("0", "1", "1.50", "2", "-3.25", "12345678901234567.891")],
    Kind.BOOLEAN: [True, False],
    Kind.DATE: [dt.date(2026, 1, 31), dt.date(2026, 2, 1), dt.date(1, 1, 1), dt.date(9999, 12, 31)],
    Kind.DATE_TIME: [
        dt.datetime(2026, 1, 31),
        dt.datetime(2026, 1, 31, 8, 30),
        dt.datetime(1850, 2, 28, 23, 59, 59, 999_999),
    ],
    Kind.TIME: [dt.time(0), dt.time(8, 30), dt.time(23, 59, 59, 999_999)],
}
FORMULAS: dict[Kind, list[str]] = {
    Kind.TEXT: [
        *("{c} || {c}", "UPPER({c})", "CHAR_LENGTH({c})", "{c} LIKE 'a%'", "COALESCE({c}, 'none')"),
        *("CASE WHEN {c} = 'a' THEN 'x' ELSE {c} END", "CASE WHEN {c} < 'b' THEN {c} END"),
        *("{c} IS GAP", "NULLIF({c}, 'a')", "TIDY({c}, 'case')"),
    ],
    Kind.INTEGER: [
        *("{c} + 1", "{c} * {c}", "{c} - 5", "{c} / 2", "-{c}", "COALESCE({c}, 7)", "{c} + 0.5"),
        *("{c} IN (1, 2, NULL)", "{c} IS DISTINCT FROM 1", "CAST({c} AS VARCHAR)"),
    ],
    Kind.NUMBER: ["{c} + 1", "{c} > 0.1", "COALESCE({c}, 1.5)", "ABS({c})"],
    Kind.EXACT: ["{c} + 1", "{c} * 2", "{c} > 0.1", "COALESCE({c}, 1.5)", "ROUND({c}, 1)"],
    Kind.BOOLEAN: ["NOT {c}", "{c} OR NULL", "{c} IS TRUE", "CASE WHEN {c} THEN 1 ELSE 0 END"],
    Kind.DATE: ["EXTRACT(YEAR FROM {c})", "{c} + 1", "{c} < DATE '2026-02-01'", "{c} IS NULL"],
    Kind.DATE_TIME: ["EXTRACT(HOUR FROM {c})", "CAST({c} AS DATE)"],
    Kind.TIME: ["EXTRACT(HOUR FROM {c})", "{c} >= TIME '08:30:00'"],
}


@dataclass
class Plans:
    """Makes nodes by chance, and the tables that they begin with."""

    chance: Random
    tables: dict[str, Table] = field(default_factory=dict)

    def node(self, depth: int) -> Node:
        """Return a node over others, as many levels deep."""
        if depth == 0:
            return self.read()
        rows = self.node(depth - 1)
        if not rows.schema.columns:
            return rows
        make = self.chance.choice([self._tied] * 5 + [self._stepped] * 8 + [self._stacked])
        return make(rows, depth)

    def read(self) -> Read:
        """Return the rows of a new table."""
        chance, name = self.chance, f"t{len(self.tables)}"
        letter, n = chance.choice("abcd"), chance.choice([0, 1, 3, 6, 9])
        kinds = [chance.choice(list(Kind)) for _ in range(chance.randint(1, 4))]
        columns = {f"{letter}{place}": self._column(kind, n) for place, kind in enumerate(kinds)}
        self.tables[name] = Table.of(columns)
        return Read(name, name, schema_of(self.tables[name]))

    def _column(self, kind: Kind, n: int) -> Column:
        pool = self.chance.sample(VALUES[kind], min(4, len(VALUES[kind])))
        cells = [None if self.chance.random() < 0.2 else self.chance.choice(pool) for _ in range(n)]
        return Column.of(cells, kind)

    def _some(self, names: Sequence[str], least: int = 0, most: int = 2) -> tuple[str, ...]:
        n = self.chance.randint(least, min(most, len(names)))
        return tuple(self.chance.sample(list(names), n))

    def _order(self, names: Sequence[str], least: int = 0) -> tuple[OrderField, ...]:
        return tuple(
            OrderField(name, self.chance.random() < 0.5) for name in self._some(names, least)
        )

    def _tied(self, left: Node, depth: int) -> Node:
        chance, right = self.chance, self.node(self.chance.randint(0, depth - 1))
        link = self._link(left.schema, right.schema)
        if link is None:
            return left
        join = Join(left, right, link, ("left", "right"))
        if chance.random() < 0.15:
            return BayRows(join, chance.choice(list(Bay)))
        wishes: list[dict[str, Any]] = [{}, {}, {"link": "both"}, {"right": ()}, {"left": ()}]
        wishes += [{"same_named": word} for word in ("filled", "left", "right")]
        keep = chance.choice(list(JOIN_NAMES))
        return Outcome(join, keep, Columns(**chance.choice(wishes)))

    def _link(self, left: Schema, right: Schema) -> Link | None:
        chance = self.chance
        if chance.random() < 0.03:
            return Link(cross=True)
        meet = [(a, b) for a in left for b in right if comparable(a.kind, b.kind)]
        if not meet:
            return None
        fields = [self._field(*chance.choice(meet)) for _ in range(chance.choice([1, 1, 1, 2]))]
        of_side = chance.choice(["left", "right"])
        partner = chance.choice(["every"] * 5 + ["first", "last", "only"])
        others = (right if of_side == "left" else left).names
        is_text = left.column(fields[0].left).kind is Kind.TEXT and fields[0].operator == "="
        return Link(
            tuple(fields),
            text=("outer spaces", "case", "accents") if chance.random() < 0.3 else (),
            blanks=chance.choice(["never", "never", "match"]),
            partner=partner,
            partner_for=of_side,
            order=self._order(others) if partner in ("first", "last") else (),
            pairs=(Pair("a", "b"),) if is_text and chance.random() < 0.3 else (),
        )

    def _field(self, left: SchemaColumn, right: SchemaColumn) -> LinkField:
        chance = self.chance
        operator = chance.choice(["="] * 6 + ["<", ">=", "<>", "nearest earlier", "nearest later"])
        if not operator.startswith("nearest"):
            is_of_days = {left.kind, right.kind} <= {Kind.DATE, Kind.DATE_TIME}
            span = chance.choice(SPANS) if is_of_days and chance.random() < 0.5 else None
            return LinkField(left.name, right.name, operator, span=span)
        if left.kind in (Kind.TEXT, Kind.BOOLEAN):
            return LinkField(left.name, right.name)
        within = chance.choice([None, None, 1, 0.5, 100_000])
        return LinkField(left.name, right.name, operator, chance.random() < 0.3, within)

    def _stepped(self, rows: Node, depth: int) -> Node:
        chance, names = self.chance, rows.schema.names
        texts = [column.name for column in rows.schema if column.kind is Kind.TEXT]
        steps = ["kept", "kept", "sum", "sum", "made", "made", "picked", "ordered", "counted"]
        steps += [
            "repeated",
            "carried",
            "begun",
            "unpivoted",
            "pivoted",
            *(["parted"] if texts else []),
        ]
        match chance.choice(steps):
            case "kept":
                return Kept(rows, self._condition(rows.schema))
            case "sum":
                return self._summarised(rows)
            case "made":
                return Computed(rows, "x", self._made(rows.schema))
            case "picked":
                chosen = self._some(names, 1, len(names))
                return Picked(rows, "x", tuple((name, f"{name}!") for name in chosen))
            case "ordered":
                return Ordered(rows, "x", self._order(names))
            case "counted":
                by = self._some(names, 0, 1)
                return Counted(rows, "x", chance.randint(0, 4), chance.random() < 0.5, by)
            case "repeated":
                keep = chance.choice(["first", "last", "repeated", "alone"])
                order = self._order(names) if keep in ("first", "last") else ()
                return Repeated(rows, "x", self._some(names), keep, order)
            case "carried":
                flags = [chance.random() < 0.6 for _ in range(3)]
                return Carried(rows, "x", self._some(names, 1), *flags)
            case "parted":
                return Parted(rows, "x", chance.choice(texts), chance.choice([" ", "a"]))
            case "unpivoted":
                return self._unpivoted(rows)
            case "pivoted":
                return self._pivoted(rows)
        return Begun(rows, "x")

    def _pivoted(self, rows: Node) -> Node:
        chance = self.chance
        field, column = (chance.choice(list(rows.schema)) for _ in range(2))
        pool = VALUES[field.kind]
        values = tuple((f"v{n}", value) for n, value in enumerate(pool[: chance.randint(0, 3)]))
        is_exact = column.kind in (Kind.INTEGER, Kind.EXACT)
        hows: list[Any] = ["count", "min", "max", *(["sum"] if is_exact else [])]
        figure = chance.choice([Figure(None), *(Figure(column.name, how) for how in hows)])
        is_number = figure.kind(rows.schema, "x").is_numeric
        rest = chance.choice(["", "rest"])
        zero = is_number and chance.random() < 0.5
        by = self._some(rows.schema.names, 0, 2)
        return Pivoted(rows, "x", field.name, values, by, figure, rest, zero)

    def _unpivoted(self, rows: Node) -> Node:
        chance, names = self.chance, list(rows.schema.names)
        chance.shuffle(names)
        values = tuple(f"value {n}" for n in range(chance.randint(1, 2)))
        parts = []
        for label in range(chance.randint(1, 3)):
            own = [names.pop() if names and chance.random() < 0.8 else "" for _ in values]
            parts.append((f"part {label}", tuple(own)))
        # every column of values is of something
        if not all(any(own[at] for _, own in parts) for at in range(len(values))):
            return Begun(rows, "x")
        return Unpivoted(
            rows, "x", tuple(names), tuple(parts), "label", values, chance.random() < 0.5
        )

    def _condition(self, schema: Schema) -> Expression:
        chance, parts = self.chance, []
        for _ in range(chance.randint(1, 2)):
            column = chance.choice(list(schema))
            pool = [*VALUES[column.kind], None]
            value, other = chance.choice(pool), chance.choice(pool)
            tests: list[tuple[Any, tuple[Any, ...]]] = [
                *((sign, (value,)) for sign in ("=", "<>", "<", "<=", ">", ">=")),
                *(("in", (value, other)), ("between", (value, other))),
                *(("is blank", ()), ("is not blank", ())),
            ]
            if column.kind is Kind.TEXT:
                tests += [("contains", ("a",)), ("begins with", ("",)), ("contains", ("%",))]
            parts.append(Tested(column.name, *chance.choice(tests)))
        return joint(chance.choice(["all", "any"]), parts)

    def _summarised(self, rows: Node) -> Node:
        figures = [Figure(None)]
        for place in range(self.chance.randint(0, 2)):
            column = self.chance.choice(list(rows.schema))
            hows = ["count", "distinct count", "min", "max", "first", "last"]
            if column.kind in (Kind.INTEGER, Kind.EXACT):
                hows += ["sum", "average"]
            if column.kind is Kind.BOOLEAN:
                hows += ["true share"] * 3
            how: Any = self.chance.choice(hows)
            figures.append(Figure(column.name, how, f"figure {place}"))
        return Summarised(rows, self._some(rows.schema.names), tuple(figures))

    def _made(self, schema: Schema) -> tuple[tuple[str, Valued], ...]:
        made: dict[str, Valued] = {}
        for place in range(self.chance.randint(1, 2)):
            column = self.chance.choice(list(schema))
            text = self.chance.choice(FORMULAS[column.kind]).format(c=f'"{column.name}"')
            name = self.chance.choice([column.name, f"new {place}"])
            made[name] = formula(text, schema)
        return tuple(made.items())

    def _stacked(self, rows: Node, depth: int) -> Node:
        other = self.node(self.chance.randint(0, depth - 1))
        source, repeats = self.chance.choice(["", "source"]), self.chance.random() < 0.6
        return Stacked((rows, other), ("one", "two"), ((), ()), source, repeats)


def here(node: Node, tables: Mapping[str, Table], known: dict[str, Any]) -> Any:
    """Return what a node gives on this machine."""
    if node.digest not in known:
        if isinstance(node, Read):
            known[node.digest] = tables[node.stamp].with_origin(node.origin)
        else:
            found = [here(one, tables, known) for one in node.inputs()]
            known[node.digest] = execute(node, [rows_of(one) for one in found])
    return known[node.digest]


def rows_of(value: Any) -> Any:
    """Return the table of what a node gave; pairs as they are."""
    return getattr(value, "outcome", value)


def writer_of(session: Session, tables: Mapping[str, Table], numbered: bool = True) -> Writer:
    """Return what writes plans over tables that are sent along, with or without their order."""

    def begins(read: Read, ids: Sequence[str]) -> tuple[Sql, bool]:
        session.send_lane(f"~{read.stamp}", tables[read.stamp], ids)
        return select([star()], table(f"~{read.stamp}")), numbered

    return Writer(session.dialect, begins, NODE_WRITERS)


def compared(
    session: Session, node: Node, plans: Plans, numbered: bool = True, with_counts: bool = True
) -> Iterator[str]:
    """Yield what is other there than here: cells, states, order, kinds, and counts of joins.

    Raises
    ------
    UserError
        It is refused, here or there.
    """
    known: dict[str, Any] = {}
    ours = rows_of(here(node, plans.tables, known))
    writer = writer_of(session, plans.tables, numbered)
    relation = writer.rows(node, in_order=True)
    theirs = session.table(writer.program, relation)
    if shape(ours) != shape(theirs):
        yield f"columns: {shape(ours)} here, {shape(theirs)} there"
    mine, other = cells(ours), cells(theirs)
    is_same = mine == other if relation.is_total else Counter(mine) == Counter(other)
    if not is_same:
        yield f"rows: {mine} here, {other} there"
    for join in joins(node) if with_counts else ():
        try:
            query, uses = summaries.counts(writer, join)
            numbers = session.numbers(writer.program, query, uses)
        except UserError:
            continue
        told = counted(here(join, plans.tables, known).counts)
        if told != numbers:
            yield f"counts of {join.link}: {told} here, {numbers} there"


def counted(counts: Counts) -> list[int]:
    """Return counts in the order in which a query has them."""
    return [*astuple(counts.left), *astuple(counts.right), counts.pairs]


def joins(node: Node) -> list[Join]:
    """Return the joins that a node is made of, each once."""
    found = {one.digest: one for part in node.inputs() for one in joins(part)}
    if isinstance(node, Join):
        found[node.digest] = node
    return list(found.values())


def shape(rows: Table) -> list[tuple[str, Kind]]:
    """Return the names and kinds of columns."""
    return [(one.name, one.kind) for one in rows.fields]


def cells(rows: Table) -> list[tuple[str, ...]]:
    """Return every row as texts that tell values, blanks and gaps apart; 1.50 is 1.5."""
    columns = [rows.column(name) for name in rows.columns]
    texts = [
        [
            f"{_text(value)} {state}"
            for value, state in zip(one.to_list(), _states(one), strict=True)
        ]
        for one in columns
    ]
    return list(zip(*texts, strict=True)) if texts else [()] * len(rows)


def _states(column: Column) -> list[int]:
    return [0] * len(column) if column.state is None else column.state.tolist()


def _text(value: Any) -> str:
    if isinstance(value, Decimal):
        return f"{value.normalize() if value else Decimal(0)}"
    return repr(value + 0.0) if isinstance(value, float) else repr(value)
