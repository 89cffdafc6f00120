"""What was allowed to trellises on this machine and what their deliveries wrote, by their place."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from pathlib import Path

from keen_trellis.run.on_this_machine import store, stored

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
    written : dict of path to Written
        The files that its deliveries wrote.
    """

    allowed: tuple[str, ...] = ()
    written: dict[str, Written] = field(default_factory=dict)


Made = dict[str, Written]
"""What was written, by its place."""

_ROOM = "allowed"


def approvals(document: Path | None) -> Approvals:
    """Return what a document may do; nothing where nobody was asked yet."""
    found = stored(document, _ROOM, Approvals) if document is not None else None
    return found or Approvals()


def allow(document: Path, keys: Iterable[str]) -> None:
    """Keep that a document may have what it wants; where that cannot be kept, it is asked again."""
    known = approvals(document)
    now = replace(known, allowed=tuple(sorted({*known.allowed, *keys})))
    store(document, _ROOM, Approvals, now)


def note_written(document: Path | None, path: Path) -> Made:
    """Keep what a delivery of a document has just written, and return it by its place.

    A document without a file of its own has no place to keep it by: whoever holds it does.
    """
    made = {str(path.resolve()): _as_it_is(path)}
    if document is not None:
        keep_written(document, made)
    return made


def keep_written(document: Path, made: Made) -> None:
    """Keep what deliveries wrote, also before the document was saved at this place."""
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
    known = (made or {}).get(place) or approvals(document).written.get(place)
    if known is None:
        return False
    now = path.stat()
    if (now.st_size, now.st_mtime_ns) == (known.size, known.changed_ns):
        return True
    if now.st_size != known.size or (at_once and now.st_size > _READ_AT_ONCE):
        return False
    return _digest(path) == known.digest


def _as_it_is(path: Path) -> Written:
    now = path.stat()
    return Written(now.st_size, now.st_mtime_ns, _digest(path))


def _digest(path: Path) -> str:
    made = hashlib.sha256()
    with path.open("rb") as file:
        while piece := file.read(_PIECE):
            made.update(piece)
    return made.hexdigest()
