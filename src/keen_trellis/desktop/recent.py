"""The places that lanes were last made from, remembered on this machine; never a password."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError
from PySide6.QtCore import QSettings

from keen_trellis.desktop.entries import Place
from keen_trellis.read import Database, Server, SqliteFile

_KEY, _KEPT = "recent/places", 8
_DATABASES: TypeAdapter[Any] = TypeAdapter(Database)


def recent_places() -> list[Place]:
    """Return the places, the latest first; files that are gone are left out."""
    found: list[Place] = []
    for text in _texts():
        try:
            if text.startswith("{"):
                found.append(_DATABASES.validate_json(text))
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
    texts = [text, *(t for t in _texts() if t != text)]
    QSettings().setValue(_KEY, texts[:_KEPT])


def place_words(place: Place) -> str:
    """Return a place as a menu shows it."""
    if isinstance(place, Server):
        return f"{place.label} as {place.user}"
    path = place if isinstance(place, Path) else Path(place.path)
    return f"{path.name}   {path.parent}"


def _texts() -> list[str]:
    kept = QSettings().value(_KEY, [])
    if isinstance(kept, str):  # one value comes back without its list
        kept = [kept]
    return [str(text) for text in kept] if isinstance(kept, list) else []
