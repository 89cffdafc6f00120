"""Tables of a PostgreSQL server for a Spark cluster: asked for in values that both mean alike.

What a driver makes of dates, moments and decimals is its own affair. So the server is asked for
integers (days, microseconds) and texts (decimals), and the cluster makes of them what they were.
"""

from __future__ import annotations

from collections.abc import Sequence

from sqlglot import exp

from keen_trellis.data.kinds import Kind
from keen_trellis.places.lanes import LaneThere, Stored
from keen_trellis.sql.dialects import POSTGRES, SPARK, Sql
from keen_trellis.sql.relations import any_of, called, column, select, within

ODD = "odd"
"""The column that is true in rows with a value that is none here."""


def names_of(lane: LaneThere) -> list[str]:
    """Return what the columns are called on their way: names that no driver changes."""
    return [f"c{place}" for place in range(len(lane.columns))]


def asked_for(lane: LaneThere) -> str:
    """Return the query that the server is asked, in its own dialect."""
    names = names_of(lane)
    values = [
        called(_sent(column(name, "q"), one.kind), name)
        for name, one in zip(names, lane.columns, strict=True)
    ]
    odd = [one.odd.copy() for one in lane.columns if one.odd is not None]
    inner = lane.query([*names, *([ODD] if odd else [])], any_of(odd) if odd else None)
    if odd:
        values.append(called(exp.Coalesce(this=column(ODD, "q"), expressions=[exp.false()]), ODD))
    return POSTGRES.text(select(values, within(inner, "q")), pretty=False)


def as_stored(lane: LaneThere) -> Sequence[Stored]:
    """Return the columns as the cluster reads them, each from what was sent."""
    has_odd = any(one.odd is not None for one in lane.columns)
    made = []
    for place, (name, one) in enumerate(zip(names_of(lane), lane.columns, strict=True)):
        odd = column(ODD, "t") if has_odd and not place else None
        made.append(Stored(one.name, one.kind, _made(column(name, "t"), one.kind), odd))
    return made


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
            return exp.Anonymous(this="DATE_FROM_UNIX_DATE", expressions=[value])
        case Kind.DATE_TIME:
            moment = exp.Anonymous(this="TIMESTAMP_MICROS", expressions=[value])
            return SPARK.cast(moment, kind)
        case Kind.TIME:
            return value
        case _:
            return SPARK.cast(value, kind)
