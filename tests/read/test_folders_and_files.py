"""Folders read as one table, columnar files, typed tables, and columns in other kinds."""

import datetime as dt
import os
import sqlite3
from contextlib import closing
from decimal import Decimal
from pathlib import Path

import openpyxl
import pyarrow as pa
import pyarrow.feather as feather
import pyarrow.parquet as pq
from hypothesis import given
from hypothesis import strategies as st

from keen_trellis.base.errors import UserError
from keen_trellis.base.folders import files_of, is_of_pattern
from keen_trellis.base.whole_files import whole_file
from keen_trellis.data import BLANK, GAP, Column, Kind, from_arrow
from keen_trellis.data.conversions.kind_changes import changed_kind
from keen_trellis.data.profile import profile
from keen_trellis.layouts.source_layouts import TextLayout
from keen_trellis.read import (
    database_tables,
    pasted_cells,
    read,
    read_columnar,
    read_delimited,
    read_folder,
    read_table,
    read_typed,
    workbook_parts,
)
from keen_trellis.servers.server import Server, SqliteFile
from tests.read.source_case import SourceTestCase

CELLS = ["", " ", "007", "1", "1,5", "1.234,5", "9" * 30, "1e400", "true", "3/4/2026", "12:30", "x"]


class FolderTest(SourceTestCase):
    def test_files_come_together_by_name_with_gaps_and_one_kind(self) -> None:
        self.text("month,code,amount\n2026-01,007,3\n", "2026-01.csv")
        self.text("amount;month;zone\n4,5;2026-02;north\n", "2026-02.csv")
        self.text("month,amount\n", "2026-03.csv")
        self.text("passing by", "~$2026-01.csv")
        self.text("not of the pattern", "notes.txt")
        reading = read_folder(self.folder)
        table = reading.table
        self.assertEqual(table.columns, ("file", "month", "code", "amount", "zone"))
        self.assertEqual(
            list(table.rows()),
            [
                ("2026-01.csv", "2026-01", "007", Decimal("3.0"), None),
                ("2026-02.csv", "2026-02", None, Decimal("4.5"), "north"),
            ],
        )
        self.assertEqual(table.column("zone").count(GAP), 1)
        self.assertEqual(table.column("code").count(BLANK), 0)
        self.assertIn("“code” is not in 2026-02.csv", reading.notes[0])
        names = [Path(stamp.path).name for stamp in reading.files]
        self.assertEqual(names, ["2026-01.csv", "2026-02.csv", "2026-03.csv"])

    def test_files_of_one_name_are_told_apart_by_their_folder(self) -> None:
        for folder in ("north", "south"):
            (self.folder / folder).mkdir()
            self.text(f"amount\n{len(folder)}\n", f"{folder}/takings.csv")
        table = read_folder(self.folder, "*/takings.csv").table
        self.assertEqual(table.column("file").to_list(), ["north/takings.csv", "south/takings.csv"])

    def test_what_is_being_written_is_no_file_of_a_folder_yet(self) -> None:
        self.text("a\n1\n", "done.csv")
        with whole_file(self.folder / "coming.csv") as coming:
            coming.write_text("a\n2\n")
            self.assertFalse(is_of_pattern(coming, self.folder, "**/*.csv"))
            rows = read_folder(self.folder, "**/*.csv").table
            self.assertEqual(rows.column("a").to_list(), [1])

    def test_a_file_that_cannot_be_read_is_named_and_the_others_stay(self) -> None:
        self.text("month,amount\n2026-01,3\n", "a.csv")
        self.text(bytes(range(256)) * 9, "b.csv")
        self.text("month,amount\n2026-02\n2026-02,4\n", "c.csv")
        reading = read_folder(self.folder)
        self.assertEqual(reading.table.column("amount").to_list(), [3, 4])
        self.assertRegex(reading.notes[0], "A file is left out .*b.csv is not text")
        self.assertEqual([(s.file, s.line) for s in reading.set_apart], [("c.csv", 2)])

    def test_workbooks_in_a_folder_are_read_in_the_kind_that_takes_all(self) -> None:
        for name, amount in (("a.xlsx", 3), ("b.xlsx", 4.5)):
            book = openpyxl.Workbook()
            assert book.active is not None
            book.active.append(["day", "amount"])
            book.active.append([dt.date(2026, 1, 5), amount])
            book.save(self.folder / name)
        table = read_folder(self.folder, "*.xlsx", file_column=None).table
        day = dt.date(2026, 1, 5)
        self.assertEqual(list(table.rows()), [(day, 3.0), (day, 4.5)])

    def test_what_cannot_be_read_is_said(self) -> None:
        self.text(bytes(range(256)) * 9, "b.csv")
        for folder, pattern, *words in (
            (self.folder, "*.tsv", "no file with a name like", "another pattern"),
            (self.folder / "gone", "*.csv", "The folder .*gone is not there", "where it is now"),
            (self.folder, "*.csv", "b.csv is not text"),
        ):
            with self.subTest(words=words), self.refused(*words):
                read_folder(folder, pattern)


