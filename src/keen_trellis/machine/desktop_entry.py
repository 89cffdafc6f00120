"""The program in the menu of the desktop, and its documents, for one user alone.

By the specifications of freedesktop.org: an entry, an icon, and a type of documents by their ending
and by how they begin. All of them lie under the user's own folder for data.
"""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Callable, Mapping
from pathlib import Path

from keen_trellis.base.errors import UserError, reason
from keen_trellis.base.language import tr
from keen_trellis.base.shipped import SHIPPED

_PLACES = {
    "keen-trellis.desktop": "applications",
    "keen-trellis.svg": "icons/hicolor/scalable/apps",
    "keen-trellis.xml": "mime/packages",
    "org.keentrellis.KeenTrellis.metainfo.xml": "metainfo",
}
"""Where each of the shipped files lies below a folder for data."""
_TOLD = {
    "update-desktop-database": "applications",
    "update-mime-database": "mime",
    "gtk-update-icon-cache": "icons/hicolor",
}
"""Who reads them from a list of their own, which is made anew where the program is there."""


def data_folder(surroundings: Mapping[str, str] = os.environ) -> Path:
    """Return where the desktop looks for what one user has: XDG_DATA_HOME, or its usual place."""
    named = surroundings.get("XDG_DATA_HOME", "")
    return Path(named) if os.path.isabs(named) else Path.home() / ".local" / "share"


def install(program: str, folder: Path) -> list[Path]:
    """Put the entry, the icon and the type of documents into a folder for data.

    Parameters
    ----------
    program : str
        The path of what the entry starts.
    folder : Path

    Returns
    -------
    list of Path
        What was written.

    Raises
    ------
    UserError
        The folder cannot be written to.
    """
    made = []
    try:
        for name, place in _PLACES.items():
            text = (SHIPPED / "desktop" / name).read_text(encoding="utf-8")
            if name.endswith(".desktop"):
                text = text.replace("Exec=keen-trellis", f"Exec={quoted(program)}")
            path = folder / place / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
            made.append(path)
    except OSError as error:
        raise UserError(
            tr(
                "The entry for the desktop cannot be written below {folder}: {reason}.",
                folder=folder,
                reason=reason(error),
            ),
            tr("Set XDG_DATA_HOME to a folder that can be written to."),
        ) from error
    _tell(folder)
    return made


def remove(folder: Path) -> list[Path]:
    """Take away what `install` has put into a folder; return what was there.

    Raises
    ------
    UserError
        A file is there and cannot be removed.
    """
    gone = []
    for name, place in _PLACES.items():
        path = folder / place / name
        try:
            path.unlink()
        except FileNotFoundError:
            continue
        except OSError as error:
            raise UserError(
                tr("{path} cannot be removed: {reason}.", path=path, reason=reason(error)), ""
            ) from error
        gone.append(path)
    _tell(folder)
    return gone


def quoted(program: str) -> str:
    """Return a path as one word of an entry's Exec.

    By the Desktop Entry Specification: in quotation marks, what has a meaning there behind a
    backslash, a percent sign twice; and every backslash once more, since the whole is a string.
    """
    if not set(program) & set(" \t\n\"'\\><~|&;$*?#()`%"):
        return program
    inner = "".join(f"\\{one}" if one in '"`$\\' else one for one in program)
    return f'"{inner}"'.replace("\\", "\\\\").replace("%", "%%")


def _tell(folder: Path, run: Callable[..., object] = subprocess.run) -> None:
    for program, place in _TOLD.items():
        found = shutil.which(program)
        if found and (folder / place).is_dir():
            run([found, str(folder / place)], check=False, capture_output=True, timeout=60)
