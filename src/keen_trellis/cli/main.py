"""The command line: keen-trellis open, run, check, sql, compare, diff and what else there is."""

from __future__ import annotations

import argparse
import contextlib
import gc
import io
import os
import signal
import sys
import threading
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from keen_trellis.base.errors import DONE, UNUSABLE, UserError, lacking
from keen_trellis.base.language import marked, speak_in_libraries, tr
from keen_trellis.base.logs import begin_log
from keen_trellis.base.version import VERSION
from keen_trellis.base.whole_files import give_up
from keen_trellis.machine.running import handed_over
from keen_trellis.machine.settings import read_settings, usual_log
from keen_trellis.places.known import PLACES

_ENDS_WITHIN_S = 0.8
_STOPPED = tr("keen-trellis: Stopped. What was not whole has not been written.")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; return its exit code.

    0 is done, 1 a promise broken, 2 unusable input, 3 something that nobody has allowed.
    """
    options = parser().parse_args(arguments)
    leave_others_alone()
    for stream in (sys.stdout, sys.stderr):  # a name that is no text is still said
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    try:
        settings = read_settings()
        settings.take_effect()
        for odd in settings.odd:
            _say(tr("keen-trellis: {odd}", odd=odd))
        begin_log(
            getattr(options, "log", ""),
            kept=usual_log() if settings["telling.log"] and hasattr(options, "log") else None,
            shown=getattr(options, "verbose", False),
        )
        with _stopped_by_signals() if options.command is not _open else contextlib.nullcontext():
            code = int(options.command(options))
            if sys.stdout is not None:
                sys.stdout.flush()
            return code
    except UserError as error:
        _say(tr("keen-trellis: {error}", error=error))
        return error.exit_code
    except _StoppedError as stopped:
        _say(_STOPPED)
        return stopped.exit_code
    except KeyboardInterrupt:  # before anything else hears of it: modules are being loaded
        _say(_STOPPED)
        return 128 + signal.SIGINT
    except (MemoryError, RuntimeError) as fault:
        lack = lacking(fault)
        if not lack:
            raise
        _say(
            tr(
                "keen-trellis: It cannot be done: {lack}. What was not whole has not been written.",
                lack=lack,
            )
        )
        return UNUSABLE
    except BrokenPipeError:  # the reader of our output has seen enough
        _say_no_more()
        return DONE
    except OSError as error:  # most likely of what was said: files have sentences of their own
        _say_no_more()
        _say(tr("keen-trellis: The system refuses it: {error}.", error=error))
        return UNUSABLE


class _NoPandas:
    """Finds no pandas for Arrow; a cluster's client, which needs it, loads it itself."""

    @staticmethod
    def find_spec(name: str, *_: object) -> None:
        """Refuse the one name; all others are found by those that come after."""
        if name == "pandas" and "pyspark" not in sys.modules:
            raise ModuleNotFoundError(name)


def leave_others_alone() -> None:
    """Keep Arrow from loading pandas where it is installed, and pydantic from looking for plugins.

    Arrow looks for pandas when it is given the first Python list: a third of a second for nothing.
    A plugin that happens to be installed would have a say in what a document may hold. Only a
    program does this: in a notebook others may want both.
    """
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
    if _NoPandas not in sys.meta_path:
        sys.meta_path.insert(0, _NoPandas)


def _say(sentence: str) -> None:
    """Tell what went wrong, if anybody can be told."""
    with contextlib.suppress(OSError):
        print(sentence, file=sys.stderr, flush=True)


def _say_no_more() -> None:
    """Have what is still to be written go nowhere: nobody takes it."""
    if sys.stdout is not None:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


class _StoppedError(BaseException):
    """Somebody wants the program to end, by Ctrl+C or from outside."""

    def __init__(self, number: int) -> None:
        self.exit_code = 128 + number


@contextlib.contextmanager
def _stopped_by_signals() -> Iterator[None]:
    """Have SIGINT, SIGTERM and SIGHUP end the work, and the process soon, whatever it does.

    Python hears a signal between two of its own steps, which may be seconds apart. The system
    writes its number into a pipe at once, and a thread that waits there ends what does not end.
    """

    def stop(number: int, _: object) -> None:
        raise _StoppedError(number)

    if threading.current_thread() is not threading.main_thread():  # only that one hears signals
        yield
        return
    hears, told = os.pipe()
    os.set_blocking(told, False)
    is_over = threading.Event()
    threading.Thread(target=_end_in_time, args=(hears, is_over), daemon=True).start()
    numbers = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
    before = [signal.signal(number, stop) for number in numbers]
    pipe_before = signal.set_wakeup_fd(told)
    try:
        yield
    finally:
        signal.set_wakeup_fd(pipe_before)
        for number, handler in zip(numbers, before, strict=True):
            signal.signal(number, handler)
        is_over.set()
        os.close(told)


