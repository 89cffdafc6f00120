"""The values of a database as columns: what is asked for, and what comes of the answers."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING, Any, cast
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.base.errors import SourceError
from keen_trellis.base.language import tr
from keen_trellis.data import BLANK, PRESENT, Column, Kind, from_arrow
from keen_trellis.data.column import DIGITS_AT_MOST, exact_values
from keen_trellis.data.conversions.conversion import converted
from keen_trellis.data.conversions.not_numbers import nan_noticed
from keen_trellis.data.conversions.noticed import Noticed
from keen_trellis.data.conversions.python_values import column_of_values
from keen_trellis.data.stacking import common_scale, stack_columns
from keen_trellis.servers.connections import BATCH, Reader
from keen_trellis.servers.postgres_copy import (
    BYTES,
    KINDS,
    NUMERIC,
    TEXT,
    VARCHAR,
    WITH_ZONE,
    copied,
)

if TYPE_CHECKING:
    import sqlalchemy as sa


@dataclass(frozen=True, slots=True, eq=False)
class Asked:
    """A column of a table as it is asked for.

    Attributes
    ----------
    name : str
    expression : what the server is asked for to have its values
    kind : Kind or None
        The kind they are; None for bytes, which are not read.
    zoned : bool
        Whether they are moments with a time zone.
    """

    name: str
    expression: sa.ColumnElement[Any]
    kind: Kind | None
    zoned: bool

    @classmethod
    def of(cls, column: sa.Column[Any], dialect: str) -> Asked:
        """Return how a column is asked for in a dialect of SQL."""
        expression, kind = _taken(column, dialect)
        return cls(str(column.name), expression, kind, _has_zone(column, dialect))


@dataclass(frozen=True, slots=True, eq=False)
class Fetched:
    """What came of a column; None where it turned out to hold bytes."""

    column: Column | None
    noticed: list[Noticed]


def fetched_columns(
    connection: sa.Connection, query: sa.Select[Any], asked: Sequence[Asked], reader: Reader
) -> list[Fetched]:
    """Return the columns that a query gives, in the kinds that are asked for.

    PostgreSQL's rows come by COPY, the others' through the driver's cursor, batch by batch.
    """
    kinds = [one.kind for one in asked if one.kind is not None]
    if not kinds:
        return []
    if connection.dialect.name == "postgresql":
        arrays = copied(
            connection,
            statement_of(query, connection),
            kinds,
            zoned=[one.zoned for one in asked],
            count=reader.count,
        )
        return [
            of_copied(array, kind, one.name)
            for array, kind, one in zip(arrays, kinds, asked, strict=True)
        ]
    # Without it the driver has all rows before the first is seen, and nothing can be stopped.
    streamed = connection.execution_options(stream_results=True, max_row_buffer=BATCH)
    parts: list[list[Column | list[Any]]] = [[] for _ in kinds]
    with closing(streamed.execute(query)) as result:
        for batch in result.partitions(BATCH):
            for part, values, kind in zip(parts, zip(*batch, strict=True), kinds, strict=True):
                part.append(_batch_column(values, kind))
            reader.count(len(batch))
    return [
        _joined(part, kind, one.name) for part, kind, one in zip(parts, kinds, asked, strict=True)
    ]


def queried_columns(
    connection: sa.Connection, query: str, rows_at_most: int | None, reader: Reader
) -> list[Queried]:
    """Return what a query typed by hand gives in PostgreSQL, in the kinds of its declared types.

    What values happen to be there says nothing of a column: it may have none today.
    """
    with closing(connection.connection.cursor()) as cursor:
        # The line end: a query may end with a comment, which would swallow the bracket.
        cursor.execute(f"SELECT * FROM ({query}\n) AS q LIMIT 0")
        described = [(one[0], cast("int", one[1])) for one in cursor.description or ()]
    # Names of our own: a query may give two columns of one name, or none.
    names = [f"c{place}" for place in range(len(described))]
    readable = [
        (name, oid) for name, (_, oid) in zip(names, described, strict=True) if oid != BYTES
    ]
    came: list[pa.ChunkedArray] = []
    kinds = [KINDS.get(oid, Kind.TEXT) for _, oid in readable]
    if readable:
        asked = ", ".join(
            name if oid in _AS_IT_IS else f"CAST({name} AS text)" for name, oid in readable
        )
        limit = "" if rows_at_most is None else f" LIMIT {rows_at_most}"
        came = copied(
            connection,
            f"SELECT {asked} FROM ({query}\n) AS q({', '.join(names)}){limit}",
            kinds,
            zoned=[oid == WITH_ZONE for _, oid in readable],
            count=reader.count,
        )
    arrays = iter(zip(came, kinds, strict=True))
    found = []
    for name, oid in described:
        fetched = Fetched(None, []) if oid == BYTES else of_copied(*next(arrays), name)
        found.append(Queried(name, fetched, oid == WITH_ZONE))
    return found


@dataclass(frozen=True, slots=True, eq=False)
class Queried:
    """A column that a query gave, its name, and whether it has moments with a time zone."""

    name: str
    fetched: Fetched
    zoned: bool


_AS_IT_IS = {TEXT, VARCHAR, *KINDS} - {NUMERIC}
"""Types whose values come as they are; of all others the texts that the server writes them as."""


def declared_column(values: Sequence[Any], stored: int, name: str) -> Fetched | None:
    """Return values of MariaDB in the kind of their declared type; None where it tells nothing.

    Parameters
    ----------
    values : sequence
    stored : int
        The number of the type, as the protocol has it.
    name : str
    """
    kind = _MARIADB_KINDS.get(stored)
    if kind is None or any(isinstance(value, bytes | bytearray) for value in values):
        return None
    return _joined([_batch_column(values, kind)], kind, name)


_MARIADB_KINDS = {
    **dict.fromkeys((0, 246), Kind.EXACT),
    **dict.fromkeys((4, 5), Kind.NUMBER),
    **dict.fromkeys((7, 12), Kind.DATE_TIME),
    **dict.fromkeys((1, 2, 3, 9, 13), Kind.INTEGER),
    10: Kind.DATE,
    11: Kind.TIME,
    **dict.fromkeys((15, 253, 254), Kind.TEXT),
}
"""By the numbers of the protocol, where one is always of one kind: integers of 64 bits may have no
sign, and bits and blobs may be anything."""


def statement_of(query: sa.Select[Any], connection: sa.Connection) -> str:
    """Return a query as a statement without parameters."""
    # COPY takes no parameters, so the driver’s doubled signs are put back too.
    compiled = query.compile(connection, compile_kwargs={"literal_binds": True})
    return str(compiled).replace("%%", "%")


def _taken(column: sa.Column[Any], dialect: str) -> tuple[sa.ColumnElement[Any], Kind | None]:
    """Return what is asked for to have a column's values, and the kind they are; None for bytes.

    Exact numbers come as their digits: a server writes them faster than a driver makes objects.
    """
    import sqlalchemy as sa
    import sqlalchemy.types as types

    stored = _declared(column.type)
    plain: sa.ColumnElement[Any] = sa.type_coerce(column, types.NullType())
    if isinstance(stored, types.LargeBinary | types._Binary):
        return plain, None
    if isinstance(stored, types.Boolean) or _is_tiny_boolean(stored):
        return plain, Kind.BOOLEAN
    if dialect == "mysql" and type(stored).__name__ == "BIT":  # as it is, it would be a letter
        bits = getattr(stored, "length", None) or 1
        kind = Kind.BOOLEAN if bits == 1 else Kind.EXACT if bits == 64 else Kind.INTEGER
        return plain + 0, kind
    if isinstance(stored, types.Integer):
        # Up to 2**64, where ours end at 2**63.
        unsigned = getattr(stored, "unsigned", False) and isinstance(stored, types.BigInteger)
        return plain, Kind.EXACT if unsigned else Kind.INTEGER
    if isinstance(stored, types.Float):
        return plain, Kind.NUMBER
    if isinstance(stored, types.Numeric):
        return as_text(column, dialect), Kind.EXACT
    if isinstance(stored, types.DateTime):
        return plain, Kind.DATE_TIME
    if isinstance(stored, types.Date):
        return plain, Kind.DATE
    if isinstance(stored, types.Time) and not getattr(stored, "timezone", False):
        return plain, Kind.TIME
    is_filled = dialect == "postgresql" and isinstance(stored, types.CHAR)
    if isinstance(stored, types.String) and not isinstance(stored, types.Enum) and not is_filled:
        return plain, Kind.TEXT  # a CHAR of PostgreSQL is filled up with spaces, which mean nothing
    return as_text(column, dialect), Kind.TEXT


def _declared(stored: Any) -> Any:
    """Return the type that values have; a domain is another name of one, with conditions."""
    # A domain may be of another domain.
    while (beneath := getattr(stored, "data_type", None)) is not None:
        stored = beneath
    return stored


def as_text(column: sa.ColumnElement[Any], dialect: str) -> sa.ColumnElement[Any]:
    """Return a column's values as the texts that the database writes them as."""
    import sqlalchemy as sa

    return sa.cast(column, sa.Text() if dialect == "postgresql" else sa.CHAR())