class ColumnarTest(SourceTestCase):
    def test_parquet_and_arrow_arrive_with_their_kinds(self) -> None:
        moment = dt.datetime(2026, 1, 5, 8, 30, tzinfo=dt.UTC)
        table = pa.table(
            {
                "n": pa.array([1, None], pa.int16()),
                "exact": pa.array([Decimal("1.50"), None]),
                "code": pa.array(["007", None]).dictionary_encode(),
                "at": pa.array([moment, None], pa.timestamp("us", "UTC")),
                "list": pa.array([[1, 2], None]),
                "long": pa.array([dt.timedelta(hours=30), None]),
                "bytes": pa.array([b"x", None]),
            }
        )
        pq.write_table(table, self.folder / "t.parquet", row_group_size=1)
        feather.write_feather(table, self.folder / "t.feather")
        with pa.ipc.new_stream(self.folder / "t.arrows", table.schema) as stream:
            stream.write_table(table)
        row = (1, Decimal("1.50"), "007", moment.replace(tzinfo=None), "[1, 2]", 30.0)
        for name in ("t.parquet", "t.feather", "t.arrows"):
            with self.subTest(name=name):
                reading = read_columnar(self.folder / name)
                self.assertEqual(list(reading.table.rows()), [row, (None,) * 6])
                self.assertIn(f"“bytes” of {name} holds bytes", reading.notes[-1])
                self.assertIn("moments in UTC", reading.taken_as)
        look = read_columnar(self.folder / "t.parquet", rows_at_most=1)
        self.assertEqual((len(look.table), look.partial), (1, True))

    def test_a_damaged_file_is_said(self) -> None:
        for name in ("t.parquet", "t.arrow"):
            with self.refused(f"{name} cannot be read", "choose"):
                read_columnar(self.text("PAR1 and no more", name))


class FarValuesTest(SourceTestCase):
    """A columnar file holds what no calendar of ours does: it is said, and kept."""

    def test_dates_and_durations_of_any_size_are_read_or_said(self) -> None:
        far = pa.array([0, 253_402_300_800, -62_135_596_801, None], pa.timestamp("s"))
        table = pa.table(
            {
                "near": pa.array([-62_135_596_800, 253_402_300_799, 0, None], pa.timestamp("s")),
                "far": far,
                "days": pa.array([0, 2_932_897, -719_163, None], pa.date32()),
                "fine": pa.array([0, 1, 10**18, None], pa.timestamp("ns", "Europe/Lisbon")),
                "span": pa.array([3_600, 2**55, 0, None], pa.duration("s")),
                "short": pa.array([3_600 * 10**9, 1, 0, None], pa.duration("ns")),
            }
        )
        pq.write_table(table, self.folder / "far.parquet")
        reading = read_columnar(self.folder / "far.parquet")
        columns = {name: reading.table.column(name).to_list() for name in reading.table.columns}
        first, last = dt.datetime(1, 1, 1), dt.datetime(9999, 12, 31, 23, 59, 59)
        self.assertEqual(columns["near"], [first, last, dt.datetime(1970, 1, 1), None])
        self.assertEqual(
            columns["far"][1:], ["10000-01-01T00:00:00.000", "0000-12-31T23:59:59.000", None]
        )
        self.assertEqual(columns["days"], ["1970-01-01", "10000-01-01", "0000-12-31", None])
        self.assertEqual(columns["fine"][0], dt.datetime(1970, 1, 1))
        self.assertEqual(columns["span"], [1.0, 2**55 / 3600, 0.0, None])
        self.assertEqual(columns["short"][0], 1.0)
        said = " ".join(reading.notes)
        self.assertIn(
            "“far” holds dates outside of the years 1 to 9999; they are read as text", said
        )

    def test_many_equal_names_and_a_name_of_any_length_take_no_longer_than_others(self) -> None:
        names = ",".join(["same"] * 6_000) + "," + "x" * 200_000
        reading = read_delimited(self.text(f"{names}\n{'1,' * 6_000}2\n", "names.csv"))
        self.assertEqual(reading.table.columns[:3], ("same", "same 2", "same 3"))
        self.assertEqual(len(reading.table.columns[-1]), 200_000)
        with self.refused("names.csv has a row of more than 4 MB", "lines end"):
            read_delimited(self.text(f"a,b\n{'x' * 9_000_000},1\n", "names.csv"))


