"""A trellis runs where its data is: counted, compared, delivered, refused by name, stopped."""

import contextlib
import io
import json
import os
import shutil
import tempfile
import threading
import time
import unittest
import uuid
from dataclasses import replace
from decimal import Decimal
from pathlib import Path
from unittest import mock

import psycopg
import pyarrow as pa
import pyarrow.parquet as pq
import pymysql
from sqlglot import parse_one

from keen_trellis.base.errors import (
    ConnectionLostError,
    NotThereError,
    SourceError,
    UserError,
)
from keen_trellis.base.progress import Cancelled
from keen_trellis.cli.main import main
from keen_trellis.document import Trellis, load, save
from keen_trellis.document.edits import (
    AddDelivery,
    AddLane,
    AddTie,
    SetDelivery,
    SetLink,
    SetPlace,
    SetPromises,
    apply,
)
from keen_trellis.document.items import (
    DeliveryItem,
    FilterItem,
    FormulaItem,
    IntoTable,
    LinkedFields,
    Promised,
)
from keen_trellis.document.items.formula import NamedFormula
from keen_trellis.document.places import RunPlace
from keen_trellis.document.sources import (
    ColumnarSource,
    QuerySource,
    TableSource,
    TypedSource,
)
from keen_trellis.places.lane_tables import TableAsked
from keen_trellis.places.postgres.what_is_read import read_by_relation
from keen_trellis.places.spark.spark_session import SparkClusterSession
from keen_trellis.run import Runner
from keen_trellis.run.place_delivery import make_deliveries_there
from keen_trellis.run.place_facts import results_of
from keen_trellis.run.place_run import There, session_at
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import RowCondition, Server
from keen_trellis.sql.relations import Program
from tests.places.cluster import DRIVERS, Cluster, SparkTestCase, cluster
from tests.places.test_three_executors import in_postgres
from tests.postgres_case import PostgresTestCase

DEMO = Path(__file__).parents[2] / "demo"
SECRET = "HARBOUR_OF_TESTS"


def command(*arguments: str) -> tuple[int, str, str]:
    said, trouble = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(said), contextlib.redirect_stderr(trouble):
        code = main(list(arguments))
    return code, said.getvalue(), trouble.getvalue()


class Room(unittest.TestCase):
    """A folder of its own, with a state of its own."""

    def make_room(self) -> None:
        room = tempfile.TemporaryDirectory()
        self.addCleanup(room.cleanup)
        self.room = Path(room.name)
        state = {"XDG_STATE_HOME": str(self.room / "state"), SECRET: "not to be told"}
        surroundings = mock.patch.dict(os.environ, state)
        surroundings.start()
        self.addCleanup(surroundings.stop)

    def demo(self, name: str, place: RunPlace) -> Path:
        """Return a copy of a trellis of the demo that can run at a place, and may."""
        shutil.copytree(DEMO, self.room / "demo", ignore=shutil.ignore_patterns("out"))
        file = self.room / "demo" / f"{name}.trellis"
        return self.saved(apply(SetPlace(place), load(file))[0], file)

    def saved(self, trellis: Trellis, file: Path) -> Path:
        save(trellis, file)
        self.assertEqual(command("allow", str(file), "--yes")[0], 0)
        return file


