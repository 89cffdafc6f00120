"""How time and memory grow from 100,000 to 10,000,000 rows against a tenth as many."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from benchmarks.links import peak_memory
from benchmarks.measure import Result, timed
from keen_trellis.data import Column, Kind, Table
from keen_trellis.notebook import tie

SIZES = (100_000, 1_000_000, 10_000_000)


def run() -> Iterator[Result]:
    before: float | None = None
    for size in SIZES:
        rng = np.random.default_rng(size)
        left = Table.of({"k": Column(Kind.INTEGER, rng.integers(0, size // 5, size))})
        right = Table.of({"k": Column(Kind.INTEGER, rng.permutation(size // 10))})

        def work(left: Table = left, right: Table = right) -> int:
            return len(tie(left, right, ["k"]).match.pairs_and_left_only[0])

        seconds, rows = timed(work)
        assert rows == size
        peak, _ = peak_memory(work)
        note = f"left outer, integers, {size:,} rows: {peak / size:.0f} bytes a row at the peak"
        if before is None:
            yield Result(note, seconds, None, 60, "s")
        else:
            yield Result(f"{note}; as a multiple of a tenth", seconds / before, None, 30, "times")
        before = seconds
