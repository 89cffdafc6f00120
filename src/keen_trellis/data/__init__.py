"""Columns and tables: kinds, values, blanks and gaps, text as codes and a dictionary."""

from keen_trellis.data.column import BLANK, GAP, PRESENT, Column, Rows, from_arrow
from keen_trellis.data.kinds import Kind
from keen_trellis.data.table import Field, Strand, Table, row_dtype

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
