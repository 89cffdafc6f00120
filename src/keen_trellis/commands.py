"""What the command line does with a trellis; loaded when one of its commands is called."""

from __future__ import annotations

import argparse
import dataclasses
import getpass
import json
import sys
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any

from keen_trellis.document import Trellis, load
from keen_trellis.document import describe as described
from keen_trellis.document.edits import SetSource, apply
from keen_trellis.document.wants import Want, wants
from keen_trellis.errors import (
    BROKEN,
    DONE,
    NOT_ALLOWED,
    UNUSABLE,
    EditError,
    NotAllowedError,
    PasswordError,
    UserError,
)
from keen_trellis.read import Server
from keen_trellis.read.secrets import LockedFile
from keen_trellis.run import Delivered, Results, Runner, make_deliveries
from keen_trellis.run.approvals import allow as allow_on_this_machine
from keen_trellis.run.approvals import approvals, is_its_own, note_written
from keen_trellis.run.facts import JoinFacts


def run(options: argparse.Namespace) -> int:
    """Read, tie and count; deliver where it is asked for. Return the exit code."""
    trellis = load(options.file)
    _refuse_unallowed(trellis, options)
    for setting in options.set:
        trellis = _with_place(trellis, setting)
    runner = Runner()
    results = runner.run(trellis)
    if _is_somebody_there() and _ask_passwords(trellis, results, runner):
        results = runner.run(trellis)
    errors = results.errors()
    made: list[Delivered] = []
    if not errors:
        own = partial(is_its_own, options.file)
        made = make_deliveries(
            results,
            write=options.deliver,
            despite=options.despite,
            may_replace=None if options.replace else own,
            written=partial(note_written, options.file),
            secrets=runner.secrets,
        )
    if options.json:
        print(json.dumps(_summary(results, made, errors), indent=2, ensure_ascii=False))
    else:
        _print_counts(results, made)
    for error in errors:
        print(f"keen-trellis: {error}", file=sys.stderr)
    broken = [f"{join.name}: {one}" for join in results.facts.joins() for one in join.broken]
    for one in broken:
        print(f"keen-trellis: A promise is broken. {one}.", file=sys.stderr)
    return UNUSABLE if errors else BROKEN if broken else DONE


def allow(options: argparse.Namespace) -> int:
    """List what a trellis wants and nobody has allowed, and allow it. Return the exit code."""
    missing = _unallowed(load(options.file), options.file)
    if not missing:
        print("It wants nothing that is not allowed already.")
        return DONE
    for want in missing:
        print(f"It {want.words}.")
    if not options.yes:
        if not _is_somebody_there():
            print("keen-trellis: Say --yes to allow it.", file=sys.stderr)
            return NOT_ALLOWED
        if input("Allow these on this machine? [y/N] ").strip().lower() not in ("y", "yes"):
            return NOT_ALLOWED
    allow_on_this_machine(options.file, [want.key for want in missing])
    print("Allowed.")
    return DONE


def _is_somebody_there() -> bool:
    """Return whether anybody can be asked; the input may even be closed."""
    return sys.stdin is not None and sys.stdin.isatty()


def _unallowed(trellis: Trellis, document: Path) -> list[Want]:
    allowed = set(approvals(document).allowed)
    return [want for want in wants(trellis, document) if want.key not in allowed]


def _refuse_unallowed(trellis: Trellis, options: argparse.Namespace) -> None:
    """Refuse a run for which a trellis wants what nobody has allowed.

    Lanes that are read from elsewhere this time want nothing, and where deliveries would be
    written matters only if they are.

    Raises
    ------
    NotAllowedError
    """
    document: Path = options.file
    named = {setting.partition("=")[0] for setting in options.set}
    lanes = [x for x in trellis.lanes if x.name not in named and x.id not in named]
    folder = document.absolute().parent
    needed = {want.key for lane in lanes for want in lane.source.wants(folder)}
    if options.deliver:
        needed |= {w.key for _, item in trellis.deliveries() for w in item.wants(folder)}
    missing = [want.words for want in _unallowed(trellis, document) if want.key in needed]
    if missing:
        remedy = f"See to it with “keen-trellis allow {document}”."
        raise NotAllowedError(str(document), missing, remedy)


