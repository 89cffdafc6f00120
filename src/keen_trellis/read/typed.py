"""Tables typed in or pasted, which are kept in the document itself."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence

import pyarrow as pa

from keen_trellis.base.errors import SourceError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.data import Kind
from keen_trellis.data.column_names import column_names
from keen_trellis.layouts.source_layouts import TextLayout
from keen_trellis.read.reading import Reading, without_rows
from keen_trellis.read.text_columns import unsettled_texts


def read_typed(
    columns: Sequence[str],
    rows: Sequence[Sequence[str]],
    report: Report = quiet,
    kinds: Mapping[str, Kind] | None = None,
) -> Reading:
    """Return rows typed in as texts; empty cells are blanks, and rows without any are left out.

    >>> read_typed(["month", "days"], [["2026-01", "31"]]).table.field("days").kind
    <Kind.INTEGER: 'integer'>

    Raises
    ------
    SourceError
        There is no column.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    if not columns:
        raise SourceError(
            tr("The typed table has no columns yet."), tr("Type or paste some cells.")
        )
    names, noticed = column_names(columns, tr("the typed table"))
    filled = [row for row in rows if any(cell.strip() for cell in row)]
    texts = [
        pa.chunked_array([[_cell(row, place) for row in filled]], pa.string())
        for place in range(len(names))
    ]
    unsettled, _ = unsettled_texts(names, texts, TextLayout(), tr("the typed table"))
    return Reading(
        unsettled.in_kinds(kinds or {}, report),
        tr("typed in"),
        left_out=without_rows(len(filled), tr("The typed table")),
        changed=noticed,
        unsettled=unsettled,
    )


def pasted_cells(text: str) -> list[list[str]]:
    r"""Return the cells of a text copied from a sheet: tabs between cells, a row in each line.

    >>> pasted_cells('code\tname\nKP-MS\t"Kelp Point"\n')
    [['code', 'name'], ['KP-MS', 'Kelp Point']]
    """
    if '"' in text or "\r" in text:
        rows = list(csv.reader(io.StringIO(text, newline=""), delimiter="\t"))
    else:  # nothing in it can mean anything else
        rows = [line.split("\t") for line in text.split("\n")]
    while rows and not any(rows[-1]):
        rows.pop()
    width = max(map(len, rows), default=0)
    return [row + [""] * (width - len(row)) if len(row) < width else row for row in rows]


def _cell(row: Sequence[str], place: int) -> str | None:
    return row[place] or None if place < len(row) else None
