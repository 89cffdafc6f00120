"""A last row that sums up the others: how it is told, in sheets and in texts, and what is said."""

from __future__ import annotations

import re
from collections.abc import Sequence

import pyarrow as pa

from keen_trellis.base.language import tr
from keen_trellis.data import Column, Kind
from keen_trellis.data.conversions.noticed import Noticed, Reread
from keen_trellis.data.conversions.text_parsing import column_of_texts
from keen_trellis.data.conversions.written_forms import evidence, settle

_TOTAL = re.compile(r"^\W*(grand |sub-?)?(totals?|sum|overall|all)\b", re.IGNORECASE)


def labelled(cells: Sequence[object]) -> str:
    """Return the cell of a row that calls it a total; empty where none does."""
    found = (cell for cell in cells if isinstance(cell, str) and _TOTAL.match(cell))
    return next(found, "").strip()


def why_total(label: str, sums: Sequence[bool], blanks: int) -> str:
    """Return what makes a row look like a total; empty where nothing does.

    Parameters
    ----------
    label : str
        What calls it one.
    sums : sequence of bool
        For each of its numbers whether it is the sum of those above.
    blanks : int
        How many of its cells are blank.
    """
    if label and sums:
        return tr("it begins with “{label}”", label=label)
    if sums and all(sums) and blanks:
        return tr("its numbers are the sums of the rows above")
    return ""


def is_sum(figure: float, above: float) -> bool:
    """Whether a figure is the sum of those above it, but for what doubles lose."""
    return abs(above - figure) <= 1e-9 * abs(figure)


def why_total_of_texts(columns: Sequence[pa.ChunkedArray]) -> str:
    """Return what makes the last row of texts look like a total; empty where nothing does.

    The columns are looked at only where the last row has a blank, or a word for a total.
    """
    rows = len(columns[0]) if columns else 0
    if rows < 3:
        return ""
    last = [column[-1].as_py() for column in columns]
    label = labelled(last)
    if not label and None not in last:
        return ""
    sums = []
    for column, cell in zip(columns, last, strict=True):
        if cell is None:
            continue
        read = column_of_texts(column, settle([evidence(column)]))
        if not read.kind.is_numeric:
            continue
        figures = [float(value) for value in _last_apart(read) if value is not None]
        # two figures that are equal, or zeros, are a sum by chance
        if len(figures) > 2 and figures[-1]:
            sums.append(is_sum(figures[-1], sum(figures[:-1])))
    return why_total(label, sums, last.count(None))


def _last_apart(column: Column) -> Sequence[float | None]:
    if column.kind is Kind.EXACT:
        return list(column.to_arrow().cast(pa.float64(), safe=False).to_pylist())
    return column.to_list()


def told(why: str, where: str, wanted_out: bool) -> list[Noticed]:
    """Say what looks like a total, or was left out as one; and that one wanted out is none now."""
    if not why:
        if not wanted_out:
            return []
        return [
            Noticed(
                tr("The last row of {where} is no total any more, so it is kept.", where=where), 1
            )
        ]
    if wanted_out:
        text = tr("The last row of {where} is left out: {why}.", where=where, why=why)
        return [Noticed(text, 1, Reread(tr("Keep it"), layout={"total_row": "kept"}))]
    text = tr(
        "The last row of {where} looks like a total: {why}. It would be counted twice.",
        where=where,
        why=why,
    )
    return [Noticed(text, 1, Reread(tr("Leave it out"), layout={"total_row": "left out"}))]
