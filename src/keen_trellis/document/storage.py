"""A trellis on the disk: readable JSON, saved whole, refused with a sentence when broken."""

from __future__ import annotations

import dataclasses
import json
import os
import re
from collections.abc import Callable
from pathlib import Path, PurePosixPath
from typing import Any

from pydantic import BaseModel, ValidationError

from keen_trellis.base.errors import DocumentError, reason
from keen_trellis.base.language import tr
from keen_trellis.base.whole_files import whole_file
from keen_trellis.base.words import NOT_SHOWN, plainly
from keen_trellis.document.edits.edit import first_fault
from keen_trellis.document.items import DeliveryItem
from keen_trellis.document.trellis import VERSION, Trellis

ENDING = ".trellis"
_LINE_WIDTH = 92
_BYTES_AT_MOST = 64 << 20
_ALWAYS_THERE = {"format", "version", "type", "name", "lanes", "items", "colour", "link", "keep"}


def _settings_into_layouts(document: dict[str, Any]) -> dict[str, Any]:
    """Lift version 1: a source's settings stood beside its path, and databases were files."""

    def lifted(source: dict[str, Any]) -> dict[str, Any]:
        kept = {k: v for k, v in source.items() if k in ("type", "sheet", "table", "path")}
        layout = {k: source[k] for k in ("delimiter", "encoding", "header_row") if k in source}
        if source.get("header") is not None:
            layout["header_row"] = int(source["header"])
        if source.get("type") == "table":
            kept["database"] = {"type": "sqlite", "path": kept.pop("path", "")}
        return {**kept, "layout": layout} if layout else kept

    lanes = [{**lane, "source": lifted(lane["source"])} for lane in document["lanes"]]
    return {**document, "version": 2, "lanes": lanes}


KIND_NAMES = {"whole number": "integer", "yes/no": "boolean"}


def _terms_of_the_trade(document: dict[str, Any]) -> dict[str, Any]:
    """Lift version 2: two kinds had names of their own, and a join was the only sort of tie."""

    def renamed(part: Any, key: str = "") -> Any:
        if isinstance(part, dict):
            if key == "kinds":
                return {name: KIND_NAMES.get(kind, kind) for name, kind in part.items()}
            return {name: renamed(value, name) for name, value in part.items()}
        if isinstance(part, list):
            return [renamed(value) for value in part]
        return KIND_NAMES.get(part, part) if key == "compare_as" else part

    lanes = []
    for lane in renamed(document)["lanes"]:
        items = [
            {**item, "type": "join"} if item.get("type") == "tie" else item
            for item in lane.get("items", ())
        ]
        lanes.append({**lane, "items": items})
    return {**document, "version": 3, "lanes": lanes}


MIGRATIONS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
    1: _settings_into_layouts,
    2: _terms_of_the_trade,
}
"""For each old version, what lifts a document to the next one."""


def save(trellis: Trellis, path: Path) -> None:
    """Write a trellis to `path`, whole or not at all; paths become relative where they can.

    Raises
    ------
    DocumentError
        The folder cannot be written to.
    """
    # Paths stand as they lie from the document, so that a folder with both can be moved or sent.
    located = with_paths(trellis, lambda place: _relative(place, path.absolute().parent))
    try:
        with whole_file(path) as beside:
            # a path may have bytes that are no text: they stand there as JSON writes them
            beside.write_bytes(dumps(located).encode("utf-8", "backslashreplace"))
    except OSError as error:
        raise DocumentError(
            tr("{path} cannot be saved: {reason}.", path=path, reason=reason(error)),
            tr("Nothing is lost: choose another folder and save again."),
        ) from error


def load(path: Path) -> Trellis:
    """Return the trellis saved at `path`, with all its paths absolute.

    Raises
    ------
    DocumentError
        The file is missing, broken, or from a newer version.
    """
    try:
        if path.exists() and not path.is_file() and not path.is_dir():  # a pipe would wait forever
            raise _broken(path, tr("it is no ordinary file"))
        # Before it is read: a file of gigabytes that bears our ending would fill memory to no
        # end.
        if path.exists() and path.stat().st_size > _BYTES_AT_MOST:
            raise _broken(
                path, tr("it has more than {bytes_at_most} MB", bytes_at_most=_BYTES_AT_MOST >> 20)
            )
        text = path.read_text(encoding="utf-8")
    except OSError as error:
        raise DocumentError(
            tr("The trellis {path} cannot be opened: {reason}.", path=path, reason=reason(error)),
            tr("Choose where it is now."),
        ) from error
    except UnicodeDecodeError as error:
        raise _broken(path, tr("it is not text")) from error
    folder = path.absolute().parent
    return with_paths(loads(text, path), lambda place: _absolute(place, folder))


def dumps(trellis: Trellis) -> str:
    """Return a trellis as JSON, one line per small thing; settings left open are left out."""
    return _laid_out(_essential(trellis), 0) + "\n"


