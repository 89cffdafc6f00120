"""One way into every kind of source, for notebooks."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from urllib.parse import urlsplit
from urllib.request import url2pathname

import numpy as np

from keen_trellis.data import Column, Kind, Table
from keen_trellis.data.column import from_arrow
from keen_trellis.data.reading_texts import values_of_texts
from keen_trellis.errors import SourceError
from keen_trellis.progress import Report, quiet
from keen_trellis.read import database, workbook
from keen_trellis.read.database import read_table, table_names
from keen_trellis.read.delimited import DelimitedForm, read_delimited
from keen_trellis.read.workbook import read_sheet, sheet_names


def read(
    path_or_url: str | Path,
    sheet: str | None = None,
    table: str | None = None,
    header: int | bool | None = None,
    kinds: Mapping[str, Kind | str] | None = None,
    report: Report = quiet,
) -> Table:
    """Return the rows of a delimited text, a sheet, or a table of an SQLite file.

    Parameters
    ----------
    path_or_url : str or Path
        A path, a `file:` or `sqlite:///` address.
    sheet, table : str, optional
        Which one of the file; its first where not given.
    header : int or bool, optional
        For a sheet the row that names the columns, from 1, or 0 for none; for a text whether its
        first row does. Found by looking where not given.
    kinds : mapping of column name to kind, optional
        The kinds that columns are to have, such as "text" or "exact decimal".

    Raises
    ------
    SourceError
        The source cannot be read, or a value is none of the kind wanted; the message names the
        first such value and its row.
    UnknownColumnError
        A kind is given for a column that is not there.
    """
    path = _path(path_or_url)
    ending = path.suffix.lower()
    if ending in workbook.ENDINGS:
        row = int(header) if header is not None else None
        made = read_sheet(path, sheet or sheet_names(path)[0], row, report)
    elif ending in database.ENDINGS:
        names = [table] if table else table_names(path)
        if not names:
            raise SourceError(f"{path} has no table.", "Choose another file.")
        made = read_table(path, names[0], report)
    else:
        has_header = None if header is None else bool(header)
        made = read_delimited(path, DelimitedForm(header=has_header), report)
    return _with_kinds(made.table, kinds or {}, str(path))


def _path(path_or_url: str | Path) -> Path:
    if isinstance(path_or_url, Path):
        return path_or_url
    if path_or_url.startswith("sqlite:///"):
        return Path(path_or_url.removeprefix("sqlite:///"))
    address = urlsplit(path_or_url)
    if address.scheme == "file":
        return Path(url2pathname(address.path))
    if len(address.scheme) > 1 and "://" in path_or_url:
        raise SourceError(f"{address.scheme} addresses cannot be read.", "Give the path of a file.")
    return Path(path_or_url)


def _with_kinds(table: Table, kinds: Mapping[str, Kind | str], where: str) -> Table:
    columns = {field.name: table.fetch(field) for field in table.fields}
    for name, kind in kinds.items():
        before = table.column(name, where)
        columns[name] = _in_kind(before, Kind(kind), name, where)
    return Table.of(columns)


def _in_kind(column: Column, kind: Kind, name: str, where: str) -> Column:
    if column.kind is kind:
        return column
    texts = from_arrow(column.texts())
    if kind is Kind.TEXT:
        return texts
    assert texts.dictionary is not None
    values = values_of_texts(texts.dictionary, kind).take(texts.values)
    lost = np.flatnonzero((texts.values >= 0) & (values.absent if values.absent is not None else 0))
    if len(lost):
        first = int(lost[0])
        raise SourceError(
            f"“{texts.text(first)}” in row {first + 1:,} of “{name}” in {where} is no {kind}; "
            f"{len(lost):,} of {len(column):,} values are none.",
            "Mend them at the source, or leave the column as it is.",
        )
    state = column.state
    return Column(kind, values.values, state, scale=values.scale)
