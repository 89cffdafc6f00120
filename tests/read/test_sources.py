"""What is in a file is what is in the table, and what cannot be read is said."""

import csv
import datetime as dt
import os
import sqlite3
import tempfile
import unittest
from decimal import Decimal
from pathlib import Path

import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from keen_trellis.data import Kind
from keen_trellis.errors import SourceError
from keen_trellis.progress import Cancelled
from keen_trellis.read import (
    DelimitedForm,
    Reading,
    read_delimited,
    read_sheet,
    read_table,
    sheet_names,
    table_names,
)


class SourceTestCase(unittest.TestCase):
    """Has a folder to put files into."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def text(self, content: str | bytes, name: str = "table.csv") -> Path:
        path = self.folder / name
        path.write_bytes(content.encode() if isinstance(content, str) else content)
        return path

    def read(self, content: str | bytes, form: DelimitedForm | None = None) -> Reading:
        return read_delimited(self.text(content), form or DelimitedForm())

    def refused(self, *words: str) -> "unittest.case._AssertRaisesContext[SourceError]":
        return self.assertRaisesRegex(SourceError, "(?s)" + ".*".join(words))


class KindsTest(SourceTestCase):
    """A column's kind is settled on all rows of it."""

    def test_each_kind_is_recognised_and_a_code_stays_text(self) -> None:
        for texts, kind, values in (
            (["12", "-7", ""], Kind.WHOLE, [12, -7, None]),
            (["007", "12"], Kind.TEXT, ["007", "12"]),
            (["-012", "-5"], Kind.TEXT, ["-012", "-5"]),
            (["12.50", "3"], Kind.EXACT, [Decimal("12.50"), Decimal("3.00")]),
            (["0.5", "-0.25"], Kind.EXACT, [Decimal("0.50"), Decimal("-0.25")]),
            (["123456789012345.25", "1"], Kind.EXACT, [Decimal("123456789012345.25"), Decimal(1)]),
            (["1e5", "2"], Kind.NUMBER, [1e5, 2.0]),
            (["12345678901234567890"], Kind.EXACT, [Decimal("12345678901234567890")]),
            (["123456789012345678901", "1"], Kind.TEXT, ["123456789012345678901", "1"]),
            (["nan", "1.5"], Kind.TEXT, ["nan", "1.5"]),
            (["inf", "1e9"], Kind.TEXT, ["inf", "1e9"]),
            (["yes", "No"], Kind.YES_NO, [True, False]),
            (["2026-01-05", ""], Kind.DATE, [dt.date(2026, 1, 5), None]),
            (["2026-02-30", "2026-01-01"], Kind.TEXT, ["2026-02-30", "2026-01-01"]),
            (
                ["2026-01-05", "2026-01-05 08:30"],
                Kind.DATE_TIME,
                [dt.datetime(2026, 1, 5), dt.datetime(2026, 1, 5, 8, 30)],
            ),
            (["08:30", "23:59:59"], Kind.TIME, [dt.time(8, 30), dt.time(23, 59, 59)]),
            (["24:30", "08:00"], Kind.TEXT, ["24:30", "08:00"]),
            (["KP-MS ", "kp-ms"], Kind.TEXT, ["KP-MS ", "kp-ms"]),
        ):
            with self.subTest(texts=texts):
                lines = "".join(f"{n},{t}\n" for n, t in enumerate(texts))
                column = self.read("row,it\n" + lines).table.column("it")
                self.assertIs(column.kind, kind)
                self.assertEqual(column.to_list(), values)

    def test_one_late_word_makes_a_column_text_without_losing_a_digit(self) -> None:
        numbers = [str(n) for n in range(60_000)]
        column = self.read("n\n" + "\n".join([*numbers, "n/a"]) + "\n").table.column("n")
        self.assertIs(column.kind, Kind.TEXT)
        self.assertEqual(column.to_list(), [*numbers, "n/a"])

    @given(st.lists(st.decimals(-99999, 99999, places=2).map(str), min_size=1, max_size=30))
    def test_amounts_stay_exact(self, texts: list[str]) -> None:
        table = self.read("name,amount\n" + "".join(f"x,{t}\n" for t in texts)).table
        self.assertEqual(table.column("amount").to_list(), [Decimal(t) for t in texts])


