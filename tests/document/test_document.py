"""A trellis is saved whole, opened as it was, changed and changed back."""

import json
import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from dataclasses import replace
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from keen_trellis.base.errors import DocumentError, EditError
from keen_trellis.document import (
    DelimitedSource,
    SheetSource,
    TableSource,
    Trellis,
    describe,
    load,
    save,
)
from keen_trellis.document.edits import (
    AddDelivery,
    AddLane,
    AddReport,
    AddStack,
    AddTie,
    Edit,
    InsertItem,
    MoveBehind,
    MoveLane,
    RemoveItem,
    RemoveLane,
    RemoveLinkField,
    RemoveReport,
    RenameLane,
    RenameLinkField,
    RenameTrellis,
    SetBay,
    SetColumns,
    SetDelivery,
    SetItem,
    SetKeep,
    SetLink,
    TakeLink,
    apply,
    report_at,
)
from keen_trellis.document.items import (
    ConditionItem,
    DeliveryItem,
    FilterItem,
    LinkedFields,
    WantedColumns,
)
from keen_trellis.document.storage import dumps, loads, schema
from keen_trellis.layouts.source_layouts import TextLayout
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.link import Link, LinkField, OrderField, Pair
from keen_trellis.servers.server import SqliteFile

FILTER = FilterItem(
    id="sailings-filter",
    conditions=(ConditionItem(column="route", is_="in", values=("KP-BR", "KP-MS")),),
)
LINK = (LinkedFields(left="route", right="code"),)
RICH = Link(
    fields=(LinkField("route", "code"), LinkField("date", "day", "nearest earlier", True, 30.0)),
    text=("case",),
    blanks="match",
    partner="last",
    partner_for="right",
    order=(OrderField("date", descending=True),),
    pairs=(Pair("Kelp Pt-Brae", "KP-BR"),),
)


def built(*edits: Edit) -> Trellis:
    trellis = Trellis()
    for edit in edits:
        trellis, _ = apply(edit, trellis)
    return trellis


SEASON = built(
    RenameTrellis("Winter season"),
    AddLane("Sailings", SheetSource(path="/work/season/operations.ods", sheet="Sailings")),
    AddLane(
        "Routes", TableSource(database=SqliteFile("/work/season/harbour.sqlite"), table="routes")
    ),
    AddLane("Fares", DelimitedSource(path="/work/fares.csv", layout=TextLayout(delimiter=";"))),
    AddTie("sailings", "routes", LINK),
    AddDelivery("sailings", "Report", "/work/season/out/report.csv"),
)


