"""The commands about places where a trellis runs beside this machine: run --on, sql, compare."""

from __future__ import annotations

import argparse
import getpass
import json
import sys
from collections.abc import Iterator, Sequence
from functools import partial

from keen_trellis.base.errors import BROKEN, DONE, UNUSABLE, NotThereError, PasswordError, UserError
from keen_trellis.base.language import grouped_digits, tr
from keen_trellis.base.progress import Report, part
from keen_trellis.cli.commands import (
    is_somebody_there,
    print_counts,
    refuse_unallowed,
    shown_progress,
    with_place,
)
from keen_trellis.document import Trellis, load
from keen_trellis.document.places import RunPlace
from keen_trellis.machine.approvals import is_its_own, noting
from keen_trellis.places.place_session import Session
from keen_trellis.run import Delivered, Runner
from keen_trellis.run.place_comparison import Compared, compared
from keen_trellis.run.place_delivery import make_deliveries_there
from keen_trellis.run.place_facts import ThereResults, results_of
from keen_trellis.run.place_run import There, session_at
from keen_trellis.run.run_summary import told
from keen_trellis.run.sql_script import script
from keen_trellis.servers.server import Server


def run_on(options: argparse.Namespace) -> int:
    """Run a trellis where its data is, and print what `run` prints. Return the exit code.

    Raises
    ------
    NotThereError
        A match report is asked for, which is made on this machine.
    """
    trellis = _given(options)
    place = trellis.place(options.on)
    if options.report:
        raise NotThereError(
            tr("The match report shows rows and reports, which are worked out on this machine."),
            tr("Leave out --on, or --report."),
        )
    runner = Runner()
    with shown_progress() as progress, _opened(place, runner, progress) as session:
        there = There(trellis, session, runner, report=part(progress, 0.0, 0.7))
        results = results_of(there)
        errors = results.errors()
        code = UNUSABLE if errors else DONE
        made: list[Delivered] = []
        if not errors:
            try:
                made = _delivered(there, results, runner, options, part(progress, 0.7, 1.0))
            except UserError as refused:
                errors, code = [refused], refused.exit_code
    if options.json:
        print(json.dumps(told(results, made, errors), indent=2, ensure_ascii=False))
    else:
        print(tr("Run on {name}: {label}", name=place.name, label=session.label))
        print_counts(results, made)
    return _told(results, errors, code)


def check_on(options: argparse.Namespace) -> int:
    """Do everything that `run_on` does but write. Return the exit code."""
    # Checked with what is written turned off, whatever else was said: check never writes.
    options.deliver = options.despite = options.replace = False
    return run_on(options)


def _given(options: argparse.Namespace) -> Trellis:
    trellis = load(options.file)
    refuse_unallowed(trellis, options)
    for setting in options.set:
        trellis = with_place(trellis, setting)
    return trellis


def _opened(place: RunPlace, runner: Runner, report: Report) -> Session:
    """Return a session at a place; its password is asked for where somebody is there."""
    report(0.0, tr("Going to {name}", name=place.name))
    try:
        return session_at(place, runner.secrets)
    except PasswordError:
        # A script waits for nobody: it gets the error, which says where a password is looked for.
        if not is_somebody_there() or not isinstance(place.at, Server):
            raise
    runner.secrets.give(
        place.at, getpass.getpass(tr("Password of {account}: ", account=place.at.account))
    )
    return session_at(place, runner.secrets)


def _delivered(
    there: There,
    results: ThereResults,
    runner: Runner,
    options: argparse.Namespace,
    report: Report,
) -> list[Delivered]:
    return make_deliveries_there(
        there,
        results,
        write=options.deliver,
        despite=options.despite,
        may_replace=None if options.replace else partial(is_its_own, options.file),
        noting=partial(noting, options.file),
        secrets=runner.secrets,
        report=report,
    )


def _told(results: ThereResults, errors: Sequence[UserError], code: int) -> int:
    for error in errors:
        print(tr("keen-trellis: {error}", error=error), file=sys.stderr)
    # Broken promises come last: an error of the run says more than what it left broken.
    broken = [f"{join.name}: {one}" for join in results.facts.joins() for one in join.broken]
    for one in broken:
        print(tr("keen-trellis: A promise is broken. {one}.", one=one), file=sys.stderr)
    return code or (BROKEN if broken else DONE)


def sql(options: argparse.Namespace) -> int:
    """Print what a trellis does as SQL. Return the exit code."""
    options.set, options.deliver = [], False
    trellis = _given(options)
    lane = next((x for x in trellis.lanes if options.lane in (x.name, x.id)), None)
    if options.lane and lane is None:
        names = ", ".join(one.name for one in trellis.lanes)
        print(
            tr(
                "keen-trellis: There is no lane “{lane}”; it has: {names}.",
                lane=options.lane,
                names=names,
            ),
            file=sys.stderr,
        )
        return UNUSABLE
    with shown_progress() as progress:
        text, errors = script(trellis, options.dialect, lane, Runner(), progress)
    print(text)
    for error in errors:
        print(tr("keen-trellis: {error}", error=error), file=sys.stderr)
    return UNUSABLE if errors else DONE


def compare(options: argparse.Namespace) -> int:
    """Run a trellis here and elsewhere, and print every count of both. Return the exit code."""
    trellis = _given(options)
    place = trellis.place(options.on)
    runner = Runner()
    with shown_progress() as progress, _opened(place, runner, progress) as session:
        found = compared(trellis, session, runner, options.rows, progress)
    for line in _lines(found, place.name):
        print(line)
    # A difference outweighs a refusal: what is refused is known, what differs is wrong.
    if any(not one.is_same for one in found):
        return BROKEN
    return UNUSABLE if any(one.refused for one in found) else DONE


def _lines(found: Sequence[Compared], place: str) -> Iterator[str]:
    names = [f"{one.part}, {one.what}" for one in found]
    # Aligned for a terminal; a program reads `--json` of `run`.
    width = max((len(name) for name in names), default=0)
    yield f"{'':{width}}  {tr('this machine'):>16}  {place:>16}"
    for name, one in zip(names, found, strict=True):
        here = "-" if one.here is None else grouped_digits(one.here)
        there = (
            tr("refused")
            if one.refused
            else "-"
            if one.there is None
            else grouped_digits(one.there)
        )
        mark = "" if one.is_same else f"  {tr('differs')}"
        yield f"{name:{width}}  {here:>16}  {there:>16}{mark}"
        if one.refused:
            yield f"{'':{width}}  {one.refused}"
    other = sum(not one.is_same for one in found)
    yield (
        tr("{other:,} of {found:,} counts differ.", other=other, found=len(found))
        if other
        else tr("Every count is the same.")
    )
