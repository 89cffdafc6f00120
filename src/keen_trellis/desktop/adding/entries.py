"""What a file, a folder or a database holds that lanes can be made of. No widgets here."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from pathlib import Path

from keen_trellis.base.errors import SourceError
from keen_trellis.base.folders import files_of
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.base.words import counted
from keen_trellis.desktop.adding.recent import Place
from keen_trellis.document import (
    ColumnarSource,
    DelimitedSource,
    FolderSource,
    QuerySource,
    SheetSource,
    Source,
    TableSource,
    TypedSource,
)
from keen_trellis.read import columnar, database_tables, databases, workbook, workbook_parts
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Database, SqliteFile

TEXT_ENDINGS = (".csv", ".tsv", ".txt", ".gz")

_READ_WHOLE_BYTES = 8 << 20
_FIRST_ROWS = 2_000


@dataclass(frozen=True, slots=True)
class Entry:
    """One table that can be brought in.

    Attributes
    ----------
    text : str
        What it is called where it is.
    remark : str
        What is known of it before it is read.
    source : Source
    name : str
        The name proposed for its lane.
    """

    text: str
    remark: str
    source: Source
    name: str


def entries_of(place: Place, secrets: Secrets, report: Report) -> list[Entry]:
    """Return the tables in a place.

    Raises
    ------
    SourceError
        The place cannot be looked into.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    if not isinstance(place, Path):
        return _of_database(place, secrets, report)
    ending, path = place.suffix.lower(), str(place)
    if place.is_dir():
        return _of_folder(place)
    if ending in workbook.ENDINGS:
        return [
            Entry(
                part.name,
                tr("range of {sheet}", sheet=part.sheet)
                if part.named
                else tr("hidden")
                if part.hidden
                else "",
                SheetSource(path=path, sheet=part.sheet, range=part.name if part.named else None),
                nice_name(part.name),
            )
            for part in workbook_parts(place, secrets)
        ]
    if ending in databases.ENDINGS:
        return _of_database(SqliteFile(path), secrets, report)
    if ending in columnar.ENDINGS:
        return [Entry(place.name, "", ColumnarSource(path=path), nice_name(place.stem))]
    stem = place.stem.removesuffix(".csv")
    return [Entry(place.name, "", DelimitedSource(path=path), nice_name(stem))]


def rows_to_look_at(source: Source) -> int | None:
    """Return how many rows are read for a look; None reads all, which a small source allows."""
    if isinstance(source, TableSource | QuerySource):
        # A small SQLite file is read whole; of a server nobody knows how much a table holds.
        return None if isinstance(source.database, SqliteFile) and _size(source) else _FIRST_ROWS
    if isinstance(source, TypedSource) or _size(source):
        return None
    return _FIRST_ROWS


def nice_name(wish: str) -> str:
    """Return a lane name made of the name of a file, sheet or table."""
    words = wish.replace("_", " ").replace("-", " ").strip()
    return words[:1].upper() + words[1:] if words else tr("Lane")


def _size(source: Source) -> bool:
    """Whether the files of a source are small enough to be read whole at once."""
    return sum(stamp.size for stamp in source.stamps()) <= _READ_WHOLE_BYTES


def _of_database(database: Database, secrets: Secrets, report: Report) -> list[Entry]:
    entries = []
    for table in database_tables(database, secrets, report):
        rows = "" if table.rows is None else f"~{counted(table.rows, 'row')}"
        about = tr("view") if table.is_view else rows
        text = f"{table.schema}.{table.name}" if table.schema else table.name
        source = TableSource(database=database, in_schema=table.schema, table=table.name)
        entries.append(Entry(text, about, source, nice_name(table.name)))
    query = QuerySource(database=database, query="")
    return [*entries, Entry(tr("A query typed by hand"), "", query, tr("Query"))]


def _of_folder(folder: Path) -> list[Entry]:
    """Return one entry for each sort of file in a folder, the most frequent first."""
    readable = (*TEXT_ENDINGS, *workbook.ENDINGS, *columnar.ENDINGS)
    found = Counter(p.suffix.lower() for p in files_of(folder, "*"))
    endings = [(e, n) for e, n in found.most_common() if e in readable]
    if not endings:
        raise SourceError(
            tr("The folder {folder} holds no text, workbook or columnar file.", folder=folder),
            tr("Choose the folder that the files are in."),
        )
    return [
        Entry(
            f"*{ending}",
            counted(number, "file"),
            FolderSource(path=str(folder), pattern=f"*{ending}"),
            nice_name(folder.name),
        )
        for ending, number in endings
    ]
