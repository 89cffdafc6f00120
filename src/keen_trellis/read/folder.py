"""A folder as one table: the rows of all files of a pattern, put together by column name."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

from keen_trellis.data import GAP, Column, Kind, Table, from_arrow
from keen_trellis.data.conversion import in_common_kind
from keen_trellis.data.kind_changes import Unfit, changed_kind
from keen_trellis.data.stacking import stack_columns
from keen_trellis.errors import MissingFileError, SourceError, reason
from keen_trellis.progress import Report, part, quiet
from keen_trellis.read import columnar, workbook
from keen_trellis.read.columnar import read_columnar
from keen_trellis.read.delimited import Texts, read_texts
from keen_trellis.read.reading import FileStamp, Noticed, Reading, SetApart, without_rows
from keen_trellis.read.text_columns import columns_of_texts
from keen_trellis.read.text_layout import TextLayout, layout_words
from keen_trellis.read.workbook import SheetLayout, read_sheet, sheet_names
from keen_trellis.words import first_free

_PASSING = ("~$", ".~", ".")
"""How the names of files begin that other programs keep while they work."""


@dataclass(frozen=True, slots=True, eq=False)
class _Piece:
    """The rows of one file, as texts or as columns."""

    name: str
    columns: dict[str, pa.ChunkedArray | Column]
    n_rows: int
    layout: Any
    noticed: tuple[Noticed, ...]
    set_apart: tuple[SetApart, ...] = ()


def files_of(folder: Path, pattern: str) -> list[Path]:
    """Return the files of a folder whose names have a pattern, by name.

    Raises
    ------
    SourceError
        The folder is not there, or may not be looked into.
    """
    if not folder.exists():
        raise MissingFileError(folder, "folder")
    try:
        found = [p for p in folder.glob(pattern or "*") if p.is_file()]
    except (OSError, ValueError, NotImplementedError) as error:
        why = reason(error) if isinstance(error, OSError) else str(error)
        raise SourceError(
            f"The folder {folder} cannot be looked into with “{pattern}”: {why}.",
            "See that you may read it, and that the pattern is one such as *.csv.",
        ) from error
    return sorted(p for p in found if not p.name.startswith(_PASSING))


def read_folder(
    folder: Path,
    pattern: str = "*.csv",
    file_column: str | None = "file",
    sheet: str | None = None,
    text: TextLayout = TextLayout(),
    cells: SheetLayout = SheetLayout(),
    report: Report = quiet,
    kinds: Mapping[str, Kind] | None = None,
    rows_at_most: int | None = None,
) -> Reading:
    """Return the rows of all files of a folder, columns of one name below each other.

    A column that a file does not have is a gap in its rows. Kinds of texts are settled over all
    files together. A file that cannot be read is told of, and the others stay.

    Parameters
    ----------
    folder : Path
    pattern : str
        Which files, by name: `*.csv`, `2026-*.xlsx`.
    file_column : str or None
        The column that says which file each row is from; None for none.
    sheet : str, optional
        With workbooks the sheet to take; the first one where not given.
    text, cells
        How delimited texts and sheets are laid out.
    report : Report
    kinds : mapping of column to kind, optional
    rows_at_most : int, optional
        Reads so many rows of each file at most.

    Raises
    ------
    SourceError
        The folder is not there, has no such file, or none of them can be read.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    paths = files_of(folder, pattern)
    stamps = tuple(FileStamp.of(path) for path in paths)
    if not paths:
        raise SourceError(
            f"The folder {folder} has no file with a name like {pattern}.",
            "Choose another pattern, or another folder.",
        )
    repeats = len({path.name for path in paths}) < len(paths)
    names_of = {p: str(p.relative_to(folder)) if repeats else p.name for p in paths}
    pieces: list[_Piece] = []
    failed: list[SourceError] = []
    for number, path in enumerate(paths):
        share = part(report, 0.7 * number / len(paths), 0.7 * (number + 1) / len(paths))
        try:
            piece = _piece(path, sheet, text, cells, share, rows_at_most)
            pieces.append(replace(piece, name=names_of[path]))
        except SourceError as error:
            failed.append(error)
    if not pieces:
        raise failed[0]
    names = list(dict.fromkeys(name for piece in pieces for name in piece.columns))
    settled, columns, noticed, unfit = _together(
        pieces, names, kinds or {}, folder.name, part(report, 0.7, 1.0)
    )
    unread = [
        Noticed(f"A file is left out since it cannot be read. {error.happened}", 1)
        for error in failed
    ]
    n_rows = sum(piece.n_rows for piece in pieces)
    said = [*unread, *_missing(pieces, names), *without_rows(n_rows, f"The folder {folder.name}")]
    if file_column is not None:
        columns = {first_free(file_column, names): _file_column(pieces), **columns}
    files = "1 file" if len(pieces) == 1 else f"{len(pieces):,} files"
    return Reading(
        Table.of(columns),
        ", ".join([files, *([layout_words(settled)] if isinstance(settled, TextLayout) else [])]),
        (*said, *noticed, *(n for piece in pieces for n in piece.noticed)),
        settled,
        unfit,
        tuple(apart for piece in pieces for apart in piece.set_apart),
        stamps,
        rows_at_most is not None and any(p.n_rows >= rows_at_most for p in pieces),
    )


