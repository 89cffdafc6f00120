"""Tables, views and queries of databases, read without ever being able to write."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.data import Column, Kind, Table, from_arrow
from keen_trellis.data.conversion import converted
from keen_trellis.data.kind_changes import changed_kind
from keen_trellis.data.stacking import common_scale, stack_columns
from keen_trellis.errors import (
    ConnectionLostError,
    MissingTableError,
    SourceError,
    UnknownColumnError,
)
from keen_trellis.progress import Report, quiet
from keen_trellis.read.connections import Reader
from keen_trellis.read.postgres_copy import copied
from keen_trellis.read.python_columns import chosen_kinds, column_of_values
from keen_trellis.read.reading import (
    FileStamp,
    Noticed,
    Reading,
    column_names,
    nan_noticed,
    without_rows,
)
from keen_trellis.read.secrets import Secrets
from keen_trellis.read.server import Database, SqliteFile

if TYPE_CHECKING:
    import sqlalchemy as sa

ENDINGS = (".sqlite", ".sqlite3", ".db")
QUERY_S = 60.0

_BATCH = 20_000
_SYSTEM_SCHEMAS = {"information_schema", "pg_catalog", "mysql", "performance_schema", "sys"}
_READS = re.compile(r"\s*(select|with|values|table)\b", re.IGNORECASE)
_ASIDE = re.compile(
    r"'(?:[^'\\]|''|\\.)*'|\"(?:[^\"]|\"\")*\"|`[^`]*`|--[^\n]*|/\*.*?\*/|\$(\w*)\$.*?\$\1\$",
    re.DOTALL,
)

Comparison = Literal["=", "<>", "<", "<=", ">", ">=", "contains", "is blank", "is not blank"]


@dataclass(frozen=True, slots=True)
class Condition:
    """A simple condition that the database keeps rows by, so that the others are never sent.

    Attributes
    ----------
    column : str
    is_ : str
        How the column is compared with the value.
    value : str
        Written as the column shows its values; empty for the comparisons with blank.
    """

    column: str
    is_: Comparison
    value: str = ""


@dataclass(frozen=True, slots=True)
class DatabaseTable:
    """A table or view that a database has.

    Attributes
    ----------
    name : str
    schema : str or None
        None where the database has only one.
    is_view : bool
    rows : int or None
        About how many rows, as far as the database knows without counting.
    """

    name: str
    schema: str | None = None
    is_view: bool = False
    rows: int | None = None


@dataclass(frozen=True, slots=True)
class DatabaseColumn:
    """A column of a table before it is read; its kind is None where it cannot be."""

    name: str
    kind: Kind | None
    stored_as: str


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
    import sqlalchemy as sa

    def listed(connection: sa.Connection, _: Reader) -> list[DatabaseTable]:
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
                views += inspector.get_materialized_view_names(schema=schema)
            names = [(n, False) for n in inspector.get_table_names(schema=schema)]
            for name, is_view in sorted(names + [(n, True) for n in views]):
                found.append(DatabaseTable(name, schema, is_view, rows.get((schema, name))))
        return found

    reader = Reader(database, secrets or Secrets(), QUERY_S)
    return reader.run(listed, report, f"Looking into {database.label}")


def database_columns(
    database: Database,
    table: str,
    schema: str | None = None,
    secrets: Secrets | None = None,
    report: Report = quiet,
) -> list[DatabaseColumn]:
    """Return the columns of a table or view; errors as for `read_table`."""

    def listed(connection: sa.Connection, _: Reader) -> list[DatabaseColumn]:
        described = _described(connection, database, table, schema)
        return [
            DatabaseColumn(c.name, _taken(c, connection.dialect.name)[1], str(c.type))
            for c in described.columns
        ]

    reader = Reader(database, secrets or Secrets(), QUERY_S)
    return reader.run(listed, report, f"Looking into {table}")


def read_table(
    database: Database,
    table: str,
    schema: str | None = None,
    columns: Sequence[str] | None = None,
    conditions: Sequence[Condition] = (),
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
    conditions : sequence of Condition
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

    def read(connection: sa.Connection, reader: Reader) -> _Fetched:
        import sqlalchemy as sa

        described = _described(connection, database, table, schema)
        where = f"{database.label} › {table}"
        wanted = [_named(described, name, where) for name in columns or described.columns.keys()]
        dialect = connection.dialect.name
        taken = [(str(c.name), *_taken(c, dialect)) for c in wanted]
        kept = [(name, expression, kind) for name, expression, kind in taken if kind is not None]
        query = sa.select(*(e.label(f"c{i}") for i, (_, e, _) in enumerate(kept)))
        query = query.select_from(described)
        for condition in conditions:
            column = _named(described, condition.column, where)
            query = query.where(_holds(column, condition, dialect, where))
        if rows_at_most is not None:
            query = query.limit(rows_at_most)
        elif not conditions:
            reader.expected = _estimates(connection).get((schema, table)) or 0
        zoned = [_has_zone(c, dialect) for c in wanted if _taken(c, dialect)[1] is not None]
        wanted_kinds = [kind for *_, kind in kept]
        if dialect == "postgresql" and kept:
            arrays = copied(connection, query, wanted_kinds, zoned, reader.count)
            pairs = zip(arrays, wanted_kinds, strict=True)
            made = [
                _of_copied(array, kind, name)
                for (array, kind), (name, *_) in zip(pairs, kept, strict=True)
            ]
        else:
            made = _fetched(connection, query, wanted_kinds, [n for n, *_ in kept], reader)
        fetched = [
            _in_zone(column, zone) if column is not None and has_zone else column
            for (column, _), has_zone in zip(made, zoned, strict=True)
        ]
        left_out = [name for name, _, kind in taken if kind is None]
        named = list(zip((name for name, *_ in kept), fetched, strict=True))
        left_out += [name for name, column in named if column is None]
        there = {name: column for name, column in named if column is not None}
        seen = [one for _, noticed in made for one in noticed]
        return _Fetched(list(there), list(there.values()), left_out, any(zoned), seen)

    where = f"{database.label} › {table}"
    found = _reader_run(database, secrets, None, read, report, f"Reading {where}")
    return _as_reading(found, where, "database table", database, zone, kinds or {}, rows_at_most)


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
    _refuse_writing(query)

    def read(connection: sa.Connection, reader: Reader) -> _Fetched:
        streamed = connection.execution_options(stream_results=True, max_row_buffer=_BATCH)
        plain = query.strip().rstrip(";")
        if connection.dialect.paramstyle in ("format", "pyformat"):  # there % begins a parameter
            plain = plain.replace("%", "%%")
        result = streamed.exec_driver_sql(plain)
        names = list(result.keys())
        parts: list[list[list[Any]]] = [[] for _ in names]
        while batch := result.fetchmany(min(_BATCH, rows_at_most or _BATCH)):
            for part, batched in zip(parts, zip(*batch, strict=True), strict=True):
                part.append(list(batched))
            reader.count(len(batch))
            if rows_at_most is not None and reader.rows >= rows_at_most:
                break
        result.close()
        kept, fetched, left_out = [], [], []
        noticed: list[Noticed] = []
        zoned = False
        for name, part in zip(names, parts, strict=True):
            values = [value for batch in part for value in batch]
            if any(isinstance(v, bytes | bytearray | memoryview) for v in values):
                left_out.append(name)
                continue
            moments = [v for v in values if getattr(v, "tzinfo", None) is not None]
            zoned |= bool(moments)
            column, seen = column_of_values(values, name)
            noticed += seen
            kept.append(name)
            fetched.append(_in_zone(column, zone) if moments else column)
        return _Fetched(kept, fetched, left_out, zoned, noticed)

    where = f"a query of {database.label}"
    found = _reader_run(database, secrets, timeout_s, read, report, f"Asking {database.label}")
    return _as_reading(found, where, "query", database, zone, kinds or {}, rows_at_most)


@dataclass(frozen=True, slots=True, eq=False)
class _Fetched:
    names: list[str]
    columns: list[Column]
    left_out: list[str]
    zoned: bool
    noticed: list[Noticed]


def _reader_run(
    database: Database,
    secrets: Secrets | None,
    timeout_s: float | None,
    work: Any,
    report: Report,
    doing: str,
) -> _Fetched:
    """Read, and once more from the start where the connection was lost on the way."""
    reader = Reader(database, secrets or Secrets(), timeout_s)
    try:
        found: _Fetched = reader.run(work, report, doing)
    except ConnectionLostError:
        again = Reader(database, secrets or Secrets(), timeout_s)
        found = again.run(work, report, f"The connection was lost. {doing} again")
    return found


def _as_reading(
    found: _Fetched,
    where: str,
    what: str,
    database: Database,
    zone: str,
    kinds: Mapping[str, Kind],
    rows_at_most: int | None,
) -> Reading:
    names, renamed = column_names(found.names, where)
    chosen = chosen_kinds(dict(zip(names, found.columns, strict=True)), kinds)
    n_rows = len(found.columns[0]) if found.columns else 0
    noticed = [*chosen.noticed, *found.noticed, *renamed, *without_rows(n_rows, where)]
    for name in found.left_out:
        text = f"“{name}” of {where} holds bytes, which are no value to link or show: left out."
        noticed.append(Noticed(text))
    words = f"{what}, moments in {zone}" if found.zoned else what
    files = (FileStamp.of(Path(database.path)),) if isinstance(database, SqliteFile) else ()
    partial = rows_at_most is not None and n_rows >= rows_at_most
    return Reading(
        Table.of(chosen.columns), words, tuple(noticed), None, chosen.unfit, (), files, partial
    )


def _described(
    connection: sa.Connection, database: Database, table: str, schema: str | None
) -> sa.Table:
    import sqlalchemy as sa

    try:
        return sa.Table(
            table, sa.MetaData(), schema=schema, autoload_with=connection, resolve_fks=False
        )
    except sa.exc.NoSuchTableError as error:
        inspector = sa.inspect(connection)
        names = inspector.get_table_names(schema=schema) + inspector.get_view_names(schema=schema)
        raise MissingTableError(
            f"{database.label} has no table “{table}”.", sorted(names)
        ) from error


def _named(described: sa.Table, name: str, where: str) -> sa.Column[Any]:
    if name not in described.columns:
        raise UnknownColumnError(name, where, list(described.columns.keys()))
    return described.columns[name]


def _taken(column: sa.Column[Any], dialect: str) -> tuple[sa.ColumnElement[Any], Kind | None]:
    """Return what is asked for to have a column's values, and the kind they are; None for bytes.

    Exact numbers come as their digits: a server writes them faster than a driver makes objects.
    """
    import sqlalchemy as sa
    import sqlalchemy.types as types

    stored = column.type
    plain: sa.ColumnElement[Any] = sa.type_coerce(column, types.NullType())
    if dialect == "sqlite":  # any cell may be of any type there; its own type is the truth
        return plain, Kind.TEXT
    if isinstance(stored, types.LargeBinary | types._Binary):
        return plain, None
    if isinstance(stored, types.Boolean) or _is_tiny_boolean(stored):
        return plain, Kind.BOOLEAN
    if dialect == "mysql" and type(stored).__name__ == "BIT":  # as it is, it would be a letter
        bits = getattr(stored, "length", None) or 1
        kind = Kind.BOOLEAN if bits == 1 else Kind.EXACT if bits == 64 else Kind.INTEGER
        return plain + 0, kind
    if isinstance(stored, types.Integer):
        unsigned = getattr(stored, "unsigned", False) and isinstance(stored, types.BigInteger)
        return plain, Kind.EXACT if unsigned else Kind.INTEGER
    if isinstance(stored, types.Float):
        return plain, Kind.NUMBER
    if isinstance(stored, types.Numeric):
        return _as_text(column, dialect), Kind.EXACT
    if isinstance(stored, types.DateTime):
        return plain, Kind.DATE_TIME
    if isinstance(stored, types.Date):
        return plain, Kind.DATE
    if isinstance(stored, types.Time) and not getattr(stored, "timezone", False):
        return plain, Kind.TIME
    if isinstance(stored, types.String) and not isinstance(stored, types.Enum):
        return plain, Kind.TEXT
    return _as_text(column, dialect), Kind.TEXT


def _as_text(column: sa.Column[Any], dialect: str) -> sa.ColumnElement[Any]:
    import sqlalchemy as sa

    return sa.cast(column, sa.Text() if dialect == "postgresql" else sa.CHAR())


def _is_tiny_boolean(stored: Any) -> bool:
    return type(stored).__name__ == "TINYINT" and getattr(stored, "display_width", None) == 1


def _has_zone(column: sa.Column[Any], dialect: str) -> bool:
    with_zone = bool(getattr(column.type, "timezone", False))
    return with_zone or (dialect == "mysql" and type(column.type).__name__ == "TIMESTAMP")


def _holds(
    column: sa.Column[Any], condition: Condition, dialect: str, where: str
) -> sa.ColumnElement[bool]:
    import sqlalchemy as sa

    if condition.is_ == "is blank":
        return column.is_(None)
    if condition.is_ == "is not blank":
        return column.is_not(None)
    if condition.is_ == "contains":
        text = column if isinstance(column.type, sa.String) else _as_text(column, dialect)
        return text.contains(condition.value, autoescape=True)
    value = _typed(column, condition, where)
    compared: dict[str, sa.ColumnElement[bool]] = {
        "=": column == value,
        "<>": column != value,
        "<": column < value,
        "<=": column <= value,
        ">": column > value,
        ">=": column >= value,
    }
    return compared[condition.is_]


def _typed(column: sa.Column[Any], condition: Condition, where: str) -> Any:
    """Return a condition's value as the column's own type."""
    kind = _taken(column, "postgresql")[1]
    if kind is None or kind is Kind.TEXT:
        return condition.value
    as_text = from_arrow(pa.array([condition.value]))
    changed, unfit = changed_kind(as_text, kind, condition.column)
    if unfit is not None:
        raise SourceError(
            f"“{condition.value}” is no {kind}, as “{condition.column}” of {where} is.",
            "Mend the condition.",
        )
    return changed.to_list()[0]


_Made = tuple[Column | None, list[Noticed]]


def _fetched(
    connection: sa.Connection,
    query: sa.Select[Any],
    kinds: Sequence[Kind],
    names: Sequence[str],
    reader: Reader,
) -> list[_Made]:
    """Return the columns that a query gives; None for one that turns out to hold bytes."""
    if not kinds:
        return []
    streamed = connection.execution_options(stream_results=True, max_row_buffer=_BATCH)
    result = streamed.execute(query)
    sqlite = connection.dialect.name == "sqlite"
    parts: list[list[Column | list[Any]]] = [[] for _ in kinds]
    for batch in result.partitions(_BATCH):
        for part, values, kind in zip(parts, zip(*batch, strict=True), kinds, strict=True):
            part.append(list(values) if sqlite else _batch_column(values, kind))
        reader.count(len(batch))
    triples = zip(parts, kinds, names, strict=True)
    return [_joined(part, kind, name) for part, kind, name in triples]


def _joined(parts: Sequence[Column | list[Any]], kind: Kind, name: str) -> _Made:
    """Return batches as one column; where one is not of the kind, its values decide for all."""
    columns = [part for part in parts if isinstance(part, Column)]
    if not parts:
        return Column.of([], kind), []
    if len(columns) == len(parts) and common_scale(columns) is not None:
        whole = stack_columns(columns)
        return _boolean_or_integer(whole, name) if kind is Kind.BOOLEAN else (whole, [])
    values = [
        value for part in parts for value in (part.to_list() if isinstance(part, Column) else part)
    ]
    if any(isinstance(v, bytes) for v in values):
        return None, []
    return column_of_values(values, name)


def _boolean_or_integer(numbers: Column, name: str) -> _Made:
    """Return 0 and 1 as false and true; where any other number is there, all stay numbers."""
    state = numbers.state
    held = numbers.values if numbers.absent is None else numbers.values[~numbers.absent]
    odd = held[(held != 0) & (held != 1)]
    if not len(odd):
        return Column(Kind.BOOLEAN, numbers.values != 0, state), []
    text = f"“{name}” is declared as boolean and holds {odd[0]}: it is read as integers."
    return numbers, [Noticed(text, len(odd))]


def _of_copied(array: pa.ChunkedArray, kind: Kind, name: str) -> _Made:
    if kind is not Kind.EXACT:
        column = from_arrow(array)
        if column.kind is not kind:
            odd = converted(column, kind).lost
            example = column.text(int(odd[0])) if len(odd) else ""
            text = f"“{name}” holds “{example}”, which is no {kind} here: it is read as text."
            return column, [Noticed(text, len(odd))]
        return column, nan_noticed(array, name)
    digits = _digits(array)
    if digits is None:  # NaN and infinity, or more digits than are kept: its own texts are shown
        values = [None if t is None else Decimal(t) for t in array.to_pylist()]
        return column_of_values(values, name)
    return digits, []


def _batch_column(values: Sequence[Any], kind: Kind) -> Column | list[Any]:
    """Return one batch as a column of the kind that the database says, or as it is."""
    if kind is Kind.EXACT:
        texts = [None if v is None else str(v) for v in values]
        digits = _digits(pa.chunked_array([texts], pa.string()))
        return [None if v is None else Decimal(v) for v in values] if digits is None else digits
    if kind is Kind.BOOLEAN:  # the server's numbers: any may be there
        return Column.of([None if v is None else int(v) for v in values], Kind.INTEGER)
    if kind is Kind.DATE_TIME and getattr(_first(values), "tzinfo", None) is not None:
        return from_arrow(pa.array(values, pa.timestamp("us", "UTC")))
    try:
        return Column.of(values, kind)
    except (TypeError, OverflowError):  # a duration as a time, a date such as 0000-00-00
        return list(values)


def _digits(texts: pa.ChunkedArray) -> Column | None:
    """Return digits as exact decimals; None where one is NaN, infinite or too long."""
    if pc.any(pc.invert(pc.match_substring_regex(texts, r"^[-+]?[\d.]+$"))).as_py():
        return None
    marks = pc.find_substring(texts, ".")
    after = pc.subtract(pc.subtract(pc.binary_length(texts), marks), 1)
    scale = pc.max(pc.if_else(pc.greater_equal(marks, 0), after, 0)).as_py() or 0
    try:
        return from_arrow(texts.cast(pa.decimal128(38, min(scale, 37))))
    except pa.ArrowInvalid:
        return None


def _first(values: Sequence[Any]) -> Any:
    return next((v for v in values if v is not None), None)


def _in_zone(column: Column, zone: str) -> Column:
    """Return moments in UTC as a clock in a zone shows them."""
    if column.kind is not Kind.DATE_TIME or zone == "UTC":
        return column
    moments = pa.array(column.values, mask=column.absent).cast(pa.timestamp("us", "UTC"))
    try:
        local = pc.local_timestamp(moments.cast(pa.timestamp("us", zone)))
    except pa.ArrowInvalid as error:
        raise SourceError(
            f"There is no time zone “{zone}”.", "Choose one such as Europe/Lisbon, or UTC."
        ) from error
    return Column(column.kind, np.asarray(local.cast(pa.int64()).fill_null(0)), column.state)


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
    if dialect == "mysql":
        found = connection.execute(
            sa.text(
                "SELECT table_name, table_rows FROM information_schema.tables "
                "WHERE table_schema = DATABASE() AND table_rows IS NOT NULL"
            )
        )
        return {(None, name): rows for name, rows in found}
    rows = {}
    for name in sa.inspect(connection).get_table_names():
        quoted = connection.dialect.identifier_preparer.quote_identifier(name)
        try:
            rows[None, name] = connection.exec_driver_sql(
                f"SELECT max(rowid) FROM {quoted}"
            ).scalar()
        except sa.exc.OperationalError:  # a table without row numbers
            continue
    return {key: n or 0 for key, n in rows.items()}


def _refuse_writing(query: str) -> None:
    """Refuse what is not one statement that reads; the read-only transaction refuses the rest."""
    plain = _ASIDE.sub(" ", query).strip().rstrip(";")
    if not plain.strip():
        raise SourceError("There is no query yet.", "Type one that begins with SELECT.")
    if ";" in plain:
        raise SourceError(
            "There is more than one statement.", "Take one query, without a semicolon inside."
        )
    if not _READS.match(plain):
        first = plain.split()[0].upper()
        raise SourceError(
            f"A query that begins with {first} is not one that only reads, and sources are never "
            "written to.",
            "Begin it with SELECT or WITH.",
        )
