"""What the command line does with a trellis; loaded when one of its commands is called."""

from __future__ import annotations

import argparse
import contextlib
import getpass
import json
import shutil
import sys
from collections.abc import Iterator, Sequence
from functools import partial
from pathlib import Path

from keen_trellis.base.errors import (
    BROKEN,
    DONE,
    NOT_ALLOWED,
    UNUSABLE,
    EditError,
    NotAllowedError,
    PasswordError,
    SourceError,
    UserError,
    reason,
)
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.base.words import counted
from keen_trellis.document import Lane, Trellis, load
from keen_trellis.document import describe as described
from keen_trellis.document.edits import SetSource, apply
from keen_trellis.document.trellis_wants import wants
from keen_trellis.document.wants import Want
from keen_trellis.machine import desktop_entry
from keen_trellis.machine.approvals import allow as allow_on_this_machine
from keen_trellis.machine.approvals import approvals, is_its_own, noting
from keen_trellis.machine.history import note_run
from keen_trellis.machine.remembered import remembered
from keen_trellis.run import Delivered, Results, Runner, make_deliveries
from keen_trellis.run.run_summary import differences, told
from keen_trellis.run.schedule import units
from keen_trellis.servers.secrets import LockedFile, Secrets
from keen_trellis.servers.server import Server


def run(options: argparse.Namespace) -> int:
    """Read, tie and count; deliver where it is asked for. Return the exit code."""
    trellis = load(options.file)
    refuse_unallowed(trellis, options)
    for setting in options.set:
        trellis = with_place(trellis, setting)
    # a match report shows rows with all that they have
    runner = Runner(late=not options.report)
    before = remembered(options.file) if options.report else None
    with shown_progress() as progress:
        results = runner.run(trellis, part(progress, 0.0, 0.6))
    # The first run tells which passwords are missing; what it read is kept, so the second one
    # reads the rest.
    if is_somebody_there() and _ask_passwords(trellis, results, runner):
        results = runner.run(trellis)
    if options.deliver and is_somebody_there():
        _ask_to_deliver(trellis, runner.secrets)
    errors = results.errors()
    made: list[Delivered] = []
    code = UNUSABLE if errors else DONE
    with shown_progress() as progress:
        if not errors:
            try:
                made = _delivered(results, runner, options, part(progress, 0.6, 0.9))
            except UserError as refused:  # what was found is told all the same
                errors, code = [refused], refused.exit_code
        if options.report:
            from keen_trellis.report.match_report import save_match_report
            from keen_trellis.report.page_options import PageOptions

            columns = tuple(one.strip() for one in options.columns.split(",") if one.strip())
            wished = PageOptions(
                options.made_for, not options.without_values, options.rows, columns
            )
            share = part(progress, 0.9, 1.0)
            save_match_report(results, options.report, runner, wished, before, share)
    note_run(options.file, results)
    if options.json:
        print(json.dumps(told(results, made, errors), indent=2, ensure_ascii=False))
    else:
        print_counts(results, made)
    for error in errors:
        print(tr("keen-trellis: {error}", error=error), file=sys.stderr)
    broken = [f"{join.name}: {one}" for join in results.facts.joins() for one in join.broken]
    for one in broken:
        print(tr("keen-trellis: A promise is broken. {one}.", one=one), file=sys.stderr)
    return code or (BROKEN if broken else DONE)


def _delivered(
    results: Results, runner: Runner, options: argparse.Namespace, report: Report
) -> list[Delivered]:
    return make_deliveries(
        results,
        write=options.deliver,
        despite=options.despite,
        may_replace=None if options.replace else partial(is_its_own, options.file),
        noting=partial(noting, options.file),
        secrets=runner.secrets,
        report=report,
    )


def check(options: argparse.Namespace) -> int:
    """Do everything but write: read, tie, count, look at promises and at what would be written."""
    options.deliver = options.despite = options.replace = False
    return run(options)


def diff(options: argparse.Namespace) -> int:
    """Say what is different between two runs as `run --json` told them. Return the exit code.

    Raises
    ------
    UserError
        A file holds no run, or one of another version.
    """
    runs = []
    for path in (options.before, options.now):
        try:
            runs.append(json.loads(path.read_text()))
        except (OSError, ValueError) as error:
            why = reason(error) if isinstance(error, OSError) else tr("it is not JSON")
            raise _no_run(path, why) from error
    try:
        found = list(differences(*runs))
    except (KeyError, TypeError, AttributeError) as error:
        raise _no_run(
            tr("{before} or {now}", before=options.before, now=options.now),
            tr("it is another JSON"),
        ) from error
    for line in found or [tr("Nothing is different.")]:
        print(line)
    return BROKEN if found else DONE


