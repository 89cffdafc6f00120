"""Sources in the document: every sort is saved and read, moved, read again, and compared."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from keen_trellis.base.errors import DocumentError, SourceError
from keen_trellis.data import Kind, Table
from keen_trellis.document import (
    ColumnarSource,
    DelimitedSource,
    FolderSource,
    QuerySource,
    SheetSource,
    TableSource,
    Trellis,
    TypedSource,
    load,
    save,
    source_words,
)
from keen_trellis.document.edits import AddLane, AddLanes, AddTie, FindSources, SetSource, apply
from keen_trellis.document.items import LinkedFields
from keen_trellis.document.storage import dumps, loads
from keen_trellis.layouts.source_layouts import SheetLayout, TextLayout
from keen_trellis.machine.remembered import remember, remembered
from keen_trellis.run import Results, Runner
from keen_trellis.run.changes import Changes, changes, snapshot
from keen_trellis.run.source_reading import read_source
from keen_trellis.servers.server import RowCondition, Server, SqliteFile

SERVER = Server("postgresql", "db.example", "harbour", "reader", password="${HARBOUR}")
EVERY_SORT = (
    DelimitedSource(path="/w/a.csv", layout=TextLayout(delimiter=";", header_row=3, decimal=",")),
    SheetSource(path="/w/a.xlsx", sheet="S", range="R", layout=SheetLayout(merged="filled")),
    FolderSource(path="/w/takings", pattern="2026-*.csv", file_column=None),
    ColumnarSource(path="/w/a.parquet", kinds={"n": Kind.TEXT}),
    TypedSource(columns=("a", "b"), rows=(("1", ""), ("2", "x"))),
    TableSource(
        database=SERVER,
        in_schema="public",
        table="routes",
        columns=("code",),
        conditions=(RowCondition("zone", "=", "Outer"),),
    ),
    QuerySource(database=SqliteFile("/w/a.sqlite"), query="select 1", timeout_s=5),
)


class FlowTestCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name).resolve()
        state = mock.patch.dict(os.environ, XDG_STATE_HOME=str(self.folder / "state"))
        state.start()
        self.addCleanup(state.stop)

    def write(self, name: str, content: str) -> str:
        path = self.folder / name
        path.parent.mkdir(exist_ok=True)
        path.write_text(content)
        return str(path)

    def trellis(self) -> Trellis:
        sailings = self.write("data/sailings.csv", "route,n\nKP,1\nMS,2\nZZ,3\n")
        routes = self.write("data/routes.csv", "code,zone\nKP,Inner\nMS,Outer\n")
        trellis = Trellis()
        for edit in (
            AddLane("Sailings", DelimitedSource(path=sailings)),
            AddLane("Routes", DelimitedSource(path=routes)),
            AddTie("sailings", "routes", (LinkedFields(left="route", right="code"),)),
        ):
            trellis, _ = apply(edit, trellis)
        return trellis


class DocumentTest(FlowTestCase):
    def test_every_sort_of_source_is_saved_and_opened(self) -> None:
        lanes = tuple(AddLane(source.type, source) for source in EVERY_SORT)
        trellis, back = apply(AddLanes(lanes), Trellis())
        self.assertEqual((back.label, len(trellis.lanes)), ("Add 7 lanes", 7))
        self.assertEqual(loads(dumps(trellis), Path("x")), trellis)
        save(trellis, self.folder / "a.trellis")
        self.assertEqual(load(self.folder / "a.trellis"), trellis)
        self.assertEqual(
            [source_words(source) for source in EVERY_SORT],
            [
                "a.csv",
                "a.xlsx › R",
                "takings/2026-*.csv",
                "a.parquet",
                "typed in",
                "harbour on db.example › public.routes",
                "a.sqlite › query",
            ],
        )

    def test_a_document_with_a_password_in_it_is_refused(self) -> None:
        trellis, _ = apply(AddLane("Routes", EVERY_SORT[5]), Trellis())
        text = dumps(trellis).replace("${HARBOUR}", "open-harbour")
        with self.assertRaisesRegex(DocumentError, "does not belong into a document") as caught:
            loads(text, Path("x"))
        self.assertNotIn("open-harbour", str(caught.exception))

    def test_a_document_of_version_1_is_lifted(self) -> None:
        old = Path(__file__).parent / "version-1.trellis"
        trellis = load(old)
        sources = [lane.source for lane in trellis.lanes]
        folder = str(old.parent)
        self.assertEqual(
            sources,
            [
                SheetSource(
                    path=f"{folder}/operations.ods",
                    sheet="Sailings",
                    layout=SheetLayout(header_row=3),
                ),
                TableSource(database=SqliteFile(f"{folder}/harbour.sqlite"), table="routes"),
                DelimitedSource(
                    path=f"{folder}/fares.csv", layout=TextLayout(delimiter=";", header_row=0)
                ),
            ],
        )
        self.assertEqual(json.loads(dumps(trellis))["version"], 3)

    def test_a_document_of_version_2_is_lifted_with_its_kinds_by_their_terms(self) -> None:
        old = Path(__file__).parent / "version-2.trellis"
        trellis = loads(old.read_text(), old)
        sailings, routes = trellis.lanes
        self.assertEqual(sailings.source.kinds, {"passengers": Kind.INTEGER, "skipper": Kind.TEXT})
        self.assertIs(trellis.join("sailings-routes").link[0].compare_as, Kind.INTEGER)
        self.assertEqual(routes.source.kinds, {"kinds": Kind.BOOLEAN})
        assert isinstance(routes.source, TypedSource)  # what was typed in is left as it is
        self.assertEqual(routes.source.rows, (("KP", "yes/no", "whole number"),))


class ReadingAgainTest(FlowTestCase):
    def compared(self, trellis: Trellis, old: Results, runner: Runner) -> Changes:
        results = runner.run(trellis, reread=True)
        return changes(snapshot(old), results, old)

    def test_one_table_in_two_lanes_is_read_once(self) -> None:
        trellis = self.trellis()
        trellis, _ = apply(AddLane("Sailings", trellis.lanes[0].source), trellis)
        with mock.patch(
            "keen_trellis.run.source_cache.read_source", side_effect=read_source
        ) as read:
            results = Runner().run(trellis)
        self.assertEqual(read.call_count, 2)
        self.assertIs(results.readings["sailings"], results.readings["sailings-2"])

    def test_a_renamed_column_is_told_with_its_likely_new_name(self) -> None:
        trellis, runner = self.trellis(), Runner()
        old = runner.run(trellis)
        self.write("data/routes.csv", "zone,area,way\nInner,a,KP\nOuter,b,MS\nOuter,b,ZZ\n")
        found = self.compared(trellis, old, runner)
        routes = next(lane for lane in found.lanes if lane.name == "Routes")
        self.assertEqual((routes.before, routes.now), (2, 3))
        self.assertEqual((routes.gone, routes.come), (("code",), ("area", "way")))
        (broken,) = found.broken
        self.assertIn("the link names “code”, which Routes no longer has", broken.text)
        self.assertEqual(next(r.label for r in broken.repairs), "Take “way” for “code”")
        mended, _ = apply(broken.repairs[0], trellis)
        again = self.compared(mended, old, runner)
        self.assertEqual((again.broken, again.ties[0].now.found), ((), 3))

    def test_files_that_came_and_went_and_other_kinds_are_told(self) -> None:
        self.write("takings/1.csv", "n\n1\n")
        self.write("takings/2.csv", "n\n2\n")
        source = FolderSource(path=str(self.folder / "takings"))
        trellis, _ = apply(AddLane("Takings", source), Trellis())
        runner = Runner()
        old = runner.run(trellis)
        self.assertFalse(self.compared(trellis, old, runner).is_any)
        (self.folder / "takings/1.csv").unlink()
        self.write("takings/3.csv", "n\nx\n")
        (lane,) = self.compared(trellis, old, runner).lanes
        self.assertEqual((lane.files_gone, lane.files_come), (("1.csv",), ("3.csv",)))
        self.assertEqual(lane.other_kind, ("n: text, was integer",))

    def test_the_last_run_is_remembered_without_any_value(self) -> None:
        trellis = self.trellis()
        document = self.folder / "a.trellis"
        self.assertIsNone(remembered(document))
        remember(document, snapshot(Runner().run(trellis)))
        kept = remembered(document)
        assert kept is not None
        self.assertEqual(kept.lanes["sailings"].rows, 3)
        (file,) = (self.folder / "state").rglob("*.json")
        self.assertNotIn("Inner", file.read_text())
        self.write("data/sailings.csv", "route,n\nKP,1\n")
        found = changes(kept, Runner().run(trellis))
        self.assertEqual((found.lanes[0].before, found.lanes[0].now), (3, 1))

    def test_moved_files_are_found_together(self) -> None:
        trellis = self.trellis()
        away = self.folder / "elsewhere"
        (self.folder / "data").rename(away)
        old = trellis.lanes[0].source.place
        found, back = apply(FindSources(old, str(away / "sailings.csv")), trellis)
        self.assertEqual(
            [lane.source.place for lane in found.lanes],
            [str(away / "sailings.csv"), str(away / "routes.csv")],
        )
        self.assertEqual((Runner().run(found).errors(), apply(back, found)[0]), ([], trellis))

    def test_a_way_of_reading_is_changed_and_changed_back(self) -> None:
        trellis = self.trellis()
        source = trellis.lanes[0].source.with_setting("header_row", 0).with_kind("n", Kind.TEXT)
        changed, back = apply(SetSource("sailings", source), trellis)
        table = Runner().run(changed).rows["sailings"]
        assert isinstance(table, Table)
        self.assertEqual(len(table), 4)
        self.assertEqual(apply(back, changed)[0], trellis)

    def test_a_folder_that_vanishes_is_said(self) -> None:
        source = FolderSource(path=str(self.folder / "gone"))
        self.assertEqual(source.stamps(), ())
        with self.assertRaisesRegex(SourceError, "The folder .* is not there"):
            read_source(source)


class CommandLineTest(FlowTestCase):
    def test_a_lane_is_read_from_elsewhere(self) -> None:
        document = self.folder / "a.trellis"
        save(self.trellis(), document)
        other = self.write("other.csv", "route,n\nKP,1\n")
        command = [sys.executable, "-m", "keen_trellis", "run", str(document), "--set"]
        done = subprocess.run([*command, f"Sailings={other}"], capture_output=True, text=True)
        self.assertIn("Sailings: 1 row,", done.stdout)
        wrong = subprocess.run([*command, "Ships=x"], capture_output=True, text=True)
        self.assertEqual(wrong.returncode, 2)
        self.assertIn("names no lane and path. Write LANE=PATH; lanes are: Sailings", wrong.stderr)
