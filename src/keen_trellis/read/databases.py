"""Tables, views and queries of databases, read without ever being able to write."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from keen_trellis.base.errors import (
    ConnectionLostError,
    SourceError,
)
from keen_trellis.base.file_stamps import FileStamp
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.data import Column, Kind
from keen_trellis.data.column_names import column_names
from keen_trellis.data.conversions.noticed import Noticed
from keen_trellis.data.conversions.python_values import column_of_values
from keen_trellis.read import sqlite_file
from keen_trellis.read.reading import Reading, without_rows
from keen_trellis.read.settling import Unsettled
from keen_trellis.servers.connections import BATCH, Reader
from keen_trellis.servers.database_values import (
    Asked,
    Fetched,
    declared_column,
    fetched_columns,
    in_zone,
    queried_columns,
)
from keen_trellis.servers.described import column_named, table_described
from keen_trellis.servers.row_conditions import holds
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import (
    Database,
    DatabaseColumn,
    DatabaseTable,
    RowCondition,
    SqliteFile,
)

if TYPE_CHECKING:
    import sqlalchemy as sa

ENDINGS = (".sqlite", ".sqlite3", ".db")
QUERY_S = 60.0

Cells = tuple[str, list[Any], int | None]
"""A name, values, and the number of their declared type, where one is declared."""

_SYSTEM_SCHEMAS = {"information_schema", "pg_catalog", "mysql", "performance_schema", "sys"}


def database_tables(
    database: Database, secrets: Secrets | None = None, report: Report = quiet
) -> list[DatabaseTable]:
    """Return the tables and views of a database, by schema and name.

    Raises
    ------
    SourceError
        The file is missing or no SQLite database, or the server cannot be reached.
    PasswordError
        The server wants a password.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """

    def listed(connection: Any, _: Reader) -> list[DatabaseTable]:
        if isinstance(database, SqliteFile):
            return sqlite_file.tables_of(connection)
        import sqlalchemy as sa

        inspector = sa.inspect(connection)
        schemas: list[str | None] = [None]
        if connection.dialect.name == "postgresql":
            schemas = [
                s
                for s in inspector.get_schema_names()
                if s not in _SYSTEM_SCHEMAS and not s.startswith("pg_")
            ]
        rows = _estimates(connection)
        found = []
        for schema in schemas:
            views = inspector.get_view_names(schema=schema)
            if connection.dialect.name == "postgresql":
                # SQLAlchemy lists them apart from views.
                views += inspector.get_materialized_view_names(schema=schema)
            names = [(n, False) for n in inspector.get_table_names(schema=schema)]
            for name, is_view in sorted(names + [(n, True) for n in views]):
                found.append(DatabaseTable(name, schema, is_view, rows.get((schema, name))))
        return found

    reader = Reader(database, secrets or Secrets(), QUERY_S)
    return reader.run(listed, report, tr("Looking into {label}", label=database.label))


def database_columns(
    database: Database,
    table: str,
    schema: str | None = None,
    secrets: Secrets | None = None,
    report: Report = quiet,
) -> list[DatabaseColumn]:
    """Return the columns of a table or view; errors as for `read_table`."""

    def listed(connection: Any, _: Reader) -> list[DatabaseColumn]:
        if isinstance(database, SqliteFile):
            return sqlite_file.columns_of(connection, database, table)
        described = table_described(connection, database, table, schema)
        return [
            DatabaseColumn(c.name, Asked.of(c, connection.dialect.name).kind, str(c.type))
            for c in described.columns
        ]

    reader = Reader(database, secrets or Secrets(), QUERY_S)
    return reader.run(listed, report, tr("Looking into {table}", table=table))


def read_table(
    database: Database,
    table: str,
    schema: str | None = None,
    columns: Sequence[str] | None = None,
    conditions: Sequence[RowCondition] = (),
    zone: str = "UTC",
    secrets: Secrets | None = None,
    report: Report = quiet,
    kinds: Mapping[str, Kind] | None = None,
    rows_at_most: int | None = None,
) -> Reading:
    """Return the rows of one table or view; null is a blank.

    Only the columns and rows wanted are sent. Numbers, dates and the rest keep the kind they have
    in the database; what has no kind of ours comes as text, and bytes do not come.

    Parameters
    ----------
    database, table, schema
    columns : sequence of str, optional
        All where not given.
    conditions : sequence of RowCondition
        All must hold.
    zone : str
        The time zone that moments with a zone are shown in, such as “Europe/Lisbon”.
    secrets : Secrets, optional
    report : Report
    kinds : mapping of column to kind, optional
    rows_at_most : int, optional

    Raises
    ------
    SourceError
        The database cannot be read, or has no such table.
    PasswordError
        The server wants a password.
    UnknownColumnError
        A column wanted is not there.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """

    def read_file(connection: sqlite3.Connection, reader: Reader) -> _Rows:
        assert isinstance(database, SqliteFile)
        cells = sqlite_file.cells_of(
            connection,
            database,
            table=table,
            columns=columns,
            conditions=conditions,
            rows_at_most=rows_at_most,
            reader=reader,
        )
        return _Rows.of([(name, values, None) for name, values in cells], zone)

    def read_server(connection: sa.Connection, reader: Reader) -> _Rows:
        described = table_described(connection, database, table, schema)
        asked = [
            Asked.of(column_named(described, name, where), connection.dialect.name)
            for name in columns or described.columns.keys()
        ]
        readable = [one for one in asked if one.kind is not None]
        query = _question(
            described,
            readable,
            conditions,
            dialect=connection.dialect.name,
            zone=zone,
            where=where,
        )
        if rows_at_most is not None:
            query = query.limit(rows_at_most)
        elif not conditions:
            # how many rows will come, for the progress alone: no condition, so nearly all of the
            # table
            reader.expected = _estimates(connection).get((schema, table)) or 0
        # What has no kind of ours is not even asked for: bytes may be long.
        rows = _Rows(left_out=[one.name for one in asked if one.kind is None])
        rows.noticed += _hidden_rows(connection, table, schema, where)
        came = fetched_columns(connection, query, readable, reader)
        for one, fetched in zip(readable, came, strict=True):
            rows.add(one.name, fetched, zone if one.zoned else None)
        return rows

    where = f"{database.label} › {table}"
    work = read_file if isinstance(database, SqliteFile) else read_server
    found = _reader_run(
        database, secrets, None, work=work, report=report, doing=tr("Reading {where}", where=where)
    )
    return _as_reading(
        found,
        where,
        tr("database table"),
        database=database,
        zone=zone,
        kinds=kinds or {},
        rows_at_most=rows_at_most,
    )


def read_query(
    database: Database,
    query: str,
    timeout_s: float = QUERY_S,
    zone: str = "UTC",
    secrets: Secrets | None = None,
    report: Report = quiet,
    kinds: Mapping[str, Kind] | None = None,
    rows_at_most: int | None = None,
) -> Reading:
    """Return the rows of a query typed by hand, run where nothing can be written.

    Parameters
    ----------
    timeout_s : float
        After how many seconds the database gives up.
    database, query, zone, secrets, report, kinds, rows_at_most
        As for `read_table`.

    Raises
    ------
    SourceError
        The query is not one that only reads, is not understood, or takes too long.
    PasswordError
        The server wants a password.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    from keen_trellis.servers.functions_called import require_reading
    from keen_trellis.servers.queries import refuse_writing  # only who asks waits for its parser

    calls = refuse_writing(query, database)

    def read(connection: Any, reader: Reader) -> _Rows:
        is_server = not isinstance(connection, sqlite3.Connection)
        if is_server:
            require_reading(connection, calls)
        if is_server and connection.dialect.name == "postgresql":
            # An account that may do everything can do so within a function that a query calls;
            # the transaction that only reads is what stops it, and this says that it is the only
            # thing.
            rows = _Rows(noticed=[*_all_rights(connection, database)])
            plain = query.strip().rstrip(";")
            for one in queried_columns(connection, plain, rows_at_most, reader):
                rows.add(one.name, one.fetched, zone if one.zoned else None)
            return rows
        return _Rows.of(_answer(connection, query, rows_at_most, reader), zone)

    where = tr("a query of {label}", label=database.label)
    found = _reader_run(
        database,
        secrets,
        timeout_s,
        work=read,
        report=report,
        doing=tr("Asking {label}", label=database.label),
    )
    return _as_reading(
        found,
        where,
        tr("query"),
        database=database,
        zone=zone,
        kinds=kinds or {},
        rows_at_most=rows_at_most,
    )


