"""What parts of a trellis want of this machine and of others: a stranger's may not unasked."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from keen_trellis.base.language import marked, tr
from keen_trellis.base.words import plainly
from keen_trellis.servers.secrets import VARIABLE
from keen_trellis.servers.server import Server


@dataclass(frozen=True, slots=True)
class Want:
    """One thing that is asked about before it is done for the first time.

    Attributes
    ----------
    key : str
        The same for the same thing, in whatever lane it stands.
    words : str
        What it would do, as the rest of a sentence that begins with “It”.
    """

    key: str
    words: str

    def __post_init__(self) -> None:
        object.__setattr__(self, "words", plainly(self.words))  # it is read before it is allowed


def wants_of_server(server: Server, folder: Path | None) -> Iterator[Want]:
    """Yield the contact with a server, how it is made, and where the password comes from."""
    names = {"postgresql": tr("PostgreSQL"), "mariadb": "MariaDB"}
    at = tr("{host}, port {usual_port}", host=server.host, usual_port=server.usual_port)
    key = f"contact {server.type} {server.account} {server.tls} {server.password}"
    is_safe = server.tls.startswith("always") or server.is_here
    secret = "" if is_safe else tr(", perhaps unencrypted")
    yield Want(
        key,
        tr(
            "contacts the database {database} of the {names} server {at}, as {user}{secret}",
            database=server.database,
            names=names[server.type],
            at=at,
            user=server.user,
            secret=secret,
        ),
    )
    variable = VARIABLE.fullmatch(server.password)
    if variable is not None:
        yield Want(
            f"{key} ${variable[1]}",
            tr("sends the variable {variable_2} there as password", variable_2=variable[1]),
        )
    if server.authority:
        yield from wants_of_path(server.authority, folder, marked("reads"))


def wants_of_path(place: str, folder: Path | None, doing: str) -> Iterator[Want]:
    """Yield a path that is not the document's: outside of its folder, or hidden below it.

    Nothing where the document has no folder yet.

    Parameters
    ----------
    place : str
        Links are followed: what they lead to counts.
    folder : Path or None
        The folder of the document.
    doing : str
        What is done with it, to be translated: “reads”, “writes”.
    """
    if not place or folder is None:
        return
    path, home = Path(place).expanduser().resolve(), folder.resolve()
    if not path.is_relative_to(home):
        yield Want(
            f"{doing} {path}",
            tr("{doing} {path}, outside of its folder", doing=tr(doing), path=path),
        )
    elif any(part.startswith(".") for part in path.relative_to(home).parts):
        yield Want(
            f"{doing} {path}", tr("{doing} {path}, which is hidden", doing=tr(doing), path=path)
        )


def wants_of_files(place: str, files: Iterable[Path], folder: Path | None) -> Iterator[Want]:
    """Yield those files of a folder that are links and lead out of it: what they lead to counts."""
    home = Path(place).expanduser().resolve()
    for file in files:
        real = file.resolve()
        if not real.is_relative_to(home):
            yield from wants_of_path(str(real), folder, marked("reads"))
