"""The program that runs already for this user on this display, and how it is asked to open a file.

It listens on a socket in the folder that the system keeps for the user alone. Without such a folder
every start is a process of its own.
"""

from __future__ import annotations

import hashlib
import json
import os
import socket
import stat
from dataclasses import dataclass
from pathlib import Path

from keen_trellis.base.version import VERSION

_ANSWERS_WITHIN_S = 2.0
_AT_MOST = 1 << 16
TAKEN = b"taken\n"


@dataclass(frozen=True, slots=True)
class Asked:
    """What another start asks for.

    Attributes
    ----------
    file : Path or None
        Absolute; None for an empty window.
    token : str
        What lets its window come to the front, where the display wants one.
    """

    file: Path | None
    token: str = ""

    def written(self) -> bytes:
        """Return it as one line."""
        file = None if self.file is None else os.fspath(self.file)
        return json.dumps({"version": VERSION, "file": file, "token": self.token}).encode() + b"\n"

    @classmethod
    def read(cls, line: bytes) -> Asked | None:
        """Return what a line asks for; None for what is not ours, or of another version."""
        try:
            found = json.loads(line)
            if found["version"] != VERSION or len(line) > _AT_MOST:
                return None
            file, token = found["file"], found["token"]
        except (ValueError, KeyError, TypeError):
            return None
        if not isinstance(token, str) or not (file is None or isinstance(file, str)):
            return None
        if file is not None and ("\0" in file or not os.path.isabs(file)):
            return None
        return cls(None if file is None else Path(file), token)


def socket_path() -> Path | None:
    """Return where the program listens; None where no folder is this user's alone."""
    runtime = os.environ.get("XDG_RUNTIME_DIR", "")
    try:
        found = os.stat(runtime) if os.path.isabs(runtime) else None
    except OSError:
        return None
    # the folder is the whole protection: who can enter it could answer in the program's place
    if found is None or found.st_uid != os.getuid() or stat.S_IMODE(found.st_mode) & 0o077:
        return None
    display = [os.environ.get(n, "") for n in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")]
    name = hashlib.sha256("\0".join(display).encode()).hexdigest()[:12]
    return Path(runtime) / "keen-trellis" / f"{name}.socket"


def is_heard(path: Path) -> bool:
    """Return whether somebody listens on a socket; one that was killed leaves it behind."""
    try:
        with socket.socket(socket.AF_UNIX) as there:
            there.settimeout(_ANSWERS_WITHIN_S)
            there.connect(os.fspath(path))
    except OSError:
        return False
    return True


def handed_over(file: Path | None) -> bool:
    """Ask the program that runs already to open a file; return whether it does.

    Parameters
    ----------
    file : Path or None
        None for an empty window.
    """
    path = socket_path()
    if path is None or not path.exists():
        return False
    token = os.environ.get("XDG_ACTIVATION_TOKEN") or os.environ.get("DESKTOP_STARTUP_ID", "")
    asked = Asked(None if file is None else file.absolute(), token)
    try:
        with socket.socket(socket.AF_UNIX) as there:
            there.settimeout(_ANSWERS_WITHIN_S)
            there.connect(os.fspath(path))
            there.sendall(asked.written())
            return there.recv(len(TAKEN)) == TAKEN
    except OSError:  # it has just ended, or hangs: this start is a process of its own
        return False
