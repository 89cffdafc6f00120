"""Runs the packages of the tests side by side, on all cores, and tells how they ended.

Each package runs in a process of its own, with all that it starts: when this one is killed, the
system ends them too. Of a failure ten lines are shown; the ten slowest tests stand at the end.
"""

from __future__ import annotations

import ctypes
import json
import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from types import TracebackType

ROOT = Path(__file__).parents[1]
LONGEST_FIRST = ("places", "desktop", "compute", "read", "jobs", "document", "data", "deliver")
_LINES, _WIDE = 10, 300
_DIES_WITH_PARENT = 1
"""PR_SET_PDEATHSIG of prctl(2): the signal that a process gets when the one above it ends."""

MEASURED = (
    ("-m", "coverage", "run", "--branch", "--parallel-mode", f"--source={ROOT / 'src'}")
    if "--coverage" in sys.argv
    else ()
)
"""What counts the branches that are taken, where somebody asks for it."""

Raised = tuple[type[BaseException], BaseException, TracebackType | None]


class Timed(unittest.TextTestResult):
    """Remembers how long each test took, and tells a failure in few lines."""

    def startTest(self, test: unittest.TestCase) -> None:  # noqa: D102
        self.started = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:  # noqa: D102
        super().stopTest(test)
        self.took[test.id()] = time.monotonic() - self.started

    @property
    def took(self) -> dict[str, float]:
        """Seconds by the name of a test."""
        return self.__dict__.setdefault("_took", {})

    def _exc_info_to_string(self, err: Raised, test: unittest.TestCase) -> str:
        told = super()._exc_info_to_string(err, test).rstrip().splitlines()
        said = shortened([line[:_WIDE] for line in told])
        return "\n".join([*said, f"  again: python -m unittest {test.id()}", ""])


def shortened(lines: list[str]) -> list[str]:
    """Return where a failure was and what it says, in ten lines: the last call, then the words."""
    if len(lines) <= _LINES:
        return lines
    calls = [n for n, line in enumerate(lines) if line.startswith('  File "')]
    last = calls[-1] if calls else 0
    tail = lines[last:]
    if len(tail) > _LINES - 1:
        tail = [*tail[: _LINES - 3], f"  … {len(tail) - _LINES + 2} lines more", tail[-1]]
    return [lines[0], *tail]


def run_here(package: str, told: Path) -> int:
    """Run one package in this process; write what it took to a file."""
    found = unittest.defaultTestLoader.discover(f"tests/{package}", top_level_dir=".")
    made = unittest.TextTestRunner(resultclass=Timed).run(found)
    assert isinstance(made, Timed)
    bad = len(made.failures) + len(made.errors) + len(made.unexpectedSuccesses)
    numbers = {"ran": made.testsRun, "bad": bad, "skipped": len(made.skipped), "took": made.took}
    told.write_text(json.dumps(numbers))
    return int(bad > 0)


def run(package: str) -> tuple[str, int, str, float, dict[str, object]]:
    """Return a package, its exit code, what it printed, how long it took, and its numbers."""
    started = time.monotonic()
    with tempfile.TemporaryDirectory() as folder:
        told = Path(folder) / "told.json"
        command = [sys.executable, "-W", "error::ResourceWarning", *MEASURED]
        command += [__file__, package, str(told)]
        # many tests start the program: it is to be compiled once
        known = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
        # what whoever sits here has set changes no test, and no test writes into their log
        at_home = {f"XDG_{one}_HOME": f"{folder}/{one}" for one in ("STATE", "CONFIG", "DATA")}
        done = subprocess.run(
            command,
            cwd=ROOT,
            env={**known, **at_home, "PYTHONPATH": str(ROOT)},
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
        )
        numbers = json.loads(told.read_text()) if told.exists() else {}
    return package, done.returncode, done.stdout, time.monotonic() - started, numbers


def packages() -> list[str]:
    """Return every package of tests, those that take longest first."""
    found = {path.parent.name for path in (ROOT / "tests").glob("*/test_*.py")}
    known = [name for name in LONGEST_FIRST if name in found]
    return [*known, *sorted(found - set(known))]


def main() -> int:
    passed = failed = skipped = 0
    took: dict[str, float] = {}
    # one more than there are cores: a test often waits, for a server, a process or a job
    with ThreadPoolExecutor((os.cpu_count() or 1) + 1) as pool:
        for package, code, printed, seconds, numbers in pool.map(run, packages()):
            ran = int(numbers.get("ran", 0))
            # a crash after the last test is a failure as well
            bad = int(numbers.get("bad", 0)) or int(code != 0)
            skips = int(numbers.get("skipped", 0))
            print(
                f"tests/{package}: {ran} in {seconds:.0f} s{', FAILED' if bad else ''}", flush=True
            )
            if bad or not ran:
                print(printed, flush=True)
            passed += max(ran - bad - skips, 0)
            failed += bad or int(not ran)
            skipped += skips
            took |= numbers.get("took", {})
    for name in sorted(took, key=took.__getitem__, reverse=True)[:10]:
        print(f"{took[name]:6.1f} s  {name.removeprefix('tests.')}")
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return int(failed > 0)


if __name__ == "__main__":
    if len(sys.argv) == 3:
        ctypes.CDLL(None).prctl(_DIES_WITH_PARENT, signal.SIGTERM)
        sys.exit(run_here(sys.argv[1], Path(sys.argv[2])))
    sys.exit(main())
