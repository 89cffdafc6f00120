"""Whatever bytes a file holds: it is read, or refused with a sentence."""

import random
import shutil
import sqlite3
import tempfile
from collections.abc import Callable
from pathlib import Path

import openpyxl
import pyarrow as pa
import pyarrow.feather as feather
import pyarrow.parquet as pq
from hypothesis import given
from hypothesis import strategies as st

from keen_trellis.data.profile import profile
from keen_trellis.document import DelimitedSource
from keen_trellis.errors import SourceError
from keen_trellis.read import (
    Reading,
    SqliteFile,
    database_tables,
    read_columnar,
    read_delimited,
    read_sheet,
    read_table,
    workbook_parts,
)
from tests.read.source_case import SourceTestCase

CELLS = st.sampled_from(
    [
        *("1,204", "1.204,50", "1'204", "1 204,5", "007", "1e5", "NaN", "9" * 21, "-", ""),
        *("03/04/2026", "31/02/2026", "2026-01-05", "12:30", "24:00", "yes", "é", "\ufeff"),
        *('"a\nb"', "'", '"', " "),
    ]
)
LINES = st.lists(st.lists(CELLS, min_size=1, max_size=4), min_size=1, max_size=20)
ENCODINGS = st.sampled_from(["utf-8", "utf-8-sig", "utf-16", "utf-16-le", "cp1252"])
TEXTS = st.one_of(
    st.binary(min_size=1, max_size=200),
    st.builds(
        lambda lines, delimiter, end, encoding: end.join(map(delimiter.join, lines)).encode(
            encoding, errors="ignore"
        ),
        LINES,
        st.sampled_from(",;\t|"),
        st.sampled_from(["\n", "\r\n", "\r"]),
        ENCODINGS,
    ),
)
DEMO = Path(__file__).parents[2] / "demo"


class AnyTextTest(SourceTestCase):
    @given(TEXTS)
    def test_a_text_is_read_or_refused_and_every_remedy_can_be_taken(self, content: bytes) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "any.csv"
            path.write_bytes(content or b"x")
            for rows_at_most in (None, 3):
                try:
                    reading = read_delimited(path, rows_at_most=rows_at_most)
                except SourceError as error:
                    self.assertTrue(error.remedy)
                    continue
                self.look_at_all(reading)
                for noticed in reading.noticed:
                    if noticed.remedy is not None:
                        DelimitedSource(path=str(path)).mended(noticed.remedy).read()

    def look_at_all(self, reading: Reading) -> None:
        for field in reading.table.fields:
            column = reading.table.fetch(field)
            self.assertEqual(len(column.to_list()), len(reading.table))
            seen = profile(column)
            self.assertEqual(seen.rows, len(reading.table))
            self.assertEqual(sum(seen.bars), seen.rows - seen.blanks)


class DamagedFileTest(SourceTestCase):
    """Bytes overwritten or cut off at random, the same ones every time."""

    def make(self) -> dict[Path, Callable[[Path], object]]:
        book = openpyxl.Workbook()
        assert book.active is not None
        for row in range(60):
            book.active.append([row, f"x{row}", row / 3])
        book.save(self.folder / "a.xlsx")
        table = pa.table({"a": list(range(100)), "b": [f"x{i}" for i in range(100)]})
        pq.write_table(table, self.folder / "a.parquet")
        feather.write_feather(table, self.folder / "a.feather")
        with sqlite3.connect(self.folder / "a.sqlite") as database:
            database.execute("create table t (a, b)")
            database.executemany("insert into t values (?, ?)", [(i, "x") for i in range(200)])
        database.close()
        shutil.copy(DEMO / "operations.ods", self.folder / "a.ods")
        return {
            self.folder / "a.xlsx": self.sheets,
            self.folder / "a.ods": self.sheets,
            self.folder / "a.parquet": read_columnar,
            self.folder / "a.feather": read_columnar,
            self.folder / "a.sqlite": self.tables,
        }

    @staticmethod
    def sheets(path: Path) -> None:
        for part in workbook_parts(path):
            read_sheet(path, part.sheet)

    @staticmethod
    def tables(path: Path) -> None:
        database = SqliteFile(str(path))
        for table in database_tables(database):
            read_table(database, table.name)

    def test_a_damaged_file_is_read_or_refused(self) -> None:
        chance = random.Random(7)
        for original, read in self.make().items():
            whole = original.read_bytes()
            refused = 0
            for number in range(8 if original.suffix == ".ods" else 40):
                content = bytearray(whole)
                if number % 3 == 0:
                    content = content[: chance.randrange(1, len(content))]
                for _ in range(chance.randrange(1, 12)):
                    content[chance.randrange(len(content))] = chance.randrange(256)
                damaged = self.folder / f"damaged-{number}{original.suffix}"
                damaged.write_bytes(content)
                try:
                    read(damaged)
                except SourceError as error:
                    self.assertIn(damaged.name, str(error))
                    refused += 1
            self.assertGreater(refused, 0, original.suffix)
