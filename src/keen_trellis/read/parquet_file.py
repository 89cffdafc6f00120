"""Parquet files: what their footer says, their parts, and one column of theirs for itself.

Arrow's C++ throws over some damaged footers where Python cannot catch it, which ends the process.
What it reads by itself it refuses in an error. So nothing here asks Arrow for the footer of a
column before its values were read; what is to be known before, `parquet_thrift` reads.
"""

from __future__ import annotations

import itertools
import os
from collections.abc import Container, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import TYPE_CHECKING

import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.base.errors import SourceError
from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.data import Kind
from keen_trellis.data.column import DIGITS_AT_MOST, finer_than_kept, kind_of_arrow
from keen_trellis.data.conversions.noticed import Noticed
from keen_trellis.read import parquet_thrift as thrift
from keen_trellis.read.parquet_thrift import ColumnPart, Part, values_in_pages

if TYPE_CHECKING:
    import pyarrow.parquet as pq

_ROWS_WORTH_PARTING = 100_000
_SMALL_DICTIONARY = 1 << 16
"""In bytes as they lie packed; writers give up on dictionaries of a megabyte."""


def footer_of(path: Path) -> list[Part]:
    """Return what a footer says of the parts; nothing where it is damaged, or too long to look.

    Raises
    ------
    OSError
    """
    try:
        return thrift.footer_of(path)
    except thrift.FooterError:  # whoever reads the values says what is wrong
        return []


def kinds_told(path: Path, footer: Sequence[Part]) -> dict[str, Kind]:
    """Return the kinds of the columns of which every value is of the kind that the footer says.

    One that is not there has to be read for its kind: nested values, bytes and long decimals
    become text or nothing, and so do dates outside of the years 1 to 9999 where there are any.

    Raises
    ------
    pyarrow.ArrowException, OSError
        It is no Parquet file, or damaged.
    """
    import pyarrow.parquet as pq  # takes a while to load

    layout = pq.read_schema(path)
    told: dict[str, Kind] = {}
    if not footer or len(set(layout.names)) < len(layout.names):  # two cannot be told by name
        return told
    for name in layout.names:
        # Arrow takes a name for the beginning of a path, too: “a” means “a.b” as well. Only where
        # it means one column can that one be asked for by its name.
        meant = [
            place
            for place, one in enumerate(footer[0].columns)
            if one.path == name or one.path.startswith(f"{name}.")
        ]
        if len(meant) != 1 or footer[0].columns[meant[0]].is_int96:  # of any year
            continue
        is_near = all(part.columns[meant[0]].in_calendar for part in footer)
        kind = _kind_told(layout.field(name).type, is_near)
        if kind is not None:
            told[name] = kind
    return told


def _kind_told(stored: pa.DataType, in_calendar: bool) -> Kind | None:
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
        return kind_of_arrow(stored) if is_near or in_calendar else None
    return None


def _is_text(stored: pa.DataType) -> bool:
    types = pa.types
    return bool(
        types.is_string(stored) or types.is_large_string(stored) or types.is_string_view(stored)
    )


def coded_texts(footer: Sequence[Part]) -> list[str]:
    """Return the texts of few values, which are codes of a dictionary in every part of the file.

    Writers give up on a dictionary once it is large, in the middle of a part if need be; of a
    small one that is certain. What is not here is written out by Arrow, and coded by us.
    """
    coded = []
    for place, first in enumerate(footer[0].columns if footer else ()):
        parts = (part.columns[place] for part in footer)
        # within another column it would change the type of that one
        is_own_text = first.is_text and "." not in first.path
        if is_own_text and all(0 < one.dictionary < _SMALL_DICTIONARY for one in parts):
            coded.append(first.path)
    return coded


