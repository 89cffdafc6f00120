"""A run in PostgreSQL: one transaction that sees one state of all tables, and writes to none.

Tables of the run are temporary: they are this connection's alone and go with it.
"""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from sqlglot import exp

from keen_trellis.data import Column, Kind, Table
from keen_trellis.deliver.forms import TextForm
from keen_trellis.deliver.texts import text_blocks
from keen_trellis.errors import NotThereError, UserError
from keen_trellis.places.session import Session
from keen_trellis.read.connections import engine, explained
from keen_trellis.read.database_values import of_copied
from keen_trellis.read.postgres_copy import copied
from keen_trellis.read.secrets import Secrets
from keen_trellis.read.server import Server
from keen_trellis.sql.dialects import POSTGRES, Sql
from keen_trellis.sql.relations import called, column, select

if TYPE_CHECKING:
    import sqlalchemy as sa

_ENCODING = "UTF8"


class PostgresSession(Session):
    """A run on a server, with one connection.

    Parameters
    ----------
    server : Server
    secrets : Secrets, optional

    Raises
    ------
    SourceError
        The server does not let one in, or does not answer.
    NotThereError
        Its texts are not Unicode, so that their order would be another one.
    """

    dialect = POSTGRES

    def __init__(self, server: Server, secrets: Secrets | None = None) -> None:
        super().__init__()
        self.server, self.label = server, server.label
        self._engine = engine(server, secrets or Secrets(), None, writes=True)
        self._connection: sa.Connection | None = None
        try:
            self._connection = self._engine.connect()
            self._raw: Any = self._connection.connection.driver_connection
            self._connection.exec_driver_sql("START TRANSACTION ISOLATION LEVEL REPEATABLE READ")
            encoding = self._connection.exec_driver_sql("SHOW server_encoding").scalar()
            if encoding != _ENCODING:
                raise NotThereError(
                    f"{self.label} keeps its texts as {encoding}, in which they stand in another "
                    "order than in Unicode.",
                    "Run the trellis on this machine.",
                )
        except Exception as error:
            self.close()
            raise self.explained(error) from error

    @property
    def connection(self) -> sa.Connection:
        """The connection of the run."""
        assert self._connection is not None
        return self._connection

    def fetch(self, query: Sql, columns: Sequence[tuple[str, Kind]]) -> dict[str, Column]:
        """Return the columns of a query, in their kinds."""
        wanted = [
            called(_as_text(column(name)), name) if kind is Kind.EXACT else column(name)
            for name, kind in columns
        ]
        asked = select(wanted, _inner(query))
        kinds = [kind for _, kind in columns]
        statement = self.dialect.text(asked, pretty=False)
        with self._savepoint():
            arrays = copied(
                self.connection, statement, kinds, zoned=[False] * len(kinds), count=lambda _: None
            )
        made = {}
        for array, (name, kind) in zip(arrays, columns, strict=True):
            fetched = of_copied(array, kind, name)
            if fetched.column is None or fetched.column.kind is not kind:
                raise NotThereError(
                    f"“{name}” holds values in {self.label} that are no {kind} here.",
                    "Filter them out there, or run the trellis on this machine.",
                )
            made[name] = fetched.column
        return made

    def send(self, name: str, columns: dict[str, Column]) -> None:
        """Make a temporary table."""
        types = ", ".join(
            f"{_quoted(one)} {self.dialect.types[held.kind]}" for one, held in columns.items()
        )
        rows = Table.of(dict(columns))
        with self._savepoint(), self._raw.cursor() as cursor:
            cursor.execute(f"DROP TABLE IF EXISTS pg_temp.{_quoted(name)}")
            cursor.execute(f"CREATE TEMPORARY TABLE {_quoted(name)} ({types})")
            into = f"COPY {_quoted(name)} FROM STDIN (FORMAT csv)"
            with cursor.copy(into) as copy:
                for _, block in text_blocks(rows, TextForm(quoting="texts")):
                    copy.write(block)
            cursor.execute(f"ANALYZE {_quoted(name)}")

    @contextlib.contextmanager
    def _savepoint(self) -> Any:
        """Have what fails undone alone, so that the run can go on."""
        with self._raw.cursor() as cursor:
            cursor.execute("SAVEPOINT keen")
            try:
                yield
            except BaseException:
                with contextlib.suppress(Exception):
                    cursor.execute("ROLLBACK TO SAVEPOINT keen")
                raise
            cursor.execute("RELEASE SAVEPOINT keen")

    def stop(self) -> None:
        """Cancel what the server is doing."""
        with contextlib.suppress(Exception):  # a dead connection cannot be told anything
            self._raw.cancel()

    def close(self) -> None:
        """Leave; the transaction ends, and the temporary tables with the connection."""
        if self._connection is not None:
            with contextlib.suppress(Exception):
                self._raw.rollback()
            with contextlib.suppress(Exception):
                self._connection.close()
            self._connection = None
        self._engine.dispose()

    def explained(self, error: Exception) -> Exception:
        """Return an error of the server as a sentence."""
        import psycopg
        import sqlalchemy as sa

        if isinstance(error, UserError):
            return error
        if isinstance(error, sa.exc.DBAPIError | psycopg.Error):
            return explained(error, self.server)
        return error


def _inner(query: Sql) -> Sql:
    assert isinstance(query, exp.Query)
    return query.subquery("asked", copy=False)


def _as_text(value: Sql) -> Sql:
    return POSTGRES.cast(value, Kind.TEXT)


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'
