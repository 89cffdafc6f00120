"""Files that can be read at all."""

from __future__ import annotations

import stat
from contextlib import suppress
from pathlib import Path

from keen_trellis.base.errors import MissingFileError, SourceError, reason
from keen_trellis.base.language import tr

_OF_THE_SYSTEM = ("/proc", "/sys", "/dev")


def existing_file(path: Path) -> Path:
    """Return `path` if it is a file that can be opened and has content.

    Raises
    ------
    SourceError
        It is missing, a folder, empty, or may not be opened; or it is no file at all, such as a
        pipe, whose opening could wait forever, or a device.
    """
    with suppress(OSError):  # what is wrong with it is said on opening
        mode, real = path.stat().st_mode, path.resolve()
        is_system = any(real.is_relative_to(place) for place in _OF_THE_SYSTEM)
        if not (stat.S_ISREG(mode) or stat.S_ISDIR(mode)) or is_system:
            raise SourceError(
                tr("{path} is no ordinary file, but a part of the system or a pipe.", path=path),
                tr("Choose a file that lies on a disk."),
            )
    try:
        with path.open("rb") as file:
            empty = not file.read(1)
    except FileNotFoundError:
        raise MissingFileError(path) from None
    except IsADirectoryError:
        raise SourceError(
            tr("{path} is a folder, not a file.", path=path), tr("Choose a file in it.")
        ) from None
    except OSError as error:
        raise SourceError(
            tr("The file {path} cannot be opened: {reason}.", path=path, reason=reason(error)),
            tr("See that you may read it and that no other program holds it."),
        ) from error
    if empty:
        raise SourceError(
            tr("The file {path} is empty.", path=path), tr("Choose a file with a header and rows.")
        )
    return path


def is_one_file(first: Path, second: Path) -> bool:
    """Whether two paths lead to one file: by links of either sort, or since case counts nothing."""
    if first.resolve() == second.resolve():
        return True
    try:
        return first.samefile(second)
    except OSError:  # one of them is not there, so that they cannot be one
        return False
