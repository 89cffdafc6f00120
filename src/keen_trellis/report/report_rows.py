"""A report worked out from a run: filtered, run as far as it must be, and summed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from keen_trellis.base.errors import UserError
from keen_trellis.base.progress import Report as Progress
from keen_trellis.base.progress import part, quiet
from keen_trellis.document.reports import Report
from keen_trellis.document.trellis import Trellis
from keen_trellis.report.filtering import Reaching, filtered, place_in
from keen_trellis.report.summing import Summed, summed
from keen_trellis.run.results import Results


class Running(Protocol):
    """What runs a trellis, keeping what did not change."""

    def run(self, trellis: Trellis, report: Progress = quiet) -> Results:
        """Return what the trellis gives."""


@dataclass(frozen=True, slots=True, eq=False)
class WorkedOut:
    """A report with its numbers.

    Attributes
    ----------
    summed : Summed
    reaches : tuple of Reaching
        One for each filter.
    """

    summed: Summed
    reaches: tuple[Reaching, ...]


def worked_out(
    results: Results, report: Report, runner: Running, progress: Progress = quiet
) -> WorkedOut:
    """Return a report of a run.

    Raises
    ------
    UserError
        What it is made of could not be worked out, or the columns do not allow it.
    Cancelled
        Raised by `progress` once the user has asked to stop.
    """
    trellis = results.trellis
    reaches: tuple[Reaching, ...] = ()
    place = trellis.taken_after(report.at)
    of_report = results
    if report.filters:
        made, reaches = filtered(results, report)
        # A trellis of the report's own; all parts that the filters do not touch have the same
        # digests, and come from the runner's memory.
        of_report = runner.run(made, part(progress, 0.0, 0.6))
        place = place_in(trellis, made, report)
    table = of_report.rows[place]
    if isinstance(table, UserError):
        raise table
    lanes = {lane.id: lane.name for lane in trellis.lanes}
    return WorkedOut(summed(table, report, part(progress, 0.6, 1.0), lanes), reaches)
