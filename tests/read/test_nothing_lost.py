"""A value in is the same value out, or what was read says otherwise: for texts by chance."""

import csv
import datetime as dt
import io
import re
import sqlite3
from decimal import Decimal
from typing import Any

import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq
from hypothesis import given, settings
from hypothesis import strategies as st

from keen_trellis.base.errors import KindsDifferError
from keen_trellis.compute.join.pairing import paired
from keen_trellis.data import Kind
from keen_trellis.layouts.source_layouts import TextLayout
from keen_trellis.plan.link import Link, LinkField
from keen_trellis.read import read_columnar, read_delimited, read_sheet, read_table
from keen_trellis.servers.server import RowCondition, SqliteFile
from tests.read.source_case import MARIADB, POSTGRES, ServerTestCase, SourceTestCase

ASCII = st.characters(min_codepoint=32, max_codepoint=126) | st.just("€")
SHAPES = st.sampled_from(
    [
        *(r"-?\d{1,4}", r"0\d{2,5}", r"\d{17,40}", r"\d{1,3}\.\d{1,3}", r"\d{1,3},\d{1,3}"),
        *(r"\d{1,2}[eE]\d{1,2}", r"\+\d{9,13}", r"\d{1,3}( \d{3}){1,2}", r"\d{1,3}(\.\d{3}){1,2}"),
        *(r"\d{1,3}(,\d{3}){1,2}\.\d\d", r"\d\.\d\.1[0-9]", r"[1-9]\.[1-9]\.20[0-2]\d"),
        *(r"20[0-2]\d-0[1-9]-[12]\d", r"20[0-2]\d-0[1-9]-[12]\d 1\d:[0-5]\d(:[0-5]\d)?"),
        *(
            r"0\d/0[1-9]/20[0-2]\d",
            r"1\d:[0-5]\d",
            r"[1-9]:[0-5]\d",
            r"true|false|TRUE",
            r"1-2-0\d",
        ),
        *(r"[A-Z]{2}-?\d{1,3}", r" ?[a-z]{1,3} ?", r"(NA|N/A|n/a|NULL|-|\.|nan|null|None|#N/A)"),
        *(
            r"20[0-2]\d-0[1-9]-[12]\dT1\d:00:00(Z|\+02:00)",
            r"-?0\.\d{1,20}",
            r"\d{1,3}%",
            r"€ ?\d\d",
        ),
    ]
)


@st.composite
def columns(draw: st.DrawFn) -> list[str]:
    """Draw the texts of a column: of one shape, or of one with a few of another."""
    shape, other = draw(SHAPES), draw(SHAPES)
    most = draw(st.lists(st.from_regex(shape, fullmatch=True, alphabet=ASCII), min_size=1))
    few = draw(st.lists(st.from_regex(other, fullmatch=True, alphabet=ASCII), max_size=2))
    gaps = draw(st.lists(st.just(""), max_size=2))
    return draw(st.permutations([*most, *few, *gaps]))


def is_kept(text: str, value: Any) -> bool:
    """Tell whether a value is what a text says, by other means than those that read it."""
    numbers = [int(part) for part in re.findall(r"\d+", text)]
    match value:
        case None:
            return not text
        case bool():
            return text.lower() == str(value).lower()
        case int() | float() | Decimal():
            plain = re.sub(r"[ '%€]", "", text)
            without = (plain, plain.replace(",", ""), plain.replace(".", "").replace(",", "."))
            return any(_is_number(one, value) for one in without)
        case dt.datetime():
            parts = [*value.timetuple()[:6]]
            return numbers[:3] == parts[:3] and (numbers[3:] + [0] * 3)[:3] == parts[3:]
        case dt.date():
            return sorted(numbers) == sorted([value.year, value.month, value.day])
        case dt.time():
            return [*numbers, 0][:3] == [value.hour, value.minute, value.second]
    return bool(text == value)


def _is_number(text: str, value: float | Decimal) -> bool:
    try:
        return type(value)(text) == value
    except (ValueError, ArithmeticError):
        return False


