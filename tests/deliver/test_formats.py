"""Every format is read back by somebody else, cell by cell: kinds, blanks and odd letters too."""

import csv
import datetime as dt
import math
import tempfile
import unittest
from contextlib import closing
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq
from hypothesis import given, settings
from hypothesis import strategies as st
from python_calamine import CalamineWorkbook

from keen_trellis.base.errors import DeliveryError, UserError, WordError
from keen_trellis.data import BLANK, GAP, Column, Kind, Table
from keen_trellis.deliver import Sheet, deliver
from keen_trellis.deliver.file_delivery import endings
from keen_trellis.deliver.spoiled import spoiled
from keen_trellis.layouts.delivered_text import TextForm
from keen_trellis.notebook import tie
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.outcome import Columns
from keen_trellis.read import read, read_sheet
from tests.places.plans import VALUES as WIDE

ROWS = Table.from_columns(
    {
        "code": ["007", ' a,"b" ', "Skerry\nVoe", None],
        "n": [1, -2, 3, None],
        "fare": [Decimal("12.50"), Decimal("0.01"), Decimal("-3.00"), None],
        "open": [True, False, True, None],
        "day": [dt.date(2026, 1, 5), dt.date(1900, 3, 1), dt.date(9999, 12, 31), None],
        "at": [dt.datetime(2026, 1, 5, 8, 30), dt.datetime(1999, 1, 5, 0, 0, 0, 7000), None, None],
        "t": [dt.time(8, 30), dt.time(0, 0, 1), dt.time(23, 59, 59), None],
    }
)
LETTERS = st.text(
    st.characters(codec="utf-8", exclude_characters="\0") | st.sampled_from("\"',;|\r\n\t =_x<&>"),
    max_size=12,
)


class FormatsCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class TextsInEveryForm(FormatsCase):
    @settings(max_examples=80)
    @given(
        st.lists(st.tuples(st.none() | LETTERS, st.none() | st.integers(-9, 9)), max_size=8),
        st.sampled_from([",", ";", "\t", "|"]),
        st.sampled_from(["utf-8", "utf-8-sig", "utf-16"]),
        st.sampled_from(["line feed", "carriage return and line feed"]),
        st.sampled_from(["where needed", "texts", "all"]),
    )
    def test_the_csv_module_reads_what_was_written(
        self, rows: Any, delimiter: Any, encoding: Any, line_end: Any, quoting: Any
    ) -> None:
        texts, numbers = zip(*rows, strict=True) if rows else ((), ())
        table = Table.of(
            {
                "a,b;c": Column.of(list(texts), Kind.TEXT),
                "n": Column.of(list(numbers), Kind.INTEGER),
            }
        )
        form = TextForm(delimiter, ".", encoding, line_end, quoting)
        path = self.folder / "rows.csv"
        deliver(table, path, form=form)
        with path.open(encoding=encoding, newline="") as file:
            back = list(csv.reader(file, delimiter=delimiter))
        shown = [[t or "", "" if n is None else str(n)] for t, n in rows]
        self.assertEqual(back, [["a,b;c", "n"], *shown])

    def test_a_comma_as_decimal_mark_and_a_tab_in_tsv(self) -> None:
        form = TextForm(decimal=",")
        deliver(ROWS.take(np.array([0, 3])), self.folder / "rows.csv", form=form)
        self.assertEqual(
            (self.folder / "rows.csv").read_text().splitlines()[1:],
            ['007,1,"12,50",true,2026-01-05,2026-01-05 08:30:00,08:30:00', ",,,,,,"],
        )
        deliver(ROWS.take(np.array([0])), self.folder / "rows.tsv", form=form)
        self.assertIn("007\t1\t12,50\ttrue", (self.folder / "rows.tsv").read_text())

    def test_a_letter_that_an_encoding_lacks_and_a_word_that_is_none_are_said(self) -> None:
        table = Table.from_columns({"port": ["Voe", "Ŵick"]})
        with self.assertRaisesRegex(
            DeliveryError, "“Ŵ” .* cannot be written in cp1252.*rows 1 to 2"
        ):
            deliver(table, self.folder / "rows.csv", form=TextForm(encoding="cp1252"))
        self.assertEqual(list(self.folder.iterdir()), [])
        with self.assertRaisesRegex(WordError, "one of"):
            TextForm(delimiter="x")  # type: ignore[arg-type]