def _with_place(trellis: Trellis, setting: str) -> Trellis:
    """Return the trellis with one lane read from elsewhere, as “LANE=PATH” says."""
    name, sign, path = setting.partition("=")
    lane = next((lane for lane in trellis.lanes if name in (lane.name, lane.id)), None)
    if not sign or not path or lane is None:
        names = ", ".join(lane.name for lane in trellis.lanes)
        raise EditError(
            f"“--set {setting}” names no lane and path.", f"Write LANE=PATH; lanes are: {names}."
        )
    if not lane.source.place:
        raise EditError(f"{lane.name} is read from no file.", "Set a lane that is.")
    source = lane.source.at(str(Path(path).absolute()))
    return apply(SetSource(lane.id, source), trellis)[0]


def _ask_passwords(trellis: Trellis, results: Results, runner: Runner) -> bool:
    """Ask for the passwords that are missing; tell whether any was given."""
    given = False
    for lane in trellis.lanes:
        error = results.readings.get(lane.id)
        server = getattr(lane.source, "database", None)
        if isinstance(error, PasswordError):
            locked = server if isinstance(server, Server) else LockedFile(error.server)
            runner.secrets.give(locked, getpass.getpass(f"Password of {locked.account}: "))
            given = True
    return given


def describe(options: argparse.Namespace) -> int:
    """Say in sentences what a trellis does. Return the exit code."""
    for line in described(load(options.file)):
        print(line)
    return DONE


def _print_counts(results: Results, made: Sequence[Delivered]) -> None:
    facts = results.facts
    for lane in facts.lanes.values():
        if lane.rows is not None:
            read = " read" if lane.is_read else ""
            print(f"{lane.name}: {lane.rows:,} rows, {len(lane.columns)} columns{read}")
            for note in lane.notes:
                print(f"  {note}")
    for item in facts.items.values():
        if item.says:
            print(f"{item.name}: {item.says}")
    for delivered in made:
        asked = "stopped by a broken promise" if delivered.stopped else "ask with --deliver"
        what = "written" if delivered.written else f"not written ({asked})"
        what += ", in place of the file that was there" if delivered.replaced else ""
        place = delivered.path or delivered.place
        print(f"{delivered.name}: {delivered.rows:,} rows to {place}, {what}")


def _summary(
    results: Results, made: Sequence[Delivered], errors: Sequence[UserError]
) -> dict[str, Any]:
    """Return what a scheduler needs to know; the names of its parts stay what they are."""
    facts = results.facts
    sources = [
        {"lane": lane.name, "rows": lane.rows, "read": lane.is_read, "notes": list(lane.notes)}
        for lane in facts.lanes.values()
        if lane.rows is not None
    ]
    ties = [
        {
            "id": tie.id,
            "left": {"lane": tie.lane, **_side(tie.counts.left)},
            "right": {"lane": tie.other, **_side(tie.counts.right)},
            "pairs": tie.counts.pairs,
            "join": tie.join,
            "rows": tie.rows,
            "promises": [dataclasses.asdict(promise) for promise in tie.promises],
        }
        for tie in facts.joins()
    ]
    others = [
        {"id": item.id, "lane": item.lane, "type": item.type, **item.numbers, "says": item.says}
        for item in facts.items.values()
        if item.says and not isinstance(item, JoinFacts)
    ]
    return {
        "trellis": results.trellis.name,
        "sources": sources,
        "ties": ties,
        "steps": others,
        "deliveries": [
            {**dataclasses.asdict(d), "path": str(d.path) if d.path else None} for d in made
        ],
        "errors": [str(error) for error in errors],
    }


def _side(counts: Any) -> dict[str, int]:
    return {**dataclasses.asdict(counts), "not_found": counts.not_found}
