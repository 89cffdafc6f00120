"""Every kind of item goes all the way: saved, described, run, delivered, told by the command."""

import contextlib
import io
import json
import random
import tempfile
import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from keen_trellis.base.errors import EditError, UserError, WaitingError
from keen_trellis.cli.main import main
from keen_trellis.compute.filter_result import Filtered
from keen_trellis.compute.join_result import Tied
from keen_trellis.compute.stack_rows import Stack
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Column, Kind, Table
from keen_trellis.desktop.parts import VIEWS
from keen_trellis.document import DelimitedSource, Trellis, describe, load, save
from keen_trellis.document.edits import (
    AddBlend,
    AddDelivery,
    AddLane,
    AddStack,
    AddTie,
    Edit,
    InsertItem,
    RemoveItem,
    RemoveLane,
    RenameLane,
    SetBay,
    SetItem,
    SetKeep,
    SetPromises,
    SetSource,
    apply,
    lane_with_bay,
    lane_with_rows,
)
from keen_trellis.document.items import (
    KINDS,
    STEPS,
    ColumnsItem,
    ConditionItem,
    FigureItem,
    FilterItem,
    FormulaItem,
    JoinItem,
    LinkedFields,
    NamedFormula,
    OrderedBy,
    OrderItem,
    Promised,
    SplitItem,
    StackedLane,
    StackItem,
    SummariseItem,
    TidyItem,
    WantedColumns,
)
from keen_trellis.document.sources import BaySource, LaneSource
from keen_trellis.document.without_column import without
from keen_trellis.plan.bays import Bay
from keen_trellis.run import Results, Runner
from keen_trellis.run.column_renames import Carrying
from tests.compute.test_wide_values import AMOUNTS, CALENDAR, TIME, columns
from tests.random_edits import any_edit

FILES = {
    "monday": "route,riders\nKP-MS,98\nKP-BR,12\nMS-GH,\n",
    "tuesday": "riders,route,late\n7,KP-MS,2\n98,KP-MS,0\n",
    "routes": "code,zone\nKP-MS,Inner\nGH-TO,Outer\n",
}


class ItemsTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.trellis = Trellis()
        self.runner = Runner()
        for name, text in FILES.items():
            (self.folder / f"{name}.csv").write_text(text)
            source = DelimitedSource(path=str(self.folder / f"{name}.csv"))
            self.do(AddLane(name.capitalize(), source))

    def do(self, *edits: Edit) -> None:
        for edit in edits:
            self.trellis, _ = apply(edit, self.trellis)

    def filter(self, after: str, *conditions: ConditionItem, of: str = "all") -> str:
        """Put a filter on Monday's lane, and return its id."""
        before = {item.id for item in self.trellis.lane("monday").items}
        item = FilterItem(id="", conditions=conditions, of=of)  # type: ignore[arg-type]
        self.do(InsertItem("monday", after, item))
        return next(i.id for i in self.trellis.lane("monday").items if i.id not in before)

    def results(self) -> Results:
        return self.runner.run(self.trellis)

    def rows(self, part: str) -> list[tuple[object, ...]]:
        table = self.results().rows[part]
        assert isinstance(table, Table), table
        columns = [table.column(name).to_list() for name in table.columns]
        return list(zip(*columns, strict=True))

    def command(self, *arguments: str) -> tuple[int, str]:
        path = self.folder / "week.trellis"
        save(self.trellis, path)
        said = io.StringIO()
        with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
            code = main([arguments[0], str(path), *arguments[1:]])
        return code, said.getvalue()


