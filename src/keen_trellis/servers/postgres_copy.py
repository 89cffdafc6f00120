"""Rows of a PostgreSQL query as columns, without a Python object for every value.

The server writes the rows as delimited text (`COPY … TO STDOUT`, which streams), and Arrow reads
their values as the types that the server says they are.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import closing
from typing import TYPE_CHECKING

import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv

from keen_trellis.data import Kind, from_arrow
from keen_trellis.data.column import arrow_type, kind_of_arrow
from keen_trellis.data.conversions.conversion import converted

if TYPE_CHECKING:
    import sqlalchemy as sa

_ROWS_AT_ONCE = 50_000

BYTES, TEXT, VARCHAR, REAL, NUMERIC, WITH_ZONE = 17, 25, 1043, 700, 1700, 1184
KINDS = {
    16: Kind.BOOLEAN,
    **dict.fromkeys((20, 21, 23), Kind.INTEGER),
    **dict.fromkeys((REAL, 701), Kind.NUMBER),
    NUMERIC: Kind.EXACT,
    1082: Kind.DATE,
    **dict.fromkeys((1114, WITH_ZONE), Kind.DATE_TIME),
    1083: Kind.TIME,
}
"""The kind of a type by its number in the server's catalog; what is not here is a text."""


def copied(
    connection: sa.Connection,
    query: str,
    kinds: Sequence[Kind],
    zoned: Sequence[bool],
    count: Callable[[int], None],
) -> list[pa.ChunkedArray]:
    """Return the columns of a query as Arrow arrays; exact decimals as their digits.

    Parameters
    ----------
    connection
    query : str
        A statement without parameters.
    kinds : sequence of Kind
        The kind of each column, which the server's type says.
    zoned : sequence of bool
        Whether its moments have a zone; they come in UTC.
    count : callable
        Told how many rows have come; may raise to stop.

    Notes
    -----
    A value that the server has and Arrow does not, such as the date “infinity”, makes its column
    a column of text, and no other.
    """
    statement = f"COPY ({query}) TO STDOUT (FORMAT csv)"
    types = [_type(kind, zone) for kind, zone in zip(kinds, zoned, strict=True)]
    cursor = connection.connection.cursor()
    with closing(cursor), cursor.copy(statement) as copy, ThreadPoolExecutor(1) as parser:
        parsing: list[Future[pa.Table]] = []  # while the server writes the next rows
        rows: list[bytes] = []
        for row in copy:
            rows.append(bytes(row))
            if len(rows) == _ROWS_AT_ONCE:
                parsing.append(parser.submit(_parsed, rows, types))
                count(len(rows))
                rows = []
        parsing.append(parser.submit(_parsed, rows, types))
        count(len(rows))
    tables = [part.result() for part in parsing]
    return [
        _one_type([table.column(place) for table in tables], kind)
        for place, kind in enumerate(types)
    ]


def _type(kind: Kind, zoned: bool) -> pa.DataType:
    if kind is Kind.EXACT:
        return pa.string()
    return pa.timestamp("us", "UTC") if zoned else arrow_type(kind)


def _parsed(rows: Sequence[bytes], types: Sequence[pa.DataType]) -> pa.Table:
    names = [str(place) for place in range(len(types))]
    if not rows:
        return pa.table([pa.nulls(0, kind) for kind in types], names)
    # Arrow takes U+FEFF at the very beginning for the mark of an encoding, which here would be
    # the first letter of a value: so another line stands there, which is skipped.
    text = pa.py_buffer(b"".join((b"-\n", *rows)))
    try:
        return _read(text, dict(zip(names, types, strict=True)))
    except pa.ArrowInvalid:
        return pa.table([_column(text, place, types) for place in range(len(types))], names)


def _column(text: pa.Buffer, place: int, types: Sequence[pa.DataType]) -> pa.ChunkedArray:
    """Return one column of rows that hold a value which one of them has no place for."""
    name, names = str(place), [str(n) for n in range(len(types))]
    for wanted in (types[place], pa.string()):
        try:
            as_texts = dict.fromkeys(names, pa.string())
            return _read(text, {**as_texts, name: wanted}, [name]).column(0)
        except pa.ArrowInvalid:
            if wanted == pa.string():
                raise
    raise AssertionError("texts are always read, or the error is raised")


def _read(text: pa.Buffer, types: dict[str, pa.DataType], wanted: Sequence[str] = ()) -> pa.Table:
    return pacsv.read_csv(
        pa.BufferReader(text),
        pacsv.ReadOptions(column_names=list(types), block_size=8 << 20, skip_rows=1),
        pacsv.ParseOptions(newlines_in_values=True, ignore_empty_lines=False),
        pacsv.ConvertOptions(
            column_types=types,
            include_columns=list(wanted) or None,
            null_values=[""],
            strings_can_be_null=True,
            quoted_strings_can_be_null=False,
            true_values=["t"],
            false_values=["f"],
        ),
    )


def _one_type(parts: Sequence[pa.ChunkedArray], wanted: pa.DataType) -> pa.ChunkedArray:
    if all(part.type == wanted for part in parts):
        return pa.chunked_array([c for part in parts for c in part.chunks], wanted)
    return pa.chunked_array([_as_shown(part, wanted) for part in parts], pa.string())


def _as_shown(part: pa.ChunkedArray, wanted: pa.DataType) -> pa.StringArray:
    """Return values as we show them, so that one value is one text in every piece.

    The server writes 12:00:00.5 where ours are 12:00:00.500000; what is no value of ours stays as
    the server writes it.
    """
    column = from_arrow(part)
    if part.type == wanted:
        return column.texts()
    values = converted(column, kind_of_arrow(wanted)).column
    return pc.coalesce(values.texts(), column.texts())
