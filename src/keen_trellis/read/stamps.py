"""Files as they were when they were read."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True, slots=True)
class FileStamp:
    """A file as it was when it was read: another stamp tells that it has changed."""

    path: str
    changed_ns: int
    size: int

    @classmethod
    def of(cls, path: Path) -> FileStamp:
        """Return the stamp of a file as it is now; zeros where it is not there."""
        try:
            now = path.stat()
        except OSError:
            return cls(str(path), 0, 0)
        return cls(str(path), now.st_mtime_ns, now.st_size)
