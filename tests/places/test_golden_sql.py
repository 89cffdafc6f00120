"""What every sort of node is run by here, and what is written of it for each place.

The statements lie beside this file, to be read: one for each node and dialect. After a change that
is meant, `KEEN_TRELLIS_GOLDEN=write python -m unittest tests.places.test_golden_sql` writes them.
"""

import datetime as dt
import os
import unittest
from collections.abc import Iterator, Sequence
from dataclasses import replace
from decimal import Decimal
from pathlib import Path

from keen_trellis.base.errors import NotThereError
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Column, Kind, Table
from keen_trellis.formulas.formula_parser import formula
from keen_trellis.plan.across import Across
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.blends import Blended, Summarised
from keen_trellis.plan.expressions import Expression, Joint, Tested
from keen_trellis.plan.figures import Figure
from keen_trellis.plan.formulas import Applied, Cell, Constant, Valued
from keen_trellis.plan.link import Link, LinkField, OrderField
from keen_trellis.plan.nodes import BayRows, Begun, Join, Kept, Node, Outcome, Read, Stacked
from keen_trellis.plan.operators import NEAREST, OF_TEXT, OPERATORS, TESTS
from keen_trellis.plan.outcome import Columns
from keen_trellis.plan.steps import (
    Carried,
    Computed,
    Counted,
    Grouped,
    OnRows,
    Ordered,
    Parted,
    Picked,
    Pivoted,
    Repeated,
    SpelledOut,
    Unpivoted,
)
from keen_trellis.sql.dialects import DIALECTS, POSTGRES, Dialect, NotSaidError, Sql
from keen_trellis.sql.node_writers import NODE_WRITERS
from keen_trellis.sql.relations import called, column, select, star, table
from keen_trellis.sql.said_in_postgres import SAID_IN_POSTGRES
from keen_trellis.sql.sql_conditions import SAID_THERE, condition, value_of
from keen_trellis.sql.summaries import counts
from keen_trellis.sql.writer import Writer
from tests.places.plans import here, rows_of

GOLDEN = Path(__file__).parent / "golden"
TABLES = {
    "takings": Table.of(
        {
            "route": Column.of(["KP-MS", "KP-BR", "KP-MS", None], Kind.TEXT),
            "day": Column.of([dt.date(2026, 1, n) for n in (1, 2, 3, 4)], Kind.DATE),
            "amount": Column.of([98, 12, None, 7], Kind.INTEGER),
        }
    ),
    "routes": Table.of(
        {
            "code": Column.of(["KP-MS", "GH-TO"], Kind.TEXT),
            "zone": Column.of(["Inner", "Outer"], Kind.TEXT),
        }
    ),
}
TAKINGS, ROUTES = (Read(name, name, schema_of(held)) for name, held in TABLES.items())
JOIN = Join(TAKINGS, ROUTES, Link((LinkField("route", "code"),)), ("Takings", "Routes"))
ALL = (Bay.LEFT, Bay.BOTH, Bay.RIGHT)
BY_ROUTE = Summarised(TAKINGS, ("route",), (Figure("amount", "sum"),))
NAMED = Picked(ROUTES, "Routes", (("code", "route"),))
BLENDED = Outcome(
    Join(BY_ROUTE, NAMED, Link((LinkField("route", "route"),)), ("Takings", "Routes")),
    ALL,
    Columns(link="once"),
)
AFTERNOON = formula("amount * 2", TAKINGS.schema)
NODES: dict[type[Node], Node] = {
    Read: TAKINGS,
    Begun: Begun(TAKINGS, "again"),
    Kept: Kept(TAKINGS, Tested("amount", ">", (10,))),
    Join: JOIN,
    Outcome: Outcome(JOIN, ALL, Columns()),
    BayRows: BayRows(JOIN, Bay.LEFT),
    Stacked: Stacked(
        (TAKINGS, ROUTES), ("Takings", "Routes"), ((), (("code", "route"),)), "lane", False
    ),
    Summarised: BY_ROUTE,
    Blended: Blended(
        (BY_ROUTE, NAMED), (BLENDED,), ("Takings", "Routes"), ((Figure("amount", "sum"),), ())
    ),
    Computed: Computed(TAKINGS, "Takings", (("twice", AFTERNOON),)),  # type: ignore[arg-type]
    Picked: NAMED,
    Ordered: Ordered(TAKINGS, "Takings", (OrderField("amount", True),)),
    Counted: Counted(TAKINGS, "Takings", 1, by=("route",)),
    Repeated: Repeated(TAKINGS, "Takings", ("route",)),
    Carried: Carried(TAKINGS, "Takings", ("amount",)),
    Parted: Parted(TAKINGS, "Takings", "route", "-"),
    Grouped: Grouped(TAKINGS, "Takings", ("route",), (Figure("amount", "max"),)),
    Unpivoted: Unpivoted(
        *(TAKINGS, "Takings", ("day",), (("a", ("route", "amount")), ("b", ("", "amount")))),
        *("of", ("where", "much"), False),
    ),
    Across: Across(TAKINGS, "Takings", "so far", "running sum", "amount", ("route",)),
    Pivoted: Pivoted(
        *(TAKINGS, "Takings", "route", (("inner", "KP-MS"), ("outer", "KP-BR"))),
        *(("day",), Figure("amount", "sum"), "others", True),
    ),
}
"""One of each sort."""


