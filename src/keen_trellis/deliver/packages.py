"""Zipped packages written anew: what a library writes without rows, with the rows put into it."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import IO

_DATED = (1980, 1, 1, 0, 0, 0)


def repack(
    write_bare: Callable[[Path], None],
    put: Callable[[str, bytes, IO[bytes]], object],
    path: Path,
) -> None:
    """Write a package as it comes, and from it one with other content.

    No entry has a date, so that the same rows give the same bytes. What passes lies beside the
    target, where there is room for it, and goes with the folder in which that is written.

    Parameters
    ----------
    write_bare : callable
        Writes the package as it comes, to the path it is given.
    put : callable
        Given the name of each entry, its content, and the file that takes what is to stand there.
    path : Path
        Where the new one is written.
    """
    with TemporaryDirectory(dir=path.parent) as folder:
        bare = Path(folder) / f"bare{path.suffix}"
        write_bare(bare)
        with zipfile.ZipFile(bare) as before, zipfile.ZipFile(path, "w") as after:
            for entry in before.infolist():
                made = zipfile.ZipInfo(entry.filename, _DATED)
                made.compress_type = entry.compress_type  # what says its type may have to be bare
                is_long = entry.filename.endswith(".xml")
                with after.open(made, "w", force_zip64=is_long) as file:
                    put(entry.filename, before.read(entry), file)
