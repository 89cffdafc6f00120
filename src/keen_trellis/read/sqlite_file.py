"""A database in one file, read by Python's own sqlite3: its tables, its columns, and their values.

Any cell of such a file may be of any type, whatever its column declares: the values themselves
decide what kind a column is. What is declared only says how a condition's value is written.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from datetime import date, datetime, time
from decimal import Decimal
from typing import Any

from keen_trellis.base.errors import MissingTableError, UnknownColumnError
from keen_trellis.base.language import tr
from keen_trellis.data import Kind
from keen_trellis.servers.connections import BATCH, Reader
from keen_trellis.servers.row_conditions import is_whole_day, typed_value
from keen_trellis.servers.server import DatabaseColumn, DatabaseTable, RowCondition, SqliteFile


def tables_of(connection: sqlite3.Connection) -> list[DatabaseTable]:
    """Return the tables and views by name, with about how many rows."""
    return [
        DatabaseTable(name, rows=rows_of(connection, name))
        if kind == "table"
        else DatabaseTable(name, is_view=True)
        for name, kind in _names(connection)
    ]


def rows_of(connection: sqlite3.Connection, table: str) -> int:
    """Return about how many rows a table has, without counting them; 0 where that is not known."""
    try:
        # The highest row number: found at once through the tree's end, where counting would read
        # the table.
        [(highest,)] = connection.execute(f"SELECT max(rowid) FROM {_quoted(table)}")
    except sqlite3.OperationalError:  # a table without row numbers
        return 0
    return highest if isinstance(highest, int) else 0


def columns_of(
    connection: sqlite3.Connection, file: SqliteFile, table: str
) -> list[DatabaseColumn]:
    """Return the columns of a table or view; the kind of each is only known from its values.

    Raises
    ------
    MissingTableError
        The file has no such table.
    """
    found = connection.execute(f"PRAGMA table_xinfo({_quoted(table)})").fetchall()
    if not found:
        raise MissingTableError(
            tr("{label} has no table “{table}”.", label=file.label, table=table),
            [name for name, _ in _names(connection)],
        )
    return [
        DatabaseColumn(name, Kind.TEXT, declared)
        for _, name, declared, _, _, _, hidden in found
        if hidden != 1  # of a virtual table: no column that is asked for by *
    ]


def cells_of(
    connection: sqlite3.Connection,
    file: SqliteFile,
    table: str,
    columns: Sequence[str] | None,
    conditions: Sequence[RowCondition],
    rows_at_most: int | None,
    reader: Reader,
) -> list[tuple[str, list[Any]]]:
    """Return the columns wanted with the values of their rows.

    Raises
    ------
    MissingTableError, UnknownColumnError
        The table, or a column, is not there.
    SourceError
        A condition compares with what is none of the column's type.
    """
    where = f"{file.label} › {table}"
    declared = {one.name: one.stored_as for one in columns_of(connection, file, table)}
    wanted = list(declared) if columns is None else list(columns)
    for name in (*wanted, *(condition.column for condition in conditions)):
        if name not in declared:
            raise UnknownColumnError(name, where, list(declared))
    query = f"SELECT {', '.join(map(_quoted, wanted)) or 'NULL'} FROM {_quoted(table)}"
    values: list[Any] = []
    if conditions:
        held = [_held(one, declared[one.column], where) for one in conditions]
        query += " WHERE " + " AND ".join(test for test, _ in held)
        values = [value for _, given in held for value in given]
    if rows_at_most is not None:
        query += " LIMIT ?"
        values.append(rows_at_most)
    # how many rows pass a condition is not known before they have come: no progress then
    elif not conditions:
        reader.expected = rows_of(connection, table)
    cells: list[list[Any]] = [[] for _ in wanted]
    rows = connection.execute(query, values)
    while batch := rows.fetchmany(BATCH):
        # without a column wanted the query gives NULLs, of which only the number counts
        for column, came in zip(cells, zip(*batch, strict=True), strict=False):
            column += came
        reader.count(len(batch))
    return list(zip(wanted, cells, strict=True))


def _names(connection: sqlite3.Connection) -> list[tuple[str, str]]:
    return connection.execute(
        "SELECT name, type FROM sqlite_master WHERE type IN ('table', 'view') "
        r"AND name NOT LIKE 'sqlite\_%' ESCAPE '\' ORDER BY name"
    ).fetchall()


def _quoted(name: str) -> str:
    doubled = name.replace('"', '""')
    return f'"{doubled}"'


def _held(condition: RowCondition, declared: str, where: str) -> tuple[str, list[Any]]:
    """Return a condition as SQLite understands it, and the values that it asks with."""
    column = _quoted(condition.column)
    if condition.is_ == "is blank":
        return f"{column} IS NULL", []
    if condition.is_ == "is not blank":
        return f"{column} IS NOT NULL", []
    if condition.is_ == "contains":
        return f"instr(CAST({column} AS TEXT), ?) > 0", [condition.value]
    kind = _declared_kind(declared)
    if kind is Kind.DATE_TIME and is_whole_day(condition.value):
        day = typed_value(Kind.DATE, condition, where)
        return f"date({column}) {condition.is_} ?", [day.isoformat()]
    value = typed_value(kind, condition, where)
    if isinstance(value, str):  # by its letters, whatever the column's collation takes for equal
        return f"CAST({column} AS TEXT) COLLATE BINARY {condition.is_} ?", [value]
    if isinstance(value, datetime):  # written with a T or a space, with or without parts of seconds
        return f"{_moment(column)} {condition.is_} {_moment('?')}", [value.isoformat()]
    if isinstance(value, date | time):
        value = value.isoformat()
    if isinstance(value, Decimal):  # SQLite has no decimals, but integers of 64 bits
        whole = value == value.to_integral_value() and abs(value) < 2**63
        value = int(value) if whole else float(value)
    return f"{column} {condition.is_} ?", [value]


def _moment(written: str) -> str:
    return f"strftime('%Y-%m-%d %H:%M:%f', {written})"


def _declared_kind(declared: str) -> Kind:
    """Return the kind that a declared type speaks of; SQLite takes any word for a type."""
    word = declared.upper().partition("(")[0].strip()
    return next((kind for start, kind in _DECLARED if word.startswith(start)), Kind.TEXT)


_DECLARED = (
    ("BOOL", Kind.BOOLEAN),
    ("DATETIME", Kind.DATE_TIME),
    ("TIMESTAMP", Kind.DATE_TIME),
    ("DATE", Kind.DATE),
    ("TIME", Kind.TIME),
    ("DEC", Kind.EXACT),
    ("NUM", Kind.EXACT),
    ("REAL", Kind.NUMBER),
    ("FLOAT", Kind.NUMBER),
    ("DOUBLE", Kind.NUMBER),
    *((word, Kind.INTEGER) for word in ("INT", "BIGINT", "SMALLINT", "TINYINT", "MEDIUMINT")),
)
