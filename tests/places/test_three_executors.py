"""The same plans on this machine, in PostgreSQL and on a Spark cluster give the same."""

import contextlib
import random
import unittest
from collections import Counter
from collections.abc import Sequence
from types import SimpleNamespace
from typing import Any
from unittest import mock

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from keen_trellis.base.errors import LinkError, NotThereError, UserError
from keen_trellis.base.progress import quiet
from keen_trellis.compute.by_value import InKind
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Column, Kind, Table
from keen_trellis.formulas.formula_parser import formula
from keen_trellis.formulas.tree import EXTRACTED, TRUNCATED
from keen_trellis.places.place_session import Session
from keen_trellis.places.postgres.postgres_session import PostgresSession
from keen_trellis.places.spark.on_workers import Versions
from keen_trellis.places.spark.spark_session import SparkClusterSession
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.expressions import Expression, Tested
from keen_trellis.plan.functions import FUNCTIONS
from keen_trellis.plan.link import Link, LinkField
from keen_trellis.plan.nodes import Join, Kept, Node, Outcome, Read, Stacked
from keen_trellis.plan.operators import NEAREST, OF_TEXT, OPERATORS, TESTS
from keen_trellis.plan.outcome import Columns
from keen_trellis.plan.schema import Schema
from keen_trellis.plan.steps import Computed
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server
from keen_trellis.sql.dialects import NotSaidError
from keen_trellis.sql.relations import MappedColumn
from keen_trellis.sql.said_in_postgres import SAID_IN_POSTGRES
from keen_trellis.sql.sql_conditions import value_of
from tests.compute.test_formulas import AS_THERE, KINDS
from tests.places.cluster import SparkTestCase
from tests.places.plans import VALUES, Plans, cells, compared, here, rows_of, writer_of
from tests.postgres_case import PostgresTestCase

SERVER = Server("postgresql", "127.0.0.1", "test", "postgres")


def in_postgres() -> PostgresSession:
    secrets = Secrets()
    secrets.give(SERVER, "")
    return PostgresSession(SERVER, secrets)


def told(session: Session, seed: int, numbered: bool, tally: Counter[str]) -> None:
    """Compare one plan by chance; what is refused is counted, and never anything else."""
    plans = Plans(random.Random(seed))
    try:
        node: Node = plans.node(plans.chance.choice([1, 1, 2, 2, 3]))
        node.check()
        other = list(compared(session, node, plans, numbered))
    except NotThereError:
        tally["refused"] += 1
        return
    except LinkError:
        tally["refused here"] += 1
        return
    assert not other, f"seed {seed}: {other}"
    tally["same"] += 1


class PlansInPostgresTest(PostgresTestCase):
    @settings(max_examples=8, deadline=None, suppress_health_check=[HealthCheck.too_slow])
    @given(st.integers(0, 10**9), st.booleans())
    def test_plans_by_chance_give_the_same_rows_and_counts(self, seed: int, numbered: bool) -> None:
        tally: Counter[str] = Counter()
        with in_postgres() as session:  # one for some: what is sent stays to the end of a session
            for more in range(25):
                told(session, seed + more, numbered, tally)
        self.assertGreater(tally["same"], tally["refused"])


ON_WORKERS = mock.patch("keen_trellis.places.place_session.WORKED_OUT_HERE_AT_MOST", 0)
"""As if there were too many values for this machine: the cluster's Python runs our own code."""


class PlansOnSparkTest(SparkTestCase):
    def test_plans_by_chance_give_the_same_rows_and_counts(self) -> None:
        tally: Counter[str] = Counter()
        first = random.randrange(10**9)
        for more in range(12):
            with ON_WORKERS if more % 3 == 0 else contextlib.nullcontext():
                told(self.session, first + more, more % 4 > 0, tally)
        self.assertGreater(tally["same"], 2 * tally["refused"])


TEXTS = st.one_of(st.none(), st.text("aé 😀/-\n\u0301", max_size=9))
DAYS = st.one_of(st.none(), st.dates())
MOMENTS = st.one_of(st.none(), st.datetimes())
TIMES = st.one_of(st.none(), st.times())


