"""Files parsed in a process of their own: one made to do harm, or damaged, ends only that.

Parsers of some formats take all memory for a file of a few kilobytes, or end the process that they
run in. So they run apart, with limits of memory and time that grow with the file, and their death
is a sentence. Stopping is heard at once, wherever the parser is.
"""

from __future__ import annotations

import io
import logging
import os
import pickle
import select
import signal
import struct
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, Any

from keen_trellis.base.errors import SourceError
from keen_trellis.base.language import tr
from keen_trellis.base.limits import limits as allowed
from keen_trellis.base.logs import timed
from keen_trellis.base.progress import Report
from keen_trellis.read import parser_process

_log = logging.getLogger(__name__)

_POLL_S = 0.1
_READ = 1 << 20
_LEAST_MEMORY, _MEMORY_A_BYTE, _MEMORY_AN_UNPACKED_BYTE = 3 << 30, 150, 8
_LEAST_S, _SECONDS_A_MB = 60, 5
_GROWS_AFTER_S = 2.0
_STILL_S = 10.0
"""How long a parser may neither send, work nor read: some stand still at their limit of memory."""


class ParserError(Exception):
    """The parser says what is wrong with a file.

    Attributes
    ----------
    kind : str
        The name of its error.
    """

    def __init__(self, kind: str, words: str) -> None:
        super().__init__(words)
        self.kind = kind


def parsed_apart(
    path: Path,
    command: str,
    *rest: str,
    report: Report,
    doing: str,
    said_of: Path | None = None,
    unpacked: int = 0,
) -> Iterator[Any]:
    """Yield what a parser gives of a file: plain values, or bytes that hold a stream of Arrow.

    Parameters
    ----------
    path : Path
        An ordinary file.
    command : str
        What is to be done, and with what, as in `parser_process`.
    report, doing
        Asked ten times a second at least whether to go on.
    said_of : Path, optional
        What the file is called in errors, where it is not `path`.
    unpacked : int
        How many bytes it unpacks to, where it is packed.

    Raises
    ------
    ParserError
        The parser says that the file is wrong.
    SourceError
        The parser died of it, or reached its limits.
    Cancelled
        Raised by `report` once the user has asked to stop; the parser is ended.
    """
    named = said_of or path
    with timed(_log, f"parse {named.name}"), path.open("rb") as file:
        # Of the open file: the name may be another file’s by the time that it is parsed.
        size = os.fstat(file.fileno()).st_size
        grows = max(size * _MEMORY_A_BYTE, unpacked * _MEMORY_AN_UNPACKED_BYTE)
        memory = min(_LEAST_MEMORY + grows, _all_memory(), allowed().parser_mb << 20)
        seconds = _LEAST_S + _SECONDS_A_MB * (size >> 20)
        limits = (str(os.getpid()), str(memory), str(seconds))
        with _process(file, (*limits, command, str(file.fileno()), *rest)) as process:
            assert process.stdout is not None
            last: tuple[str, ...] = ()
            for frame in _frames(process, report, doing):
                if isinstance(frame, _StandsStill):
                    raise _still(named, size)
                # The last frame says how it ended. Without one the process died in the middle of
                # a frame or between two.
                if isinstance(frame, tuple) and frame[:1] in (("done",), ("error",)):
                    last = frame
                else:
                    yield frame
            if last == ("done",):
                return
            # An error of memory is said as the limit that it met, as a death by it would be.
            if last[:1] == ("error",) and last[1] != "memory":
                raise ParserError(last[1], last[2])
            raise _died(named, size, process.wait(), memory, seconds, has_memory=not last)


def _all_memory() -> int:
    return os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")


@contextmanager
def _process(file: IO[bytes], arguments: tuple[str, ...]) -> Iterator[subprocess.Popen[bytes]]:
    """Start the parser, and end it whatever happens."""
    # -I: neither the folder of the file nor the variables of the user bring modules into it.
    command = [sys.executable, "-I", str(Path(parser_process.__file__)), *arguments]
    process = subprocess.Popen(
        command,
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        pass_fds=(file.fileno(),),
        start_new_session=True,  # Ctrl+C ends this program, which ends the parser
    )
    try:
        yield process
    finally:
        process.kill()
        assert process.stdout is not None
        # Closed before it is waited for: one that is being ended may still fill the pipe.
        process.stdout.close()
        process.wait()


