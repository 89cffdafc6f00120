"""Columns read when somebody first looks: the same cells, kinds and words as if all were read."""

import contextlib
import csv
import datetime as dt
import io
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any, cast

import pyarrow as pa
import pyarrow.parquet as pq
from hypothesis import given, settings
from hypothesis import strategies as st

from keen_trellis.base.errors import SourceError, UserError
from keen_trellis.cli.main import main
from keen_trellis.data import Column, Kind, LateColumn, Table
from keen_trellis.document import Trellis, save
from keen_trellis.document.edits import AddDelivery, AddLane, AddTie, SetPromises, apply
from keen_trellis.document.edits.edit import Edit
from keen_trellis.document.items import LinkedFields, Promised
from keen_trellis.document.sources import ColumnarSource
from keen_trellis.document.trellis_wants import wants
from keen_trellis.machine.approvals import allow
from keen_trellis.read import read_columnar
from keen_trellis.read.reading import Reading
from keen_trellis.run import Runner, make_deliveries
from tests.data.test_arrow_types import NONE_OF_OURS, VALUES, packed
from tests.places.plans import Plans, here, rows_of


def of_type(stored: pa.DataType, cell: st.SearchStrategy[Any]) -> st.SearchStrategy[pa.Array]:
    cells = st.lists(st.none() | cell, min_size=12, max_size=12)
    return cells.map(lambda values: pa.array(values, stored))


EXACT = st.decimals(-(10**12), 10**12, places=3)
ARRAYS = st.one_of(
    of_type(pa.int64(), st.integers(-(2**63), 2**63 - 1)),
    of_type(pa.uint64(), st.integers(0, 2**64 - 1)),
    of_type(pa.int8(), st.integers(-128, 127)),
    of_type(pa.float64(), st.floats()),
    of_type(pa.float32(), st.floats(width=32)),
    of_type(pa.bool_(), st.booleans()),
    of_type(pa.decimal128(20, 3), EXACT),
    of_type(pa.decimal256(60, 3), EXACT),
    of_type(pa.string(), st.text(st.characters(codec="utf-8"), max_size=4)),
    of_type(pa.string(), st.sampled_from(["1", "2.5", "2026-01-31", "x", "", "n/a"])),
    of_type(pa.large_string(), st.sampled_from(["Brae", "Voe"])),
    of_type(pa.binary(), st.binary(max_size=3)),
    of_type(pa.date32(), st.dates()),
    of_type(pa.date32(), st.integers(-(2**31), 2**31 - 1)),
    of_type(pa.timestamp("us"), st.datetimes()),
    of_type(pa.timestamp("us", "UTC"), st.integers(-(2**63), 2**63 - 1)),
    of_type(pa.timestamp("ms"), st.integers(-(2**50), 2**50)),
    of_type(pa.timestamp("ns"), st.integers(-(2**62), 2**62)),
    of_type(pa.time64("ns"), st.integers(0, 86_399 * 10**9 + 7)),
    of_type(pa.time32("s"), st.integers(0, 86_399)),
    of_type(pa.list_(pa.int64()), st.lists(st.integers(0, 3), max_size=2)),
    of_type(pa.null(), st.nothing()),
)
NAMES = ("a", "a.b", "b", "é", "", " a", "A", "a.b.c")
WRITERS = st.fixed_dictionaries(
    {
        "row_group_size": st.sampled_from([1, 5, 100]),
        "use_dictionary": st.booleans(),
        "write_statistics": st.booleans(),
        "store_schema": st.booleans(),
        "version": st.sampled_from(["1.0", "2.6"]),
        "data_page_version": st.sampled_from(["1.0", "2.0"]),
        "compression": st.sampled_from(["none", "snappy", "zstd"]),
    }
)


def looked_at(reading: Reading, order: Callable[[list[str]], None]) -> dict[str, list[Any]]:
    """Look at every column, in some order."""
    names = list(reading.table.columns)
    order(names)
    return {name: list(map(repr, reading.table.column(name).to_list())) for name in names}


class LateColumnsTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.file = self.folder / "rows.parquet"

    def assert_same(self, seed: int = 0) -> Reading:
        whole, late = read_columnar(self.file), read_columnar(self.file, late=True)
        self.assertEqual((), whole.unread)
        kinds = [(field.name, field.kind) for field in late.table.fields]
        self.assertEqual([(field.name, field.kind) for field in whole.table.fields], kinds)
        self.assertEqual(len(whole.table), len(late.table))
        unread = late.unread
        found = looked_at(late, random.Random(seed).shuffle)
        self.assertEqual(looked_at(whole, list.sort), found)
        self.assertEqual((), late.unread)
        self.assertEqual(sorted(whole.notes), sorted(late.notes))
        self.assertEqual(whole.taken_as, late.taken_as)
        return read_columnar(self.file, late=True) if unread else late

    @settings(max_examples=150, deadline=None)
    @given(st.lists(ARRAYS, min_size=1, max_size=6), st.permutations(NAMES), WRITERS, st.data())
    def test_any_file_gives_the_same_in_whatever_order_it_is_looked_at(
        self, arrays: list[pa.Array], names: list[str], writer: dict[str, Any], data: st.DataObject
    ) -> None:
        table = pa.table(arrays, names=names[: len(arrays)])
        n = data.draw(st.sampled_from([0, 1, 12]))
        try:
            pq.write_table(table.slice(0, n), self.file, **writer)
        except (pa.ArrowException, OSError):
            return  # the writer refuses some moments and nulls
        self.assert_same(data.draw(st.integers(0, 9)))

    def test_of_every_type_that_says_its_kind_nothing_is_read_before_a_look(self) -> None:
        for values, types in VALUES.values():
            for stored in types:
                plain = pa.array(values, pa.float32() if stored == pa.float16() else stored)
                for packing, array in packed(plain.cast(stored)).items():
                    try:
                        pq.write_table(pa.table({"x": array, "y": array}), self.file)
                    except pa.ArrowException:
                        continue  # runs, and halves in a dictionary
                    with self.subTest(stored=str(stored), packed=packing):
                        reading = self.assert_same()
                        told = () if stored == pa.decimal256(40, 2) else ("x", "y")
                        self.assertEqual(told, reading.unread)

    def test_what_hangs_on_values_is_read_at_once(self) -> None:
        odd = {
            "bytes": NONE_OF_OURS[0],
            "list": NONE_OF_OURS[4],
            "a struct": pa.array([{"a": "x"}]),
            "far": pa.array([2**62], pa.timestamp("us")),
            "long": pa.array([Decimal(10) ** 50], pa.decimal256(60, 2)),
            "near": pa.array([dt.date(2026, 1, 1)]),
        }
        pq.write_table(pa.table(odd), self.file)
        reading = self.assert_same()
        self.assertEqual(("near",), reading.unread)
        # texts in it are coded like any, which is nobody's concern
        self.assertIn("“a struct” holds values of the type struct<a: string>", str(reading.notes))

    def test_what_was_said_of_a_column_is_said_in_a_chosen_kind_as_well(self) -> None:
        rows = {
            "nan": [float("nan"), 1.5, 2.5],
            "fine": pa.array([1, 2_000, 3], pa.timestamp("ns")),
            "text": ["1", "2", "x"],
            "exact": [Decimal("1.50"), None, Decimal("2.25")],
        }
        pq.write_table(pa.table(rows), self.file)
        for kind in Kind:
            for name in rows:
                with self.subTest(kind=kind, name=name):
                    whole, late = (
                        read_columnar(self.file, kinds={name: kind}, late=late)
                        for late in (False, True)
                    )
                    self.assertNotIn(name, late.unread)
                    cells = [one.table.column(name).to_list() for one in (whole, late)]
                    self.assertEqual(repr(cells[0]), repr(cells[1]))
                    looked_at(late, list.sort)
                    self.assertEqual(sorted(whole.notes), sorted(late.notes))
                    self.assertEqual(repr(whole.unfit), repr(late.unfit))

    def test_two_columns_of_one_name_are_read_at_once_and_told_apart(self) -> None:
        twice = pa.table([pa.array([1]), pa.array(["x"]), pa.array([2])], names=["a", "b", "a"])
        pq.write_table(twice, self.file)
        reading = self.assert_same()
        self.assertEqual(("a", "b", "a 2"), reading.table.columns)
        self.assertEqual((), reading.unread)

    def test_parts_of_a_large_file_stand_in_their_order(self) -> None:
        n = 250_000
        rows = {"n": pa.array(range(n)), "t": pa.array([f"T{i % 7}" for i in range(n)])}
        pq.write_table(pa.table(rows), self.file, row_group_size=40_000)
        late = read_columnar(self.file, late=True).table
        self.assertEqual(list(range(n)), late.column("n").to_list())
        self.assertEqual([f"T{i % 7}" for i in range(n)], late.column("t").to_list())

    def test_a_file_written_to_since_is_refused_and_not_mixed(self) -> None:
        pq.write_table(pa.table({"a": [1, 2], "b": [3, 4]}), self.file)
        late = read_columnar(self.file, late=True).table
        self.assertEqual([1, 2], late.column("a").to_list())
        pq.write_table(pa.table({"a": [5, 6], "b": [7, 8]}), self.file)
        for _ in range(2):  # asked again, it says so again
            with self.assertRaisesRegex(SourceError, "written to while it was read"):
                late.column("b")
        self.assertEqual([1, 2], late.column("a").to_list())

    def test_a_column_that_is_damaged_harms_only_who_looks_at_it(self) -> None:
        rows = pa.table({"a": list(range(1000)), "b": [f"text {i}" for i in range(1000)]})
        pq.write_table(rows, self.file, compression="none", use_dictionary=False)
        place = pq.ParquetFile(self.file).metadata.row_group(0).column(1).data_page_offset
        with self.file.open("r+b") as file:
            file.seek(place)
            file.write(b"\xff" * 40)
        with self.assertRaises(SourceError):
            read_columnar(self.file)
        late = read_columnar(self.file, late=True).table
        self.assertEqual(list(range(1000)), late.column("a").to_list())
        with self.assertRaisesRegex(SourceError, "damaged"):
            late.column("b")

    def test_a_footer_over_which_arrow_ends_its_process_is_a_sentence(self) -> None:
        # in a process of its own, which would be ended otherwise
        rows = pa.table({"t": ["a", None, "b"]})
        pq.write_table(
            rows, self.file, compression="none", use_dictionary=False, store_schema=False
        )
        whole = self.file.read_bytes()
        changes = ((-131, 36), (-130, 3), (-130, 0), (-130, 18), (-130, 66), (-66, 9), (-65, 70))
        for number, (place, value) in enumerate(changes):
            damaged = bytearray(whole)
            damaged[place] = value
            (self.folder / f"{number}.parquet").write_bytes(damaged)
        done = subprocess.run(
            [sys.executable, "-c", _READS_ALL, str(self.folder)],
            capture_output=True,
            text=True,
            env={**os.environ, "PYTHONPATH": os.pathsep.join(sys.path)},
        )
        self.assertEqual((0, "3\n"), (done.returncode, done.stdout.split("rows.parquet ")[1][:2]))
        self.assertEqual(2 * len(changes) + 1, done.stdout.count("\n"), done.stdout + done.stderr)

    @settings(max_examples=100, deadline=None)
    @given(st.integers(0, 10**9))
    def test_every_plan_gives_the_same_of_tables_that_come_late(self, seed: int) -> None:
        plans = Plans(random.Random(seed))
        node = plans.node(plans.chance.choice([1, 2, 3]))
        late = {name: come_late(table) for name, table in plans.tables.items()}
        given_now, given_late = outcome(node, plans.tables), outcome(node, late)
        self.assertEqual(given_now, given_late)


