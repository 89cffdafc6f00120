"""Tables of SQLite: a file made whole, or one transaction in one that is there."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keen_trellis.base.errors import DeliveryError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.base.whole_files import whole_file
from keen_trellis.base.words import with_capital
from keen_trellis.deliver.database.refusals import require_state
from keen_trellis.deliver.database.replaced import hangs_in_sqlite, require_nothing_hangs
from keen_trellis.deliver.database.target import (
    Target,
    column_types,
    in_double_quotes,
    row_batches,
    table_statements,
)
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import SqliteFile

if TYPE_CHECKING:
    from keen_trellis.data import Table


def write(table: Table, target: Target, _: Secrets, report: Report) -> None:
    """Write a table into a file of SQLite, which is made where there is none."""
    assert isinstance(target.database, SqliteFile)
    path = Path(target.database.path).expanduser()
    if path.exists():
        _write(path, table, target, report)
        return
    path.parent.mkdir(parents=True, exist_ok=True)
    with whole_file(path) as beside:
        _write(beside, table, target, report)


def _write(path: Path, table: Table, target: Target, report: Report) -> None:
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
