"""Servers that fall silent, or ask for what they must not get: everything can be left."""

import contextlib
import socket
import sqlite3
import struct
import subprocess
import sys
import threading
import time
import unittest
from collections.abc import Callable, Iterator
from dataclasses import replace
from decimal import Decimal
from typing import Literal
from unittest import mock

from keen_trellis.base.errors import SourceError
from keen_trellis.base.progress import Cancelled
from keen_trellis.read import read_query, read_table
from keen_trellis.servers import connections
from keen_trellis.servers.queries import refuse_writing
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server, SqliteFile
from tests.attack import proxy
from tests.read.source_case import MARIADB, POSTGRES, ServerTestCase

Answer = Callable[[socket.socket], None]


@contextlib.contextmanager
def answering(answer: Answer) -> Iterator[tuple[int, list[bytes]]]:
    """Give the port of a server that does as it is told, and all that it was sent."""
    heard: list[bytes] = []
    listening = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        with contextlib.suppress(OSError):
            while True:
                came, _ = listening.accept()
                threading.Thread(target=speak, args=(came,), daemon=True).start()

    def speak(came: socket.socket) -> None:
        with contextlib.suppress(OSError), came:
            answer(came)
            while piece := came.recv(4096):
                heard.append(piece)

    threading.Thread(target=serve, daemon=True).start()
    with listening:
        yield listening.getsockname()[1], heard


def silent(came: socket.socket) -> None:
    """Say nothing."""


def postgres_in_clear(came: socket.socket) -> None:
    """Refuse encryption, then ask for the password as it is."""
    while (asked := came.recv(4096)) and asked[4:8] in (_TLS, _GSS):
        came.sendall(b"N")
    came.sendall(b"R" + struct.pack("!ii", 8, 3))


_TLS, _GSS = (struct.pack("!i", code) for code in (80877103, 80877104))


def mariadb_in_clear(came: socket.socket) -> None:
    """Greet as a server does, then want the password by the plug-in that sends it as it is."""
    greeting = b"\x0a" + b"5.5.5-10.11.0-MariaDB\0" + struct.pack("<I", 7) + b"12345678\0"
    greeting += struct.pack("<HBHHB", 0xF7DF, 33, 2, 0x000F | 0x0008, 21) + b"\0" * 10
    greeting += b"123456789012\0" + b"mysql_native_password\0"
    came.sendall(len(greeting).to_bytes(3, "little") + b"\0" + greeting)
    came.recv(4096)
    switch = b"\xfemysql_clear_password\0"
    came.sendall(len(switch).to_bytes(3, "little") + b"\x02" + switch)


class LeavingTest(unittest.TestCase):
    def server(self, sort: Literal["postgresql", "mariadb"], port: int) -> Server:
        return Server(type=sort, host="127.0.0.1", port=port, database="d", user="reader")

    def ask(self, server: Server, report: Callable[[float, str], None]) -> None:
        secrets = Secrets()
        secrets.give(server, "SecretSecret")
        read_query(server, "select 1", secrets=secrets, report=report)

    def test_a_silent_server_is_left_at_once_and_given_up_in_time(self) -> None:
        for sort in ("postgresql", "mariadb"):
            with answering(silent) as (port, _):
                began = time.monotonic()

                def stop(_: float, __: str, began: float = began) -> None:
                    if time.monotonic() - began > 0.3:
                        raise Cancelled

                with self.assertRaises(Cancelled):
                    self.ask(self.server(sort, port), stop)  # type: ignore[arg-type]
                self.assertLess(time.monotonic() - began, 8)
                with (
                    mock.patch.multiple(connections, _CONNECT_S=0, _GRACE_S=0.5),
                    self.assertRaisesRegex(SourceError, "does not answer"),
                ):
                    self.ask(self.server(sort, port), lambda *_: None)  # type: ignore[arg-type]
                self.assertLess(time.monotonic() - began, 60)

    def test_a_password_never_goes_in_clear_where_it_can_be_overheard(self) -> None:
        for sort, answer in (("postgresql", postgres_in_clear), ("mariadb", mariadb_in_clear)):
            for is_far in (True, False):
                here = ("elsewhere",) if is_far else ("127.0.0.1",)
                with (
                    answering(answer) as (port, heard),
                    mock.patch.object(connections, "_HERE", here),
                ):
                    wanted = "in clear, over a connection that may not" if is_far else "."
                    began = time.monotonic()

                    def stop(_: float, __: str, began: float = began) -> None:
                        if time.monotonic() - began > 3:
                            raise Cancelled

                    with (
                        contextlib.suppress(Cancelled),
                        self.assertRaisesRegex(SourceError, wanted),
                    ):
                        self.ask(self.server(sort, port), stop)  # type: ignore[arg-type]
                    self.assertEqual(b"SecretSecret" not in b"".join(heard), is_far, (sort, heard))


