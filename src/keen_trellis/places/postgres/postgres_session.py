"""A run in PostgreSQL: one transaction that sees one state of all tables, and writes to none.

Tables of the run are temporary: they are this connection's alone and go with it.
"""

from __future__ import annotations

import contextlib
import uuid
from collections.abc import Sequence
from dataclasses import replace
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any

from sqlglot import exp

from keen_trellis.base.errors import DeliveryError, NotThereError, SourceError, UserError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.base.words import with_capital
from keen_trellis.data import Column, Kind, Table
from keen_trellis.data.column import DIGITS_AT_MOST
from keen_trellis.data.column_names import column_names
from keen_trellis.deliver.database.added import would_change
from keen_trellis.deliver.database.postgres_table import empty_or_drop
from keen_trellis.deliver.database.refusals import require_names, require_state
from keen_trellis.deliver.database.target import Target, columns_there
from keen_trellis.deliver.text_writer import text_blocks
from keen_trellis.layouts.delivered_text import TextForm
from keen_trellis.places.lane_tables import LaneThere, Stored, TableAsked
from keen_trellis.places.place_session import Session
from keen_trellis.places.postgres.what_is_read import (
    names_differ,
    read_by_query,
    read_by_relation,
)
from keen_trellis.servers.connections import engine, explained
from keen_trellis.servers.database_values import of_copied, statement_of
from keen_trellis.servers.described import column_named, table_described
from keen_trellis.servers.postgres_copy import BYTES, KINDS, REAL, WITH_ZONE, copied
from keen_trellis.servers.row_conditions import holds
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Database, Server
from keen_trellis.sql.dialects import POSTGRES, Sql
from keen_trellis.sql.relations import (
    Program,
    Relation,
    called,
    choose,
    column,
    select,
    table,
    within,
)
from keen_trellis.sql.writer import ordering

if TYPE_CHECKING:
    import sqlalchemy as sa

_ENCODING = "UTF8"
_TELLS_S = 2.0
"""How long the server may take to hear that it is to stop."""
_ONE_STATE = "START TRANSACTION ISOLATION LEVEL REPEATABLE READ"
"""Every question of a run sees the tables as they were at its first."""


