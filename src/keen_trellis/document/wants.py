"""What a trellis wants of this machine and of others, which a stranger's may not have unasked."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from keen_trellis.read.secrets import VARIABLE
from keen_trellis.read.server import Server

if TYPE_CHECKING:
    from keen_trellis.document.trellis import Trellis


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


def wants_of_server(server: Server) -> Iterator[Want]:
    """Yield the contact with a server, and the variable that its password comes from."""
    names = {"postgresql": "PostgreSQL", "mariadb": "MariaDB"}
    at = f"{server.host}, port {server.usual_port}"
    key = f"contact {server.type} {server.user}@{server.host}:{server.usual_port}"
    yield Want(key, f"contacts the {names[server.type]} server {at}, as {server.user}")
    variable = VARIABLE.fullmatch(server.password)
    if variable is not None:
        yield Want(f"{key} ${variable[1]}", f"sends the variable {variable[1]} there as password")


def wants_of_path(place: str, folder: Path | None, doing: str) -> Iterator[Want]:
    """Yield a path outside of the document's folder; nothing where the document has none yet.

    Parameters
    ----------
    place : str
        Links are followed: what they lead to counts.
    folder : Path or None
        The folder of the document.
    doing : str
        What is done with it: “reads”, “writes”.
    """
    if not place or folder is None:
        return
    path = Path(place).expanduser().resolve()
    if not path.is_relative_to(folder.resolve()):
        yield Want(f"{doing} {path}", f"{doing} {path}, outside of its folder")


def wants(trellis: Trellis, document: Path | None) -> list[Want]:
    """Return everything that a trellis wants, each once, as its lanes stand.

    Parameters
    ----------
    trellis : Trellis
        With absolute paths.
    document : Path or None
        Where it is saved; None for one that is not yet.
    """
    folder = document.absolute().parent if document is not None else None
    found: dict[str, Want] = {}
    for lane in trellis.lanes:
        for want in lane.source.wants(folder):
            found.setdefault(want.key, want)
    for _, item in trellis.deliveries():
        for want in item.wants(folder):
            found.setdefault(want.key, want)
    for place in trellis.places:
        for want in place.wants(folder):
            found.setdefault(want.key, want)
    return list(found.values())


def added_wants(before: Trellis, after: Trellis, document: Path | None) -> list[Want]:
    """Return what a changed trellis wants that it did not want before.

    Only what changed is looked at: links are followed on the disk, which a hundred lanes would
    make anybody wait for.
    """
    folder = document.absolute().parent if document is not None else None
    sources = {lane.id: lane.source for lane in before.lanes}
    places = {item.id: (item.path, item.into) for _, item in before.deliveries()}
    found: list[Want] = []
    for lane in after.lanes:
        was = sources.get(lane.id)
        if was is not lane.source and was != lane.source:
            found += lane.source.wants(folder)
    for _, item in after.deliveries():
        if places.get(item.id) != (item.path, item.into):
            found += item.wants(folder)
    for one in after.places:
        if one not in before.places:
            found += one.wants(folder)
    known = {want.key for want in wants(before, document)} if found else set()
    return [want for want in found if want.key not in known]
