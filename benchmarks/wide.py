"""Ten questions over a warehouse of eight wide tables in Parquet, each of a few columns of them.

The data is made by a public generator of warehouses, `tpchgen-cli`, and the yardstick is DuckDB;
neither is needed by the program or its tests. Where one of them is missing, this says so and
measures nothing: `pip install tpchgen-cli duckdb`. Both answers are compared before they are timed.
"""

from __future__ import annotations

import importlib.util
import shutil
import subprocess
import sys
import sysconfig
import tempfile
from collections.abc import Callable, Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq

from benchmarks.measure import Result, timed
from keen_trellis.data import Table
from keen_trellis.notebook import step, tie
from keen_trellis.plan.outcome import Columns
from keen_trellis.read import read_columnar

SCALE = "0.5"
NAMES = ("customer", "lineitem", "nation", "orders", "part", "partsupp", "region", "supplier")
Rows = list[tuple[Any, ...]]


class Warehouse:
    """The tables of a folder; each question reads them anew, as a run does."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def __getattr__(self, name: str) -> Table:
        return read_columnar(self._folder / f"{name}.parquet", late=True).table


def kept(table: Table, formula: str) -> Table:
    return step(table, "filter", formula=formula).outcome


def summed(table: Table, by: list[str], **figures: tuple[str | None, str]) -> Table:
    made = [{"name": name, "column": column, "how": how} for name, (column, how) in figures.items()]
    return step(table, "summarise", by=by, figures=made).outcome


def joined(left: Table, right: Table, *on: tuple[str, str], keep: str = "inner") -> Table:
    return tie(left, right, list(on), keep).outcome


def having(left: Table, right: Table, *on: tuple[str, str], keep: str) -> Table:
    """Return the rows of the left that have a partner, or those that have none."""
    return tie(left, right, list(on), [keep], columns=Columns(right=())).outcome


def only(table: Table, *names: str) -> Table:
    return Table(tuple(map(table.field, names)), table.strands, table.n_rows)


def by_flag(w: Warehouse) -> Table:
    """Sum what was shipped until a day, by two flags."""
    rows = kept(w.lineitem, "l_shipdate <= DATE '1998-09-02'")
    figures = {"n": (None, "count"), "q": ("l_quantity", "sum"), "p": ("l_extendedprice", "sum")}
    return summed(rows, ["l_returnflag", "l_linestatus"], **figures)


def discounted(w: Warehouse) -> Table:
    """Sum what a year's small discounts on small orders came to."""
    rows = kept(
        w.lineitem,
        "l_shipdate >= DATE '1994-01-01' AND l_shipdate < DATE '1995-01-01' "
        "AND l_discount >= 0.05 AND l_discount <= 0.07 AND l_quantity < 24",
    )
    made = step(rows, "formula", columns={"off": "l_extendedprice * l_discount"}).outcome
    return summed(made, [], off=("off", "sum"))


def late_orders(w: Warehouse) -> Table:
    """Count orders of a quarter with a part that came later than promised, by priority."""
    late = kept(w.lineitem, "l_commitdate < l_receiptdate")
    orders = kept(w.orders, "o_orderdate >= DATE '1993-07-01' AND o_orderdate < DATE '1993-10-01'")
    with_late = having(orders, late, ("o_orderkey", "l_orderkey"), keep="both")
    return summed(with_late, ["o_orderpriority"], n=(None, "count"))


def without_orders(w: Warehouse) -> Table:
    """Count customers who never ordered, and what they have, by segment."""
    never = having(w.customer, w.orders, ("c_custkey", "o_custkey"), keep="left")
    return summed(never, ["c_mktsegment"], n=(None, "count"), s=("c_acctbal", "sum"))


def by_nation(w: Warehouse) -> Table:
    """Sum what the nations of a region paid in a year."""
    region = kept(w.region, "r_name = 'ASIA'")
    nations = joined(w.nation, region, ("n_regionkey", "r_regionkey"))
    customers = joined(w.customer, nations, ("c_nationkey", "n_nationkey"))
    year = kept(w.orders, "o_orderdate >= DATE '1994-01-01' AND o_orderdate < DATE '1995-01-01'")
    orders = joined(year, customers, ("o_custkey", "c_custkey"))
    lines = joined(w.lineitem, orders, ("l_orderkey", "o_orderkey"))
    return summed(lines, ["n_name"], s=("l_extendedprice", "sum"))