class PostgresSession(Session):
    """A run on a server, with one connection.

    Parameters
    ----------
    server : Server
    secrets : Secrets, optional

    Raises
    ------
    SourceError
        The server does not let one in, or does not answer.
    NotThereError
        Its texts are not Unicode, so that their order would be another one.
    """

    dialect = POSTGRES
    holds_others_up = True  # its transaction keeps a lock on every table that it has read

    def __init__(self, server: Server, secrets: Secrets | None = None) -> None:
        super().__init__()
        self.server, self.label = server, server.label
        self._engine = engine(server, secrets or Secrets(), None, writes=True)
        self._connection: sa.Connection | None = None
        try:
            self._connection = self._engine.connect()
            self._raw: Any = self._connection.connection.driver_connection
            # One state for all questions: counts of a run add up whatever others write meanwhile.
            # Not READ ONLY, which would refuse temporary tables.
            self._connection.exec_driver_sql("START TRANSACTION ISOLATION LEVEL REPEATABLE READ")
            encoding = self._connection.exec_driver_sql("SHOW server_encoding").scalar()
            if encoding != _ENCODING:
                raise NotThereError(
                    tr(
                        "{label} keeps its texts as {encoding}, in which they stand in another "
                        "order than in Unicode.",
                        label=self.label,
                        encoding=encoding,
                    ),
                    tr("Run the trellis on this machine."),
                )
        except Exception as error:
            self.close()
            raise self.explained(error) from error

    @property
    def connection(self) -> sa.Connection:
        """The connection of the run."""
        assert self._connection is not None
        return self._connection

    def table_there(self, database: Database, asked: TableAsked) -> LaneThere | None:
        """Return how the rows of a table are had; errors as for `read_table`."""
        if not self.knows(database):
            return None
        where = f"{self.label} › {asked.table}"
        with self.telling():
            schema = f"{_quoted(asked.in_schema)}." if asked.in_schema else ""
            relation = f"{schema}{_quoted(asked.table)}"
            statement = self._table_statement(asked, where)
            return self._lane(database, statement, where, asked.zone, relation)

    def _table_statement(self, asked: TableAsked, where: str) -> str:
        import sqlalchemy as sa

        described = table_described(self.connection, self.server, asked.table, asked.in_schema)
        names = asked.columns or described.columns.keys()
        query = sa.select(*(column_named(described, name, where) for name in names))
        query = query.select_from(described)
        for one in asked.conditions:
            held = column_named(described, one.column, where)
            dialect = self.connection.dialect.name
            query = query.where(holds(held, one, dialect=dialect, zone=asked.zone, where=where))
        return statement_of(query, self.connection)

    def keep_written(self) -> None:
        """Commit; what is asked after that sees the tables anew."""
        with self.telling():
            self._raw.commit()  # temporary tables stay
            self.connection.exec_driver_sql(_ONE_STATE)

    def query_there(self, database: Database, query: str, zone: str) -> LaneThere | None:
        """Return how the rows of a query typed by hand are had; errors as for `read_query`.

        One that calls what may give other rows each time is none of there: it is read once, in a
        transaction that can write nothing, and sent along.
        """
        from keen_trellis.servers.functions_called import require_reading
        from keen_trellis.servers.queries import refuse_writing

        if not self.knows(database):
            return None
        calls = refuse_writing(query, self.server)
        # the line end: what stands behind a query must be no part of a comment at its end
        statement = query.strip().rstrip(";") + "\n"
        with self.telling():
            require_reading(self.connection, calls)
            where = tr("a query of {label}", label=self.label)
            return self._lane(database, statement, where, zone)

    def knows(self, database: Database | None) -> bool:
        """Whether a database is the one of the run, whoever asks for it."""
        return isinstance(database, Server) and _whereabouts(database) == _whereabouts(self.server)

    def writes(self, database: Database | None, path: Path | None) -> bool:
        """Whether a table is to be written that lies there."""
        return self.knows(database)

    def write_table(
        self, program: Program, rows: Relation, target: Target, report: Report = quiet
    ) -> None:
        """Write the rows of a relation into a table, in the transaction that counted them.

        Raises
        ------
        DeliveryError
            The server refuses it, or a column there would hold a value otherwise.
        """
        self.ready(program, [rows.name], report)
        heads = Table.of({held.name: Column.of([], held.kind) for held in rows.columns})
        require_names(heads, target)
        values = [called(column(held.id), held.name) for held in rows.columns]
        query = select(values, table(rows.name))
        if rows.order:
            query.set("order", exp.Order(expressions=ordering(self.dialect, rows.order)))
        statement = self.dialect.text(program.whole(query, [rows.name]), pretty=False)
        name = _quoted(target.table)
        if target.in_schema:
            name = f"{_quoted(target.in_schema)}.{name}"

        def write() -> None:
            there = columns_there(self.connection, target)
            require_state(there, heads, target)
            with self._savepoint(), self._raw.cursor() as cursor:
                made_of = statement
                if there is not None:
                    names = ", ".join(map(_quoted, heads.columns))
                    sent = f"keen_sent_{uuid.uuid4().hex}"
                    # The rows are made once, since a second question could give others where they
                    # are not steady; they are held against the columns of the table there before
                    # any of them is added.
                    cursor.execute(f"CREATE TEMPORARY TABLE {sent} ON COMMIT DROP AS {statement}")
                    if target.how == "add":
                        _require_held(cursor, sent, name, target.words)
                        stays = True
                    else:
                        fits = set(there) == set(heads.columns) and self._fit(sent, name)
                        stays = empty_or_drop(
                            self.connection, cursor, target, heads, there if fits else {}
                        )
                    made_of = f"SELECT {names} FROM {sent}"
                    if stays:
                        # also where a column fills itself: the rows say what stands there
                        cursor.execute(
                            f"INSERT INTO {name} ({names}) OVERRIDING SYSTEM VALUE {made_of}"
                        )
                        return
                cursor.execute(f"CREATE TABLE {name} AS {made_of}")
                if target.key:
                    cursor.execute(f"ALTER TABLE {name} ADD PRIMARY KEY ({_quoted(target.key)})")

        try:
            self.doing(write, report, tr("Writing {words}", words=target.words))
        except SourceError as error:
            raise DeliveryError(
                tr(
                    "{words} cannot be written: {happened}",
                    words=with_capital(target.words),
                    happened=error.happened,
                ),
                tr("Nothing has been changed there; see to what it says, and deliver again."),
            ) from error

    def _fit(self, sent: str, name: str) -> bool:
        """Whether a table holds the values of another of the same columns as they are."""
        import psycopg

        try:
            with self._savepoint(), self._raw.cursor() as cursor:
                _require_held(cursor, sent, name, "")
        except (DeliveryError, psycopg.DataError):
            return False
        return True

    def _lane(
        self, database: Database, statement: str, where: str, zone: str, relation: str = ""
    ) -> LaneThere | None:
        """Return a lane by the types that the server says its columns have; None as `query_there`.

        Raises
        ------
        NotThereError
            The account that reads it may see other rows than that of the run.
        """
        with self._savepoint(keeps=False), self._raw.cursor() as cursor:
            # No rows, only what the server says of the columns: it plans the query, and runs
            # nothing of it.
            cursor.execute(f"SELECT * FROM ({statement}) AS t LIMIT 0")
            described = [
                (one.name, int(one.type_code), one.precision, one.scale)
                for one in cursor.description or ()
            ]
            read = (
                read_by_relation(cursor, relation)
                if relation
                else read_by_query(cursor, statement, len(described))
            )
            self._require_one_account(cursor, database, read.asks_who, where)
        if read.is_other:
            return None
        stored_as = [name for name, *_ in described]
        if len(set(stored_as)) < len(stored_as):  # of two columns of one name neither can be named
            stored_as = [f"c{number}" for number in range(len(described))]
            statement = f"SELECT * FROM ({statement}) AS q({', '.join(stored_as)})"
        names, _ = column_names([name for name, *_ in described], where, declared=True)
        found, left_out = [], []
        for stored, (_, oid, precision, _), name in zip(stored_as, described, names, strict=True):
            if oid == BYTES:
                left_out.append(name)
            else:
                found.append(_stored(name, column(stored, "t"), oid, precision, zone))
        return LaneThere(
            where, self.dialect.name, statement, tuple(found), tuple(left_out), read.is_steady
        )

    def _require_one_account(
        self, cursor: Any, database: Database, asks_who: bool, where: str
    ) -> None:
        """Refuse rows that the account of a source may see otherwise than that of the run."""
        assert isinstance(database, Server)
        accounts = database.user, self.server.user
        if accounts[0] != accounts[1] and (asks_who or names_differ(cursor, *accounts)):
            raise NotThereError(
                tr(
                    "{where} is read as {account}, and the place is asked as {other}: which rows "
                    "they see may differ.",
                    where=with_capital(where),
                    account=accounts[0],
                    other=accounts[1],
                ),
                tr("Give both the same account, or run the trellis on this machine."),
            )

    def made_once(self, lane: LaneThere, report: Report = quiet) -> LaneThere:
        """Return a lane whose rows are the same for every question: kept, where they may not be."""
        if lane.is_steady:
            return lane
        name = f"keen_once_{uuid.uuid4().hex}"

        def make() -> None:
            with self._savepoint(), self._raw.cursor() as cursor:
                cursor.execute(
                    f"CREATE TEMPORARY TABLE {name} AS SELECT * FROM ({lane.statement}) AS q"
                )
                cursor.execute(f"ANALYZE {name}")

        self.doing(make, report, tr("Reading {where} once", where=lane.where))
        return replace(lane, statement=f"SELECT * FROM pg_temp.{name}", is_steady=True)

    def fetch(self, query: Sql, columns: Sequence[tuple[str, Kind]]) -> dict[str, Column]:
        """Return the columns of a query, in their kinds.

        Raises
        ------
        NotThereError
            Values came in another kind than they must have.
        """
        wanted = [
            # As letters a numeric has every digit; COPY would give it to Arrow as a decimal of
            # fixed scale.
            called(_as_text(column(name)), name) if kind is Kind.EXACT else column(name)
            for name, kind in columns
        ]
        asked = select(wanted, _inner(query))
        kinds = [kind for _, kind in columns]
        statement = self.dialect.text(asked, pretty=False)
        with self._savepoint():
            arrays = copied(
                self.connection, statement, kinds, zoned=[False] * len(kinds), count=lambda _: None
            )
        made = {}
        for array, (name, kind) in zip(arrays, columns, strict=True):
            fetched = of_copied(array, kind, name)
            if fetched.column is None or fetched.column.kind is not kind:
                raise NotThereError(
                    tr(
                        "“{name}” holds values in {label} that are no {kind} here.",
                        name=name,
                        label=self.label,
                        kind=kind,
                    ),
                    tr("Filter them out there, or run the trellis on this machine."),
                )
            made[name] = fetched.column
        return made

    def send(self, name: str, columns: dict[str, Column]) -> None:
        """Make a temporary table."""
        types = ", ".join(f"{_quoted(one)} {_type(held.kind)}" for one, held in columns.items())
        rows = Table.of(dict(columns))
        with self._savepoint(), self._raw.cursor() as cursor:
            cursor.execute(f"DROP TABLE IF EXISTS pg_temp.{_quoted(name)}")
            cursor.execute(f"CREATE TEMPORARY TABLE {_quoted(name)} ({types})")
            into = f"COPY {_quoted(name)} FROM STDIN (FORMAT csv)"
            with cursor.copy(into) as copy:
                for _, block in text_blocks(rows, TextForm(quoting="texts")):
                    copy.write(block)
            # The planner knows nothing of a table that has just been made, and would take it for a
            # large one.
            cursor.execute(f"ANALYZE {_quoted(name)}")

    @contextlib.contextmanager
    def _savepoint(self, keeps: bool = True) -> Any:
        """Have what fails undone alone, so that the run can go on; or, unless it `keeps`, all."""
        with self._raw.cursor() as cursor:
            cursor.execute("SAVEPOINT keen")
            try:
                yield
            except BaseException:
                with contextlib.suppress(Exception):
                    cursor.execute("ROLLBACK TO SAVEPOINT keen; RELEASE SAVEPOINT keen")
                raise
            back = "" if keeps else "ROLLBACK TO SAVEPOINT keen; "
            cursor.execute(f"{back}RELEASE SAVEPOINT keen")

    def stop(self) -> None:
        """Cancel what the server is doing."""
        with contextlib.suppress(Exception):  # a dead connection cannot be told anything
            self._raw.cancel_safe(timeout=_TELLS_S)

    def close(self) -> None:
        """Leave; the transaction ends, and the temporary tables with the connection."""
        if self._connection is not None:
            with contextlib.suppress(Exception):
                self._raw.rollback()
            with contextlib.suppress(Exception):
                self._connection.close()
            self._connection = None
        self._engine.dispose()

    def explained(self, error: Exception) -> Exception:
        """Return an error of the server as a sentence."""
        import psycopg
        import sqlalchemy as sa

        if isinstance(error, UserError):
            return error
        if isinstance(error, sa.exc.DBAPIError | psycopg.Error):
            return explained(error, self.server)
        return error