class Functions:
    """Every function of the registry, by its examples and on columns, where a trellis runs."""

    session: Session
    words: tuple[str, ...] = ("Kelp", "elp", "%", "_", "Pt")
    """What texts are held against, one by one."""
    with_counts = True
    """Whether the counts of each join are asked for as well."""

    def test_examples_of_every_function_are_what_they_say(self) -> None:
        assert isinstance(self, unittest.TestCase)
        rows = Table.of({"n": Column.of([1], Kind.INTEGER)})
        asked = [one for function in FUNCTIONS.values() for one in function.examples]
        self.compare_all(rows, [text for text, _ in asked])

    def test_functions_of_columns_are_the_same(self) -> None:
        assert isinstance(self, unittest.TestCase)
        chance = random.Random(14)
        columns = {}
        for name, (kind, _) in KINDS.items():
            pool = VALUES[Kind(kind)] if name not in "ij" else list(range(-2, 4))
            columns[name] = Column.of([chance.choice([*pool, None]) for _ in range(12)], Kind(kind))
        rows = Table.of(columns)
        self.compare_all(rows, self.chosen(AS_THERE, rows))

    def chosen(self, asked: Sequence[str], rows: Table) -> Sequence[str]:
        """Return the formulas that are worth a question."""
        return asked

    def test_every_test_of_a_filter_and_every_operator_of_a_link_is_the_same(self) -> None:
        assert isinstance(self, unittest.TestCase)
        texts = ["Kelp Pt", "Pt Kelp", "kelp", "elp", "", "K%", "_", None]
        numbers = [3, 1, 1, 9, -4, 7, 0, None]
        rows = Table.of(
            {"t": Column.of(texts, Kind.TEXT), "n": Column.of(numbers, Kind.INTEGER)}, "rows"
        )
        others = Table.of(
            {"m": Column.of([1, 4, 4, 8, None, 3], Kind.INTEGER), "k": Column.of([*range(6)])},
            "others",
        )
        plans: Any = SimpleNamespace(tables={"rows": rows, "others": others})
        read, other = (Read(one, one, schema_of(plans.tables[one])) for one in plans.tables)
        kept: dict[str, Node] = {}
        for test in TESTS:
            asked = {"in": (1, 9), "between": (0, 3), "is blank": (), "is not blank": ()}
            if test not in OF_TEXT:
                kept[f"n {test}"] = Kept(read, Tested("n", test, asked.get(test, (1,))))
            words = {"in": ("kelp", "K%"), "between": ("K", "Pt"), "is blank": ()}
            words |= {"is not blank": ()}
            for word in self.words:
                kept[f"t {test} {word}"] = Kept(read, Tested("t", test, words.get(test, (word,))))
        met: dict[str, Node] = {}
        for operator in OPERATORS:
            for strict in (False, True) if operator in NEAREST else (False,):
                link = Link((LinkField("n", "m", operator, strict=strict),))
                join = Join(read, other, link, ("Rows", "Others"))
                every = Outcome(join, (Bay.LEFT, Bay.BOTH, Bay.RIGHT), Columns())
                met[f"{operator} {'strictly' if strict else ''}"] = every
        for parts in (kept, met):  # each in one question, with its own name beside its rows
            nothing = ((),) * len(parts)
            whole = Stacked(tuple(parts.values()), tuple(parts), nothing, "asked")
            other = compared(self.session, whole, plans, with_counts=self.with_counts)
            self.assertEqual(list(other), [])

    def compare_all(self, rows: Table, asked: Sequence[str]) -> None:
        assert isinstance(self, unittest.TestCase)
        schema = schema_of(rows)
        known = {name: made for name in asked if (made := understood(name, schema))}
        refused = 0
        waiting = [list(known.items())[start : start + 10] for start in range(0, len(known), 10)]
        while waiting:
            some = waiting.pop()
            try:
                compare(self, self.session, rows, dict(some))
            except NotThereError:  # one of them: it is looked for by halves
                half = len(some) // 2
                refused += not half
                waiting += [some[:half], some[half:]] if half else []
        self.assertLess(refused, len(known) / 8)


def understood(text: str, schema: Schema) -> Expression | None:
    try:
        return formula(text, schema)
    except UserError:
        return None


def compare(
    test: unittest.TestCase, session: Session, rows: Table, made: dict[str, Expression]
) -> None:
    """Work formulas out here and there, and compare each column."""
    read = Read("rows", "rows", schema_of(rows))
    node = Computed(read, "x", tuple(made.items()))  # type: ignore[arg-type]
    ours = rows_of(here(node, {"rows": rows}, {}))
    writer = writer_of(session, {"rows": rows})
    theirs = session.table(writer.program, writer.rows(node, in_order=True))
    names = list(made)
    for name, mine, other in zip(
        names, columns_of(ours, names), columns_of(theirs, names), strict=True
    ):
        test.assertEqual(mine, other, name)


def columns_of(rows: Table, names: list[str]) -> list[list[tuple[str, ...]]]:
    return [cells(Table.of({name: rows.column(name)})) for name in names]


