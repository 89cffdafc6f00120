"""The other ways to link: many to many, compound, ranges, nearest, proposals, and growth."""

from __future__ import annotations

import random
import sqlite3
import string
import tracemalloc
from collections.abc import Callable, Iterator, Sequence
from typing import Any

import numpy as np
import pyarrow as pa
from rapidfuzz.distance import Levenshtein

from benchmarks.measure import Result, timed
from keen_trellis.advice.likeness import likely_partners
from keen_trellis.advice.proposals import propose_links
from keen_trellis.data import Column, Table
from keen_trellis.notebook import Tie, tie

PAIRS_MEMORY = 3


def run() -> Iterator[Result]:
    rng = np.random.default_rng(3)
    yield from many_to_many(rng)
    yield from compound(rng)
    yield from ranges(rng)
    yield from nearest(rng)
    yield from proposals()
    yield from pairs_proposed()


def many_to_many(rng: np.random.Generator) -> Iterator[Result]:
    left = {"k": rng.integers(0, 1_000_000, 5_000_000)}
    right = {"k": rng.integers(0, 1_000_000, 2_500_000)}
    database = loaded(left, right, "k")

    def other() -> tuple[int, ...]:
        database.execute("drop table if exists pairs")
        database.execute(
            "create table pairs as select l.rowid a, r.rowid b from l join r using (k)"
        )
        return asked(
            database,
            (
                "select count(*) from pairs",
                "select count(*) from l where not exists (select 1 from r where r.k = l.k)",
                "select count(*) from r where not exists (select 1 from l where l.k = r.k)",
            ),
        )

    other_s, expected = timed(other, times=1)
    database.close()
    a, b = Table.from_arrow(pa.table(left)), Table.from_arrow(pa.table(right))

    def ours() -> tuple[int, ...]:
        match = tie(a, b, ["k"]).match
        return len(match.pairs[0]), len(match.left_only), len(match.right_only)

    ours_s, got = timed(ours)
    assert got == expected
    what = f"many to many, 5M x 2.5M -> {got[0] / 1e6:.1f}M pairs: counts, bays, pairs"
    yield Result(what, ours_s, other_s, 40)
    peak, tied = peak_memory(lambda: paired(a, b))
    size = sum(side.nbytes for side in tied.match.pairs)
    yield Result("… peak memory, as a multiple of the pairs", peak / size, None, 3, "times")


def paired(a: Table, b: Table) -> Tie:
    tied = tie(a, b, ["k"])
    assert len(tied.match.pairs[0])
    return tied


def compound(rng: np.random.Generator) -> Iterator[Result]:
    n = 1_000_000

    def side() -> dict[str, Any]:
        days = np.datetime64("2024-01-01") + rng.integers(0, 700, n)
        return {"route": np.char.add("R", rng.integers(0, 2_000, n).astype(str)), "day": days}

    left, right = side(), side()
    database = loaded(left, right, "route, day")
    queries = (
        "select count(*) from l join r using (route, day)",
        "select count(*) from l where not exists (select 1 from r where r.route = l.route "
        "and r.day = l.day)",
        "select count(*) from r where not exists (select 1 from l where r.route = l.route "
        "and r.day = l.day)",
    )
    other_s, expected = timed(lambda: asked(database, queries), times=1)
    database.close()
    a, b = Table.from_arrow(pa.table(left)), Table.from_arrow(pa.table(right))

    def ours() -> tuple[int, ...]:
        match = tie(a, b, ["route", "day"]).match
        return match.counts.pairs, len(match.left_only), len(match.right_only)

    ours_s, got = timed(ours)
    assert got == expected, (got, expected)
    yield Result("compound (text, date), 1M x 1M: counts and bays", ours_s, other_s, 5)


def ranges(rng: np.random.Generator) -> Iterator[Result]:
    on = [("t", ">=", "begin"), ("t", "<=", "stop")]
    left, right = readings(rng, 100_000, 5_000)
    database = loaded(left, right, "begin, stop")
    condition = "l.t >= r.begin and l.t <= r.stop"
    queries = (
        f"select count(*) from l join r on {condition}",
        f"select count(*) from l where not exists (select 1 from r where {condition})",
        f"select count(*) from r where not exists (select 1 from l where {condition})",
    )
    other_s, expected = timed(lambda: asked(database, queries), times=1)
    database.close()
    a, b = Table.from_arrow(pa.table(left)), Table.from_arrow(pa.table(right))

    def ours(a: Table, b: Table) -> tuple[int, ...]:
        match = tie(a, b, on).match
        return len(match.pairs[0]), len(match.left_only), len(match.right_only)

    ours_s, got = timed(lambda: ours(a, b))
    assert got == expected, (got, expected)
    yield Result("range, 100k readings in 5k periods", ours_s, other_s, 50)
    left, right = readings(rng, 1_000_000, 10_000)
    a, b = Table.from_arrow(pa.table(left)), Table.from_arrow(pa.table(right))
    large_s, got = timed(lambda: ours(a, b))
    yield Result(
        f"range, 1M readings in 10k periods: {got[0] / 1e6:.1f}M pairs", large_s, None, 60, "s"
    )
    peak, _ = peak_memory(lambda: ours(a, b))
    yield Result("… peak memory", peak / 1e6, None, 2_000, "MB")


def readings(
    rng: np.random.Generator, points: int, periods: int
) -> tuple[dict[str, Any], dict[str, Any]]:
    begin = rng.integers(0, 10_000_000, periods)
    length = rng.integers(0, 20_000, periods)
    left = {"t": rng.integers(0, 10_000_000, points)}
    return left, {"begin": begin, "stop": begin + length}


