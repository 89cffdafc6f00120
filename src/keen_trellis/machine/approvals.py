"""What was allowed to trellises on this machine and what their deliveries wrote, by their place."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path

from keen_trellis.machine.machine_files import locked, store, stored

_PIECE = 1 << 20
_READ_AT_ONCE = 8 << 20
"""Bytes that are read and digested in some 20 ms."""


@dataclass(frozen=True)  # without slots, for pydantic to store it
class Written:
    """A file as a delivery left it: whoever changed it since would lose that change."""

    size: int
    changed_ns: int
    digest: str


@dataclass(frozen=True)
class Approvals:
    """What a document at a place may do.

    Attributes
    ----------
    allowed : tuple of str
        The keys of what it wants and may have.
    written, coming : dict of path to Written
        The files that its deliveries wrote, and those that were about to take their place: who is
        killed between the two has left either.
    """

    allowed: tuple[str, ...] = ()
    written: dict[str, Written] = field(default_factory=dict)
    coming: dict[str, Written] = field(default_factory=dict)


Made = dict[str, Written]
"""What was written, by its place."""

_ROOM = "allowed"


def approvals(document: Path | None) -> Approvals:
    """Return what a document may do; nothing where nobody was asked yet."""
    found = stored(document, _ROOM, Approvals) if document is not None else None
    return found or Approvals()


def allow(document: Path, keys: Iterable[str]) -> None:
    """Keep that a document may have what it wants; where that cannot be kept, it is asked again."""
    with locked(document, _ROOM):
        known = approvals(document)
        now = replace(known, allowed=tuple(sorted({*known.allowed, *keys})))
        store(document, _ROOM, Approvals, now)


@contextmanager
def noting(
    document: Path | None, path: Path, beside: Path, made: Made | None = None
) -> Iterator[None]:
    """Keep that a file is written by a delivery, around the moment when it takes its place.

    Noted before, whoever is killed on the way is known for its writer; locked, of several that
    write at once each is noted with what it wrote.

    Parameters
    ----------
    document : Path or None
        One without a file of its own has no place to keep it by: whoever holds it does.
    path, beside : Path
        Where it goes, and where it is.
    made : dict, optional
        Is told as well.
    """
    # The file beside is what will stand there: renaming changes neither its size nor its time.
    place, coming = str(path.resolve()), _as_it_is(beside)
    if document is None:
        yield
    else:
        with locked(document, _ROOM):
            known = approvals(document)
            # three moments to be killed in: before this is stored the old file is there and known,
            # between it and the rename both are known, after the rename the new one is by `coming`
            others = {one: it for one, it in known.coming.items() if one != place}
            store(document, _ROOM, Approvals, replace(known, coming={**others, place: coming}))
            yield
            now = replace(known, written={**known.written, place: coming}, coming=others)
            store(document, _ROOM, Approvals, now)
    if made is not None:
        made[place] = coming


def keep_written(document: Path, made: Made) -> None:
    """Keep what deliveries wrote, also before the document was saved at this place."""
    with locked(document, _ROOM):
        known = approvals(document)
        store(document, _ROOM, Approvals, replace(known, written={**known.written, **made}))


def is_its_own(
    document: Path | None, path: Path, at_once: bool = False, made: Made | None = None
) -> bool:
    """Return whether a file is as a delivery of a document left it, or not there at all.

    One that was touched since is read whole to see whether it is the same. `at_once` leaves that
    out for long files, which are taken for changed: for whoever must not wait. `made` has what was
    written by a document that has no file yet.
    """
    if not path.exists():
        return True
    place = str(path.resolve())
    kept = approvals(document)
    rooms = ((made or {}), kept.written, kept.coming)
    known = [room[place] for room in rooms if place in room]
    now = path.stat()
    # Size and time first: reading a delivery of a gigabyte to replace it would take longer than
    # writing it.
    if any((now.st_size, now.st_mtime_ns) == (one.size, one.changed_ns) for one in known):
        return True
    of_size = {one.digest for one in known if one.size == now.st_size}
    if not of_size or (at_once and now.st_size > _READ_AT_ONCE):
        return False
    return _digest(path) in of_size


def _as_it_is(path: Path) -> Written:
    now = path.stat()
    return Written(now.st_size, now.st_mtime_ns, _digest(path))


def _digest(path: Path) -> str:
    made = hashlib.sha256()
    with path.open("rb") as file:
        while piece := file.read(_PIECE):
            made.update(piece)
    return made.hexdigest()
