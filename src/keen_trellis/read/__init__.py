"""Sources become tables: delimited text, sheets of workbooks, tables of an SQLite file.

A source is only ever opened for reading.
"""

from keen_trellis.read.any_source import read
from keen_trellis.read.database import read_table, table_names
from keen_trellis.read.delimited import DelimitedForm, detect_form, read_delimited, taken_as
from keen_trellis.read.reading import Reading
from keen_trellis.read.workbook import read_sheet, sheet_names

__all__ = [
    "DelimitedForm",
    "Reading",
    "detect_form",
    "read",
    "read_delimited",
    "read_sheet",
    "read_table",
    "sheet_names",
    "table_names",
    "taken_as",
]
