"""Cells of a sheet as a table: the header found below titles, empty edges left out, totals told."""

from __future__ import annotations

import datetime as dt
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import pyarrow as pa

from keen_trellis.base.errors import SourceError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.data import Column, Kind
from keen_trellis.data.column_names import column_names
from keen_trellis.data.conversions.noticed import Noticed
from keen_trellis.data.conversions.python_values import column_of_values, value_text
from keen_trellis.data.conversions.written_forms import BLANK_WORDS
from keen_trellis.layouts.source_layouts import SheetLayout
from keen_trellis.read.reading import Reading, without_rows
from keen_trellis.read.settling import Unsettled, blanks_noticed
from keen_trellis.read.total_row import is_sum, labelled, told, why_total

_NUMBER = re.compile(r"[+-]?\d{1,3}([ ,\u00a0\u202f]?\d{3})*(\.\d+)?", re.ASCII)
_MARKS = re.compile(r"[ ,\u00a0\u202f]")
_DURATION = re.compile(r"PT(\d+)H(\d+)M(\d+(?:[.,]\d+)?)S")
_HEADER_WITHIN = 60
_YEARS = range(1900, 2101)

Row = list[Any]


def table_of_cells(
    rows: list[Row],
    layout: SheetLayout,
    where: str,
    spelled_out: bool,
    kinds: Mapping[str, Kind],
    report: Report,
) -> Reading:
    """Return what the rows of a sheet give as a table.

    Parameters
    ----------
    rows : list of lists
        Of equal lengths; an empty cell is an empty text.
    layout : SheetLayout
    where : str
        What the sheet is called in what is said.
    spelled_out : bool
        Whether long durations come as texts such as PT30H00M00S.
    kinds : mapping of column to kind
        Those that were chosen.
    report : Report

    Raises
    ------
    SourceError
        Nothing is filled.
    """
    filled = list(map(_n_filled, rows))
    place = _header_place(rows, filled) if layout.header_row is None else layout.header_row - 1
    if place is None or not any(filled[max(place, 0) :]):
        raise SourceError(
            tr("{where} is empty.", where=where), tr("Choose a sheet with a header and rows.")
        )
    below = filled[place + 1 :]
    kept = [row for row, n in zip(rows[place + 1 :], below, strict=True) if n]
    noticed = list(_blank_rows_noticed(below, where))
    header = rows[place] if place >= 0 else [""] * len(rows[0])
    # Turned by zip: rows are lists of one length, and Python does it in one call.
    columns = list(zip(*kept, strict=True)) if kept else [()] * len(header)
    # sheets are as wide as their widest row: what has neither name nor cell is no column
    used = [c for c, cells in enumerate(columns) if header[c] != "" or _n_filled(cells)]
    kept, totals = _without_total(kept, used, layout, where)
    names = [value_text(header[c]) if place >= 0 else f"column {c + 1}" for c in used]
    unique, renamed = column_names(names, where)
    made: dict[str, pa.ChunkedArray | Column] = {}
    words = BLANK_WORDS if layout.blanks is None else layout.blanks
    blanks: dict[str, dict[str, int]] = {}
    for done, (name, c) in enumerate(zip(unique, used, strict=True)):
        values = _values(columns[c][: len(kept)], spelled_out)
        values, found = _without_words(values, words, always=layout.blanks is not None)
        if found:
            blanks[name] = found
        made[name], seen = column_of_values(values, name)
        noticed += seen
        report(done / len(used), tr("Settling kinds of {where}", where=where))
    unsettled = Unsettled(made, where, guesses=blanks_noticed(blanks))
    settled = replace(layout, header_row=place + 1, blanks=_all_words(blanks, layout))
    return Reading(
        unsettled.in_kinds(kinds),
        _words(settled),
        left_out=(*totals, *without_rows(len(kept), where)),
        changed=(*renamed, *noticed),
        layout=settled,
        unsettled=unsettled,
    )


def _words(layout: SheetLayout) -> str:
    """Return a settled layout in words."""
    words = [
        tr("header in row {header_row}", header_row=layout.header_row)
        if layout.header_row
        else tr("no header")
    ]
    if layout.merged == "filled":
        words.append(tr("merged cells filled"))
    if layout.total_row == "left out":
        words.append(tr("total row left out"))
    return ", ".join(words)


def _header_place(rows: list[Row], filled: list[int]) -> int | None:
    """Return the row of the names, -1 where there is none; None where nothing is filled."""
    # How many cells most rows have; a header may lack a few of them, and a title has one or two.
    usual = Counter(n for n in filled if n).most_common(1)
    if not usual:
        return None
    widest = max(filled)
    enough = max(0.6 * usual[0][0], min(2, widest))
    for place, number in enumerate(filled[:_HEADER_WITHIN]):
        if number >= enough:
            return place if _names_columns(rows, place) else -1
    return filled.index(widest)


