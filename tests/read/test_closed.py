"""A source that is written to while it is read: read once more, then refused by its name."""

import contextlib
import sqlite3
from collections.abc import Callable
from pathlib import Path

import openpyxl
import polars
import pyarrow as pa
import pyarrow.parquet as pq
from pyarrow import feather

from keen_trellis.base.file_stamps import WrittenMeanwhileError
from keen_trellis.base.progress import Report, quiet
from keen_trellis.read import Reading, read_columnar, read_delimited, read_folder, read_sheet
from keen_trellis.servers.connections import Reader
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import SqliteFile
from tests.read.source_case import SourceTestCase

Reads = Callable[[Path, Report], Reading | list[int]]


def rows(first: int) -> list[list[int]]:
    return [[first + n, n] for n in range(40)]


def write_text(path: Path, first: int) -> None:
    path.write_text("a,b\n" + "".join(f"{a},{b}\n" for a, b in rows(first)))


def write_book(path: Path, first: int) -> None:
    book = openpyxl.Workbook()
    assert book.active is not None
    for row in [["a", "b"], *rows(first)]:
        book.active.append(row)
    book.save(path)


def write_parquet(path: Path, first: int) -> None:
    pq.write_table(pa.Table.from_pylist([{"a": a, "b": b} for a, b in rows(first)]), path)


def write_arrow(path: Path, first: int) -> None:
    feather.write_feather(pa.Table.from_pylist([{"a": a} for a, _ in rows(first)]), str(path))


def write_folder(path: Path, first: int) -> None:
    path.mkdir(exist_ok=True)
    write_text(path / f"{first}.csv", first)


def write_database(path: Path, first: int) -> None:
    with contextlib.closing(sqlite3.connect(path)) as base:
        base.execute("pragma journal_mode = wal")
        base.execute("create table if not exists t (a, b)")
        base.execute("delete from t")
        base.executemany("insert into t values (?, ?)", rows(first))
        base.commit()


def read_first_values(path: Path, report: Report) -> list[int]:
    def work(connection: sqlite3.Connection, reader: Reader) -> list[int]:
        report(0.0, "Reading")  # on the thread that reads, between two questions
        return [a for (a,) in connection.execute("select a from t")]

    return Reader(SqliteFile(str(path)), Secrets(), None).run(work, quiet, "Reading")


def values_of(read: Reading | list[int]) -> list[int]:
    return read if isinstance(read, list) else read.table.column("a").to_list()


SOURCES: dict[str, tuple[Callable[[Path, int], None], Reads]] = {
    "a.csv": (write_text, lambda path, report: read_delimited(path, report=report)),
    "a.xlsx": (write_book, lambda path, report: read_sheet(path, "Sheet", report=report)),
    "a.parquet": (write_parquet, lambda path, report: read_columnar(path, report)),
    "a.feather": (write_arrow, lambda path, report: read_columnar(path, report)),
    "folder": (write_folder, lambda path, report: read_folder(path, report=report)),
    "a.sqlite": (write_database, read_first_values),
}


class ClosedReadTest(SourceTestCase):
    def test_what_is_written_once_meanwhile_is_read_once_more(self) -> None:
        for name, (_, read) in SOURCES.items():
            with self.subTest(name):
                path, report = self.written_meanwhile(name, times=1)
                wanted = {a for a, _ in rows(1)}
                if name == "folder":
                    wanted |= {a for a, _ in rows(0)}
                self.assertEqual(set(values_of(read(path, report))), wanted)

    def test_what_is_written_all_the_time_is_refused_by_its_name(self) -> None:
        for name, (_, read) in SOURCES.items():
            with self.subTest(name):
                path, report = self.written_meanwhile(name, times=10_000)
                with self.assertRaisesRegex(WrittenMeanwhileError, name):
                    read(path, report)

    def written_meanwhile(self, name: str, times: int) -> tuple[Path, Report]:
        """Return a source that is written anew whenever its reader reports, so many times."""
        path, write = self.folder / name, SOURCES[name][0]
        write(path, 0)
        firsts = iter(range(1, times + 1))

        def report(share: float, doing: str) -> None:
            first = next(firsts, None)
            if first is not None:
                write(path, first)

        return path, report

    def test_a_database_that_is_locked_by_reading_is_read_in_one_state(self) -> None:
        path = self.folder / "busy.sqlite"
        write_database(path, 0)
        with contextlib.closing(sqlite3.connect(path)) as base:  # its log lies there now
            base.execute("begin immediate")
            base.execute("update t set a = -1")
            base.commit()
            times = iter(range(10_000))

            def busy(share: float, doing: str) -> None:
                with contextlib.closing(sqlite3.connect(path)) as other:
                    other.execute("update t set a = ?", [next(times)])
                    other.commit()

            values = read_first_values(path, busy)
        self.assertEqual((len(values), len(set(values))), (40, 1))

    def test_a_database_that_is_written_over_by_what_heeds_no_lock_is_refused(self) -> None:
        path = self.folder / "over.sqlite"
        with contextlib.closing(sqlite3.connect(path)) as base:
            base.execute("create table t (a)")
            base.executemany("insert into t values (?)", [(n,) for n in range(40)])
            base.commit()
        other = path.read_bytes()

        times = iter(range(1))

        def once(share: float, doing: str) -> None:
            for _ in times:
                path.write_bytes(other)

        self.assertEqual(len(read_first_values(path, once)), 40)

        def over(share: float, doing: str) -> None:
            path.write_bytes(other)

        with self.assertRaisesRegex(WrittenMeanwhileError, "over.sqlite"):
            read_first_values(path, over)

    def test_rows_that_a_footer_does_not_count_are_missed(self) -> None:
        table = pa.table({"a": list(range(1_000)), "b": [f"x{n}" for n in range(1_000)]})
        path = self.folder / "short.parquet"
        for dictionary in (True, False):
            pq.write_table(table, path, use_dictionary=dictionary, data_page_size=900)
            whole = path.read_bytes()
            size = int.from_bytes(whole[-8:-4], "little")
            pages, footer = whole[: -8 - size], whole[-8 - size :]
            said, less = b"\xd0\x0f", b"\xe8\x07"  # 1,000 and 500, as the footer writes them
            self.assertIn(said, footer)
            path.write_bytes(pages + footer.replace(said, less))
            self.assertEqual(pq.ParquetFile(path).metadata.num_rows, 500)
            with self.refused("short.parquet is damaged", "500 rows", "1,000 values"):
                read_columnar(path)

    def test_pages_of_all_sorts_have_as_many_values_as_rows(self) -> None:
        table = pa.table(
            {
                "a": pa.array([None if n % 3 else n for n in range(3_000)]),
                "lists": [[n, n] for n in range(3_000)],
                "text": ["x" * (n % 90) for n in range(3_000)],
            }
        )
        path = self.folder / "sorts.parquet"
        for compression in ("none", "snappy", "zstd", "gzip"):
            for version in ("1.0", "2.0"):
                pq.write_table(
                    table,
                    path,
                    compression=compression,
                    data_page_version=version,
                    data_page_size=2_000,
                    row_group_size=1_100,
                    write_page_checksum=version == "2.0",
                )
                self.assertEqual(len(read_columnar(path).table), 3_000)
        polars.DataFrame({"a": range(3_000)}).write_parquet(path, row_group_size=700)
        self.assertEqual(len(read_columnar(path).table), 3_000)