class DelimitedTextTest(SourceTestCase):
    def test_form_is_found_and_said(self) -> None:
        for content, said in (
            ("a,b\n1,2\n", "comma separated, UTF-8, header in row 1"),
            ("a;b\n1,5;2\n", "semicolon separated, UTF-8, header in row 1"),
            (b"\xef\xbb\xbfa\tb\n1\t2\n", "tab separated, UTF-8, header in row 1"),
            ("a|b\nä|2\n".encode("cp1252"), "bar separated, Windows-1252, header in row 1"),
            ("a,b\n1,ä\n".encode("utf-16"), "comma separated, UTF-16, header in row 1"),
            ("1,2\n3,4\n", "comma separated, UTF-8, no header"),
        ):
            with self.subTest(said=said):
                reading = self.read(content)
                self.assertEqual(reading.taken_as, said)
                self.assertEqual(len(reading.table.columns), 2)
        self.assertEqual(reading.table.columns, ("column 1", "column 2"))
        self.assertEqual(list(reading.table.rows()), [(1, 2), (3, 4)])

    def test_a_letter_that_is_not_utf8_may_come_late(self) -> None:
        plain = b"name,x\n" + b"abc,1\n" * 60_000
        reading = self.read(plain + b"caf\xe9,2\n")
        self.assertIn("Windows-1252", reading.taken_as)
        self.assertEqual(list(reading.table.window(60_000, 60_001).rows()), [("café", 2)])

    def test_odd_but_readable_texts_are_read(self) -> None:
        for content, columns, rows in (
            (b"a,b\r1,2\r", ("a", "b"), [(1, 2)]),
            (b"a,b\r\n1,\r\n", ("a", "b"), [(1, None)]),
            ("ä,ö\n1,2\n".encode("latin-1"), ("ä", "ö"), [(1, 2)]),
            (b"only one\nx\ny\n", ("only one",), [("x",), ("y",)]),
            (b"a,b\n1,2", ("a", "b"), [(1, 2)]),
            (b" a , b\n1, 2\n", ("a", "b"), [(1, " 2")]),
        ):
            with self.subTest(content=content):
                table = self.read(content).table
                self.assertEqual((table.columns, list(table.rows())), (columns, rows))

    def test_quoted_line_breaks_and_delimiters_stay_in_their_cell(self) -> None:
        path = self.folder / "quoted.csv"
        with path.open("w", newline="") as file:
            csv.writer(file).writerows([["a", "b"], ['x,"y"\nz', 1], ["w", 2]])
        rows = list(read_delimited(path).table.rows())
        self.assertEqual(rows, [('x,"y"\nz', 1), ("w", 2)])

    def test_names_that_are_missing_or_stand_twice_are_made_unique_and_said(self) -> None:
        reading = self.read("code,,code\nKP,1,MS\n")
        self.assertEqual(reading.table.columns, ("code", "column 2", "code 2"))
        self.assertEqual(len(reading.notes), 2)
        self.assertIn("table.csv has more than one column called “code”", reading.notes[1])

    def test_what_cannot_be_read_is_said_with_file_and_remedy(self) -> None:
        self.text("a,b\n1,2\n3\n4,5,6\n", "ragged.csv")
        self.text(b"PK\x03\x04 and so on", "really_a_workbook.csv")
        self.text(b"a,b\n1,\x00\x01\n", "binary.csv")
        self.text("", "empty.csv")
        self.text("a,b\n", "header_only.csv")
        self.text("\n\n\n", "blank_lines.csv")
        self.text('"a,b\n1,2\n', "open_quote.csv")
        for name, *words in (
            ("ragged.csv", "2 lines with another number of cells", "line 3 with 1", "Mend"),
            ("really_a_workbook.csv", "content is a workbook", ".xlsx"),
            ("binary.csv", "bytes that no text has", "Choose"),
            ("empty.csv", "is empty", "Choose"),
            ("header_only.csv", "has no rows", "Choose"),
            ("blank_lines.csv", "has no rows", "Choose"),
            ("open_quote.csv", "a quote that is opened and never closed", "Close it"),
            ("missing.csv", "is not there", "Put it back"),
        ):
            with self.subTest(name=name), self.refused(name, *words):
                read_delimited(self.folder / name)

    def test_a_file_that_may_not_be_read_is_said(self) -> None:
        path = self.text("a,b\n1,2\n")
        path.chmod(0)
        if os.access(path, os.R_OK):
            self.skipTest("this user may read everything")
        with self.refused("cannot be opened: permission denied", "may read it"):
            read_delimited(path)

    def test_a_long_read_can_be_stopped(self) -> None:
        def stop(fraction: float, doing: str) -> None:
            if fraction > 0.5:
                raise Cancelled

        with self.assertRaises(Cancelled):
            read_delimited(self.text("a,b,c\n1,2,3\n"), report=stop)


