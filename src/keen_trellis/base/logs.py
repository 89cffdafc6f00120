"""A log for whoever looks for what takes long or fails: what, how long, how many rows.

No value of a source is in it, no password and no text of a query: only sorts, the names of files
and of servers, and numbers. Errors are told by their class, since their words may quote a value.
It is kept in the user's own folder for states, a few files of a bounded size; what other packages
would tell goes nowhere, since it may quote values.
"""

from __future__ import annotations

import contextlib
import logging
import os
import re
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass
from logging.handlers import RotatingFileHandler
from pathlib import Path
from typing import TextIO

from keen_trellis.base.errors import UserError, reason
from keen_trellis.base.language import tr
from keen_trellis.base.words import plainly

ON_SCREEN = "-"
"""Where a log is written to that is shown with what else the program says of itself."""

_KEPT_BYTES, _KEPT_FILES = 1 << 20, 6
_OURS = logging.getLogger("keen_trellis")
_BEGINS = re.compile(rb"\d{4}-\d\d-\d\d \d\d:\d\d:\d\d,\d{3} [A-Z]+ keen")
"""How every line of a log begins."""


def begin_log(where: str = "", kept: Path | None = None, shown: bool = False) -> None:
    """Have a log written where somebody asks for it, and kept as the usual one; both or neither.

    Parameters
    ----------
    where : str
        A file that is gone on with, its owner alone reads it; empty for none.
    kept : Path or None
        The usual log, begun anew from time to time. One that cannot be written to is done without.
    shown : bool
        Whether it is shown on the screen as well, as for `where` “-”.

    Raises
    ------
    UserError
        The file asked for cannot be written to, or holds something that is no log.
    """
    logging.getLogger().addHandler(logging.NullHandler())
    logging.raiseExceptions = False  # a full disk ends no run, and is told with no message's words
    _OURS.propagate = False
    for before in list(_OURS.handlers):  # of another command in the same process
        _OURS.removeHandler(before)
        before.close()
    wanted: list[tuple[logging.Handler, int]] = [(logging.NullHandler(), logging.CRITICAL)]
    if where and where != ON_SCREEN:
        wanted.append((logging.StreamHandler(_opened(where)), logging.DEBUG))
    if shown or where == ON_SCREEN:
        level = logging.DEBUG if where == ON_SCREEN else logging.INFO
        wanted.append((logging.StreamHandler(sys.stderr), level))
    if kept is not None:
        # a home that cannot be written to is no reason not to work
        with contextlib.suppress(OSError):
            wanted.append((_turning(kept), logging.INFO))
    for handler, level in wanted:
        handler.setLevel(level)
        handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
        _OURS.addHandler(handler)
    _OURS.setLevel(min(level for _, level in wanted))


def _turning(path: Path) -> logging.Handler:
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    return RotatingFileHandler(
        path, maxBytes=_KEPT_BYTES, backupCount=_KEPT_FILES, encoding="utf-8", delay=True
    )


def _opened(where: str) -> TextIO:
    """Return a file to go on with; what is there must be a log, and no source by a slip."""
    try:
        handle = os.open(where, os.O_RDWR | os.O_CREAT | os.O_APPEND | os.O_NONBLOCK, 0o600)
        begins = os.pread(handle, 40, 0)
    except OSError as error:
        raise UserError(
            tr("No log can be written to {where}: {reason}.", where=where, reason=reason(error)),
            tr("Choose another file."),
        ) from error
    if begins and not _BEGINS.match(begins):
        os.close(handle)
        raise UserError(
            tr("{where} is there and is no log.", where=where),
            tr("Choose another file for the log."),
        )
    return os.fdopen(handle, "a", encoding="utf-8", errors="backslashreplace")


@dataclass
class Told:
    """What is known once the work is done.

    Attributes
    ----------
    rows : int or None
        How many it gave, or wrote.
    """

    rows: int | None = None


@contextlib.contextmanager
def timed(log: logging.Logger, what: str, level: int = logging.INFO) -> Iterator[Told]:
    """Tell a log how long some work took, with its rows, or by what it was ended.

    Parameters
    ----------
    log : Logger
        Of the module that works.
    what : str
        What is done to what: sorts and names, no values.
    level : int
        What is done a hundred times in a run is told to who debugs alone.
    """
    told, began = Told(), time.perf_counter()
    try:
        yield told
    except BaseException as error:
        spent = time.perf_counter() - began
        log.log(level, "%s: %s after %.3f s", plainly(what), type(error).__name__, spent)
        raise
    spent = time.perf_counter() - began
    rows = "" if told.rows is None else f"{told.rows:,} rows "
    log.log(level, "%s: %sin %.3f s", plainly(what), rows, spent)
