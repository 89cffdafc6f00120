"""Sources become tables: delimited text, workbooks, folders, databases, columnar files, typing.

A source is only ever opened for reading.
"""

from keen_trellis.read.any_source import read
from keen_trellis.read.columnar import read_columnar
from keen_trellis.read.database_rows import RowCondition
from keen_trellis.read.databases import (
    DatabaseTable,
    database_columns,
    database_tables,
    read_query,
    read_table,
)
from keen_trellis.read.delimited import read_delimited
from keen_trellis.read.folder import files_of, read_folder
from keen_trellis.read.noticed import Noticed, Reread
from keen_trellis.read.reading import FileStamp, Reading, SetApart
from keen_trellis.read.secrets import Secrets
from keen_trellis.read.server import Database, Server, SqliteFile
from keen_trellis.read.text_layout import TextLayout
from keen_trellis.read.typed import pasted_cells, read_typed
from keen_trellis.read.workbook import (
    SheetLayout,
    WorkbookPart,
    read_sheet,
    sheet_names,
    workbook_parts,
)

__all__ = [
    "Database",
    "DatabaseTable",
    "FileStamp",
    "Noticed",
    "Reading",
    "Reread",
    "RowCondition",
    "Secrets",
    "Server",
    "SetApart",
    "SheetLayout",
    "SqliteFile",
    "TextLayout",
    "WorkbookPart",
    "database_columns",
    "database_tables",
    "files_of",
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
