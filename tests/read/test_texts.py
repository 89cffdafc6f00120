"""What is in a text is what is in the table; what is a guess or left out is said."""

import csv
import datetime as dt
import gzip
import os
from decimal import Decimal
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st

from keen_trellis.base.progress import Cancelled
from keen_trellis.data import Kind
from keen_trellis.layouts.source_layouts import TextLayout
from keen_trellis.read import read_delimited, unpacking
from tests.read.source_case import SourceTestCase


class KindsTest(SourceTestCase):
    """A column's kind is settled on all rows of it."""

    def test_each_kind_is_recognised_and_a_code_stays_text(self) -> None:
        for texts, kind, values in (
            (["12", "-7", ""], Kind.INTEGER, [12, -7, None]),
            (["007", "12"], Kind.TEXT, ["007", "12"]),
            (["-012", "-5"], Kind.TEXT, ["-012", "-5"]),
            (["12.50", "3"], Kind.EXACT, [Decimal("12.50"), Decimal("3.00")]),
            (["0.5", "-0.25"], Kind.EXACT, [Decimal("0.50"), Decimal("-0.25")]),
            (["123456789012345.25", "1"], Kind.EXACT, [Decimal("123456789012345.25"), Decimal(1)]),
            (["1e5", "2"], Kind.NUMBER, [1e5, 2.0]),
            (["12345678901234567890"], Kind.EXACT, [Decimal("12345678901234567890")]),
            (["9" * 38, "1"], Kind.EXACT, [Decimal("9" * 38), Decimal(1)]),
            (["9" * 39, "1"], Kind.TEXT, ["9" * 39, "1"]),
            (["nan", "1.5"], Kind.EXACT, [None, Decimal("1.5")]),
            (["nan", "x"], Kind.TEXT, ["nan", "x"]),
            (["1E5", "10E4"], Kind.TEXT, ["1E5", "10E4"]),
            (["+491701234567", "+491701234568"], Kind.TEXT, ["+491701234567", "+491701234568"]),
            (["123 456", "789 012"], Kind.TEXT, ["123 456", "789 012"]),
            (["1 234", "123 456"], Kind.INTEGER, [1234, 123456]),
            (["10.1.12", "10.1.13"], Kind.TEXT, ["10.1.12", "10.1.13"]),
            (["inf", "1e9"], Kind.TEXT, ["inf", "1e9"]),
            (["TRUE", "false"], Kind.BOOLEAN, [True, False]),
            (["yes", "No"], Kind.TEXT, ["yes", "No"]),
            (["2026-01-05", ""], Kind.DATE, [dt.date(2026, 1, 5), None]),
            (["2026-02-30", "2026-01-01"], Kind.TEXT, ["2026-02-30", "2026-01-01"]),
            (
                ["2026-01-05", "2026-01-05 08:30"],
                Kind.DATE_TIME,
                [dt.datetime(2026, 1, 5), dt.datetime(2026, 1, 5, 8, 30)],
            ),
            (["8:30", "23:59:59"], Kind.TIME, [dt.time(8, 30), dt.time(23, 59, 59)]),
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
        column = self.read("n\n" + "\n".join([*numbers, "tba"]) + "\n").table.column("n")
        self.assertIs(column.kind, Kind.TEXT)
        self.assertEqual(column.to_list(), [*numbers, "tba"])

    @given(st.lists(st.decimals(-99999, 99999, places=2).map(str), min_size=1, max_size=30))
    def test_amounts_stay_exact(self, texts: list[str]) -> None:
        table = self.read("name,amount\n" + "".join(f"x,{t}\n" for t in texts)).table
        self.assertEqual(table.column("amount").to_list(), [Decimal(t) for t in texts])


class DelimitedTextTest(SourceTestCase):
    def test_form_is_found_and_said(self) -> None:
        for content, said in (
            ("a,b\n1,2\n", "Comma separated, UTF-8, header in row 1"),
            ("a;b\n1,5;2\n", "Semicolon separated, UTF-8, header in row 1, decimal comma"),
            (b"\xef\xbb\xbfa\tb\n1\t2\n", "Tab separated, UTF-8, header in row 1"),
            ("a|b\nä|2\n".encode("cp1252"), "Bar separated, Windows-1252, header in row 1"),
            ("a,b\n1,ä\n".encode("utf-16"), "Comma separated, UTF-16, header in row 1"),
            ("1,2\n3,4\n", "Comma separated, UTF-8, no header"),
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

    def test_encodings_and_quotes_that_few_files_have(self) -> None:
        rows = [("港", 1), ("浜", 2)]
        text = "name,n\n港,1\n浜,2\n"
        for encoding in ("utf-16-le", "utf-16-be", "utf-32", "shift_jis", "gb18030"):
            with self.subTest(encoding=encoding):
                found = encoding.startswith("utf")
                layout = TextLayout() if found else TextLayout(encoding=encoding)
                self.assertEqual(list(self.read(text.encode(encoding), layout).table.rows()), rows)
        single = self.read("a,b\n'x,y',1\n'z',2\n")
        self.assertEqual(list(single.table.rows()), [("x,y", 1), ("z", 2)])
        with self.refused("no encoding “klingon”"):
            self.read("a\n1\n", TextLayout(encoding="klingon"))

    def test_a_quote_or_a_nul_byte_may_come_late(self) -> None:
        plain = "a,b\n" + "x,1\n" * 400_000
        late = self.read(plain + '"y\nz",2\n').table
        self.assertEqual(late.column("a").text(400_000), "y\nz")
        broken = self.read(plain + "y\0,2\n")
        self.assertEqual((len(broken.table), broken.set_apart[0].line), (400_000, 400_002))

    def test_quoted_line_breaks_and_delimiters_stay_in_their_cell(self) -> None:
        path = self.folder / "quoted.csv"
        with path.open("w", newline="") as file:
            csv.writer(file).writerows([["a", "b"], ['x,"y"\nz', 1], ["w", 2]])
        rows = list(read_delimited(path).table.rows())
        self.assertEqual(rows, [('x,"y"\nz', 1), ("w", 2)])

    def test_names_that_are_missing_or_stand_twice_are_made_unique_and_said(self) -> None:
        reading = self.read("code,,code\nKP,1,MS\n")
        self.assertEqual(reading.table.columns, ("code", "column 2", "code 2"))
        self.assertIn("columns without a name: column 2", reading.notes[0])
        self.assertIn("more than once; the later ones are called “code 2”", reading.notes[1])

    def test_the_header_may_stand_below_titles(self) -> None:
        reading = self.read("Takings of the season\n\nmonth,route,amount\n2026-01,KP-MS,3\n")
        self.assertEqual(reading.taken_as, "Comma separated, UTF-8, header in row 3")
        self.assertEqual(list(reading.table.rows()), [("2026-01", "KP-MS", 3)])
        chosen = self.read("a,b\n1,2\nx,y\n3,4\n", TextLayout(header_row=3))
        self.assertEqual((chosen.table.columns, len(chosen.table)), (("x", "y"), 1))
        with self.refused("no names in row 9", "another row"):
            self.read("a,b\n1,2\n", TextLayout(header_row=9))

    def test_lines_that_cannot_be_cut_are_set_apart_with_their_numbers(self) -> None:
        reading = self.read('a,b\n1,2\n3\n"x\ny",5\n4,5,6\n7,8\n')
        self.assertEqual(list(reading.table.rows()), [("1", 2), ("x\ny", 5), ("7", 8)])
        self.assertEqual(
            [(s.line, s.text, s.why) for s in reading.set_apart],
            [(3, "3", "1 cell instead of 2"), (6, "4,5,6", "3 cells instead of 2")],
        )
        self.assertIn("2 lines of table.csv have another number of cells", reading.notes[0])
        self.assertIn("line 3, 6", reading.notes[0])

    def test_lines_with_broken_letters_are_set_apart(self) -> None:
        content = "name,n\nærø,1\nfanø,2\n".encode() + b"f\xe9,3\n" + "a\0b,4\nsamsø,5\n".encode()
        reading = self.read(content)
        self.assertEqual(list(reading.table.rows()), [("ærø", 1), ("fanø", 2), ("samsø", 5)])
        self.assertEqual(
            [(s.line, s.why) for s in reading.set_apart], [(4, "not UTF-8"), (5, "a NUL byte")]
        )

    def test_what_has_no_rows_is_read_and_said(self) -> None:
        reading = self.read("a,b\n")
        self.assertEqual((len(reading.table), reading.table.columns), (0, ("a", "b")))
        self.assertEqual(reading.notes, ("table.csv has no rows below its header.",))

    def test_what_cannot_be_read_is_said_with_file_and_remedy(self) -> None:
        self.text(b"PK\x03\x04 and so on", "really_a_workbook.csv")
        self.text(bytes(range(256)) * 9, "binary.csv")
        self.text("", "empty.csv")
        self.text('"a,b\n1,2\n', "open_quote.csv")
        self.text(gzip.compress(b"a,b\n1,2\n" * 90_000)[:-900], "cut_off.csv.gz")
        for name, *words in (
            ("really_a_workbook.csv", "content is a workbook", ".xlsx"),
            ("binary.csv", "bytes that no text has", "Choose"),
            ("empty.csv", "is empty", "Choose"),
            ("open_quote.csv", "a quote that is opened and never closed", "without quotes"),
            ("cut_off.csv.gz", "cut off or damaged", "anew"),
            ("missing.csv", "is not there", "Put it back"),
        ):
            with self.subTest(name=name), self.refused(name, *words):
                read_delimited(self.folder / name)
        with self.refused("not written in UTF-16", "Choose the encoding"):
            self.read(b"a,b\n1,2,\n", TextLayout(encoding="utf-16"))
        quoteless = self.read('"a,b\n1,2\n', TextLayout(quote=""))
        self.assertEqual(quoteless.table.columns, ('"a', "b"))

    def test_packed_texts_are_read_and_bombs_refused(self) -> None:
        path = self.text(gzip.compress(b"code,n\n007,1\n"), "codes.csv.gz")
        self.assertEqual(list(read_delimited(path).table.rows()), [("007", 1)])
        bomb = self.text(gzip.compress(b"0" * (9 << 20)), "bomb.csv.gz")
        with (
            mock.patch.object(unpacking, "SUSPICIOUS_FROM", 4 << 20),
            self.refused("bomb.csv.gz unpacks to 5 MB or more", "which no table does"),
        ):
            read_delimited(bomb)

    def test_a_line_without_a_letter_is_a_row_where_there_is_one_column(self) -> None:
        for text, rows in (
            ("n\n1\n\n3\n", [1, None, 3]),
            ("n\r\n1\r\n\r\n3\r\n\r\n\r\n", [1, None, 3]),  # at the end there is none
            ('n\n1\n""\n3\n""\n', [1, None, 3, None]),
            ("n\n\n\n", []),
        ):
            with self.subTest(text):
                read = read_delimited(self.text(text, "one.csv"))
                self.assertEqual(read.table.column("n").to_list(), rows)
        two = read_delimited(self.text("n,m\n1,2\n\n3,4\n", "two.csv"))
        self.assertEqual(list(two.table.rows()), [(1, 2), (3, 4)])

    def test_wide_and_long_is_read(self) -> None:
        names = [f"column_{n}" for n in range(10_000)]
        wide = self.read(",".join(names) + "\n" + ",".join(map(str, range(10_000))) + "\n")
        self.assertEqual(
            (len(wide.table.columns), wide.table.column("column_9999").to_list()), (10_000, [9999])
        )
        long = self.read(f"a,b\n{'x' * 32_767},1\n")
        self.assertEqual(len(long.table.column("a").text(0)), 32_767)

    def test_a_file_that_may_not_be_read_is_said(self) -> None:
        path = self.text("a,b\n1,2\n")
        path.chmod(0)
        if os.access(path, os.R_OK):
            self.skipTest("this user may read everything")
        with self.refused("cannot be opened: permission denied", "may read it"):
            read_delimited(path)

    def test_a_long_read_can_be_stopped_where_it_is(self) -> None:
        path = self.text("a,b,c\n" + "1,2,3\n" * 2_000_000)
        seen: list[float] = []

        def stop(fraction: float, doing: str) -> None:
            seen.append(fraction)
            if fraction > 0.3:
                raise Cancelled

        with self.assertRaises(Cancelled):
            read_delimited(path, report=stop)
        self.assertLess(max(seen), 0.9)

    def test_a_look_reads_only_the_beginning(self) -> None:
        reading = self.read("a,b\n" + "1,2\n" * 900_000, rows_at_most=200)
        self.assertEqual((len(reading.table), reading.partial), (200, True))
        self.assertFalse(self.read("a,b\n1,2\n", rows_at_most=200).partial)


class WaysOfWritingTest(SourceTestCase):
    """How numbers and dates are written is settled on all rows of all columns."""

    def test_marks_and_orders_are_found(self) -> None:
        day = dt.date(2026, 4, 3)
        for content, values in (
            ("n;d\n1.204,50;03.04.2026\n3,1;25.04.2026\n", [(Decimal("1204.50"), day)]),
            ("n;d\n1,204.50;04/03/2026\n3.1;04/25/2026\n", [(Decimal("1204.50"), day)]),
            ("n;d\n1'204;3.4.26\n3;25.4.26\n", [(1204, day)]),
            ("n;d\n1 204,5;2026/4/3\n3,1;2026/4/25\n", [(Decimal("1204.5"), day)]),
            (
                "n;d\n0,5;03/04/2026 10:20\n3;25/04/2026 00:00\n",
                [(Decimal("0.5"), dt.datetime(2026, 4, 3, 10, 20))],
            ),
            ("n;d\n1.2.3;31/02/2026\n1.2.4;01/01/2026\n", [("1.2.3", "31/02/2026")]),
        ):
            with self.subTest(content=content):
                self.assertEqual(list(self.read(content).table.window(0, 1).rows()), values)

    def test_what_nothing_decides_is_said_and_can_be_chosen(self) -> None:
        content = "n\td\n1,204\t03/04/2026\n2,500\t05/06/2026\n"
        reading = self.read(content)
        self.assertEqual(next(iter(reading.table.rows())), (1204, dt.date(2026, 4, 3)))
        numbers, dates = reading.noticed
        self.assertIn("“1,204” in “n” is taken as “1204”", numbers.text)
        self.assertIn("“03/04/2026” in “d” is taken as day first", dates.text)
        assert numbers.remedy and dates.remedy
        self.assertEqual(numbers.remedy.label, "Take it as 1.204")
        layout = TextLayout(**numbers.remedy.layout, **dates.remedy.layout)
        chosen = self.read(content, layout)
        self.assertEqual(next(iter(chosen.table.rows())), (Decimal("1.204"), dt.date(2026, 3, 4)))
        self.assertEqual(chosen.noticed, ())
        self.assertIn("month first", chosen.taken_as)

    def test_one_odd_word_in_a_column_is_said_and_the_kind_can_be_chosen(self) -> None:
        days = "".join(f"{n},2026-01-{n:02}\n" for n in range(1, 31))
        reading = self.read("n,day\n" + days + "31,tba\n")
        self.assertIs(reading.table.field("day").kind, Kind.TEXT)
        (odd,) = reading.noticed
        self.assertIn(
            "30 of its values look like dates: 1 value is not, such as “tba” in row 31", odd.text
        )
        assert odd.remedy
        chosen = self.read("n,day\n" + days + "31,tba\n", kinds=odd.remedy.kinds)
        self.assertIs(chosen.table.field("day").kind, Kind.DATE)
        (unfit,) = chosen.unfit
        self.assertEqual((unfit.texts, unfit.rows.tolist()), (("tba",), [30]))
        self.assertIn("1 value of “day” cannot be read as date and is blank now", chosen.notes[0])

    def test_a_kind_chosen_keeps_the_letters_of_a_code(self) -> None:
        kinds = {"n": Kind.TEXT}
        self.assertEqual(
            self.read("n,m\n1.50,1\n2.5,2\n", kinds=kinds).table.column("n").to_list(),
            ["1.50", "2.5"],
        )