@dataclass(slots=True, eq=False)
class _Rows:
    """The columns that came of a table or query, and the names of those that hold bytes."""

    names: list[str] = field(default_factory=list)
    columns: list[Column] = field(default_factory=list)
    left_out: list[str] = field(default_factory=list)
    zoned: bool = False
    noticed: list[Noticed] = field(default_factory=list)

    @classmethod
    def of(cls, cells: Sequence[Cells], zone: str) -> _Rows:
        """Return columns in the kinds of declared types, or else in those of the values."""
        rows = cls()
        for name, values, stored in cells:
            declared = None if stored is None else declared_column(values, stored, name)
            if declared is not None:
                rows.add(name, declared, None)
                continue
            # one value is enough: SQLite keeps bytes in a column of any type
            if any(isinstance(v, bytes | bytearray | memoryview) for v in values):
                rows.left_out.append(name)
                continue
            zoned = any(getattr(v, "tzinfo", None) is not None for v in values)
            rows.add(name, Fetched(*column_of_values(values, name)), zone if zoned else None)
        return rows

    def add(self, name: str, fetched: Fetched, zone: str | None) -> None:
        """Add what came of a column, moments as a clock in `zone` shows them."""
        self.zoned |= zone is not None
        self.noticed += fetched.noticed
        if fetched.column is None:
            self.left_out.append(name)
        else:
            self.names.append(name)
            self.columns.append(fetched.column if zone is None else in_zone(fetched.column, zone))


