"""Deliveries of a run elsewhere: written there where they can be, else fetched and written here."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Collection
from dataclasses import replace
from pathlib import Path

from keen_trellis.deliver.tables import Target
from keen_trellis.document.items import DeliveryItem
from keen_trellis.errors import NotThereError, UserError
from keen_trellis.plan.nodes import Node
from keen_trellis.progress import Report, part, quiet
from keen_trellis.read import Secrets
from keen_trellis.run.delivering import (
    Delivered,
    make_deliveries,
    not_its_own,
    refuse_one_place_twice,
    refuse_reading,
)
from keen_trellis.run.there import There
from keen_trellis.run.there_facts import ThereResults

FETCHED_AT_MOST = 5_000_000
"""How many rows of a delivery are fetched to be written on this machine."""


def make_deliveries_there(
    there: There,
    results: ThereResults,
    only: Collection[str] | None = None,
    write: bool = True,
    despite: bool = False,
    may_replace: Callable[[Path], bool] | None = None,
    written: Callable[[Path], object] | None = None,
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
    refuse_one_place_twice(results)
    made = []
    deliveries = [item for _, item in there.trellis.deliveries() if only is None or item.id in only]
    for item in deliveries:
        path = item.target(dt.date.today()) if item.file else None
        refuse_reading(there.trellis, item, path)
        _require_rows(there, item)
        replaces = item.into is None and path is not None and path.exists() and write
        if replaces and path is not None and may_replace is not None and not may_replace(path):
            raise not_its_own(path)
    try:
        for number, item in enumerate(deliveries):
            share = part(report, number / len(deliveries), (number + 1) / len(deliveries))
            path = item.target(dt.date.today()) if item.file else None
            broken = [
                f"{join.name}: {one}"
                for join in results.broken_before(item.id)
                for one in join.broken
            ]
            stopped = "" if despite else "; ".join(broken)
            is_written = write and not stopped
            replaced = (
                item.into.how == "replace" if item.into else path is not None and path.exists()
            )
            if is_written:
                _write(there, results, item, path, secrets=secrets, written=written, report=share)
            made.append(
                Delivered(
                    item.id,
                    item.name,
                    item.place if path is None or item.into else path.name,
                    path,
                    rows=_require_rows(there, item),
                    written=is_written,
                    replaced=replaced and is_written,
                    stopped=stopped,
                )
            )
    finally:  # what was whole stays, whatever came after it
        if write:
            there.session.keep_written()
    return made


def _require_rows(there: There, item: DeliveryItem) -> int:
    found = there.count(item.id)
    if isinstance(found, UserError):
        raise found
    return found


def _write(
    there: There,
    results: ThereResults,
    item: DeliveryItem,
    path: Path | None,
    secrets: Secrets | None,
    written: Callable[[Path], object] | None,
    report: Report,
) -> None:
    session, node = there.session, there.plan.nodes[item.id]
    assert isinstance(node, Node)
    database = item.into.database if item.into is not None else None
    if session.writes(database, path if item.into is None else None):
        rows = there.writer.rows(node, in_order=True)
        if item.into is not None:
            into = item.into
            target = Target(into.database, into.table, into.in_schema, into.how, into.key)
            session.write_table(there.writer.program, rows, target, report)
        elif path is not None:
            session.write_file(there.writer.program, rows, path, report)
        return
    n = _require_rows(there, item)
    if n > FETCHED_AT_MOST:
        raise NotThereError(
            f"{item.name} has {n:,} rows, which are too many to be fetched; {FETCHED_AT_MOST:,} "
            "are the most.",
            f"Deliver it where it is, into {session.label}.",
        )
    if item.beside:
        raise NotThereError(
            f"{item.name} has sheets beside its rows, which only a run on this machine makes.",
            "Take the sheets out, or run the trellis on this machine.",
        )
    fetched = replace(results, rows={**results.rows, item.id: there.table(item.id, at_most=None)})
    make_deliveries(fetched, only=[item.id], report=report, written=written, secrets=secrets)
