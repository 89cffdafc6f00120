"""Making the deliveries of a trellis."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from keen_trellis.base.errors import DeliveryError, NotAllowedError, UserError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.base.whole_files import Noting
from keen_trellis.compute.join_result import Tied
from keen_trellis.deliver import Sheet, deliver, has_sheets
from keen_trellis.document.items import Beside, DeliveryItem, IntoTable, JoinItem
from keen_trellis.document.trellis import Trellis
from keen_trellis.plan.bays import Bay
from keen_trellis.run.account import account
from keen_trellis.run.results import Results
from keen_trellis.servers.hosts import called, is_one_machine
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server

if TYPE_CHECKING:
    from keen_trellis.deliver.database.by_key import ByKey
    from keen_trellis.deliver.database.target import Target


@dataclass(frozen=True, slots=True)
class Delivered:
    """What became of one delivery.

    Attributes
    ----------
    delivery : str
        Its id.
    name : str
    place : str
        The file or table, as it is said.
    path : Path or None
        The file that is written; None for a server.
    rows : int
    written : bool
    replaced : bool
        Whether a file or table was there before.
    stopped : str
        The broken promise that it was not written for; empty for none.
    changes : ByKey or None
        What it changes, or would, in a table that is updated by its key.
    """

    delivery: str
    name: str
    place: str
    path: Path | None
    rows: int
    written: bool
    replaced: bool
    stopped: str = ""
    changes: ByKey | None = None


@dataclass(frozen=True, slots=True)
class DeliveryJob:
    """A delivery that can be made, with the number of its rows and the file it goes to."""

    item: DeliveryItem
    rows: int
    path: Path | None


def make_deliveries(
    results: Results,
    only: Iterable[str] | None = None,
    report: Report = quiet,
    write: bool = True,
    despite: bool = False,
    may_replace: Callable[[Path], bool] | None = None,
    noting: Noting | None = None,
    secrets: Secrets | None = None,
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
        Tells of a path whether what is there may be replaced; everything where not given. What
        becomes of a table says the delivery itself.
    noting : callable, optional
        Around the moment in which a file takes its place, which it notes as written.
    secrets : Secrets, optional
        Where passwords of servers come from.

    Raises
    ------
    UserError
        The rows of a delivery could not be worked out; raised before anything is written.
    DeliveryError
        A file or table cannot be written, is one of the sources, or that of another delivery.
    NotAllowedError
        A file is there already which may not be replaced; raised before anything is written.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    jobs = decided(results, lambda item: _rows_of(results, item), only, write, may_replace)
    held = {
        job.item.id: _held_there(results, job.item, secrets, report)
        for job in jobs
        if job.item.into is not None and job.item.into.how == "update"
    }
    write_one = partial(_write, results, held=held, secrets=secrets, noting=noting)
    made = carried_out(results, jobs, write_one, write, despite, report)
    return [replace(one, changes=held.get(one.delivery)) for one in made]


def decided(
    results: Results,
    count: Callable[[DeliveryItem], int],
    only: Iterable[str] | None,
    write: bool,
    may_replace: Callable[[Path], bool] | None,
) -> list[DeliveryJob]:
    """Return the deliveries that can be made, wherever they are written.

    Parameters
    ----------
    results : Results
    count : callable
        Returns the rows of a delivery, or raises why there are none.
    only, write, may_replace
        As for `make_deliveries`.

    Raises
    ------
    UserError
        As `make_deliveries` does before anything is written.
    """
    trellis, today = results.trellis, dt.date.today()
    wanted = None if only is None else set(only)
    # two of them at one place are refused even where only one is asked for: the next run would
    # write both
    refuse_one_place_twice(results)
    # everything that can be refused is refused before the first byte: a delivery that was written
    # while a later one is refused would leave places that belong to two runs
    jobs = []
    for _, item in trellis.deliveries():
        if wanted is not None and item.id not in wanted:
            continue
        path = item.target(today) if item.file else None
        rows = count(item)
        refuse_reading(trellis, item, path)
        jobs.append(DeliveryJob(item, rows, path))
    if write and may_replace is not None:
        for job in jobs:
            if job.item.into is None and job.path is not None and not may_replace(job.path):
                raise not_its_own(job.path)
    return jobs


def carried_out(
    results: Results,
    jobs: Sequence[DeliveryJob],
    write_one: Callable[[DeliveryJob, Report], object],
    write: bool,
    despite: bool,
    report: Report,
) -> list[Delivered]:
    """Return what became of deliveries, each written by `write_one` unless a promise stops it."""
    made = []
    for number, job in enumerate(jobs):
        item = job.item
        # Before it is written, or it would always be there.
        was_there = job.path is not None and job.path.exists()
        broken = [
            f"{join.name}: {one}" for join in results.broken_before(item.id) for one in join.broken
        ]
        stopped = "" if despite else "; ".join(broken)
        is_written = write and not stopped
        if is_written:
            write_one(job, part(report, number / len(jobs), (number + 1) / len(jobs)))
        # Of a table the delivery says itself what becomes of one that is there; of a file it is
        # seen.
        replaces = item.into.how == "replace" if item.into is not None else was_there
        made.append(
            Delivered(
                item.id,
                item.name,
                item.place if job.path is None or item.into else job.path.name,
                job.path,
                rows=job.rows,
                written=is_written,
                replaced=replaces and is_written,
                stopped=stopped,
            )
        )
    return made


def _rows_of(results: Results, item: DeliveryItem) -> int:
    table = results.rows[item.id]
    if isinstance(table, UserError):
        raise table
    return len(table)


def not_its_own(path: Path) -> NotAllowedError:
    """Return the refusal to replace a file that the trellis did not write."""
    return NotAllowedError(
        tr("it"),
        [tr("replaces {path}, which it did not write as it is now", path=path)],
        tr("Choose another file for it, or say that it is to be replaced (--replace)."),
    )


def refuse_reading(trellis: Trellis, item: DeliveryItem, path: Path | None) -> None:
    """Refuse to write to what a lane reads; `DeliveryError`."""
    for file in () if path is None else (Path(item.file), path):
        trellis.refuse_to_write(file, item.name)
    reader = trellis.reader_of_table(item.into, is_one_machine) if item.into is not None else None
    if reader is not None:
        raise DeliveryError(
            tr(
                "{name} would be written to {place}, which {reader_name} reads.",
                name=item.name,
                place=item.place,
                reader_name=reader.name,
            ),
            tr("Choose another place: sources are never written to."),
        )


def _write(
    results: Results,
    job: DeliveryJob,
    report: Report,
    held: Mapping[str, ByKey],
    secrets: Secrets | None,
    noting: Noting | None,
) -> None:
    item, table = job.item, results.rows[job.item.id]
    assert not isinstance(table, UserError)
    if item.into is not None:
        from keen_trellis.deliver.database.table_delivery import deliver_table
        from keen_trellis.deliver.database.table_update import update_table

        target = _target(item.into)
        if item.id in held:
            update_table(table, held[item.id], target, secrets, report)
        else:
            deliver_table(table, target, secrets, report)
        return
    assert job.path is not None
    sheets = [sheet_beside(results, item, one) for one in item.beside]
    deliver(
        table,
        job.path,
        item.name,
        report,
        guarded=item.guarded,
        form=item.form,
        beside=[sheet for sheet in sheets if sheet is not None] if has_sheets(job.path) else (),
        noting=noting,
    )


def _target(into: IntoTable) -> Target:
    from keen_trellis.deliver.database.target import Target

    return Target(into.database, into.table, into.in_schema, into.how, into.key)


def _held_there(
    results: Results, item: DeliveryItem, secrets: Secrets | None, report: Report
) -> ByKey:
    """Return what a delivery changes in the table that it updates, which is read for that."""
    from keen_trellis.deliver.database.by_key import held_against
    from keen_trellis.deliver.database.refusals import require_names
    from keen_trellis.read import read_table

    table, into = results.rows[item.id], item.into
    assert into is not None
    assert not isinstance(table, UserError)
    target = _target(into)
    require_names(table, target)
    there = read_table(into.database, into.table, into.in_schema, secrets=secrets, report=report)
    return held_against(table, there.table, into.key, target.words)


def sheet_beside(results: Results, item: DeliveryItem, beside: Beside) -> Sheet | None:
    """Return a further sheet of a workbook; None where no join before it has such rows."""
    if beside == "report":
        return Sheet("Match report", account(results))
    lane, place = results.trellis.place_of(item.id)
    join = next((one for one in reversed(lane.items[:place]) if isinstance(one, JoinItem)), None)
    tied = results.given.get(join.id) if join is not None else None
    if not isinstance(tied, Tied):
        return None
    left, right = tied.names
    match beside:
        case "left":
            return Sheet(f"{left} without {right}", tied.bay(Bay.LEFT))
        case "right":
            return Sheet(f"{right} without {left}", tied.bay(Bay.RIGHT))
        case _:
            several = tied.ambiguous  # where one of several partners was taken
            # A link that takes every partner has no ambiguous rows; those with more than one are
            # meant then.
            if not len(several):
                several = tied.left.take(np.flatnonzero(tied.match.partners > 1))
            return Sheet(f"Several {right} for one", several)


def refuse_one_place_twice(results: Results) -> None:
    """Refuse two deliveries to one place; `DeliveryError`."""
    today = dt.date.today()
    taken: dict[object, str] = {}
    for _, item in results.trellis.deliveries():
        into = item.into
        place: object = item.target(today) if item.file else None
        if into is not None:
            server = into.database
            if isinstance(server, Server):
                # A port that is left out and the usual one are one place, and so are two names of
                # one machine.
                place = (called(server.host), server.usual_port, server.database)
            place = (place, into.in_schema, into.table)
        # By what is written, not by how it is spelled: two paths to one file are one target, and
        # so are two spellings of one server.
        if place in taken:
            raise DeliveryError(
                tr(
                    "{taken} and {name} would both be written to {value}.",
                    taken=taken[place],
                    name=item.name,
                    value=item.path or item.place,
                ),
                tr("Choose another place for one of them."),
            )
        taken[place] = item.name
