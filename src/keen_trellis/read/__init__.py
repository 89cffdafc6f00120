"""Sources become tables: delimited text, workbooks, folders, databases, columnar files, typing.

A source is only ever opened for reading. Each reader is loaded when it is first asked for, so that
the window opens sooner.
"""

from typing import TYPE_CHECKING

from keen_trellis.base.lazily import looked_up
from keen_trellis.read.any_source import read

if TYPE_CHECKING:
    from keen_trellis.read.columnar import read_columnar
    from keen_trellis.read.databases import (
        database_columns,
        database_tables,
        read_query,
        read_table,
    )
    from keen_trellis.read.delimited import read_delimited
    from keen_trellis.read.folder import read_folder
    from keen_trellis.read.reading import Reading, SetApart
    from keen_trellis.read.typed import pasted_cells, read_typed
    from keen_trellis.read.workbook import WorkbookPart, read_sheet, sheet_names, workbook_parts

_PLACES = {
    "Reading": "reading",
    "SetApart": "reading",
    "WorkbookPart": "workbook",
    "database_columns": "databases",
    "database_tables": "databases",
    "pasted_cells": "typed",
    "read_columnar": "columnar",
    "read_delimited": "delimited",
    "read_folder": "folder",
    "read_query": "databases",
    "read_sheet": "workbook",
    "read_table": "databases",
    "read_typed": "typed",
    "sheet_names": "workbook",
    "workbook_parts": "workbook",
}

__all__ = [
    "Reading",
    "SetApart",
    "WorkbookPart",
    "database_columns",
    "database_tables",
    "pasted_cells",
    "read",
    "read_columnar",
    "read_delimited",
    "read_folder",
    "read_query",
    "read_sheet",
    "read_table",
    "read_typed",
    "sheet_names",
    "workbook_parts",
]

__getattr__ = looked_up(__name__, _PLACES)
