"""Parquet files: what their footer says, their parts, and one column of theirs for itself."""

from __future__ import annotations

import datetime as dt
import itertools
import os
from collections.abc import Container, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.base.errors import SourceError
from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.data import Kind
from keen_trellis.data.column import DIGITS_AT_MOST, finer_than_kept, kind_of_arrow
from keen_trellis.data.conversions.noticed import Noticed
from keen_trellis.read.parquet_pages import values_in_pages

if TYPE_CHECKING:
    import pyarrow.parquet as pq

_ROWS_WORTH_PARTING = 100_000
_SMALL_DICTIONARY = 1 << 16
"""In bytes as they lie packed; writers give up on dictionaries of a megabyte."""


def kinds_told(path: Path) -> dict[str, Kind]:
    """Return the kinds of the columns of which every value is of the kind that the footer says.

    One that is not there has to be read for its kind: nested values, bytes and long decimals
    become text or nothing, and so do dates outside of the years 1 to 9999 where there are any.

    Raises
    ------
    pyarrow.ArrowException, OSError
        It is no Parquet file, or damaged.
    """
    import pyarrow.parquet as pq  # takes a while to load

    with pq.ParquetFile(path) as file:
        layout = file.schema_arrow
        paths = [file.schema.column(place).path for place in range(len(file.schema))]
        told: dict[str, Kind] = {}
        if len(set(layout.names)) < len(layout.names):  # one cannot be asked for by its name
            return told
        for name in layout.names:
            # Arrow takes a name for the beginning of a path, too: “a” means “a.b” as well. Only
            # where it means one column can that one be asked for by its name.
            meant = [n for n, one in enumerate(paths) if one == name or one.startswith(f"{name}.")]
            if len(meant) != 1:
                continue
            if file.schema.column(meant[0]).physical_type == "INT96":  # has no calendar to ask
                continue
            kind = _kind_told(layout.field(name).type, _statistics(file, meant[0]))
            if kind is not None:
                told[name] = kind
    return told


def _statistics(file: pq.ParquetFile, place: int) -> Iterator[Any]:
    for group in range(file.num_row_groups):
        yield file.metadata.row_group(group).column(place).statistics


def _kind_told(stored: pa.DataType, statistics: Iterator[Any]) -> Kind | None:
    types = pa.types
    if types.is_dictionary(stored) and not _is_text(stored.value_type):
        return None
    if types.is_dictionary(stored) or _is_text(stored):
        return Kind.TEXT
    if types.is_decimal(stored):
        fits = stored.precision <= DIGITS_AT_MOST and stored.scale >= 0
        return Kind.EXACT if fits else None
    if types.is_boolean(stored) or types.is_integer(stored) or types.is_floating(stored):
        return kind_of_arrow(stored)
    if types.is_time(stored):
        return Kind.TIME
    if types.is_date(stored) or types.is_timestamp(stored):
        # 64 bits of nanoseconds end in the year 2262
        is_near = types.is_timestamp(stored) and stored.unit == "ns"
        return kind_of_arrow(stored) if is_near or all(map(_in_calendar, statistics)) else None
    return None


def _is_text(stored: pa.DataType) -> bool:
    types = pa.types
    return bool(
        types.is_string(stored) or types.is_large_string(stored) or types.is_string_view(stored)
    )


def _in_calendar(statistics: Any) -> bool:
    """Return whether a part's least and greatest date are dates of years with four digits."""
    if statistics is None:
        return False
    if not statistics.has_min_max:
        return bool(statistics.has_null_count) and not statistics.num_values
    try:
        ends = statistics.min, statistics.max
    except (ValueError, OverflowError, pa.ArrowException):  # no date that Python can hold
        return False
    return all(isinstance(end, dt.date) for end in ends)


def parquet_parts(
    path: Path, late: Container[str]
) -> Iterator[tuple[pa.Schema, int, int, pa.Table | None]]:
    """Yield the layout, all rows, a part's rows, and its columns but for those that come late.

    Raises
    ------
    SourceError
        Its footer counts other rows than there are.
    pyarrow.ArrowException, OSError
        It is no Parquet file, or damaged.
    """
    with _opened(path) as file:
        total, layout = file.metadata.num_rows, file.schema_arrow
        yield layout, total, 0, None
        now = [name for name in layout.names if name not in late]
        wanted = now if len(now) < len(layout) else None  # None: all, also two of one name
        for group in range(file.num_row_groups):
            _require_true_count(path, file, group)
            n_rows = file.metadata.row_group(group).num_rows
            yield layout, total, n_rows, file.read_row_group(group, columns=wanted)


def parquet_column(path: Path, name: str) -> pa.ChunkedArray:
    """Return the values of one column, of which every part is read for itself, on all cores.

    Raises
    ------
    pyarrow.ArrowException, OSError
        It is no Parquet file, or damaged.
    """
    with _opened(path) as file:
        layout, metadata = file.schema_arrow.field(name), file.metadata
        groups = range(file.num_row_groups)
        if metadata.num_rows < _ROWS_WORTH_PARTING or len(groups) < 2:
            return _checked(file.read([name]))

    def read(some: Sequence[int]) -> pa.ChunkedArray:
        # a reader of its own: none is safe in two threads; the footer is not parsed again
        with _opened(path, metadata) as own:
            return _checked(own.read_row_groups(some, [name], use_threads=False))

    cores = min(os.cpu_count() or 1, len(groups))
    cuts = [len(groups) * n // cores for n in range(cores + 1)]
    with ThreadPoolExecutor(cores) as threads:
        parts = threads.map(read, (groups[a:b] for a, b in itertools.pairwise(cuts)))
        chunks = [chunk for part in parts for chunk in part.chunks]
    return pa.chunked_array(chunks, chunks[0].type if chunks else layout.type)


def _checked(table: pa.Table) -> pa.ChunkedArray:
    column = table.column(0)
    # A damaged file could make Arrow read beyond its memory where values lie behind offsets or
    # codes; numbers and dates lie side by side, and any bits are one.
    column.validate(full=not pa.types.is_primitive(column.type))
    return column


def _opened(path: Path, metadata: Any = None) -> pq.ParquetFile:
    """Return a file whose texts come coded where they lie coded, and whose old moments fit."""
    import pyarrow.parquet as pq  # takes a while to load

    if metadata is None:
        metadata = pq.read_metadata(path)
    return pq.ParquetFile(
        path,
        metadata=metadata,
        read_dictionary=_coded(metadata),
        # INT96 has nanoseconds of any year, of which 64 bits hold only those of 1677 to 2262:
        # Arrow would wrap round
        coerce_int96_timestamp_unit="us",
    )


def _coded(metadata: pq.FileMetaData) -> list[str]:
    """Return the texts of few values, which are codes of a dictionary in every part of the file.

    Writers give up on a dictionary once it is large, in the middle of a part if need be; of a
    small one that is certain. What is not here is written out by Arrow, and coded by us.
    """
    coded = []
    for place in range(metadata.num_columns):
        column = metadata.schema.column(place)
        if column.logical_type.type != "STRING" or column.max_repetition_level:
            continue
        parts = (metadata.row_group(n).column(place) for n in range(metadata.num_row_groups))
        if all(map(_is_small, parts)):
            coded.append(column.path)
    return coded


def _is_small(part: pq.ColumnChunkMetaData) -> bool:
    if not part.has_dictionary_page or part.dictionary_page_offset is None:
        return False
    return bool(0 < part.data_page_offset - part.dictionary_page_offset < _SMALL_DICTIONARY)


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


def nanoseconds_of_int96(path: Path) -> Iterator[Noticed]:
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
