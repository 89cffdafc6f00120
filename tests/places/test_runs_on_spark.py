"""A trellis runs where its data is, on a cluster of Spark: counted, written, refused, stopped."""

import contextlib
import os
import threading
import time
import uuid

import psycopg
import pyarrow as pa
import pyarrow.parquet as pq
import pymysql

from keen_trellis.base.errors import (
    UserError,
)
from keen_trellis.base.progress import Cancelled
from keen_trellis.document import Trellis, load
from keen_trellis.document.edits import (
    AddDelivery,
    AddLane,
    AddTie,
    SetLink,
    SetPlace,
    apply,
)
from keen_trellis.document.items import (
    LinkedFields,
)
from keen_trellis.document.places import RunPlace
from keen_trellis.document.sources import (
    ColumnarSource,
    TableSource,
)
from keen_trellis.places.spark.spark_session import SparkClusterSession
from keen_trellis.run import Runner
from keen_trellis.run.place_delivery import make_deliveries_there
from keen_trellis.run.place_facts import results_of
from keen_trellis.run.place_run import There, session_at
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import RowCondition, Server
from tests.places.cluster import DRIVERS, Cluster, SparkTestCase, cluster
from tests.places.place_case import SECRET, Room, command


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
