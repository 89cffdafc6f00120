"""Outcomes written as tables of a database: whole in one transaction, or the old one stays."""

from __future__ import annotations

import logging
import sqlite3
import uuid
from collections.abc import Callable, Iterator, Mapping
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from keen_trellis.base.errors import DeliveryError, UserError
from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.logs import timed
from keen_trellis.base.progress import Report, quiet
from keen_trellis.base.whole_files import is_left_behind, passing_name, whole_file
from keen_trellis.base.words import counted, with_capital
from keen_trellis.data.kinds import Kind
from keen_trellis.deliver.added import require_held
from keen_trellis.deliver.replaced import (
    IN_MARIADB,
    IN_POSTGRES,
    hangs_in_sqlite,
    is_kept,
    require_nothing_hangs,
)
from keen_trellis.deliver.sheet_cells import odd_rows
from keen_trellis.layouts.delivered_text import TextForm
from keen_trellis.servers.connections import engine, explained
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Database, Server, SqliteFile

if TYPE_CHECKING:
    from keen_trellis.data import Table

_log = logging.getLogger(__name__)

How = Literal["make", "replace", "add", "update"]
"""What becomes of a table of that name: there must be none, it is replaced, rows are added, or
those of the same key are changed (`update_table`)."""

_BATCH = 5_000
_BESIDE = "keen_writing_"
"""How tables begin that stand beside the one that is written, until it is whole."""
_POSTGRES = {
    Kind.TEXT: "text",
    Kind.INTEGER: "bigint",
    Kind.NUMBER: "double precision",
    Kind.BOOLEAN: "boolean",
    Kind.DATE: "date",
    Kind.DATE_TIME: "timestamp",
    Kind.TIME: "time",
}
_MARIADB = {
    Kind.TEXT: "longtext",
    Kind.INTEGER: "bigint",
    Kind.NUMBER: "double",
    Kind.BOOLEAN: "boolean",
    Kind.DATE: "date",
    Kind.DATE_TIME: "datetime(6)",
    Kind.TIME: "time(6)",
}
_SQLITE = {
    Kind.TEXT: "TEXT",
    Kind.INTEGER: "INTEGER",
    Kind.NUMBER: "REAL",
    Kind.BOOLEAN: "BOOLEAN",
    Kind.DATE: "DATE",
    Kind.DATE_TIME: "TIMESTAMP",
    Kind.TIME: "TIME",
}
_NAME_BYTES = {"postgresql": 63, "mariadb": 64, "sqlite": 1_000}
"""How long a name may be; a longer one would be cut without a word, or refused."""


@dataclass(frozen=True, slots=True)
class Target:
    """A table to be written.

    Attributes
    ----------
    database : SqliteFile or Server
    table : str
    in_schema : str or None
    how : How
    key : str
        The column whose values are all different, which is made the primary key; empty for none.
    """

    database: Database
    table: str
    in_schema: str | None = None
    how: How = "make"
    key: str = ""

    @property
    def sort(self) -> str:
        """“postgresql”, “mariadb” or “sqlite”."""
        return self.database.type

    @property
    def words(self) -> str:
        """The table and where it is, in words."""
        table = f"{self.in_schema}.{self.table}" if self.in_schema else self.table
        return tr("the table {table} in {label}", table=table, label=self.database.label)


def column_types(table: Table, target: Target) -> dict[str, str]:
    """Return what each column is stored as.

    Exact decimals keep their digits. SQLite has no type for more than fifteen: such a column is
    text there.
    """
    made = {}
    for field in table.fields:
        if field.kind is not Kind.EXACT:
            kinds = {"postgresql": _POSTGRES, "mariadb": _MARIADB, "sqlite": _SQLITE}
            made[field.name] = kinds[target.sort][field.kind]
            continue
        # A column of several strands (a stack) may have another scale in each.
        scale = max(column.scale for column in table.source_columns(field))
        if target.sort == "sqlite":
            is_long = bool(odd_rows(table.fetch(field)).any())
            made[field.name] = "TEXT" if is_long else f"DECIMAL(38, {scale})"
        else:
            made[field.name] = f"decimal(38, {scale})" if scale <= 30 else "text"
    if target.sort == "mariadb" and made.get(target.key) == "longtext":
        made[target.key] = "varchar(190)"  # what the key of a table takes in four bytes a letter
    return made


