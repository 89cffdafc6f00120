"""Sources read once and while others wait, kept as they came and in the kinds that are chosen.

Nothing that works on rows is loaded here: a reader that waits for another process begins before.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import json
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING

from keen_trellis.base.errors import (
    NotAllowedError,
    ProgramError,
    SourceError,
    UnknownColumnError,
    UserError,
)
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Cancelled, Report, one_by_one, quiet, side_by_side
from keen_trellis.document.sources import Source
from keen_trellis.run.source_reading import read_source
from keen_trellis.servers.secrets import Secrets

if TYPE_CHECKING:
    from keen_trellis.read.reading import Reading

_RUNS_KEPT = 3
"""For how many runs a source is kept that no lane reads any more: an undo finds it there."""


@dataclass(slots=True)
class _Came:
    """A source as it came, before kinds are chosen: another choice reads nothing again."""

    reading: Reading
    at: dt.datetime
    last_run: int

    @property
    def size(self) -> int:
        return 0 if self.reading.unsettled is None else self.reading.unsettled.size


@dataclass(slots=True)
class ReadSource:
    """A source with its kinds chosen; `came` is the name of what it was made of."""

    reading: Reading
    at: dt.datetime
    stamp: str
    came: str
    last_run: int


class Sources:
    """What was read, kept for the runs that follow; a source is read again only when asked for.

    Parameters
    ----------
    secrets : Secrets
    refuses : callable or None
        Returns what a source wants that nobody has allowed, in words; such a one is not read.
    rows_at_most : int or None
        Of each source, for a run on samples.
    late : bool
        Whether columns are read when somebody first looks at them.
    """

    def __init__(
        self,
        secrets: Secrets,
        refuses: Callable[[Source], Sequence[str]] | None,
        rows_at_most: int | None,
        late: bool,
    ) -> None:
        self._secrets, self._refuses, self._rows_at_most = secrets, refuses, rows_at_most
        self._late = late
        self._came: dict[str, _Came] = {}
        self._sources: dict[str, ReadSource] = {}
        self._run = 0

    @contextmanager
    def one_run(self, anew: Iterable[Source]) -> Iterator[None]:
        """Begin a run that reads some sources anew; one that is stopped leaves what was there."""
        self._run += 1
        # Copies of the dicts, not of what is in them.
        before = dict(self._came), dict(self._sources)
        for source in anew:
            self._read_anew(_as_it_comes(source))
        try:
            yield
        except Cancelled:  # what was read last stays what is shown
            # What has been read since stays, too: it is newer than what was there.
            self._came = {**before[0], **self._came}
            self._sources = {**before[1], **self._sources}
            raise

    def read(self, source: Source, report: Report = quiet) -> ReadSource:
        """Return the rows of a source, read now or kept from before.

        Raises
        ------
        SourceError
            It cannot be read, or may not be.
        """
        (read,) = self.read_each([source], report)
        if isinstance(read, UserError):
            raise read
        return read

    def read_each(
        self, sources: Sequence[Source], report: Report = quiet
    ) -> list[ReadSource | UserError]:
        """Return the rows of sources, or why they cannot be had.

        What is not kept from before is read once, whoever asks for it, and what waits for others
        beside all the rest.

        Raises
        ------
        Cancelled
            Raised by `report`; what was read till then is kept.
        """
        # by name with the kinds: two lanes may take one source in other kinds, which is read once
        found: dict[str, ReadSource | UserError] = {}
        to_read: dict[str, Source] = {}
        for source in sources:
            refused = self._refuses(source) if self._refuses is not None else ()
            if refused:
                advice = tr("Allow it, if you know where the trellis is from.")
                found[_name(source)] = NotAllowedError(tr("it"), refused, advice)
            elif _name(source) not in self._sources and _as_it_comes(source) not in self._came:
                to_read.setdefault(_as_it_comes(source), source)
        for came in to_read:
            self._read_anew(came)
        failed: dict[str, UserError] = {}

        def read_now(came: str, source: Source, report: Report) -> None:
            try:
                reading = read_source(source, self._secrets, report, self._rows_at_most, self._late)
                self._came[came] = _Came(reading, dt.datetime.now(), self._run)
                self._settle(source, reading)
            except Cancelled:
                raise
            except (SourceError, UnknownColumnError) as error:
                failed[_name(source)] = error
            except Exception as fault:  # noqa: BLE001  the border of a lane: the others go on
                self._came.pop(came, None)
                failed[_name(source)] = ProgramError(source.place or tr("This source"), fault)

        # What keeps this process busy uses all cores by itself; two at once only hold more memory.
        waiting = [partial(read_now, came, s) for came, s in to_read.items() if s.waits]
        busy = [partial(read_now, came, s) for came, s in to_read.items() if not s.waits]
        works: list[Callable[[Report], object]] = [*waiting]
        if busy:
            works.append(partial(one_by_one, busy))
        side_by_side(works, report)
        for source in sources:
            name, came = _name(source), _as_it_comes(source)
            if name in found:
                continue
            if name in failed:
                found[name] = failed[name]
            elif name in self._sources or came in self._came:
                found[name] = self._read(source, report)
            else:  # what was wrong may have been the kinds that another lane wants of it
                (found[name],) = self.read_each([source], report)
        return [found[_name(source)] for source in sources]

    def _read(self, source: Source, report: Report) -> ReadSource | UserError:
        """Return a source that came, in its kinds."""
        name, came = _name(source), _as_it_comes(source)
        if name not in self._sources:
            try:
                reading = self._came[came].reading.in_kinds(source.kinds, report)
            except (SourceError, UnknownColumnError) as error:
                return error
            self._settle(source, reading)
        read = self._sources[name]
        read.last_run = self._run
        if came in self._came:
            self._came[came].last_run = self._run
        return read

    def _settle(self, source: Source, reading: Reading) -> None:
        """Keep a source with its kinds chosen."""
        name, came = _name(source), _as_it_comes(source)
        # Of the read and not of the settling: another kind chosen later is still what was read
        # then.
        at = self._came[came].at
        # Another read of the same source has another stamp, and so have all nodes above it: what
        # was worked out from the rows of before is not taken for theirs.
        stamp = hashlib.sha256(f"{name}\x00{at.isoformat()}".encode()).hexdigest()
        # The columns as they came are held once, by `_came`, and can be let go of there.
        settled = replace(reading, unsettled=None)
        if self._rows_at_most is not None:  # a sheet is read whole all the same
            first = settled.table.window(0, self._rows_at_most)
            settled = replace(settled, columns=replace(settled.columns, table=first))
        self._sources[name] = ReadSource(settled, at, stamp, came=came, last_run=self._run)

    def _read_anew(self, came: str) -> None:
        """Let go of a source, in whatever kinds it was."""
        self._came.pop(came, None)
        self._sources = {k: read for k, read in self._sources.items() if read.came != came}

    @property
    def size(self) -> int:
        """The bytes of what is kept as it came, so that another kind reads nothing again."""
        return sum(one.size for one in self._came.values())

    def forget(self, room: int) -> None:
        """Let go of what no lane reads any more, and beyond some bytes of what came, oldest first.

        What is in its kinds stays; the source is read again if other kinds are wanted.
        """
        # A lane that is taken out and brought back by undo finds its rows again, for some runs.
        oldest = self._run - _RUNS_KEPT
        self._sources = {k: read for k, read in self._sources.items() if read.last_run > oldest}
        self._came = {k: came for k, came in self._came.items() if came.last_run > oldest}
        # Only what came costs nothing but time to be had again; what is shown stays.
        for name, came in sorted(self._came.items(), key=lambda one: one[1].last_run):
            if self.size <= room:
                break
            if came.size:
                del self._came[name]


def _as_it_comes(source: Source) -> str:
    return _name(source.with_kinds({}))


def _name(source: Source) -> str:
    # not by pydantic's own JSON, which refuses a path whose bytes are no text
    return json.dumps(source.model_dump(mode="json"))