def _no_run(path: Path | str, why: str) -> UserError:
    return SourceError(
        tr("{path} is no run: {why}.", path=path, why=why),
        tr("Give two files that “keen-trellis run FILE --json” has told."),
    )


def desktop(options: argparse.Namespace) -> int:
    """Put the program into the menu of the desktop, for this user, or take it out again."""
    folder = desktop_entry.data_folder()
    if options.install:
        for path in desktop_entry.install(_program(), folder):
            print(path)
        print(tr("Keen Trellis is in the menu of the desktop, and opens its documents."))
        return DONE
    gone = desktop_entry.remove(folder)
    for path in gone:
        print(path)
    print(tr("Removed.") if gone else tr("Nothing of it was there."))
    return DONE


def _program() -> str:
    """Return the path that starts this program again."""
    # Of the environment that this program runs in; only then what the path finds first.
    beside = Path(sys.executable).with_name("keen-trellis")
    return str(beside) if beside.exists() else shutil.which("keen-trellis") or str(beside)


def schedule(options: argparse.Namespace) -> int:
    """Show the timer that runs a trellis every day, and install it where that is wished."""
    load(options.file)
    program = _program()
    more = ("--report", str(options.report.absolute())) if options.report else ()
    made = units(options.file, options.daily, program, more)
    for path, text in made.files().items():
        print(f"# {path}")
        print(text)
    if not options.yes:
        if not is_somebody_there():
            print(
                tr("keen-trellis: Nothing is installed; say --yes to install it."), file=sys.stderr
            )
            return NOT_ALLOWED
        if input(tr("Install these two files? [y/N] ")).strip().lower() not in ("y", "yes"):
            return NOT_ALLOWED
    made.install()
    print(tr("Installed. It begins to run once you say:"))
    print(f"  systemctl --user enable --now {made.name}.timer")
    return DONE


@contextlib.contextmanager
def shown_progress() -> Iterator[Report]:
    """Give a report that draws how far the work is where somebody looks at a terminal."""
    if sys.stderr is None or not sys.stderr.isatty():
        yield quiet
        return
    from rich.console import Console
    from rich.markup import escape
    from rich.progress import BarColumn, Progress, TextColumn

    done, doing_now = (
        TextColumn("{task.percentage:>3.0f} %"),
        TextColumn("{task.fields[doing]}"),
    )
    columns = (BarColumn(24), done, doing_now)
    with Progress(*columns, console=Console(stderr=True), transient=True) as shown:
        task = shown.add_task("", total=1.0, doing="")
        yield lambda fraction, doing: shown.update(task, completed=fraction, doing=escape(doing))


def allow(options: argparse.Namespace) -> int:
    """List what a trellis wants and nobody has allowed, and allow it. Return the exit code."""
    missing = _unallowed(load(options.file), options.file)
    if not missing:
        print(tr("It wants nothing that is not allowed already."))
        return DONE
    if approvals(options.file).allowed:
        print(tr("Since it was last allowed, it has come to want more:"))
    for want in missing:
        print(tr("It {wants}.", wants=want.words))
    if not options.yes:
        if not is_somebody_there():
            print(tr("keen-trellis: Say --yes to allow it."), file=sys.stderr)
            return NOT_ALLOWED
        if input(tr("Allow these on this machine? [y/N] ")).strip().lower() not in ("y", "yes"):
            return NOT_ALLOWED
    allow_on_this_machine(options.file, [want.key for want in missing])
    print(tr("Allowed."))
    return DONE


def is_somebody_there() -> bool:
    """Return whether anybody can be asked; the input may even be closed."""
    return sys.stdin is not None and sys.stdin.isatty()


def _unallowed(trellis: Trellis, document: Path) -> list[Want]:
    allowed = set(approvals(document).allowed)
    return [want for want in wants(trellis, document) if want.key not in allowed]


