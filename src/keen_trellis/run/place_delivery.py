"""Deliveries of a run elsewhere: written there where they can be, else fetched and written here."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path

from keen_trellis.base.errors import NotThereError, UserError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.base.whole_files import Noting
from keen_trellis.deliver.database.by_key import ByKey
from keen_trellis.deliver.database.target import Target
from keen_trellis.document.items import DeliveryItem
from keen_trellis.plan.nodes import Node
from keen_trellis.run.delivering import (
    Delivered,
    DeliveryJob,
    carried_out,
    decided,
    make_deliveries,
)
from keen_trellis.run.place_facts import ThereResults
from keen_trellis.run.place_run import There
from keen_trellis.servers.secrets import Secrets

FETCHED_AT_MOST = 5_000_000
"""How many rows of a delivery are fetched to be written on this machine."""


def make_deliveries_there(
    there: There,
    results: ThereResults,
    only: Collection[str] | None = None,
    write: bool = True,
    despite: bool = False,
    may_replace: Callable[[Path], bool] | None = None,
    noting: Noting | None = None,
    secrets: Secrets | None = None,
    report: Report = quiet,
) -> list[Delivered]:
    """Write the outcomes of a run elsewhere where the trellis says, each whole or not at all.

    Parameters and errors are those of `make_deliveries`.

    Raises
    ------
    NotThereError
        The rows of a delivery are too many to be fetched.
    """
    jobs = decided(results, partial(_require_rows, there), only, write, may_replace)
    changes: dict[str, ByKey | None] = {}

    def write_one(job: DeliveryJob, report: Report) -> None:
        for one in _write(there, results, job, report, secrets, noting):
            changes[one.delivery] = one.changes

    try:
        if not write:
            for job in jobs:
                if _is_update(job.item):
                    (counted,) = _from_here(there, results, job, report, secrets, None, write=False)
                    changes[job.item.id] = counted.changes
        made = carried_out(results, jobs, write_one, write, despite, report)
        return [replace(one, changes=changes.get(one.delivery)) for one in made]
    finally:  # what was whole stays, whatever came after it
        if write:
            there.session.keep_written()


def _require_rows(there: There, item: DeliveryItem) -> int:
    found = there.count(item.id)
    if isinstance(found, UserError):
        raise found
    return found


def _write(
    there: There,
    results: ThereResults,
    job: DeliveryJob,
    report: Report,
    secrets: Secrets | None,
    noting: Noting | None,
) -> Sequence[Delivered]:
    """Write one delivery; return what this machine wrote of it."""
    item, path = job.item, job.path
    session, node = there.session, there.plan.nodes[item.id]
    assert isinstance(node, Node)
    database = item.into.database if item.into is not None else None
    if not _is_update(item) and session.writes(database, path if item.into is None else None):
        rows = there.writer.rows(node, in_order=True)
        if item.into is not None:
            into = item.into
            target = Target(into.database, into.table, into.in_schema, into.how, into.key)
            session.write_table(there.writer.program, rows, target, report)
        elif path is not None:
            whole = there.require_unwritten
            session.write_file(there.writer.program, rows, path, whole, report)
        return ()
    return _from_here(there, results, job, report, secrets, noting)


def _is_update(item: DeliveryItem) -> bool:
    """Whether rows of a table are updated: they are held against those there on this machine."""
    return item.into is not None and item.into.how == "update"


def _from_here(
    there: There,
    results: ThereResults,
    job: DeliveryJob,
    report: Report,
    secrets: Secrets | None,
    noting: Noting | None,
    write: bool = True,
) -> Sequence[Delivered]:
    """Fetch the rows of a delivery and write them on this machine, or tell what that would do.

    Raises
    ------
    NotThereError
        They are too many, or sheets are wanted beside them.
    """
    item, session = job.item, there.session
    if job.rows > FETCHED_AT_MOST:
        raise NotThereError(
            tr(
                "{name} has {rows:,} rows, which are too many to be fetched; "
                "{fetched_at_most:,} are the most.",
                name=item.name,
                rows=job.rows,
                fetched_at_most=FETCHED_AT_MOST,
            ),
            tr("Deliver it where it is, into {label}.", label=session.label),
        )
    if item.beside:
        raise NotThereError(
            tr(
                "{name} has sheets beside its rows, which only a run on this machine makes.",
                name=item.name,
            ),
            tr("Take the sheets out, or run the trellis on this machine."),
        )
    fetched = replace(results, rows={**results.rows, item.id: there.table(item.id, at_most=None)})
    there.require_unwritten()
    # whether a broken promise stops it has been decided before
    return make_deliveries(
        fetched,
        only=[item.id],
        report=report,
        write=write,
        despite=True,
        noting=noting,
        secrets=secrets,
    )
