"""Puts small faults into what counts, one at a time, and tells which ones the tests notice.

A comparison is turned, a number is one off, an “and” is an “or” (operators of cosmic-ray). A run
takes a sample, another one with every seed: `python tools/mutants.py 40 --seed 3`. Faults that
change nothing anybody could see are told as survivors, too: look at them.
"""

from __future__ import annotations

import argparse
import datetime as dt
import difflib
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from queue import Queue

from cosmic_ray.ast import get_ast
from cosmic_ray.mutating import mutate_code
from cosmic_ray.plugins import get_operator

ROOT = Path(__file__).parents[1]
_ON_NUMPY = (
    *(f"tests.compute.{one.stem}" for one in sorted((ROOT / "tests/compute").glob("test_*.py"))),
    "tests.document.test_ties",
)
_IN_SQL = (
    "tests.places.test_golden_sql",
    "tests.places.test_semantics",
    "tests.places.test_three_executors.PlansInPostgresTest",
    "tests.places.test_three_executors.FunctionsInPostgresTest",
)
ROOMS = {
    "plan": (*_ON_NUMPY, _IN_SQL[0]),
    "compute": _ON_NUMPY,
    "compute/join": _ON_NUMPY,
    "compute/formula": _ON_NUMPY,
    "advice": _ON_NUMPY,
    "sql": _IN_SQL,
    "report": tuple(
        f"tests.report.test_{name}" for name in ("filtering", "summing", "pictures", "match_report")
    ),
}
"""Where faults are put, and the tests that should notice them."""
TIMEOUT_S = 1200
"""What is not over by then goes on for ever: a loop that a fault made endless is noticed, too."""
WORKERS = 2
_TOLD_EVERY = 5
_ONLY_LOOKS = re.compile(
    r"\b(?:line|mark|font|label|handle|[wh]_)\w*=|\b(?:part|progress|report)\(|^@dataclass|strict="
)
"""Where nothing is decided but how wide a line is drawn or how far a job says that it is, or what
guards against faults of our own alone: classes that never change, lists of one length."""
_TURNED = ("Eq", "NotEq", "Lt", "LtE", "Gt", "GtE")
OPERATORS = (
    *(f"ReplaceComparisonOperator_{a}_{b}" for a in _TURNED for b in _TURNED if a != b),
    *(f"ReplaceBinaryOperator_{a}" for a in ("Add_Sub", "Sub_Add", "Mul_Add", "FloorDiv_Mul")),
    *(f"ReplaceBinaryOperator_{a}" for a in ("BitAnd_BitOr", "BitXor_BitOr", "LShift_RShift")),
    "ReplaceAndWithOr",
    "ReplaceOrWithAnd",
    "ReplaceTrueWithFalse",
    "ReplaceFalseWithTrue",
    "ReplaceUnaryOperator_Delete_Not",
    "NumberReplacer",
)


@dataclass(frozen=True, slots=True)
class Fault:
    """One small fault: the code of a file before and with it."""

    file: Path
    operator: str
    before: str
    after: str

    @property
    def lines(self) -> str:
        """The lines that are different."""
        pairs = difflib.unified_diff(self.before.splitlines(), self.after.splitlines(), n=0)
        return "\n".join(
            line for line in pairs if line[:1] in "+-" and line[:3] not in ("+++", "---")
        )


def faults(file: Path) -> Iterator[tuple[str, int]]:
    """Yield every fault that can be put into a file, as an operator and its occurrence."""
    tree = get_ast((ROOT / file).read_text())
    for name in OPERATORS:
        operator = get_operator(f"core/{name}")()
        found = 0
        for node in walked(tree):
            found += len(list(operator.mutation_positions(node)))
        yield from ((name, number) for number in range(found))


def walked(node: object) -> Iterator[object]:
    """Yield a node of the syntax tree and all below it, as cosmic-ray counts them."""
    yield node
    for child in getattr(node, "children", ()):
        yield from walked(child)


def made(file: Path, operator: str, occurrence: int) -> Fault | None:
    """Return a fault; None where it is in a constant of the module, in looks, or in nothing."""
    before = (ROOT / file).read_text()
    after = mutate_code(before, get_operator(f"core/{operator}")(), occurrence)
    if after is None or after == before:
        return None
    fault = Fault(file, operator, before, after)
    first = fault.lines.lstrip("+-")
    is_tuning = first[:1] not in (" ", "") and first.split(" ")[0].split(":")[0].isupper()
    return None if is_tuning or _ONLY_LOOKS.search(first) else fault


def tests_of(fault: Fault) -> tuple[str, ...]:
    """Return the tests of the room that a fault is in."""
    return ROOMS[fault.file.parent.relative_to(Path("src") / "keen_trellis").as_posix()]


def is_noticed(fault: Fault, tree: Path) -> bool:
    """Run the tests of a room with a fault in a copy of the project."""
    place = tree / fault.file
    place.write_text(fault.after)
    environment = {**os.environ, "PYTHONPATH": str(tree / "src"), "QT_QPA_PLATFORM": "offscreen"}
    try:
        done = subprocess.run(
            [sys.executable, "-m", "unittest", "-f", *tests_of(fault)],
            cwd=tree,
            env=environment,
            capture_output=True,
            timeout=TIMEOUT_S,
        )
        return done.returncode != 0
    except subprocess.TimeoutExpired:
        return True
    finally:
        place.write_text(fault.before)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("number", type=int, nargs="?", default=40)
    parser.add_argument("--seed", type=int, default=dt.date.today().toordinal())
    parser.add_argument("--file", default="*.py", help="only files of that pattern")
    parser.add_argument("--room", choices=[*ROOMS], action="append", help="only this room")
    options = parser.parse_args()
    package = ROOT / "src" / "keen_trellis"
    files = sorted(
        path.relative_to(ROOT)
        for room in options.room or ROOMS
        for path in (package / room).glob(options.file)
    )
    every = [(file, *place) for file in files for place in faults(file)]
    random.Random(options.seed).shuffle(every)
    sample: list[Fault] = []
    for file, operator, occurrence in every:
        fault = made(file, operator, occurrence)
        sample += [fault] if fault else []
        if len(sample) == options.number:
            break
    print(f"{len(sample)} of some {len(every):,} faults, seed {options.seed}", flush=True)
    trees: Queue[Path] = Queue()
    with tempfile.TemporaryDirectory() as folder:
        for number in range(WORKERS):
            tree = Path(folder) / str(number)
            for part in ("src", "tests", "demo"):
                shutil.copytree(ROOT / part, tree / part)
            trees.put(tree)

        for one in {tests_of(fault): fault for fault in sample}.values():
            if is_noticed(replace(one, after=one.before), trees.queue[0]):
                print(f"The tests of {one.file.parent} fail without any fault: mend that first.")
                return 2

        def tried(fault: Fault) -> bool:
            tree = trees.get()
            try:
                noticed = is_noticed(fault, tree)
            finally:
                trees.put(tree)
            if not noticed:
                print(
                    f"survived in {fault.file.name} ({fault.operator})\n{fault.lines}", flush=True
                )
            return noticed

        with ThreadPoolExecutor(WORKERS) as pool:
            noticed = 0
            for done, is_noticed_now in enumerate(pool.map(tried, sample), start=1):
                noticed += is_noticed_now
                if done % _TOLD_EVERY == 0:
                    print(f"{noticed} of {done} so far", flush=True)
    print(f"{noticed} of {len(sample)} noticed ({noticed / max(len(sample), 1):.0%})")
    return 0


if __name__ == "__main__":
    sys.exit(main())
