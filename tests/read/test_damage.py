"""Whatever bytes a file holds: it is read, or refused with a sentence."""

import io
import os
import random
import shutil
import sqlite3
import struct
import subprocess
import sys
import tempfile
import threading
import time
import zipfile
from collections.abc import Callable
from pathlib import Path
from unittest import mock

import openpyxl
import pyarrow as pa
import pyarrow.feather as feather
import pyarrow.parquet as pq
from hypothesis import given
from hypothesis import strategies as st

from keen_trellis.base.errors import SourceError
from keen_trellis.base.progress import Cancelled, quiet
from keen_trellis.data.profile import profile
from keen_trellis.document import DelimitedSource
from keen_trellis.read import (
    Reading,
    apart,
    database_tables,
    read_columnar,
    read_delimited,
    read_sheet,
    read_table,
    sheet_names,
    workbook_parts,
)
from keen_trellis.run.source_reading import read_source
from keen_trellis.servers.server import SqliteFile
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
                        read_source(DelimitedSource(path=str(path)).mended(noticed.remedy))

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

    def test_a_workbook_whose_parts_are_encrypted_is_said_to_be_protected(self) -> None:
        self.make()
        whole = bytearray((self.folder / "a.xlsx").read_bytes())
        for sign, place in (
            (b"PK\x03\x04", 6),
            (b"PK\x01\x02", 8),
        ):  # where each part has its flags
            found = whole.find(sign)
            while found >= 0:
                whole[found + place] |= 1
                found = whole.find(sign, found + 4)
        (self.folder / "a.xlsx").write_bytes(whole)
        with self.refused("protected in a way that cannot be read"):
            read_sheet(self.folder / "a.xlsx", "Sheet")

    def test_a_damaged_file_is_read_or_refused(self) -> None:
        chance = random.Random(7)
        for original, read in self.make().items():
            whole = original.read_bytes()
            refused = 0
            for number in range(6 if original.suffix == ".ods" else 24):
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


