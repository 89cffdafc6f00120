"""The command line: keen-trellis open | run | allow | describe."""

from __future__ import annotations

import argparse
import gc
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

from keen_trellis.errors import DONE, UNUSABLE, UserError


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; return its exit code.

    0 is done, 1 a promise broken, 2 unusable input, 3 something that nobody has allowed.
    """
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
        "--replace", action="store_true", help="also files that the trellis did not write"
    )
    running.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="LANE=PATH",
        help="read a lane from another file or folder; may be given more than once",
    )
    running.set_defaults(command=_later("run"))
    allowing = commands.add_parser("allow", help="list what a trellis wants to reach, and allow it")
    allowing.add_argument("file", type=Path, metavar="FILE")
    allowing.add_argument("--yes", action="store_true", help="without asking")
    allowing.set_defaults(command=_later("allow"))
    describing = commands.add_parser("describe", help="say in sentences what a trellis does")
    describing.add_argument("file", type=Path, metavar="FILE")
    describing.set_defaults(command=_later("describe"))
    return parser


def _later(name: str) -> Callable[[argparse.Namespace], int]:
    """Return a command that is loaded when it is called: not every one needs all libraries."""

    def command(options: argparse.Namespace) -> int:
        from keen_trellis import commands

        return int(getattr(commands, name)(options))

    return command


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


if __name__ == "__main__":
    sys.exit(main())