def parquet_parts(
    path: Path, late: Container[str], footer: Sequence[Part]
) -> Iterator[tuple[pa.Schema, int, int, pa.Table | None]]:
    """Yield the layout, all rows, a part's rows, and its columns but for those that come late.

    Parameters
    ----------
    path : Path
    late : container of str
    footer : sequence of Part
        Empty where nobody could look at it: then no column is late.

    Raises
    ------
    SourceError
        Its footer counts other rows than there are.
    pyarrow.ArrowException, OSError
        It is no Parquet file, or damaged.
    """
    with _opened(path, coded_texts(footer)) as file:
        total, layout = file.metadata.num_rows, file.schema_arrow
        yield layout, total, 0, None
        now = [name for name in layout.names if name not in late]
        wanted = now if len(now) < len(layout) else None  # None: all, also two of one name
        if footer and len(footer) != file.num_row_groups:
            raise ValueError("Arrow counts other parts.")
        for group in range(file.num_row_groups):
            table = file.read_row_group(group, columns=wanted)
            part = footer[group] if footer else _part(file, group)
            _require_true_count(path, group, part)
            yield layout, total, part.rows, table


def _part(file: pq.ParquetFile, group: int) -> Part:
    """Return what Arrow says of a part, as far as its rows are counted by it.

    All its values have been read: only now this ends no process.
    """
    said = file.metadata.row_group(group)
    columns = []
    for place in range(said.num_columns):
        column, schema = said.column(place), file.schema.column(place)
        start = column.dictionary_page_offset or column.data_page_offset
        start = min(start, column.data_page_offset)
        end = start + column.total_compressed_size
        is_repeated = schema.max_repetition_level > 0
        columns.append(
            ColumnPart(schema.path, False, False, is_repeated, column.num_values, start, end)
        )
    return Part(said.num_rows, tuple(columns))


def parquet_column(path: Path, name: str, is_coded: bool) -> pa.ChunkedArray:
    """Return the values of one column, of which every part is read for itself, on all cores.

    Raises
    ------
    pyarrow.ArrowException, OSError
        It is no Parquet file, or damaged.
    """
    coded = [name] if is_coded else []
    with _opened(path, coded) as file:
        layout, metadata = file.schema_arrow.field(name), file.metadata
        groups = range(file.num_row_groups)
        if metadata.num_rows < _ROWS_WORTH_PARTING or len(groups) < 2:
            return _checked(file.read([name]))

    def read(some: Sequence[int]) -> pa.ChunkedArray:
        # a reader of its own: none is safe in two threads; the footer is not parsed again
        with _opened(path, coded, metadata) as own:
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


def _opened(
    path: Path, coded: Sequence[str], metadata: pq.FileMetaData | None = None
) -> pq.ParquetFile:
    """Return a file of which some texts come as they lie coded, and whose old moments fit."""
    import pyarrow.parquet as pq  # takes a while to load

    return pq.ParquetFile(
        path,
        metadata=metadata,
        read_dictionary=list(coded),
        # INT96 has nanoseconds of any year, of which 64 bits hold only those of 1677 to 2262:
        # Arrow would wrap round
        coerce_int96_timestamp_unit="us",
    )


def _require_true_count(path: Path, group: int, part: Part) -> None:
    """Hold what the footer says of a part's rows against its pages: Arrow believes the footer.

    Raises
    ------
    SourceError
        There are other rows than the footer counts, which would be left out without a word.
    """
    # a list has other numbers of values than of rows
    flat = [column for column in part.columns if not column.is_repeated]
    for place, column in enumerate(flat):
        there: int | None = column.values
        if there == part.rows and not place:  # the others are held against the footer
            with path.open("rb") as opened:
                there = values_in_pages(opened, column.start, column.end)
        if there is not None and there != part.rows:
            raise SourceError(
                tr(
                    "{path} is damaged: its part {group:,} is said to have "
                    "{rows}, but “{path_in_schema}” has "
                    "{values} there.",
                    path=path,
                    group=group + 1,
                    rows=counted(part.rows, "row"),
                    path_in_schema=column.path,
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