def _question(
    described: sa.Table,
    asked: Sequence[Asked],
    conditions: Sequence[RowCondition],
    *,
    dialect: str,
    zone: str,
    where: str,
) -> sa.Select[Any]:
    """Return the statement that asks for some columns and rows of a table."""
    import sqlalchemy as sa

    # labels of our own: a table may have two columns that differ in what the server makes of names
    query = sa.select(*(one.expression.label(f"c{i}") for i, one in enumerate(asked)))
    query = query.select_from(described)
    for condition in conditions:
        column = column_named(described, condition.column, where)
        query = query.where(holds(column, condition, dialect=dialect, zone=zone, where=where))
    return query


def _answer(
    connection: sqlite3.Connection | sa.Connection,
    query: str,
    rows_at_most: int | None,
    reader: Reader,
) -> list[Cells]:
    """Return the names of what a query gives, with the values of each and its declared type."""
    plain = query.strip().rstrip(";")
    reader.keep_json_as_text()
    result: Any
    if isinstance(connection, sqlite3.Connection):
        result = connection.execute(plain)
        names = [described[0] for described in result.description or ()]
        types: list[int | None] = [None] * len(names)
    else:
        # the server sends rows while they are asked for: a driver's own cursor would hold all of
        # them
        streamed = connection.execution_options(stream_results=True, max_row_buffer=BATCH)
        if connection.dialect.paramstyle in ("format", "pyformat"):  # there % begins a parameter
            plain = plain.replace("%", "%%")
        result = streamed.exec_driver_sql(plain)
        if not result.returns_rows:
            raise SourceError(
                tr("The server says that the query is done, and gives no rows."),
                tr("See that it asks for some, and that this is the server that is meant."),
            )
        names = list(result.keys())
        types = [int(described[1]) for described in result.cursor.description]
    # Column by column from the start: rows as tuples would be held a second time.
    cells: list[list[Any]] = [[] for _ in names]
    with closing(result):  # also where it is stopped on the way
        while batch := result.fetchmany(min(BATCH, rows_at_most or BATCH)):
            for column, values in zip(cells, zip(*batch, strict=True), strict=True):
                column += values
            reader.count(len(batch))
            if rows_at_most is not None and reader.rows >= rows_at_most:
                break
    return list(zip(names, cells, types, strict=True))


