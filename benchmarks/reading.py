"""A CSV of 1,000,000 rows and ten columns of mixed kinds, read and typed."""

from __future__ import annotations

import csv
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from benchmarks.measure import Result, timed
from keen_trellis.read import read_delimited

ROWS = 1_000_000


def run() -> Iterator[Result]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "mixed.csv"
        write(path)

        def strings() -> int:
            with path.open(newline="") as file:
                return len(list(csv.reader(file)))

        other_s, lines = timed(strings, times=2)
        ours_s, reading = timed(lambda: read_delimited(path))
        assert len(reading.table) == lines - 1
        yield Result("CSV, 1M x 10 mixed, read and typed", ours_s, other_s, 8)


def write(path: Path) -> None:
    rng = np.random.default_rng(2)
    day = np.datetime64("2020-01-01")
    columns = {
        "sailing": np.arange(ROWS).astype(str),
        "route": np.char.add("R-", rng.integers(0, 20_000, ROWS).astype(str)),
        "date": (day + rng.integers(0, 2000, ROWS)).astype(str),
        "port": np.array(["Kelp Point", "Marrow Sound", "Tolland"])[rng.integers(0, 3, ROWS)],
        "passengers": rng.integers(0, 300, ROWS).astype(str),
        "amount": np.char.mod("%.2f", rng.random(ROWS) * 1000),
        "share": rng.random(ROWS).round(9).astype(str),
        "late": np.array(["yes", "no"])[rng.integers(0, 2, ROWS)],
        "code": np.char.zfill(rng.integers(0, 9_999, ROWS).astype(str), 5),
        "left": (np.datetime64("2020-01-01T00:00:00") + rng.integers(0, 9_999_999, ROWS)).astype(
            str
        ),
    }
    with path.open("w", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(columns)
        writer.writerows(zip(*columns.values(), strict=True))
