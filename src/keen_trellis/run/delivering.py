"""Making the deliveries of a trellis."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from keen_trellis.deliver import deliver
from keen_trellis.errors import DeliveryError, UserError
from keen_trellis.progress import Report, part, quiet
from keen_trellis.run.results import Results


@dataclass(frozen=True, slots=True)
class Delivered:
    """What became of one delivery.

    Attributes
    ----------
    delivery : str
        Its id.
    name : str
    path : Path
    rows : int
    written : bool
    replaced : bool
        Whether a file was there before.
    stopped : str
        The broken promise that it was not written for; empty for none.
    """

    delivery: str
    name: str
    path: Path
    rows: int
    written: bool
    replaced: bool
    stopped: str = ""


def make_deliveries(
    results: Results,
    only: Iterable[str] | None = None,
    report: Report = quiet,
    write: bool = True,
    despite: bool = False,
) -> list[Delivered]:
    """Write the outcomes of a run where the trellis says, each whole or not at all.

    Parameters
    ----------
    results : Results
        What a trellis gave; the deliveries are those of that trellis.
    only : iterable of delivery ids, optional
        Where not given, all are made.
    write : bool
        False tells what would be written.
    despite : bool
        Whether also those are written that a broken promise stops.

    Raises
    ------
    UserError
        The rows of a delivery could not be worked out; raised before anything is written.
    DeliveryError
        A file cannot be written, or is one of the sources.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    wanted = None if only is None else set(only)
    jobs = []
    for _, item in results.trellis.deliveries():
        if wanted is not None and item.id not in wanted:
            continue
        table = results.rows[item.id]
        if isinstance(table, UserError):
            raise table
        if reader := results.trellis.reader_of(Path(item.path)):
            raise DeliveryError(
                f"{item.name} would be written to {item.path}, which {reader.name} reads.",
                "Choose another file: sources are never written to.",
            )
        jobs.append((item, table))
    made = []
    for number, (item, table) in enumerate(jobs):
        path = Path(item.path)
        replaced = path.exists()
        broken = [
            f"{join.name}: {one}" for join in results.broken_before(item.id) for one in join.broken
        ]
        stopped = "" if despite else "; ".join(broken)
        is_written = write and not stopped
        if is_written:
            share = part(report, number / len(jobs), (number + 1) / len(jobs))
            deliver(table, path, item.name, share)
        made.append(
            Delivered(
                item.id,
                item.name,
                path,
                rows=len(table),
                written=is_written,
                replaced=replaced and is_written,
                stopped=stopped,
            )
        )
    return made


def _broken(results: Results, delivery: str) -> Iterator[str]:
    for join in results.broken_before(delivery):
        yield from (f"{join.name}: {broken}" for broken in join.broken)
