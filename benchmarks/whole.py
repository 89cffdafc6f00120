"""The whole job, from files to a file, and its parts, against polars with both cores."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import polars as pl
import pyarrow as pa
import xlsxwriter

from benchmarks.measure import Result, timed
from benchmarks.reading import write as write_mixed
from keen_trellis.data import Table
from keen_trellis.deliver import deliver
from keen_trellis.notebook import step, tie
from keen_trellis.read import read_delimited

LEFT, RIGHT, GROUPS = 2_000_000, 200_000, 1_000_000
EVERY = ("left", "both", "right")


def run() -> Iterator[Result]:
    with tempfile.TemporaryDirectory() as folder:
        yield from files_to_file(Path(folder))
        yield from read_and_typed(Path(folder) / "mixed.csv")
        yield from sheets(Path(folder) / "rows.xlsx")
    yield from summarised()
    yield from full_outer()
    yield from many_to_many()
    yield from ranges()
    yield from nearest()
    yield from compound()


def cells(table: Table) -> int:
    """Fetch every cell of a table, and tell how many there are."""
    return sum(map(len, table.fetched()))


def tables(*sides: pa.Table) -> list[Table]:
    return [Table.from_arrow(side) for side in sides]


def two_sides() -> tuple[pa.Table, pa.Table]:
    rng = np.random.default_rng(1)
    left = np.char.add("K", rng.integers(0, 2 * RIGHT, LEFT).astype(str))
    right = np.char.add("K", rng.permutation(RIGHT).astype(str))
    return (
        pa.table({"key": left, "amount": rng.integers(0, 1000, LEFT)}),
        pa.table({"key": right, "zone": rng.integers(0, 9, RIGHT)}),
    )


def files_to_file(folder: Path) -> Iterator[Result]:
    sides = two_sides()
    places = folder / "left.csv", folder / "right.csv"
    for place, side in zip(places, sides, strict=True):
        pl.from_arrow(side).write_csv(place)

    def ours() -> int:
        left, right = (read_delimited(place).table for place in places)
        outcome = tie(left, right, "key", EVERY).outcome
        deliver(outcome, folder / "ours.csv")
        return len(outcome)

    def other() -> int:
        left, right = (pl.read_csv(place) for place in places)
        joined = left.join(right, on="key", how="full", coalesce=True)
        joined.write_csv(folder / "other.csv")
        return len(joined)

    ours_s, got = timed(ours)
    other_s, expected = timed(other)
    assert got == expected
    yield Result("two texts, 2M and 200k rows, full outer, to a text", ours_s, other_s, 0.6)


def read_and_typed(path: Path) -> Iterator[Result]:
    write_mixed(path)
    ours_s, reading = timed(lambda: cells(read_delimited(path).table))
    other_s, frame = timed(lambda: pl.read_csv(path, try_parse_dates=True))
    assert reading == len(frame) * len(frame.columns)
    yield Result("a text of 1M x 10, read and typed", ours_s, other_s, 0.6)


def sheets(path: Path) -> Iterator[Result]:
    rng = np.random.default_rng(6)
    n = 200_000
    ports = np.array(["Kelp Point", "Marrow Sound", "Tolland"])
    arrow = pa.table(
        {f"n{i}": rng.integers(0, 10_000, n) for i in range(4)}
        | {f"x{i}": rng.random(n).round(3) for i in range(2)}
        | {
            "id": np.char.add("S-", np.arange(n).astype(str)),
            "port": ports[rng.integers(0, 3, n)],
            "day": pa.array(rng.integers(0, 9_000, n).astype(np.int32), pa.date32()),
            "late": rng.integers(0, 2, n).astype(bool),
        }
    )
    table = Table.from_arrow(arrow)

    def other() -> None:
        options = {"constant_memory": True, "default_date_format": "yyyy-mm-dd"}
        with xlsxwriter.Workbook(path, options) as book:
            sheet = book.add_worksheet()
            for number, row in enumerate(table.rows()):
                for place, value in enumerate(row):
                    sheet.write(number, place, value)

    ours_s, _ = timed(lambda: deliver(table, path), times=2)
    other_s, _ = timed(other, times=1)
    yield Result("a sheet of 200k x 10, to its cells written one by one", ours_s, other_s, 1.5)


def summarised() -> Iterator[Result]:
    rng = np.random.default_rng(3)
    n = 5_000_000
    arrow = pa.table({"grp": rng.integers(0, GROUPS, n), "amount": rng.integers(0, 10_000, n)})
    table, frame = Table.from_arrow(arrow), pl.from_arrow(arrow)
    figures = [{"how": "count"}, *({"column": "amount", "how": h} for h in ("sum", "min", "max"))]
    ours_s, got = timed(
        lambda: cells(step(table, "summarise", by=["grp"], figures=figures).outcome)
    )
    amount = pl.col("amount")
    other_s, expected = timed(
        lambda: frame.group_by("grp", maintain_order=True).agg(
            pl.len(), amount.sum(), amount.min().alias("min"), amount.max().alias("max")
        )
    )
    assert got == 5 * len(expected)
    yield Result("5M rows to 1M groups: sum, count, min, max", ours_s, other_s, 1.5)


def full_outer() -> Iterator[Result]:
    left, right = two_sides()
    x, y = map(pl.from_arrow, (left, right))
    ours_s, got = timed(
        lambda a, b: cells(tie(a, b, "key", EVERY).outcome), given=lambda: tables(left, right)
    )
    other_s, expected = timed(lambda: x.join(y, on="key", how="full", coalesce=True))
    assert got == 3 * len(expected)
    yield Result("full outer on text, 2M x 200k, all cells", ours_s, other_s, 1.2)


def many_to_many() -> Iterator[Result]:
    rng = np.random.default_rng(3)
    left = pa.table({"k": rng.integers(0, 1_000_000, 5_000_000), "a": np.arange(5_000_000)})
    right = pa.table({"k": rng.integers(0, 1_000_000, 2_500_000), "b": np.arange(2_500_000)})
    a, b, x, y = Table.from_arrow(left), Table.from_arrow(right), *map(pl.from_arrow, (left, right))
    ours_s, got = timed(lambda: cells(tie(a, b, "k", "inner").outcome))
    other_s, expected = timed(lambda: x.join(y, on="k"))
    assert got == 3 * len(expected)
    yield Result("many to many, 12.5M pairs, all cells", ours_s, other_s, 1.3)


def ranges() -> Iterator[Result]:
    rng = np.random.default_rng(4)
    begin = rng.integers(0, 10_000_000, 10_000)
    left = pa.table({"t": rng.integers(0, 10_000_000, 1_000_000)})
    right = pa.table({"begin": begin, "stop": begin + rng.integers(0, 20_000, 10_000)})
    a, b, x, y = Table.from_arrow(left), Table.from_arrow(right), *map(pl.from_arrow, (left, right))
    on = [("t", ">=", "begin"), ("t", "<=", "stop")]
    ours_s, got = timed(lambda: cells(tie(a, b, on, "inner").outcome))
    t = pl.col("t")
    other_s, expected = timed(
        lambda: x.join_where(y, t >= pl.col("begin"), t <= pl.col("stop")), times=2
    )
    assert got == 3 * len(expected)
    yield Result("range, 1M in 10k periods, 10M pairs, all cells", ours_s, other_s, 2.0)


def nearest() -> Iterator[Result]:
    rng = np.random.default_rng(5)
    n, m = 1_000_000, 100_000
    left = pa.table({"g": rng.integers(0, 500, n), "t": rng.integers(0, 10**6, n)})
    moments = np.sort(rng.choice(10**6, m, replace=False))
    right = pa.table({"g": rng.integers(0, 500, m), "t": moments, "fare": np.arange(m)})
    a, b, x, y = Table.from_arrow(left), Table.from_arrow(right), *map(pl.from_arrow, (left, right))
    on = ["g", ("t", "nearest earlier", "t")]
    ours_s, got = timed(lambda: cells(tie(a, b, on).outcome))

    def other() -> int:
        """Sort, as that join wants it, and put the rows back into their order."""
        numbered = x.with_row_index("row").sort("t")
        return len(numbered.join_asof(y.sort("t"), on="t", by="g").sort("row"))

    other_s, expected = timed(other)
    assert got == len(tie(a, b, on).outcome.fields) * expected
    yield Result("nearest earlier in groups, 1M x 100k", ours_s, other_s, 0.8)


def compound() -> Iterator[Result]:
    rng = np.random.default_rng(6)
    n = 1_000_000

    def side(name: str) -> pa.Table:
        days = np.datetime64("2024-01-01") + rng.integers(0, 700, n)
        routes = np.char.add("R", rng.integers(0, 2_000, n).astype(str))
        return pa.table({"route": routes, "day": days, name: np.arange(n)})

    left, right = side("a"), side("b")
    x, y = map(pl.from_arrow, (left, right))
    on = ["route", "day"]
    ours_s, got = timed(
        lambda a, b: cells(tie(a, b, on, "inner").outcome), given=lambda: tables(left, right)
    )
    other_s, expected = timed(lambda: x.join(y, on=on))
    assert got == 4 * len(expected)
    yield Result("compound (text, date), 1M x 1M, all cells", ours_s, other_s, 1.5)

    def ours(a: Table, b: Table) -> tuple[int, int, int]:
        counts = tie(a, b, on).counts
        return counts.pairs, counts.left.not_found, counts.right.not_found

    def other() -> tuple[int, int, int]:
        return (
            len(x.join(y, on=on)),
            len(x.join(y, on=on, how="anti")),
            len(y.join(x, on=on, how="anti")),
        )

    ours_s, found = timed(ours, given=lambda: tables(left, right))
    other_s, wanted = timed(other)
    assert found == wanted
    yield Result("… counts of both sides", ours_s, other_s, 1.9)
