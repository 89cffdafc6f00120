"""Tables of an SQLite file, opened so that nothing can be written to it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import quote

from keen_trellis.data import Column, Kind, Table
from keen_trellis.errors import SourceError
from keen_trellis.progress import Report, quiet
from keen_trellis.read.reading import Reading, existing_file, require_rows

if TYPE_CHECKING:
    import sqlalchemy as sa  # takes a while to load; only those who read a database wait for it

ENDINGS = (".sqlite", ".sqlite3", ".db")

_BATCH = 10_000
_KINDS: dict[type, Kind] = {
    bool: Kind.YES_NO,
    int: Kind.WHOLE,
    float: Kind.NUMBER,
    Decimal: Kind.EXACT,
    str: Kind.TEXT,
    dt.date: Kind.DATE,
    dt.datetime: Kind.DATE_TIME,
    dt.time: Kind.TIME,
}


def table_names(path: Path) -> list[str]:
    """Return the names of the tables and views, sorted.

    Raises
    ------
    SourceError
        The file is missing or no SQLite database.
    """
    import sqlalchemy as sa

    try:
        inspector = sa.inspect(_engine(path))
        return sorted(inspector.get_table_names() + inspector.get_view_names())
    except sa.exc.DatabaseError as error:
        raise _unreadable(path, error) from error


def read_table(path: Path, table: str, report: Report = quiet) -> Reading:
    """Return the rows of one table or view; null is a blank.

    Raises
    ------
    SourceError
        The file is missing or no SQLite database, has no such table, the table has no rows, or
        a column holds bytes or values of several kinds.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    import sqlalchemy as sa

    report(0.0, f"Reading {path.name} › {table}")
    names = table_names(path)
    if table not in names:
        raise SourceError(f"{path} has no table “{table}”.", f"Choose one of: {', '.join(names)}.")
    rows: list[Sequence[Any]] = []
    try:
        described = sa.Table(table, sa.MetaData(), autoload_with=_engine(path))
        with _engine(path).connect() as connection:
            n_rows = connection.scalar(sa.select(sa.func.count()).select_from(described)) or 0
            fetched = connection.execution_options(yield_per=_BATCH).execute(sa.select(described))
            for batch in fetched.partitions():
                rows.extend(batch)
                report(len(rows) / max(n_rows, 1), f"Reading {path.name} › {table}")
    except (sa.exc.DatabaseError, ValueError) as error:
        raise _unreadable(path, error) from error
    where = f"The table “{table}” of {path}"
    require_rows(len(rows), where)
    columns = {
        column.name: _column([row[place] for row in rows], f"Column “{column.name}” of {where}")
        for place, column in enumerate(described.columns)
    }
    return Reading(Table.of(columns), "database table")


def _engine(path: Path) -> sa.Engine:
    import sqlalchemy as sa

    existing_file(path)
    read_only = f"file:{quote(str(path.resolve()))}?mode=ro&uri=true"
    return sa.create_engine(f"sqlite:///{read_only}", poolclass=sa.pool.NullPool)


def _column(values: list[Any], where: str) -> Column:
    types = {type(value) for value in values if value is not None}
    if types == {int, float}:
        return Column.of([None if v is None else float(v) for v in values], Kind.NUMBER)
    kinds = {_KINDS.get(t) for t in types}
    if None in kinds:
        raise SourceError(
            f"{where} holds bytes, which are no value to link or show.",
            "Leave the column out with a view in the database.",
        )
    if len(kinds) > 1:  # SQLite lets every cell have a type of its own
        return Column.of([None if v is None else str(v) for v in values], Kind.TEXT)
    return Column.of(values, kinds.pop() if kinds else Kind.TEXT)


def _unreadable(path: Path, error: Exception) -> SourceError:
    cause = getattr(error, "orig", None) or error
    return SourceError(
        f"{path} cannot be read as a database: {cause}.",
        "See that it is an SQLite file and that no other program holds it locked.",
    )