def _is_tiny_boolean(stored: Any) -> bool:
    return type(stored).__name__ == "TINYINT" and getattr(stored, "display_width", None) == 1


def _has_zone(column: sa.Column[Any], dialect: str) -> bool:
    stored = _declared(column.type)
    # MariaDB’s TIMESTAMP is kept in UTC and told in the zone of the session: a moment.
    with_zone = bool(getattr(stored, "timezone", False))
    return with_zone or (dialect == "mysql" and type(stored).__name__ == "TIMESTAMP")


def _joined(parts: Sequence[Column | list[Any]], kind: Kind, name: str) -> Fetched:
    """Return batches as one column; where one is not of the kind, its values decide for all."""
    columns = [part for part in parts if isinstance(part, Column)]
    if not parts:
        return Fetched(Column.of([], kind), [])
    # Batches were settled apart; all fit together, or the values decide once for the whole
    # column.
    if len(columns) == len(parts) and common_scale(columns) is not None:
        whole = stack_columns(columns)
        return _boolean_or_integer(whole, name) if kind is Kind.BOOLEAN else Fetched(whole, [])
    values = [
        value for part in parts for value in (part.to_list() if isinstance(part, Column) else part)
    ]
    if any(isinstance(v, bytes) for v in values):
        return Fetched(None, [])
    return Fetched(*column_of_values(values, name))


