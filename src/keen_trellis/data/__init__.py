"""Columns and tables: kinds, values, blanks and gaps, text as codes and a dictionary.

What holds values is loaded when it is first asked for: plans and documents know kinds alone, and
the window opens sooner.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

from keen_trellis.data.kinds import Kind
from keen_trellis.data.states import BLANK, GAP, PRESENT

if TYPE_CHECKING:
    from keen_trellis.data.column import Column, Rows, from_arrow
    from keen_trellis.data.table import Field, Strand, Table, row_dtype

_PLACES = {
    "Column": "column",
    "Field": "table",
    "Rows": "column",
    "Strand": "table",
    "Table": "table",
    "from_arrow": "column",
    "row_dtype": "table",
}

__all__ = [
    "BLANK",
    "GAP",
    "PRESENT",
    "Column",
    "Field",
    "Kind",
    "Rows",
    "Strand",
    "Table",
    "from_arrow",
    "row_dtype",
]


def __getattr__(name: str) -> Any:
    if name in _PLACES:
        return getattr(import_module(f"keen_trellis.data.{_PLACES[name]}"), name)
    raise AttributeError(f"keen_trellis.data has no {name}")