def deliver_table(
    table: Table, target: Target, secrets: Secrets | None = None, report: Report = quiet
) -> None:
    """Write every row of a table into a database, all of them or none; blanks and gaps are null.

    Parameters
    ----------
    table, report
    target : Target
        A table of a source that is read must not be given.
    secrets : Secrets, optional
        Where passwords of servers come from.

    Raises
    ------
    DeliveryError
        There is a table of that name already (with “make”), or none (with “add”), its columns are
        others, a name or value is none that the database takes, or the server refuses.
    PasswordError
        The password has to be asked for.
    Cancelled
        Raised by `report` once the user has asked to stop; nothing is written then.
    """
    require_names(table, target)
    try:
        with timed(_log, f"write {target.table} of {target.database.label}") as told:
            told.rows = len(table)
            if isinstance(target.database, SqliteFile):
                _into_sqlite(table, target, report)
            elif target.database.type == "postgresql":
                _into_postgres(table, target, secrets or Secrets(), report)
            else:
                _into_mariadb(table, target, secrets or Secrets(), report)
    except UserError:
        raise
    except driver_errors(target) as error:
        raise refused_by_driver(error, target) from error


def require_names(table: Table, target: Target) -> None:
    """Refuse names that the database does not take, and a key that tells no rows apart."""
    at_most = _NAME_BYTES[target.sort]
    for name in (target.table, target.in_schema or "x", *table.columns):
        if not name or len(name.encode()) > at_most or "\0" in name:
            raise DeliveryError(
                tr(
                    "“{name}” cannot be a name in {label}: it may have "
                    "{at_most} bytes at most, and not none.",
                    name=name,
                    label=target.database.label,
                    at_most=at_most,
                ),
                tr(
                    "Rename the column before it is delivered, or choose another name "
                    "for the table."
                ),
            )
    # MariaDB and SQLite take two names that differ in the case of letters alone for one
    lower = [name.lower() for name in table.columns]
    twice = next((n for n in table.columns if lower.count(n.lower()) > 1), None)
    if twice is not None and target.sort != "postgresql":
        raise DeliveryError(
            tr(
                "{label} takes “{twice}” and another column for the same name.",
                label=target.database.label,
                twice=twice,
            ),
            tr("Rename one of them before they are delivered."),
        )
    if not table.columns:
        raise DeliveryError(tr("A table needs a column."), tr("Let a column go on."))
    if target.key and target.key not in table.columns:
        raise DeliveryError(
            tr(
                "There is no column “{key}” to be the key of {words}.",
                key=target.key,
                words=target.words,
            ),
            tr("Choose another key, or none."),
        )
    if target.key:
        _require_key(table, target)


def _require_key(table: Table, target: Target) -> None:
    """Refuse a key that does not tell rows apart, before a server does in its own words."""
    from keen_trellis.compute.join.keys import own_codes

    column = table.column(target.key)
    absent = 0 if column.absent is None else int(np.count_nonzero(column.absent))
    # Equal codes are equal values, whatever the kind: the key is looked at as a link field would
    # be.
    codes = own_codes(column).left
    repeated = len(codes) - len(np.unique(codes))
    if absent or repeated:
        what = (
            tr("{rows} without it", rows=counted(absent, "row"))
            if absent
            else counted(repeated, "repeat")
        )
        raise DeliveryError(
            tr(
                "“{key}” cannot be the key of {words}: it has {what}.",
                key=target.key,
                words=target.words,
                what=what,
            ),
            tr("Choose a column whose values are all different, or no key."),
        )


def row_batches(table: Table, report: Report) -> Iterator[list[tuple[Any, ...]]]:
    """Yield the rows of a table as Python values, some thousands at a time."""
    settled = table.settled()
    for start in range(0, len(table), _BATCH):
        report(
            start / len(table),
            tr("Writing row {start:,} of {table:,}", start=start, table=len(table)),
        )
        yield list(settled.window(start, start + _BATCH).rows())


def table_statements(
    table: Table, target: Target, quoted: Callable[[str], str]
) -> tuple[str, str, str]:
    """Return the table's name, what makes it, and its columns in brackets."""
    name = quoted(target.table)
    if target.in_schema:
        name = f"{quoted(target.in_schema)}.{name}"
    columns = [f"{quoted(c)} {kind}" for c, kind in column_types(table, target).items()]
    if target.key:
        columns.append(f"PRIMARY KEY ({quoted(target.key)})")
    return name, f"({', '.join(columns)})", ", ".join(map(quoted, table.columns))


def in_double_quotes(name: str) -> str:
    """Return a name as PostgreSQL and SQLite have it in quotes."""
    return '"' + name.replace('"', '""') + '"'


def in_backticks(name: str) -> str:
    """Return a name as MariaDB has it in quotes."""
    return "`" + name.replace("`", "``") + "`"


