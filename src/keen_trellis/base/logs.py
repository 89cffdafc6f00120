"""A log for whoever looks for what takes long or fails: what, how long, how many rows.

No value of a source is in it, no password and no text of a query: only sorts, the names of files
and of servers, and numbers. Errors are told by their class, since their words may quote a value.
Nothing is written unless somebody asks for it; what other packages would tell goes nowhere, for the
same reason.
"""

from __future__ import annotations

import logging
import os
import re
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TextIO

from keen_trellis.base.errors import UserError, reason
from keen_trellis.base.words import plainly

ON_SCREEN = "-"
"""Where a log is written to that is shown with what else the program says of itself."""

_OURS = logging.getLogger("keen_trellis")
_BEGINS = re.compile(rb"\d{4}-\d\d-\d\d \d\d:\d\d:\d\d,\d{3} [A-Z]+ keen")
"""How every line of a log begins."""


def begin_log(where: str = "") -> None:
    """Have a log written to a file that its owner alone reads, or nowhere.

    Raises
    ------
    UserError
        The file cannot be written to, or holds something that is no log.
    """
    logging.getLogger().addHandler(logging.NullHandler())
    logging.raiseExceptions = False  # a full disk ends no run, and is told with no message's words
    _OURS.propagate = False
    for before in list(_OURS.handlers):  # of another command in the same process
        _OURS.removeHandler(before)
        before.close()
    if not where:
        _OURS.addHandler(logging.NullHandler())
        return
    handler = logging.StreamHandler(sys.stderr if where == ON_SCREEN else _opened(where))
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    _OURS.addHandler(handler)
    _OURS.setLevel(logging.DEBUG)


def _opened(where: str) -> TextIO:
    """Return a file to go on with; what is there must be a log, and no source by a slip."""
    try:
        handle = os.open(where, os.O_RDWR | os.O_CREAT | os.O_APPEND | os.O_NONBLOCK, 0o600)
        begins = os.pread(handle, 40, 0)
    except OSError as error:
        raise UserError(
            f"No log can be written to {where}: {reason(error)}.", "Choose another file."
        ) from error
    if begins and not _BEGINS.match(begins):
        os.close(handle)
        raise UserError(f"{where} is there and is no log.", "Choose another file for the log.")
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


@contextmanager
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