def loads(text: str, path: Path) -> Trellis:
    """Return the trellis that a text holds.

    Raises
    ------
    DocumentError
        The text is broken, or from a newer version; the message names `path`.
    """
    try:
        content = json.loads(text)
        _refuse_odd_letters(content, path)
    except json.JSONDecodeError as error:
        raise _broken(
            path, tr("line {lineno}: {msg}", lineno=error.lineno, msg=error.msg.lower())
        ) from error
    except RecursionError as error:
        raise _broken(path, tr("its parts lie too deep within each other")) from error
    except ValueError as error:  # more digits than Python takes
        raise _broken(path, tr("a number in it has thousands of digits")) from error
    if not isinstance(content, dict) or content.get("format") != "keen trellis":
        raise _broken(path, tr("it does not say that it is a trellis"))
    version = content.get("version")
    if not isinstance(version, int) or isinstance(version, bool):
        raise _broken(path, tr("it does not say its version"))
    if version > VERSION:
        raise DocumentError(
            tr(
                "{path} was saved by a newer Keen Trellis (document version {version}; this one "
                "reads up to {version_2}).",
                path=path,
                version=version,
                version_2=VERSION,
            ),
            tr("Open it with that one; nothing has been changed."),
        )
    if version < min(MIGRATIONS):
        raise _broken(path, tr("its version {version} is unknown", version=version))
    try:
        # One version at a time: each step knows two neighbours, and none of them ever changes
        # again.
        while version < VERSION:
            content = MIGRATIONS[version](content)
            version = content["version"]
        return Trellis.model_validate(content)
    except ValidationError as error:
        raise _broken(path, first_fault(error)) from error
    except (KeyError, TypeError, AttributeError, ValueError, OverflowError) as error:
        why = tr("a part of it is none that version {version} has", version=version)
        raise _broken(path, why) from error


_ODD = re.compile("[\x00\ud800-\udc7f\udd00-\udfff]")
"""What no name or value has; the half characters left out stand for bytes of a path."""


def _refuse_odd_letters(content: Any, path: Path) -> None:
    """Refuse a document with characters that are none, wherever they stand in it."""
    waiting = [content]
    while waiting:
        part = waiting.pop()
        if isinstance(part, dict):
            waiting += part.keys()
            waiting += part.values()
            name = part.get("name")
            if isinstance(name, str) and NOT_SHOWN.search(name):
                raise _broken(
                    path,
                    tr("the name “{name}” has a character that is not shown", name=plainly(name)),
                )
        elif isinstance(part, list):
            waiting += part
        elif isinstance(part, str) and _ODD.search(part):
            raise _broken(path, tr("a text in it has a character that is none"))


def with_paths(trellis: Trellis, change: Callable[[str], str]) -> Trellis:
    """Return the trellis with every path of a source or delivery changed."""
    lanes = []
    for lane in trellis.lanes:
        source = lane.source.at(change(lane.source.place)) if lane.source.place else lane.source
        items = tuple(
            item.at(change) if isinstance(item, DeliveryItem) else item for item in lane.items
        )
        lanes.append(lane.model_copy(update={"source": source, "items": items}))
    return trellis.model_copy(update={"lanes": tuple(lanes)})


def schema() -> dict[str, Any]:
    """Return the JSON Schema of a document."""
    return Trellis.model_json_schema()


def _absolute(place: str, folder: Path) -> str:
    """Return a path as it stands in a document from the root; ~ is the home folder."""
    try:
        named = Path(place).expanduser()
    except RuntimeError:  # nobody of that name: it is said when it is read that it is not there
        named = Path(place)
    return os.path.normpath(folder / named)


def _relative(place: str, folder: Path) -> str:
    """Return `place` from `folder`, unless they share nothing but the root."""
    absolute = Path(place).absolute()
    # `/home/…` and `/mnt/…` share nothing that would move together.
    if absolute.parts[:2] != folder.parts[:2]:
        return str(absolute)
    return str(PurePosixPath(os.path.relpath(absolute, folder)))


def _essential(part: Any) -> Any:
    """Return a document as plain values without the settings that are as they always are."""
    if isinstance(part, BaseModel):
        fields = type(part).model_fields
        values = {name: getattr(part, name) for name in sorted(fields, key=_type_first)}
        return {
            name: _essential(value)
            for name, value in values.items()
            # A setting as it always is is left out, so that a document says what was decided and
            # nothing else; some stand all the same, for whoever reads it.
            if name in _ALWAYS_THERE or value != fields[name].get_default(call_default_factory=True)
        }
    if dataclasses.is_dataclass(part):
        return {
            f.name: _essential(getattr(part, f.name))
            for f in sorted(dataclasses.fields(part), key=lambda f: _type_first(f.name))
            if f.name in _ALWAYS_THERE or getattr(part, f.name) != f.default
        }
    if isinstance(part, tuple | list):
        return [_essential(value) for value in part]
    return part


def _type_first(name: str) -> bool:
    return name != "type"


def _laid_out(content: Any, depth: int) -> str:
    """Return JSON in which whatever fits stands on one line, so that a diff reads well."""
    # Each level tries whether all of it fits on one line before it is broken: a join's link of
    # two fields is one line in a diff.
    line = json.dumps(content, ensure_ascii=False)
    if not isinstance(content, dict | list) or len(line) + 2 * depth <= _LINE_WIDTH:
        return line
    inner, outer = "  " * (depth + 1), "  " * depth
    if isinstance(content, dict):
        parts = [
            f"{json.dumps(key, ensure_ascii=False)}: {_laid_out(value, depth + 1)}"
            for key, value in content.items()
        ]
        opening, closing = "{", "}"
    else:
        parts = [_laid_out(value, depth + 1) for value in content]
        opening, closing = "[", "]"
    body = ",\n".join(inner + part for part in parts)
    return f"{opening}\n{body}\n{outer}{closing}"


def _broken(path: Path, why: str) -> DocumentError:
    return DocumentError(
        tr("{path} is not a trellis that can be opened: {why}.", path=path, why=why.rstrip(".")),
        tr("Choose another file, or bring back a copy from before; it has not been changed."),
    )
