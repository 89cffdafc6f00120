"""A folder as one table: the rows of all files of a pattern, put together by column name."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from keen_trellis.base.errors import SourceError
from keen_trellis.base.file_stamps import FileStamp, unwritten
from keen_trellis.base.folders import files_of, folder_stamps
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.base.words import as_text, first_free
from keen_trellis.data import Column, Kind, from_arrow
from keen_trellis.data.conversions.conversion import in_common_kind
from keen_trellis.data.conversions.noticed import Noticed, Reread
from keen_trellis.data.stacking import stack_columns
from keen_trellis.layouts.source_layouts import SheetLayout, TextLayout
from keen_trellis.read import columnar, workbook
from keen_trellis.read.columnar import read_columnar
from keen_trellis.read.delimited import Texts, read_texts
from keen_trellis.read.reading import Reading, SetApart, without_rows
from keen_trellis.read.settling import Unsettled
from keen_trellis.read.text_columns import unsettled_texts, with_blanks
from keen_trellis.read.text_layout import layout_words
from keen_trellis.read.workbook import read_sheet, sheet_names

_ALIKE = 70


@dataclass(frozen=True, slots=True)
class _How:
    """How each file is read: the sheet of a workbook, the layouts, how many rows at most."""

    sheet: str | None
    text: TextLayout
    cells: SheetLayout
    rows_at_most: int | None


@dataclass(frozen=True, slots=True, eq=False)
class _Piece:
    """The rows of one file, as texts or as columns."""

    name: str
    columns: dict[str, pa.ChunkedArray | Column]
    n_rows: int
    layout: Any
    noticed: tuple[Noticed, ...]
    set_apart: tuple[SetApart, ...] = ()


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
    taken_as: Mapping[str, str] | None = None,
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
    taken_as : mapping of name to name, optional
        What a column is called in some files, by the name that it has in the others.

    Raises
    ------
    SourceError
        The folder is not there, has no such file, or none of them can be read.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    how = _How(sheet, text, cells, rows_at_most)
    # the list of files is stamped with them: one that comes or goes meanwhile is a change as well
    stamps, pieces, failed = unwritten(
        partial(folder_stamps, folder, pattern),
        partial(_read_files, folder, pattern, how=how, report=part(report, 0.0, 0.7)),
    )
    if not pieces:
        raise failed[0]
    pieces = [_called(piece, taken_as or {}) for piece in pieces]
    report(0.7, tr("Putting {name} together", name=folder.name))
    unsettled, settled = _put_together(pieces, folder.name, file_column)
    unread = [
        Noticed(
            tr("A file is left out since it cannot be read. {happened}", happened=error.happened), 1
        )
        for error in failed
    ]
    empty = without_rows(
        sum(piece.n_rows for piece in pieces), tr("The folder {name}", name=folder.name)
    )
    files = tr("1 file") if len(pieces) == 1 else tr("{pieces:,} files", pieces=len(pieces))
    columns = unsettled.in_kinds(kinds or {}, part(report, 0.7, 1.0))
    if isinstance(settled, TextLayout):
        settled = with_blanks(settled, columns)
    return Reading(
        columns,
        f"{files}, {layout_words(settled)}" if isinstance(settled, TextLayout) else files,
        left_out=(*unread, *_missing(pieces, taken_as or {}), *empty),
        changed=tuple(noticed for piece in pieces for noticed in piece.noticed),
        layout=settled,
        set_apart=tuple(apart for piece in pieces for apart in piece.set_apart),
        files=stamps,
        partial=rows_at_most is not None and any(p.n_rows >= rows_at_most for p in pieces),
        unsettled=unsettled,
    )


def _read_files(
    folder: Path, pattern: str, how: _How, report: Report
) -> tuple[tuple[FileStamp, ...], list[_Piece], list[SourceError]]:
    """Return the files of a pattern, the rows of those that can be read, and why others cannot."""
    paths = files_of(folder, pattern)
    if not paths:
        raise SourceError(
            tr(
                "The folder {folder} has no file with a name like {pattern}.",
                folder=folder,
                pattern=pattern,
            ),
            tr("Choose another pattern, or another folder."),
        )
    stamps = tuple(FileStamp.of(path) for path in paths)
    return stamps, *_pieces(paths, folder, how, report)


def _pieces(
    paths: Sequence[Path], folder: Path, how: _How, report: Report
) -> tuple[list[_Piece], list[SourceError]]:
    """Return the rows of every file under a name of its own, and why some cannot be read."""
    # Files of one name in several folders are told apart by their way from the folder; else the
    # name says it.
    repeats = len({path.name for path in paths}) < len(paths)
    pieces: list[_Piece] = []
    failed: list[SourceError] = []
    for number, path in enumerate(paths):
        share = part(report, number / len(paths), (number + 1) / len(paths))
        name = as_text(str(path.relative_to(folder)) if repeats else path.name)
        try:
            pieces.append(replace(_piece(path, how, share), name=name))
        except SourceError as error:
            failed.append(error)
    return pieces, failed


def _piece(path: Path, how: _How, report: Report) -> _Piece:
    ending = path.suffix.lower()
    if ending in workbook.ENDINGS:
        sheet = how.sheet or sheet_names(path)[0]
        return _columns_piece(path, read_sheet(path, sheet, how.cells, report))
    if ending in columnar.ENDINGS:
        return _columns_piece(path, read_columnar(path, report))
    texts: Texts = read_texts(path, how.text, report, how.rows_at_most)
    columns = dict(zip(texts.names, texts.columns, strict=True))
    return _Piece(
        path.name,
        columns,
        texts.n_rows,
        layout=texts.layout,
        noticed=texts.noticed,
        set_apart=texts.set_apart,
    )


def _columns_piece(path: Path, reading: Reading) -> _Piece:
    table = reading.table
    columns: dict[str, pa.ChunkedArray | Column] = {f.name: table.fetch(f) for f in table.fields}
    return _Piece(path.name, columns, len(table), layout=reading.layout, noticed=reading.noticed)


def _put_together(
    pieces: Sequence[_Piece], where: str, file_column: str | None
) -> tuple[Unsettled, Any]:
    """Return the columns of all files, and how they are laid out; kinds are still to be found.

    Texts stay texts as long as all are, so that their kind is found over all files at once.
    """
    names = _names(pieces)
    layout = pieces[0].layout
    # Texts as long as every file gives texts; with one workbook among them each file has kinds
    # already.
    if all(isinstance(c, pa.ChunkedArray) for p in pieces for c in p.columns.values()):
        # one file writes 1,234 and another 1.234: kinds and marks are settled over all of them
        texts = [_stacked_texts(pieces, name) for name in names]
        together, found = unsettled_texts(names, texts, layout, where)
        layout = replace(found, header_row=layout.header_row, encoding=layout.encoding)
    else:
        together = Unsettled({name: _stacked_columns(pieces, name) for name in names}, where)
    gaps = {name: _without(pieces, name) for name in names}
    files = {first_free(file_column, names): _file_column(pieces)} if file_column else {}
    return (
        replace(
            together,
            came={**files, **together.came},
            gaps={name: rows for name, rows in gaps.items() if rows.any()},
        ),
        layout,
    )


def _names(pieces: Sequence[_Piece]) -> list[str]:
    return list(dict.fromkeys(name for piece in pieces for name in piece.columns))


def _stacked_texts(pieces: Sequence[_Piece], name: str) -> pa.ChunkedArray:
    chunks: list[pa.StringArray] = []
    for piece in pieces:
        column = piece.columns.get(name)
        # null here; which rows lack the column is kept beside, and makes gaps of them
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


def _without(pieces: Sequence[_Piece], name: str) -> NDArray[np.bool_]:
    """Return for every row whether its file does not have a column."""
    return np.repeat([name not in p.columns for p in pieces], [p.n_rows for p in pieces])


def _called(piece: _Piece, taken_as: Mapping[str, str]) -> _Piece:
    """Return a file's rows with columns under the names that they have in the other files."""
    names = {
        old: new
        for old, new in taken_as.items()
        if old in piece.columns and new not in piece.columns
    }
    columns = {names.get(name, name): column for name, column in piece.columns.items()}
    return replace(piece, columns=columns)


