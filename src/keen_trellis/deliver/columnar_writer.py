"""Parquet and Arrow files: columns as they are, in batches."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import pyarrow as pa
import pyarrow.parquet as pq

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.data.column import DIGITS_AT_MOST, arrow_type
from keen_trellis.data.kinds import Kind

if TYPE_CHECKING:
    from keen_trellis.data import Field, Table
    from keen_trellis.deliver.file_delivery import Sheet

_ROWS_AT_A_TIME = 262_144


def write_parquet(sheets: Sequence[Sheet], path: Path, report: Report = quiet) -> None:
    """Write a table as Parquet; blanks and gaps are null."""
    table = sheets[0].table
    with pq.ParquetWriter(path, _schema(table)) as file:
        for batch in _batches(table, report):
            file.write_batch(batch)


def write_arrow(sheets: Sequence[Sheet], path: Path, report: Report = quiet) -> None:
    """Write a table as an Arrow file (which Feather, version 2, is); blanks and gaps are null."""
    table = sheets[0].table
    with pa.OSFile(str(path), "wb") as out, pa.ipc.new_file(out, _schema(table)) as file:
        for batch in _batches(table, report):
            file.write_batch(batch)


def _schema(table: Table) -> pa.Schema:
    return pa.schema([pa.field(field.name, _type(table, field)) for field in table.fields])


def _type(table: Table, field: Field) -> pa.DataType:
    if field.kind is not Kind.EXACT:
        return arrow_type(field.kind)
    scale = max(column.scale for column in table.source_columns(field))
    return pa.decimal128(DIGITS_AT_MOST, scale)


def _batches(table: Table, report: Report) -> Iterator[pa.RecordBatch]:
    schema, settled = _schema(table), table.settled()
    for start in range(0, len(table), _ROWS_AT_A_TIME):
        report(
            start / len(table),
            tr("Writing row {start:,} of {table:,}", start=start, table=len(table)),
        )
        rows = settled.window(start, start + _ROWS_AT_A_TIME)
        arrays = [
            column.to_arrow().cast(field.type)
            for column, field in zip(rows.fetched(), schema, strict=True)
        ]
        yield pa.RecordBatch.from_arrays(arrays, schema=schema)
