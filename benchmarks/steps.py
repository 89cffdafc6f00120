"""Steps and formulas on millions of rows, against SQLite in memory and against polars."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator, Mapping
from contextlib import closing
from typing import Any

import numpy as np
import polars as pl
import pyarrow as pa

from benchmarks.measure import Result, timed
from keen_trellis.data import Table
from keen_trellis.notebook import formula, step

ROWS, MANY = 2_000_000, 5_000_000
GROUPS = 100_000


def rows(n: int) -> pa.Table:
    rng = np.random.default_rng(3)
    routes = np.array([f" route {number:03d} " for number in range(500)])
    zones = np.array(["Inner", "Outer", "North", "South"])
    return pa.table(
        {
            "route": pa.array(routes[rng.integers(0, 500, n)]),
            "zone": pa.array(zones[rng.integers(0, 4, n)]),
            "n": rng.integers(0, 500, n),
            "grp": rng.integers(0, GROUPS, n),
            "amount": rng.integers(0, 10_000, n),
        }
    )


def in_sqlite(table: pa.Table) -> sqlite3.Connection:
    connection = sqlite3.connect(":memory:")
    connection.execute(
        "create table t (route text, zone text, n integer, grp integer, amount integer)"
    )
    columns = [column.to_pylist() for column in table.columns]
    connection.executemany("insert into t values (?, ?, ?, ?, ?)", zip(*columns, strict=True))
    return connection


def asked_of(connection: sqlite3.Connection, query: str) -> Callable[[], object]:
    def ask() -> None:
        connection.execute("drop table if exists made")
        connection.execute(f"create table made as {query}")

    return ask


def step_of(table: Table, kind: str, settings: Mapping[str, Any]) -> Callable[[], object]:
    """Return what works a step out, with every column that it makes fetched."""

    def done() -> object:
        found = step(table, kind, **settings)
        fetched = [found.outcome.fetch(field) for field in found.outcome.fields]
        return len(fetched)

    return done


def compared(
    what: str,
    asked: float,
    ours: Callable[[], object],
    sqlite: Callable[[], object],
    other: Callable[[], object],
) -> Iterator[Result]:
    ours_s, _ = timed(ours)
    sqlite_s, _ = timed(sqlite, 1)
    other_s, _ = timed(other)
    yield Result(f"{what}, to SQLite", ours_s, sqlite_s, asked)
    yield Result(f"{what}, to polars", ours_s, other_s, 0.5)


def run() -> Iterator[Result]:
    few, many = rows(ROWS), rows(MANY)
    yield from on_two_million(few)
    yield from shaped(few)
    yield from on_five_million(many)


def on_two_million(arrow: pa.Table) -> Iterator[Result]:
    table, frame = Table.from_arrow(arrow), pl.from_arrow(arrow)
    typed = formula("UPPER(TRIM(route)) || '-' || CAST(n + amount AS VARCHAR)")
    took_s, _ = timed(lambda: typed.evaluated(table.window(0, 40)))
    yield Result("a key typed into a formula, 2M rows", took_s, None, 50, "ms")
    with closing(in_sqlite(arrow)) as connection:
        text = 'UPPER(TRIM("route")) || \'-\' || CAST("n" AS VARCHAR)'
        yield from compared(
            "a text put together, 2M rows",
            5,
            step_of(table, "formula", {"columns": {"key": text}}),
            asked_of(connection, f"select *, {text} as key from t"),
            lambda: frame.with_columns(
                key=pl.col("route").str.strip_chars().str.to_uppercase()
                + "-"
                + pl.col("n").cast(pl.String)
            ),
        )
        case = (
            "CASE WHEN n < 100 THEN 'few' WHEN n < 200 THEN 'some' WHEN n < 400 THEN 'many' "
            "ELSE 'full' END"
        )
        yield from compared(
            "CASE of four arms, 2M rows",
            5,
            step_of(table, "formula", {"columns": {"size": case}}),
            asked_of(connection, f"select *, {case} as size from t"),
            lambda: frame.with_columns(
                size=pl.when(pl.col("n") < 100)
                .then(pl.lit("few"))
                .when(pl.col("n") < 200)
                .then(pl.lit("some"))
                .when(pl.col("n") < 400)
                .then(pl.lit("many"))
                .otherwise(pl.lit("full"))
            ),
        )
        yield from compared(
            "2M rows in order of two keys",
            3,
            step_of(table, "order", {"by": ["route", "amount"]}),
            asked_of(connection, "select * from t order by route, amount"),
            lambda: frame.sort("route", "amount"),
        )
        yield from compared(
            "repeats of two columns, 2M rows",
            4,
            step_of(table, "repeats", {"by": ["route", "n"]}),
            asked_of(
                connection,
                "select * from t where rowid in (select min(rowid) from t group by route, n)",
            ),
            lambda: frame.unique(["route", "n"], keep="first", maintain_order=True),
        )


def shaped(arrow: pa.Table) -> Iterator[Result]:
    """Rows to columns and back, and columns across rows, against polars alone."""
    table, frame = Table.from_arrow(arrow), pl.from_arrow(arrow)
    routes = sorted(set(table.column("route").to_list()))[:100]
    pivot = {"field": "route", "values": routes, "by": ["grp"], "how": "sum", "column": "amount"}
    narrow = frame.filter(pl.col("route").is_in(routes)).select("grp", "route", "amount")
    names = [f"c{n}" for n in range(50)]
    own = arrow.slice(0, 200_000)
    for name in names:
        own = own.append_column(name, own["amount"])
    wide, below = Table.from_arrow(own), pl.from_arrow(own)
    for what, kind, settings, other in (
        (
            "2M rows to 100 columns, 100k groups",
            "pivot",
            pivot,
            lambda: narrow.pivot("route", index="grp", values="amount", aggregate_function="sum"),
        ),
        (
            "50 columns of 200k rows below one another",
            "unpivot",
            {"columns": names},
            lambda: below.unpivot(names, index=["route", "zone", "n", "grp", "amount"]),
        ),
        (
            "2M running sums in 100k groups, in an order",
            "across",
            {
                **{"name": "so far", "what": "running sum", "column": "amount", "by": ["grp"]},
                "order": ["n"],
            },
            lambda: frame.with_columns(
                pl.col("amount").cum_sum().over("grp", order_by="n").alias("so far")
            ),
        ),
    ):
        ours_s, _ = timed(step_of(wide if kind == "unpivot" else table, kind, settings))
        other_s, _ = timed(other)
        yield Result(f"{what}, to polars", ours_s, other_s, 0.5)


def on_five_million(arrow: pa.Table) -> Iterator[Result]:
    table, frame = Table.from_arrow(arrow), pl.from_arrow(arrow)
    with closing(in_sqlite(arrow)) as connection:
        figures = [
            {"column": "amount", "how": how} for how in ("sum", "min", "max", "distinct count")
        ]
        yield from compared(
            "5M rows to 100k groups, five figures",
            5,
            step_of(table, "summarise", {"by": ["grp"], "figures": [{"how": "count"}, *figures]}),
            asked_of(
                connection,
                "select grp, count(*), sum(amount), min(amount), max(amount), "
                "count(distinct amount) from t group by grp",
            ),
            lambda: frame.group_by("grp", maintain_order=True).agg(
                pl.len(),
                pl.col("amount").sum().alias("sum"),
                pl.col("amount").min().alias("min"),
                pl.col("amount").max().alias("max"),
                pl.col("amount").n_unique().alias("distinct"),
            ),
        )
        conditions = [
            {"column": "zone", "is_": "in", "values": ["Inner", "Outer"]},
            {"column": "n", "is_": ">=", "values": ["250"]},
            {"column": "amount", "is_": "<", "values": ["5000"]},
        ]
        yield from compared(
            "a filter of three conditions, 5M rows",
            10,
            step_of(table, "filter", {"conditions": conditions}),
            asked_of(
                connection,
                "select * from t where zone in ('Inner', 'Outer') and n >= 250 and amount < 5000",
            ),
            lambda: frame.filter(
                pl.col("zone").is_in(["Inner", "Outer"])
                & (pl.col("n") >= 250)
                & (pl.col("amount") < 5_000)
            ),
        )
