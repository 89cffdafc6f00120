"""Files as they were when they were read, and reads that nobody writes into.

What is read while somebody writes to it may be half old and half new, and nothing about the rows
would tell. So a file is stamped before and after: if it changed meanwhile, what was read is thrown
away and read once more, and if it changed again, it is refused by name.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial, update_wrapper
from pathlib import Path
from typing import Concatenate, ParamSpec, TypeVar

from keen_trellis.base.errors import SourceError
from keen_trellis.base.language import tr

_T = TypeVar("_T")
_P = ParamSpec("_P")


@dataclass(frozen=True, slots=True)
class FileStamp:
    """A file as it was when it was read: another stamp tells that it has changed.

    Attributes
    ----------
    path : str
    changed_ns, size : int
        When it was last written to, and its bytes; zeros where it was not there.
    device, number : int
        Which file it is: one that took its place under its name has others.
    """

    path: str
    changed_ns: int
    size: int
    device: int = 0
    number: int = 0

    @classmethod
    def of(cls, path: Path) -> FileStamp:
        """Return the stamp of a file as it is now; zeros where it is not there."""
        try:
            now = path.stat()
        except OSError:
            return cls(str(path), 0, 0)
        return cls(str(path), now.st_mtime_ns, now.st_size, now.st_dev, now.st_ino)


def stamps_below(path: Path) -> tuple[FileStamp, ...]:
    """Return the stamps of a file, or of all files below a folder, as they are now."""
    if not path.is_dir():
        return (FileStamp.of(path),)
    return tuple(FileStamp.of(one) for one in sorted(path.rglob("*")) if one.is_file())


class WrittenMeanwhileError(SourceError):
    """A source was written to while it was read, so that nothing of it can be trusted."""

    def __init__(self, names: Sequence[str]) -> None:
        more = tr(" and {names:,} more", names=len(names) - 1) if len(names) > 1 else ""
        super().__init__(
            tr(
                "{names_1}{more} was written to while it was read: what came of it may be half old "
                "and half new, and is not used.",
                names_1=names[0],
                more=more,
            ),
            tr("Read it again once whatever writes it is done, or read a copy."),
        )


def unwritten(
    stamps: Callable[[], Sequence[FileStamp]],
    read: Callable[[], _T],
    fails_with: tuple[type[Exception], ...] = (SourceError,),
    is_locked: Callable[[], bool] = lambda: False,
) -> _T:
    """Return what `read` gives of files that nobody wrote to meanwhile.

    Parameters
    ----------
    stamps : callable
        Returns the stamps of all that is read, as they are now.
    read : callable
        Called once more where a stamp changed, also where it failed then.
    fails_with : tuple of exception types
        How it fails where what it reads is only half there.
    is_locked : callable
        Tells once it has been called whether a lock kept what it read as it was: then the stamps
        tell nothing.

    Raises
    ------
    WrittenMeanwhileError
        They were written to both times.
    """
    before = stamps()
    for _ in range(2):
        failed: Exception | None = None
        try:
            found = read()
        except fails_with as error:
            failed = error
        after = stamps()
        # where a lock held, the stamps mean nothing; that it was broken tells who read under it
        is_whole = is_locked() and not isinstance(failed, WrittenMeanwhileError)
        if is_whole or before == after:
            if failed is not None:
                raise failed
            return found
        written = before
        before = after
    raise WrittenMeanwhileError(written_to(written, after))


def written_to(before: Sequence[FileStamp], after: Sequence[FileStamp]) -> list[str]:
    """Return the paths of files that are others, or that came or went, by name."""
    return sorted({one.path for one in set(before) ^ set(after)})


def unwritten_file(
    read: Callable[Concatenate[Path, _P], _T],
) -> Callable[Concatenate[Path, _P], _T]:
    """Let what reads the file of its first argument read it unwritten, as `unwritten` does."""

    def reads(path: Path, /, *rest: _P.args, **named: _P.kwargs) -> _T:
        return unwritten(lambda: (FileStamp.of(path),), partial(read, path, *rest, **named))

    update_wrapper(reads, read)
    return reads
