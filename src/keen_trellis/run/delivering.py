"""Making the deliveries of a trellis."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

from keen_trellis.data import Table
from keen_trellis.deliver import deliver
from keen_trellis.document.items import DeliveryItem
from keen_trellis.errors import DeliveryError, NotAllowedError, UserError
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
    may_replace: Callable[[Path], bool] | None = None,
    written: Callable[[Path], object] | None = None,
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
    may_replace : callable, optional
        Tells of a path whether what is there may be replaced; everything where not given.
    written : callable, optional
        Told of each file once it is whole: a later one may fail.

    Raises
    ------
    UserError
        The rows of a delivery could not be worked out; raised before anything is written.
    DeliveryError
        A file cannot be written, is one of the sources, or that of another delivery.
    NotAllowedError
        A file is there already which may not be replaced; raised before anything is written.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    wanted = None if only is None else set(only)
    jobs: list[tuple[DeliveryItem, Table]] = []
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
    _refuse_one_file_twice([item for _, item in results.trellis.deliveries()])
    if write and may_replace is not None:
        for item, _ in jobs:
            if not may_replace(_target(item)):
                raise NotAllowedError(
                    "it",
                    [f"replaces {_target(item)}, which it did not write as it is now"],
                    "Choose another file for it, or say that it is to be replaced (--replace).",
                )
    made = []
    for number, (item, table) in enumerate(jobs):
        path = _target(item)
        replaced = path.exists()
        broken = [
            f"{join.name}: {one}" for join in results.broken_before(item.id) for one in join.broken
        ]
        stopped = "" if despite else "; ".join(broken)
        is_written = write and not stopped
        if is_written:
            share = part(report, number / len(jobs), (number + 1) / len(jobs))
            deliver(table, path, item.name, share, guarded=item.guarded)
            if written is not None:
                written(path)
        made.append(
            Delivered(
                item.id,
                item.name,
                Path(item.path),
                rows=len(table),
                written=is_written,
                replaced=replaced and is_written,
                stopped=stopped,
            )
        )
    return made


def _target(item: DeliveryItem) -> Path:
    """Return the file that is written: where a link leads to, and in the home folder for ~."""
    return Path(item.path).expanduser().resolve()


def _refuse_one_file_twice(deliveries: Iterable[DeliveryItem]) -> None:
    taken: dict[Path, str] = {}
    for item in deliveries:
        target = _target(item)
        if target in taken:
            raise DeliveryError(
                f"{taken[target]} and {item.name} would both be written to {item.path}.",
                "Choose another file for one of them.",
            )
        taken[target] = item.name
