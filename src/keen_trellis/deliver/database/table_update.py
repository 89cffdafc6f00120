"""Tables updated by a key: rows changed and added in one transaction, all else left as it is."""

from __future__ import annotations

import dataclasses
import logging
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keen_trellis.base.errors import DeliveryError, UserError
from keen_trellis.base.language import tr
from keen_trellis.base.logs import timed
from keen_trellis.base.progress import Report, quiet
from keen_trellis.base.words import with_capital
from keen_trellis.deliver.database.added import require_held
from keen_trellis.deliver.database.mariadb_table import can_undo
from keen_trellis.deliver.database.refusals import driver_errors, refused_by_driver, require_names
from keen_trellis.deliver.database.sqlite_table import for_sqlite
from keen_trellis.deliver.database.target import (
    Target,
    columns_there,
    in_backticks,
    in_double_quotes,
    row_batches,
    table_statements,
)
from keen_trellis.servers.connections import engine
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import SqliteFile

if TYPE_CHECKING:
    from keen_trellis.data import Table
    from keen_trellis.deliver.database.by_key import ByKey

_log = logging.getLogger(__name__)


def update_table(
    table: Table,
    changes: ByKey,
    target: Target,
    secrets: Secrets | None = None,
    report: Report = quiet,
) -> None:
    """Change and add rows of a table that is there, all of them or none.

    Parameters
    ----------
    table, report, secrets
        As for `deliver_table`.
    changes : ByKey
        What the rows of `table` change there.
    target : Target

    Raises
    ------
    DeliveryError
        A column there would hold a value otherwise, a row there is not what it was when it was held
        against these, or the server refuses.
    Cancelled
        Raised by `report` once the user has asked to stop; nothing is written then.
    """
    require_names(table, target)
    with timed(_log, f"update {target.table} of {target.database.label}") as told:
        told.rows = len(changes.new) + len(changes.changed)
        try:
            if isinstance(target.database, SqliteFile):
                path = Path(target.database.path).expanduser()
                with closing(sqlite3.connect(path, isolation_level=None, timeout=10)) as file:
                    name, _, _ = table_statements(table, target, in_double_quotes)
                    info = file.execute(f"PRAGMA table_info({name})").fetchall()
                    require_held(table, {one[1]: str(one[2]) for one in info}, target.words)
                    _update(file.cursor(), table, changes, target, report)
                return
            made = engine(target.database, secrets or Secrets(), None, writes=True)
            try:
                with made.connect() as connection:
                    there = columns_there(connection, target)
                    connection.rollback()
                    raw: Any = connection.connection.driver_connection
                    with raw.cursor() as cursor:
                        require_held(table, there or {}, target.words)
                        if target.sort == "mariadb" and not can_undo(cursor, target):
                            raise DeliveryError(
                                tr(
                                    "{words} keeps what was written when the rest fails.",
                                    words=with_capital(target.words),
                                ),
                                tr("Have it made InnoDB there, or replace the table."),
                            )
                        _update(cursor, table, changes, target, report)
            finally:
                made.dispose()
        except UserError:
            raise
        except driver_errors(target) as error:
            raise refused_by_driver(error, target) from error


def _update(cursor: Any, table: Table, changes: ByKey, target: Target, report: Report) -> None:
    """Carry an update out in one transaction of a cursor."""
    quoted = in_backticks if target.sort == "mariadb" else in_double_quotes
    mark = "?" if target.sort == "sqlite" else "%s"
    name, _, names = table_statements(table, target, quoted)
    others = [one for one in table.columns if one != target.key]
    # a sign of percent in a name would be taken for a mark
    sign = "%" if target.sort == "sqlite" else "%%"
    sets = ", ".join(f"{quoted(one).replace('%', sign)} = {mark}" for one in others)
    whole = name.replace("%", sign)
    change = f"UPDATE {whole} SET {sets} WHERE {quoted(target.key).replace('%', sign)} = {mark}"
    marks = ", ".join([mark] * len(table.columns))
    add = f"INSERT INTO {whole} ({names.replace('%', sign)}) VALUES ({marks})"
    adapted = for_sqlite if target.sort == "sqlite" else tuple
    order = tuple(map(table.field, [*others, target.key]))
    changed = dataclasses.replace(table, fields=order)
    if target.sort != "postgresql":  # whose driver has begun one
        cursor.execute("BEGIN IMMEDIATE" if target.sort == "sqlite" else "BEGIN")
    try:
        if target.sort == "postgresql":  # others may read, and wait to write
            cursor.execute(f"LOCK TABLE {name} IN SHARE ROW EXCLUSIVE MODE")
        for statement, rows in (
            (change, changed.take(changes.changed)),
            (add, table.take(changes.new)),
        ):
            for batch in row_batches(rows, report):
                cursor.executemany(statement, [adapted(one) for one in batch])
                # of the rows found, also where a collation takes several keys for one
                if cursor.rowcount != len(batch):
                    raise _written_meanwhile(target)
        # these are all that bear the key: a row that came meanwhile would stand there twice
        cursor.execute(f"SELECT COUNT(*) FROM {name}")
        expected = len(table) + changes.others
        if int(cursor.fetchone()[0]) != expected:
            raise _written_meanwhile(target)
        cursor.execute("COMMIT")
    except BaseException:
        cursor.execute("ROLLBACK")
        raise


def _written_meanwhile(target: Target) -> DeliveryError:
    return DeliveryError(
        tr(
            "{words} was written to meanwhile, or takes several keys for one.",
            words=with_capital(target.words),
        ),
        tr("Nothing has been changed there; deliver again, or choose another key."),
    )
