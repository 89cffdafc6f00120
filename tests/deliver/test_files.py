"""What is delivered is what goes on: every value exactly, and a file whole or not at all."""

import csv
import datetime as dt
import math
import os
import tempfile
import unittest
from contextlib import closing
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import openpyxl
from hypothesis import given
from hypothesis import strategies as st

from keen_trellis.base.errors import DeliveryError
from keen_trellis.base.progress import Cancelled
from keen_trellis.base.whole_files import passing_name
from keen_trellis.data import Column, Kind, Table
from keen_trellis.deliver import deliver
from keen_trellis.deliver.spoiled import spoiled
from keen_trellis.layouts.source_layouts import TextLayout
from keen_trellis.read import read_delimited, read_sheet


class DeliveryTest(unittest.TestCase):
    ROWS = Table.from_columns(
        {
            "code": ["007", ' a,"b" ', "Skerry\nVoe", None],
            "count": [1, -2, 2**53 + 1, None],
            "share": [0.1, 3.0, 1e20, None],
            "fare": [Decimal("12.50"), Decimal("0.01"), Decimal("-3.00"), None],
            "open": [True, False, True, None],
            "day": [dt.date(2026, 1, 5), dt.date(1899, 12, 31), dt.date(2026, 2, 28), None],
            "sailed": [dt.datetime(2026, 1, 5, 8, 30), dt.datetime(2026, 1, 5), None, None],
            "departs": [dt.time(8, 30), dt.time(0, 0, 1), dt.time(23, 59), None],
        }
    )

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_text_read_back_is_the_same_table(self) -> None:
        table = self.ROWS.take(np.array([0, 1, 2, 3, -1]))
        deliver(table, self.folder / "rows.csv")
        back = read_delimited(self.folder / "rows.csv").table
        self.assertEqual(back.columns, table.columns)
        self.assertEqual(list(back.rows()), list(table.rows()))
        self.assertEqual([f.kind for f in back.fields], [f.kind for f in table.fields])
        with (self.folder / "rows.csv").open(newline="") as file:
            self.assertEqual(len(list(csv.reader(file))), 6)

    def test_a_sheet_read_back_has_every_value_and_too_long_numbers_as_text(self) -> None:
        deliver(self.ROWS, self.folder / "rows.xlsx", "Season [2026]")
        table = read_sheet(self.folder / "rows.xlsx", "Season (2026)").table
        expected: dict[str, list[Any]] = {
            "code": ["007", ' a,"b" ', "Skerry\nVoe"],
            "count": ["1", "-2", str(2**53 + 1)],
            "share": [0.1, 3.0, 1e20],
            "fare": [12.5, 0.01, -3.0],
            "open": [True, False, True],
            "day": ["2026-01-05", "1899-12-31", "2026-02-28"],
            "departs": [dt.time(8, 30), dt.time(0, 0, 1), dt.time(23, 59)],
        }
        for name, values in expected.items():
            self.assertEqual(table.column(name).to_list()[:3], values, name)

    @given(st.lists(st.text(st.sampled_from('a",;\r\n\t\x85 '), min_size=1), max_size=9))
    def test_any_line_end_in_a_cell_stays_in_its_cell(self, cells: list[str]) -> None:
        path = Path(tempfile.mkdtemp(dir=self.folder)) / "rows.csv"
        numbers = Column.of(list(range(len(cells))), Kind.INTEGER)
        table = Table.of({"n": numbers, "t": Column.of(cells, Kind.TEXT)})
        deliver(table, path)
        with path.open(newline="", encoding="utf-8") as file:
            self.assertEqual([row[1] for row in csv.reader(file)][1:], cells)
        back = read_delimited(path, TextLayout(delimiter=",", header_row=1)).table
        self.assertEqual(back.column("t").to_list(), [cell if cell else None for cell in cells])

    def test_a_small_decimal_is_written_in_digits(self) -> None:
        fares = [Decimal("0.0000001"), Decimal("0.0000000"), Decimal("-2.5000000")]
        path = self.folder / "fares.csv"
        for note in ("plain", 'a "quoted" one'):
            deliver(Table.from_columns({"fare": fares, "note": [note] * 3}), path)
            with path.open(newline="", encoding="utf-8") as file:
                written = [row[0] for row in csv.reader(file)][1:]
            self.assertEqual(written, ["0.0000001", "0.0000000", "-2.5000000"])

    def test_no_moment_moves_to_another_day(self) -> None:
        """A sheet counts milliseconds: what is finer is written as text."""
        last = dt.time(23, 59, 59, 999_999)
        moments = [dt.datetime.combine(dt.date(2026, 1, 31), last), dt.datetime(2026, 1, 5, 8)]
        table = Table.from_columns({"at": moments, "t": [last, dt.time(8)]})
        deliver(table, self.folder / "at.xlsx")
        with closing(openpyxl.load_workbook(self.folder / "at.xlsx")) as book:
            first, second = list(book.active.iter_rows(min_row=2, values_only=True))
        self.assertEqual(first, ("2026-01-31 23:59:59.999999", "23:59:59.999999"))
        self.assertEqual(second, (moments[1], dt.time(8)))

    def test_the_longest_name_that_a_file_may_have(self) -> None:
        path = self.folder / ("n" * 251 + ".csv")
        deliver(self.ROWS, path)
        self.assertTrue(path.exists())

    def test_the_same_rows_give_the_same_bytes(self) -> None:
        for name in ("a.csv", "a.xlsx"):
            path = self.folder / name
            deliver(self.ROWS, path)
            first = path.read_bytes()
            deliver(self.ROWS, path)
            self.assertEqual(path.read_bytes(), first, name)

    def test_a_delivery_that_is_stopped_or_fails_leaves_the_earlier_file(self) -> None:
        def stop(fraction: float, doing: str) -> None:
            raise Cancelled

        for name in ("a.csv", "a.xlsx"):
            path = self.folder / name
            path.write_text("the file of last month")
            with self.assertRaises(Cancelled):
                deliver(self.ROWS, path, report=stop)
            self.assertEqual(path.read_text(), "the file of last month")
        wide = Table.from_columns({"text": ["x" * 40_000]})
        with self.assertRaisesRegex(
            DeliveryError, "40,000 letters; a cell of a sheet holds 32,767"
        ):
            deliver(wide, self.folder / "a.xlsx")
        self.assertEqual(sorted(p.name for p in self.folder.iterdir()), ["a.csv", "a.xlsx"])

    def test_where_nothing_can_be_written_is_said(self) -> None:
        (self.folder / "file").write_text("in the way")
        for path, words in (
            (self.folder / "file" / "rows.csv", "cannot be written"),
            (self.folder / "rows.doc", "ending is none of .csv, .xlsx"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(DeliveryError, words):
                deliver(self.ROWS, path)


class OddValuesTest(unittest.TestCase):
    """What a spreadsheet would run, or has no number for."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_texts_that_look_like_formulas_stay_or_are_guarded_where_that_is_chosen(self) -> None:
        table = Table.from_columns({"=x": ["=1+1", "-2", "a=b", None], "n": [-1, -2, 3, 4]})
        path = self.folder / "rows.csv"
        deliver(table, path)
        self.assertEqual(path.read_text(), "=x,n\n=1+1,-1\n-2,-2\na=b,3\n,4\n")
        deliver(table, path, guarded=True)
        self.assertEqual(path.read_text(), "'=x,n\n'=1+1,-1\n'-2,-2\na=b,3\n,4\n")
        deliver(table, self.folder / "rows.xlsx")
        cells = list(openpyxl.load_workbook(self.folder / "rows.xlsx").active.values)
        self.assertEqual(cells[1], ("=1+1", -1))
        kinds = openpyxl.load_workbook(self.folder / "rows.xlsx").active["A2"].data_type
        self.assertEqual(kinds, "s")

    def test_what_a_spreadsheet_would_run_is_counted_before_it_is_written(self) -> None:
        notes = ["=1+1", "\n=2", " @cmd", "\uff1d3", "-12", "-", "a=b", "+49 30", None]
        table = Table.from_columns({"note": notes, "n": list(range(9))})
        path = self.folder / "rows.csv"
        said = "4 texts of “note” begin as a formula does"
        self.assertIn(said, " ".join(spoiled(table, path)))
        self.assertEqual(spoiled(table, path, guarded=True), ())
        deliver(table, path, guarded=True)
        with path.open(newline="") as file:
            written = [row[0] for row in csv.reader(file)][1:]
        self.assertEqual(written[:4], [f"'{note}" for note in notes[:4]])

    def test_a_name_that_no_cell_holds_is_said_and_refused(self) -> None:
        table = Table.from_columns({"x" * 40_000: [1]})
        for ending in ("xlsx", "ods"):
            path = self.folder / f"rows.{ending}"
            self.assertIn("32,767 letters", " ".join(spoiled(table, path)))
            with self.assertRaisesRegex(DeliveryError, "has 40,000 letters"):
                deliver(table, path)
            self.assertFalse(path.exists())

    def test_infinity_is_a_word_in_a_sheet(self) -> None:
        table = Table.from_columns({"n": [1.5, math.inf, -math.inf]})
        deliver(table, self.folder / "rows.xlsx")
        cells = list(openpyxl.load_workbook(self.folder / "rows.xlsx").active.values)
        self.assertEqual(cells, [("n",), (1.5,), ("inf",), ("-inf",)])

    def test_what_a_killed_program_left_is_removed_by_the_next_one(self) -> None:
        left = self.folder / passing_name().replace(f"-{os.getpid()}-", "-999999999-x")
        left.mkdir()
        of_who_runs = self.folder / f"{passing_name()}y"
        of_who_runs.write_text("")
        deliver(Table.from_columns({"n": [1]}), self.folder / "rows.csv")
        self.assertEqual(
            {one.name for one in self.folder.iterdir()}, {"rows.csv", of_who_runs.name}
        )
