"""A line for each run of a document: when, how many rows, how many found; kept on this machine."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from keen_trellis.machine.machine_files import store, stored
from keen_trellis.run.results import Results

RUNS_AT_MOST = 400


@dataclass(frozen=True)  # without slots, for pydantic to store it
class RunLine:
    """The numbers of one run; no values of the sources are in it.

    Attributes
    ----------
    at : str
        When the sources were read, in ISO 8601.
    lanes : dict of lane id to rows
    ties : dict of join id to (rows, found)
        Of its left side.
    broken : int
        How many promises were broken.
    """

    at: str
    lanes: dict[str, int] = field(default_factory=dict)
    ties: dict[str, tuple[int, int]] = field(default_factory=dict)
    broken: int = 0


_ROOM, _LINES = "history", tuple[RunLine, ...]


def note_run(document: Path, results: Results) -> None:
    """Keep the numbers of a run behind those of the runs before, once for each read."""
    if results.read_at is None:
        return
    at = results.read_at.isoformat(timespec="seconds")
    known = history(document)
    if known and known[-1].at == at:
        known = known[:-1]  # another look at the same rows
    facts = results.facts
    joins = list(facts.joins())
    line = RunLine(
        at,
        {lane.id: lane.rows for lane in facts.lanes.values() if lane.rows is not None},
        {join.id: (join.counts.left.rows, join.counts.left.found) for join in joins},
        sum(len(join.broken) for join in joins),
    )
    # The oldest go first: more than a year of daily runs stays.
    store(document, _ROOM, _LINES, (*known, line)[-RUNS_AT_MOST:])


def history(document: Path) -> tuple[RunLine, ...]:
    """Return the runs of a document that are known here, the latest last."""
    return stored(document, _ROOM, _LINES) or ()
