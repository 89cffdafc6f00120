"""A table to be written: its name, what its columns are there, its rows a few at a time."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.data.kinds import Kind
from keen_trellis.deliver.sheet_cells import odd_rows
from keen_trellis.servers.server import Database

if TYPE_CHECKING:
    from keen_trellis.data import Table

How = Literal["make", "replace", "add", "update"]
"""What becomes of a table of that name: there must be none, it is replaced, rows are added, or
those of the same key are changed (`update_table`)."""

_BATCH = 5_000

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


def row_batches(table: Table, report: Report) -> Iterator[list[tuple[Any, ...]]]:
    """Yield the rows of a table as Python values, some thousands at a time."""
    settled = table.settled()
    for start in range(0, len(table), _BATCH):
        report(
            start / len(table),
            tr("Writing row {start:,} of {table:,}", start=start, table=len(table)),
        )
        yield list(settled.window(start, start + _BATCH).rows())


def columns_there(connection: Any, target: Target) -> dict[str, Any] | None:
    """Return the columns of a table that is there, with their types; None where there is none."""
    import sqlalchemy as sa

    inspector = sa.inspect(connection)
    if not inspector.has_table(target.table, schema=target.in_schema):
        return None
    found = inspector.get_columns(target.table, schema=target.in_schema)
    return {str(one["name"]): one["type"] for one in found}


def has_key(connection: Any, target: Target) -> bool:
    """Whether a table that is there has the key that is asked for, or need not have one."""
    import sqlalchemy as sa

    if not target.key:
        return True
    found = sa.inspect(connection).get_pk_constraint(target.table, schema=target.in_schema)
    return bool(found["constrained_columns"] == [target.key])