def _stored(name: str, value: Sql, oid: int, precision: int | None, zone: str) -> Stored:
    """Return a column of the server as this machine reads it."""
    dialect, kind = POSTGRES, KINDS.get(oid, Kind.TEXT)
    text = exp.Literal.string
    match kind:
        case Kind.NUMBER:
            if oid == REAL:  # by the decimal that it is shown as, which a plain cast is not
                value = dialect.cast(dialect.cast(value, Kind.TEXT), kind)
            nan = exp.EQ(this=value, expression=dialect.cast(text("NaN"), kind))
            return Stored(name, kind, choose(nan, dialect.literal(None, kind), value.copy()))
        case Kind.EXACT:
            # Of a declared size all fit into it but NaN, which is none of the amounts here.
            is_sized = bool(precision) and (precision or 0) <= DIGITS_AT_MOST
            nan = exp.EQ(this=value.copy(), expression=dialect.cast(text("NaN"), kind))
            return Stored(name, kind, value, nan if is_sized else _odd_decimal(value))
        case Kind.DATE | Kind.DATE_TIME:
            if oid == WITH_ZONE:
                value = exp.Anonymous(this="TIMEZONE", expressions=[text(zone), value])
            ends = (exp.Cast(this=text(day), to=dialect.type_of(kind)) for day in _CALENDAR[kind])
            low, high = ends
            return Stored(
                name, kind, value, exp.Not(this=exp.Between(this=value.copy(), low=low, high=high))
            )
        case Kind.TEXT:  # as letters alone: a collation of the column may take two for equal
            return Stored(name, kind, dialect.in_order(dialect.cast(value, kind), kind))
        case _:
            return Stored(name, kind, dialect.cast(value, kind))


