"""A trellis runs where its data is, in PostgreSQL: counted, compared, refused by name, stopped."""

import json
import threading
import time
import uuid
from dataclasses import replace

import psycopg
from sqlglot import parse_one

from keen_trellis.base.errors import (
    ConnectionLostError,
    NotThereError,
    SourceError,
)
from keen_trellis.base.progress import Cancelled
from keen_trellis.document import Trellis, load, save
from keen_trellis.document.edits import (
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
    QuerySource,
    TableSource,
    TypedSource,
)
from keen_trellis.places.lane_tables import TableAsked
from keen_trellis.places.postgres.what_is_read import read_by_relation
from keen_trellis.run import Runner
from keen_trellis.run.place_run import There
from keen_trellis.sql.relations import Program
from tests.places.place_case import PostgresRoom, command
from tests.places.test_three_executors import in_postgres


class InPostgresTest(PostgresRoom):
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
        for steps, parts in ((12, 0), (24, 3)):
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
