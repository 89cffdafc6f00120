"""What was worked on and read from lately, remembered on this machine; never a password."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict, dataclass
from functools import cache
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError
from PySide6.QtCore import QSettings

from keen_trellis.base.language import tr
from keen_trellis.servers.server import Database, Server, SqliteFile

Place = Path | Database
"""What tables can be brought in from: a file, a folder, or a database."""

_KEY, _KEPT = "recent/places", 8
_TRELLISES = "recent/trellises"


@cache
def _databases() -> TypeAdapter[Any]:
    """Return what reads a database that was remembered; made when one is looked for."""
    return TypeAdapter(Database)


def recent_places() -> list[Place]:
    """Return the places, the latest first; files that are gone are left out."""
    found: list[Place] = []
    for text in _texts(_KEY):
        try:
            if text.startswith("{"):
                found.append(_databases().validate_json(text))
            elif Path(text).exists():
                found.append(Path(text))
        except (ValidationError, ValueError):
            continue
    return found


def remember_place(place: Place) -> None:
    """Put a place first."""
    if isinstance(place, SqliteFile):
        text = place.path
    elif isinstance(place, Server):
        text = TypeAdapter(dict[str, Any]).dump_json(asdict(place)).decode()
    else:
        text = str(place)
    texts = [text, *(t for t in _texts(_KEY) if t != text)]
    QSettings().setValue(_KEY, texts[:_KEPT])


@dataclass(frozen=True, slots=True)
class RecentTrellis:
    """A trellis that was opened or saved, and when last."""

    path: Path
    at: dt.datetime


def recent_trellises() -> list[RecentTrellis]:
    """Return the trellises worked on, the latest first; also those that are no longer there."""
    found = []
    for text in _texts(_TRELLISES):
        at, _, path = text.partition(" ")
        try:
            found.append(RecentTrellis(Path(path), dt.datetime.fromisoformat(at)))
        except ValueError:
            continue
    return found


def remember_trellis(path: Path) -> None:
    """Put a trellis first."""
    others = [text for text in _texts(_TRELLISES) if text.partition(" ")[2] != str(path)]
    now = dt.datetime.now().isoformat(timespec="minutes")
    QSettings().setValue(_TRELLISES, [f"{now} {path}", *others][:_KEPT])


def place_words(place: Place) -> str:
    """Return a place as a menu shows it."""
    if isinstance(place, Server):
        return tr("{label} as {user}", label=place.label, user=place.user)
    path = place if isinstance(place, Path) else Path(place.path)
    return f"{path.name}   {path.parent}"


def _texts(key: str) -> list[str]:
    kept = QSettings().value(key, [])
    if isinstance(kept, str):  # one value comes back without its list
        kept = [kept]
    return [str(text) for text in kept] if isinstance(kept, list) else []
