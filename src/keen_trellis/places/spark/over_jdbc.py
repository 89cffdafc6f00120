"""Tables of a server for a Spark cluster: asked for in values that both mean alike.

What a driver makes of dates, moments and decimals is its own affair. So the server is asked for
integers (days, microseconds) and texts (decimals), and the cluster makes of them what they were.
`mariadb_lane` says what MariaDB is asked.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlglot import exp

from keen_trellis.data.kinds import Kind
from keen_trellis.places.lane_tables import LaneThere, Stored
from keen_trellis.servers.server import Server
from keen_trellis.sql.dialects import POSTGRES, SPARK, Sql
from keen_trellis.sql.relations import any_of, called, column, select, within

ODD = "odd"
"""The column that is true in rows with a value that is none here."""

DRIVERS = {
    "postgresql": ("org.postgresql.Driver", "PostgreSQL", "postgresql.jar"),
    "mariadb": ("org.mariadb.jdbc.Driver", "MariaDB", "mariadb-java-client.jar"),
}
"""By the sort of a server: its driver's class, its name, and the file that brings it."""

_TLS = {
    "where offered": "prefer",
    "always": "require",
    "always, server verified": "verify-full",
    "never": "disable",
}


@dataclass(frozen=True, slots=True)
class OverJdbc:
    """Rows of a server as a cluster asks for them.

    Attributes
    ----------
    where : str
        In words.
    url : str
        The server's address as its driver takes it.
    query : str
        What the server is asked, in its own dialect.
    columns : tuple of Stored
        What the cluster makes of what comes.
    left_out : tuple of str
        Columns that hold bytes.
    """

    where: str
    url: str
    query: str
    columns: tuple[Stored, ...]
    left_out: tuple[str, ...]


def from_postgres(server: Server, lane: LaneThere) -> OverJdbc:
    """Return how a cluster asks for what lies in PostgreSQL."""
    names = sent_names(len(lane.columns))
    values = [
        called(_sent(column(name, "q"), one.kind), name)
        for name, one in zip(names, lane.columns, strict=True)
    ]
    odd = [one.odd.copy() for one in lane.columns if one.odd is not None]
    inner = lane.query([*names, *([ODD] if odd else [])], any_of(odd) if odd else None)
    if odd:
        values.append(called(exp.Coalesce(this=column(ODD, "q"), expressions=[exp.false()]), ODD))
    url = (
        f"jdbc:postgresql://{server.host}:{server.usual_port}/{server.database}"
        f"?sslmode={_TLS[server.tls]}&ApplicationName=keen-trellis&readOnly=true"
    )
    query = POSTGRES.text(select(values, within(inner, "q")), pretty=False)
    kinds = [(one.name, one.kind) for one in lane.columns]
    return OverJdbc(lane.where, url, query, as_stored(kinds, bool(odd)), lane.left_out)


def sent_names(how_many: int) -> list[str]:
    """Return what columns are called on their way: names that no driver changes."""
    return [f"c{place}" for place in range(how_many)]


def as_stored(columns: Sequence[tuple[str, Kind]], has_odd: bool) -> tuple[Stored, ...]:
    """Return the columns as the cluster reads them, each from what was sent."""
    made = []
    for place, (sent, (name, kind)) in enumerate(
        zip(sent_names(len(columns)), columns, strict=True)
    ):
        odd = SPARK.cast(column(ODD, "t"), Kind.BOOLEAN) if has_odd and not place else None
        made.append(Stored(name, kind, _made(column(sent, "t"), kind), odd))
    return tuple(made)


def _sent(value: Sql, kind: Kind) -> Sql:
    match kind:
        case Kind.EXACT:
            return POSTGRES.cast(value, Kind.TEXT)
        case Kind.DATE:
            first = POSTGRES.cast(exp.Literal.string("1970-01-01"), Kind.DATE)
            return exp.Cast(
                this=exp.paren(exp.Sub(this=value, expression=first)),
                to=exp.DataType.build("int"),
            )
        case Kind.DATE_TIME | Kind.TIME:
            seconds = exp.Extract(this=exp.Var(this="EPOCH"), expression=value)
            micros = exp.Mul(this=seconds, expression=exp.Literal.number(1_000_000))
            return POSTGRES.cast(exp.paren(micros), Kind.INTEGER)
        case _:
            return value


def _made(value: Sql, kind: Kind) -> Sql:
    match kind:
        case Kind.DATE:
            days = exp.Cast(this=value, to=exp.DataType.build("int"))
            return exp.Anonymous(this="DATE_FROM_UNIX_DATE", expressions=[days])
        case Kind.DATE_TIME:
            moment = exp.Anonymous(this="TIMESTAMP_MICROS", expressions=[value])
            return SPARK.cast(moment, kind)
        case Kind.TIME:
            return value
        case _:
            return SPARK.cast(value, kind)
