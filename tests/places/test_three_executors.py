"""The same plans on this machine, in PostgreSQL and on a Spark cluster give the same."""

import random
import unittest
from collections import Counter

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from keen_trellis.compute.schemas import schema_of
from keen_trellis.data import Column, Kind, Table
from keen_trellis.errors import LinkError, NotThereError, UserError
from keen_trellis.formulas.reading import formula
from keen_trellis.places.postgres import PostgresSession
from keen_trellis.places.session import Session
from keen_trellis.plan.functions import FUNCTIONS
from keen_trellis.plan.nodes import Node, Read
from keen_trellis.plan.schema import Schema
from keen_trellis.plan.steps import Computed
from keen_trellis.read import Secrets, Server
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
            for more in range(40):
                told(session, seed + more, numbered, tally)
        self.assertGreater(tally["same"], tally["refused"])


class PlansOnSparkTest(SparkTestCase):
    def test_plans_by_chance_give_the_same_rows_and_counts(self) -> None:
        tally: Counter[str] = Counter()
        first = random.randrange(10**9)
        for more in range(18):
            told(self.session, first + more, more % 4 > 0, tally)
        self.assertGreater(tally["same"], 2 * tally["refused"])


class Functions:
    """Every function of the registry, by its examples and on columns, where a trellis runs."""

    session: Session

    def test_examples_of_every_function_are_what_they_say(self) -> None:
        assert isinstance(self, unittest.TestCase)
        rows = Table.of({"n": Column.of([1], Kind.INTEGER)})
        asked = [one for function in FUNCTIONS.values() for one in function.examples]
        self.compare(rows, {text: text for text, _ in asked})

    def test_functions_of_columns_are_the_same(self) -> None:
        chance = random.Random(14)
        columns = {}
        for name, (kind, _) in KINDS.items():
            pool = VALUES[Kind(kind)] if name not in "ij" else list(range(-2, 4))
            columns[name] = Column.of([chance.choice([*pool, None]) for _ in range(12)], Kind(kind))
        self.compare(Table.of(columns), {text: text for text in AS_THERE})

    def compare(self, rows: Table, asked: dict[str, str]) -> None:
        assert isinstance(self, unittest.TestCase)
        schema = schema_of(rows)
        known = {name: made for name, text in asked.items() if (made := self.read(text, schema))}
        refused = 0
        for start in range(0, len(known), 20):
            some = dict(list(known.items())[start : start + 20])
            try:
                self.compare_some(rows, some)
            except NotThereError:  # one of them: each by itself
                for name, made in some.items():
                    try:
                        self.compare_some(rows, {name: made})
                    except NotThereError:
                        refused += 1
        self.assertLess(refused, len(known) / 8)

    def compare_some(self, rows: Table, made: dict[str, object]) -> None:
        assert isinstance(self, unittest.TestCase)
        read = Read("rows", "rows", schema_of(rows))
        node = Computed(read, "x", tuple(made.items()))  # type: ignore[arg-type]
        ours = rows_of(here(node, {"rows": rows}, {}))
        writer = writer_of(self.session, {"rows": rows})
        theirs = self.session.table(writer.program, writer.rows(node, in_order=True))
        names = list(made)
        for name, mine, other in zip(
            names, columns_of(ours, names), columns_of(theirs, names), strict=True
        ):
            self.assertEqual(mine, other, name)

    def read(self, text: str, schema: Schema) -> object:
        try:
            return formula(text, schema)
        except UserError:
            return None


def columns_of(rows: Table, names: list[str]) -> list[list[tuple[str, ...]]]:
    return [cells(Table.of({name: rows.column(name)})) for name in names]


class FunctionsInPostgresTest(Functions, PostgresTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.session = in_postgres()
        self.addCleanup(self.session.close)


class FunctionsOnSparkTest(Functions, SparkTestCase):
    pass
