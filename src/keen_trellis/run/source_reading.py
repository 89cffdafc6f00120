"""Sources read: a reader for each class of source that the document knows."""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keen_trellis.base.limits import limits
from keen_trellis.base.logs import timed
from keen_trellis.base.progress import Report, quiet
from keen_trellis.document.sources import (
    AnySource,
    ColumnarSource,
    DelimitedSource,
    FolderSource,
    QuerySource,
    SheetSource,
    Source,
    TableSource,
    TypedSource,
)
from keen_trellis.servers.secrets import Secrets

if TYPE_CHECKING:
    from keen_trellis.read import Reading

_log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class _How:
    """What a read needs beside the source itself."""

    secrets: Secrets
    report: Report
    rows_at_most: int | None
    late: bool


def read_source(
    source: Source,
    secrets: Secrets | None = None,
    report: Report = quiet,
    rows_at_most: int | None = None,
    late: bool = False,
) -> Reading:
    """Return the rows of a source, or the first of them; a sheet is always read whole.

    Parameters
    ----------
    source : Source
        One that is read from outside: not a part of the trellis.
    secrets : Secrets, optional
        The passwords that have been given.
    report, rows_at_most
    late : bool
        Whether columns may be read when somebody first looks at them, where the source allows it.

    Raises
    ------
    SourceError
        It cannot be read; the message says why and what to do.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    # The log has the name alone: a folder may say more of somebody than they know.
    name = Path(source.place).name or source.type
    with timed(_log, f"read {source.type} {name}") as told:
        read = READERS[type(source)](source, _How(secrets or Secrets(), report, rows_at_most, late))
        told.rows = len(read.table)
    return read


# Each reader is loaded with the first source of its sort, so that the window opens sooner.


def _delimited(source: DelimitedSource, how: _How) -> Reading:
    from keen_trellis.read import read_delimited

    return read_delimited(
        Path(source.path),
        source.layout,
        how.report,
        kinds=source.kinds,
        rows_at_most=how.rows_at_most,
    )


def _sheet(source: SheetSource, how: _How) -> Reading:
    from keen_trellis.read import read_sheet

    return read_sheet(
        Path(source.path),
        source.sheet,
        source.layout,
        report=how.report,
        kinds=source.kinds,
        named=source.range,
        secrets=how.secrets,
    )


def _folder(source: FolderSource, how: _How) -> Reading:
    from keen_trellis.read import read_folder

    return read_folder(
        Path(source.path),
        source.pattern,
        source.file_column,
        sheet=source.sheet,
        text=source.text,
        cells=source.cells,
        report=how.report,
        kinds=source.kinds,
        rows_at_most=how.rows_at_most,
        taken_as=source.taken_as,
    )


def _columnar(source: ColumnarSource, how: _How) -> Reading:
    from keen_trellis.read import read_columnar

    return read_columnar(
        Path(source.path), how.report, source.kinds, how.rows_at_most, late=how.late
    )


def _typed(source: TypedSource, how: _How) -> Reading:
    from keen_trellis.read import read_typed

    return read_typed(source.columns, source.rows, how.report, source.kinds)


def _table(source: TableSource, how: _How) -> Reading:
    from keen_trellis.read import read_table

    return read_table(
        source.database,
        source.table,
        source.in_schema,
        columns=source.columns,
        conditions=source.conditions,
        zone=source.zone,
        secrets=how.secrets,
        report=how.report,
        kinds=source.kinds,
        rows_at_most=how.rows_at_most,
    )


def _query(source: QuerySource, how: _How) -> Reading:
    from keen_trellis.read import read_query

    return read_query(
        source.database,
        source.query,
        # The document asks, the machine allows: a document from elsewhere cannot wait for longer.
        min(source.timeout_s, limits().query_s),
        zone=source.zone,
        secrets=how.secrets,
        report=how.report,
        kinds=source.kinds,
        rows_at_most=how.rows_at_most,
    )


READERS: dict[type[AnySource], Callable[[Any, _How], Reading]] = {
    DelimitedSource: _delimited,
    SheetSource: _sheet,
    FolderSource: _folder,
    ColumnarSource: _columnar,
    TypedSource: _typed,
    TableSource: _table,
    QuerySource: _query,
}
"""The reader of each class of source but those that are parts of the trellis itself."""