class FilterTest(ItemsTest):
    BUSY = ConditionItem(column="riders", is_=">", values=("20",))
    BRAE = ConditionItem(column="route", is_="contains", values=("BR",))

    def test_rows_are_kept_left_out_and_unknown_and_all_three_are_told(self) -> None:
        busy = self.filter("monday", self.BUSY)
        self.assertEqual(self.rows(busy), [("KP-MS", 98)])
        given = self.results().given[busy]
        assert isinstance(given, Filtered)
        self.assertEqual(given.left_out.column("route").to_list(), ["KP-BR", "MS-GH"])
        said = "1 of 3 rows go on, 2 are left out, 1 of them because a value is blank."
        self.assertEqual(given.sentence(), said)
        self.assertIn("  Keeps the rows where riders is more than “20”.", describe(self.trellis))
        code, out = self.command("run")
        self.assertIn(f": {said}", out)
        code, out = self.command("run", "--json")
        (step,) = json.loads(out)["steps"]
        told = {"rows": 1, "left_out": 2, "unknown": 1, "lane": "Monday", "type": "filter"}
        self.assertEqual((code, {name: step[name] for name in told}), (0, told))

    def test_any_of_several_conditions_or_none_at_all(self) -> None:
        either = self.filter("monday", self.BUSY, self.BRAE, of="any")
        self.assertEqual(self.rows(either), [("KP-MS", 98), ("KP-BR", 12)])
        nothing = self.filter("monday")
        self.assertEqual(len(self.rows(nothing)), 3)
        self.assertIn("  Keeps every row.", describe(self.trellis))

    def test_a_value_that_is_none_is_told_and_what_stands_behind_waits(self) -> None:
        wrong = self.filter("monday", ConditionItem(column="riders", is_=">", values=("many",)))
        self.do(AddTie("monday", "routes", (LinkedFields(left="route", right="code"),)))
        results = self.results()
        self.assertIn("“many” is no integer, as “riders” is.", str(results.rows[wrong]))
        self.assertIsInstance(results.rows["monday-routes"], WaitingError)
        self.assertEqual(len(results.errors()), 1)
        self.do(SetItem(FilterItem(id=wrong, conditions=(self.BUSY,))))
        self.assertEqual(self.rows("monday-routes"), [("KP-MS", 98, "Inner")])

    def test_a_filter_before_a_tie_changes_it_and_one_behind_a_delivery_does_not(self) -> None:
        self.do(
            AddTie("monday", "routes", (LinkedFields(left="route", right="code"),)),
            AddDelivery("monday", "Report", str(self.folder / "report.csv")),
        )
        self.filter("report", self.BRAE)
        self.assertEqual(len(self.rows("report")), 3)
        self.filter("monday", self.BRAE)
        self.assertEqual(self.rows("report"), [("KP-BR", 12, None)])

    def test_a_column_that_gets_another_name_keeps_its_condition(self) -> None:
        self.do(AddTie("monday", "tuesday", (LinkedFields(left="route", right="route"),)))
        late = ConditionItem(column="riders (Tuesday)", is_="<", values=("10",))
        few = self.filter("monday-tuesday", late)
        kept = self.rows(few)
        self.do(RenameLane("tuesday", "Second day"))
        self.assertEqual(self.rows(few), kept)


class WrittenAsShownTest(unittest.TestCase):
    """A value that is written as its column shows it finds its row, whatever its kind."""

    KINDS = AMOUNTS | CALENDAR | {Kind.TIME: TIME, Kind.BOOLEAN: st.booleans()}
    KINDS |= {Kind.TEXT: st.sampled_from([" a", "a", "ß", "0012", "1,5"])}

    @settings(max_examples=300)
    @given(columns(KINDS))
    def test_each_row_is_found_by_what_it_shows(self, column: Column) -> None:
        table = Table.of({"x": column})
        for row, value in enumerate(column.to_list()):
            if value is not None:
                condition = ConditionItem(column="x", values=(column.text(row),))
                held = Filtered.of(table, condition.expression(schema_of(table), "here")).held
                self.assertTrue(held.true[row], column.text(row))