class InPostgresTest(PostgresTestCase, Room):
    def setUp(self) -> None:
        super().setUp()
        self.make_room()
        self.schema = f"keen_{uuid.uuid4().hex}"
        self.server.execute(f"create schema {self.schema}")
        self.addCleanup(self.server.execute, f"drop schema {self.schema} cascade")
        self.at = Server("postgresql", "127.0.0.1", "test", "postgres", password=f"${{{SECRET}}}")
        self.place = RunPlace(name="pier", at=self.at)

    def table(self, name: str, columns: str, rows: str) -> TableSource:
        self.server.execute(f"create table {self.schema}.{name} ({columns})")
        self.server.execute(f"insert into {self.schema}.{name} values {rows}")
        return TableSource(database=self.at, table=name, in_schema=self.schema)

    def tied(self) -> Trellis:
        """Return Takings tied with Tickets, both tables of the server, and a delivery there."""
        takings = self.table(
            "takings",
            "ticket int, fare numeric(8,2)",
            "(1, 2.50), (1, 3), (2, 4.75), (9, 1), (null, 7)",
        )
        tickets = self.table("tickets", "no bigint, pier text", "(1, 'Tolland'), (2, 'Brae')")
        trellis = apply(AddLane("Takings", takings), Trellis())[0]
        trellis = apply(AddLane("Tickets", tickets), trellis)[0]
        lane, other = trellis.lanes
        trellis = apply(AddTie(lane.id, other.id, ()), trellis)[0]
        join = next(item for _, item in trellis.joins())
        trellis = apply(SetLink(join.id, (LinkedFields(left="ticket", right="no"),)), trellis)[0]
        trellis = apply(AddDelivery(lane.id, "Season", str(self.room / "season.csv")), trellis)[0]
        return apply(SetPlace(self.place), trellis)[0]

    def test_the_demo_gives_every_count_that_it_gives_here(self) -> None:
        code, said, _ = command(
            "compare", str(self.demo("whole-season", self.place)), "--on", "pier"
        )
        self.assertEqual(code, 0, said)
        self.assertIn("Every count is the same.", said)
        self.assertGreater(said.count("\n"), 150)

    def test_tables_of_the_server_stay_there_and_are_counted(self) -> None:
        file = self.saved(self.tied(), self.room / "tied.trellis")
        code, said, trouble = command("run", str(file), "--on", "pier", "--json")
        self.assertEqual(code, 0, trouble)
        told = json.loads(said)
        (tie,) = told["ties"]
        self.assertEqual((tie["left"]["found"], tie["left"]["blank"], tie["pairs"]), (3, 1, 3))
        self.assertIn("stays where it is", told["sources"][0]["notes"][0])
        here = json.loads(command("run", str(file), "--json")[1])
        self.assertEqual(tie, here["ties"][0])
        self.assertNotIn("not to be told", said + trouble + file.read_text())

    def test_a_broken_promise_is_one_there_too(self) -> None:
        trellis = self.tied()
        join = next(item for _, item in trellis.joins())
        promises = (Promised(what="found"), Promised(what="same total", column="fare"))
        file = self.saved(
            apply(SetPromises(join.id, promises), trellis)[0], self.room / "t.trellis"
        )
        code, _, trouble = command("run", str(file), "--on", "pier", "--deliver")
        self.assertEqual(code, 1)
        self.assertIn("every Takings row finds a Tickets row: 2 do not", trouble)
        self.assertNotIn("same total", trouble)
        self.assertFalse((self.room / "season.csv").exists())
        command("run", str(file), "--on", "pier", "--deliver", "--despite")
        self.assertEqual(len((self.room / "season.csv").read_text().splitlines()), 6)
        ((_, item),) = trellis.deliveries()
        into = IntoTable(database=self.at, table="season", in_schema=self.schema)
        made = DeliveryItem(**dict(item.model_copy(update={"path": "", "into": into})))
        file = self.saved(apply(SetDelivery(made), load(file))[0], file)
        season = f"select to_regclass('{self.schema}.season') is not null"
        for despite in ([], ["--despite"]):  # written there, without a row being fetched
            code, said, _ = command("run", str(file), "--on", "pier", "--deliver", *despite)
            self.assertEqual(code, 1)
            self.assertEqual("stopped by a broken promise" in said, not despite)
            self.assertEqual(self.server.execute(season).fetchone(), (bool(despite),))

    def test_rows_are_updated_by_their_key_and_what_that_changes_is_said_before(self) -> None:
        source = self.table("fares", "n int, fare numeric(6,2)", "(1, 1.25), (2, 3.5), (4, null)")
        trellis = apply(AddLane("Fares", source), Trellis())[0]
        trellis = apply(AddDelivery("fares", "Fares", "x.csv"), trellis)[0]
        ((_, item),) = trellis.deliveries()
        into = IntoTable(
            database=self.at, table="kept", in_schema=self.schema, how="update", key="n"
        )
        made = DeliveryItem(**dict(item.model_copy(update={"path": "", "into": into})))
        told = apply(SetPlace(self.place), apply(SetDelivery(made), trellis)[0])[0]
        file = self.saved(told, self.room / "fares.trellis")
        kept = f"{self.schema}.kept"
        self.server.execute(f"create table {kept} (fare numeric(9, 3), n bigint unique, at date)")
        before = [(1.25, 1, None), (9, 2, "2026-01-05"), (7, 3, None), (None, None, None)]
        said = "1 row added, 1 changed, 1 as they were and 2 only there stay"
        for place in ([], ["--on", "pier"]):
            self.server.execute(f"truncate {kept}")
            for row in before:
                self.server.execute(f"insert into {kept} values (%s, %s, %s)", row)
            rows = f"select n, fare, at::text from {kept} order by n"
            for how, now in (([], 9), (["--deliver"], Decimal("3.5"))):
                code, told, trouble = command("run", str(file), *place, *how)
                self.assertEqual(code, 0, trouble)
                self.assertIn(said, told)
                found = self.server.execute(rows).fetchall()
                self.assertEqual(found[1], (2, now, "2026-01-05"))
                self.assertEqual(len(found), 5 if how else 4)

    def test_outcomes_are_written_there_in_one_transaction_or_fetched(self) -> None:
        trellis = self.tied()
        file = self.saved(trellis, self.room / "tied.trellis")
        self.assertEqual(command("run", str(file), "--on", "pier", "--deliver")[0], 0)
        there = (self.room / "season.csv").read_text()
        command("run", str(file), "--deliver", "--replace")
        self.assertEqual(
            sorted(there.splitlines()), sorted((self.room / "season.csv").read_text().splitlines())
        )
        item = next(one for _, one in trellis.deliveries())
        into = IntoTable(
            database=self.at, table="season", in_schema=self.schema, how="replace", key="ticket"
        )
        self.server.execute(f"create table {self.schema}.season as select 'old' as ticket")
        changed = item.model_copy(update={"path": "", "into": into})
        made = DeliveryItem(**dict(changed))
        file = self.saved(apply(SetDelivery(made), trellis)[0], file)
        code, _, trouble = command("run", str(file), "--on", "pier", "--deliver")
        self.assertEqual(code, 2)  # ticket 1 stands there twice: the old table stays
        self.assertIn("cannot be written", trouble)
        rows = self.server.execute(f"select * from {self.schema}.season").fetchall()
        self.assertEqual(rows, [("old",)])
        into = into.model_copy(update={"key": ""})
        made = DeliveryItem(**dict(changed.model_copy(update={"into": into})))
        file = self.saved(apply(SetDelivery(made), trellis)[0], file)
        self.assertEqual(command("run", str(file), "--on", "pier", "--deliver")[0], 0)
        rows = self.server.execute(f"select ticket, pier from {self.schema}.season").fetchall()
        self.assertEqual(
            sorted(rows, key=str),
            [(1, "Tolland"), (1, "Tolland"), (2, "Brae"), (9, None), (None, None)],
        )

    def test_what_hangs_on_a_table_there_stays_while_its_rows_are_replaced(self) -> None:
        source = self.table("fares", "n int, fare numeric(6,2)", "(1, 1.25), (2, 3.5)")
        trellis = apply(AddLane("Fares", source), Trellis())[0]
        trellis = apply(AddDelivery("fares", "Fares", "x.csv"), trellis)[0]
        ((_, item),) = trellis.deliveries()
        into = IntoTable(database=self.at, table="kept", in_schema=self.schema, how="replace")
        made = DeliveryItem(**dict(item.model_copy(update={"path": "", "into": into})))
        told = apply(SetPlace(self.place), apply(SetDelivery(made), trellis)[0])[0]
        file = self.saved(told, self.room / "fares.trellis")
        kept = f"{self.schema}.kept"
        for columns, code in (
            ("n bigint generated always as identity, fare numeric(5, 2)", 0),
            ("fare numeric(9, 2), n bigint", 0),
            ("n bigint, fare numeric(5, 1)", 2),
            ("n bigint, fare numeric(2, 2)", 2),
            ("n bigint, fare text", 2),
            ("n bigint", 2),
        ):
            with self.subTest(columns):
                self.server.execute(f"drop table if exists {kept} cascade")
                self.server.execute(f"create table {kept} ({columns})")
                self.server.execute(f"create view {self.schema}.seen as select n from {kept}")
                self.server.execute(f"grant select on {kept} to public")
                found, _, trouble = command("run", str(file), "--on", "pier", "--deliver")
                self.assertEqual(found, code, trouble)
                rows = self.server.execute(f"select n from {self.schema}.seen order by n")
                self.assertEqual(rows.fetchall(), [] if code else [(1,), (2,)])
                if code:
                    self.assertIn("the rights of PUBLIC and the view", trouble)

    def test_rows_are_added_there_as_they_are_or_not_at_all(self) -> None:
        source = self.table("fares", "fare numeric, at timestamp", "(1.25, '2026-01-05 08:30')")
        trellis = apply(AddLane("Fares", source), Trellis())[0]
        trellis = apply(AddDelivery("fares", "Fares", "x.csv"), trellis)[0]
        ((_, item),) = trellis.deliveries()
        for columns, fits in (
            ("fare numeric(6, 1), at timestamp", False),
            ("fare numeric(6, 2), at date", False),
            ("at timestamp(0), fare double precision", True),
        ):
            self.server.execute(f"drop table if exists {self.schema}.kept")
            self.server.execute(f"create table {self.schema}.kept ({columns})")
            into = IntoTable(database=self.at, table="kept", in_schema=self.schema, how="add")
            made = DeliveryItem(**dict(item.model_copy(update={"path": "", "into": into})))
            told = apply(SetPlace(self.place), apply(SetDelivery(made), trellis)[0])[0]
            file = self.saved(told, self.room / "fares.trellis")
            for place in (["--on", "pier"], []):
                code, _, trouble = command("run", str(file), *place, "--deliver")
                with self.subTest(columns, place=place):
                    self.assertEqual(code, 0 if fits else 2, trouble)
                    self.assertEqual("1 value of “" in trouble, not fits)
            kept = self.server.execute(f"select count(*) from {self.schema}.kept").fetchone()
            self.assertEqual(kept, (2 * fits,))

    def test_what_cannot_be_the_same_is_refused_by_name(self) -> None:
        source = self.table("odd", "day date, size numeric", "('infinity', 1), ('2026-01-01', 2)")
        trellis = apply(SetPlace(self.place), apply(AddLane("Odd", source), Trellis())[0])[0]
        file = self.saved(trellis, self.room / "odd.trellis")
        code, _, trouble = command("run", str(file), "--on", "pier")
        self.assertEqual(code, 2)
        self.assertIn("In test on 127.0.0.1 › odd 1 row has a value", trouble)
        self.server.execute(f"create domain {self.schema}.fare as numeric(5, 2)")
        sized = self.table("sized", f"fare {self.schema}.fare", "('NaN'), (1.5)")
        trellis = apply(SetPlace(self.place), apply(AddLane("Sized", sized), Trellis())[0])[0]
        code, _, trouble = command(
            "run", str(self.saved(trellis, self.room / "s.trellis")), "--on", "pier"
        )
        self.assertEqual(code, 2)
        self.assertIn("In test on 127.0.0.1 › sized 1 row has a value", trouble)

    def test_what_the_catalogue_knows_to_give_other_rows_each_time_is_made_once(self) -> None:
        """Whatever a query calls it: views and functions of others are looked through."""
        made = self.schema
        for statement in (
            f"create table {made}.t as select n, n % 3 as k, 0.5::float8 * n as f "
            "from generate_series(1, 300) as n",
            f"create function {made}.any_number() returns float8 language sql as 'select random()'",
            f"create sequence {made}.numbers",
            f"create view {made}.by_chance as select n, {made}.any_number() as r from {made}.t",
            f"create view {made}.numbered as select n, nextval('{made}.numbers') from {made}.t",
            f"create view {made}.behind as select n from {made}.by_chance",
            f"create view {made}.some as select distinct on (k) n, k from {made}.t",
        ):
            self.server.execute(statement)
        for statement in (
            f"create table {made}.parts (n int) partition by range (n)",
            f"create foreign data wrapper {made}_far",
            f"create server {made}_far foreign data wrapper {made}_far",
            f"create foreign table {made}.far partition of {made}.parts "
            f"for values from (1) to (9) server {made}_far",
        ):
            self.server.execute(statement)
        drop = f"drop foreign data wrapper {made}_far cascade"
        self.addCleanup(self.server.execute, drop)
        session = in_postgres()
        self.addCleanup(session.close)
        steady = session.table_there(self.at, TableAsked("t", made))
        assert steady is not None
        self.assertTrue(steady.is_steady)
        some = session.table_there(self.at, TableAsked("some", made))
        assert some is not None
        self.assertFalse(some.is_steady)
        for table in ("parts", "far"):  # of which this server has no rows to ask for
            self.assertTrue(read_by_relation(self.server.cursor(), f"{made}.{table}").is_other)
        for table in ("by_chance", "numbered", "behind"):
            with self.subTest(table):
                self.assertIsNone(session.table_there(self.at, TableAsked(table, made)))
        for query, is_steady in (
            ("select * from {}.t -- where n > 7", True),
            ("select k, count(*), sum(n), max(f), now() from {}.t group by k order by 1", True),
            ("select k, sum(f) from {}.t group by k", False),
            ("select * from {}.some", False),
            ("select n, row_number() over (order by k) from {}.t", False),
            ("select string_agg(n::text, ',') from {}.t group by k", False),
            ("select * from {}.t order by k limit 7", False),
            ("select * from {}.t tablesample system (50)", False),
            ("select 1 as a, k as a, n from {}.t fetch first 5 rows only", False),
        ):
            with self.subTest(query):
                lane = session.query_there(self.at, query.format(made), "UTC")
                assert lane is not None
                self.assertEqual(lane.is_steady, is_steady)
                once = session.made_once(lane)
                names = [one.name for one in once.columns]
                asked = once.query(names)
                told = [session.fetch(asked, [(one.name, one.kind) for one in once.columns])]
                self.server.execute(f"update {made}.t set n = n where k = 1")  # moves rows
                told += [session.fetch(asked, [(one.name, one.kind) for one in once.columns])]
                first, second = ([one[name].to_list() for name in names] for one in told)
                self.assertEqual(first, second)

    def test_an_account_that_may_make_nothing_there_counts_what_lies_there(self) -> None:
        """As on a server that follows another one: no table of our own can be made."""
        reader, base = (f"keen_{uuid.uuid4().hex[:12]}" for _ in range(2))
        self.server.execute(f"create role {reader} login")
        self.addCleanup(self.server.execute, f"drop role {reader}")
        self.server.execute(f"create database {base}")
        self.addCleanup(self.server.execute, f"drop database {base} with (force)")
        self.server.execute(f"revoke temporary on database {base} from public")
        with psycopg.connect(f"host=127.0.0.1 dbname={base} user=postgres") as connection:
            connection.execute("create table takings as select * from generate_series(1, 3) as n")
            connection.execute("grant select on takings to public")
        at = replace(self.at, user=reader, database=base)
        table = TableSource(database=at, table="takings")
        query = QuerySource(database=at, query="select n from takings")
        for source, code in ((table, 0), (query, 2)):
            trellis = apply(AddLane("Takings", source), Trellis())[0]
            place = RunPlace(name="pier", at=at)
            told = self.saved(apply(SetPlace(place), trellis)[0], self.room / "t.trellis")
            found, said, trouble = command("run", str(told), "--on", "pier")
            self.assertEqual(found, code, trouble)
            self.assertIn("Takings: 3 rows" if code == 0 else "permission denied", said + trouble)

    def test_two_accounts_that_may_see_other_rows_are_refused_by_name(self) -> None:
        reader = f"keen_{uuid.uuid4().hex[:12]}"
        self.server.execute(f"create role {reader}")
        self.addCleanup(self.server.execute, f"drop role {reader}")
        self.table("open_to_all", "n int", "(1)")
        self.table("by_row", "n int", "(1)")
        self.server.execute(f"alter table {self.schema}.by_row enable row level security")
        session = in_postgres()
        self.addCleanup(session.close)
        other = replace(self.at, user=reader)
        for table, is_same in (("open_to_all", True), ("by_row", False)):
            asked = TableAsked(table, self.schema)
            self.assertIsNotNone(session.table_there(self.at, asked))
            with self.subTest(table):
                if is_same:
                    self.assertIsNotNone(session.table_there(other, asked))
                else:
                    with self.assertRaisesRegex(NotThereError, f"by_row is read as {reader}"):
                        session.table_there(other, asked)
        with self.assertRaisesRegex(NotThereError, "which rows they see may differ"):
            session.query_there(other, "select current_user as who", "UTC")
        self.server.execute(f"alter role {reader} set search_path = {self.schema}")
        later = in_postgres()
        self.addCleanup(later.close)
        with self.assertRaisesRegex(NotThereError, "which rows they see may differ"):
            later.table_there(other, TableAsked("open_to_all", self.schema))

    def test_the_sql_names_lanes_and_steps_and_is_what_the_server_reads(self) -> None:
        file = self.saved(self.tied(), self.room / "tied.trellis")
        code, said, trouble = command("sql", str(file), "--lane", "Takings")
        self.assertEqual(code, 0, trouble)
        self.assertIn("the lane Tickets", said)
        self.assertIn("Takings, step 1: For each Takings row", said)
        self.assertEqual(len(self.server.execute(said).fetchall()), 5)
        code, said, trouble = command("sql", str(file), "--lane", "Nobody")
        self.assertEqual((code, said), (2, ""))
        self.assertIn("Takings, Tickets", trouble)

    def test_a_long_chain_of_steps_is_planned_in_parts_and_counts_as_here(self) -> None:
        source = self.table("many", "a int, b text", "(1, 'x'), (5, 'y'), (9, null), (null, 'z')")
        for steps, parts in ((3, 0), (24, 3)):
            trellis = apply(AddLane("Many", source), Trellis())[0]
            (lane,) = trellis.lanes
            items = tuple(
                FormulaItem(id=f"f{n}", columns=(NamedFormula(name="a", formula=f"a + {n}"),))
                if n % 2
                else FilterItem(id=f"f{n}", formula=f"a > {n} OR b IS NULL")
                for n in range(steps)
            )
            trellis = trellis.model_copy(update={"lanes": (lane.but(items=items),)})
            trellis = apply(SetPlace(self.place), trellis)[0]
            file = self.saved(trellis, self.room / f"{steps}.trellis")
            code, said, trouble = command("compare", str(file), "--on", "pier")
            self.assertEqual(code, 0, said + trouble)
            script = command("sql", str(file), "--lane", "Many")[1]
            self.assertEqual(script.count("AS MATERIALIZED"), parts)

    def test_a_lane_called_as_a_table_hides_none_and_equal_is_equal_by_letters(self) -> None:
        name = f"keen_{uuid.uuid4().hex[:12]}"  # in no schema of its own: found by its name alone
        self.server.execute(
            f"create collation {self.schema}.loose "
            "(provider = icu, locale = 'und-u-ks-level1', deterministic = false)"
        )
        self.server.execute(f"create table {name} (t text collate {self.schema}.loose)")
        self.addCleanup(self.server.execute, f"drop table {name}")
        self.server.execute(f"insert into {name} values ('KP'), ('kp'), ('é'), ('e')")
        typed = TypedSource(columns=("t",), rows=(("KP",), ("e",)))
        query = QuerySource(database=self.at, query=f"select * from {name} limit 2")
        trellis = Trellis()
        for lane, source in (
            (name, typed),  # its query has the name of the table that the next one reads
            ("Again", TableSource(database=self.at, table=name)),
            ("Some", query),
        ):
            trellis = apply(AddLane(lane, source), trellis)[0]
        first, again, _ = trellis.lanes
        trellis = apply(AddTie(again.id, first.id, ()), trellis)[0]
        join = next(item for _, item in trellis.joins())
        trellis = apply(SetLink(join.id, (LinkedFields(left="t", right="t"),)), trellis)[0]
        file = self.saved(apply(SetPlace(self.place), trellis)[0], self.room / "t.trellis")
        code, said, trouble = command("compare", str(file), "--on", "pier")
        self.assertEqual(code, 0, said + trouble)
        self.assertRegex(said, r"Again found +2 +2\n")
        self.assertRegex(said, r"Some, rows +2 +2\n")

    def test_lanes_of_long_and_odd_names_are_sent_each_as_itself(self) -> None:
        trellis = Trellis()
        for ending in ("\n1", "two", "é" * 40, "“/*”"):
            typed = TypedSource(columns=("é" * 70, "É" * 70), rows=((ending, "1"),))
            trellis = apply(AddLane(f"{'Überfahrten' * 12}{ending}", typed), trellis)[0]
        file = self.saved(apply(SetPlace(self.place), trellis)[0], self.room / "t.trellis")
        code, said, trouble = command("compare", str(file), "--on", "pier")
        self.assertEqual(code, 0, said + trouble)
        there = There(load(file), in_postgres(), Runner())
        self.addCleanup(there.session.close)
        told = [there.table(lane.id).column("é" * 70).to_list()[0] for lane in trellis.lanes]
        self.assertEqual(told, ["\n1", "two", "é" * 40, "“/*”"])

    def test_a_server_without_room_is_a_sentence_and_the_next_question_is_answered(self) -> None:
        session = in_postgres()
        self.addCleanup(session.close)
        session.connection.exec_driver_sql("SET temp_file_limit = '1MB'")
        session.connection.exec_driver_sql("SET work_mem = '64kB'")
        large = parse_one("SELECT COUNT(DISTINCT g) AS n FROM GENERATE_SERIES(1, 2000000) AS g")
        with self.assertRaisesRegex(SourceError, "temporary file size exceeds"):
            session.numbers(Program(session.dialect), large, [])
        small = parse_one("SELECT 7 AS n")
        self.assertEqual(session.numbers(Program(session.dialect), small, []), [7])

    def test_a_table_that_may_not_be_read_is_a_sentence(self) -> None:
        source = TableSource(database=self.at, table="no_such_table", in_schema=self.schema)
        trellis = apply(SetPlace(self.place), apply(AddLane("Gone", source), Trellis())[0])[0]
        file = self.saved(trellis, self.room / "t.trellis")
        code, _, trouble = command("run", str(file), "--on", "pier")
        self.assertEqual(code, 2)
        self.assertIn("has no table “no_such_table”", trouble)

    def test_a_stranger_s_place_is_not_contacted_unasked(self) -> None:
        file = self.room / "gift.trellis"
        save(self.tied(), file)
        code, _, trouble = command("run", str(file), "--on", "pier")
        self.assertEqual(code, 3)
        self.assertIn("contacts the database test of the PostgreSQL server", trouble)
        code, _, trouble = command("run", str(file), "--on", "nowhere")
        self.assertEqual(code, 2)
        self.assertIn("It has: pier.", trouble)

    def test_a_question_is_cancelled_at_the_server_and_a_cut_connection_said(self) -> None:
        session = in_postgres()
        self.addCleanup(session.close)
        number = session.connection.exec_driver_sql("select pg_backend_pid()").scalar()
        began = time.monotonic()

        def stop(fraction: float, doing: str) -> None:
            if time.monotonic() - began > 0.5:
                raise Cancelled

        def sleep() -> None:
            with session.connection.connection.cursor() as cursor:
                cursor.execute("select pg_sleep(60)")

        with self.assertRaises(Cancelled):
            session.doing(sleep, stop, "Sleeping")
        self.assertLess(time.monotonic() - began, 10)
        active = "select count(*) from pg_stat_activity where pid = %s and state = 'active'"
        self.assertEqual(self.server.execute(active, (number,)).fetchone(), (0,))
        session.connection.connection.rollback()

        def cut_it() -> None:
            address = "host=127.0.0.1 dbname=test user=postgres"
            with psycopg.connect(address, autocommit=True) as other:
                other.execute("select pg_terminate_backend(%s)", (number,))

        cut = threading.Timer(0.3, cut_it)
        cut.start()
        with self.assertRaises(ConnectionLostError) as lost:
            session.doing(sleep, lambda *_: None, "Sleeping")
        self.assertIn("Nothing of yours is lost", str(lost.exception))
        cut.join()


