"""Rows become a table of a database whole or not at all, every value as it was."""

import contextlib
import datetime as dt
import math
import os
import signal
import sqlite3
import subprocess
import sys
import tempfile
import unittest
import uuid
from collections.abc import Callable, Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
import psycopg
import pymysql
from hypothesis import HealthCheck, given
from hypothesis import settings as tried
from hypothesis import strategies as st

from keen_trellis.base.errors import DeliveryError
from keen_trellis.base.progress import Cancelled
from keen_trellis.data import Column, Kind, Table
from keen_trellis.deliver.database.by_key import held_against
from keen_trellis.deliver.database.table_delivery import deliver_table
from keen_trellis.deliver.database.table_update import update_table
from keen_trellis.deliver.database.target import Target
from keen_trellis.read import read_table
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server, SqliteFile

POSTGRES = Server("postgresql", "127.0.0.1", "test", "postgres")
MARIADB = Server("mariadb", "127.0.0.1", "test", "root")
ROWS = Table.from_columns(
    {
        "code": ["007", 'a,"b"\n\\.\t', "", None],
        "count": [2**63 - 1, -(2**63), 0, None],
        "share": [0.1, -1e300, 3.0, None],
        "fare": [Decimal("12345678901234567890.25"), Decimal("-0.01"), Decimal("3.00"), None],
        "open": [True, False, True, None],
        "day": [dt.date(1000, 1, 1), dt.date(9999, 12, 31), dt.date(2026, 2, 28), None],
        "sailed": [dt.datetime(2026, 1, 5, 8, 30, 0, 1), dt.datetime(1999, 1, 5), None, None],
        "departs": [dt.time(8, 30), dt.time(0, 0, 1), dt.time(23, 59, 59, 999999), None],
    }
)
SMALL = Table.from_columns({"id": [1, 2], "name": ["Tern", "Eider"]})


KILLED = """
import os, signal, sys
from keen_trellis.data import Column, Kind, Table
from keen_trellis.deliver.database.target import Target
from keen_trellis.deliver.database.table_delivery import deliver_table
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server, SqliteFile
database, told, secrets = eval(sys.argv[1]), [], Secrets()
if isinstance(database, Server): secrets.give(database, "")
def report(fraction, doing):
    told.append(fraction)
    if len(told) == 3: os.kill(os.getpid(), signal.SIGKILL)
rows = Table.of({"id": Column.of(list(range(200_000)), Kind.INTEGER)})
deliver_table(rows, Target(database, sys.argv[2], how="replace"), secrets, report)
"""


def stopping(after: int) -> Callable[[float, str], None]:
    """Return a report of progress that stops the work at some report."""
    told = 0

    def report(fraction: float, doing: str) -> None:
        nonlocal told
        told += 1
        if told > after:
            raise Cancelled

    return report


def changes(moment: str, single: str) -> tuple[tuple[str, Any, bool], ...]:
    """Return what a column of a server is declared as, a value, and whether it would stay."""
    half_past = dt.datetime(2026, 1, 5, 8, 30)
    return (
        ("decimal(6, 2)", Decimal("1.239"), False),
        ("decimal(6, 2)", Decimal("1.2300"), True),
        ("decimal(6, 2)", 0.125, False),
        ("integer", 2.5, False),
        ("integer", "007", False),
        ("double precision", 2**60 + 1, False),
        ("double precision", 2**53, True),
        ("double precision", Decimal("0.30000000000000004"), True),
        ("double precision", Decimal("0.12345678901234567890"), False),
        ("double precision", Decimal("1.239"), True),
        (single, 0.1, True),
        (single, 1 / 3, False),
        ("varchar(3)", "abc ", False),
        ("varchar(3)", "abc", True),
        ("date", half_past, False),
        (moment, half_past, True),
        (moment, half_past.replace(microsecond=5), False),
        (moment, dt.date(2026, 1, 5), True),
        ("boolean", "true", False),
    )