class StackTest(ItemsTest):
    def test_columns_meet_by_name_and_what_one_lacks_is_a_gap_and_told(self) -> None:
        self.do(AddStack("monday", ("tuesday",)))
        rows = self.rows("monday-stack")
        self.assertEqual(rows[0], ("KP-MS", 98, None))
        self.assertEqual(rows[3:], [("KP-MS", 7, 2), ("KP-MS", 98, 0)])
        said = "Monday + Tuesday: 5 rows: 3 of Monday and 2 of Tuesday. Monday has no “late”."
        self.assertIn(said, self.command("run")[1])

    def test_repeats_are_left_out_with_a_number_and_a_column_says_the_source(self) -> None:
        lane = StackedLane(lane="tuesday", renamed={"late": "delay"})
        stack = StackItem(id="s", lanes=(lane,), source_column="day", repeats=False)
        self.do(AddLane("Copy", self.trellis.lane("monday").source), AddStack("copy", ("monday",)))
        self.do(SetItem(stack.model_copy(update={"id": "copy-stack", "lanes": (lane,)})))
        given = self.results().given["copy-stack"]
        assert isinstance(given, Stack)
        self.assertEqual(given.outcome.columns, ("day", "route", "riders", "delay"))
        self.assertEqual(set(given.outcome.column("day").to_list()), {"Copy", "Tuesday"})
        same = StackedLane(lane="monday")
        self.do(SetItem(StackItem(id="copy-stack", lanes=(same,), repeats=False)))
        given = self.results().given["copy-stack"]
        assert isinstance(given, Stack)
        self.assertEqual((len(given.outcome), given.left_out), (3, 3))
        self.assertIn("Left out: 3 rows that stood there already.", given.sentence())

    def test_a_lane_stacked_below_itself_or_round_about_is_refused(self) -> None:
        self.do(AddStack("monday", ("tuesday",)), AddStack("tuesday", ("monday",)))
        with self.assertRaises(EditError):
            self.do(AddStack("monday", ("monday",)))
        at_its_end = StackItem(id="monday-stack", lanes=(StackedLane(lane="tuesday"),))
        with self.assertRaises(EditError):
            self.do(SetItem(at_its_end))