def by_mode(w: Warehouse) -> Table:
    """Count lines by how they were shipped and how urgent the order was."""
    lines = joined(w.lineitem, w.orders, ("l_orderkey", "o_orderkey"))
    return summed(lines, ["l_shipmode", "o_orderpriority"], n=(None, "count"))


def cheapest(w: Warehouse) -> Table:
    """Find the parts that cost the most with the supplier who asks least."""
    least = summed(w.partsupp, ["ps_partkey"], least=("ps_supplycost", "min"))
    parts = joined(w.part, least, ("p_partkey", "ps_partkey"))
    ordered = step(parts, "order", by=[{"field": "least", "descending": True}, "p_partkey"])
    first = step(ordered.outcome, "first", n=100).outcome
    return only(first, "p_partkey", "p_name", "least")


def largest(w: Warehouse) -> Table:
    """Find orders of more than 300 pieces, with who gave them."""
    pieces = summed(w.lineitem, ["l_orderkey"], pieces=("l_quantity", "sum"))
    large = kept(pieces, "pieces > 300")
    orders = joined(large, w.orders, ("l_orderkey", "o_orderkey"))
    named = joined(orders, w.customer, ("o_custkey", "c_custkey"))
    return only(named, "c_name", "l_orderkey", "o_totalprice", "pieces")


def of_brand(w: Warehouse) -> Table:
    """Sum what lines of some parts came to, by their container."""
    parts = kept(w.part, "p_brand = 'Brand#23'")
    lines = joined(w.lineitem, parts, ("l_partkey", "p_partkey"))
    return summed(lines, ["p_container"], s=("l_extendedprice", "sum"), n=(None, "count"))


def suppliers(w: Warehouse) -> Table:
    """Count the suppliers of small parts by brand, without those that people complained of."""
    bad = kept(w.supplier, "s_comment LIKE '%Customer%Complaints%'")
    good = having(w.partsupp, bad, ("ps_suppkey", "s_suppkey"), keep="left")
    parts = kept(w.part, "p_size <= 10")
    pairs = joined(good, parts, ("ps_partkey", "p_partkey"))
    once = step(pairs, "repeats", by=["p_brand", "ps_suppkey"], keep="first").outcome
    return summed(once, ["p_brand"], n=(None, "count"))