class QueriesTest(unittest.TestCase):
    """Code in one dialect is a string in another; what does more than read never passes."""

    POSTGRES = Server("postgresql", "127.0.0.1", "d", "reader")
    MARIADB = Server("mariadb", "127.0.0.1", "d", "reader")
    FILE = SqliteFile("/x.sqlite")

    def test_what_does_more_than_read_is_refused(self) -> None:
        for database, query, said in (
            (self.MARIADB, "select 1 into outfile '/tmp/x'", "“INTO” would write"),
            (self.MARIADB, "select 1 INTO\nDUMPFILE '/tmp/x'", "“INTO” would write"),
            (self.MARIADB, "select n into @x from t", "“INTO” would write"),
            (self.MARIADB, "select @x := 1", "would set a variable"),
            (self.MARIADB, "select 1 /*! into outfile '/tmp/x' */", "is run by the server"),
            (self.POSTGRES, "select '\\'; drop table t; --'", "more than one statement"),
            (self.POSTGRES, "select $$a$$; commit; delete from t", "more than one statement"),
            (self.POSTGRES, "select * into u from t", "“INTO” would write"),
            (
                self.POSTGRES,
                "with a as (insert into t values (1) returning n) select 1",
                "“INSERT”",
            ),
            (self.POSTGRES, "with a as (update t set n = 1 returning n) select 1", "“UPDATE”"),
            (self.POSTGRES, 'select U&"pg\\005fread\\005ffile"(1)', "the numbers of its letters"),
            (self.POSTGRES, "select * from t for no key update", "would lock rows"),
            (self.FILE, "attach 'x' as y", "begins with ATTACH"),
            (self.FILE, "pragma journal_mode = wal", "begins with PRAGMA"),
            (self.FILE, "select 'never ends", "does not end"),
            (self.FILE, " -- nothing", "no query yet"),
        ):
            with self.subTest(query=query), self.assertRaisesRegex(SourceError, said):
                refuse_writing(query, database)

    def test_what_only_reads_passes_whatever_its_strings_and_names_say(self) -> None:
        for database, query in (
            (self.MARIADB, "select 'a; drop table t', \"into outfile\", `update` from t;"),
            (self.MARIADB, "(select replace(a, 'b', 'c') from t) union select 1"),
            (self.POSTGRES, "select 'it''s; into', $x$ ; insert into $x$, \"delete\" from t"),
            (self.POSTGRES, "with a as (select 1 as update) select * from a -- ; drop"),
            (self.POSTGRES, "select insert(1), substring(a for 2), truncate(3) from t"),
            (self.MARIADB, "select 'a\\'; drop table t; -- '"),
            (self.FILE, "values (1), (2)"),
        ):
            with self.subTest(query=query):
                refuse_writing(query, database)


class TimeLimitTest(ServerTestCase):
    def test_a_time_limit_holds_also_where_the_server_falls_silent_on_the_way(self) -> None:
        self.postgres()
        self.mariadb()
        wide = "select repeat('x', 1000) from {} limit 100000"
        for server, rows in (
            (POSTGRES, "generate_series(1, 100000)"),
            (MARIADB, "information_schema.columns a, information_schema.columns b"),
        ):
            with proxy(server.usual_port, 300_000, goes_silent=True) as port:
                through = replace(server, port=port)
                self.secrets.give(through, "")
                began = time.monotonic()
                with self.refused("has said nothing for 3 seconds"):
                    read_query(through, wide.format(rows), timeout_s=1, secrets=self.secrets)
                self.assertLess(time.monotonic() - began, 10)

    def test_an_account_s_own_limit_stays_and_a_killed_program_s_question_ends(self) -> None:
        server = self.postgres()
        hasty = replace(POSTGRES, user=self.name)
        server.execute(f"create role {self.name} login")
        self.addCleanup(server.execute, f"drop role {self.name}")
        server.execute(f"alter role {self.name} set statement_timeout = '300ms'")
        self.secrets.give(hasty, "")
        began = time.monotonic()
        with self.refused("was not done in the time allowed"):
            read_query(hasty, "select pg_sleep(20)", timeout_s=60, secrets=self.secrets)
        self.assertLess(time.monotonic() - began, 10)
        question = f"select pg_sleep(90) /* {self.name} */"
        asks = (
            "from tests.read.test_servers import *\nsecrets = Secrets()\n"
            f"secrets.give(POSTGRES, '')\nread_query(POSTGRES, {question!r}, 90, secrets=secrets)"
        )
        program = subprocess.Popen([sys.executable, "-c", asks])
        self.addCleanup(program.wait)
        at_work = (
            "select count(*) from pg_stat_activity where state = 'active' "
            f"and query like '%{self.name}%' and pid <> pg_backend_pid()"
        )

        def wait_for(number: int) -> None:
            deadline = time.monotonic() + 40
            while server.execute(at_work).fetchone() != (number,):
                self.assertLess(time.monotonic(), deadline)
                time.sleep(0.1)

        wait_for(1)
        program.kill()
        wait_for(0)


