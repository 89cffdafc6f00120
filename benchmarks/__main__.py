"""Runs every benchmark, or those named, and prints the table; exit 1 when one falls short."""

import importlib
import sys

from benchmarks.measure import HEAD

BENCHMARKS = (
    "window",
    "pauses",
    "lasting",
    "reading",
    "lookup",
    "links",
    "looked",
    "steps",
    "growth",
    "whole",
    "wide",
    "elsewhere",
)

if __name__ == "__main__":
    print(HEAD)
    short = False
    for name in sys.argv[1:] or BENCHMARKS:
        for result in importlib.import_module(f"benchmarks.{name}").run():
            print(result.line(), flush=True)
            short |= not result.passed
    sys.exit(short)