_CALENDAR = {
    Kind.DATE: ("0001-01-01", "9999-12-31"),
    Kind.DATE_TIME: ("0001-01-01 00:00:00", "9999-12-31 23:59:59.999999"),
}


def _odd_decimal(value: Sql) -> Sql:
    """Return whether a numeric of any size has no place in 38 digits, or is no number."""
    size = exp.Abs(this=value.copy())
    # Digits behind the mark that say something: 1.500 has one, and 7/100 two of its twenty.
    scale = exp.Anonymous(this="MIN_SCALE", expressions=[value.copy()])
    # NaN and infinity are beyond every bound; their scale is null
    beyond = exp.GTE(this=size, expression=POSTGRES.exact(_HALF))
    fine = exp.GT(this=scale, expression=exp.Literal.number(_BEHIND))
    return exp.paren(exp.or_(beyond, fine, copy=False))


_HALF, _BEHIND = Decimal(10) ** 20, 18


def _whereabouts(server: Server) -> tuple[object, ...]:
    return server.type, server.host, server.usual_port, server.database


def _inner(query: Sql) -> Sql:
    assert isinstance(query, exp.Query)
    return within(query, "asked")


def _as_text(value: Sql) -> Sql:
    return POSTGRES.cast(value, Kind.TEXT)


def _type(kind: Kind) -> str:
    return f'{POSTGRES.types[kind]} COLLATE "C"' if kind is Kind.TEXT else POSTGRES.types[kind]


def _require_held(cursor: Any, sent: str, name: str, words: str) -> None:
    """Refuse to add rows to a table of which a column would hold a value otherwise.

    A value stays what it is if, put into the type of the column there, it comes back the same.
    """
    types = []
    for one in (sent, name):
        cursor.execute(
            "SELECT attname, format_type(atttypid, atttypmod) FROM pg_attribute "
            "WHERE attrelid = %s::regclass AND attnum > 0 AND NOT attisdropped",
            (one,),
        )
        types.append(dict(cursor.fetchall()))
    own, there = types
    tests = [
        f"CAST(CAST({_quoted(one)} AS {there[one]}) AS {held}) IS DISTINCT FROM {_quoted(one)}"
        for one, held in own.items()
    ]
    counts = ", ".join(f"count(*) FILTER (WHERE {test})" for test in tests)
    cursor.execute(f"SELECT {counts} FROM {sent}")
    for one, changed in zip(own, cursor.fetchone(), strict=True):
        if changed:
            raise would_change(one, changed, words, held_as=there[one])


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'