class EditTest(unittest.TestCase):
    """Each change does what it says, and can be taken back."""

    EDITS = st.one_of(
        st.builds(RenameTrellis, st.just("Summer season")),
        st.builds(AddLane, st.just("Routes"), st.just(DelimitedSource(path="/work/r.csv"))),
        st.builds(RenameLane, st.just("routes"), st.sampled_from(["Ways", "Sailings", "  "])),
        st.builds(RemoveLane, st.sampled_from(["fares", "routes"])),
        st.builds(MoveLane, st.just("fares"), st.integers(0, 2)),
        st.builds(
            AddTie, st.just("sailings"), st.sampled_from(["fares", "sailings"]), st.just(LINK)
        ),
        st.builds(SetLink, st.just("sailings-routes"), st.just(LINK * 2)),
        st.builds(SetBay, st.just("sailings-routes"), st.sampled_from(list(Bay)), st.booleans()),
        st.builds(TakeLink, st.just("sailings-routes"), st.just(RICH)),
        st.builds(SetColumns, st.just("sailings-routes"), st.just(WantedColumns(right=("zone",)))),
        st.builds(SetKeep, st.just("sailings-routes"), st.just((Bay.LEFT, Bay.RIGHT))),
        st.builds(
            SetDelivery,
            st.builds(
                DeliveryItem,
                id=st.just("report"),
                name=st.sampled_from(["Rows", " "]),
                path=st.sampled_from(["/work/rows.xlsx", "/work/r.csv"]),
                beside=st.sampled_from([(), ("left", "report")]),
            ),
        ),
        st.builds(
            AddReport, st.builds(report_at, st.just("sailings"), st.none(), st.just("Season"))
        ),
        st.just(RemoveReport("season")),
        st.builds(RemoveItem, st.sampled_from(["report", "sailings-routes", "sailings-stack"])),
        st.builds(AddStack, st.just("sailings"), st.sampled_from([("fares",), ("fares",) * 2])),
        st.builds(AddStack, st.just("fares"), st.just(("sailings",))),
        st.builds(
            InsertItem,
            st.just("sailings"),
            st.sampled_from(["sailings", "sailings-routes", "report"]),
            st.just(FILTER),
        ),
        st.builds(SetItem, st.just(FILTER)),
    )

    @given(st.lists(EDITS, max_size=12))
    def test_every_change_can_be_taken_back_and_saved(self, edits: list[Edit]) -> None:
        trellis, ways_back, seen = SEASON, [], [SEASON]
        for edit in edits:
            try:
                trellis, back = apply(edit, trellis)
            except (EditError, KeyError):  # not allowed, or taken out before
                continue
            ways_back.append(back)
            seen.append(trellis)
            self.assertTrue(edit.label)
            self.assertEqual(loads(dumps(trellis), Path("x")), trellis)
        for back in reversed(ways_back):
            self.assertEqual(trellis, seen.pop())
            trellis, _ = apply(back, trellis)
        self.assertEqual(trellis, SEASON)

    def test_what_is_not_allowed_is_refused_with_a_reason(self) -> None:
        for edit, words in (
            (RenameLane("routes", "Sailings"), "Another lane is called “Sailings”"),
            (RenameLane("routes", "  "), "needs a name"),
            (RemoveLane("routes"), "Sailings takes rows of Routes in a tie"),
            (AddTie("sailings", "sailings", LINK), "add it a second time"),
            (RenameLinkField("gone", "left", "a", "b"), "what it changes is no longer there"),
            (AddDelivery("sailings", "X", "/work/fares.csv"), "which Fares reads"),
            (SetKeep("sailings-routes", ()), "At least one"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(EditError, words):
                apply(edit, SEASON)
        both_ways, _ = apply(AddTie("routes", "sailings", LINK), SEASON)
        with self.assertRaisesRegex(EditError, "The lane “.*” would feed itself"):
            apply(MoveBehind("routes-sailings"), both_ways)
        only_both, _ = apply(SetKeep("sailings-routes", (Bay.BOTH,)), SEASON)
        with self.assertRaisesRegex(EditError, "At least one bay must be kept"):
            apply(SetBay("sailings-routes", Bay.BOTH, False), only_both)

    def test_a_whole_link_is_taken_and_taken_back(self) -> None:
        mended, back = apply(TakeLink("sailings-routes", RICH, "Mend"), SEASON)
        self.assertEqual(mended.join("sailings-routes").match_link(), RICH)
        self.assertEqual((back.label, apply(back, mended)[0]), ("Mend", SEASON))

    def test_a_link_field_taken_out_takes_its_pairs_with_it(self) -> None:
        two = replace(RICH, pairs=(Pair("a", "b", 0), Pair("c", "d", 1)))
        tied, _ = apply(TakeLink("sailings-routes", two), SEASON)
        one, _ = apply(RemoveLinkField("sailings-routes", 0), tied)
        link = one.join("sailings-routes").match_link()
        self.assertEqual((link.fields, link.pairs), (RICH.fields[1:], (Pair("c", "d", 0),)))

    def test_a_second_lane_of_a_name_gets_a_number_and_its_own_colour(self) -> None:
        twice = built(*[AddLane("Crew", DelimitedSource(path="/w/crew.csv"))] * 2)
        self.assertEqual([lane.name for lane in twice.lanes], ["Crew", "Crew 2"])
        self.assertEqual([lane.colour for lane in twice.lanes], [0, 1])

    def test_a_trellis_is_described_in_sentences(self) -> None:
        self.assertEqual(
            list(describe(SEASON)),
            [
                "Winter season: 3 lanes, 1 tie, 1 delivery",
                "Lane Sailings reads operations.ods › Sailings.",
                "  For each Sailings row, take every match in Routes where route equals code. "
                "Left outer join: keeps only in Sailings, in both; leaves only in Routes.",
                "  Delivers Report to report.csv.",
                "Lane Routes reads harbour.sqlite › routes.",
                "Lane Fares reads fares.csv.",
            ],
        )


class SavingTest(unittest.TestCase):
    """What was saved is what is opened, and a save never leaves half a document."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name).resolve()

    def test_paths_are_relative_in_the_file_and_move_with_it(self) -> None:
        here = self.folder / "here"
        here.mkdir()
        trellis = built(AddLane("Fares", DelimitedSource(path=str(self.folder / "fares.csv"))))
        save(trellis, here / "a.trellis")
        self.assertIn('"path": "../fares.csv"', (here / "a.trellis").read_text())
        self.assertEqual(load(here / "a.trellis"), trellis)
        here.rename(self.folder / "there")
        moved = load(self.folder / "there" / "a.trellis")
        self.assertEqual(moved, trellis)
        self.assertEqual(os.listdir(self.folder / "there"), ["a.trellis"])

    def test_one_change_is_one_changed_line(self) -> None:
        renamed, _ = apply(SetBay("sailings-routes", Bay.RIGHT, True), SEASON)
        before, after = dumps(SEASON).splitlines(), dumps(renamed).splitlines()
        changed = [pair for pair in zip(before, after, strict=True) if pair[0] != pair[1]]
        self.assertEqual(len(changed), 1)
        self.assertNotIn("null", dumps(SEASON))

    def test_a_broken_or_newer_file_is_refused_with_a_sentence(self) -> None:
        content = json.loads(dumps(SEASON))
        doubled = {**content, "lanes": content["lanes"] * 2}
        for text, words in (
            ("{", "line 1: expecting"),
            ("[]", "does not say that it is a trellis"),
            (json.dumps({**content, "version": 4}), "saved by a newer Keen Trellis"),
            (json.dumps({**content, "version": 0}), "its version 0 is unknown"),
            (json.dumps({**content, "wish": 1}), "wish: Extra inputs are not permitted"),
            (json.dumps(doubled), "stands there more than once"),
        ):
            path = self.folder / "season.trellis"
            path.write_text(text)
            with self.subTest(words=words), self.assertRaisesRegex(DocumentError, words) as caught:
                load(path)
            self.assertIn(str(path), str(caught.exception))
            self.assertEqual(path.read_text(), text)
        with self.assertRaisesRegex(DocumentError, "no such file"):
            load(self.folder / "missing.trellis")
        with self.assertRaisesRegex(DocumentError, "cannot be saved"):
            save(SEASON, self.folder / "no" / "such" / "folder.trellis")

    def test_a_kill_during_a_save_leaves_the_old_or_the_new_document(self) -> None:
        path = self.folder / "season.trellis"
        save(SEASON, path)
        versions = {dumps(load(path))}
        for milliseconds in (*range(0, 60, 6), *range(100, 1_100, 200)):
            if milliseconds >= 100 and len(versions) > 1:
                break  # only a slow disk needs so long to finish a save
            saver = subprocess.Popen(
                [sys.executable, "-c", _SAVER, str(path)], stdout=subprocess.PIPE, text=True
            )
            assert saver.stdout is not None
            saver.stdout.readline()  # it has begun to save, again and again
            time.sleep(milliseconds / 1000)
            saver.send_signal(signal.SIGKILL)
            saver.communicate()
            versions.add(dumps(load(path)))
        self.assertGreater(len(versions), 1, "no save was ever finished")
        self.assertLessEqual({json.loads(v)["name"][:6] for v in versions}, {"Winter", "Season"})

    def test_the_schema_in_the_docs_is_that_of_the_model(self) -> None:
        kept = Path(__file__).parents[2] / "docs" / "trellis.schema.json"
        self.assertEqual(json.loads(kept.read_text()), schema(), "run `make docs`")


_SAVER = """
import sys
from pathlib import Path
from keen_trellis.document import load, save
path = Path(sys.argv[1])
trellis = load(path)
print("ready", flush=True)
for number in range(10_000):
    save(trellis.model_copy(update={"name": "Season " + "x" * 20_000 + str(number)}), path)
"""
