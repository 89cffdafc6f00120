"""Runs the packages of the tests side by side, one for each core, and tells how they ended."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).parents[1]
LONGEST_FIRST = ("places", "desktop", "compute", "read", "jobs", "document", "data", "deliver")


def run(package: str) -> tuple[str, int, str, float]:
    """Return a package, its exit code, what it printed, and how long it took."""
    started = time.monotonic()
    command = [sys.executable, "-W", "error::ResourceWarning", "-m", "unittest"]
    command += ["discover", "-s", f"tests/{package}", "-t", "."]
    # many tests start the program: it is to be compiled once
    known = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
    done = subprocess.run(
        command, cwd=ROOT, env=known, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
    )
    return package, done.returncode, done.stdout, time.monotonic() - started


def packages() -> list[str]:
    """Return every package of tests, those that take longest first."""
    found = {path.parent.name for path in (ROOT / "tests").glob("*/test_*.py")}
    known = [name for name in LONGEST_FIRST if name in found]
    return [*known, *sorted(found - set(known))]


def main() -> int:
    passed = failed = skipped = 0
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        for package, code, printed, seconds in pool.map(run, packages()):
            count = re.search(r"^Ran (\d+) tests?", printed, re.MULTILINE)
            ran = int(count[1]) if count else 0
            bad = sum(int(n) for n in re.findall(r"(?:failures|errors)=(\d+)", printed))
            bad = bad or int(code != 0)  # a crash after the last test is a failure as well
            skips = sum(int(n) for n in re.findall(r"skipped=(\d+)", printed))
            print(f"tests/{package}: {ran} in {seconds:.0f} s{', FAILED' if bad else ''}")
            if bad or not ran:
                print(printed)
            passed += max(ran - bad - skips, 0)
            failed += bad or int(not ran)
            skipped += skips
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return int(failed > 0)


if __name__ == "__main__":
    sys.exit(main())