def _boolean_or_integer(numbers: Column, name: str) -> Fetched:
    """Return 0 and 1 as false and true; where any other number is there, all stay numbers."""
    state = numbers.state
    # What stands at a blank is no value, and may be anything.
    held = numbers.values if numbers.absent is None else numbers.values[~numbers.absent]
    odd = held[(held != 0) & (held != 1)]
    if not len(odd):
        return Fetched(Column(Kind.BOOLEAN, numbers.values != 0, state), [])
    text = tr(
        "“{name}” is declared as boolean and holds {odd_1}: it is read as integers.",
        name=name,
        odd_1=odd[0],
    )
    return Fetched(numbers, [Noticed(text, len(odd))])


def of_copied(array: pa.ChunkedArray, kind: Kind, name: str) -> Fetched:
    """Return what came by COPY as a column of its kind, as far as its values are of it."""
    if kind is not Kind.EXACT:
        column = from_arrow(array)
        if column.kind is not kind:
            odd = converted(column, kind).lost
            example = column.text(int(odd[0])) if len(odd) else ""
            text = tr(
                "“{name}” holds “{example}”, which is no {kind} here: it is read as text.",
                name=name,
                example=example,
                kind=kind,
            )
            return Fetched(column, [Noticed(text, len(odd))])
        return Fetched(column, nan_noticed(array, name))
    digits = _digits(array)
    if digits is None:  # NaN and infinity, or more digits than are kept: its own texts are shown
        values = [None if t is None else Decimal(t) for t in array.to_pylist()]
        return Fetched(*column_of_values(values, name))
    return Fetched(digits, [])