def require_state(there: Mapping[str, Any] | None, table: Table, target: Target) -> None:
    """Refuse to make what is there, or to add to what is not or would not hold the rows so."""
    if target.how == "make" and there is not None:
        raise DeliveryError(
            tr("There is {words} already.", words=target.words),
            tr("Choose to replace it, to add the rows below, or another name."),
        )
    if target.how == "add" and there is None:
        raise DeliveryError(
            tr("{words} is not there.", words=with_capital(target.words)), tr("Choose to make it.")
        )
    if target.how == "add" and there is not None and set(there) != set(table.columns):
        missing = [name for name in table.columns if name not in there]
        more = [name for name in there if name not in table.columns]
        what = (
            tr("it lacks “{missing_1}”", missing_1=missing[0])
            if missing
            else tr("it has “{more_1}” as well", more_1=more[0])
        )
        raise DeliveryError(
            tr(
                "The rows do not fit below those of {words}: {what}.", words=target.words, what=what
            ),
            tr("Let the same columns go on, or replace the table."),
        )
    if target.how == "add" and there is not None:
        require_held(table, there, target.words)


# SQLite


def _into_sqlite(table: Table, target: Target, report: Report) -> None:
    path = Path(target.database.path).expanduser()  # type: ignore[union-attr]
    if path.exists():
        _write_sqlite(path, table, target, report)
        return
    path.parent.mkdir(parents=True, exist_ok=True)
    with whole_file(path) as beside:
        _write_sqlite(beside, table, target, report)


def _write_sqlite(path: Path, table: Table, target: Target, report: Report) -> None:
    name, columns, names = table_statements(table, target, in_double_quotes)
    # by hand, so that making the table is in the transaction as well
    with closing(sqlite3.connect(path, isolation_level=None, timeout=10)) as database:
        # others may go on reading, but not write: what is looked at here holds until the end
        database.execute("BEGIN IMMEDIATE")
        try:
            found = database.execute(
                "SELECT type FROM sqlite_master WHERE lower(name) = lower(?)", (target.table,)
            ).fetchone()
            info = database.execute(f"PRAGMA table_info({name})").fetchall() if found else None
            # its second and third columns are the name and the type
            there = {one[1]: str(one[2]) for one in info} if info else None
            require_state(there, table, target)
            # a view of that name cannot be replaced by a table without a word
            if found and found[0] != "table":
                raise DeliveryError(
                    tr(
                        "{words} is a {found_1}.",
                        words=with_capital(target.words),
                        found_1=found[0],
                    ),
                    tr("Choose another name."),
                )
            is_same = target.how == "replace" and there == column_types(table, target)
            keys = [one[1] for one in info or () if one[5]]
            if is_same and (not target.key or keys == [target.key]):
                database.execute(f"DELETE FROM {name}")
            elif target.how != "add":
                require_nothing_hangs(hangs_in_sqlite(database, target.table), target.words)
                database.execute(f"DROP TABLE IF EXISTS {name}")
                database.execute(f"CREATE TABLE {name} {columns}")
            marks = ", ".join("?" * len(table.columns))
            for rows in row_batches(table, report):
                database.executemany(
                    f"INSERT INTO {name} ({names}) VALUES ({marks})", map(for_sqlite, rows)
                )
            database.execute("COMMIT")
        except BaseException:
            # SQLite may have rolled back by itself, at a full disk for instance; a second
            # ROLLBACK would hide why.
            if database.in_transaction:
                database.execute("ROLLBACK")
            raise


def for_sqlite(row: tuple[Any, ...]) -> tuple[Any, ...]:
    """Return a row in the few kinds that SQLite has."""
    plain = (int, float, str, type(None))
    return tuple(value if type(value) in plain else _sqlite_value(value) for value in row)


def _sqlite_value(value: Any) -> Any:
    if isinstance(value, bool):
        return int(value)
    if hasattr(value, "hour") and hasattr(value, "year"):
        return value.isoformat(" ")
    return value.isoformat() if hasattr(value, "isoformat") else f"{value:f}"  # a decimal


# servers