def _names_columns(rows: list[Row], place: int) -> bool:
    """Whether a row names the columns below it: words, or years, and not values like the rest."""
    cells = [cell for cell in rows[place] if cell != ""]
    if all(isinstance(cell, str) for cell in cells):
        return True
    others = [cell for cell in cells if not isinstance(cell, str)]
    if all(isinstance(c, int | float) and c in _YEARS for c in others) and len(others) > 1:
        return len(set(others)) == len(others)
    # A row is one of names where any of its cells is of another sort than the cell below it.
    below = rows[place + 1] if place + 1 < len(rows) else []
    pairs = zip(rows[place], below, strict=False)
    return any(type(a) is not type(b) for a, b in pairs if a != "" and b != "")


def _without_total(
    rows: list[Row], columns: Sequence[int], layout: SheetLayout, where: str
) -> tuple[list[Row], list[Noticed]]:
    """Leave out a row that sums up the others where that was chosen, or else propose it."""
    wanted_out = layout.total_row == "left out"
    why = _why_total(rows, columns)
    kept = rows[:-1] if why and wanted_out else rows
    return kept, told(why, where, wanted_out)


def _why_total(rows: list[Row], columns: Sequence[int]) -> str:
    """Return what makes the last row look like a total; empty where nothing does."""
    if len(rows) < 3:
        return ""
    last = [rows[-1][c] for c in columns]
    label = labelled(last)
    # A row that is filled throughout and not called a total is a row, whatever it adds up to.
    if not label and "" not in last:
        return ""
    sums = []
    for c, cell in zip(columns, last, strict=True):
        above = [figure for figure in (_figure(r[c]) for r in rows[:-1]) if figure is not None]
        figure = _figure(cell)
        if figure and len(above) > 1:
            sums.append(is_sum(figure, sum(above)))
    return why_total(label, sums, last.count(""))


def _figure(cell: Any) -> float | None:
    """Return the number in a cell, also where it is kept as text; None for no number."""
    if type(cell) in (int, float):
        return float(cell)
    if isinstance(cell, str) and _NUMBER.fullmatch(cell.strip()):
        return float(_MARKS.sub("", cell.strip()))
    return None


def _blank_rows_noticed(filled: list[int], where: str) -> tuple[Noticed, ...]:
    """Say how many blank rows between others were left out; those at the end are not worth it."""
    at_end = next((n for n, cells in enumerate(reversed(filled)) if cells), len(filled))
    inside = filled.count(0) - at_end
    if not inside:
        return ()
    rows = tr("1 blank row") if inside == 1 else tr("{inside:,} blank rows", inside=inside)
    return (Noticed(tr("{rows} of {where} left out.", rows=rows, where=where), inside),)


def _n_filled(cells: Sequence[Any]) -> int:
    """Return how many cells of a row or column are not empty."""
    return len(cells) - cells.count("")


def _values(cells: Sequence[Any], spelled_out: bool) -> Sequence[Any]:
    """Return cells as values: None for an empty one; long durations may be spelled out."""
    if str not in set(map(type, cells)):
        return cells
    values = [None if cell == "" else cell for cell in cells]
    if spelled_out and any(isinstance(v, str) and v.startswith("PT") for v in values):
        return [_duration(v) if isinstance(v, str) else v for v in values]
    return values


def _without_words(
    values: Sequence[Any], words: Sequence[str], always: bool
) -> tuple[Sequence[Any], dict[str, int]]:
    """Return values without the words for a blank, and how many of each there were.

    Words that were not chosen count only where all other values are of one kind that is no text.
    """
    # by Python's types: what the parser gave, before any kind is settled
    kinds = set(map(type, values)) - {type(None)}
    if str not in kinds:
        return values, {}
    texts = set(values) if kinds == {str} else {v for v in values if isinstance(v, str)}
    found = texts.intersection(words)
    if found:
        kinds = {type(value) for value in values if value is not None and value not in found}
    is_one_kind = kinds and str not in kinds and (len(kinds) == 1 or kinds <= {int, float})
    if not found or not (always or is_one_kind):
        return values, {}
    counts = Counter(value for value in values if isinstance(value, str) and value in found)
    rest = [None if isinstance(value, str) and value in found else value for value in values]
    return rest, dict(counts)


def _all_words(blanks: Mapping[str, Mapping[str, int]], layout: SheetLayout) -> tuple[str, ...]:
    if layout.blanks is not None:
        return layout.blanks
    return tuple(dict.fromkeys(word for found in blanks.values() for word in found))


def _duration(text: str) -> Any:
    found = _DURATION.fullmatch(text)
    if found is None:
        return text
    hours, minutes, seconds = found.groups()
    second = float(seconds.replace(",", "."))
    return dt.timedelta(hours=int(hours), minutes=int(minutes), seconds=second)
