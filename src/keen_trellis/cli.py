"""The command line: keen-trellis open | run | describe."""

from __future__ import annotations

import argparse
import dataclasses
import gc
import getpass
import json
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from keen_trellis.document import Trellis, describe, load
from keen_trellis.document.edits import SetSource, apply
from keen_trellis.errors import EditError, PasswordError, UserError
from keen_trellis.read import Server
from keen_trellis.read.secrets import LockedFile
from keen_trellis.run import Delivered, Results, Runner, make_deliveries
from keen_trellis.run.facts import JoinFacts

DONE, BROKEN, UNUSABLE = 0, 1, 2


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; return its exit code: 0 done, 1 a promise broken, 2 unusable input."""
    options = _parser().parse_args(arguments)
    try:
        return int(options.command(options))
    except UserError as error:
        print(f"keen-trellis: {error}", file=sys.stderr)
        return error.exit_code
    except BrokenPipeError:  # the reader of our output has seen enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return DONE


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="keen-trellis",
        description="Joins between tables, with every matched and unmatched row in view.",
    )
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    opening = commands.add_parser("open", help="open a trellis in the window")
    opening.add_argument("file", type=Path, nargs="?", metavar="FILE")
    opening.add_argument("--dark", action="store_true", help="with the dark theme")
    opening.set_defaults(command=_open)
    running = commands.add_parser("run", help="read, tie and count, without a screen")
    running.add_argument("file", type=Path, metavar="FILE")
    running.add_argument("--json", action="store_true", help="print the counts as JSON")
    running.add_argument("--deliver", action="store_true", help="write the deliveries")
    running.add_argument(
        "--despite", action="store_true", help="also those that a broken promise stops"
    )
    running.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="LANE=PATH",
        help="read a lane from another file or folder; may be given more than once",
    )
    running.set_defaults(command=_run)
    describing = commands.add_parser("describe", help="say in sentences what a trellis does")
    describing.add_argument("file", type=Path, metavar="FILE")
    describing.set_defaults(command=_describe)
    return parser


def _open(options: argparse.Namespace) -> int:
    if not _has_screen():
        print(
            "keen-trellis: there is no display to open a window on. "
            "“keen-trellis run FILE” does the same work without one.",
            file=sys.stderr,
        )
        return UNUSABLE
    gc.disable()  # nothing that loading makes is garbage; `start` collects again
    from keen_trellis.desktop.application import start

    return start(options.file, dark=options.dark)


def _has_screen() -> bool:
    return bool(
        os.environ.get("DISPLAY")
        or os.environ.get("WAYLAND_DISPLAY")
        or os.environ.get("QT_QPA_PLATFORM") in ("offscreen", "minimal", "vnc")
    )


def _run(options: argparse.Namespace) -> int:
    trellis = load(options.file)
    for setting in options.set:
        trellis = _with_place(trellis, setting)
    runner = Runner()
    results = runner.run(trellis)
    if sys.stdin.isatty() and _ask_passwords(trellis, results, runner):
        results = runner.run(trellis)
    errors = results.errors()
    made: list[Delivered] = []
    if not errors:
        made = make_deliveries(results, write=options.deliver, despite=options.despite)
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


def _describe(options: argparse.Namespace) -> int:
    for line in describe(load(options.file)):
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
        print(f"{delivered.name}: {delivered.rows:,} rows to {delivered.path}, {what}")


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
        "deliveries": [{**dataclasses.asdict(d), "path": str(d.path)} for d in made],
        "errors": [str(error) for error in errors],
    }


def _side(counts: Any) -> dict[str, int]:
    return {**dataclasses.asdict(counts), "not_found": counts.not_found}


if __name__ == "__main__":
    sys.exit(main())