class SheetsInWorkbooks(FormatsCase):
    @settings(max_examples=25)
    @given(
        st.lists(
            st.tuples(
                st.none() | LETTERS,
                st.none() | st.integers(-(10**15) + 1, 10**15 - 1),
                st.none() | st.floats(allow_nan=False, allow_infinity=False),
                st.none() | st.dates(dt.date(1900, 1, 1), dt.date(9999, 12, 31)),
                st.none() | st.booleans(),
            ),
            min_size=1,
            max_size=8,
        )
    )
    def test_two_readers_find_every_value_in_both_formats(self, rows: Any) -> None:
        kinds = (Kind.TEXT, Kind.INTEGER, Kind.NUMBER, Kind.DATE, Kind.BOOLEAN)
        columns = zip("abcde", zip(*rows, strict=True), kinds, strict=True)
        table = Table.of({name: Column.of(list(v), kind) for name, v, kind in columns})
        for ending in (".xlsx", ".ods"):
            path = self.folder / f"rows{ending}"
            deliver(table, path, "Rows")
            sheet = CalamineWorkbook.from_path(path).get_sheet_by_name("Rows")
            back = [list(row) for row in sheet.to_python(skip_empty_area=False)][1:]
            back += [[""] * 5] * (len(rows) - len(back))  # rows of blanks at the end
            for got, row in zip(back, rows, strict=True):
                got += [""] * (5 - len(got))
                text, *others = ("" if value is None else value for value in row)
                self.assertEqual(got[1:], others)
                if ending == ".xlsx":
                    self.assertEqual(got[0], text)

    def test_a_workbook_with_sheets_beside_has_heads_that_stay_and_a_table_to_filter(self) -> None:
        beside = [Sheet("Rows", ROWS.window(0, 1)), Sheet("a/b", ROWS.window(0, 0))]
        deliver(ROWS, self.folder / "rows.xlsx", "Rows", beside=beside)
        with closing(openpyxl.load_workbook(self.folder / "rows.xlsx")) as book:
            self.assertEqual(book.sheetnames, ["Rows", "Rows 2", "a b"])
            page = book["Rows"]
            self.assertEqual(page.freeze_panes, "A2")
            self.assertEqual([t.ref for t in page.tables.values()], ["A1:G5"])
            self.assertTrue(page["A1"].font.b)
            self.assertEqual(page["E2"].number_format, "yyyy-mm-dd")
            self.assertEqual(page["F3"].value, dt.datetime(1999, 1, 5, 0, 0, 0, 7000))
            self.assertEqual(page["C2"].value, 12.5)
        deliver(ROWS, self.folder / "rows.ods", "Rows", beside=beside)
        names = CalamineWorkbook.from_path(self.folder / "rows.ods").sheet_names
        self.assertEqual(names, ["Rows", "Rows 2", "a b"])
        with self.assertRaisesRegex(DeliveryError, "holds one table, and 3"):
            deliver(ROWS, self.folder / "rows.csv", beside=beside)

    def test_blanks_in_a_row_and_lines_in_a_cell_stay_in_an_ods(self) -> None:
        texts = ["  two  blanks ", "line\nother", "<&>", " "]
        deliver(Table.from_columns({"t": texts, "n": [1, 2, 3, 4]}), self.folder / "t.ods", "T")
        back = CalamineWorkbook.from_path(self.folder / "t.ods").get_sheet_by_name("T").to_python()
        self.assertEqual([row[0] for row in back[1:]], texts)
        texts = [
            "a\tb",
            "  two  \t blanks ",
            "l\nm\t",
        ]  # that reader leaves tabs out, ours does not
        deliver(Table.from_columns({"t": texts, "n": [1, 2, 3]}), self.folder / "tabs.ods", "T")
        own = read_sheet(self.folder / "tabs.ods", "T").table
        self.assertEqual(own.column("t").to_list(), texts)

    def test_what_a_sheet_would_not_hold_is_said_before(self) -> None:
        table = Table.from_columns(
            {
                "id": [2**60, 10**17, 1],
                "x": [float("inf"), 1.0, 2.0],
                "day": [dt.date(1850, 1, 1), dt.date(2026, 1, 1), None],
                "text": ["x" * 40_000, "y\r\x01", None],
            }
        )
        said = " ".join(spoiled(table, Path("a.xlsx")))
        for words in (
            "1 value of “id” has more than 15 digits: written as text.",
            "1 value of “x” has no end",
            "1 value of “day” has a year that a sheet's calendar lacks",
            "1 text of “text” has more than 32,767 letters",
        ):
            self.assertIn(words, said)
        self.assertNotIn("carriage return", said)
        said = " ".join(spoiled(table, Path("a.ods")))
        self.assertNotIn("“day”", said)
        self.assertIn("1 text of “text” has a carriage return or a sign that XML lacks", said)
        self.assertEqual(spoiled(table, Path("a.parquet")), ())