class BeginningTest(ItemsTest):
    """A lane begins with the rows of a bay, or with those of another lane."""

    def setUp(self) -> None:
        super().setUp()
        self.do(AddTie("monday", "routes", (LinkedFields(left="route", right="code"),)))
        for bay in Bay:
            self.do(lane_with_bay(self.trellis, "monday-routes", bay))

    def test_each_bay_goes_on_as_a_lane_whether_it_is_kept_or_left(self) -> None:
        lanes = ("monday-without-routes", "monday-with-routes", "routes-without-monday")
        before = [self.rows(lane) for lane in lanes]
        kept = [("KP-BR", 12), ("MS-GH", None)]
        self.assertEqual(before[0], kept)
        self.assertEqual(before[1], [("KP-MS", 98, "KP-MS", "Inner")])
        self.assertEqual(before[2], [("GH-TO", "Outer")])
        self.do(SetKeep("monday-routes", (Bay.RIGHT,)))
        self.assertEqual([self.rows(lane) for lane in lanes], before)
        self.do(InsertItem(lanes[0], lanes[0], FilterItem(id="", conditions=(FilterTest.BRAE,))))
        self.assertEqual(self.rows("monday-without-routes-filter"), kept[:1])
        said = list(describe(self.trellis))
        self.assertIn("Lane Monday without Routes begins with rows of Monday not in Routes.", said)
        out = self.command("run")[1]
        self.assertIn("Monday without Routes: 2 rows, 2 columns", out)
        loaded = load(self.folder / "week.trellis")
        self.assertEqual(loaded.lane(lanes[0]), self.trellis.lane(lanes[0]))

    def test_spilled_rows_are_mended_and_brought_back_below(self) -> None:
        self.do(SetBay("monday-routes", Bay.LEFT, False))
        self.do(AddStack("monday", ("monday-without-routes",)))
        self.assertEqual(
            sorted(row[0] for row in self.rows("monday-stack")),
            [
                "KP-BR",
                "KP-MS",
                "MS-GH",
            ],
        )

    def test_the_rows_of_a_lane_go_on_twice_from_the_place_that_was_chosen(self) -> None:
        self.do(lane_with_rows(self.trellis, "monday", "monday"))
        self.do(AddStack("monday", ("tuesday",)))
        self.assertEqual(len(self.rows("monday-2")), 3)
        self.do(AddTie("monday", "monday-2", (LinkedFields(left="route", right="route"),)))
        origins = {field.origin for field in self.results().rows["monday-monday-2"].fields}
        self.assertLessEqual({"monday", "monday-2"}, origins)

    def test_a_lane_that_would_feed_itself_and_a_tie_that_is_needed_are_refused(self) -> None:
        for edit in (
            RemoveItem("monday-routes"),
            RemoveLane("monday"),
            AddTie("routes", "monday-with-routes", ()),
            SetSource("monday", BaySource(tie="monday-routes", bay=Bay.LEFT)),
            SetSource("tuesday", BaySource(tie="nothing", bay=Bay.LEFT)),
            SetSource("tuesday", LaneSource(lane="tuesday")),
            SetSource("tuesday", LaneSource(lane="nothing")),
            SetSource("tuesday", LaneSource(lane="monday", after="nothing")),
        ):
            if isinstance(edit, AddTie):  # what a tie takes may not come of that tie
                taken = self.trellis.join("monday-routes")
                edit = SetItem(taken.model_copy(update={"after": "routes-monday-with-routes"}))
                self.do(AddTie("routes", "monday-with-routes", ()))
            with self.subTest(edit=edit), self.assertRaises(EditError):
                self.do(edit)

    def test_columns_named_after_a_lane_follow_its_new_name_also_in_a_lane_from_a_bay(self) -> None:
        self.do(AddTie("monday", "tuesday", (LinkedFields(left="route", right="route"),)))
        self.do(lane_with_bay(self.trellis, "monday-tuesday", Bay.BOTH))
        lane = "monday-with-tuesday"
        late = ConditionItem(column="riders (Tuesday)", is_="<", values=("10",))
        self.do(InsertItem(lane, lane, FilterItem(id="", conditions=(late,))))
        kept = self.rows(f"{lane}-filter")
        self.do(RenameLane("tuesday", "Second"))
        table = self.results().rows[lane]
        assert isinstance(table, Table)
        self.assertIn("riders (Second)", table.columns)
        self.assertEqual(self.rows(f"{lane}-filter"), kept)

    def test_a_renamed_lane_gives_the_same_objects_run_after_run(self) -> None:
        before = self.results().ties["monday-routes"]
        self.do(RenameLane("routes", "Ways"))
        first, second = (self.results().ties["monday-routes"] for _ in range(2))
        assert isinstance(before, Tied) and isinstance(first, Tied)
        self.assertIs(first, second)
        self.assertIs(first.match, before.match)
        self.assertEqual((before.names, first.names), (("Monday", "Routes"), ("Monday", "Ways")))

    def test_a_lane_that_begins_at_what_cannot_be_read_waits(self) -> None:
        (self.folder / "routes.csv").unlink()
        results = self.results()
        self.assertIsInstance(results.rows["monday-without-routes"], WaitingError)
        self.assertEqual(len(results.errors()), 1)