def _end_in_time(hears: int, is_over: threading.Event) -> None:
    """Wait for the number of a signal, and end the process unless the work ends by itself."""
    number = os.read(hears, 1)
    os.close(hears)
    if number and not is_over.wait(_ENDS_WITHIN_S):
        give_up()
        print(_STOPPED, file=sys.stderr, flush=True)
        os._exit(128 + number[0])


_OF_ARGPARSE = (
    marked("usage: "),
    marked("positional arguments"),
    marked("options"),
    marked("show this help message and exit"),
    marked("show program's version number and exit"),
    marked("%(prog)s: error: %(message)s\n"),
    marked("argument %(argument_name)s: %(message)s"),
    marked("the following arguments are required: %s"),
    marked("unrecognized arguments: %s"),
    marked("invalid choice: %(value)r (choose from %(choices)s)"),
    marked("ambiguous option: %(option)s could match %(matches)s"),
    marked("expected one argument"),
    marked("expected at least one argument"),
    marked("invalid %(type)s value: %(value)r"),
    marked("not allowed with argument %s"),
    marked("ignored explicit argument %r"),
)
"""What argparse says for us: it asks gettext at that moment."""


def parser() -> argparse.ArgumentParser:
    """Return what reads the command line; its manual and completions are made from it."""
    speak_in_libraries()
    made = argparse.ArgumentParser(
        prog="keen-trellis",
        description=tr("Joins between tables, with every matched and unmatched row in view."),
    )
    made.add_argument(
        "--version", action="version", version=tr("Keen Trellis {version}", version=VERSION)
    )
    commands = made.add_subparsers(required=True, metavar="COMMAND")
    opening = commands.add_parser("open", help=tr("open a trellis in the window"))
    opening.add_argument("file", type=Path, nargs="?", metavar="FILE")
    opening.add_argument("--dark", action="store_true", help=tr("with the dark theme"))
    _add_log(opening)
    opening.set_defaults(command=_open)
    running = commands.add_parser("run", help=tr("read, tie and count, without a screen"))
    _add_what_runs(running)
    running.add_argument("--deliver", action="store_true", help=tr("write the deliveries"))
    running.add_argument(
        "--despite", action="store_true", help=tr("also those that a broken promise stops")
    )
    running.add_argument(
        "--replace", action="store_true", help=tr("also files that the trellis did not write")
    )
    running.set_defaults(command=_here_or_there("run"))
    checking = commands.add_parser("check", help=tr("do all that run does but write deliveries"))
    _add_what_runs(checking)
    checking.set_defaults(command=_here_or_there("check"))
    dialects = [kind.dialect for kind in PLACES.values()]
    writing = commands.add_parser("sql", help=tr("print what a trellis does as SQL"))
    writing.add_argument("file", type=Path, metavar="FILE")
    writing.add_argument(
        "--for", dest="dialect", choices=dialects, default=dialects[0], help=tr("for what")
    )
    writing.add_argument("--lane", default="", metavar="NAME", help=tr("only this lane's rows"))
    writing.set_defaults(command=_elsewhere("sql"))
    both = commands.add_parser(
        "compare", help=tr("run here and elsewhere, and compare every count")
    )
    both.add_argument("file", type=Path, metavar="FILE")
    both.add_argument("--on", required=True, metavar="NAME", help=tr("the place to run"))
    both.add_argument(
        "--rows",
        type=_count,
        default=None,
        metavar="N",
        help=tr("only the first rows of each lane"),
    )
    both.set_defaults(command=_elsewhere("compare"), set=[], deliver=False)
    comparing = commands.add_parser("diff", help=tr("say what is different between two runs"))
    comparing.add_argument("before", type=Path, metavar="RUN1", help=tr("what run --json printed"))
    comparing.add_argument("now", type=Path, metavar="RUN2")
    comparing.set_defaults(command=_later("diff"))
    timing = commands.add_parser(
        "schedule", help=tr("run and deliver every day, by a systemd timer")
    )
    timing.add_argument("file", type=Path, metavar="FILE")
    timing.add_argument("--daily", required=True, metavar="HH:MM", help=tr("when, such as 06:30"))
    timing.add_argument("--report", type=Path, metavar="PATH", help=tr("with the match report"))
    timing.add_argument("--yes", action="store_true", help=tr("install it without asking"))
    timing.set_defaults(command=_later("schedule"))
    allowing = commands.add_parser(
        "allow", help=tr("list what a trellis wants to reach, and allow it")
    )
    allowing.add_argument("file", type=Path, metavar="FILE")
    allowing.add_argument("--yes", action="store_true", help=tr("without asking"))
    allowing.set_defaults(command=_later("allow"))
    describing = commands.add_parser("describe", help=tr("say in sentences what a trellis does"))
    describing.add_argument("file", type=Path, metavar="FILE")
    describing.set_defaults(command=_later("describe"))
    entry = commands.add_parser(
        "desktop", help=tr("put the program into the desktop's menu, or out")
    )
    either = entry.add_mutually_exclusive_group(required=True)
    either.add_argument(
        "--install",
        action="store_true",
        help=tr("entry, icon and type of documents, for you alone"),
    )
    either.add_argument("--remove", action="store_true", help=tr("take them away again"))
    entry.set_defaults(command=_later("desktop"))
    return made