class _StandsStill:
    """Takes the place of a frame that does not come."""


def _work_of(process: int) -> tuple[str, ...] | None:
    """Return what tells that a process works: the time it took, and the bytes that it read.

    None where the system tells nothing of it: then nobody can say that it stands still.
    """
    try:
        # The name stands between brackets and may hold any letter, brackets too: fields are
        # counted behind the last one.
        times = Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[11:13]
        reads = Path(f"/proc/{process}/io").read_text().split()[1:2]
    except OSError:
        return None
    return (*times, *reads)


def _frames(process: subprocess.Popen[bytes], report: Report, doing: str) -> Iterator[Any]:
    """Yield the frames of a parser until it ends: tuples, lists, or bytes of Arrow."""
    stream = process.stdout
    assert stream is not None
    began, taken = time.monotonic(), 0
    worked, work = began, _work_of(process.pid)
    buffer = bytearray()
    while True:
        ready, _, _ = select.select([stream], [], [], _POLL_S)
        waited = time.monotonic() - began
        # nobody knows how long it takes: the share grows ever slower, and never reaches its end
        report(min(waited / (waited + _GROWS_AFTER_S), 0.95), doing)
        if not ready:
            now, work = work, _work_of(process.pid)
            if work is None or now != work:
                worked = time.monotonic()
            elif time.monotonic() - worked > _STILL_S:
                yield _StandsStill()
            continue
        worked = time.monotonic()
        piece = os.read(stream.fileno(), _READ)
        if not piece:
            return
        buffer += piece
        taken = 0
        while len(buffer) - taken >= 8:
            (length,) = struct.unpack_from("<Q", buffer, taken)
            if len(buffer) - taken < 8 + length:
                break
            frame = bytes(memoryview(buffer)[taken + 8 : taken + 8 + length])
            taken += 8 + length
            # A: a stream of Arrow, read by whoever asked. All else is pickled, and taken as plain
            # values alone.
            yield frame[1:] if frame[:1] == b"A" else _Plain(io.BytesIO(frame[1:])).load()
        # Once a piece and not once a frame: each deletion moves what is left.
        del buffer[:taken]


class _Plain(pickle.Unpickler):
    """Takes plain values and moments only: the parser may have been taken over by its file."""

    def find_class(self, module: str, name: str) -> Any:
        if module == "datetime" and name in ("date", "datetime", "time", "timedelta"):
            return super().find_class(module, name)
        raise pickle.UnpicklingError(
            tr("{module}.{name} is no plain value.", module=module, name=name)
        )


def _still(path: Path, size: int) -> SourceError:
    """Return as a sentence that a parser neither works nor ends."""
    return SourceError(
        tr(
            "{path} cannot be read: what reads it stood still for {still_s:.0f} seconds, for "
            "{max:,} KB. Its cells may lie too far apart for its memory, or it is made "
            "to do harm.",
            path=path,
            still_s=_STILL_S,
            max=max(size >> 10, 1),
        ),
        tr("Delete the rows and columns outside the table, save it, and choose it again."),
    )


def _died(
    path: Path, size: int, code: int, memory: int, seconds: int, has_memory: bool
) -> SourceError:
    """Return the death of a parser as a sentence."""
    most = tr("{memory:,} MB of memory", memory=memory >> 20)
    if not has_memory:
        why = tr("it needs more than {most} to be read", most=most)
    elif code == -signal.SIGXCPU:
        # The limit of seconds of work, not of waiting: a slow disk is nobody’s fault.
        why = tr("it was not read in {seconds:,} seconds", seconds=seconds)
    elif code == -signal.SIGABRT:
        # Libraries in C++ end so when memory is refused, and also when their own checks fail.
        why = tr(
            "it needs more than {most} to be read, or ends the program that reads it", most=most
        )
    else:
        word = signal.Signals(-code).name if code < 0 else tr("code {code}", code=code)
        why = tr("it ends the program that reads it ({word})", word=word)
    kilobytes = max(size >> 10, 1)
    return SourceError(
        tr(
            "{path} cannot be read: {why}, for {kilobytes:,} KB. It is damaged, or made "
            "to do harm.",
            path=path,
            why=why,
            kilobytes=kilobytes,
        ),
        tr(
            "Open it in the program it was made with, save its table as delimited text, and choose "
            "that."
        ),
    )
