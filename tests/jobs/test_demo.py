"""The whole job on the demo world, from the command line: read, tie, count, deliver."""

import json
import os
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import unittest
from collections import Counter
from pathlib import Path

from keen_trellis.data import Table
from keen_trellis.read import read_delimited, read_sheet, read_table
from keen_trellis.servers.server import SqliteFile

DEMO = Path(__file__).parents[2] / "demo"
TRELLIS = DEMO / "winter-season.trellis"


def keen_trellis(*arguments: str | Path, **more: str) -> subprocess.CompletedProcess[str]:
    """Run the command line as a person or a scheduler does."""
    return subprocess.run(
        [sys.executable, "-m", "keen_trellis", *map(str, arguments)],
        capture_output=True,
        text=True,
        check=False,
        env={**os.environ, **more},
    )


class FlawsTest(unittest.TestCase):
    """Each flaw that the demo promises is in its data."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.operations = {
            name: read_sheet(DEMO / "operations.ods", name)
            for name in ("Sailings", "Vessels", "Crew")
        }
        cls.sailings = cls.operations["Sailings"].table
        cls.routes = read_table(SqliteFile(str(DEMO / "harbour.sqlite")), "routes").table
        cls.takings = {p: read_delimited(p).table for p in sorted(DEMO.glob("takings/*.csv"))}

    def test_link_values_differ_by_spaces_case_and_short_names(self) -> None:
        routes = Counter(self.sailings.column("route").to_list())
        self.assertEqual([routes["KP-MS "], routes["kp-ms"], routes["ZZ-00"]], [2, 1, 1])
        self.assertEqual((routes["Kelp Pt-Brae"], routes[None]), (4, 1))

    def test_rows_on_either_side_have_no_partner(self) -> None:
        sailed = set(self.sailings.column("route").to_list())
        codes = set(self.routes.column("code").to_list())
        self.assertEqual(codes - sailed, {"GH-BR", "TO-BR"})
        self.assertIn("ZZ-00", sailed - codes)

    def test_a_lookup_repeats_and_numbers_are_kept_as_text(self) -> None:
        vessels = Counter(self.operations["Vessels"].table.column("vessel").to_list())
        self.assertEqual(vessels.most_common(1), [("Sallow Queen", 2)])
        crew = self.operations["Crew"].table
        self.assertIsInstance(crew.column("id").to_list()[9], int)
        self.assertIsInstance(crew.column("mentor id").to_list()[9], str)

    def test_titles_stand_above_headers_and_one_file_has_its_columns_in_another_order(self) -> None:
        self.assertEqual(self.operations["Sailings"].taken_as, "header in row 3")
        budget = read_sheet(DEMO / "budget.xlsx", "Budget")
        self.assertEqual(budget.taken_as, "header in row 3")
        self.assertEqual(budget.table.column("month").to_list()[-1], "total")
        orders = {table.columns for table in self.takings.values()}
        self.assertEqual(len(orders), 2)
        self.assertEqual(len({tuple(sorted(order)) for order in orders}), 1)

    def test_names_are_spelled_out_shortened_and_apart(self) -> None:
        names = {n for t in self.takings.values() for n in t.column("route").to_list()}
        for spelled in ("Kelp Point - Marrow Sound", "Kelp Pt - Marrow Snd", None):
            self.assertIn(spelled, names)
        roster = read_delimited(DEMO / "roster.csv").table
        self.assertLessEqual({"first name", "last name"}, set(roster.columns))
        warnings = read_delimited(DEMO / "warnings.csv").table
        self.assertIn("outer ", warnings.column("zone").to_list())
        self.assertEqual(len(read_delimited(DEMO / "fares.csv").table), 63)

    def test_all_of_it_is_small(self) -> None:
        size = sum(p.stat().st_size for p in DEMO.rglob("*") if "out" not in p.parts)
        self.assertLess(size, 1_000_000)


class CommandLineTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.demo = Path(folder.name) / "demo"
        shutil.copytree(DEMO, self.demo, ignore=shutil.ignore_patterns("out"))
        self.trellis = self.demo / TRELLIS.name

    def test_the_counts_are_those_that_sql_finds_over_the_same_rows(self) -> None:
        done = keen_trellis("run", self.trellis, "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        tie = json.loads(done.stdout)["ties"][0]
        with sqlite3.connect(self.demo / "harbour.sqlite") as database:
            database.execute("create temp table sailings (route text)")
            sailings = read_sheet(self.demo / "operations.ods", "Sailings").table
            values = [(route,) for route in sailings.column("route").to_list()]
            database.executemany("insert into sailings values (?)", values)

            def ask(query: str) -> int:
                return int(database.execute(query).fetchone()[0])

            pairs = ask("select count(*) from sailings join routes on route = code")
            found = ask("select count(*) from sailings where route in (select code from routes)")
            unused = ask(
                "select count(*) from routes where code not in "
                "(select route from sailings where route is not null)"
            )
            outer = ask("select count(*) from sailings left join routes on route = code")
        database.close()
        self.assertEqual(tie["pairs"], pairs)
        self.assertEqual(tie["left"]["found"], found)
        self.assertEqual(tie["right"]["not_found"], unused)
        self.assertEqual((tie["join"], tie["rows"]), ("left outer", outer))

    def test_two_runs_deliver_the_same_bytes_and_touch_no_source(self) -> None:
        sources = {p: p.read_bytes() for p in self.demo.rglob("*.*") if p.is_file()}
        delivered = []
        for replaced in (False, True):
            done = keen_trellis("run", self.trellis, "--deliver")
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertEqual("in place of what was there" in done.stdout, replaced)
            delivered.append((self.demo / "out" / "season.csv").read_bytes())
        self.assertEqual(delivered[0], delivered[1])
        self.assertEqual({p: p.read_bytes() for p in sources}, sources)
        made = sorted(p.name for p in (self.demo / "out").iterdir())
        self.assertEqual(made, ["season.csv", "season.xlsx"])
        rows = read_delimited(self.demo / "out" / "season.csv").table
        self.assertIsInstance(rows, Table)
        self.assertIn(f"{len(rows):,} rows to", done.stdout)

    def test_without_the_wish_nothing_is_written(self) -> None:
        done = keen_trellis("run", self.trellis)
        self.assertIn("not written (ask with --deliver)", done.stdout)
        self.assertFalse((self.demo / "out").exists())

    def test_bad_input_is_a_sentence_on_stderr_and_exit_2(self) -> None:
        (self.demo / "broken.trellis").write_text("{")
        harbour = self.demo / "harbour.sqlite"
        harbour.rename(self.demo / "elsewhere.sqlite")
        for arguments, words in (
            (("run", self.trellis), "harbour.sqlite is not there"),
            (("run", self.trellis, "--deliver"), "harbour.sqlite is not there"),
            (("run", self.demo / "broken.trellis"), "is not a trellis that can be opened"),
            (("describe", self.demo / "gone.trellis"), "gone.trellis cannot be opened"),
            (("run", DEMO / "roster.csv"), "roster.csv is not a trellis"),
        ):
            with self.subTest(words=words):
                done = keen_trellis(*arguments)
                self.assertEqual(done.returncode, 2)
                self.assertIn(words, done.stderr)
                self.assertNotIn("Traceback", done.stderr)
        self.assertFalse((self.demo / "out").exists())

    def test_a_scheduler_reads_what_happened(self) -> None:
        done = keen_trellis("run", self.trellis, "--json", "--deliver")
        told = json.loads(done.stdout)
        self.assertEqual(told["trellis"], "Winter season")
        self.assertEqual([s["rows"] for s in told["sources"]], [1209, 23, 11, 1577, 4])
        second = told["ties"][1]
        self.assertEqual((second["left"]["lane"], second["right"]["lane"]), ("Sailings", "Vessels"))
        self.assertEqual(second["rows"], second["pairs"] + second["left"]["not_found"])
        self.assertGreater(second["left"]["multiplied"], 0)
        for delivery in told["deliveries"]:
            self.assertTrue(delivery["written"])
            self.assertTrue(Path(delivery["path"]).exists())
        self.assertEqual(told["errors"], [])
        (self.demo / "harbour.sqlite").unlink()
        failed = keen_trellis("run", self.trellis, "--json")
        self.assertIn("harbour.sqlite is not there", json.loads(failed.stdout)["errors"][0])

    def test_a_trellis_is_described_without_reading_anything(self) -> None:
        for source in ("operations.ods", "harbour.sqlite"):
            (self.demo / source).unlink()
        done = keen_trellis("describe", self.trellis)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("Lane Routes reads harbour.sqlite › routes.", done.stdout)
        self.assertIn("take every match in Routes where route equals code", done.stdout)

    def test_without_a_display_the_window_says_so(self) -> None:
        done = keen_trellis(
            "open", self.trellis, DISPLAY="", WAYLAND_DISPLAY="", QT_QPA_PLATFORM=""
        )
        self.assertEqual(done.returncode, 2)
        self.assertIn("no display", done.stderr)
