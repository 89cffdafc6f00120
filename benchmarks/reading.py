"""Sources read and typed: a CSV, a workbook, a PostgreSQL table; and profiles of what was read."""

from __future__ import annotations

import csv
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import openpyxl
import psycopg
import pyarrow as pa
import xlsxwriter

from benchmarks.measure import Result, timed
from keen_trellis.data import Table, from_arrow
from keen_trellis.data.profile import profile
from keen_trellis.read import read_delimited, read_sheet, read_table
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server

ROWS = 1_000_000
SHEET_ROWS = 200_000
PROFILED_ROWS = 2_000_000
SERVER = Server("postgresql", "127.0.0.1", "test", "postgres")


def run() -> Iterator[Result]:
    with tempfile.TemporaryDirectory() as folder:
        yield from csv_file(Path(folder) / "mixed.csv")
        yield from workbook(Path(folder) / "mixed.xlsx")
    yield from postgres()
    yield from profiles()


def csv_file(path: Path) -> Iterator[Result]:
    write(path)

    def strings() -> int:
        with path.open(newline="") as file:
            return len(list(csv.reader(file)))

    other_s, lines = timed(strings, times=2)
    ours_s, reading = timed(lambda: read_delimited(path))
    assert len(reading.table) == lines - 1
    yield Result("CSV, 1M x 10 mixed, read and typed", ours_s, other_s, 8)
    ratio = column_bytes(reading.table) / reading.table.to_arrow().nbytes
    yield Result("… memory, as a multiple of its Arrow table", ratio, None, 1.2, "times")


def column_bytes(table: Table) -> int:
    """Return the bytes that the columns of a table take."""
    total = 0
    for field in table.fields:
        column = table.fetch(field)
        total += column.values.nbytes
        total += column.state.nbytes if column.state is not None else 0
        total += column.dictionary.nbytes if column.dictionary is not None else 0
    return total


def workbook(path: Path) -> Iterator[Result]:
    rng = np.random.default_rng(3)
    numbers = rng.integers(0, 10_000, (SHEET_ROWS, 5)).tolist()
    ports = ["Kelp Point", "Marrow Sound", "Tolland"]
    with xlsxwriter.Workbook(path, {"constant_memory": True}) as book:
        sheet = book.add_worksheet("Mixed")
        sheet.write_row(0, 0, [f"column {n}" for n in range(10)])
        for row, values in enumerate(numbers, start=1):
            texts = [f"S-{row}", f"R-{values[0]}", ports[row % 3], "yes", f"{values[1]:05}"]
            sheet.write_row(row, 0, [*values, *texts])

    def rows() -> int:
        book = openpyxl.load_workbook(path, read_only=True)
        found = sum(1 for _ in book["Mixed"].iter_rows(values_only=True))
        book.close()
        return found

    ours_s, reading = timed(lambda: read_sheet(path, "Mixed"), times=2)
    other_s, n_rows = timed(rows, times=1)
    assert len(reading.table) == n_rows - 1
    yield Result("XLSX, 200k x 10 mixed, against openpyxl read-only", ours_s, other_s, 5)


def postgres() -> Iterator[Result]:
    secrets = Secrets()
    secrets.give(SERVER, "")
    where = "host=127.0.0.1 dbname=test user=postgres"
    name = f"keen_bench_{np.random.default_rng().integers(10**9)}"
    with psycopg.connect(where, autocommit=True) as server:
        server.execute(
            f"""create table {name} as select i::bigint as id, (i % 1000)::int as n,
            'KP-' || i as code, (array['Brae', 'Tolland', 'Kelp Point'])[i % 3 + 1] as port,
            (i * 1.25)::numeric(12, 2) as amount, date '2020-01-01' + i % 2000 as day,
            timestamp '2020-01-01' + i * interval '1 minute' as left_at, i % 2 = 0 as late
            from generate_series(1, {ROWS}) i"""
        )
        try:
            other_s, rows = timed(
                lambda: server.execute(f"select * from {name}").fetchall(), times=2
            )
            ours_s, reading = timed(
                lambda: read_table(SERVER, name, "public", secrets=secrets), times=2
            )
            assert len(reading.table) == len(rows)
        finally:
            server.execute(f"drop table {name}")
    yield Result("PostgreSQL, 1M x 8, against psycopg's tuples", ours_s, other_s, 1 / 1.5)


def profiles() -> Iterator[Result]:
    rng = np.random.default_rng(4)
    columns = {
        "short names": pa.array(rng.choice(["Kelp Point", "Brae", "Tolland"], PROFILED_ROWS)),
        "codes, all different": pa.array(
            [f"ID-{n:07}" for n in rng.permutation(PROFILED_ROWS).tolist()]
        ),
        "integers": pa.array(rng.integers(0, 10**12, PROFILED_ROWS)),
        "exact decimals": pa.array(rng.integers(0, 10**6, PROFILED_ROWS)).cast(
            pa.decimal128(38, 0)
        ),
        "dates": pa.array(rng.integers(0, 20_000, PROFILED_ROWS).astype(np.int32)).cast(
            pa.date32()
        ),
    }
    for name, values in columns.items():
        column = from_arrow(values)
        seconds, _ = timed(lambda c=column: profile(c))
        yield Result(f"profile of 2M rows: {name}", seconds, None, 0.3, "s")


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