class FunctionsInPostgresTest(Functions, PostgresTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.session = in_postgres()
        self.addCleanup(self.session.close)

    @given(
        st.lists(st.tuples(TEXTS, TEXTS, DAYS, MOMENTS, TIMES), min_size=1, max_size=30),
        st.lists(st.one_of(st.integers(-9, 9), st.integers(-(2**31), 2**31)), min_size=3),
    )
    @settings(max_examples=12, deadline=None)
    def test_what_it_says_itself_means_there_what_it_means_here(
        self, rows: list[tuple[object, ...]], numbers: list[int]
    ) -> None:
        kinds = (Kind.TEXT, Kind.TEXT, Kind.DATE, Kind.DATE_TIME, Kind.TIME)
        columns = zip("tudmh", kinds, zip(*rows, strict=True), strict=True)
        table = Table.of({name: Column.of(cells, kind) for name, kind, cells in columns})
        a, b, c = numbers[:3]
        asked = [
            *(f"LEFT(t, {a})", f"RIGHT(t, {b})", f"SUBSTRING(t FROM {a})"),
            *(f"SUBSTRING(t FROM {a} FOR {abs(b)})", f"SPLIT_PART(t, u, {c or 1})"),
            *(
                "POSITION(u IN t)",
                "TRIM(t)",
                "TRIM(LEADING u FROM t)",
                "TRIM(TRAILING 'a ' FROM t)",
            ),
            *(f"EXTRACT({part} FROM {of})" for part in EXTRACTED[:8] for of in "dm"),
            *(f"EXTRACT({part} FROM {of})" for part in ("HOUR", "MINUTE") for of in "mh"),
            *(f"TRUNC({of}, '{unit}')" for unit in TRUNCATED for of in "dm"),
        ]
        schema = schema_of(table)
        made = {text: formula(text, schema) for text in asked}
        self.assertEqual(
            set(SAID_IN_POSTGRES) - {one.function for one in made.values()},  # type: ignore[attr-defined]
            set(),
        )
        compare(self, self.session, table, made)  # type: ignore[arg-type]
        writer = writer_of(self.session, {"rows": table})
        there = writer.rows(Read("rows", "rows", schema))
        for text, one in made.items():
            if max(map(abs, (a, b, c))) < 2**30:  # none of them is sent to be worked out here
                self.assertTrue(value_of(one, there, self.session.dialect), text)  # type: ignore[arg-type]


class FunctionsOnSparkTest(Functions, SparkTestCase):
    words = ("elp",)  # a question takes half a second there
    with_counts = False

    def chosen(self, asked: Sequence[str], rows: Table) -> Sequence[str]:
        """All that the cluster says itself; of what our own code works out, twenty each time."""
        schema = schema_of(rows)
        there = writer_of(self.session, {"rows": rows}).rows(Read("rows", "rows", schema))
        said, other = [], []
        for text in asked:
            made = understood(text, schema)
            if made is not None:
                try:
                    is_said = bool(value_of(made, there, self.session.dialect))
                except NotSaidError:
                    is_said = False
                (said if is_said else other).append(text)
        self.assertGreater(len(said), 30)
        return [*said, *random.sample(other, 20)]


class OnWorkersTest(SparkTestCase):
    def test_workers_run_our_own_code(self) -> None:
        texts = [" Köln", "KÖLN ", "ß", None, "a_b"] * 3
        rows = Table.of({"t": Column.of(texts, Kind.TEXT), "n": Column.of(range(15), Kind.INTEGER)})
        asked = ("UPPER(TRIM(t))", "t LIKE '%a!_%' ESCAPE '!'", "LPAD(t, n, 'xy')")
        with ON_WORKERS:
            compare(self, self.session, rows, {one: formula(one, schema_of(rows)) for one in asked})

    def test_what_our_own_code_refuses_there_is_the_sentence_that_it_says_here(self) -> None:
        rows = Table.of({"n": Column.of([1, 2**60 + 1], Kind.INTEGER)})
        read = Read("rows", "rows", schema_of(rows))
        work = InKind("n", Kind.NUMBER)
        with self.assertRaises(NotThereError) as here_:
            work(rows)
        writer = writer_of(self.session, {"rows": rows})
        before = writer.rows(read)
        gives = [MappedColumn("~n", Kind.NUMBER)]
        made = writer.with_worked_out(before, [before.held("n")], gives, work, "other kinds")
        with ON_WORKERS, self.assertRaises(NotThereError) as there:
            self.session.table(writer.program, made)
        self.assertEqual(there.exception.happened, str(here_.exception))

    def test_whatever_our_own_code_raises_there_is_told_by_its_sentence(self) -> None:
        waiting: list[type[Exception]] = [UserError]
        while waiting:
            raised = waiting.pop()
            waiting += raised.__subclasses__()
            if raised.__module__.startswith("keen_trellis."):
                line = f"{raised.__module__}.{raised.__name__}: It is so. Do that."
                found = self.session.explained(ValueError(f"Traceback ...\n{line}\n at java"))
                self.assertIsInstance(found, NotThereError, raised)
                self.assertEqual(str(found), "It is so. Do that.")

    def test_another_python_is_said_and_does_not_work(self) -> None:
        other = {**Versions.here(), "Unicode": "9.0.0"}
        with mock.patch.object(Versions, "here", lambda: other):
            why = SparkClusterSession(self.spark().place())._own_code(quiet)
        self.assertIn("Unicode", why)
