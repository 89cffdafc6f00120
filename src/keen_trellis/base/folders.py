"""Folders: which of their files have a pattern, as the rows of one table are taken from them."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from fnmatch import fnmatchcase
from pathlib import Path

from keen_trellis.base.errors import MissingFileError, SourceError, reason
from keen_trellis.base.file_stamps import FileStamp
from keen_trellis.base.language import tr
from keen_trellis.base.whole_files import BESIDE

_PASSING = ("~$", ".~", ".")
"""How the names of files begin that other programs keep while they work."""


def files_of(folder: Path, pattern: str) -> list[Path]:
    """Return the files of a folder whose names have a pattern, by name.

    Raises
    ------
    SourceError
        The folder is not there, or may not be looked into.
    """
    if not folder.exists():
        raise MissingFileError(folder, is_folder=True)
    if ".." in Path(pattern).parts:
        raise SourceError(
            tr("The pattern “{pattern}” leads out of {folder}.", pattern=pattern, folder=folder),
            tr("Choose the folder that is meant."),
        )
    try:
        found = [p for p in folder.glob(pattern or "*") if p.is_file()]
    except (OSError, ValueError, NotImplementedError) as error:
        why = reason(error) if isinstance(error, OSError) else str(error)
        raise SourceError(
            tr(
                "The folder {folder} cannot be looked into with “{pattern}”: {why}.",
                folder=folder,
                pattern=pattern,
                why=why,
            ),
            tr("See that you may read it, and that the pattern is one such as *.csv."),
        ) from error
    return sorted(p for p in found if not _is_passing(p.relative_to(folder)))


def is_of_pattern(path: Path, folder: Path, pattern: str) -> bool:
    """Return whether `files_of` would give a file, if it were there.

    >>> is_of_pattern(Path("/a/b.csv"), Path("/a"), "**/*.csv")
    True
    """
    path = path.resolve()
    with suppress(SourceError):
        if any(found.resolve() == path for found in files_of(folder, pattern)):
            return True  # also by way of a link
    folder = folder.resolve()
    if not path.is_relative_to(folder) or _is_passing(path.relative_to(folder)):
        return False
    return _matches(path.relative_to(folder).parts, Path(pattern or "*").parts)


def _is_passing(path: Path) -> bool:
    """Whether a program keeps a file, or one of ours the folder above it, only while it works."""
    return path.name.startswith(_PASSING) or any(one.startswith(BESIDE) for one in path.parts)


def _matches(parts: Sequence[str], patterns: Sequence[str]) -> bool:
    """Return whether the parts of a path have a pattern; ** stands for any number of folders."""
    if not patterns:
        return not parts
    if patterns[0] == "**":
        if len(patterns) == 1:  # folders only, and a file is none
            return False
        return any(_matches(parts[n:], patterns[1:]) for n in range(len(parts)))
    if not parts or not fnmatchcase(parts[0], patterns[0]):
        return False
    return _matches(parts[1:], patterns[1:])


def folder_stamps(folder: Path, pattern: str) -> tuple[FileStamp, ...]:
    """Return the files of a folder as they are now; none where it is gone."""
    try:
        return tuple(FileStamp.of(path) for path in files_of(folder, pattern))
    except SourceError:
        return ()