_READS_ALL = """
import sys
from pathlib import Path
from keen_trellis.base.errors import SourceError
from keen_trellis.read import read_columnar
for path in sorted(Path(sys.argv[1]).glob("*.parquet"), reverse=True):
    for late in (False, True)[: 1 if path.stem == "rows" else 2]:
        try:
            table = read_columnar(path, late=late).table
            print(path.name, len(table) and len(table.fetched()) and len(table))
        except SourceError as error:
            print(path.name, error)
"""


def come_late(table: Table) -> Table:
    def told(column: Column) -> LateColumn:
        return LateColumn(column.kind, len(column), lambda: (column, ()))

    return Table.of({field.name: told(table.fetch(field)) for field in table.fields})


def outcome(node: Any, tables: dict[str, Table]) -> Any:
    try:
        made = rows_of(here(node, tables, {}))
    except UserError as error:
        return str(error)
    return [(f.name, f.kind) for f in made.fields], list(map(repr, made.rows()))


class LateRunsTest(unittest.TestCase):
    """A run without a window over two files, of which it needs few columns."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.sailings, self.routes = (self.folder / f"{n}.parquet" for n in ("sailings", "routes"))
        self.document, self.written = self.folder / "a.trellis", self.folder / "out.csv"
        sailings = {
            "route": ["KP-MS", "ZZ-00", "KP-MS"],
            "fuel": [1.5, float("nan"), 2.0],
            "note": ["late", None, ""],
            "crew": [4, 5, 6],
            "log": ["1", "2", "3"],
            "berth": [7, 8, 9],
        }
        pq.write_table(pa.table(sailings), self.sailings)
        pq.write_table(pa.table({"code": ["KP-MS"], "zone": ["Inner"]}), self.routes)
        self.trellis = Trellis()
        for name, path in (("Sailings", self.sailings), ("Routes", self.routes)):
            self.do(AddLane(name, ColumnarSource(path=str(path))))
        self.do(AddTie("sailings", "routes", (LinkedFields(left="route", right="code"),)))

    def do(self, edit: Edit) -> None:
        self.trellis, _ = apply(edit, self.trellis)

    def told(self, *words: str) -> dict[str, Any]:
        save(self.trellis, self.document)
        allow(self.document, [want.key for want in wants(self.trellis, self.document)])
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.code = main(["run", str(self.document), "--json", *words])
        return cast("dict[str, Any]", json.loads(out.getvalue()))

    def notes(self, *words: str) -> list[list[str]]:
        return [one["notes"] for one in self.told(*words)["sources"]]

    def test_counts_read_the_links_alone_and_say_what_was_not_read(self) -> None:
        notes = self.notes()
        unread = "Not read, since nothing looks there: “fuel”, “note”, “crew” and 2 more columns."
        self.assertEqual([[unread], ["Not read, since nothing looks there: “zone”."]], notes)

    def test_a_match_report_shows_rows_and_is_told_of_all_of_them(self) -> None:
        page = self.folder / "report.html"
        (sailings, routes) = self.notes("--report", str(page))
        self.assertEqual([], routes)
        self.assertRegex(sailings[0], "1 value of “fuel” is NaN")
        self.assertIn(sailings[0], page.read_text())
        self.assertNotIn("Not read", page.read_text())

    def test_columns_that_were_not_read_are_not_counted_as_read(self) -> None:
        self.told()
        with contextlib.redirect_stdout(io.StringIO()) as out:
            main(["run", str(self.document)])
        self.assertIn("Sailings: 3 rows, 1 column read\n", out.getvalue())

    def test_what_is_delivered_is_read_and_told_of_like_all_that_is_read(self) -> None:
        whole = Runner().run(self.trellis)
        self.do(AddDelivery("sailings", "Out", str(self.written)))
        notes = self.notes("--deliver")
        self.assertEqual([list(one.notes) for one in whole.facts.lanes.values()], notes)
        self.assertRegex(notes[0][0], "1 value of “fuel” is NaN")
        rows = list(csv.reader(self.written.read_text().splitlines()))
        self.assertEqual(["KP-MS", "1.5", "late", "4", "1", "7", "Inner"], rows[1])

    def test_a_file_that_is_written_to_between_stops_what_would_mix_two_of_them(self) -> None:
        self.do(AddDelivery("sailings", "Out", str(self.written)))
        results = Runner(late=True).run(self.trellis)
        shutil.copy(self.routes, self.sailings)
        with self.assertRaisesRegex(SourceError, "written to while"):
            make_deliveries(results)
        self.assertFalse(self.written.exists())

    def test_a_promise_of_a_column_that_cannot_be_read_is_not_kept_and_says_why(self) -> None:
        total = Promised(what="same total", side="left", column="crew")
        self.do(SetPromises("sailings-routes", (total,)))
        self.assertTrue(self.told()["ties"][0]["promises"][0]["is_kept"])
        place = pq.ParquetFile(self.sailings).metadata.row_group(0).column(3).data_page_offset
        with self.sailings.open("r+b") as file:
            file.seek(place)
            file.write(b"\xff" * 8)
        with contextlib.redirect_stderr(io.StringIO()) as errors:
            (promise,) = self.told()["ties"][0]["promises"]
        self.assertEqual((False, 1), (promise["is_kept"], self.code))
        self.assertRegex(promise["says"], "sailings.parquet cannot be read")
        self.assertNotIn("..", errors.getvalue())
