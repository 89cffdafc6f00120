"""One way into every kind of source, for notebooks."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import unquote, urlsplit

from keen_trellis.base.errors import SourceError, UnknownColumnError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.data import Kind
from keen_trellis.layouts.source_layouts import SheetLayout, TextLayout
from keen_trellis.servers.secrets import LockedFile, Secrets
from keen_trellis.servers.server import Database, Server, SqliteFile

if TYPE_CHECKING:
    from keen_trellis.data import Table
    from keen_trellis.read.reading import Reading

_SERVERS = {"postgresql": "postgresql", "postgres": "postgresql", "mariadb": "mariadb"} | {
    "mysql": "mariadb"
}


def read(
    path_or_url: str | Path,
    sheet: str | None = None,
    table: str | None = None,
    query: str | None = None,
    header: int | bool | None = None,
    pattern: str = "*.csv",
    kinds: Mapping[str, Kind | str] | None = None,
    report: Report = quiet,
    password: str | None = None,
) -> Table:
    """Return the rows of a text, a sheet, a columnar file, a folder, or a database's table.

    Parameters
    ----------
    path_or_url : str or Path
        A path, a `file:` or `sqlite:///` address, or the address of a server such as
        `postgresql://reader@db.example/harbour`.
    sheet : str, optional
        Which one of a workbook; its first where not given.
    table : str, optional
        Which one of a database, after its schema and a dot where it needs one.
    query : str, optional
        What to ask a database for, instead of a table.
    header : int or bool, optional
        The row that names the columns, from 1, or 0 for none. Found by looking where not given.
    pattern : str
        Which files of a folder.
    kinds : mapping of column name to kind, optional
        The kinds that columns are to have, such as "text" or "exact decimal".
    report : Report
    password : str, optional
        Of a workbook that has one.

    Raises
    ------
    SourceError
        The source cannot be read, or a value is none of the kind wanted; the message names the
        first such value and its row.
    UnknownColumnError
        A kind is given for a column that is not there.
    """
    wanted = {name: Kind(kind) for name, kind in (kinds or {}).items()}
    server, secrets = _server(path_or_url)
    if server is not None:
        reading = _of_database(server, table, query, secrets=secrets, report=report, kinds=wanted)
    else:
        reading = _of_path(
            _path(path_or_url),
            sheet,
            table,
            query=query,
            header=header,
            pattern=pattern,
            report=report,
            kinds=wanted,
            secrets=_of_file(_path(path_or_url), password),
        )
    for name in wanted:
        if name not in reading.table.columns:
            raise UnknownColumnError(name, str(path_or_url), reading.table.columns)
    for unfit in reading.unfit:
        raise SourceError(
            tr(
                "“{texts_1}” in row {rows_1:,} of “{column}” in "
                "{path_or_url} is no {kind}; {rows:,} of {table:,} "
                "values are none.",
                texts_1=unfit.texts[0],
                rows_1=int(unfit.rows[0]) + 1,
                column=unfit.column,
                path_or_url=path_or_url,
                kind=unfit.kind,
                rows=len(unfit.rows),
                table=len(reading.table),
            ),
            tr("Mend them at the source, or leave the column as it is."),
        )
    return reading.table


def _of_file(path: Path, password: str | None) -> Secrets | None:
    """Return where the password of a file is; None where none is given."""
    if password is None:
        return None
    secrets = Secrets()
    secrets.give(LockedFile.of(path), password)
    return secrets


def _of_path(
    path: Path,
    sheet: str | None,
    table: str | None,
    query: str | None,
    header: int | bool | None,
    pattern: str,
    report: Report,
    kinds: Mapping[str, Kind],
    secrets: Secrets | None,
) -> Reading:
    from keen_trellis.read import columnar, databases, delimited, folder, workbook

    ending = path.suffix.lower()
    row = None if header is None else int(header)
    if path.is_dir():
        return folder.read_folder(path, pattern, report=report, kinds=kinds)
    if ending in workbook.ENDINGS:
        name = sheet or workbook.sheet_names(path, secrets)[0]
        layout = SheetLayout(header_row=row)
        return workbook.read_sheet(path, name, layout, report=report, kinds=kinds, secrets=secrets)
    if ending in databases.ENDINGS:
        return _of_database(
            SqliteFile(str(path)), table, query, secrets=Secrets(), report=report, kinds=kinds
        )
    if ending in columnar.ENDINGS:
        return columnar.read_columnar(path, report, kinds)
    return delimited.read_delimited(path, TextLayout(header_row=row), report, kinds)


def _of_database(
    database: Database,
    table: str | None,
    query: str | None,
    secrets: Secrets,
    report: Report,
    kinds: Mapping[str, Kind],
) -> Reading:
    from keen_trellis.read import databases

    if query is not None:
        return databases.read_query(database, query, secrets=secrets, report=report, kinds=kinds)
    if table is None:
        tables = databases.database_tables(database, secrets)
        if not tables:
            raise SourceError(
                tr("{label} has no table.", label=database.label), tr("Choose another one.")
            )
        schema, name = tables[0].schema, tables[0].name
    else:
        schema, _, name = table.rpartition(".")
    return databases.read_table(
        database, name, schema or None, secrets=secrets, report=report, kinds=kinds
    )


def _server(path_or_url: str | Path) -> tuple[Server | None, Secrets]:
    """Return the server that an address names, with the password it may hold kept apart."""
    secrets = Secrets()
    address = urlsplit(str(path_or_url))
    if isinstance(path_or_url, Path) or address.scheme not in _SERVERS:
        return None, secrets
    kind = _SERVERS[address.scheme]
    try:
        port = address.port
    except ValueError as error:
        raise SourceError(
            tr(
                "The port in “{hostname}” is none: those have numbers from 1 to 65535.",
                hostname=address.hostname,
            ),
            tr("Write it behind the host, or leave it out."),
        ) from error
    server = Server(
        "postgresql" if kind == "postgresql" else "mariadb",
        address.hostname or "localhost",
        address.path.lstrip("/"),
        user=unquote(address.username or ""),
        port=port,
    )
    # Given to the secrets and nowhere else: the server that goes on from here has no password in
    # it.
    secrets.give(server, unquote(address.password or ""))
    return server, secrets


def _path(path_or_url: str | Path) -> Path:
    if isinstance(path_or_url, Path):
        return path_or_url
    if path_or_url.startswith("sqlite:///"):
        return Path(path_or_url.removeprefix("sqlite:///"))
    # A name such as `c:notes.csv` looks like an address with a scheme: only what has `://` is
    # one.
    address = urlsplit(path_or_url)
    if address.scheme == "file":
        from urllib.request import url2pathname  # brings half of the network with it

        return Path(url2pathname(address.path))
    if len(address.scheme) > 1 and "://" in path_or_url:
        raise SourceError(
            tr("{scheme} addresses cannot be read.", scheme=address.scheme),
            tr("Give the path of a file."),
        )
    return Path(path_or_url)