def _into_postgres(table: Table, target: Target, secrets: Secrets, report: Report) -> None:
    import sqlalchemy as sa

    from keen_trellis.deliver.text_writer import text_blocks

    assert isinstance(target.database, Server)
    name, columns, names = table_statements(table, target, in_double_quotes)
    made = engine(target.database, secrets, None, writes=True)
    # COPY tells null from an empty text by the quotes alone.
    form = TextForm(quoting="texts")  # an empty text in quotes, and null without
    try:
        with made.begin() as connection:
            there = columns_there(connection, target)
            require_state(there, table, target)
            raw = connection.connection.driver_connection
            assert raw is not None
            if target.how == "replace" and there is not None:
                with raw.cursor() as cursor:
                    stays = empty_or_drop(connection, cursor, target, table, there)
            else:
                stays = target.how == "add"
            if not stays:
                connection.execute(sa.text(f"CREATE TABLE {_plain(name)} {_plain(columns)}"))
            # in the one transaction that makes the table: whoever reads sees the old one, or all of
            # the new
            copy = f"COPY {name} ({names}) FROM STDIN (FORMAT csv)"
            with raw.cursor() as cursor, cursor.copy(copy) as into:
                for start, block in text_blocks(table, form):
                    report(
                        start / max(len(table), 1),
                        tr("Writing row {start:,} of {table:,}", start=start, table=len(table)),
                    )
                    into.write(block)
    finally:
        made.dispose()


def empty_or_drop(
    connection: Any, cursor: Any, target: Target, table: Table, there: Mapping[str, Any]
) -> bool:
    """Empty a table of PostgreSQL that is replaced, or drop it; return whether it is still there.

    Raises
    ------
    DeliveryError
        It cannot hold the rows, and something hangs on it that would go with it.
    """
    name = in_double_quotes(target.table)
    if target.in_schema:
        name = f"{in_double_quotes(target.in_schema)}.{name}"
    if is_kept(table, there, "postgresql") and _has_key(connection, target):
        # refused where another table refers to it: nothing of others is emptied along
        cursor.execute(f"TRUNCATE {name}")
        return True
    cursor.execute(IN_POSTGRES, {"table": name})
    require_nothing_hangs(cursor.fetchall(), target.words)
    cursor.execute(f"DROP TABLE {name}")
    return False


def _has_key(connection: Any, target: Target) -> bool:
    """Whether a table that is there has the key that is asked for, or need not have one."""
    import sqlalchemy as sa

    if not target.key:
        return True
    found = sa.inspect(connection).get_pk_constraint(target.table, schema=target.in_schema)
    return bool(found["constrained_columns"] == [target.key])


def _plain(statement: str) -> str:
    return statement.replace(":", r"\:")  # a colon would begin a parameter


def _into_mariadb(table: Table, target: Target, secrets: Secrets, report: Report) -> None:
    """Write a table beside the old one and put it in its place by renaming, which is atomic.

    There, making a table ends the transaction; so rows are added in one, and anything else is
    done on a table that nobody reads.
    """
    assert isinstance(target.database, Server)
    _require_finite(table, target)
    name, columns, names = table_statements(table, target, in_backticks)
    schema = f"{in_backticks(target.in_schema)}." if target.in_schema else ""
    beside, gone = (
        f"{schema}{in_backticks(f'{_BESIDE}{uuid.uuid4().hex}')}" for _ in ("new", "old")
    )
    marks = ", ".join(["%s"] * len(table.columns))
    made = engine(target.database, secrets, None, writes=True)
    try:
        with made.connect() as connection:
            there = columns_there(connection, target)
            require_state(there, table, target)
            raw: Any = connection.connection.driver_connection
            with raw.cursor() as cursor:
                _remove_leftovers(cursor, target)
                stays = target.how == "add"
                if target.how == "replace" and there is not None:
                    stays = _is_kept_in_mariadb(connection, cursor, target, table, there)
                into = name if stays else beside
                try:
                    if stays and target.how == "replace":
                        cursor.execute(f"DELETE FROM {name}")  # TRUNCATE would end the transaction
                    if not stays:
                        cursor.execute(
                            f"CREATE TABLE {beside} {columns} ".replace("%", "%%")
                            + "CHARACTER SET utf8mb4 COLLATE utf8mb4_bin ENGINE InnoDB COMMENT %s",
                            (f"{passing_name()}{uuid.uuid4().hex[:4]}",),
                        )
                    told = f"{into} ({names})".replace("%", "%%")  # else it would be a mark
                    for rows in row_batches(table, report):
                        cursor.executemany(f"INSERT INTO {told} VALUES ({marks})", rows)
                    raw.commit()
                    if stays:
                        pass
                    elif target.how == "replace" and there is not None:
                        # both renamings are one step: nobody finds no table there
                        cursor.execute(f"RENAME TABLE {name} TO {gone}, {beside} TO {name}")
                        cursor.execute(f"DROP TABLE {gone}")
                    else:
                        cursor.execute(f"RENAME TABLE {beside} TO {name}")
                    if not stays:
                        # The comment marked it as being written, by this process on this machine;
                        # it is whole now.
                        cursor.execute(f"ALTER TABLE {name} COMMENT ''")
                except BaseException:
                    raw.rollback()
                    if not stays:
                        cursor.execute(f"DROP TABLE IF EXISTS {beside}")
                    raise
    finally:
        made.dispose()


