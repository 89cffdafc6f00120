"""Tables as HTML for notebooks: the first rows, gaps and blanks apart, in the page's colours."""

from __future__ import annotations

from html import escape
from typing import TYPE_CHECKING

from keen_trellis.data.states import BLANK, GAP

if TYPE_CHECKING:
    from keen_trellis.data.table import Table

ROWS_SHOWN, COLUMNS_SHOWN = 10, 30
_HATCHED = (
    "background: repeating-linear-gradient(135deg, transparent 0 4px, rgba(128,128,128,.35) 4px "
    "5px); padding: 0 6px; font-style: italic"
)


def table_as_html(table: Table, rows: int = ROWS_SHOWN) -> str:
    """Return the first rows of a table as HTML, with how many there are.

    >>> from keen_trellis.data import Table
    >>> html = table_as_html(Table.from_columns({"port": ["<Voe>", None]}))
    >>> "&lt;Voe&gt;" in html, "· blank" in html, "2 rows of 1 column" in html
    (True, True, True)
    """
    shown = table.window(0, rows)
    fields = shown.fields[:COLUMNS_SHOWN]
    columns = [shown.fetch(field) for field in fields]
    heads = "".join(
        f'<th style="text-align: {_side(f.kind.is_numeric)}">{escape(f.name)}<br>'
        f'<small style="opacity: .65; font-weight: 400">{escape(str(f.kind))}</small></th>'
        for f in fields
    )
    lines = []
    for row in range(len(shown)):
        cells = []
        for column in columns:
            state = 0 if column.state is None else int(column.state[row])
            text = escape(column.text(row))
            if state == GAP:
                text = f'<span style="{_HATCHED}">gap</span>'
            elif state == BLANK:
                text = '<span style="opacity: .6">· blank</span>'
            side = _side(column.kind.is_numeric)
            cells.append(f'<td style="text-align: {side}; font-family: monospace">{text}</td>')
        lines.append(f"<tr>{''.join(cells)}</tr>")
    n_columns = len(table.columns)
    size = f"{len(table):,} {'row' if len(table) == 1 else 'rows'}"
    size += f" of {n_columns:,} {'column' if n_columns == 1 else 'columns'}"
    return (
        f"<div><table><thead><tr>{heads}</tr></thead><tbody>{''.join(lines)}</tbody></table>"
        f'<small style="opacity: .75">{size}</small></div>'
    )


def _side(is_number: bool) -> str:
    return "right" if is_number else "left"
