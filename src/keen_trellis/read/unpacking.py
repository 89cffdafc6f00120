"""Packed files: unpacked beside the work, within limits, and looked into before they are opened."""

from __future__ import annotations

import gzip
import struct
import tempfile
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from keen_trellis.base.errors import SourceError, reason
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report

UNPACKED_AT_MOST = 4 << 30
"""Bytes that a packed file may unpack to; a workbook of that size has tens of millions of cells."""

SUSPICIOUS_FROM = 256 << 20
"""From so many unpacked bytes on, far more unpacked than packed ones are no table."""

_SUSPICIOUS_RATIO = 200
_GZIP = b"\x1f\x8b"
_PIECE = 1 << 20


def is_gzip(path: Path) -> bool:
    """Whether a file is packed with gzip, whatever its name."""
    with path.open("rb") as file:
        return file.read(2) == _GZIP


def head_of(path: Path, size: int) -> bytes:
    """Return the first bytes of a file, unpacked, and more of them until a line has ended.

    Raises
    ------
    SourceError
        A packed file is damaged.
    """
    longest = 64 << 20
    try:
        with gzip.open(path) if is_gzip(path) else path.open("rb") as file:
            head = file.read(size)
            while len(head) < longest and b"\n" not in head and b"\r" not in head:
                more = file.read(len(head))
                if not more:
                    break
                head += more
            return head
    except (EOFError, zlib.error, gzip.BadGzipFile) as error:
        raise _damaged(path) from error


@contextmanager
def unpacked(path: Path, report: Report) -> Iterator[Path]:
    """Give a file as it is, or a gzip file unpacked for as long as it is needed.

    Raises
    ------
    SourceError
        The file is damaged, or unpacks to more than is sensible.
    """
    if not is_gzip(path):
        yield path
        return
    packed = path.stat().st_size
    with tempfile.TemporaryFile() as beside:  # without a name: nothing is left, however it ends
        try:
            with path.open("rb") as outer, gzip.open(outer) as inner:
                while piece := inner.read(_PIECE):
                    beside.write(piece)
                    refuse_excess(beside.tell(), packed, path)
                    report(outer.tell() / packed, tr("Unpacking {name}", name=path.name))
            beside.flush()
        except (EOFError, zlib.error, gzip.BadGzipFile) as error:
            raise _damaged(path) from error
        except OSError as error:
            raise SourceError(
                tr("{path} cannot be unpacked: {reason}.", path=path, reason=reason(error)),
                tr("Make room on the disk, or unpack it elsewhere and choose the unpacked file."),
            ) from error
        yield Path(f"/proc/self/fd/{beside.fileno()}")


_IS_ENCRYPTED = 0x1
"""The flag of a zip's part; workbooks with a password of their own have none of these."""


def looked_into(path: Path) -> zipfile.ZipFile | None:
    """Return a file as a zip archive that is sound and of sensible size; None if it is no zip.

    Raises
    ------
    SourceError
        The archive is cut off, damaged or encrypted, or unpacks to more than is sensible.
    """
    with path.open("rb") as file:
        if file.read(4) != b"PK\x03\x04":
            return None
    try:
        archive = zipfile.ZipFile(path)
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError, struct.error) as error:
        raise _damaged(path) from error
    try:
        for part in archive.infolist():
            refuse_excess(part.file_size, part.compress_size, path)
            if part.flag_bits & _IS_ENCRYPTED:
                raise SourceError(
                    tr("The workbook {path} is protected in a way that cannot be read.", path=path),
                    tr("Save a copy without a password and choose that."),
                )
        size = sum(part.file_size for part in archive.infolist())
        refuse_excess(size, path.stat().st_size, path)
    except SourceError:
        archive.close()
        raise
    return archive


def unpacked_size(path: Path) -> int:
    """Return how many bytes a zip archive unpacks to; 0 for any other file.

    Raises
    ------
    SourceError
        The archive is damaged, or unpacks to more than is sensible.
    """
    archive = looked_into(path)
    if archive is None:
        return 0
    with archive:
        return sum(part.file_size for part in archive.infolist())


def refuse_excess(unpacked_size: int, packed_size: int, path: Path) -> None:
    """Refuse a file that unpacks to more than `UNPACKED_AT_MOST`, or to far more than tables do.

    Raises
    ------
    SourceError
        It does.
    """
    swells = unpacked_size > _SUSPICIOUS_RATIO * max(packed_size, 1)
    if unpacked_size > UNPACKED_AT_MOST or (swells and unpacked_size > SUSPICIOUS_FROM):
        raise SourceError(
            tr(
                "{path} unpacks to {unpacked_size:,} MB or more from {packed_size:,} KB, "
                "which no table does.",
                path=path,
                unpacked_size=unpacked_size >> 20,
                packed_size=packed_size >> 10,
            ),
            tr("If you trust the file, save its table as delimited text and choose that."),
        )


def _damaged(path: Path) -> SourceError:
    return SourceError(
        tr("{path} is cut off or damaged: it cannot be unpacked to its end.", path=path),
        tr("Fetch or save it anew, and choose it again."),
    )
