"""What is held after long work: old results are let go of, and nothing else piles up."""

from __future__ import annotations

import os
import shutil
import tempfile
import threading
from collections.abc import Iterator
from itertools import cycle
from pathlib import Path

import numpy as np

from benchmarks.measure import Result
from benchmarks.pauses import Window

LEFT, RIGHT, EDITS = 2_000_000, 200_000, 500
SOAK_EDITS, OPENINGS = 2_000, 300
_BEGINNING = 20
"""After how many edits or openings everything has been made that stays."""

_HELD_MB = 200
"""What the allocator may keep for itself; results that stayed would be gigabytes."""

DEMO = Path(__file__).parents[1] / "demo"


def run() -> Iterator[Result]:
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_STATE_HOME"] = folder
        yield from _edits_of_many_rows(Path(folder))
        yield from _soak(Path(folder))


def _held_mb() -> float:
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


def _edits_of_many_rows(folder: Path) -> Iterator[Result]:
    from keen_trellis.document import DelimitedSource
    from keen_trellis.document.edits import AddLane, AddTie, SetBay, TakeLink
    from keen_trellis.document.items import LinkedFields
    from keen_trellis.plan.bays import Bay

    shown = Window()
    session = shown.session
    numbers = np.random.default_rng(1)
    for name, rows in (("left", LEFT), ("right", RIGHT)):
        codes = numbers.integers(0, 250_000, rows)
        lines = "\n".join(f"K-{code:06},{n}" for n, code in enumerate(codes.tolist()))
        (folder / f"{name}.csv").write_text(f"code,{name}\n{lines}\n")
        session.do(AddLane(name, DelimitedSource(path=str(folder / f"{name}.csv"))))
    session.do(AddTie("left", "right", (LinkedFields(left="code", right="code"),)))
    session.select("left-right")
    shown.until_quiet()
    rules, kept, first = cycle([("case",), ()]), cycle([False, True]), 0.0
    for n in range(EDITS):
        if n == _BEGINNING:
            shown.until_quiet()
            first = _held_mb()
        if n % 2:
            session.do(SetBay("left-right", Bay.LEFT, next(kept)))
        else:
            link = session.trellis.join("left-right").match_link().with_text(next(rules))
            session.do(TakeLink("left-right", link))
        shown.until_done(results_only=True)
    shown.until_quiet()
    grown = max(_held_mb() - first, 0.0)
    what = f"{EDITS} edits on {LEFT // 1_000_000}M rows: memory grows by"
    yield Result(what, grown, None, _HELD_MB, "MB")
    shown.close()


def _soak(folder: Path) -> Iterator[Result]:
    """Open and change the demo again and again; count what is held at the beginning and the end."""
    from keen_trellis.document.edits import RenameTrellis, SetBay
    from keen_trellis.plan.bays import Bay

    shutil.copytree(DEMO, folder / "demo")
    shown = Window()
    session = shown.session
    names = sorted((folder / "demo").glob("*.trellis"))
    edits_each = -(-SOAK_EDITS // OPENINGS)
    before: dict[str, float] = {}
    for n in range(OPENINGS):
        if n == _BEGINNING:
            before = _held()
        session.document.open(names[n % len(names)])
        shown.until_done()
        joins = [item.id for _, item in session.trellis.joins()]
        for edit in range(edits_each):
            if edit % 3 or not joins:
                session.do(RenameTrellis(f"Trellis {n} {edit}"))
            else:
                session.do(SetBay(joins[0], Bay.LEFT, bool(edit % 2)))
            shown.until_done()
        session.document.undo.setClean()
    after = _held()
    for what, unit, most in (
        ("memory grows by", "MB", 60),
        ("threads more", "more", 2),
        ("descriptors more", "more", 2),
        ("children more", "more", 0.5),
    ):
        grown = max(after[what] - before[what], 0.0)
        text = f"{OPENINGS} openings, {OPENINGS * edits_each:,} edits: {what}"
        yield Result(text, grown, None, most, unit)
    shown.close()


def _held() -> dict[str, float]:
    children = Path("/proc/self/task").glob("*/children")
    return {
        "memory grows by": _held_mb(),
        "threads more": threading.active_count(),
        "descriptors more": len(os.listdir("/proc/self/fd")),
        "children more": sum(len(one.read_text().split()) for one in children),
    }