class PromiseTest(ItemsTest):
    def setUp(self) -> None:
        super().setUp()
        self.do(
            AddTie("monday", "routes", (LinkedFields(left="route", right="code"),)),
            AddDelivery("monday", "Report", str(self.folder / "report.csv")),
            AddDelivery("tuesday", "Other", str(self.folder / "other.csv")),
            SetPromises("monday-routes", (Promised(what="found"), Promised(what="one partner"))),
        )

    def test_a_broken_promise_stops_what_comes_through_its_tie_and_nothing_else(self) -> None:
        code, said = self.command("run", "--deliver")
        broken = "Monday + Routes: every Monday row finds a Routes row: 2 do not"
        self.assertIn(f"A promise is broken. {broken}.", said)
        self.assertIn("not written (stopped by a broken promise)", said)
        written = [(self.folder / f"{name}.csv").exists() for name in ("report", "other")]
        self.assertEqual((code, written), (1, [False, True]))
        told = json.loads(self.command("run", "--json")[1].partition("\nkeen-trellis")[0])
        (tie,) = told["ties"]
        self.assertEqual([one["is_kept"] for one in tie["promises"]], [False, False])
        self.assertEqual(self.command("run", "--deliver", "--despite")[0], 1)
        self.assertTrue((self.folder / "report.csv").exists())

    def test_promises_are_kept_with_the_trellis_and_hold_once_it_is_mended(self) -> None:
        (self.folder / "routes.csv").write_text("code,zone\nKP-MS,I\nKP-BR,I\nMS-GH,O\n")
        code, said = self.command("run", "--deliver")
        self.assertEqual((code, (self.folder / "report.csv").exists()), (0, True), said)
        self.assertIn(
            "Promised: every Monday row finds a Routes row; every", self.command("describe")[1]
        )
        loaded = load(self.folder / "week.trellis")
        item = self.trellis.join("monday-routes")
        self.assertEqual(loaded.join("monday-routes").promises, item.promises)
        before = self.results().given["monday-routes"]
        self.do(SetPromises("monday-routes", ()))
        self.assertIs(self.results().given["monday-routes"], before)  # nothing runs again for it

    def test_a_total_follows_its_column_when_it_is_renamed(self) -> None:
        self.do(AddTie("monday", "tuesday", (LinkedFields(left="route", right="route"),)))
        total = Promised(what="same total", column="riders (Tuesday)")
        self.do(AddTie("monday", "routes", (LinkedFields(left="route", right="code"),)))
        tie = self.trellis.lane("monday").items[-1].id
        self.do(SetPromises(tie, (total,)))
        self.do(RenameLane("tuesday", "Second"))
        (found,) = self.results().promises[tie]
        self.assertEqual((found.promise.column, found.is_kept), ("riders (Second)", True))


class NamesSurviveTest(ItemsTest):
    def test_a_column_called_otherwise_is_followed_by_all_that_stands_behind(self) -> None:
        """Through steps, formulas, a tie of another lane, and what is summed behind it."""
        self.do(
            InsertItem("monday", "monday", ColumnsItem(id="", first=("route",))),
            InsertItem(
                "monday",
                "monday-columns",
                FormulaItem(id="", columns=(NamedFormula(name="twice", formula="riders * 2"),)),
            ),
            InsertItem(
                "monday",
                "monday-formula",
                SummariseItem(id="", by=("route",), figures=(FigureItem(column="riders"),)),
            ),
            InsertItem(
                "monday",
                "monday-summarise",
                OrderItem(id="", by=(OrderedBy(field="sum of riders"),)),
            ),
            AddTie("routes", "monday", (LinkedFields(left="code", right="route"),)),
        )
        before = self.results()
        schemas = {lane: schema_of(before.rows[lane]) for lane in ("monday", "tuesday", "routes")}

        def call(old: str, new: str) -> None:
            item = self.trellis.item("monday-columns")
            named = item.but(names={**item.names, old: new})  # type: ignore[attr-defined]
            self.do(Carrying(SetItem(named), item.id, schemas))

        call("riders", "people")
        call("route", 'the "way"')
        after = self.results()
        self.assertEqual(list(after.errors()), [])
        self.assertEqual(self.trellis.item("monday-formula").columns[0].formula, '"people" * 2')  # type: ignore[attr-defined]
        self.assertEqual(self.trellis.item("monday-order").by[0].field, "sum of people")  # type: ignore[attr-defined]
        self.assertEqual(self.trellis.join("routes-monday").link[0].right, 'the "way"')
        rows = [list(found.rows["routes-monday"].rows()) for found in (before, after)]
        self.assertEqual(rows[0], rows[1])
        item = self.trellis.item("monday-columns")
        turned = item.but(first=("riders", "route"))  # another order is no other name
        self.do(Carrying(SetItem(turned), item.id, schemas))
        self.assertEqual(self.trellis.join("routes-monday").link[0].right, 'the "way"')