def nearest(rng: np.random.Generator) -> Iterator[Result]:
    left = {"g": rng.integers(0, 500, 1_000_000), "t": rng.integers(0, 10**6, 1_000_000)}
    right = {"g": rng.integers(0, 500, 100_000), "t": rng.integers(0, 10**6, 100_000)}
    database = loaded(left, right, "g, t")
    query = (
        "select count(x), sum(x) from (select (select max(r.t) from r where r.g = l.g "
        "and r.t <= l.t) x from l)"
    )
    other_s, expected = timed(lambda: database.execute(query).fetchone(), times=1)
    database.close()
    a, b = Table.from_arrow(pa.table(left)), Table.from_arrow(pa.table(right))

    ours_s, match = timed(lambda: tie(a, b, ["g", ("t", "nearest earlier", "t")]).match)
    rows, others = match.pairs
    first = np.unique(rows, return_index=True)[1]  # several may be equally near
    assert (match.counts.left.found, int(right["t"][others][first].sum())) == expected
    yield Result("nearest earlier in a group, 1M x 100k", ours_s, other_s, 8)


def proposals() -> Iterator[Result]:
    left, right = wide_table(1), wide_table(2)
    ours_s, _ = timed(lambda: propose_links(left, right), times=2)
    yield Result("links proposed, 30 columns x 1M rows on both sides", ours_s, None, 3, "s")
    columns = [_columns_of_four_sorts(seed, 400) for seed in (1, 2)]
    ours_s, _ = timed(lambda: propose_links(*columns), times=2)
    yield Result("links proposed, 400 x 400 columns of 20,000 rows", ours_s, None, 3, "s")


def _columns_of_four_sorts(seed: int, columns: int, rows: int = 20_000) -> Table:
    """Return codes, numbers, amounts and names of few values in turn."""
    rng = np.random.default_rng(seed)
    sorts: list[Callable[[int], Column]] = [
        lambda n: Column.of([f"v{value}" for value in rng.integers(0, 3_000, rows)]),
        lambda n: Column.of(rng.integers(0, 10**6, rows)),
        lambda n: Column.of(rng.random(rows).round(3)),
        lambda n: Column.of([f"name {value} of {n}" for value in rng.integers(0, 50, rows)]),
    ]
    made = {f"{'abcdef'[n % 6]}_col_{n}": sorts[n % 4](n) for n in range(columns)}
    return Table.of(made)


def pairs_proposed() -> Iterator[Result]:
    """Names of two made-up words, one letter wrong in each."""
    rng = random.Random(4)
    letters = string.ascii_lowercase
    words = ["".join(rng.choices(letters, k=rng.randint(4, 9))) for _ in range(20_000)]
    names = list({" ".join(rng.sample(words, 2)) for _ in range(50_000)})
    slips = []
    for name in names:
        at = rng.randrange(len(name))
        slips.append(name[:at] + rng.choice(letters) + name[at + 1 :])
    wrong = list(set(slips) - set(names))
    ours_s, found = timed(lambda: likely_partners(wrong, names), times=1)
    right = sum(Levenshtein.distance(wrong[n], names[like.other]) == 1 for n, like in found.items())
    assert right > 0.99 * len(wrong), right
    what = f"pairs proposed, {len(wrong):,} x {len(names):,} different values"
    yield Result(what, ours_s, None, 15, "s")


def wide_table(seed: int, n: int = 1_000_000) -> Table:
    rng = np.random.default_rng(seed)
    makers: Sequence[Callable[[int], Any]] = (
        lambda i: np.char.add(f"V{i}-", rng.integers(0, 10 ** (1 + i % 6), n).astype(str)),
        lambda i: rng.integers(0, 10 ** (1 + i // 4), n),
        lambda i: rng.random(n).round(3 + i % 5),
        lambda i: np.datetime64("2020-01-01") + rng.integers(0, 2_000, n),
        lambda i: np.char.add("K", rng.integers(0, 300_000, n).astype(str)),
        lambda i: rng.integers(0, 2, n).astype(bool),
    )
    return Table.from_arrow(pa.table({f"c{i}": makers[i % 6](i) for i in range(30)}))


def loaded(left: dict[str, Any], right: dict[str, Any], index: str) -> sqlite3.Connection:
    """Return an in-memory database of both sides, indexed where both have the columns."""
    database = sqlite3.connect(":memory:")
    for name, columns in (("l", left), ("r", right)):
        database.execute(f"create table {name} ({', '.join(columns)})")
        values = [
            v.astype(str).tolist() if v.dtype.kind == "M" else v.tolist() for v in columns.values()
        ]
        marks = ", ".join("?" for _ in columns)
        database.executemany(f"insert into {name} values ({marks})", zip(*values, strict=True))
        wanted = index if set(index.split(", ")) <= set(columns) else ", ".join(columns)
        database.execute(f"create index {name}_index on {name} ({wanted})")
    database.execute("analyze")
    return database


def asked(database: sqlite3.Connection, queries: Sequence[str]) -> tuple[int, ...]:
    return tuple(database.execute(query).fetchone()[0] for query in queries)


def peak_memory(work: Callable[[], Any]) -> tuple[int, Any]:
    """Return the most bytes that NumPy held during some work beyond those before, and its value."""
    tracemalloc.start()
    try:
        value = work()
        return tracemalloc.get_traced_memory()[1], value
    finally:
        tracemalloc.stop()