class WorkbookTest(SourceTestCase):
    def workbook(self, rows: list[list[object]], name: str = "book.xlsx") -> Path:
        path = self.folder / name
        with xlsxwriter.Workbook(path, {"default_date_format": "yyyy-mm-dd"}) as workbook:
            sheet = workbook.add_worksheet("Crew")
            workbook.add_worksheet("Nothing")
            for number, row in enumerate(rows):
                for place, value in enumerate(row):
                    if value is not None:
                        sheet.write(number, place, value)
        return path

    def test_the_header_is_found_below_titles_and_empty_edges_left_out(self) -> None:
        rows: list[list[object]] = [
            [None, "Crew of the season"],
            [],
            [None, "id", "name", "since", "share"],
            [None, 101, "Ailsa Orme", dt.date(2020, 5, 1), 0.5],
            [],
            [None, 102, "Hamish Udal", None, 1],
        ]
        reading = read_sheet(self.workbook(rows), "Crew")
        self.assertEqual(reading.taken_as, "header in row 3")
        self.assertEqual(reading.notes, ("1 blank row of book.xlsx › Crew left out.",))
        self.assertEqual(
            list(reading.table.rows()),
            [(101, "Ailsa Orme", dt.date(2020, 5, 1), 0.5), (102, "Hamish Udal", None, 1.0)],
        )

    def test_numbers_kept_as_text_stay_text(self) -> None:
        table = read_sheet(
            self.workbook([["id", "mentor"], [101, "007"], [102, "12"]]), "Crew"
        ).table
        self.assertEqual([f.kind for f in table.fields], [Kind.WHOLE, Kind.TEXT])
        mixed = read_sheet(self.workbook([["id"], [7], ["8a"]]), "Crew").table
        self.assertEqual(list(mixed.rows()), [("7",), ("8a",)])

    def test_what_cannot_be_read_is_said(self) -> None:
        path = self.workbook([["id"], [1]])
        self.assertEqual(sheet_names(path), ["Crew", "Nothing"])
        torn = self.text(path.read_bytes()[:900], "torn.xlsx")
        for book, sheet, *words in (
            (path, "Crow", "no sheet “Crow”", "Crew, Nothing"),
            (path, "Nothing", "“Nothing” of .*book.xlsx is empty"),
            (self.text("a,b\n1,2\n", "text.xlsx"), "Crew", "not a workbook"),
            (torn, "Crew", "not a workbook", "save it anew"),
        ):
            with self.subTest(words=words), self.refused(*words):
                read_sheet(book, sheet)


class DatabaseTest(SourceTestCase):
    def database(self, *statements: str) -> Path:
        path = self.folder / "harbour.sqlite"
        with sqlite3.connect(path) as connection:
            for statement in statements:
                connection.execute(statement)
        connection.close()
        return path

    def test_a_table_is_read_with_its_kinds_and_the_file_stays_as_it_was(self) -> None:
        path = self.database(
            "create table routes (code text, distance real, minutes integer, open date)",
            "insert into routes values ('KP-MS', 7.6, 53, '2026-01-05'), (null, 4, null, null)",
            "create view long_routes as select code from routes where distance > 5",
        )
        before = path.read_bytes()
        self.assertEqual(table_names(path), ["long_routes", "routes"])
        self.assertEqual(
            list(read_table(path, "routes").table.rows()),
            [("KP-MS", 7.6, 53, dt.date(2026, 1, 5)), (None, 4.0, None, None)],
        )
        self.assertEqual(list(read_table(path, "long_routes").table.rows()), [("KP-MS",)])
        self.assertEqual(path.read_bytes(), before)

    def test_what_cannot_be_read_is_said(self) -> None:
        path = self.database(
            "create table pictures (name text, picture blob)",
            "insert into pictures values ('a', x'00ff')",
            "create table empty (x text)",
        )
        not_a_database = self.text("nothing of the kind, nothing of the kind", "fake.sqlite")
        for file, table, *words in (
            (path, "routes", "no table “routes”", "empty, pictures"),
            (path, "pictures", "Column “picture”", "bytes"),
            (path, "empty", "“empty” of .* has no rows"),
            (not_a_database, "routes", "cannot be read as a database"),
        ):
            with self.subTest(words=words), self.refused(*words):
                read_table(file, table)