IN_POSTGRES = {
    "LEFT": "LEFT(route, -2)",
    "RIGHT": "RIGHT(route, 2)",
    "SUBSTRING": "SUBSTRING(route FROM 2 FOR 3)",
    "POSITION": "POSITION('-' IN route)",
    "SPLIT_PART": "SPLIT_PART(route, '-', -1)",
    "TRIM": "TRIM(LEADING 'K' FROM route)",
    "EXTRACT": "EXTRACT(WEEK FROM DATE '2026-01-05')",
    "TRUNC": "TRUNC(DATE '2026-01-05', 'quarter')",
}
FORMULAS = {
    **{sign: f"amount {sign} 2" for sign in ("=", "<>", "<", "<=", ">", ">=")},
    "IS DISTINCT FROM": "route IS DISTINCT FROM 'KP-MS'",
    "AND": "amount > 1 AND amount < 9",
    "OR": "amount > 1 OR route = 'KP-MS'",
    "NOT": "NOT amount > 1",
    "IS NULL": "route IS NULL",
    "IS TRUE": "(amount > 1) IS TRUE",
    "CASE": "CASE WHEN amount > 9 THEN 'many' WHEN amount > 1 THEN route ELSE 'few' END",
    "COALESCE": "COALESCE(route, 'none')",
    "NULLIF": "NULLIF(route, 'KP-MS')",
    "+": "amount + 1",
    "-": "amount - 1",
    "*": "amount * 2",
    "||": "route || '!'",
    "CHAR_LENGTH": "CHAR_LENGTH(route)",
}
"""One for each function that both dialects say as we mean it."""

OF_TWO_KINDS: tuple[Tested | str, ...] = (
    Tested("amount", "between", (1, Decimal("2.5"))),
    Tested("amount", "in", (1, Decimal("2.5"))),
    Tested("day", "=", (dt.datetime(2026, 1, 2, 10),)),
    *("amount = 2.5", "2.5 < amount", "amount >= 2.5e0", "2.5e0 <> 2.5"),
    "day <= TIMESTAMP '2026-01-02 10:00:00'",
)
"""Where values of two kinds are compared: the left one is made the other, or both."""


DAYS = LinkField("day", "day")
TWICE = Read("others", "others", TAKINGS.schema)
LINKS: dict[str, Link] = {
    **{
        f"{column} {operator}": Link((LinkField(column, column, operator),))
        for column in ("route", "amount")
        for operator in OPERATORS
        if operator not in NEAREST or column == "amount"
    },
    **{
        f"{operator} within 2 days, strictly": Link(
            (LinkField("route", "route"), LinkField("day", "day", operator, True, 2))
        )
        for operator in NEAREST
    },
    "by month": Link((replace(DAYS, span="month"),)),
    "blanks match": Link((LinkField("route", "route"), DAYS), blanks="match"),
    "first by amount": Link(
        (LinkField("route", "route"),), partner="first", order=(OrderField("amount", True),)
    ),
    "last of the right": Link(
        (LinkField("amount", "amount", "<"),),
        partner="last",
        partner_for="right",
        order=(OrderField("day"),),
    ),
    "only": Link((LinkField("route", "route"),), partner="only"),
    "cross": Link((), cross=True),
}
"""One of each way to link."""


def as_valued(text: str) -> Valued:
    """Return a formula of the takings."""
    made = formula(text, TAKINGS.schema)
    assert isinstance(made, Valued)
    return made


def below(above: type) -> Iterator[type]:
    """Yield every class of the program below another; tests may have some of their own."""
    for one in above.__subclasses__():
        if one.__module__.startswith("keen_trellis."):
            yield one
        yield from below(one)


def begins(read: Read, ids: Sequence[str]) -> tuple[Sql, bool]:
    """Return a lane as a table of its name, whose rows are numbered."""
    return select([star()], table(read.stamp)), True


def written(node: Node, dialect: Dialect) -> str:
    """Return the statement that gives the rows of a node, or the counts of a join."""
    writer = Writer(dialect, begins, NODE_WRITERS)
    if isinstance(node, Across):  # refused by its name
        try:
            writer.rows(node)
        except NotThereError as refused:
            return f"-- {refused}\n"
    if isinstance(node, Join):
        query, uses = counts(writer, node)
    else:
        rows = writer.rows(node, in_order=True)
        names = [called(column(held.id), held.name) for held in rows.columns]
        query, uses = select(names, table(rows.name)), (rows.name,)
    return dialect.text(writer.program.whole(query, uses)) + "\n"


