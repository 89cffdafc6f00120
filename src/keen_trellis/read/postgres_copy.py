"""Rows of a PostgreSQL query as columns, without a Python object for every value.

The server writes the rows as delimited text (`COPY … TO STDOUT`, which streams), and Arrow reads
their values as the types that the server says they are.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import closing
from typing import TYPE_CHECKING, Any

import pyarrow as pa
import pyarrow.csv as pacsv

from keen_trellis.data import Kind
from keen_trellis.data.column import arrow_type

if TYPE_CHECKING:
    import sqlalchemy as sa

_ROWS_AT_ONCE = 50_000


def copied(
    connection: sa.Connection,
    query: sa.Select[Any],
    kinds: Sequence[Kind],
    zoned: Sequence[bool],
    count: Callable[[int], None],
) -> list[pa.ChunkedArray]:
    """Return the columns of a query as Arrow arrays; exact decimals as their digits.

    Parameters
    ----------
    connection, query
    kinds : sequence of Kind
        The kind of each column, which the server's type says.
    zoned : sequence of bool
        Whether its moments have a zone; they come in UTC.
    count : callable
        Told how many rows have come; may raise to stop.

    Notes
    -----
    A value that the server has and Arrow does not, such as the date “infinity”, makes its column
    a column of text.
    """
    compiled = query.compile(connection, compile_kwargs={"literal_binds": True})
    statement = f"COPY ({compiled}) TO STDOUT (FORMAT csv)".replace("%%", "%")
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
    return [_one_type([table.column(place) for table in tables]) for place in range(len(kinds))]


def _type(kind: Kind, zoned: bool) -> pa.DataType:
    if kind is Kind.EXACT:
        return pa.string()
    return pa.timestamp("us", "UTC") if zoned else arrow_type(kind)


def _parsed(rows: Sequence[bytes], types: Sequence[pa.DataType]) -> pa.Table:
    names = [str(place) for place in range(len(types))]
    if not rows:
        return pa.table([pa.nulls(0, kind) for kind in types], names)
    text = pa.py_buffer(b"".join(rows))
    try:
        return _read(text, dict(zip(names, types, strict=True)))
    except pa.ArrowInvalid:
        return _read(text, dict.fromkeys(names, pa.string()))


def _read(text: pa.Buffer, types: dict[str, pa.DataType]) -> pa.Table:
    return pacsv.read_csv(
        pa.BufferReader(text),
        pacsv.ReadOptions(column_names=list(types), block_size=8 << 20),
        pacsv.ParseOptions(newlines_in_values=True, ignore_empty_lines=False),
        pacsv.ConvertOptions(
            column_types=types,
            null_values=[""],
            strings_can_be_null=True,
            quoted_strings_can_be_null=False,
            true_values=["t"],
            false_values=["f"],
        ),
    )


def _one_type(parts: Sequence[pa.ChunkedArray]) -> pa.ChunkedArray:
    types = {part.type for part in parts}
    wanted = types.pop() if len(types) == 1 else pa.string()
    return pa.chunked_array([c.cast(wanted) for part in parts for c in part.chunks], wanted)