class FunctionsCalledTest(ServerTestCase):
    """A server runs what is known only to read; whatever else is called is refused by name."""

    def test_what_postgres_says_may_change_something_is_refused(self) -> None:
        server = self.postgres()
        made = f"create function {self.name}"
        server.execute(f"{made}.wild() returns int language plpgsql as 'begin return 1; end'")
        server.execute(f"{made}.calm(int) returns int stable language sql as 'select $1 + 1'")
        for call in (
            *("pg_read_file('/etc/passwd')", "pg_ls_dir('/')", "setval('s', 1)", "lo_import('/x')"),
            *("query_to_xml('drop table t', true, true, '')", "table_to_xml('t', true, true, '')"),
            *("ts_stat('select x')", "pg_stat_reset()", "set_config('a.b', 'c', false)"),
            *("pg_create_physical_replication_slot('x')", "pg_terminate_backend(1)"),
            *("setseed(0.5)", "lo_creat(1)"),
            "distinct on (1) pg_ls_dir('/')",
            *(f"{self.name}.wild()", "PG_Advisory_Lock (1)", '"pg_reload_conf"()', "nextval('s')"),
        ):
            name = call.removeprefix("distinct on (1) ").partition("(")[0]
            name = name.rpartition(".")[2].strip(' "').lower()
            with self.subTest(call), self.refused(f"“{name}” does more than read"):
                read_query(POSTGRES, f"select {call}", secrets=self.secrets)
        reading = read_query(
            POSTGRES,
            f"with x(a, b) as (select {self.name}.calm(2), cast(1.50 as numeric(4, 2))) "
            "select a, b, coalesce(null, left('abc', 2)), extract(year from now()) > 2000, "
            "count(*) over (partition by a), random() < 2, case when a in (3) then 1 end "
            "from x as t(a, b) join lateral generate_series(1, 2) as g(n) on exists (select 1)",
            secrets=self.secrets,
        )
        self.assertEqual(next(iter(reading.table.rows()))[:2], (3, Decimal("1.50")))
        self.assertIn("may do everything there", "\n".join(reading.notes))

    def test_of_mariadb_what_is_not_known_to_read_is_refused(self) -> None:
        cursor = self.mariadb()
        cursor.execute(f"create database {self.name}")
        self.addCleanup(cursor.execute, f"drop database {self.name}")
        cursor.execute(
            f"create function {self.name}.upper (x int) returns int modifies sql data return x"
        )
        cursor.execute(
            f"create function {self.name}.lower (x int) returns int reads sql data return x"
        )
        for call in (
            f"{self.name}.upper(1)",
            *("load_file('/etc/passwd')", "get_lock('a', 1)", "release_all_locks()"),
            *("benchmark(10, 1)", "sys_exec('x')", "`master_gtid_wait`('0')", "last_insert_id(7)"),
        ):
            name = call.partition("(")[0].strip("`").rpartition(".")[2]
            with self.subTest(call), self.refused(f"“{name}” does more than read"):
                read_query(MARIADB, f"select {call}", secrets=self.secrets)
        reading = read_query(
            MARIADB,
            "with x(a, b) as (select left('abc', 2), if(1 in (1, 2), 3, 4)) select a, b, "
            "date_format('2026-01-05', '%Y'), row_number() over (order by a), char(65), "
            "replace(a, 'b', 'c'), group_concat(distinct a separator '-') from x where exists "
            "(select 1) group by (a)",
            secrets=self.secrets,
        )
        shapes = "select st_x(point(1, 2)), interval(5, 1, 10), cast('1.5' as decimal(4, 2))"
        self.assertEqual(len(read_query(MARIADB, shapes, secrets=self.secrets).table), 1)
        self.assertEqual(next(iter(reading.table.rows()))[:3], ("ab", 3, "2026"))
        theirs = read_query(MARIADB, f"select {self.name}.lower(1)", secrets=self.secrets)
        self.assertEqual(len(theirs.table), 1)

    def test_sqlite_s_own_guard_lets_only_reading_through(self) -> None:
        path = self.folder / "guarded.sqlite"
        with contextlib.closing(sqlite3.connect(path)) as base:
            base.execute("create table t (a)")
            base.execute("create view v as select load_extension('x') as b")
            base.commit()
        for query in ("select load_extension('x')", "select b from v"):
            with (
                self.subTest(query),
                self.refused("guarded.sqlite", "load_extension"),
            ):
                read_query(SqliteFile(str(path)), query)
        with contextlib.closing(sqlite3.connect(path)) as base:
            base.execute("create virtual table found using fts5(a)")
            base.execute("create virtual table places using rtree(id, low, high)")
            base.execute("insert into found values ('pier')")
            base.execute("insert into places values (1, 2, 3)")
            base.commit()
        for table in ("found", "places"):
            self.assertEqual(len(read_table(SqliteFile(str(path)), table).table), 1)
        for query in (
            *("select * from found where found match 'pier'", "select value from json_each('[1]')"),
            "select name from pragma_table_info('t')",
        ):
            self.assertEqual(len(read_query(SqliteFile(str(path)), query).table), 1, query)
        with self.refused("not authorized"):
            read_query(SqliteFile(str(path)), "select * from pragma_journal_mode")
        reading = read_query(
            SqliteFile(str(path)),
            "with recursive n(i) as (select 1 union all select i + 1 from n where i < 3) "
            "select i, upper('a'), json_array(i) from n",
        )
        self.assertEqual(len(reading.table), 3)


if __name__ == "__main__":
    unittest.main()
