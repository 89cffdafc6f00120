"""Columnar files: Parquet, Arrow and Feather."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.base.errors import SourceError
from keen_trellis.base.file_stamps import FileStamp, WrittenMeanwhileError, unwritten_file
from keen_trellis.base.language import tr
from keen_trellis.base.logs import timed
from keen_trellis.base.ordinary_files import existing_file
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.base.words import counted
from keen_trellis.data import AnyColumn, Column, Kind, LateColumn, from_arrow
from keen_trellis.data.column import finer_than_kept, unpacked
from keen_trellis.data.column_names import column_names
from keen_trellis.data.conversions.not_numbers import nan_noticed
from keen_trellis.data.conversions.noticed import Noticed
from keen_trellis.data.conversions.python_values import column_of_values, value_text
from keen_trellis.read.apart import ParserError, parsed_apart
from keen_trellis.read.parquet_file import (
    coded_texts,
    footer_of,
    kinds_told,
    nanoseconds_of_int96,
    parquet_column,
    parquet_parts,
)
from keen_trellis.read.reading import Reading, without_rows
from keen_trellis.read.settling import Unsettled

_log = logging.getLogger(__name__)

PARQUET = (".parquet", ".pq")
ARROW = (".arrow", ".feather", ".ipc", ".arrows")
ENDINGS = PARQUET + ARROW

_HOUR_IN = {"s": 3.6e3, "ms": 3.6e6, "us": 3.6e9, "ns": 3.6e12}
_IN_A_DAY = {"D": 1, "s": 86_400, "ms": 86_400_000, "us": 86_400 * 10**6, "ns": 86_400 * 10**9}
_FIRST_DAY, _LAST_DAY = -719_162, 2_932_896
"""The first day of year 1 and the last of year 9999, counted from 1970."""


@unwritten_file
def read_columnar(
    path: Path,
    report: Report = quiet,
    kinds: Mapping[str, Kind] | None = None,
    rows_at_most: int | None = None,
    late: bool = False,
) -> Reading:
    """Return the rows of a Parquet, Arrow or Feather file; null and not-a-number are blanks.

    Nested values come as text, durations as hours; bytes do not come.

    Parameters
    ----------
    path, report, kinds
    rows_at_most : int, optional
        Reads so many rows at most.
    late : bool
        Whether columns of Parquet are read when somebody first looks at them. Those whose kind
        hangs on their values come at once all the same, and so do those that `kinds` chooses for.

    Raises
    ------
    SourceError
        The file is missing, damaged, or none of these formats.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    stamp = FileStamp.of(path)
    existing_file(path)
    report(0.0, tr("Reading {name}", name=path.name))
    try:
        share = part(report, 0.0, 0.6)
        is_parquet = path.suffix.lower() in PARQUET
        # a first look does not wait for the footer of a wide file to be read here
        footer = footer_of(path) if is_parquet and rows_at_most is None else []
        told = kinds_told(path, footer) if late else {}
        coded = coded_texts(footer)
        batches = (
            parquet_parts(path, told, footer) if is_parquet else _arrow(path, rows_at_most, share)
        )
        layout, table, n_rows, is_part = _gathered(
            batches, path, rows_at_most, share if is_parquet else quiet
        )
        cut = [*nanoseconds_of_int96(path)] if is_parquet and not is_part else []
    except _UNREADABLE as error:
        raise _damaged(path) from error
    names, noticed = column_names(layout.names, path.name, declared=True)
    made: dict[str, pa.ChunkedArray | AnyColumn] = {}
    said = list(noticed)
    for place, (stored, name) in enumerate(zip(layout.names, names, strict=True)):
        report(0.6 + 0.4 * place / len(names), tr("Reading {name}", name=path.name))
        if stored in told:
            values_of = partial(parquet_column, path, stored, stored in coded)
            read = partial(_read_late, path, stamp, values_of, name, told[stored], n_rows)
            made[name] = LateColumn(told[stored], n_rows, read)
            continue
        # by its place where all are there: two may have one name
        values = table.column(stored if told else place)
        column, remarks = _column(values, name, path.name)
        if column is not None:
            made[name] = column
        said += remarks
    said += cut
    unsettled = Unsettled(made, path.name)
    words = tr("Parquet") if path.suffix.lower() in PARQUET else tr("Arrow")
    if any(pa.types.is_timestamp(f.type) and f.type.tz for f in layout):
        words += tr(", moments in UTC")
    return Reading(
        unsettled.in_kinds(kinds or {}),
        words,
        left_out=without_rows(n_rows, path.name),
        changed=tuple(said),
        files=(stamp,),
        partial=is_part,
        unsettled=unsettled,
    )


def _read_late(
    path: Path,
    stamp: FileStamp,
    values_of: Callable[[], pa.ChunkedArray],
    name: str,
    kind: Kind,
    n_rows: int,
) -> tuple[Column, tuple[Noticed, ...]]:
    """Return one column of a Parquet file, as it was when the file's other columns were read.

    Raises
    ------
    SourceError
        The file has been written to since, or is damaged.
    """
    if FileStamp.of(path) != stamp:
        raise WrittenMeanwhileError([str(path)])
    try:
        with timed(_log, f"read {name} of {path.name}", logging.DEBUG) as told:
            values = values_of()
            told.rows = len(values)
        column, noticed = _column(values, name, path.name)
    except _UNREADABLE as error:
        raise _damaged(path) from error
    # after the read too: what was written meanwhile would be half old and half new
    if FileStamp.of(path) != stamp:
        raise WrittenMeanwhileError([str(path)])
    if column is None or column.kind is not kind or len(column) != n_rows:
        raise _damaged(path)  # its pages hold what its footer does not say
    return column, tuple(noticed)


