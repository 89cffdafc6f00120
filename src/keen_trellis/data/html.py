"""Tables as HTML for notebooks: the first rows, gaps and blanks apart, in the page's colours."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.data.column import Column
from keen_trellis.data.states import BLANK, GAP

COLUMNS_SHOWN = 30
_HATCHED = (
    "background: repeating-linear-gradient(135deg, transparent 0 4px, rgba(128,128,128,.35) 4px "
    "5px); padding: 0 6px; font-style: italic"
)


def rows_as_html(columns: Sequence[tuple[str, Column]], n_rows: int, n_columns: int) -> str:
    """Return rows as HTML, with how many there are.

    Parameters
    ----------
    columns : sequence of (name, column)
        Those that are shown, of the rows that are shown.
    n_rows, n_columns : int
        How many the table has.
    """
    heads = "".join(
        f'<th style="text-align: {_side(column.kind.is_numeric)}">{escape(name)}<br>'
        f'<small style="opacity: .65; font-weight: 400">{escape(tr(column.kind))}</small></th>'
        for name, column in columns
    )
    lines = []
    for row in range(len(columns[0][1]) if columns else 0):
        cells = []
        for _, column in columns:
            state = 0 if column.state is None else int(column.state[row])
            text = escape(column.text(row))
            if state == GAP:
                text = f'<span style="{_HATCHED}">{tr("gap")}</span>'
            elif state == BLANK:
                text = f'<span style="opacity: .6">{tr("· blank")}</span>'
            side = _side(column.kind.is_numeric)
            cells.append(f'<td style="text-align: {side}; font-family: monospace">{text}</td>')
        lines.append(f"<tr>{''.join(cells)}</tr>")
    size = tr(
        "{rows} of {columns}", rows=counted(n_rows, "row"), columns=counted(n_columns, "column")
    )
    return (
        f"<div><table><thead><tr>{heads}</tr></thead><tbody>{''.join(lines)}</tbody></table>"
        f'<small style="opacity: .75">{size}</small></div>'
    )


def _side(is_number: bool) -> str:
    return "right" if is_number else "left"