class WithoutTest(unittest.TestCase):
    """A column is gone; what names it goes on without, unless it is about nothing else."""

    def test_what_names_it_is_taken_out_and_nothing_else(self) -> None:
        by = (OrderedBy(field="a"), OrderedBy(field="b", descending=True))
        formulas = (NamedFormula(name="x", formula='"a" + 1'), NamedFormula(name="y", formula="b"))
        for item, left in (
            (TidyItem(id="t", columns=("a", "b")), TidyItem(id="t", columns=("b",))),
            (OrderItem(id="o", by=by), OrderItem(id="o", by=by[1:])),
            (FormulaItem(id="f", columns=formulas), FormulaItem(id="f", columns=formulas[1:])),
            (
                ColumnsItem(id="c", first=("b", "a"), names={"a": "c", "b": "d"}),
                ColumnsItem(id="c", first=("b",), names={"b": "d"}),
            ),
            (
                FilterItem(id="f", conditions=(FilterTest.BUSY.but(column="a"), FilterTest.BRAE)),
                FilterItem(id="f", conditions=(FilterTest.BRAE,)),
            ),
            (SplitItem(id="s", column="a", into=("p", "q")), None),
            (FilterItem(id="f", formula="a > b"), None),
            (TidyItem(id="t", columns=("b",)), None),
        ):
            self.assertEqual(without(item, "a"), left)

    def test_a_tie_never_links_by_less_nor_loses_a_promise(self) -> None:
        link = (LinkedFields(left="a", right="k"), LinkedFields(left="b", right="l"))
        tie = JoinItem(id="j", lane="other", link=link)
        self.assertIsNone(without(tie, "a", "left"))
        self.assertIsNone(without(tie, "l", 0))
        wanted = WantedColumns(left=("a", "b", "c"), fills={"c": "0"})
        tie = tie.but(
            columns=wanted, promises=(Promised(what="same total", column="d", side="left"),)
        )
        self.assertIsNone(without(tie, "d", "left"))
        left = without(tie, "c", "left")
        self.assertEqual(left, tie.but(columns=WantedColumns(left=("a", "b"))))


class EveryKindTest(ItemsTest):
    """What the house asks of a kind of item; a new kind finds here what it lacks."""

    def examples(self) -> None:
        self.do(
            AddTie("monday", "routes", (LinkedFields(left="route", right="code"),)),
            AddStack("monday", ("tuesday",)),
            AddBlend("monday", ("tuesday",), (LinkedFields(left="route", right="route"),)),
            *(InsertItem("monday", "monday-blend", kind(id="")) for kind in STEPS),
            AddDelivery("monday", "Report", str(self.folder / "report.csv")),
        )

    def test_each_is_saved_described_run_shown_and_counted(self) -> None:
        self.examples()
        items = self.trellis.lane("monday").items
        self.assertEqual({type(item) for item in items}, set(KINDS))
        path = self.folder / "all.trellis"
        save(self.trellis, path)
        self.assertEqual(load(path).lane("monday").items[:-1], items[:-1])
        described = list(describe(self.trellis))
        results = self.results()
        for item in items:
            with self.subTest(item.type):
                self.assertIn(item.type, VIEWS)
                self.assertIn(f"  {item.sentence(self.trellis, self.trellis.lanes[0])}", described)
                self.assertIsInstance(results.rows[item.id], Table)
                self.assertEqual(item.id in results.given, item.changes_rows)
                self.assertEqual(item.taking(item.takes()), item)

    def test_after_hundreds_of_changes_a_run_is_as_from_the_beginning(self) -> None:
        """Kept results are found by digest only; undone, the document is the one before."""
        chance = random.Random(7)
        self.examples()
        ways_back, seen = [], [self.trellis]
        for number in range(250):
            edit = any_edit(self.trellis, chance)
            try:
                self.trellis, back = apply(edit, self.trellis)
            except (UserError, KeyError):
                continue
            ways_back.append(back)
            seen.append(self.trellis)
            if number % 10 == 0:
                warm, fresh = self.results(), Runner().run(self.trellis)
                for part, rows in fresh.rows.items():
                    self.assertEqual(_shown(warm.rows[part]), _shown(rows), (part, edit))
        self.assertGreater(len(ways_back), 100)
        for back in reversed(ways_back):
            self.assertEqual(self.trellis, seen.pop())
            self.trellis, _ = apply(back, self.trellis)


def _shown(rows: object) -> object:
    if isinstance(rows, Table):
        return rows.columns, [rows.column(name).to_list() for name in rows.columns]
    return str(rows)


if __name__ == "__main__":
    unittest.main()