class ApartTest(SourceTestCase):
    """A file that takes all memory, or ends whoever parses it, costs a sentence and no more."""

    def test_a_sound_workbook_is_read_whatever_its_name_says(self) -> None:
        binary = self.folder / "days.xlsb"
        binary.write_bytes(xlsb([["route", "riders"], ["KP-MS", 98.0], ["KP-BR", 12.5]]))
        reading = read_sheet(binary, sheet_names(binary)[0])
        self.assertEqual(list(reading.table.rows()), [("KP-MS", 98.0), ("KP-BR", 12.5)])
        called = self.folder / "operations.xlsx"
        shutil.copy(DEMO / "operations.ods", called)
        sheet = sheet_names(called)[0]
        self.assertEqual(
            list(read_sheet(called, sheet).table.rows()),
            list(read_sheet(DEMO / "operations.ods", sheet).table.rows()),
        )

    def test_cells_that_lie_far_apart_are_refused_however_they_are_written(self) -> None:
        path = self.folder / "far.xlsx"
        for quote, note in (("'", ""), ('"', ""), ('"', "<!-- <row r='1'> -->")):
            cells = (
                f'{note}<row r="1"><c r="A1"><v>1</v></c></row>'
                '<row r="1048576"><c r="XFD1048576"><v>2</v></c></row>'
            )
            path.write_bytes(xlsx(cells.replace('"', quote)))
            with self.refused("as far apart as A1 and XFD1048576", "Delete the rows and columns"):
                read_sheet(path, "S")
        path.write_bytes(
            xlsx(
                "<row r='1'><c r='A1' t='str'><v>code</v></c></row>"
                "<row r='2'><c r='A2' t='str'><v>K</v></c></row>"
                "<row r='3'><c r='A3' t='e'><v>#N/A</v></c></row>"
                "<row r='4'><c r='A4' t='str'><v>M</v></c></row>"
            )
        )
        self.assertIn("1 cell holds an error", " ".join(read_sheet(path, "S").notes))

    def test_a_sheet_costs_what_is_in_it_however_far_its_last_cell_lies(self) -> None:
        row = "<row r='{row}'><c r='{column}{row}' {cell}</v></c></row>"
        first = row.format(row=1, column="A", cell="t='str'><v>code")
        first += row.format(row=2, column="A", cell="><v>1")
        path = self.folder / "far.xlsx"
        for column, last, columns in (("A", 1_048_576, 1), ("Z", 1_048_576, 2), ("XFD", 30, 2)):
            number = row.format(row=last - 1, column=column, cell="><v>2")
            error = row.format(row=last, column=column, cell="t='e'><v>#N/A")
            path.write_bytes(xlsx(first + number + error))
            reading = read_sheet(path, "S")
            self.assertEqual((len(reading.table), len(reading.table.columns)), (2, columns))
            self.assertIn("1 cell holds an error", " ".join(reading.notes))

    def test_a_parser_that_stands_still_or_is_left_alone_ends(self) -> None:
        path = self.folder / "still.arrow"
        path.write_bytes(b"ARROW1")
        sleeps = self.folder / "sleeps.py"
        sleeps.write_text("import time\ntime.sleep(600)\n")
        with (
            mock.patch.object(apart, "_STILL_S", 0.3),
            mock.patch.object(apart.parser_process, "__file__", str(sleeps)),
            self.refused("still.arrow cannot be read", "stood still"),
        ):
            list(apart.parsed_apart(path, "arrow", "-1", report=quiet, doing=""))
        sleeps.write_text("import time\ntime.sleep(1)\n")
        with (  # where nothing is told of processes, nobody can say that one stands still
            mock.patch.object(apart, "_STILL_S", 0.3),
            mock.patch.object(apart, "_work_of", return_value=None),
            mock.patch.object(apart.parser_process, "__file__", str(sleeps)),
            self.refused("still.arrow cannot be read", "ends the program|more than"),
        ):
            list(apart.parsed_apart(path, "arrow", "-1", report=quiet, doing=""))

        pipe = self.folder / "pipe"  # it waits there for ever, whoever started it
        os.mkfifo(pipe)
        parser = Path(apart.parser_process.__file__)
        starts = (
            "import os, subprocess, sys, time\n"
            f"file = os.open({str(pipe)!r}, os.O_RDWR)\n"
            f"command = [sys.executable, '-I', {str(parser)!r}, str(os.getpid()), str(1 << 32)]\n"
            "command += ['60', 'arrow', str(file), '-1']\n"
            "child = subprocess.Popen(command, pass_fds=(file,), stdout=subprocess.PIPE)\n"
            "time.sleep(0.5); print(child.pid, flush=True); time.sleep(600)\n"
        )
        program = subprocess.Popen(
            [sys.executable, "-c", starts], stdout=subprocess.PIPE, text=True
        )
        assert program.stdout is not None
        with program.stdout as said:
            child = Path(f"/proc/{int(said.readline())}")
            self.assertTrue(child.exists())
            program.kill()
            program.wait()
        for _ in range(50):
            if not child.exists() or "(zombie)" in (child / "status").read_text():
                return
            time.sleep(0.1)
        self.fail("the parser goes on alone")

    def test_entities_of_a_sheet_are_not_followed(self) -> None:
        path = self.folder / "entities.xlsx"
        bomb = '<!DOCTYPE w [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;">]>'
        path.write_bytes(xlsx("<row r='1'><c r='A1'><v>1</v></c></row>", before=bomb))
        with self.refused("entities.xlsx is damaged", "save it anew"):
            read_sheet(path, "S")

    def test_no_more_memory_is_taken_than_a_file_of_its_size_needs(self) -> None:
        path = self.folder / "many.xlsx"
        path.write_bytes(xlsx('<row><c t="str"><v>text</v></c></row>' * 600_000))
        with (
            mock.patch.object(apart, "_all_memory", return_value=100 << 20),
            self.refused("many.xlsx cannot be read: it needs more than 100 MB", "delimited text"),
        ):
            read_sheet(path, "S")

    def test_stopping_ends_the_parser_at_once(self) -> None:
        path = self.folder / "many.xlsx"
        path.write_bytes(xlsx('<row><c t="str"><v>text</v></c></row>' * 600_000))
        told: list[str] = []

        def report(_: float, doing: str) -> None:
            told.append(doing)
            if told.count("Reading many.xlsx") > 4:
                raise Cancelled

        with self.assertRaises(Cancelled):
            read_sheet(path, "S", report=report)
        children = Path(f"/proc/self/task/{threading.get_native_id()}/children").read_text()
        self.assertEqual(children, "")

    def test_files_without_rows_are_tables_without_rows(self) -> None:
        nothing = pa.table({"a": pa.array([], pa.int64())})
        pq.write_table(nothing, self.folder / "e.parquet")
        feather.write_feather(nothing, self.folder / "e.feather")
        with pa.OSFile(str(self.folder / "e.arrows"), "wb") as file:
            pa.ipc.new_stream(file, nothing.schema).close()
        for name in ("e.parquet", "e.feather", "e.arrows"):
            table = read_columnar(self.folder / name).table
            self.assertEqual((table.columns, len(table)), (("a",), 0))


