"""Which database a table is in: a file, or a server with an account."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from keen_trellis.base.language import tr
from keen_trellis.data.kinds import Kind

_LAST_PORT = 65_535
Tls = Literal["where offered", "always", "always, server verified", "never"]


def require_port(port: int | None) -> None:
    """Raise `ValueError` for a number that no port has; 0 and None are the usual one."""
    if port is not None and not 0 <= port <= _LAST_PORT:
        raise ValueError(
            tr(
                "{port} is no port: those have numbers from 1 to {last_port}.",
                port=port,
                last_port=_LAST_PORT,
            )
        )


@dataclass(frozen=True, slots=True)
class SqliteFile:
    """A database in one file.

    Attributes
    ----------
    path : str
    """

    path: str
    type: Literal["sqlite"] = "sqlite"

    @property
    def label(self) -> str:
        """Its name, as a lane head shows it."""
        return Path(self.path).name


@dataclass(frozen=True, slots=True)
class Server:
    """A database on a server, and the account to read it with.

    Attributes
    ----------
    type : “postgresql” or “mariadb” (which MySQL is, too)
    host, database, user : str
    port : int or None
        None is the usual one.
    password : str
        Where the password is to be had, never the password itself: “asked”, “keyring”, or
        “${NAME}” for a variable of the environment.
    tls : str
        Whether what is sent is encrypted.
    authority : str or None
        A file with the certificates to verify the server with; None takes the system's.
    """

    type: Literal["postgresql", "mariadb"]
    host: str
    database: str
    user: str
    port: int | None = None
    password: str = "asked"
    tls: Tls = "where offered"
    authority: str | None = None

    def __post_init__(self) -> None:
        require_port(self.port)
        at, _, rest = self.password.partition("{")
        says_where = self.password in ("asked", "keyring") or (at == "$" and rest.endswith("}"))
        if not says_where:
            raise ValueError(
                tr(
                    "A password does not belong into a document: “password” says "
                    "“asked”, “keyring” "
                    "or “${NAME}”."
                )
            )

    @property
    def usual_port(self) -> int:
        """The port that is used."""
        return self.port or (5432 if self.type == "postgresql" else 3306)

    @property
    def is_here(self) -> bool:
        """Whether it runs on this machine, so that nobody can overhear what is sent."""
        return self.host in ("localhost", "127.0.0.1", "::1") or self.host.startswith("/")

    @property
    def account(self) -> str:
        """The account in one word; what passwords are kept under."""
        return f"{self.user}@{self.host}:{self.usual_port}/{self.database}"

    @property
    def label(self) -> str:
        """Its name, as a lane head shows it."""
        return tr("{database} on {host}", database=self.database, host=self.host)


Database = SqliteFile | Server


RowTest = Literal["=", "<>", "<", "<=", ">", ">=", "contains", "is blank", "is not blank"]


@dataclass(frozen=True, slots=True)
class RowCondition:
    """A simple condition that the database keeps rows by, so that the others are never sent.

    Attributes
    ----------
    column : str
    is_ : str
        How the column is compared with the value.
    value : str
        Written as the column shows its values; empty for the comparisons with blank.
    """

    column: str
    is_: RowTest
    value: str = ""


@dataclass(frozen=True, slots=True)
class DatabaseTable:
    """A table or view that a database has.

    Attributes
    ----------
    name : str
    schema : str or None
        None where the database has only one.
    is_view : bool
    rows : int or None
        About how many rows, as far as the database knows without counting.
    """

    name: str
    schema: str | None = None
    is_view: bool = False
    rows: int | None = None


@dataclass(frozen=True, slots=True)
class DatabaseColumn:
    """A column of a table before it is read; its kind is None where it cannot be."""

    name: str
    kind: Kind | None
    stored_as: str