class EveryNodeTest(unittest.TestCase):
    maxDiff = 2_000

    def test_there_is_one_of_each(self) -> None:
        every = {one.__name__ for one in below(Node) if one not in (OnRows, SpelledOut)}
        # that of a notebook holds its rows: it runs on this machine alone
        self.assertEqual(every - {"_Given"}, {one.__name__ for one in NODES})
        self.assertEqual(set(NODES) - set(NODE_WRITERS), {Read, Join})

    def test_every_sort_of_condition_can_be_written(self) -> None:
        asked = {
            Tested: Tested("amount", ">", (10,)),
            Joint: Joint("all", (Tested("amount", ">", (10,)),)),
            Cell: Cell("amount", Kind.INTEGER),
            Constant: Constant(1, Kind.INTEGER),
            Applied: AFTERNOON,
        }
        there = {one.__name__ for one in below(Expression)} - {Valued.__name__}
        there.discard("Nothing")  # a NULL while a formula is read; none that was read has one
        self.assertEqual(there, {one.__name__ for one in asked})
        for dialect in DIALECTS.values():
            for one in asked.values():
                writer = Writer(dialect, begins, NODE_WRITERS)
                made = condition(one, writer.rows(TAKINGS), dialect)
                self.assertTrue(dialect.text(made))

    def test_what_a_place_can_say_itself_is_said_there_and_not_sent(self) -> None:
        self.assertEqual(set(FORMULAS), set(SAID_THERE))
        self.assertEqual(set(IN_POSTGRES), set(SAID_IN_POSTGRES))
        for name, dialect in DIALECTS.items():
            lines = []
            own = IN_POSTGRES if dialect is POSTGRES else {}
            for function, text in {**FORMULAS, **own}.items():
                rows = Writer(dialect, begins, NODE_WRITERS).rows(TAKINGS)
                made = value_of(as_valued(text), rows, dialect)
                lines.append(f"-- {function}: {text}\n{dialect.text(made, pretty=False)}\n")
            self.assert_golden(f"formulas.{name}.sql", "\n".join(lines))

    def test_every_test_of_a_filter_is_written_as_it_was(self) -> None:
        numbers = {"in": (1, 9), "between": (0, 3), "is blank": (), "is not blank": ()}
        texts = {"in": ("KP", "K%"), "between": ("A", "K"), "is blank": (), "is not blank": ()}
        for name, dialect in DIALECTS.items():
            lines = []
            for test in TESTS:
                for column_, asked in (("amount", numbers), ("route", texts)):
                    value = 10 if column_ == "amount" else "K_%'"
                    if test in OF_TEXT and column_ == "amount":
                        continue
                    one = Tested(column_, test, asked.get(test, (value,)))
                    rows = Writer(dialect, begins, NODE_WRITERS).rows(TAKINGS)
                    made = dialect.text(condition(one, rows, dialect), pretty=False)
                    lines.append(f"-- {column_} {test}\n{made}\n")
            for of_two in OF_TWO_KINDS:
                rows = Writer(dialect, begins, NODE_WRITERS).rows(TAKINGS)
                one_ = of_two if isinstance(of_two, Tested) else as_valued(of_two)
                try:
                    made = dialect.text(condition(one_, rows, dialect), pretty=False)
                except NotSaidError as sent:  # worked out by our own code
                    made = f"-- not said: {sent}"
                lines.append(f"-- {of_two}\n{made}\n")
            self.assert_golden(f"tests.{name}.sql", "\n".join(lines))

    def test_every_link_and_its_counts_are_written_as_they_were(self) -> None:
        for name, dialect in DIALECTS.items():
            lines = []
            for title, link in LINKS.items():
                met = Join(TAKINGS, TWICE, link, ("Takings", "Others"))
                for node in (Outcome(met, ALL, Columns()), met):
                    sort = "rows" if node is not met else "counts"
                    try:
                        text = written(node, dialect)
                    except NotThereError as refused:
                        text = f"-- {refused}\n"
                    lines.append(f"-- {title}: {sort}\n{text}")
            self.assert_golden(f"links.{name}.sql", "\n".join(lines))

    def test_a_plan_may_be_as_deep_as_it_wants(self) -> None:
        node: Node = TAKINGS
        for number in range(1_500):
            node = Kept(node, Tested("amount", ">", (number,)))
            self.assertTrue(node.digest)  # known one after the other, as where a trellis is planned
            node.check()
        self.assertEqual(written(node, DIALECTS["postgres"]).count('"amount" > '), 1_500)

    def test_each_is_run_here(self) -> None:
        known: dict[str, object] = {}
        for sort, node in NODES.items():
            with self.subTest(sort.__name__):
                given = rows_of(here(node, TABLES, known))
                if sort is not Join:  # it gives pairs
                    self.assertEqual(given.columns, node.schema.names)

    def test_each_is_written_for_every_place_as_it_was(self) -> None:
        for sort, node in NODES.items():
            for name, dialect in DIALECTS.items():
                path = GOLDEN / f"{sort.__name__}.{name}.sql"
                with self.subTest(path.name):
                    self.assert_golden(path.name, written(node, dialect))

    def assert_golden(self, name: str, text: str) -> None:
        """Hold a text against the file of a name, or write it there where that is wished."""
        path = GOLDEN / name
        if os.environ.get("KEEN_TRELLIS_GOLDEN") == "write":
            GOLDEN.mkdir(exist_ok=True)
            path.write_text(text)
        self.assertEqual(text, path.read_text())


if __name__ == "__main__":
    unittest.main()