class OddSettingsTest(SourceTestCase):
    """Settings and names that nothing can be read with are sentences, never tracebacks."""

    def test_settings_of_a_text_that_no_text_has(self) -> None:
        path = self.text("a,b\n1,2\n")
        for name, values in (
            ("encoding", ("punycode", "idna", "undefined", "base64", "rot13", "\x00", "nonsense")),
            ("quote", ("''", "é", "\n", "\r\n")),
            ("delimiter", (",,", "é", "\r", "\n")),
            ("decimal", ("..", "x", "")),
            ("thousands", ("..", "x")),
            ("dates", ("sideways",)),
            ("header_row", (-1, 10**20)),
        ):
            for value in values:
                with self.subTest(name=name, value=value), self.assertRaises(UserError):
                    read_delimited(path, TextLayout(**{name: value}))

    def test_files_whose_names_are_no_text_are_rows_of_a_folder_all_the_same(self) -> None:
        (self.folder / "b.csv").write_text("a\n1\n")
        Path(os.fsdecode(os.fsencode(self.folder) + b"/\xff.csv")).write_text("a\n2\n")
        rows = list(read_folder(self.folder).table.rows())
        self.assertEqual(rows, [("b.csv", 1), ("\\udcff.csv", 2)])

    def test_ports_that_there_are_none_of(self) -> None:
        for port in (65_536, 70_000, -1, 2**40):
            with self.assertRaisesRegex(ValueError, "is no port"):
                Server("postgresql", "h", "d", "u", port=port)
            with self.assertRaises(UserError):
                read(f"postgresql://u@h:{port}/d")


class NoSourceTest(SourceTestCase):
    """What must not be opened, and what must not be written to."""

    def test_pipes_devices_and_parts_of_the_system_are_refused_before_they_are_opened(self) -> None:
        pipe = self.folder / "rows.csv"
        os.mkfifo(pipe)
        for path in (pipe, Path("/dev/zero"), Path("/proc/self/maps"), Path("/sys/kernel/notes")):
            for reads in (read_delimited, read_columnar, workbook_parts):
                with self.refused("no ordinary file", "lies on a disk"):
                    reads(path)
            with self.refused("no ordinary file", "lies on a disk"):
                database_tables(SqliteFile(str(path)))

    def test_a_file_is_known_for_a_source_by_the_walk_that_reads(self) -> None:
        (self.folder / "deep" / "er").mkdir(parents=True)
        for pattern, own, others in (
            ("**/*.csv", ("a.csv", "deep/a.csv", "deep/er/a.csv"), ("a.tsv", ".a.csv")),
            ("*.csv", ("a.csv",), ("deep/a.csv", "a.csv/b")),
            ("deep/*.csv", ("deep/a.csv",), ("a.csv", "deep/er/a.csv")),
            ("deep/**/a*", ("deep/a.csv", "deep/er/ab"), ("a.csv",)),
        ):
            for name in own + others:
                path = self.folder / name
                self.assertEqual(is_of_pattern(path, self.folder, pattern), name in own, name)
                if path.parent.is_dir():
                    path.write_text("x")
                    self.assertEqual(path in files_of(self.folder, pattern), name in own, name)
                    path.unlink()
        with self.refused("leads out of", "Choose the folder"):
            files_of(self.folder / "deep", "../*.csv")

    def test_a_database_that_is_being_written_to_is_read_and_left_without_a_trace(self) -> None:
        path = self.folder / "harbour.sqlite"
        with closing(sqlite3.connect(path)) as writer:
            writer.execute("pragma journal_mode = wal")
            writer.execute("create table t (n int)")
            writer.execute("insert into t values (7)")
            writer.commit()
            before = sorted(file.name for file in self.folder.iterdir())
            self.assertEqual(list(read_table(SqliteFile(str(path)), "t").table.rows()), [(7,)])
            self.assertEqual(sorted(file.name for file in self.folder.iterdir()), before)
        alone = sorted(file.name for file in self.folder.iterdir())
        self.assertEqual(list(read_table(SqliteFile(str(path)), "t").table.rows()), [(7,)])
        self.assertEqual(sorted(file.name for file in self.folder.iterdir()), alone)


class TypedTest(SourceTestCase):
    def test_cells_pasted_from_a_sheet_become_a_table(self) -> None:
        cells = pasted_cells('month\tdays\tnote\n2026-01\t31\t"two\nlines"\n\t\t\n2026-02\t28\n')
        reading = read_typed(cells[0], cells[1:])
        self.assertEqual(
            list(reading.table.rows()), [("2026-01", 31, "two\nlines"), ("2026-02", 28, None)]
        )
        with self.refused("has no columns yet"):
            read_typed((), ())


