"""A table of MariaDB as a Spark cluster asks for it: the values that this machine would read."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from sqlglot import exp

from keen_trellis.base.language import tr
from keen_trellis.base.progress import quiet
from keen_trellis.data.column_names import column_names
from keen_trellis.data.kinds import Kind
from keen_trellis.places.lane_tables import Stored, TableAsked
from keen_trellis.places.spark.over_jdbc import ODD, OverJdbc, as_stored, sent_names
from keen_trellis.servers.connections import Reader
from keen_trellis.servers.database_values import Asked, statement_of
from keen_trellis.servers.described import column_named, table_described
from keen_trellis.servers.row_conditions import holds
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server
from keen_trellis.sql.digits import EXACT_BEFORE, EXACT_BEHIND

if TYPE_CHECKING:
    import sqlalchemy as sa

_TLS = {
    "always": "useSsl=true&trustServerCertificate=true&sslMode=trust",
    "always, server verified": "useSsl=true&sslMode=verify-full",
    "never": "useSsl=false&sslMode=disable",
}
"""How a connection is encrypted, as drivers before and since version 3 are told."""

_FIRST = "1970-01-01"


def from_mariadb(server: Server, asked: TableAsked, secrets: Secrets) -> OverJdbc:
    """Return how a cluster asks for the rows of a table; errors as for `read_table`."""
    where = f"{server.label} › {asked.table}"

    def described(connection: sa.Connection, _: Reader) -> OverJdbc:
        return _described(connection, server, asked, where)

    return Reader(server, secrets, None).run(
        described, quiet, tr("Looking at {where}", where=where)
    )


def _described(
    connection: sa.Connection, server: Server, asked: TableAsked, where: str
) -> OverJdbc:
    import sqlalchemy as sa

    described = table_described(connection, server, asked.table, asked.in_schema)
    names = list(asked.columns or described.columns.keys())
    columns = [Asked.of(column_named(described, name, where), "mysql") for name in names]
    held = [one for one in columns if one.kind is not None]
    shown, _ = column_names([one.name for one in held], where, declared=True)
    odd = [found for one in held if (found := _odd(described, one)) is not None]
    values: list[Any] = [
        _sent(described, one).label(name)
        for one, name in zip(held, sent_names(len(held)), strict=True)
    ]
    if odd:
        values.append(sa.func.coalesce(sa.cast(sa.or_(*odd), sa.Integer), 0).label(ODD))
    query = sa.select(*values).select_from(described)
    for one in asked.conditions:
        column = column_named(described, one.column, where)
        query = query.where(holds(column, one, dialect="mysql", zone=asked.zone, where=where))
    kinds = [(name, one.kind or Kind.TEXT) for name, one in zip(shown, held, strict=True)]
    stored = as_stored(kinds, bool(odd))
    return OverJdbc(
        where,
        _url(server, connection),
        statement_of(query, connection),
        tuple(
            _in_zone(one, asked.zone) if was.zoned else one
            for one, was in zip(stored, held, strict=True)
        ),
        tuple(one.name for one in columns if one.kind is None),
    )


def _url(server: Server, connection: sa.Connection) -> str:
    """Return the address; where encryption is used if offered, the cluster does as we did now."""
    tls = server.tls
    if tls == "where offered":
        offered = connection.exec_driver_sql("SHOW SESSION STATUS LIKE 'Ssl_cipher'").first()
        tls = "always" if offered is not None and offered[1] else "never"
    # by the other name of the protocol: by “mariadb” Spark would quote columns as texts are quoted
    return (
        f"jdbc:mysql://{server.host}:{server.usual_port}/{server.database}?permitMysqlScheme"
        f"&{_TLS[tls]}&sessionVariables=time_zone='+00:00',sql_select_limit={2**64 - 1}"
    )


def _sent(described: sa.Table, one: Asked) -> sa.ColumnElement[Any]:
    """Return what is asked for to have a value on the cluster as it is here."""
    import sqlalchemy as sa

    value = described.columns[one.name]
    match one.kind:
        case Kind.BOOLEAN | Kind.INTEGER:
            return sa.cast(one.expression, sa.Integer)
        case Kind.NUMBER | Kind.EXACT:  # by its digits: a FLOAT is another number as a double
            return sa.cast(one.expression, sa.CHAR())
        case Kind.DATE:
            return sa.func.datediff(value, _FIRST)
        case Kind.DATE_TIME:
            return sa.func.timestampdiff(sa.text("MICROSECOND"), _FIRST, value)
        case Kind.TIME:
            return sa.cast(sa.func.time_to_sec(value) * 1_000_000, sa.Integer)
        case _:  # of a variable length: what is CHAR to the cluster it would fill up with spaces
            return sa.func.concat(one.expression, sa.literal(""))


def _odd(described: sa.Table, one: Asked) -> sa.ColumnElement[bool] | None:
    """Return whether a value is none of its kind here, where one can be."""
    import sqlalchemy as sa

    value = described.columns[one.name]
    match one.kind:
        case Kind.BOOLEAN:
            return one.expression.not_in([0, 1])
        case Kind.EXACT:
            digits = sa.func.abs(one.expression)
            cut = sa.func.truncate(one.expression, EXACT_BEHIND)
            return sa.or_(digits >= sa.text(f"1{'0' * EXACT_BEFORE}"), one.expression != cut)
        case Kind.DATE | Kind.DATE_TIME:  # 0000-00-00 and the like are no day of the calendar
            return sa.and_(value.is_not(None), sa.func.to_days(value).is_(None))
        case Kind.TIME:
            return sa.or_(sa.func.time_to_sec(value) < 0, sa.func.time_to_sec(value) >= 86_400)
    return None


def _in_zone(stored: Stored, zone: str) -> Stored:
    if zone == "UTC":
        return stored
    zones = [exp.Literal.string(name) for name in ("UTC", zone)]
    moved = exp.Anonymous(this="CONVERT_TIMEZONE", expressions=[*zones, stored.value])
    return replace(stored, value=moved)