def _keyed(rows: dict[int, dict[str, Any]], names: tuple[str, ...]) -> Table:
    """Return rows by their key as a table, of whose columns each has its kind also when blank."""
    kinds = dict(zip(names, (Kind.INTEGER, Kind.EXACT, Kind.TEXT, Kind.DATE), strict=True))
    columns = {"id": Column.of([*rows], Kind.INTEGER)}
    for name, kind in kinds.items():
        columns[name] = Column.of([row[name] for row in rows.values()], kind)
    return Table.of(columns)


def _as_shown(row: tuple[Any, ...]) -> list[str]:
    """Return a row as it is told: SQLite has texts for dates, and forgets zeros of amounts."""
    amounts = int | float | Decimal
    return [f"{Decimal(str(x)).normalize():f}" if isinstance(x, amounts) else str(x) for x in row]


class TablesCase(unittest.TestCase):
    """The same for every sort of database."""

    database: SqliteFile | Server
    changes: tuple[tuple[str, Any, bool], ...]

    def make(self, columns: str) -> None:
        """Make the table anew, as somebody else would."""
        raise NotImplementedError

    def test_rows_are_added_as_they_are_or_not_at_all(self) -> None:
        for declared, value, stays in self.changes:
            self.make(f"x {declared}")
            with self.subTest(declared, value=value):
                if stays:
                    self.deliver(Table.from_columns({"x": [value, None]}), how="add")
                else:
                    with self.assertRaisesRegex(DeliveryError, "1 value of “x” would be changed"):
                        self.deliver(Table.from_columns({"x": [value, None]}), how="add")
                back = self.back()
                self.assertEqual(len(back), 2 * stays)
                if stays and not isinstance(value, dt.date):
                    held = next(one for one in back.column("x").to_list() if one is not None)
                    as_shown = str if isinstance(value, str) else lambda one: Decimal(str(one))
                    self.assertEqual(as_shown(held), as_shown(value))

    def setUp(self) -> None:
        self.name = f"keen {uuid.uuid4().hex}"
        self.secrets = Secrets()

    def target(self, **settings: Any) -> Target:
        return Target(self.database, self.name, **settings)

    def deliver(self, table: Table, **settings: Any) -> None:
        report = settings.pop("report", lambda *_: None)
        deliver_table(table, self.target(**settings), self.secrets, report)

    def back(self) -> Table:
        return read_table(self.database, self.name, secrets=self.secrets).table

    def test_every_value_comes_back_in_its_kind(self) -> None:
        self.deliver(ROWS)
        back = self.back()
        self.assertEqual(back.columns, ROWS.columns)
        self.assertEqual(sorted(map(repr, back.rows())), sorted(map(repr, self.expected().rows())))

    def expected(self) -> Table:
        return ROWS

    def test_it_is_made_once_replaced_or_added_to_as_is_chosen(self) -> None:
        self.deliver(SMALL, key="id")
        with self.assertRaisesRegex(DeliveryError, f"There is the table {self.name}"):
            self.deliver(SMALL)
        self.deliver(Table.from_columns({"id": [3], "name": [None]}), how="add")
        self.assertEqual(sorted(self.back().column("id").to_list()), [1, 2, 3])
        with self.assertRaisesRegex(DeliveryError, "it lacks “more”"):
            self.deliver(Table.from_columns({"id": [1], "more": [1]}), how="add")
        with self.assertRaises(DeliveryError):  # the server refuses what the key has already
            self.deliver(SMALL, how="add")
        self.assertEqual(len(self.back()), 3)
        self.deliver(ROWS, how="replace")
        self.assertEqual(self.back().columns, ROWS.columns)

    hung: tuple[str, ...]
    """What others hang on a table: `it` is its name."""

    def ask(self, statement: str) -> None:
        raise NotImplementedError

    def test_what_hangs_on_a_table_stays_while_its_rows_are_replaced(self) -> None:
        self.deliver(SMALL)
        for statement in self.hung:
            self.ask(statement)
        later = Table.from_columns({"name": ["Puffin"], "id": [2**40]})
        self.deliver(later, how="replace")
        self.assertEqual(list(self.back().rows()), [(2**40, "Puffin")])
        for other in (ROWS, Table.from_columns({"id": ["one"], "name": ["Tern"]})):
            with self.assertRaisesRegex(DeliveryError, "lose .*the index .*by_name"):
                self.deliver(other, how="replace")  # what hung there still does
        self.assertEqual(list(self.back().rows()), [(2**40, "Puffin")])

    rules: tuple[str, ...]
    """Columns with a rule of their own, which would be gone with the table."""

    def test_a_rule_of_a_column_is_not_lost_without_a_word(self) -> None:
        text = Table.from_columns({"x": ["1"]})
        for rule in self.rules:
            self.make(rule)
            with self.subTest(rule), self.assertRaisesRegex(DeliveryError, "made anew"):
                self.deliver(text, how="replace")
        self.make("x integer")
        self.deliver(text, how="replace")
        self.assertEqual(self.back().column("x").to_list(), ["1"])

    @given(st.data())
    @tried(max_examples=10, deadline=None, suppress_health_check=[HealthCheck.differing_executors])
    def test_an_update_by_a_key_leaves_what_a_dictionary_would(self, data: Any) -> None:
        """Whatever stands there: numbers beside decimals, blanks, no rows, a key alone."""
        keys = st.one_of(st.integers(-(2**31), 2**31 - 1), st.integers(-3, 9))
        texts = st.text("aé'%\\:?\"", max_size=5)
        values = {
            "n": st.one_of(st.none(), st.integers(-(2**63), 2**63 - 1)),
            "fare": st.one_of(st.none(), st.decimals(-999, 999, places=2)),
            'it\'s 5% "of"': st.one_of(st.none(), texts),
            "at": st.one_of(st.none(), st.dates()),
        }
        rows = st.dictionaries(keys, st.fixed_dictionaries(values), max_size=12)
        before, now = data.draw(rows), data.draw(rows)
        one, other = (_keyed(these, tuple(values)) for these in (before, now))
        self.deliver(one, how="replace", key="id")
        there = self.back()
        changes = held_against(other, there, "id", "the table")
        update_table(other, changes, self.target(how="update", key="id"), self.secrets)
        found = self.back()
        wanted = _keyed({**before, **now}, tuple(values))
        self.assertEqual(
            sorted(map(_as_shown, found.rows())), sorted(map(_as_shown, wanted.rows()))
        )
        again = held_against(other, found, "id", "the table")
        self.assertEqual((again.new.size, again.changed.size, again.same), (0, 0, len(now)))
        changed = sum(before[key] != now[key] for key in before.keys() & now.keys())
        self.assertEqual(changes.numbers["changed"], changed)

    def test_an_update_that_cannot_be_meant_changes_nothing(self) -> None:
        self.make("id integer, name varchar(5)")
        self.deliver(SMALL, how="add")
        there = self.back()
        target = self.target(how="update", key="id")
        for table, key, words in (
            (SMALL, "", "updated without a key"),
            (Table.from_columns({"id": [1], "more": [1]}), "id", "no column “more”"),
            (Table.from_columns({"id": [1, 2], "name": ["a", "b"]}), "name", "more than once"),
        ):
            twice = there.take(np.array([0, 1, 1])) if key == "name" else there
            with self.subTest(words), self.assertRaisesRegex(DeliveryError, words):
                held_against(table, twice, key, "the table")
        other = Table.from_columns({"id": [2, 3], "name": ["Teal", "Gull"]})
        changes = held_against(other, there, "id", "the table")
        self.deliver(Table.from_columns({"id": [3], "name": ["Auk"]}), how="add")  # meanwhile
        with self.assertRaisesRegex(DeliveryError, "was written to meanwhile"):
            update_table(other, changes, target, self.secrets)
        self.assertEqual(sorted(self.back().rows()), [(1, "Tern"), (2, "Eider"), (3, "Auk")])

    def test_stopped_in_the_middle_the_old_table_stays(self) -> None:
        many = Table.of({"n": Column.of(list(range(100_000)), Kind.INTEGER)})
        with self.assertRaises(Cancelled):
            self.deliver(many, report=stopping(2))
        self.assertFalse(self.is_there())
        self.deliver(SMALL)
        for how in ("replace", "add"):
            with self.assertRaises(Cancelled):
                columns = {"id": Column.of(list(range(100_000)), Kind.INTEGER)}
                columns["name"] = Column.of(["x"] * 100_000, Kind.TEXT)
                self.deliver(Table.of(columns), how=how, report=stopping(2))
            self.assertEqual(sorted(self.back().rows()), [(1, "Tern"), (2, "Eider")])

    def test_a_program_that_is_killed_leaves_the_old_table(self) -> None:
        self.deliver(SMALL)
        database = repr(self.database)
        ended = subprocess.run([sys.executable, "-c", KILLED, database, self.name])
        self.assertEqual(ended.returncode, -signal.SIGKILL)
        self.assertEqual(sorted(self.back().rows()), [(1, "Tern"), (2, "Eider")])
        self.deliver(ROWS, how="replace")  # nothing that was left is in the way
        self.assertEqual(len(self.back()), 4)

    def is_there(self) -> bool:
        with contextlib.suppress(Exception):
            self.back()
            return True
        return False

    def test_what_cannot_be_is_said_before_anything_is_written(self) -> None:
        for table, settings, words in (
            (SMALL, {"how": "add"}, "is not there"),
            (SMALL, {"key": "harbour"}, "no column “harbour” to be the key"),
            (Table.from_columns({"n": [1, 1, None]}), {"key": "n"}, "cannot be the key"),
            (Table.from_columns({"x" * 1_001: [1]}), {}, "cannot be a name"),
            (Table((), (), 3), {}, "needs a column"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(DeliveryError, words):
                self.deliver(table, **settings)
            self.assertFalse(self.is_there())


class InSqlite(TablesCase):
    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "made" / "out.sqlite"
        self.database = SqliteFile(str(self.path))

    changes = (
        ("integer", "007", False),
        ("integer", "pier", True),
        ("varchar(3)", "007", True),
        ("decimal(6, 2)", Decimal("1.2345678901234567"), False),
        ("decimal(6, 2)", Decimal("1.239"), True),
    )

    def make(self, columns: str) -> None:
        self.path.parent.mkdir(exist_ok=True)
        with contextlib.closing(sqlite3.connect(self.path)) as database:
            database.execute(f'drop table if exists "{self.name}"')
            database.execute(f'create table "{self.name}" ({columns})')
            database.commit()

    hung = (
        "create index by_name on it (name)",
        "create trigger heard after insert on it begin select 1; end",
    )
    rules = (
        *("x integer not null", "x integer unique", "x integer check (x > 0)"),
        *("x integer default 7", "x integer references other (y)", "x text collate nocase, y"),
    )

    def ask(self, statement: str) -> None:
        with contextlib.closing(sqlite3.connect(self.path)) as database:
            database.execute(statement.replace(" it ", f' "{self.name}" '))
            database.commit()

    def expected(self) -> Table:
        """It has no moments and no truth, and no number of more digits than a double."""
        columns = {name: ROWS.column(name) for name in ROWS.columns}
        for name in ("fare", "day", "sailed", "departs"):
            columns[name] = Column.from_arrow(columns[name].texts())
        columns["open"] = Column.of([1, 0, 1, None])
        return Table.of(columns)

    def test_other_tables_of_the_file_stay(self) -> None:
        self.deliver(SMALL)
        with contextlib.closing(sqlite3.connect(self.path)) as database:
            database.execute("create table other (a)")
            database.commit()
        self.deliver(ROWS, how="replace")
        with contextlib.closing(sqlite3.connect(self.path)) as database:
            names = {row[0] for row in database.execute("select name from sqlite_master")}
        self.assertEqual(names, {self.name, "other"})

    def test_a_view_and_a_file_that_is_no_database_are_left_alone(self) -> None:
        self.deliver(SMALL)
        with contextlib.closing(sqlite3.connect(self.path)) as database:
            database.execute("create view seen as select 1")
            database.commit()
        with self.assertRaisesRegex(DeliveryError, "is a view"):
            deliver_table(SMALL, Target(self.database, "seen", how="replace"))
        self.path.write_text("no database, but some hundred letters of text " * 9)
        before = self.path.read_bytes()
        with self.assertRaisesRegex(DeliveryError, "cannot be written"):
            self.deliver(SMALL, how="replace")
        self.assertEqual(self.path.read_bytes(), before)


def or_skip(connect: Callable[[], Any], test: unittest.TestCase, what: str) -> Any:
    try:
        return connect()
    except (psycopg.OperationalError, pymysql.MySQLError) as error:
        if os.environ.get("CI"):
            raise
        test.skipTest(f"no {what}: {error}")


class InPostgres(TablesCase):
    database = POSTGRES

    def setUp(self) -> None:
        super().setUp()
        where = "host=127.0.0.1 dbname=test user=postgres connect_timeout=3"
        self.server = or_skip(lambda: psycopg.connect(where, autocommit=True), self, "PostgreSQL")
        self.secrets.give(POSTGRES, "")
        self.addCleanup(self.server.close)
        self.addCleanup(self.server.execute, f'drop table if exists "{self.name}"')

    changes = changes("timestamp(0)", "real")

    def make(self, columns: str) -> None:
        self.server.execute(f'drop table if exists "{self.name}"')
        self.server.execute(f'create table "{self.name}" ({columns})')

    def back(self) -> Table:
        return read_table(self.database, self.name, "public", secrets=self.secrets).table

    hung = (
        "create index by_name on it (name)",
        "grant select on it to public",
        "comment on table it is 'For the harbour office'",
        "alter table it add check (id > 0)",
    )
    rules = (
        *("x integer not null", "x integer unique", "x integer check (x > 0)"),
        *("x integer default 7", "x integer generated always as identity", "x serial"),
    )

    def ask(self, statement: str) -> None:
        self.server.execute(statement.replace(" it ", f' "{self.name}" '))

    def test_a_table_that_is_filled_anew_keeps_its_types_as_long_as_they_hold_the_rows(
        self,
    ) -> None:
        declared = "fare numeric(6,2), n smallint, pier varchar(9), at time(0)"
        types = (
            "select string_agg(format_type(atttypid, atttypmod), ', ' order by attnum) "
            f"from pg_attribute where attrelid = '\"{self.name}\"'::regclass and attnum > 0"
        )
        fits = {"fare": Decimal("1234.50"), "n": 7, "pier": "Tolland", "at": dt.time(8, 30)}
        for name, value in (
            ("n", -32_768),
            ("n", 32_768),
            ("fare", Decimal("12345.5")),
            ("fare", Decimal("1.505")),
            ("pier", "Tolland Pier"),
            ("at", dt.time(8, 30, 0, 1)),
            ("n", Decimal("7.5")),
        ):
            self.make(declared)
            before = self.server.execute(types).fetchone()
            rows = {one: [{**fits, name: value}[one], None] for one in fits}
            with self.subTest(name=name, value=value):
                self.deliver(Table.from_columns(rows), how="replace")
                stays = self.server.execute(types).fetchone() == before
                self.assertEqual(stays, value == -32_768)
                back = self.back().column(name).to_list()
                self.assertEqual([back[0], back[-1]], [value, None])

    def test_names_are_never_cut_short_and_odd_ones_stay(self) -> None:
        with self.assertRaisesRegex(DeliveryError, "63 bytes"):
            self.deliver(Table.from_columns({"é" * 32: [1]}))
        odd = Table.from_columns({'a"b:c%d': [1], "Name": [2], "name": [3], "1": [math.inf]})
        self.deliver(odd)
        self.assertEqual(self.back().columns, odd.columns)


class InMariaDb(TablesCase):
    database = MARIADB

    def setUp(self) -> None:
        super().setUp()
        connect = lambda: pymysql.connect(  # noqa: E731  called once
            host="127.0.0.1", user="root", database="test", autocommit=True, connect_timeout=3
        )
        self.server = or_skip(connect, self, "MariaDB")
        self.secrets.give(MARIADB, "")
        self.addCleanup(self.clean)

    def clean(self) -> None:
        with self.server.cursor() as cursor:
            cursor.execute(f"drop table if exists `{self.name}`")
            cursor.execute("show tables like 'keen\\_writing\\_%'")
            self.assertEqual(cursor.fetchall(), ())  # nothing beside it is left
        self.server.close()

    changes = changes("datetime", "float")

    def make(self, columns: str) -> None:
        with self.server.cursor() as cursor:
            cursor.execute(f"drop table if exists `{self.name}`")
            cursor.execute(f"create table `{self.name}` ({columns})")

    hung = (
        "create index by_name on it (name(20))",
        "alter table it comment 'For the harbour office'",
        "create trigger heard after insert on it for each row set @heard = 1",
    )
    rules = (
        *("x integer not null", "x integer unique", "x integer check (x > 0)"),
        *("x integer default 7", "x integer auto_increment unique", "x integer comment 'fares'"),
    )

    def test_integers_without_a_sign_hold_what_fits_into_them(self) -> None:
        for declared, value in (("bigint unsigned", Decimal(2**64 - 1)), ("int unsigned", 2**32)):
            self.make(f"x {declared}")
            with self.subTest(declared):
                self.deliver(Table.from_columns({"x": [value, None]}), how="replace")
                self.assertEqual([*map(Decimal, self.back().column("x").to_list()[:1])], [value])

    def ask(self, statement: str) -> None:
        with self.server.cursor() as cursor:
            cursor.execute(statement.replace(" it ", f" `{self.name}` "))

    def test_a_server_that_would_cut_values_short_refuses_them(self) -> None:
        connect = pymysql.connect

        def used_to_cutting(*how: Any, **more: Any) -> Any:
            server = connect(*how, **more)
            server.cursor().execute("set sql_mode = ''")
            return server

        self.make("x varchar(3) primary key, n tinyint")
        with mock.patch.object(pymysql, "connect", used_to_cutting):
            for n, x in ((300, "a"), (1, "abcd")):
                with self.assertRaises(DeliveryError):
                    self.deliver(Table.from_columns({"x": [x], "n": [n]}), how="add")
            with self.assertRaises(DeliveryError):
                self.deliver(Table.from_columns({"x": ["a" * 200]}), how="replace", key="x")
            self.assertEqual(len(self.back()), 0)

    def test_a_collation_that_takes_two_keys_for_one_changes_no_row_of_another(self) -> None:
        self.make("id varchar(9) collate utf8mb4_general_ci, name varchar(9)")
        before = Table.from_columns({"id": ["a", "A"], "name": ["Tern", "Eider"]})
        self.deliver(before, how="add")
        now = Table.from_columns({"id": ["a"], "name": ["Teal"]})
        changes = held_against(now, self.back(), "id", "the table")
        self.assertEqual(changes.numbers, {"new": 0, "changed": 1, "same": 0, "others": 1})
        with self.assertRaisesRegex(DeliveryError, "takes several keys for one"):
            update_table(now, changes, self.target(how="update", key="id"), self.secrets)
        self.assertEqual(sorted(self.back().rows()), sorted(before.rows()))

    def test_an_update_that_could_not_be_undone_is_refused(self) -> None:
        self.make("id bigint primary key, name varchar(9)")
        with self.server.cursor() as cursor:
            cursor.execute(f"alter table `{self.name}` engine myisam")
        changes = held_against(SMALL, self.back(), "id", "the table")
        with self.assertRaisesRegex(DeliveryError, "keeps what was written when the rest fails"):
            update_table(SMALL, changes, self.target(how="update", key="id"), self.secrets)

    def test_infinity_is_refused_and_two_columns_of_one_name(self) -> None:
        for columns, words in (
            ({"n": [math.inf]}, "no number for"),
            ({"n": [1], "N": [2]}, "for the same name"),
        ):
            with self.assertRaisesRegex(DeliveryError, words):
                self.deliver(Table.from_columns(columns))


def load_tests(
    loader: unittest.TestLoader, tests: unittest.TestSuite, pattern: str
) -> unittest.TestSuite:
    """Leave out what the three have in common by itself."""

    def every(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
        for test in suite:
            if isinstance(test, unittest.TestSuite):
                yield from every(test)
            else:
                yield test  # type: ignore[misc]

    return unittest.TestSuite(test for test in every(tests) if type(test) is not TablesCase)