QUESTIONS: dict[Callable[[Warehouse], Table], str] = {
    by_flag: """SELECT l_returnflag, l_linestatus, count(*), sum(l_quantity), sum(l_extendedprice)
        FROM lineitem WHERE l_shipdate <= DATE '1998-09-02' GROUP BY ALL""",
    discounted: """SELECT sum(l_extendedprice * l_discount) FROM lineitem
        WHERE l_shipdate >= DATE '1994-01-01' AND l_shipdate < DATE '1995-01-01'
        AND l_discount >= 0.05 AND l_discount <= 0.07 AND l_quantity < 24""",
    late_orders: """SELECT o_orderpriority, count(*) FROM orders
        WHERE o_orderdate >= DATE '1993-07-01' AND o_orderdate < DATE '1993-10-01' AND EXISTS
        (SELECT 1 FROM lineitem WHERE l_orderkey = o_orderkey AND l_commitdate < l_receiptdate)
        GROUP BY ALL""",
    without_orders: """SELECT c_mktsegment, count(*), sum(c_acctbal) FROM customer
        WHERE NOT EXISTS (SELECT 1 FROM orders WHERE o_custkey = c_custkey) GROUP BY ALL""",
    by_nation: """SELECT n_name, sum(l_extendedprice) FROM lineitem
        JOIN orders ON l_orderkey = o_orderkey JOIN customer ON o_custkey = c_custkey
        JOIN nation ON c_nationkey = n_nationkey JOIN region ON n_regionkey = r_regionkey
        WHERE r_name = 'ASIA' AND o_orderdate >= DATE '1994-01-01'
        AND o_orderdate < DATE '1995-01-01' GROUP BY ALL""",
    by_mode: """SELECT l_shipmode, o_orderpriority, count(*) FROM lineitem
        JOIN orders ON l_orderkey = o_orderkey GROUP BY ALL""",
    cheapest: """SELECT p_partkey, p_name, least FROM part JOIN
        (SELECT ps_partkey, min(ps_supplycost) AS least FROM partsupp GROUP BY ALL)
        ON p_partkey = ps_partkey ORDER BY least DESC, p_partkey LIMIT 100""",
    largest: """SELECT c_name, l_orderkey, o_totalprice, pieces FROM
        (SELECT l_orderkey, sum(l_quantity) AS pieces FROM lineitem GROUP BY ALL
        HAVING pieces > 300) JOIN orders ON l_orderkey = o_orderkey
        JOIN customer ON o_custkey = c_custkey""",
    of_brand: """SELECT p_container, sum(l_extendedprice), count(*) FROM lineitem
        JOIN part ON l_partkey = p_partkey WHERE p_brand = 'Brand#23' GROUP BY ALL""",
    suppliers: """SELECT p_brand, count(DISTINCT ps_suppkey) FROM partsupp
        JOIN part ON ps_partkey = p_partkey WHERE p_size <= 10 AND ps_suppkey NOT IN
        (SELECT s_suppkey FROM supplier WHERE s_comment LIKE '%Customer%Complaints%')
        GROUP BY ALL""",
}


def run() -> Iterator[Result]:
    generator = shutil.which("tpchgen-cli") or str(
        Path(sysconfig.get_path("scripts")) / "tpchgen-cli"
    )
    if not Path(generator).exists() or importlib.util.find_spec("duckdb") is None:
        print("wide: not measured; pip install tpchgen-cli duckdb", file=sys.stderr)
        return
    with tempfile.TemporaryDirectory() as folder:
        views, plain = Path(folder) / "views", Path(folder) / "plain"
        plain.mkdir()
        command = [generator, "parquet", "-s", SCALE, "-q", f"--output-dir={views}"]
        views.mkdir()
        subprocess.run(command, check=True)
        for name in NAMES:
            _write_plain(views / f"{name}.parquet", plain / f"{name}.parquet")
        yield from asked(plain, "ten questions over wide Parquet")
        yield from asked(views, "… its texts written as views")


def _write_plain(source: Path, target: Path) -> None:
    """Write a table's texts as plain strings, as most writers do."""
    table = pq.read_table(source)
    fields = [
        field.with_type(pa.string()) if pa.types.is_string_view(field.type) else field
        for field in table.schema
    ]
    pq.write_table(table.cast(pa.schema(fields)), target, row_group_size=1 << 20)


def asked(folder: Path, what: str) -> Iterator[Result]:
    import duckdb

    base = duckdb.connect()
    base.execute("SET threads = 2")
    for name in NAMES:
        base.execute(f"CREATE VIEW {name} AS SELECT * FROM '{folder}/{name}.parquet'")
    warehouse = Warehouse(folder)
    ours, others = 0.0, 0.0
    for question, sql in QUESTIONS.items():
        ours_s, found = timed(lambda q=question: list(q(warehouse).rows()), times=2)
        other_s, expected = timed(lambda q=sql: base.sql(q).fetchall(), times=2)
        assert _as_set(found) == _as_set(expected), question.__name__
        if "-v" in sys.argv:
            print(f"{question.__name__}: {ours_s:.3f} {other_s:.3f}", file=sys.stderr)
        ours, others = ours + ours_s, others + other_s
    yield Result(what, ours, others, 0.25)


def _as_set(rows: Rows) -> list[tuple[str, ...]]:
    """Return rows in one order, figures without zeros at their end."""
    return sorted(
        tuple(f"{v.normalize():f}" if isinstance(v, Decimal) else str(v) for v in row)
        for row in rows
    )