def _batch_column(values: Sequence[Any], kind: Kind) -> Column | list[Any]:
    """Return one batch as a column of the kind that the database says, or as it is."""
    if kind is Kind.EXACT:
        texts = [None if v is None else str(v) for v in values]
        digits = _digits(pa.chunked_array([texts], pa.string()))
        return [None if v is None else Decimal(v) for v in values] if digits is None else digits
    if kind is Kind.BOOLEAN:  # the server's numbers: any may be there
        return Column.of([None if v is None else int(v) for v in values], Kind.INTEGER)
    if kind is Kind.DATE_TIME and getattr(_first(values), "tzinfo", None) is not None:
        return from_arrow(pa.array(values, pa.timestamp("us", "UTC")))
    try:
        return Column.of(values, kind)
    except (TypeError, OverflowError):  # a duration as a time, a date such as 0000-00-00
        return list(values)


def _digits(texts: pa.ChunkedArray) -> Column | None:
    """Return digits as exact decimals; None where one is NaN, infinite or too long."""
    # Written with an exponent, a number would pass as digits where it is none.
    if pc.any(pc.invert(pc.match_substring_regex(texts, r"^[-+]?[\d.]+$"))).as_py():
        return None
    marks = pc.find_substring(texts, ".")
    after = pc.subtract(pc.subtract(pc.binary_length(texts), marks), 1)
    has_mark = pc.greater_equal(marks, 0)
    scale = pc.max(pc.if_else(has_mark, after, 0)).as_py() or 0
    before = pc.max(pc.if_else(has_mark, marks, pc.binary_length(texts))).as_py() or 0
    if before + scale > DIGITS_AT_MOST:  # Arrow would wrap round; a sign counts as a digit here
        # zeros at the end take room and say nothing: 7/100 comes with twenty digits behind the mark
        return _wide_digits(pc.replace_substring_regex(texts, r"(\.\d*?)0+$", r"\1"))
    try:
        # At most 37 behind: Arrow wants room for one digit before the mark.
        return from_arrow(texts.cast(pa.decimal128(38, min(scale, 37))))
    except pa.ArrowInvalid:
        return None


def _wide_digits(texts: pa.ChunkedArray) -> Column | None:
    """Return digits as exact decimals one by one; None where one has no room beside others."""
    decimals = [None if text is None else Decimal(text) for text in texts.to_pylist()]
    values, fits, scale = exact_values(decimals)
    absent = texts.is_null().to_numpy(zero_copy_only=False)
    if not bool((fits | absent).all()):
        return None
    state = np.where(absent, BLANK, PRESENT).astype(np.uint8) if absent.any() else None
    return Column(Kind.EXACT, values, state, scale=scale)


def _first(values: Sequence[Any]) -> Any:
    return next((v for v in values if v is not None), None)


def in_utc(shown: dt.datetime, zone: str) -> dt.datetime:
    """Return the moment in UTC, the zone of every session, at which a clock in a zone shows it.

    Raises
    ------
    SourceError
        There is no such zone.
    """
    try:
        # Where clocks are set back a time is had twice: the first one is taken (fold 0).
        return shown.replace(tzinfo=ZoneInfo(zone)).astimezone(dt.UTC).replace(tzinfo=None)
    except OverflowError:  # within a day of the ends of the calendar
        return shown
    except (ZoneInfoNotFoundError, ValueError) as error:
        raise _no_zone(zone) from error


def _no_zone(zone: str) -> SourceError:
    return SourceError(
        tr("There is no time zone “{zone}”.", zone=zone),
        tr("Choose one such as Europe/Lisbon, or UTC."),
    )


def in_zone(column: Column, zone: str) -> Column:
    """Return moments in UTC as a clock in a zone shows them.

    Raises
    ------
    SourceError
        There is no such zone.
    """
    if column.kind is not Kind.DATE_TIME or zone == "UTC":
        return column
    # Arrow has the zones’ whole history, value by value in C; blanks become 0 below, and stay
    # blanks by the state.
    moments = column.to_arrow().cast(pa.timestamp("us", "UTC"))
    try:
        local = pc.local_timestamp(moments.cast(pa.timestamp("us", zone)))
    except pa.ArrowInvalid as error:
        raise _no_zone(zone) from error
    return Column(column.kind, np.asarray(local.cast(pa.int64()).fill_null(0)), column.state)