class OnSparkTest(SparkTestCase, Room):
    @classmethod
    def spark(cls) -> Cluster:
        return cluster()

    @property
    def cluster(self) -> Cluster:
        return cluster()

    def setUp(self) -> None:
        self.make_room()
        self.place = RunPlace(name="cluster", at=self.cluster.place(str(self.room)))

    def files(self) -> Trellis:
        takings = pa.table(
            {"ticket": [1, 1, 2, 9, None], "fare": pa.array([2.5, 3, 4.75, float("nan"), 7])}
        )
        tickets = pa.table({"no": pa.array([1, 2], pa.int32()), "pier": ["Tolland", "Brae"]})
        trellis = Trellis()
        for name, rows in (("Takings", takings), ("Tickets", tickets)):
            path = self.room / f"{name}.parquet"
            pq.write_table(rows, path)
            trellis = apply(AddLane(name, ColumnarSource(path=str(path))), trellis)[0]
        lane, other = trellis.lanes
        trellis = apply(AddTie(lane.id, other.id, ()), trellis)[0]
        join = next(item for _, item in trellis.joins())
        trellis = apply(SetLink(join.id, (LinkedFields(left="ticket", right="no"),)), trellis)[0]
        out = str(self.room / "season.parquet")
        trellis = apply(AddDelivery(lane.id, "Season", out), trellis)[0]
        return apply(SetPlace(self.place), trellis)[0]

    def test_the_demo_gives_every_count_that_it_gives_here(self) -> None:
        file = self.demo("winter-season", self.place)
        code, said, _ = command("compare", str(file), "--on", "cluster", "--rows", "300")
        self.assertEqual(code, 0, said)
        self.assertIn("Every count is the same.", said)

    def test_parquet_stays_where_the_cluster_sees_it_and_outcomes_are_written_there(self) -> None:
        file = self.saved(self.files(), self.room / "files.trellis")
        code, said, trouble = command("run", str(file), "--on", "cluster", "--deliver")
        self.assertEqual(code, 0, trouble)
        self.assertIn("stays where it is", said)
        written = self.room / "season.parquet"
        self.assertTrue(written.is_dir())
        self.assertEqual(
            sorted(pq.read_table(written)["ticket"].to_pylist(), key=str), [1, 1, 2, 9, None]
        )
        code, _, trouble = command("run", str(file), "--on", "cluster", "--deliver")
        self.assertEqual(code, 3)  # a folder that nobody said may be replaced
        self.assertIn("--replace", trouble)

    def test_what_is_written_to_while_the_cluster_reads_it_is_refused_by_its_name(self) -> None:
        trellis = self.files()
        (lane, _), (_, delivery) = trellis.lanes, next(iter(trellis.deliveries()))
        with session_at(self.place, Secrets()) as session:
            there = There(trellis, session, Runner())
            self.assertEqual(there.count(lane.id), 5)
            pq.write_table(pa.table({"ticket": [1]}), self.room / "Takings.parquet")
            found = there.count(delivery.id)
        self.assertIsInstance(found, UserError)
        self.assertIn("Takings.parquet was written to", str(found))

    def test_tables_of_a_server_are_read_by_the_cluster_itself(self) -> None:
        self.needs_drivers()
        name = f"keen_{uuid.uuid4().hex[:12]}"
        server = psycopg.connect("host=127.0.0.1 dbname=test user=postgres", autocommit=True)
        self.addCleanup(server.close)
        server.execute(
            f"create table {name} (n int, r real, e numeric(20,4), t text, b boolean, d date, "
            "m timestamp, z timestamptz, c time, f char(4), x bytea)"
        )
        self.addCleanup(server.execute, f"drop table {name}")
        server.execute(
            f"insert into {name} values (1, 1.1, 2.5000, 'é', true, '0001-01-01', "
            "'1582-10-10 08:30:00.000001', '2026-01-31 23:30:00+02', '23:59:59.5', 'KP', 'x'), "
            "(null, 'NaN', -0.0001, '', false, '9999-12-31', null, null, null, null, null)"
        )
        at = Server("postgresql", "127.0.0.1", "test", "postgres", password=f"${{{SECRET}}}")
        here, there = self.both(TableSource(database=at, table=name, zone="Europe/Lisbon"))
        self.assertEqual(sorted(there.splitlines()), sorted(here.splitlines()))
        server.execute(f"insert into {name} (d) values ('infinity')")
        code, _, trouble = command("run", str(self.room / "odds.trellis"), "--on", "cluster")
        self.assertEqual(code, 2)
        self.assertIn(" 1 row has a value", trouble)

    def test_tables_of_mariadb_are_too_and_its_odd_values_are_refused(self) -> None:
        self.needs_drivers()
        name = f"keen_{uuid.uuid4().hex[:12]}"
        with contextlib.ExitStack() as stack:
            try:
                opened = pymysql.connect(host="127.0.0.1", user="root", database="test")
            except pymysql.OperationalError as error:
                if os.environ.get("CI"):
                    raise
                self.skipTest(f"no MariaDB at 127.0.0.1:3306: {error}")
            server = stack.enter_context(opened).cursor()
            self.addCleanup(stack.pop_all().close)
        self.addCleanup(server.execute, f"drop table {name}")
        server.execute(
            f'create table {name} (`a "n` int, u bigint unsigned, r float, g double, '
            "e decimal(38, 6), t varchar(20) collate utf8mb4_general_ci, k enum('ash', 'elm'), "
            "b boolean, i bit(1), d date, m datetime(6), z timestamp, c time(6), f char(4), x blob)"
        )
        server.execute(
            f"insert into {name} values (1, 18446744073709551615, 1.1, 0.1, 2.5, 'é𝄞\\\\', 'elm', "
            "true, 1, '1000-01-01', '1582-10-10 08:30:00.000001', '2026-07-31 22:30:00', "
            "'23:59:59.5', 'KP ', 'x'), (null, 0, 16777216, 1e-300, -0.000001, 'É', null, false, 0,"
            " '9999-12-31', null, null, null, null, null), (7, 1, 1, 1, 1, 'e', null, null, null, "
            "null, null, null, '00:00:00', '', null)"
        )
        server.execute(f"create user '{name[:20]}'@'127.0.0.1' identified by 'not to be told'")
        self.addCleanup(server.execute, f"drop user '{name[:20]}'@'127.0.0.1'")
        server.execute(f"grant select on test.{name} to '{name[:20]}'@'127.0.0.1'")
        server.connection.commit()
        at = Server("mariadb", "127.0.0.1", "test", name[:20], password=f"${{{SECRET}}}")
        some = RowCondition("t", "=", "É")  # which is e and é as well, in the server's own order
        source = TableSource(database=at, table=name, zone="Europe/Lisbon", conditions=(some,))
        for asked in (source.model_copy(update={"conditions": ()}), source):
            here, there = self.both(asked)
            self.assertEqual(sorted(there.splitlines()), sorted(here.splitlines()))
        for held, odd in (("d", "'2026-00-00'"), ("b", "2"), ("c", "'25:00:00'"), ("e", "1e30")):
            server.execute("set sql_mode = ''")
            server.execute(f"insert into {name} ({held}, t) values ({odd}, 'É')")
            server.connection.commit()
            code, _, trouble = command("run", str(self.room / "odds.trellis"), "--on", "cluster")
            self.assertEqual(code, 2, held)
            self.assertIn(" 1 row has a value", trouble)
            server.execute(f"delete from {name} where {held} = {odd}")
            server.connection.commit()

    def needs_drivers(self) -> None:
        for driver in DRIVERS:
            if not driver.exists() and not os.environ.get("CI"):
                self.skipTest(f"no {driver}")

    def both(self, source: TableSource) -> tuple[str, str]:
        """Return the rows of a table as they are delivered here and from the cluster."""
        out = self.room / "odds.csv"
        trellis = apply(AddLane("Odds", source), Trellis())[0]
        trellis = apply(AddDelivery(trellis.lanes[0].id, "Odds", str(out)), trellis)[0]
        file = self.saved(apply(SetPlace(self.place), trellis)[0], self.room / "odds.trellis")
        code, _, trouble = command("run", str(file), "--deliver", "--replace")
        self.assertEqual(code, 0, trouble)
        here = out.read_text()
        code, said, trouble = command("run", str(file), "--on", "cluster", "--deliver", "--replace")
        self.assertEqual(code, 0, trouble)
        self.assertIn("stays where it is", said)
        return here, out.read_text()

    def test_a_worker_that_is_killed_changes_no_count(self) -> None:
        killer = threading.Timer(0.5, self.cluster.kill, ["worker 2"])
        self.addCleanup(self.cluster.start_worker, "worker 2")
        session = SparkClusterSession(self.cluster.place())
        self.addCleanup(session.close)
        killer.start()
        count = "SELECT COUNT(*) AS n FROM RANGE(0, 20000000, 1, 40) WHERE id % 7 = 3"
        found = session.doing(
            lambda: session.spark.sql(count).toArrow(), lambda *_: None, "Counting"
        )
        killer.join()
        self.assertEqual(found["n"].to_pylist(), [2_857_143])

    def test_a_question_is_stopped_on_the_cluster(self) -> None:
        session = SparkClusterSession(self.cluster.place())
        self.addCleanup(session.close)
        began = time.monotonic()

        def stop(fraction: float, doing: str) -> None:
            if time.monotonic() - began > 2:
                raise Cancelled

        slow = (
            "SELECT COUNT(*) AS n FROM RANGE(4000000) AS a JOIN RANGE(4000000) AS b ON a.id <> b.id"
        )
        with self.assertRaises(Cancelled):
            session.doing(lambda: session.spark.sql(slow).toArrow(), stop, "Counting")
        self.assertLess(time.monotonic() - began, 15)

    def test_a_server_that_ends_in_the_middle_or_is_not_there_is_a_sentence(self) -> None:
        file = self.saved(self.files(), self.room / "files.trellis")
        session = SparkClusterSession(self.cluster.place(str(self.room)))
        self.addCleanup(session.close)
        trellis = load(file)
        there = There(trellis, session, Runner())
        self.addCleanup(self.cluster.start_server)
        self.cluster.kill("server")
        results = results_of(there)
        self.assertIn("does not answer", str(results.errors()[0]))
        with self.assertRaisesRegex(UserError, "does not answer"):
            make_deliveries_there(there, results)
        self.assertFalse((self.room / "season.parquet").exists())
        code, _, trouble = command("run", str(file), "--on", "cluster", "--deliver")
        self.assertEqual(code, 2)
        self.assertIn("does not answer as a Spark server does", trouble)
        self.assertEqual(list(self.room.glob(".*")), [])
