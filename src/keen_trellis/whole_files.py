"""Files that are written whole or not at all."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path


@contextlib.contextmanager
def whole_file(path: Path) -> Iterator[Path]:
    """Give a temporary file beside `path`, which takes its place only once all is on the disk.

    Whatever stops the work in between, `path` holds what it held before.

    Raises
    ------
    OSError
        The folder cannot be written to.
    """
    mode = path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask()
    # a name of its own: one made of `path`'s would be too long beside one of 255 bytes
    handle, name = tempfile.mkstemp(prefix=".writing-", suffix=path.suffix, dir=path.parent)
    os.close(handle)
    beside = Path(name)
    try:
        yield beside
        with beside.open("rb") as file:
            os.fsync(file.fileno())
        beside.chmod(mode)
        beside.replace(path)
        _sync_folder(path.parent)
    finally:
        beside.unlink(missing_ok=True)


def _umask() -> int:
    current = os.umask(0)
    os.umask(current)
    return current


def _sync_folder(folder: Path) -> None:
    """Put the renaming itself on the disk."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
