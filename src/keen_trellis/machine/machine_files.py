"""What this machine keeps of documents apart from them: one small file for each, by its place."""

from __future__ import annotations

import fcntl
import hashlib
import json
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar

import platformdirs
from pydantic import TypeAdapter

from keen_trellis.base.whole_files import whole_file

_T = TypeVar("_T")


def stored(document: Path, room: str, sort: type[_T]) -> _T | None:
    """Return what is kept of a document; None where nothing is, or nothing that can be read.

    Parameters
    ----------
    document : Path
    room : str
        What sort of thing is kept: the folder of its files.
    sort : type
        What it is kept as.
    """
    try:
        kept = json.loads(_place(document, room).read_text("ascii"))
        return _reader(sort).validate_python(kept)
    except (OSError, ValueError):
        return None


def store(document: Path, room: str, sort: type[_T], value: _T) -> None:
    """Keep something of a document; where the machine does not let it be kept, nothing is."""
    place = _place(document, room)
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        with whole_file(place) as beside:
            # not by pydantic's own JSON, which refuses a path whose bytes are no text
            content: Any = _reader(sort).dump_python(value, mode="json")
            beside.write_text(json.dumps(content), encoding="ascii")
    except OSError:
        return


@contextmanager
def locked(document: Path, room: str) -> Iterator[None]:
    """Let nobody else change what is kept of a document meanwhile, as far as the machine can."""
    handle = -1
    try:
        place = _place(document, room).with_suffix(".lock")
        place.parent.mkdir(parents=True, exist_ok=True)
        handle = os.open(place, os.O_CREAT | os.O_RDWR, 0o600)
        fcntl.flock(handle, fcntl.LOCK_EX)
    except OSError:  # nothing can be kept there, which is no reason not to work
        pass
    try:
        yield
    finally:
        if handle >= 0:
            os.close(handle)


def _reader(sort: type[_T]) -> TypeAdapter[_T]:
    """Return what reads and writes a sort of thing: made once something of it is kept."""
    if sort not in _READERS:
        _READERS[sort] = TypeAdapter(sort)
    return _READERS[sort]


_READERS: dict[Any, TypeAdapter[Any]] = {}


def _place(document: Path, room: str) -> Path:
    name = hashlib.sha256(os.fsencode(document.resolve())).hexdigest()[:32]
    return platformdirs.user_state_path("keen-trellis") / room / f"{name}.json"