def _piece(
    path: Path,
    sheet: str | None,
    text: TextLayout,
    cells: SheetLayout,
    report: Report,
    rows_at_most: int | None,
) -> _Piece:
    ending = path.suffix.lower()
    if ending in workbook.ENDINGS:
        reading = read_sheet(path, sheet or sheet_names(path)[0], cells, report)
        return _columns_piece(path, reading)
    if ending in columnar.ENDINGS:
        return _columns_piece(path, read_columnar(path, report))
    texts: Texts = read_texts(path, text, report, rows_at_most)
    columns = dict(zip(texts.names, texts.columns, strict=True))
    return _Piece(path.name, columns, texts.n_rows, texts.layout, texts.noticed, texts.set_apart)


def _columns_piece(path: Path, reading: Reading) -> _Piece:
    table = reading.table
    columns: dict[str, pa.ChunkedArray | Column] = {f.name: table.fetch(f) for f in table.fields}
    return _Piece(path.name, columns, len(table), reading.settled, reading.noticed)


def _together(
    pieces: Sequence[_Piece],
    names: Sequence[str],
    kinds: Mapping[str, Kind],
    where: str,
    report: Report,
) -> tuple[Any, dict[str, Column], tuple[Noticed, ...], tuple[Unfit, ...]]:
    if all(isinstance(c, pa.ChunkedArray) for p in pieces for c in p.columns.values()):
        texts = [_stacked_texts(pieces, name) for name in names]
        made = columns_of_texts(names, texts, pieces[0].layout, kinds, where, report)
        columns = {name: _with_gaps(made.columns[name], pieces, name) for name in names}
        layout = replace(
            made.layout, header_row=pieces[0].layout.header_row, encoding=pieces[0].layout.encoding
        )
        return layout, columns, made.noticed, made.unfit
    columns, unfit = {}, []
    for place, name in enumerate(names):
        report(place / len(names), f"Putting {where} together")
        column = _stacked_columns(pieces, name)
        if name in kinds:
            column, lost = changed_kind(column, kinds[name], name)
            unfit += [lost] if lost else []
        columns[name] = _with_gaps(column, pieces, name)
    return pieces[0].layout, columns, (), tuple(unfit)


def _stacked_texts(pieces: Sequence[_Piece], name: str) -> pa.ChunkedArray:
    chunks: list[pa.StringArray] = []
    for piece in pieces:
        column = piece.columns.get(name)
        absent = pa.chunked_array([pa.nulls(piece.n_rows, pa.string())])
        chunks += (column if isinstance(column, pa.ChunkedArray) else absent).chunks
    return pa.chunked_array(chunks, pa.string())


def _stacked_columns(pieces: Sequence[_Piece], name: str) -> Column:
    """Return one column of all files, in the narrowest kind that takes the kinds of all of them."""
    nothing = [from_arrow(pa.nulls(piece.n_rows)) for piece in pieces]
    found = [_as_column(p.columns.get(name, n)) for p, n in zip(pieces, nothing, strict=True)]
    return stack_columns(in_common_kind(found))


def _as_column(column: pa.ChunkedArray | Column) -> Column:
    return column if isinstance(column, Column) else from_arrow(column)


def _with_gaps(column: Column, pieces: Sequence[_Piece], name: str) -> Column:
    """Return a column in which the rows of files that do not have it are gaps."""
    if all(name in piece.columns for piece in pieces):
        return column
    state = np.zeros(len(column), np.uint8) if column.state is None else column.state.copy()
    start = 0
    for piece in pieces:
        if name not in piece.columns:
            state[start : start + piece.n_rows] = GAP
        start += piece.n_rows
    return Column(column.kind, column.values, state, column.dictionary, column.scale)


def _missing(pieces: Sequence[_Piece], names: Sequence[str]) -> list[Noticed]:
    said = []
    for name in names:
        without = [piece for piece in pieces if name not in piece.columns]
        if without:
            some = ", ".join(piece.name for piece in without[:3])
            more = f" and {len(without) - 3:,} more" if len(without) > 3 else ""
            text = f"“{name}” is not in {some}{more}: gaps in the rows from there."
            said.append(Noticed(text, sum(piece.n_rows for piece in without)))
    return said


def _file_column(pieces: Sequence[_Piece]) -> Column:
    names = from_arrow(pa.array([piece.name for piece in pieces], pa.string()))
    return names.take(np.repeat(np.arange(len(pieces)), [piece.n_rows for piece in pieces]))
