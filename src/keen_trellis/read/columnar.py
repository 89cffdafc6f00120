"""Columnar files: Parquet, Arrow and Feather."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq

from keen_trellis.base.errors import SourceError
from keen_trellis.base.file_stamps import FileStamp, unwritten_file
from keen_trellis.base.language import tr
from keen_trellis.base.ordinary_files import existing_file
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.base.words import counted
from keen_trellis.data import Column, Kind, from_arrow
from keen_trellis.data.column import finer_than_kept, unpacked
from keen_trellis.data.column_names import column_names
from keen_trellis.data.conversions.not_numbers import nan_noticed
from keen_trellis.data.conversions.noticed import Noticed
from keen_trellis.data.conversions.python_values import column_of_values, value_text
from keen_trellis.read.apart import ParserError, parsed_apart
from keen_trellis.read.parquet_pages import values_in_pages
from keen_trellis.read.reading import Reading, without_rows
from keen_trellis.read.settling import Unsettled

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
) -> Reading:
    """Return the rows of a Parquet, Arrow or Feather file; null and not-a-number are blanks.

    Nested values come as text, durations as hours; bytes do not come.

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
        batches = _parquet(path) if is_parquet else _arrow(path, rows_at_most, share)
        table, partial = _gathered(batches, path, rows_at_most, share if is_parquet else quiet)
        cut = [*_nanoseconds_of_int96(path)] if is_parquet and not partial else []
    except (pa.ArrowException, ParserError, OSError, ValueError, KeyError) as error:
        raise SourceError(
            tr("{path} cannot be read as a columnar file: it is none, or is damaged.", path=path),
            tr("Fetch or write it anew, and choose it again."),
        ) from error
    names, noticed = column_names(table.column_names, path.name, declared=True)
    made: dict[str, pa.ChunkedArray | Column] = {}
    said = list(noticed)
    for place, name in enumerate(names):
        report(0.6 + 0.4 * place / len(names), tr("Reading {name}", name=path.name))
        column, remarks = _column(table.column(place), name, path.name)
        if column is not None:
            made[name] = column
        said += remarks
    said += cut
    unsettled = Unsettled(made, path.name)
    words = tr("Parquet") if path.suffix.lower() in PARQUET else tr("Arrow")
    if any(pa.types.is_timestamp(f.type) and f.type.tz for f in table.schema):
        words += tr(", moments in UTC")
    return Reading(
        unsettled.in_kinds(kinds or {}),
        words,
        left_out=without_rows(len(table), path.name),
        changed=tuple(said),
        files=(stamp,),
        partial=partial,
        unsettled=unsettled,
    )


def _parquet(path: Path) -> Iterator[tuple[pa.Schema, int, pa.Table | None]]:
    import pyarrow.parquet as pq  # takes a while to load

    # INT96 has nanoseconds of any year, of which 64 bits hold only those of 1677 to 2262: Arrow
    # would wrap round
    with pq.ParquetFile(path, coerce_int96_timestamp_unit="us") as file:
        total = file.metadata.num_rows
        yield file.schema_arrow, total, None
        for group in range(file.num_row_groups):
            _require_true_count(path, file, group)
            yield file.schema_arrow, total, file.read_row_group(group)


def _require_true_count(path: Path, file: pq.ParquetFile, group: int) -> None:
    """Hold what the footer says of a group's rows against its pages: Arrow believes the footer.

    Raises
    ------
    SourceError
        There are other rows than the footer counts, which would be left out without a word.
    """
    said = file.metadata.row_group(group)
    # a list has other numbers of values than of rows
    flat = [n for n in range(said.num_columns) if not file.schema.column(n).max_repetition_level]
    for place in flat:
        column = said.column(place)
        there: int | None = column.num_values
        if there == said.num_rows and place == flat[0]:  # the others are held against the footer
            start = column.dictionary_page_offset or column.data_page_offset
            start = min(start, column.data_page_offset)
            with path.open("rb") as opened:
                there = values_in_pages(opened, start, start + column.total_compressed_size)
        if there is not None and there != said.num_rows:
            raise SourceError(
                tr(
                    "{path} is damaged: its part {group:,} is said to have "
                    "{rows}, but “{path_in_schema}” has "
                    "{values} there.",
                    path=path,
                    group=group + 1,
                    rows=counted(said.num_rows, "row"),
                    path_in_schema=column.path_in_schema,
                    values=counted(there, "value"),
                ),
                tr("Fetch or write it anew, and choose it again."),
            )


def _nanoseconds_of_int96(path: Path) -> Iterator[Noticed]:
    """Say which moments of Parquet's old type have nanoseconds, which are cut."""
    import pyarrow.parquet as pq

    with (
        pq.ParquetFile(path) as fine,
        pq.ParquetFile(path, coerce_int96_timestamp_unit="us") as kept,
    ):
        for place in range(len(fine.schema)):
            column = fine.schema.column(place)
            if column.physical_type != "INT96" or column.path != column.name:
                continue
            wide, narrow = (file.read([column.name])[column.name] for file in (kept, fine))
            # where a year is out of reach of nanoseconds, what came of them means nothing
            year = pc.year(wide)
            near = pc.and_(pc.greater(year, 1677), pc.less(year, 2262)).fill_null(False)
            finer = finer_than_kept(narrow.filter(near))
            far = int(pc.sum(pc.invert(near)).as_py() or 0) - wide.null_count
            if finer or far:
                values = counted(finer, "value")
                cut = tr(
                    "has {values} with nanoseconds, which are cut: microseconds stay", values=values
                )
                if not finer:
                    cut = tr(
                        "has {moments} far from now, kept to microseconds",
                        moments=counted(far, "moment"),
                    )
                yield Noticed(f"“{column.name}” {cut}.", finer or far)


def _arrow(
    path: Path, rows_at_most: int | None, report: Report
) -> Iterator[tuple[pa.Schema, int, pa.Table | None]]:
    most = str(-1 if rows_at_most is None else rows_at_most)
    for stream in parsed_apart(
        path, "arrow", most, report=report, doing=tr("Reading {name}", name=path.name)
    ):
        table = pa.ipc.open_stream(stream).read_all()
        yield table.schema, 0, table


def _gathered(
    parts: Iterator[tuple[pa.Schema, int, pa.Table | None]],
    path: Path,
    rows_at_most: int | None,
    report: Report,
) -> tuple[pa.Table, bool]:
    tables, rows, layout = [], 0, pa.schema([])
    for schema, total, table in parts:
        layout = schema
        if table is not None:
            table.validate(full=True)  # a damaged file could make Arrow read beyond its memory
            tables.append(table)
            rows += len(table)
            report(rows / max(total, rows, 1), tr("Reading {name}", name=path.name))
        if rows_at_most is not None and rows >= rows_at_most:
            whole = pa.concat_tables(tables).slice(0, rows_at_most)
            return whole, True
    return (pa.concat_tables(tables) if tables else layout.empty_table()), False


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