def _is_kept_in_mariadb(
    connection: Any, cursor: Any, target: Target, table: Table, there: Mapping[str, Any]
) -> bool:
    """Whether a table that is replaced is emptied and filled in one transaction, and stays.

    Raises
    ------
    DeliveryError
        It cannot be, and something hangs on it that would go with it.
    """
    asked = {"schema": target.in_schema, "table": target.table}
    cursor.execute(IN_MARIADB, asked)
    hangs = cursor.fetchall()
    # where another table refers to it, its rows may be deleted along
    is_alone = all(sort != "constraint" for sort, _ in hangs)
    if (
        can_undo(cursor, target)
        and is_alone
        and is_kept(table, there, "mysql")
        and _has_key(connection, target)
    ):
        return True
    require_nothing_hangs(hangs, target.words)
    return False


def can_undo(cursor: Any, target: Target) -> bool:
    """Whether MariaDB undoes what was done to a table when a transaction fails."""
    cursor.execute(
        "SELECT engine FROM information_schema.tables "
        "WHERE table_schema = COALESCE(%s, DATABASE()) AND table_name = %s",
        (target.in_schema, target.table),
    )
    return bool(cursor.fetchall() == (("InnoDB",),))


def _remove_leftovers(cursor: Any, target: Target) -> None:
    """Remove what a program on this machine left that was killed while it wrote there."""
    cursor.execute(
        "SELECT table_name, table_comment FROM information_schema.tables "
        "WHERE table_schema = COALESCE(%s, DATABASE()) AND LEFT(table_name, %s) = %s",
        (target.in_schema, len(_BESIDE), _BESIDE),
    )
    for name, comment in cursor.fetchall():
        if is_left_behind(str(comment)):
            schema = f"{in_backticks(target.in_schema)}." if target.in_schema else ""
            cursor.execute(f"DROP TABLE IF EXISTS {schema}{in_backticks(str(name))}")


def _require_finite(table: Table, target: Target) -> None:
    for field in table.fields:
        if field.kind is Kind.NUMBER:
            endless = int(np.count_nonzero(np.isinf(table.fetch(field).values)))
            if endless:
                raise DeliveryError(
                    tr_n(
                        endless,
                        "{n:,} value of “{name}” has no end (infinity), which {label} has no "
                        "number for.",
                        "{n:,} values of “{name}” have no end (infinity), which {label} has no "
                        "number for.",
                        name=field.name,
                        label=target.database.label,
                    ),
                    tr("Filter or replace them before."),
                )


def columns_there(connection: Any, target: Target) -> dict[str, Any] | None:
    """Return the columns of a table that is there, with their types; None where there is none."""
    import sqlalchemy as sa

    inspector = sa.inspect(connection)
    if not inspector.has_table(target.table, schema=target.in_schema):
        return None
    found = inspector.get_columns(target.table, schema=target.in_schema)
    return {str(one["name"]): one["type"] for one in found}


def driver_errors(target: Target) -> tuple[type[Exception], ...]:
    """Return what the driver of a database raises."""
    if target.sort == "sqlite":
        return (sqlite3.Error, OSError)
    import sqlalchemy as sa

    if target.sort == "postgresql":
        import psycopg

        return (sa.exc.DBAPIError, psycopg.Error, ValueError)
    import pymysql

    return (sa.exc.DBAPIError, pymysql.MySQLError, ValueError)


def refused_by_driver(error: Exception, target: Target) -> UserError:
    """Return a driver's error as a sentence; what is wrong with the account stays what it is."""
    from keen_trellis.base.errors import ConnectionLostError, PasswordError

    found = explained(error, target.database)
    if isinstance(found, PasswordError | ConnectionLostError):
        return found
    # SQLAlchemy wraps a driver's error, and its own words repeat the statement with values.
    cause = getattr(error, "orig", None) or error
    words = " ".join(str(cause.args[-1] if cause.args else cause).split())
    # what the driver adds repeats the statement, and with it values of rows
    words = words.split(" CONTEXT:")[0].split(" DETAIL:")[0].split("LINE 1:")[0].strip().rstrip(".")
    return DeliveryError(
        tr(
            "{words} cannot be written: {words_2}.",
            words=with_capital(target.words),
            words_2=words[:240],
        ),
        tr("Nothing has been changed there; see to what it says, and deliver again."),
    )
