"""Tables as a server describes them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from keen_trellis.base.errors import MissingTableError, UnknownColumnError
from keen_trellis.base.language import tr
from keen_trellis.servers.server import Database

if TYPE_CHECKING:
    import sqlalchemy as sa


def table_described(
    connection: sa.Connection, database: Database, table: str, schema: str | None
) -> sa.Table:
    """Return a table as the server describes it; `MissingTableError` where there is none."""
    import sqlalchemy as sa

    metadata = sa.MetaData()
    if connection.dialect.name == "mysql":  # from its own words, in which a backtick is doubled
        sa.event.listen(metadata, "column_reflect", _with_its_own_name)
    try:
        return sa.Table(table, metadata, schema=schema, autoload_with=connection, resolve_fks=False)
    except sa.exc.NoSuchTableError as error:
        inspector = sa.inspect(connection)
        names = inspector.get_table_names(schema=schema) + inspector.get_view_names(schema=schema)
        raise MissingTableError(
            tr("{label} has no table “{table}”.", label=database.label, table=table), sorted(names)
        ) from error


def _with_its_own_name(inspector: Any, table: Any, column: dict[str, Any]) -> None:
    column["name"] = column["name"].replace("``", "`")


def column_named(described: sa.Table, name: str, where: str) -> sa.Column[Any]:
    """Return a column of a table; `UnknownColumnError` where there is none."""
    if name not in described.columns:
        raise UnknownColumnError(name, where, list(described.columns.keys()))
    return described.columns[name]