class KindsAndProfilesTest(SourceTestCase):
    def test_values_that_cannot_be_changed_are_listed(self) -> None:
        column = Column.of(["7", " 8 ", "nine", None, "nine"])
        changed, unfit = changed_kind(column, Kind.INTEGER, "n")
        self.assertEqual(changed.to_list(), [7, 8, None, None, None])
        assert unfit is not None
        self.assertEqual((unfit.rows.tolist(), unfit.texts), ([2, 4], ("nine", "nine")))
        back, none = changed_kind(changed, Kind.TEXT, "n")
        self.assertEqual((back.to_list(), none), (["7", "8", None, None, None], None))

    def test_a_profile_tells_what_is_in_a_column(self) -> None:
        seen = profile(Column.of(["KP-12", "KP-12", " MS-7", "Gannet Head", "Ærø", None]))
        self.assertEqual((seen.rows, seen.blanks, seen.distinct, seen.repeated), (6, 1, 4, 2))
        self.assertEqual((seen.strays, seen.unique, seen.frequent[0]), (1, False, ("KP-12", 2)))
        self.assertEqual(seen.shapes, (("AA-99", 2), (" AA-9", 1), ("Aaaa… Aaaa", 1), ("aaa", 1)))
        self.assertEqual((seen.least, seen.greatest), (" MS-7", "Ærø"))
        days = profile(Column.of([dt.date(2026, 1, 5), dt.date(2026, 3, 1), None]))
        self.assertEqual((days.least, days.greatest), ("2026-01-05", "2026-03-01"))
        self.assertEqual(sum(days.bars), 2)
        self.assertTrue(days.unique)

    def test_a_profile_agrees_with_counting_one_by_one(self) -> None:
        for values in (
            [3, 1, 3, None, 10**15],
            [Decimal("1.50"), Decimal("-2"), Decimal("1.50")],
            [Decimal(10) ** 30, Decimal(1), Decimal(10) ** 30],
            [0.5, -0.0, 0.0, None],
            [True, False, True],
            [],
        ):
            with self.subTest(values=values):
                seen = profile(Column.of(values))
                there = [v for v in values if v is not None]
                self.assertEqual(seen.distinct, len(set(there)))
                self.assertEqual(seen.repeated, sum(there.count(v) > 1 for v in there))
                self.assertEqual(sum(seen.bars), len(there))
        self.assertEqual(profile(from_arrow(pa.nulls(3))).blanks, 3)

    def test_a_profile_of_values_that_are_one_as_doubles(self) -> None:
        for least, greatest in (
            (2**53, 2**53 + 1),
            (-(2**63), 2**63 - 1),
            (Decimal(10**37), Decimal(10**37 + 1)),
            (-float("inf"), float("inf")),
            (-1.7e308, 1.7e308),
        ):
            seen = profile(Column.of([greatest, least, greatest, None]))
            ends = [Column.of([end]).text(0) for end in (least, greatest)]
            self.assertEqual([seen.least, seen.greatest], ends)
            self.assertEqual((seen.distinct, seen.blanks), (2, 1))

    @given(
        cells=st.lists(st.sampled_from(CELLS), min_size=1, max_size=6),
        chosen=st.lists(st.none() | st.sampled_from(list(Kind)), min_size=1, max_size=4),
    )
    def test_choosing_kinds_again_gives_what_reading_anew_gives(
        self, cells: list[str], chosen: list[Kind | None]
    ) -> None:
        rows = [(cell, "1") for cell in cells]
        reading = read_typed(("n", "one"), rows)
        for kind in chosen:
            kinds = {} if kind is None else {"n": kind}
            reading, anew = reading.in_kinds(kinds), read_typed(("n", "one"), rows, kinds=kinds)
            self.assertEqual(list(reading.table.rows()), list(anew.table.rows()))
            self.assertEqual(reading.table.fields[0].kind, anew.table.fields[0].kind)
            self.assertEqual(reading.noticed, anew.noticed)

    def test_kinds_of_typed_texts_can_be_chosen(self) -> None:
        reading = read_typed(("n",), (("1",), ("x",)), kinds={"n": Kind.INTEGER})
        self.assertEqual(reading.table.column("n").to_list(), [1, None])
        self.assertEqual(reading.unfit[0].texts, ("x",))
        layout = TextLayout(dates="month first")
        day = self.read("d\n03/04/2026\n", layout, kinds={"d": Kind.DATE}).table.column("d")
        self.assertEqual(day.to_list(), [dt.date(2026, 3, 4)])
