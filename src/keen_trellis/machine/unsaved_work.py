"""Work that is not saved yet, kept on this machine so that it outlives the program.

Each window keeps one file beside the numbers of runs. It goes when the work is saved or left on
purpose; what is there of a program that no longer runs was left behind by a crash. A second file
tells other windows which document one has open.
"""

from __future__ import annotations

import datetime as dt
import difflib
import json
import os
import uuid
from dataclasses import dataclass, field
from pathlib import Path

import platformdirs

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import marked, tr
from keen_trellis.base.whole_files import whole_file
from keen_trellis.document.describe import describe
from keen_trellis.document.storage import dumps, loads
from keen_trellis.document.trellis import Trellis


@dataclass(frozen=True, slots=True)
class LeftWork:
    """Work that a program left behind.

    Attributes
    ----------
    file : Path
        Where it is kept.
    document : Path or None
        Where it was saved before; None for work that never was.
    at : datetime
    trellis : Trellis
    """

    file: Path
    document: Path | None
    at: dt.datetime
    trellis: Trellis

    def drop(self) -> None:
        """Keep it no longer."""
        self.file.unlink(missing_ok=True)


@dataclass(slots=True)
class Keeping:
    """What one window keeps of its work.

    Attributes
    ----------
    name : str
        Of its file; another for each window.
    """

    name: str = field(default_factory=lambda: f"{os.getpid()}-{uuid.uuid4().hex[:8]}")

    def keep(self, trellis: Trellis, document: Path | None) -> None:
        """Keep work as it is now, whole or not at all.

        Raises
        ------
        OSError
            The machine does not let it be kept.
        """
        content = {
            "pid": os.getpid(),
            "at": dt.datetime.now().isoformat(timespec="seconds"),
            "document": str(document) if document is not None else None,
            "trellis": dumps(trellis),
        }
        place = _folder() / f"{self.name}.work"
        place.parent.mkdir(parents=True, exist_ok=True)
        with whole_file(place) as beside:
            beside.write_text(json.dumps(content), encoding="utf-8")  # every letter as ASCII

    def drop(self) -> None:
        """Keep nothing any more: it is saved, or left on purpose."""
        (_folder() / f"{self.name}.work").unlink(missing_ok=True)

    def opened(self, document: Path | None) -> bool:
        """Tell other windows which document this one has; return whether one has it already."""
        mine = _folder() / f"{self.name}.open"
        if document is None:
            mine.unlink(missing_ok=True)
            return False
        name = os.fsencode(document.resolve())
        # Files of programs that no longer run say nothing; they go at the next start that looks
        # for left work.
        others = [f for f in _folder().glob("[0-9]*.open") if f != mine and _runs(f)]
        is_open = any(_bytes_of(other) == name for other in others)
        mine.parent.mkdir(parents=True, exist_ok=True)
        mine.write_bytes(name)
        return is_open


def left_work() -> list[LeftWork]:
    """Return what programs that no longer run have left, the latest first."""
    found = []
    for file in _folder().glob("[0-9]*.work"):
        if _runs(file):
            continue
        try:
            content = json.loads(file.read_text(encoding="utf-8"))
            document = content["document"]
            trellis = loads(content["trellis"], file)
            at = dt.datetime.fromisoformat(content["at"])
        except (OSError, ValueError, KeyError, TypeError, UserError):
            file.rename(file.with_suffix(".unreadable"))  # for whoever wants to look into it
            continue
        found.append(LeftWork(file, Path(document) if document else None, at, trellis))
    for file in _folder().glob("[0-9]*.open"):
        if not _runs(file):
            file.unlink(missing_ok=True)
    return sorted(found, key=lambda work: work.at, reverse=True)


def differences(saved: Trellis | None, kept: Trellis) -> list[str]:
    """Return what is said of the kept work and not of the saved one, and the other way round."""
    before = list(describe(saved)) if saved is not None else []
    lines = difflib.ndiff(before, list(describe(kept)))
    signs = {"+ ": marked("now: {line}"), "- ": marked("saved: {line}")}
    return [tr(signs[line[:2]], line=line[2:].strip()) for line in lines if line[:2] in signs]


def _runs(file: Path) -> bool:
    """Return whether the program that keeps a file still runs."""
    # The name begins with the process's number. Another program may have that number by now: then
    # the work waits for the next start, which loses nothing.
    number = file.name.partition("-")[0]
    return number.isdecimal() and Path(f"/proc/{number}").exists()


def _bytes_of(file: Path) -> bytes:
    try:
        return file.read_bytes()
    except OSError:
        return b""


def _folder() -> Path:
    return platformdirs.user_state_path("keen-trellis") / "work"