class TextsByChanceTest(SourceTestCase):
    @settings(max_examples=300, deadline=None)
    @given(columns())
    def test_every_cell_of_a_text_is_its_value_or_is_spoken_of(self, texts: list[str]) -> None:
        file = io.StringIO()
        csv.writer(file).writerows([["row", "it"], *([str(n), t] for n, t in enumerate(texts))])
        reading = self.read(file.getvalue())
        column, said = reading.table.column("it"), "\n".join(reading.notes)
        values = column.to_list()
        self.assertEqual(len(values), len(texts), said)
        for text, value in zip(texts, values, strict=True):
            if not is_kept(text, value):
                self.assertIn(text, said, (column.kind, texts, values))
        written: dict[Any, set[str]] = {}
        for text, value in zip(texts, values, strict=True):
            written.setdefault(value, set()).add(text)
        merged = [pair for value, pair in written.items() if value is not None and len(pair) > 1]
        if merged and column.kind is not Kind.BOOLEAN:
            self.assertTrue(any(f"“{t}”" in said for pair in merged for t in pair), said)


class OtherWritersTest(ServerTestCase):
    """What writers that are not ours put into files and tables."""

    def test_moments_of_old_parquet_do_not_go_round(self) -> None:
        far = [dt.datetime(9999, 12, 31, 23, 59, 59), dt.datetime(1, 1, 1), dt.datetime(2026, 1, 5)]
        values = pa.array(far, pa.timestamp("us"))
        path = self.folder / "old.parquet"
        pq.write_table(pa.table({"at": values}), path, use_deprecated_int96_timestamps=True)
        reading = read_columnar(path)
        self.assertEqual(reading.table.column("at").to_list(), far, reading.notes)

    def test_cells_that_show_zeros_and_formulas_without_a_result_are_told(self) -> None:
        book = openpyxl.Workbook()
        sheet = book.active
        assert sheet is not None
        for row in (["code", "sum"], [7, "=1+1"], [12, "=2+2"]):
            sheet.append(row)
        for row in (2, 3):
            sheet.cell(row, 1).number_format = "00000"
        book.save(self.folder / "book.xlsx")
        reading = read_sheet(self.folder / "book.xlsx", "Sheet")
        self.assertEqual(reading.table.column("code").to_list(), ["00007", "00012"])
        self.assertRegex("\n".join(reading.notes), "2 .*formula")

    def test_digits_beyond_38_stay_whatever_server_they_come_from(self) -> None:
        long = "1" * 38 + "." + "5" * 12
        server = self.postgres()
        server.execute(f"create table {self.name}.n (it numeric)")
        server.execute(f"insert into {self.name}.n values ({long}), (1.50), ('NaN')")
        cursor = self.mariadb()
        cursor.execute(f"create table {self.name} (it decimal(65, 0))")
        cursor.execute(f"insert into {self.name} values ({'7' * 65}), (1)")
        for at, schema, table, wanted in (
            (POSTGRES, self.name, "n", [long, "1.50", "NaN"]),
            (MARIADB, None, self.name, ["7" * 65, "1"]),
        ):
            reading = read_table(at, table, schema, secrets=self.secrets)
            self.assertEqual(reading.table.column("it").to_list(), wanted, reading.notes)

    def test_first_letters_and_padding_of_a_server_are_what_sql_would_match(self) -> None:
        server = self.postgres()
        server.execute(f"create table {self.name}.w (plain text, padded char(6))")
        rows = "('a', 'a'), (U&'\\FEFFa', 'b ')"
        server.execute(f"insert into {self.name}.w values {rows}")
        table = read_table(POSTGRES, "w", self.name, secrets=self.secrets).table
        self.assertEqual(sorted(table.column("plain").to_list()), ["a", "\ufeffa"])
        self.assertEqual(sorted(table.column("padded").to_list()), ["a", "b"])

    def test_names_of_mariadb_are_read_whatever_signs_they_have(self) -> None:
        cursor = self.mariadb()
        columns = "`a``b` int primary key, `c%d` int, `e:f` int"
        cursor.execute(f"create table {self.name} ({columns})")
        cursor.execute(f"insert into {self.name} values (1, 2, 3), (4, 5, 6)")
        only = [RowCondition("a`b", "=", "4"), RowCondition("c%d", "=", "5")]
        for conditions, rows in (((), [(1, 2, 3), (4, 5, 6)]), (only, [(4, 5, 6)])):
            reading = read_table(MARIADB, self.name, conditions=conditions, secrets=self.secrets)
            self.assertEqual(reading.table.columns, ("a`b", "c%d", "e:f"))
            self.assertEqual(list(reading.table.rows()), rows)

    def test_texts_with_a_time_are_offered_as_no_date(self) -> None:
        path = self.folder / "harbour.sqlite"
        with sqlite3.connect(path) as base:
            base.execute("create table t (at text)")
            base.executemany("insert into t values (?)", [("2026-01-05 13:22:00",)] * 3)
        base.close()
        reading = read_table(SqliteFile(str(path)), "t")
        for noticed in reading.noticed:
            kinds = noticed.remedy.kinds if noticed.remedy else {}
            self.assertNotIn(Kind.DATE, kinds.values(), noticed.text)

    def test_a_text_that_is_declared_is_text_before_it_has_a_value(self) -> None:
        server = self.postgres()
        server.execute(f"create table {self.name}.d (it text)")
        server.execute(f"insert into {self.name}.d values (null)")
        nothing = pa.array([None], pa.string())
        pq.write_table(pa.table({"it": nothing}), self.folder / "declared.parquet")
        pq.write_table(pa.table({"it": pa.nulls(1)}), self.folder / "open.parquet")
        numbers, link = self.read("it\n1\n").table, Link((LinkField("it", "it"),))
        for table in (
            read_table(POSTGRES, "d", self.name, secrets=self.secrets).table,
            read_columnar(self.folder / "declared.parquet").table,
        ):
            with self.assertRaises(KindsDifferError):
                paired(numbers, table, link, ("a", "b"))
        empty = self.read("it,x\n,1\n").table
        for table in (read_columnar(self.folder / "open.parquet").table, empty):
            self.assertEqual(paired(numbers, table, link, ("a", "b")).counts.pairs, 0)

    def test_a_header_without_a_name_for_its_first_column_is_one(self) -> None:
        reading = self.read("speed,dist\n1,4,2\n2,4,10\n3,7,4\n")
        self.assertEqual(reading.table.columns[1:], ("speed", "dist"))
        self.assertEqual(len(reading.table), 3)

    def test_a_day_of_a_moment_with_a_zone_is_the_day_that_is_shown(self) -> None:
        server = self.postgres()
        server.execute(f"create table {self.name}.z (at timestamptz)")
        moments = "('2026-07-01 22:30Z'), ('2026-07-01 21:30Z'), ('2026-06-30 22:30Z')"
        server.execute(f"insert into {self.name}.z values {moments}")
        cursor = self.mariadb()
        cursor.execute("set time_zone = '+00:00'")
        cursor.execute(f"create table {self.name} (at timestamp)")
        cursor.execute(f"insert into {self.name} values {moments.replace('Z', ':00')}")
        for database, schema, table in ((POSTGRES, self.name, "z"), (MARIADB, None, self.name)):
            for zone in ("UTC", "Europe/Berlin", "America/St_Johns"):
                how: Any = {"schema": schema, "zone": zone, "secrets": self.secrets}
                whole = read_table(database, table, **how).table.column("at").to_list()
                for sign, test in (("=", dt.date.__eq__), ("<=", dt.date.__le__)):
                    day = RowCondition("at", sign, "2026-07-01")
                    some = read_table(database, table, conditions=[day], **how).table.column("at")
                    wanted = [at for at in whole if test(at.date(), dt.date(2026, 7, 1))]
                    self.assertCountEqual(some.to_list(), wanted, (database.type, zone, sign))

    def test_a_file_called_by_tabs_is_cut_at_tabs(self) -> None:
        path = self.text("x,y\n1\n2\n", "one.tsv")
        self.assertEqual(read_delimited(path, TextLayout()).table.columns, ("x,y",))
        path = self.text("x,y\n1,2\n2,3\n", "other.tsv")  # it is not, after all
        self.assertEqual(read_delimited(path, TextLayout()).table.columns, ("x", "y"))
