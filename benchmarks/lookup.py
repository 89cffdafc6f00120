"""A text key, 2,000,000 rows against a lookup of 200,000, half of them found."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator

import numpy as np
import pyarrow as pa

from benchmarks.measure import Result, timed
from keen_trellis.data import Table
from keen_trellis.notebook import tie

LEFT, RIGHT = 2_000_000, 200_000


def run() -> Iterator[Result]:
    rng = np.random.default_rng(1)
    left_keys = np.char.add("K", rng.integers(0, 2 * RIGHT, LEFT).astype(str))
    right_keys = np.char.add("K", rng.permutation(RIGHT).astype(str))
    left = pa.table({"key": left_keys, "amount": rng.integers(0, 1000, LEFT)})
    right = pa.table({"key": right_keys, "zone": rng.integers(0, 9, RIGHT)})
    ours_left, ours_right = Table.from_arrow(left), Table.from_arrow(right)

    def ours(a: Table, b: Table) -> tuple[int, int, int]:
        tied = tie(a, b, ["key"])
        match = tied.match
        assert len(match.pairs_and_left_only[0]) == LEFT  # the bays, not only their sizes
        return tied.counts.pairs, len(match.left_only), len(match.right_only)

    other_s, expected = timed(_sqlite(left, right), times=2)
    ours_s, got = timed(ours, given=lambda: (Table.from_arrow(left), Table.from_arrow(right)))
    assert got == expected, (got, expected)
    yield Result("left outer, text key, 2M x 200k: counts and bays", ours_s, other_s, 6)

    tied = tie(ours_left, ours_right, ["key"])
    outcome = tied.outcome
    fetch_s, _ = timed(lambda: list(outcome.window(1_500_000, 1_500_100).rows()))
    yield Result("… 100 rows of the outcome fetched for the screen", fetch_s, None, 5, "ms")

    def switch() -> int:
        other = tied.keeping(("both", "right"))
        return len(list(other.outcome.window(0, 100).rows()))

    switch_s, _ = timed(switch)
    yield Result("… a bay switched, to the new first screen", switch_s, None, 50, "ms")
    noticed_s, _ = timed(lambda: (tied.join_types(), tied.findings()))
    yield Result("… counts of all join types, and the findings", noticed_s, None, 1, "s")
    yield from _ignoring_case(ours_left, ours_right)


def _ignoring_case(left: Table, right: Table) -> Iterator[Result]:
    exact_s, _ = timed(lambda: tie(left, right, ["key"]).match.pairs_and_left_only)
    rules = ("case", "outer spaces", "doubled spaces")
    tie(left, right, ["key"], text=rules)  # tidies the dictionaries, which are kept
    loose_s, _ = timed(lambda: tie(left, right, ["key"], text=rules).match.pairs_and_left_only)
    yield Result(
        "… the same ignoring case and spaces, as a multiple", loose_s / exact_s, None, 1.5, "times"
    )


def _sqlite(left: pa.Table, right: pa.Table) -> object:
    database = sqlite3.connect(":memory:")
    for name, table in (("l", left), ("r", right)):
        database.execute(f"create table {name} (key text, value integer)")
        rows = zip(*(column.to_pylist() for column in table.columns), strict=True)
        database.executemany(f"insert into {name} values (?, ?)", rows)
        database.execute(f"create index {name}_key on {name} (key)")
    database.execute("analyze")
    queries = (
        "select count(*) from l join r on l.key = r.key",
        "select count(*) from l where not exists (select 1 from r where r.key = l.key)",
        "select count(*) from r where not exists (select 1 from l where l.key = r.key)",
    )
    return lambda: tuple(database.execute(query).fetchone()[0] for query in queries)