_RELATIONS = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_PACKAGE = "http://schemas.openxmlformats.org/package/2006"
_MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"


def _packed(ending: str, workbook: bytes, sheet: bytes) -> bytes:
    """Return a workbook with one sheet, of XML or binary parts."""

    def related(kind: str, target: str) -> str:
        return (
            f'<Relationships xmlns="{_PACKAGE}/relationships"><Relationship Id="rId1" '
            f'Type="{_RELATIONS}/{kind}" Target="{target}"/></Relationships>'
        )

    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("[Content_Types].xml", f'<Types xmlns="{_PACKAGE}/content-types"/>')
        archive.writestr("_rels/.rels", related("officeDocument", f"xl/workbook.{ending}"))
        archive.writestr(
            f"xl/_rels/workbook.{ending}.rels", related("worksheet", f"worksheets/sheet1.{ending}")
        )
        archive.writestr(f"xl/workbook.{ending}", workbook)
        archive.writestr(f"xl/worksheets/sheet1.{ending}", sheet)
    return packed.getvalue()


def xlsx(rows: str, before: str = "") -> bytes:
    """Return a workbook whose one sheet, S, holds rows as they are written."""
    workbook = (
        f'<workbook xmlns="{_MAIN}" xmlns:r="{_RELATIONS}"><sheets>'
        '<sheet name="S" sheetId="1" r:id="rId1"/></sheets></workbook>'
    )
    sheet = f'{before}<worksheet xmlns="{_MAIN}"><sheetData>{rows}</sheetData></worksheet>'
    return _packed("xml", workbook.encode(), sheet.encode())


def xlsb(rows: list[list[str | float]]) -> bytes:
    """Return a binary workbook with one sheet (MS-XLSB, 2.1.4: records of type, length, data)."""

    def record(kind: int, data: bytes = b"") -> bytes:
        kinds = bytes([kind]) if kind < 128 else bytes([kind & 127 | 128, kind >> 7])
        low, high = len(data) & 127, len(data) >> 7
        return kinds + (bytes([low | 128, high]) if high else bytes([low])) + data

    def wide(text: str) -> bytes:
        return struct.pack("<I", len(text)) + text.encode("utf-16-le")

    named = struct.pack("<II", 0, 1) + wide("rId1") + wide("Days")
    workbook = record(131) + record(143) + record(156, named) + record(144) + record(132)
    size = struct.pack("<IIII", 0, len(rows) - 1, 0, len(rows[0]) - 1)
    sheet = record(129) + record(148, size) + record(145)
    for number, row in enumerate(rows):
        sheet += record(0, struct.pack("<IIHBBBI", number, 0, 300, 0, 0, 0, 0))
        for place, value in enumerate(row):
            at = struct.pack("<II", place, 0)
            if isinstance(value, str):
                sheet += record(6, at + wide(value))
            else:
                sheet += record(5, at + struct.pack("<d", value))
    return _packed("bin", workbook, sheet + record(146) + record(130))
