"""Tables of MariaDB: made beside the old one and renamed, or emptied and filled where they stay."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np

from keen_trellis.base.errors import DeliveryError
from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.progress import Report
from keen_trellis.base.whole_files import is_left_behind, passing_name
from keen_trellis.data.kinds import Kind
from keen_trellis.deliver.database.refusals import require_state
from keen_trellis.deliver.database.replaced import IN_MARIADB, is_kept, require_nothing_hangs
from keen_trellis.deliver.database.target import (
    Target,
    columns_there,
    has_key,
    in_backticks,
    row_batches,
    table_statements,
)
from keen_trellis.servers.connections import engine
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server

if TYPE_CHECKING:
    from keen_trellis.data import Table

_BESIDE = "keen_writing_"
"""How tables begin that stand beside the one that is written, until it is whole."""


def write(table: Table, target: Target, secrets: Secrets, report: Report) -> None:
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
        and has_key(connection, target)
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