def _add_log(command: argparse.ArgumentParser) -> None:
    command.add_argument(
        "--verbose", action="store_true", help=tr("tell on the screen what is done as well")
    )
    command.add_argument(
        "--log",
        default="",
        metavar="PATH",
        help=tr("tell there what is done and how long it takes"),
    )


def _add_what_runs(command: argparse.ArgumentParser) -> None:
    """Add what can be said of every run."""
    command.add_argument("file", type=Path, metavar="FILE")
    _add_log(command)
    command.add_argument("--json", action="store_true", help=tr("print the counts as JSON"))
    command.add_argument(
        "--on",
        default="",
        metavar="NAME",
        help=tr("run where the data is, at a place of the trellis"),
    )
    command.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="LANE=PATH",
        help=tr("read a lane from another file or folder; may be given more than once"),
    )
    command.add_argument(
        "--report",
        type=Path,
        metavar="PATH",
        help=tr("write the match report: .html, .pdf or .xlsx"),
    )
    command.add_argument(
        "--for", dest="made_for", default="", metavar="NAME", help=tr("whom it is for")
    )
    command.add_argument(
        "--without-values",
        action="store_true",
        help=tr("leave values of sources out of the report"),
    )

    command.add_argument(
        "--rows",
        type=_count,
        default=20,
        metavar="N",
        help=tr("show so many rows without a partner"),
    )
    command.add_argument(
        "--columns", default="", metavar="A,B", help=tr("of these rows, only some of the columns")
    )


def _count(text: str) -> int:
    """Return a number of rows; argparse says what is wrong with another text."""
    if not (text.isascii() and text.isdigit()):
        raise argparse.ArgumentTypeError(
            tr("{text!r} is no number of rows: give 0, 1, 2 …", text=text)
        )
    return int(text)


def _here_or_there(name: str) -> Callable[[argparse.Namespace], int]:
    """Return a command that runs a trellis, on this machine or at the place that is named."""

    def command(options: argparse.Namespace) -> int:
        return (_elsewhere(f"{name}_on") if options.on else _later(name))(options)

    return command


def _elsewhere(name: str) -> Callable[[argparse.Namespace], int]:
    """Return a command about places where a trellis runs, loaded when it is called."""

    def command(options: argparse.Namespace) -> int:
        from keen_trellis.cli import at_places

        return int(getattr(at_places, name)(options))

    return command


def _later(name: str) -> Callable[[argparse.Namespace], int]:
    """Return a command that is loaded when it is called: not every one needs all libraries."""

    def command(options: argparse.Namespace) -> int:
        from keen_trellis.cli import commands

        return int(getattr(commands, name)(options))

    return command


def _open(options: argparse.Namespace) -> int:
    if not _has_screen():
        print(
            tr(
                "keen-trellis: there is no display to open a window on. "
                "“keen-trellis run FILE” does the same work without one."
            ),
            file=sys.stderr,
        )
        return UNUSABLE
    # what is to be told here, or looks otherwise, is a process of its own
    is_own = options.dark or options.log or options.verbose
    if not is_own and handed_over(options.file):
        return DONE
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