def _meant(name: str, pieces: Sequence[_Piece], without: Sequence[_Piece]) -> str:
    """Return what may be another name of a column in the files that lack it; empty for none.

    It is in all of these, in none that has the column, and called alike or the only one.
    """
    # a column that stands beside this one in some file is another column
    having = {one for piece in pieces if name in piece.columns for one in piece.columns}
    others = [one for one in without[0].columns if one not in having]
    others = [one for one in others if all(one in piece.columns for piece in without)]
    if len(others) == 1:
        return others[0]
    from rapidfuzz import fuzz, utils

    alike = [(fuzz.WRatio(name, one, processor=utils.default_process), one) for one in others]
    score, likely = max(alike, default=(0.0, ""))
    return likely if score >= _ALIKE else ""


def _missing(pieces: Sequence[_Piece], taken_as: Mapping[str, str]) -> list[Noticed]:
    """Say which columns some files lack, those first that may only be called otherwise there."""
    said = []
    meant: dict[str, str] = {}
    for name in _names(pieces):
        without = [piece for piece in pieces if name not in piece.columns]
        if without:
            some = ", ".join(piece.name for piece in without[:3])
            more = tr(" and {without:,} more", without=len(without) - 3) if len(without) > 3 else ""
            text = tr(
                "“{name}” is not in {some}{more}: gaps in the rows from there.",
                name=name,
                some=some,
                more=more,
            )
            other = "" if name in meant.values() else _meant(name, pieces, without)
            remedy = None
            if other:
                meant[name] = other
                text = tr("{text} “{other}” there may be the same.", text=text, other=other)
                names = {"taken_as": {**taken_as, other: name}}
                remedy = Reread(
                    tr("Take “{other}” as “{name}”", other=other, name=name), layout=names
                )
            said.append(Noticed(text, sum(piece.n_rows for piece in without), remedy))
    return sorted(said, key=lambda one: one.remedy is None)


def _file_column(pieces: Sequence[_Piece]) -> Column:
    names = from_arrow(pa.array([piece.name for piece in pieces], pa.string()))
    # One text for each file, however many rows it has.
    return names.take(np.repeat(np.arange(len(pieces)), [piece.n_rows for piece in pieces]))
