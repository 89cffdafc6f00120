"""A scheduler runs, checks, compares and reports; an auditor reads what came of it."""

import contextlib
import io
import json
import os
import re
import shutil
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import openpyxl
import pypdf
from pydantic import TypeAdapter

from keen_trellis.cli.main import main
from keen_trellis.document import load, save
from keen_trellis.document.edits import SetPromises, apply
from keen_trellis.document.items import Promised
from keen_trellis.machine.history import history
from keen_trellis.run.run_summary import ToldRun, schema

DEMO = Path(__file__).parents[2] / "demo"
VALUES = ("S-0871", "Kelp Pt-Brae", "Ailsa", "Inner", "Tern")


class WithoutAScreen(unittest.TestCase):
    def setUp(self) -> None:
        room = tempfile.TemporaryDirectory()
        self.addCleanup(room.cleanup)
        self.room = Path(room.name)
        shutil.copytree(DEMO, self.room / "demo", ignore=shutil.ignore_patterns("out"))
        self.season = self.room / "demo" / "whole-season.trellis"
        places = {"XDG_STATE_HOME": "state", "XDG_CONFIG_HOME": "config"}
        own = mock.patch.dict(os.environ, {k: str(self.room / v) for k, v in places.items()})
        own.start()
        self.addCleanup(own.stop)

    def run_it(self, *arguments: object) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main([str(one) for one in arguments])
        return code, out.getvalue(), err.getvalue()

    def test_the_match_report_says_every_count_in_every_form(self) -> None:
        for name in ("a.html", "a.pdf", "a.xlsx"):
            code, _, err = self.run_it(
                "check", self.season, "--report", self.room / name, "--for", "the board"
            )
            self.assertEqual((code, err), (0, ""))
        page = (self.room / "a.html").read_text()
        printed = " ".join(
            " ".join(one.extract_text().split())
            for one in pypdf.PdfReader(self.room / "a.pdf").pages
        )
        text = " ".join(re.sub("<[^>]*>", " ", page).split())
        for words in (
            "for the board",
            "Sailings and Routes: 1,207 of 1,209 rows of Sailings found",
            "2 rows of Sailings without Routes",
            "Kelp Pt-Brae = KP-BR",
            "The pier office writes some routes out in full",
            "107,857",
            "The line “all” stands for 1,209 rows. They come from:",
            "The filter on zone reaches Routes, and Sailings through a tie",
        ):
            self.assertIn(words, text)
            self.assertIn(words, printed)
        self.assertIn('<html lang="en">', page)
        self.assertEqual(page.count("<table"), page.count("<caption"))
        self.assertEqual(page.count("<svg"), page.count('role="img"'))
        rows = list(openpyxl.load_workbook(self.room / "a.xlsx").active.values)
        self.assertIn(("Routes", "lane", "from harbour.sqlite", 23), rows)

    def test_without_values_no_value_of_a_source_is_in_it(self) -> None:
        path = self.room / "a.html"
        self.run_it("run", self.season, "--report", path)
        self.assertTrue(all(value in path.read_text() for value in VALUES[:2]))
        self.run_it("run", self.season, "--report", path, "--without-values")
        page = path.read_text()
        for value in VALUES:
            self.assertNotIn(value, page)
        self.assertIn("1,207 of 1,209 rows", page)

    def test_markup_in_a_name_or_note_stays_letters(self) -> None:
        text = self.season.read_text().replace('"Season report"', '"<b>x</b><script>"')
        self.season.write_text(text)
        self.run_it("run", self.season, "--report", self.room / "a.html")
        page = (self.room / "a.html").read_text()
        self.assertNotIn("<script", page)
        self.assertIn("&lt;b&gt;x&lt;/b&gt;", page)

    def test_what_json_tells_has_its_schema_and_two_runs_are_compared(self) -> None:
        first, second = self.room / "1.json", self.room / "2.json"
        first.write_text(self.run_it("run", self.season, "--json")[1])
        TypeAdapter(ToldRun).validate_python(json.loads(first.read_text()), strict=True)
        kept = json.loads((DEMO.parent / "docs" / "run.schema.json").read_text())
        self.assertEqual(kept, schema(), "run `make docs`")
        self.assertEqual(self.run_it("diff", first, first), (0, "Nothing is different.\n", ""))
        fares = self.room / "demo" / "fares.csv"
        lines = fares.read_text().splitlines(keepends=True)
        fares.write_text("".join(lines[:-3]))
        second.write_text(self.run_it("run", self.season, "--json")[1])
        code, said, _ = self.run_it("diff", first, second)
        self.assertEqual(code, 1)
        self.assertIn("Fares: 60 rows read, 63 before.", said)
        code, _, err = self.run_it("diff", first, fares)
        self.assertEqual((code, "it is not JSON" in err), (2, True))
        second.write_text("[1]")
        self.assertIn("it is another JSON", self.run_it("diff", first, second)[2])

    def test_a_broken_promise_and_two_to_one_file_are_told_in_the_json_too(self) -> None:
        trellis = load(self.season)
        broken = SetPromises("sailings-routes", (Promised(what="found"),))
        save(apply(broken, trellis)[0], self.season)
        code, said, _ = self.run_it("check", self.season, "--json")
        told = json.loads(said)
        self.assertEqual(code, 1)
        self.assertEqual(told["ties"][0]["promises"][0]["is_kept"], False)
        self.season.write_text(self.season.read_text().replace("to-mend.csv", "season.csv"))
        code, said, _ = self.run_it("run", self.season, "--deliver", "--json")
        self.assertEqual(code, 2)
        self.assertIn("would both be written", json.loads(said)["errors"][0])

    def test_each_run_is_a_line_of_history_and_a_check_writes_nothing_else(self) -> None:
        self.run_it("check", self.season)
        self.assertFalse((self.room / "demo" / "out").exists())
        (line,) = history(self.season)
        self.assertEqual((line.lanes["routes"], line.ties["sailings-routes"]), (23, (1209, 1207)))
        kept = "".join(p.read_text() for p in (self.room / "state").rglob("*") if p.is_file())
        self.assertFalse([value for value in VALUES if value in kept])

    def test_the_timer_is_shown_and_installed_only_when_that_is_wished(self) -> None:
        odd = self.room / "demo" / 'winter 100% "x" $HOME.trellis'
        shutil.copy(self.season, odd)
        code, said, _ = self.run_it("schedule", odd, "--daily", "6:30")
        self.assertEqual(code, 3)
        self.assertFalse((self.room / "config").exists())
        self.assertIn("OnCalendar=*-*-* 06:30:00", said)
        self.assertIn('winter 100%% \\"x\\" $$HOME.trellis" "--deliver"', said)
        code, said, _ = self.run_it("schedule", odd, "--daily", "6:30", "--yes")
        self.assertEqual(code, 0)
        units = sorted(p.name for p in (self.room / "config" / "systemd" / "user").iterdir())
        (name,) = {unit.rpartition(".")[0] for unit in units}
        self.assertRegex(name, "^keen-trellis-winter-100-x-home-[0-9a-f]{8}$")
        self.assertEqual(units, [f"{name}.service", f"{name}.timer"])
        self.assertIn(f"systemctl --user enable --now {name}.timer", said)
        self.assertEqual(self.run_it("schedule", odd, "--daily", "25:00")[0], 2)
        other = self.room / "other" / odd.name  # another one of that name gets a timer of its own
        shutil.copytree(self.room / "demo", other.parent)
        self.assertEqual(self.run_it("schedule", other, "--daily", "6:30", "--yes")[0], 0)
        self.assertEqual(len(list((self.room / "config" / "systemd" / "user").iterdir())), 4)
        for folder in ("ends with \\", "two\nlines"):
            shutil.copytree(self.room / "demo", self.room / folder)
            code, said, err = self.run_it(
                "schedule", self.room / folder / odd.name, "--daily", "6:30"
            )
            lines = [line for line in said.splitlines() if line.endswith("\\")]
            self.assertEqual((lines, "\n" in folder), ([], "no timer can be told of" in err))

    def test_a_report_of_another_ending_or_place_is_refused_in_a_sentence(self) -> None:
        code, _, err = self.run_it("run", self.season, "--report", self.room / "a.doc")
        self.assertEqual(code, 2)
        self.assertIn("its ending is none of .html, .pdf, .xlsx", err)
        (self.room / "file").write_text("")
        code, _, err = self.run_it("run", self.season, "--report", self.room / "file" / "a.html")
        self.assertEqual((code, "cannot be written" in err), (2, True))
