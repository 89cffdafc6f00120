"""Looking at two million rows: sorted, searched, and the values of a link with their rows."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyarrow as pa

from benchmarks.measure import Result, timed
from keen_trellis.compute.link_values import link_values
from keen_trellis.compute.row_view import Look, looked_rows
from keen_trellis.data import Table
from keen_trellis.notebook import tie

ROWS, VALUES = 2_000_000, 200_000


def run() -> Iterator[Result]:
    rng = np.random.default_rng(1)
    keys = np.array([f"K{number:06d}" for number in range(VALUES)])
    rows = Table.from_arrow(
        pa.table(
            {
                "id": rng.permutation(ROWS),
                "key": pa.array(keys[rng.integers(0, VALUES, ROWS)]),
                "zone": pa.array(np.array(["Inner", "Outer", "None"])[rng.integers(0, 3, ROWS)]),
                "day": pa.array(rng.integers(0, 9_000, ROWS).astype(np.int32), pa.date32()),
                "riders": rng.integers(0, 500, ROWS),
                "amount": np.round(rng.random(ROWS) * 1_000, 2),
            }
        )
    )
    for column in ("id", "key", "amount"):
        took_s, _ = timed(lambda c=column: looked_rows(rows, Look(sort=c)))
        yield Result(f"2M rows sorted by {column}", took_s, None, 0.5, "s")
    for words in ("k0199", "199"):
        took_s, _ = timed(lambda w=words: looked_rows(rows, Look(search=w)))
        yield Result(f"2M rows of 6 columns searched for “{words}”", took_s, None, 0.3, "s")
    other = Table.from_arrow(pa.table({"key": pa.array(keys)}))
    tied = tie(rows, other, "key")
    took_s, _ = timed(lambda: link_values(tied))
    yield Result("the values of a link, 2M x 200k", took_s, None, 1, "s")
