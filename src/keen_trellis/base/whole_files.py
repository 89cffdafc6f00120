"""Files that are written whole or not at all."""

from __future__ import annotations

import contextlib
import errno
import glob
import os
import shutil
import stat
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path

from keen_trellis.base.language import tr

BESIDE = ".writing-"
"""How the names of folders begin in which something is written."""

_UNDER_WAY: set[Path] = set()
"""The folders of what this process writes at the moment; added and discarded by any thread."""

Noting = Callable[[Path, Path], contextlib.AbstractContextManager[object]]
"""Takes a path and the whole file beside it; the one takes the place of the other within it."""


@contextlib.contextmanager
def whole_file(path: Path, noting: Noting | None = None) -> Iterator[Path]:
    """Give a temporary file, which takes the place of `path` only once all is on the disk.

    It lies in a folder of its own beside `path`, where whoever writes may put what passes: one name
    stands for all that is to go when the work is stopped or the program is killed.

    Whatever stops the work in between, `path` holds what it held before. A link stays a link, to
    the new file; mode and owner stay as far as the system lets them.

    Raises
    ------
    OSError
        The folder cannot be written to, or there is something that is no ordinary file, or that is
        marked as not to be written.
    """
    path = path.resolve()
    was = path.stat() if path.exists() else None
    if was is not None and not stat.S_ISREG(was.st_mode):
        raise OSError(errno.EINVAL, tr("it is no ordinary file"), str(path))
    if was is not None and not was.st_mode & 0o222:
        raise OSError(errno.EACCES, tr("it is marked as not to be written"), str(path))
    mode = was.st_mode & 0o777 if was is not None else 0o666 & ~_umask()
    _remove_leftovers(path.parent)
    # named before it is made, so that it is removed at whatever moment somebody stops the work;
    # the name is not made of `path`'s, which would be too long beside one of 255 bytes
    folder = path.parent / f"{passing_name()}{uuid.uuid4().hex[:12]}"
    beside = folder / f"whole{path.suffix[:40]}"
    _UNDER_WAY.add(folder)
    try:
        folder.mkdir(0o700)
        os.close(os.open(beside, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600))
        yield beside
        with beside.open("rb") as file:
            os.fsync(file.fileno())
        if was is not None and (was.st_uid, was.st_gid) != (os.getuid(), os.getgid()):
            with contextlib.suppress(OSError):  # who may not give a file away has made it their own
                os.chown(beside, was.st_uid, was.st_gid)
        beside.chmod(mode)
        with noting(path, beside) if noting is not None else contextlib.nullcontext():
            beside.replace(path)
        _sync_folder(path.parent)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
        _UNDER_WAY.discard(folder)


def give_up() -> None:
    """Remove what this process is writing, for the one who ends it without waiting for its work.

    A folder may be written to at the same time by the work that goes on: what comes after it has
    been looked through keeps it from going, so it is looked through again.
    """
    for folder in list(_UNDER_WAY):
        for _ in range(20):
            shutil.rmtree(folder, ignore_errors=True)
            if not folder.exists():
                break


def passing_name() -> str:
    """Return how the names of files begin that stand beside a target while it is written.

    They say which program of which machine made them, so that another one can tell whether it was
    killed and removes what it left.
    """
    return f"{_mine()}{os.getpid()}-"


def is_left_behind(name: str) -> bool:
    """Return whether a passing name was given on this machine by a program that runs no more."""
    number = name.removeprefix(_mine()).partition("-")[0] if name.startswith(_mine()) else ""
    return number.isdecimal() and not Path(f"/proc/{number}").exists()


def _mine() -> str:
    return f"{BESIDE}{os.uname().nodename[:40]}-"


def _remove_leftovers(folder: Path) -> None:
    """Remove what programs on this machine left that were killed while they wrote there."""
    for left in folder.glob(f"{glob.escape(_mine())}*"):
        if is_left_behind(left.name):
            with contextlib.suppress(OSError):
                shutil.rmtree(left) if left.is_dir() else left.unlink()


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
