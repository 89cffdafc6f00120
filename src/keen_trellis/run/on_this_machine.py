"""What this machine keeps of documents apart from them: one small file for each, by its place."""

from __future__ import annotations

import hashlib
import json
import os
from pathlib import Path
from typing import Any, TypeVar

import platformdirs
from pydantic import TypeAdapter

from keen_trellis.whole_files import whole_file

_T = TypeVar("_T")


def stored(document: Path, room: str, sort: TypeAdapter[_T]) -> _T | None:
    """Return what is kept of a document; None where nothing is, or nothing that can be read.

    Parameters
    ----------
    document : Path
    room : str
        What sort of thing is kept: the folder of its files.
    sort : TypeAdapter
    """
    try:
        return sort.validate_python(json.loads(_place(document, room).read_text("ascii")))
    except (OSError, ValueError):
        return None


def store(document: Path, room: str, sort: TypeAdapter[_T], value: _T) -> None:
    """Keep something of a document; where the machine does not let it be kept, nothing is."""
    place = _place(document, room)
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        with whole_file(place) as beside:
            # not by pydantic's own JSON, which refuses a path whose bytes are no text
            content: Any = sort.dump_python(value, mode="json")
            beside.write_text(json.dumps(content), encoding="ascii")
    except OSError:
        return


def _place(document: Path, room: str) -> Path:
    name = hashlib.sha256(os.fsencode(document.resolve())).hexdigest()[:32]
    return platformdirs.user_state_path("keen-trellis") / room / f"{name}.json"