def refuse_unallowed(trellis: Trellis, options: argparse.Namespace) -> None:
    """Refuse a run for which a trellis wants what nobody has allowed.

    Lanes that are read from elsewhere this time want nothing, and where deliveries would be
    written matters only if they are.

    Raises
    ------
    NotAllowedError
    """
    document: Path = options.file
    # What is named on the command line was asked for by whoever called it: it needs no leave.
    elsewhere = {lane_set(trellis, setting).id for setting in options.set}
    lanes = [lane for lane in trellis.lanes if lane.id not in elsewhere]
    folder = document.absolute().parent
    needed = {want.key for lane in lanes for want in lane.source.wants(folder)}
    if getattr(options, "on", ""):
        needed |= {want.key for want in trellis.place(options.on).wants(folder)}
    if options.deliver:
        needed |= {w.key for _, item in trellis.deliveries() for w in item.wants(folder)}
    missing = [want.words for want in _unallowed(trellis, document) if want.key in needed]
    if missing:
        remedy = tr("See to it with “keen-trellis allow {document}”.", document=document)
        raise NotAllowedError(str(document), missing, remedy)


def with_place(trellis: Trellis, setting: str) -> Trellis:
    """Return the trellis with one lane read from elsewhere, as “LANE=PATH” says.

    Raises
    ------
    EditError
        The trellis has no such lane, or the lane is read from no file.
    """
    lane, path = lane_set(trellis, setting), setting.partition("=")[2]
    if not lane.source.place:
        raise EditError(
            tr("{name} is read from no file.", name=lane.name), tr("Set a lane that is.")
        )
    source = lane.source.at(str(Path(path).absolute()))
    return apply(SetSource(lane.id, source), trellis)[0]


def lane_set(trellis: Trellis, setting: str) -> Lane:
    """Return the lane that “LANE=PATH” means, by its name or its id.

    Raises
    ------
    EditError
        It means none, or one by its name and another by its id.
    """
    name, _, path = setting.partition("=")
    found = [lane for lane in trellis.lanes if name in (lane.name, lane.id)]
    if not path or not found:
        names = ", ".join(lane.name for lane in trellis.lanes)
        raise EditError(
            tr("“--set {setting}” names no lane and path.", setting=setting),
            tr("Write LANE=PATH; lanes are: {names}.", names=names),
        )
    if len(found) > 1:
        one, other = sorted(found, key=lambda lane: lane.id == name)
        raise EditError(
            tr(
                "“--set {setting}” may mean the lane {name}, or {other_name}, whose id that is.",
                setting=setting,
                name=one.name,
                other_name=other.name,
            ),
            tr("Rename one of them, or write {id}=PATH for the first.", id=one.id),
        )
    return found[0]


def _ask_passwords(trellis: Trellis, results: Results, runner: Runner) -> bool:
    """Ask for the passwords that are missing; tell whether any was given."""
    given = False
    for lane in trellis.lanes:
        error = results.readings.get(lane.id)
        server = getattr(lane.source, "database", None)
        if isinstance(error, PasswordError):
            locked = server if isinstance(server, Server) else LockedFile(error.server)
            runner.secrets.give(
                locked, getpass.getpass(tr("Password of {account}: ", account=locked.account))
            )
            given = True
    return given


def _ask_to_deliver(trellis: Trellis, secrets: Secrets) -> None:
    """Ask for the passwords of servers that rows are written to, where nobody has given them."""
    for _, item in trellis.deliveries():
        server = item.into.database if item.into is not None else None
        if isinstance(server, Server):
            try:
                secrets.password(server)
            except PasswordError:
                secrets.give(
                    server, getpass.getpass(tr("Password of {account}: ", account=server.account))
                )


def describe(options: argparse.Namespace) -> int:
    """Say in sentences what a trellis does. Return the exit code."""
    for line in described(load(options.file)):
        print(line)
    return DONE


def print_counts(results: Results, made: Sequence[Delivered]) -> None:
    """Print the rows of every lane, what became of them, and what was delivered."""
    facts = results.facts
    for lane in facts.lanes.values():
        if lane.rows is not None:
            columns = counted(len(lane.columns) - lane.unread, "column")
            size = f"{counted(lane.rows, 'row')}, {columns}"
            read = tr("{size} read", size=size) if lane.is_read else size
            print(f"{lane.name}: {read}")
            for note in lane.notes:
                print(f"  {note}")
    for item in facts.items.values():
        if item.says:
            print(f"{item.name}: {item.says}")
    for delivered in made:
        asked = tr("stopped by a broken promise") if delivered.stopped else tr("ask with --deliver")
        what = tr("written") if delivered.written else tr("not written ({asked})", asked=asked)
        what += tr(", in place of what was there") if delivered.replaced else ""
        if delivered.changes is not None:
            what += f": {delivered.changes.sentence()}"
        place = delivered.path or delivered.place
        print(
            tr(
                "{name}: {rows} to {place}, {what}",
                name=delivered.name,
                rows=counted(delivered.rows, "row"),
                place=place,
                what=what,
            )
        )
