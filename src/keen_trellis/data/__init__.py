"""Columns and tables: kinds, values, blanks and gaps, text as codes and a dictionary.

What holds values is loaded when it is first asked for: plans and documents know kinds alone, and
the window opens sooner.
"""

from typing import TYPE_CHECKING

from keen_trellis.base.lazily import looked_up
from keen_trellis.data.kinds import Kind
from keen_trellis.data.states import BLANK, GAP, PRESENT

if TYPE_CHECKING:
    from keen_trellis.data.column import Column, Rows, from_arrow
    from keen_trellis.data.late_column import AnyColumn, LateColumn
    from keen_trellis.data.table import Field, Strand, Table, row_dtype

_PLACES = {
    "AnyColumn": "late_column",
    "Column": "column",
    "Field": "table",
    "LateColumn": "late_column",
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
    "AnyColumn",
    "Column",
    "Field",
    "Kind",
    "LateColumn",
    "Rows",
    "Strand",
    "Table",
    "from_arrow",
    "row_dtype",
]

__getattr__ = looked_up(__name__, _PLACES)
