"""Tables of PostgreSQL: copied in the one transaction that makes or empties them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.deliver.database.refusals import require_state
from keen_trellis.deliver.database.replaced import IN_POSTGRES, is_kept, require_nothing_hangs
from keen_trellis.deliver.database.target import (
    Target,
    columns_there,
    has_key,
    in_double_quotes,
    table_statements,
)
from keen_trellis.layouts.delivered_text import TextForm
from keen_trellis.servers.connections import engine
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server

if TYPE_CHECKING:
    from keen_trellis.data import Table


def write(table: Table, target: Target, secrets: Secrets, report: Report) -> None:
    """Write a table of PostgreSQL: whoever reads sees the old one, or all of the new one."""
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
    if is_kept(table, there, "postgresql") and has_key(connection, target):
        # refused where another table refers to it: nothing of others is emptied along
        cursor.execute(f"TRUNCATE {name}")
        return True
    cursor.execute(IN_POSTGRES, {"table": name})
    require_nothing_hangs(cursor.fetchall(), target.words)
    cursor.execute(f"DROP TABLE {name}")
    return False


def _plain(statement: str) -> str:
    return statement.replace(":", r"\:")  # a colon would begin a parameter