_UNREADABLE = (pa.ArrowException, ParserError, OSError, ValueError, KeyError)


def _damaged(path: Path) -> SourceError:
    return SourceError(
        tr("{path} cannot be read as a columnar file: it is none, or is damaged.", path=path),
        tr("Fetch or write it anew, and choose it again."),
    )


def _arrow(
    path: Path, rows_at_most: int | None, report: Report
) -> Iterator[tuple[pa.Schema, int, int, pa.Table | None]]:
    most = str(-1 if rows_at_most is None else rows_at_most)
    for stream in parsed_apart(
        path, "arrow", most, report=report, doing=tr("Reading {name}", name=path.name)
    ):
        table = pa.ipc.open_stream(stream).read_all()
        yield table.schema, 0, len(table), table


def _gathered(
    parts: Iterator[tuple[pa.Schema, int, int, pa.Table | None]],
    path: Path,
    rows_at_most: int | None,
    report: Report,
) -> tuple[pa.Schema, pa.Table, int, bool]:
    """Return the layout of all columns, those that were read, the rows, and whether more follow."""
    tables, rows, layout = [], 0, pa.schema([])
    for schema, total, n_rows, table in parts:
        layout = schema
        if table is not None:
            table.validate(full=True)  # a damaged file could make Arrow read beyond its memory
            tables.append(table)
            rows += n_rows  # a table without columns knows of no rows
            report(rows / max(total, rows, 1), tr("Reading {name}", name=path.name))
        if rows_at_most is not None and rows >= rows_at_most:
            whole = pa.concat_tables(tables).slice(0, rows_at_most)
            return layout, whole, len(whole), True
    return layout, pa.concat_tables(tables) if tables else layout.empty_table(), rows, False


def _column(values: pa.ChunkedArray, name: str, where: str) -> tuple[Column | None, list[Noticed]]:
    values = unpacked(values)
    stored = values.type
    types = pa.types
    if (
        types.is_binary(stored)
        or types.is_large_binary(stored)
        or types.is_fixed_size_binary(stored)
    ):
        text = tr(
            "“{name}” of {where} holds bytes, which are no value to link or show: left out.",
            name=name,
            where=where,
        )
        return None, [Noticed(text)]
    if types.is_duration(stored):
        hours = pc.divide(
            values.cast(pa.int64()).cast(pa.float64(), safe=False), _HOUR_IN[stored.unit]
        )
        return from_arrow(hours), [
            Noticed(tr("“{name}” holds durations; they are read as hours.", name=name))
        ]
    if (types.is_date(stored) or types.is_timestamp(stored)) and not _in_calendar(values):
        column, _ = column_of_values(_far_texts(values), name)
        text = tr(
            "“{name}” holds dates outside of the years 1 to 9999; they are read as text.", name=name
        )
        return column, [Noticed(text)]
    finer = finer_than_kept(values)
    if finer:  # cut here and said below, with the column's name
        kept = pa.time64("us") if types.is_time(stored) else pa.timestamp("us", stored.tz)
        values = values.cast(kept, safe=False)
    try:
        column = from_arrow(values)
    except (TypeError, pa.ArrowException):
        column, _ = column_of_values(
            [None if v is None else value_text(v) for v in values.to_pylist()], name
        )
        text = tr(
            "“{name}” holds values of the type {stored}; they are read as text.",
            name=name,
            stored=stored,
        )
        return column, [Noticed(text)]
    if not types.is_null(stored):
        column = replace(column, declared=True)
    said = nan_noticed(values, name)
    if finer:
        many = counted(finer, "value")
        text = tr(
            "“{name}” has {many} with nanoseconds, which are cut: microseconds stay.",
            name=name,
            many=many,
        )
        said.append(Noticed(text, finer))
    return column, said


def _in_calendar(values: pa.ChunkedArray) -> bool:
    """Return whether all dates or moments are in the years that have four digits."""
    bounds = pc.min_max(_whole_units(values)).as_py()
    if bounds["min"] is None:
        return True
    days = [bounds[end] // _IN_A_DAY[_unit(values.type)] for end in ("min", "max")]
    return bool(days[0] >= _FIRST_DAY and days[1] <= _LAST_DAY)


def _far_texts(values: pa.ChunkedArray) -> list[str | None]:
    """Return dates and moments of any year as ISO 8601 writes them, with a sign where it must."""
    units = _whole_units(values)
    moments = units.fill_null(0).to_numpy().astype(f"datetime64[{_unit(values.type)}]")
    texts = np.datetime_as_string(moments)
    absent = units.is_null().to_numpy(zero_copy_only=False)
    return [None if gone else str(text) for text, gone in zip(texts, absent, strict=True)]


def _whole_units(values: pa.ChunkedArray) -> pa.ChunkedArray:
    """Return dates or moments as integers of their own unit, in UTC."""
    stored = pa.int32() if pa.types.is_date32(values.type) else pa.int64()
    return values.cast(stored)


def _unit(stored: pa.DataType) -> str:
    if pa.types.is_date32(stored):
        return "D"
    return "ms" if pa.types.is_date64(stored) else str(stored.unit)