VALUES = {
    Kind.INTEGER: st.integers(-3, 3),
    Kind.TEXT: st.sampled_from(["1", "2", "x", ""]),
    Kind.EXACT: st.decimals(-3, 3, places=2),
    Kind.NUMBER: st.sampled_from([1.0, 2.5, -1.0]),
    Kind.DATE: st.dates(dt.date(2026, 1, 1), dt.date(2026, 1, 3)),
    Kind.DATE_TIME: st.datetimes(dt.datetime(2026, 1, 1), dt.datetime(2026, 1, 3)),
}


class EveryEndingTest(FormatsCase):
    def test_every_kind_comes_back_from_every_file_that_can_be_written(self) -> None:
        longest = max(map(len, WIDE.values())) + 1
        for ending in endings():
            is_text = ending not in (".parquet", ".arrow", ".feather")  # no digits say infinity
            columns = {"n": Column.of(range(longest), Kind.INTEGER)}
            for kind, wide in WIDE.items():
                values = [one for one in wide if not (is_text and one == math.inf)]
                cells = [*values, *[None] * (longest - len(values))]
                columns[str(kind)] = Column.of(cells, kind)
            table, path = Table.of(columns), self.folder / f"rows{ending}"
            deliver(table, path)
            back = read(path, kinds={str(kind): kind for kind in WIDE})
            self.assertEqual(back.columns, table.columns)
            for kind in WIDE:
                with self.subTest(f"{kind} in {ending}"):
                    came, gone = (one.column(str(kind)) for one in (back, table))
                    self.assertEqual(came.kind, kind)
                    texts = [
                        [text or None for text in one.texts().to_pylist()] for one in (came, gone)
                    ]
                    self.assertEqual(*texts)


class SettledTables(unittest.TestCase):
    """What is written window by window is what is fetched at once, whatever a tie has filled."""

    @settings(max_examples=150)
    @given(st.data(), st.sampled_from(list(VALUES)), st.sampled_from(list(VALUES)))
    def test_every_cell_and_its_state(self, data: Any, left: Kind, right: Kind) -> None:
        def side(kind: Kind) -> Table:
            values = data.draw(st.lists(st.none() | VALUES[kind], max_size=5))
            return Table.of({"k": Column.of(values, kind)})

        try:
            columns = Columns(same_named="filled")
            outcome = tie(side(left), side(right), "k", tuple(Bay), columns=columns).outcome
        except UserError:  # kinds that cannot be compared
            return
        settled = outcome.settled()
        for one, other in zip(outcome.fetched(), settled.fetched(), strict=True):
            self.assertEqual((one.kind, one.scale), (other.kind, other.scale))
            self.assertEqual(one.texts().to_pylist(), other.texts().to_pylist())
            for state in (BLANK, GAP):
                self.assertEqual(one.count(state), other.count(state))


class ColumnarFiles(FormatsCase):
    def test_arrow_reads_every_kind_of_parquet_and_arrow_files(self) -> None:
        table = ROWS.take(np.array([0, 1, 2, 3, -1]))
        deliver(table, self.folder / "rows.parquet")
        deliver(table, self.folder / "rows.arrow")
        with pa.ipc.open_file(self.folder / "rows.arrow") as file:
            read = [pq.read_table(self.folder / "rows.parquet"), file.read_all()]
        for back in read:
            rows = [tuple(row.values()) for row in back.to_pylist()]
            self.assertEqual(rows, list(table.rows()))
            types = [str(field.type) for field in back.schema]
            self.assertEqual(types[:2], ["string", "int64"])
            self.assertEqual(types[2].replace(" ", ""), "decimal128(38,2)")
            self.assertEqual(types[3:], ["bool", "date32[day]", "timestamp[us]", "time64[us]"])

    def test_no_rows_are_a_file_of_columns(self) -> None:
        for name in ("a.parquet", "a.arrow", "a.ods", "a.xlsx", "a.tsv"):
            deliver(ROWS.window(0, 0), self.folder / name)
        self.assertEqual(pq.read_table(self.folder / "a.parquet").column_names, list(ROWS.columns))
