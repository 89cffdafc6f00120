"""Running a trellis: sources read, nodes run, and what they gave kept by digest."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Container, Sequence
from typing import TYPE_CHECKING

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.document.sources import Source
from keen_trellis.document.trellis import Trellis
from keen_trellis.run.results import Results
from keen_trellis.run.source_cache import Sources
from keen_trellis.servers.secrets import Secrets

if TYPE_CHECKING:
    from keen_trellis.run.node_runner import Nodes

_LOOK_UP_S = 0.05


def usual_budget() -> int:
    """Return the bytes that results may take: a quarter of the machine's memory."""
    try:
        return os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE") // 4
    except (ValueError, OSError):  # a system that does not tell
        return 2 << 30


class Runner:
    """Runs trellises, and keeps what it read and worked out for the next run.

    A source is read again only when asked for. What a node gives is kept by the node's digest, so
    an edit that changes no rows runs nothing, and what is equal is shared wherever it stands. What
    was asked for least lately goes first once a budget of bytes is used up; what the last run gave
    stays. A run waits for one that another thread has begun.

    Parameters
    ----------
    secrets : Secrets, optional
    budget : int, optional
        In bytes; a quarter of the machine's memory where not given.
    refuses : callable, optional
        Returns what a source wants that nobody has allowed, in words; such a one is not read. All
        are where not given.
    rows_at_most : int, optional
        Of each source, for a run on samples.
    late : bool
        For runs without a window, in which nobody has to wait: columns are read when somebody
        first looks at them, and nothing is worked out only to be shown.
    """

    def __init__(
        self,
        secrets: Secrets | None = None,
        budget: int | None = None,
        refuses: Callable[[Source], Sequence[str]] | None = None,
        rows_at_most: int | None = None,
        late: bool = False,
    ) -> None:
        self.secrets = secrets or Secrets()
        self.budget = usual_budget() if budget is None else budget
        self.sources = Sources(self.secrets, refuses, rows_at_most, late)
        self._late = late
        self._nodes: Nodes | None = None
        self._free = threading.Lock()

    def run(
        self, trellis: Trellis, report: Report = quiet, reread: bool | Container[str] = False
    ) -> Results:
        """Return what every part of a trellis gives.

        Parameters
        ----------
        trellis : Trellis
            With absolute paths, or such as are right from the current folder.
        report : Report
        reread : bool, or a container of lane ids
            Whether to read every source anew, or the lanes whose sources to read anew.

        Raises
        ------
        Cancelled
            Raised by `report` once the user has asked to stop; what was done so far is kept.
        """
        while not self._free.acquire(timeout=_LOOK_UP_S):
            report(0.0, tr("Waiting for the work before"))
        try:
            return self._results(trellis, report, reread)
        finally:
            self._free.release()

    def _results(self, trellis: Trellis, report: Report, reread: bool | Container[str]) -> Results:
        read = [(one.id, one.source) for one in trellis.lanes if one.source.begins_at() is None]
        anew = [source for lane, source in read if reread is True or (reread and lane in reread)]
        steps = len(read) + sum(len(lane.items) for lane in trellis.lanes)
        share = len(read) / max(steps, 1)
        with self.sources.one_run(anew):
            came = self.sources.read_each([one for _, one in read], part(report, 0.0, share))
            # loaded no sooner: readers that wait for other processes have begun by then
            from keen_trellis.run.node_runner import Nodes, WorkingOut

            self._nodes = self._nodes or Nodes(looks_ahead=not self._late)
            self._nodes.run += 1
            working = WorkingOut(self._nodes, trellis, part(report, share, 1.0))
            results = working.results(dict(zip((lane for lane, _ in read), came, strict=True)))
        self.sources.forget(self.budget - self._nodes.size)
        self._nodes.forget(self.budget - self.sources.size)
        return results