def _reader_run(
    database: Database,
    secrets: Secrets | None,
    timeout_s: float | None,
    work: Any,
    report: Report,
    doing: str,
) -> _Rows:
    """Read, and once more from the start where the connection was lost on the way."""
    reader = Reader(database, secrets or Secrets(), timeout_s)
    try:
        found: _Rows = reader.run(work, report, doing)
    except ConnectionLostError:
        # from the start: half of one answer and half of another could be of two states
        again = Reader(database, secrets or Secrets(), timeout_s)
        found = again.run(work, report, tr("The connection was lost. {doing} again", doing=doing))
    return found


def _as_reading(
    found: _Rows,
    where: str,
    what: str,
    database: Database,
    zone: str,
    kinds: Mapping[str, Kind],
    rows_at_most: int | None,
) -> Reading:
    names, renamed = column_names(found.names, where, declared=True)
    is_server = not isinstance(database, SqliteFile)  # whose types hold for every value
    came: dict[str, pa.ChunkedArray | Column] = {
        name: replace(column, declared=is_server)
        for name, column in zip(names, found.columns, strict=True)
    }
    unsettled = Unsettled(came, where)
    n_rows = len(found.columns[0]) if found.columns else 0
    bytes_of = [
        Noticed(
            tr(
                "“{name}” of {where} holds bytes, which are no value to link or show: left out.",
                name=name,
                where=where,
            )
        )
        for name in found.left_out
    ]
    return Reading(
        unsettled.in_kinds(kinds),
        tr("{what}, moments in {zone}", what=what, zone=zone) if found.zoned else what,
        left_out=without_rows(n_rows, where),
        changed=(*found.noticed, *renamed, *bytes_of),
        files=(FileStamp.of(Path(database.path)),) if isinstance(database, SqliteFile) else (),
        partial=rows_at_most is not None and n_rows >= rows_at_most,
        unsettled=unsettled,
    )


def _all_rights(connection: sa.Connection, database: Database) -> Iterator[Noticed]:
    """Say that an account may do everything, whatever a query may not."""
    setting = connection.exec_driver_sql("SHOW is_superuser").scalar()
    if setting == "on":
        yield Noticed(
            tr(
                "The account for {label} may do everything there. For queries take one that "
                "may only read.",
                label=database.label,
            )
        )


def _hidden_rows(
    connection: sa.Connection, table: str, schema: str | None, where: str
) -> Iterator[Noticed]:
    """Say where a server shows an account only some rows of a table, which looks like all."""
    import sqlalchemy as sa

    if connection.dialect.name != "postgresql":
        return
    quoted = connection.dialect.identifier_preparer.quote
    name = ".".join(quoted(part) for part in (schema, table) if part)
    asked = sa.text("SELECT row_security_active(CAST(:name AS regclass))")
    if connection.execute(asked, {"name": name}).scalar():
        yield Noticed(
            tr(
                "{where} has row security: the server shows this account only rows that "
                "it may see.",
                where=where,
            )
        )


def _estimates(connection: sa.Connection) -> dict[tuple[str | None, str], int]:
    """Return about how many rows each table has, from what the database keeps for planning."""
    import sqlalchemy as sa

    dialect = connection.dialect.name
    if dialect == "postgresql":
        found = connection.execute(
            sa.text(
                "SELECT n.nspname, c.relname, c.reltuples::bigint FROM pg_class c "
                "JOIN pg_namespace n ON n.oid = c.relnamespace "
                "WHERE c.relkind IN ('r', 'm', 'p') AND c.reltuples >= 0"
            )
        )
        return {(schema, name): rows for schema, name, rows in found}
    found = connection.execute(
        sa.text(
            "SELECT table_name, table_rows FROM information_schema.tables "
            "WHERE table_schema = DATABASE() AND table_rows IS NOT NULL"
        )
    )
    return {(None, name): rows for name, rows in found}
