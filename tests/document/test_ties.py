"""Ties whatever their kind: blended, made another kind, their sides swapped."""

from __future__ import annotations

import json
import sqlite3
from decimal import Decimal
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from keen_trellis.base.errors import EditError, UserError
from keen_trellis.compute.join_result import Tied
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Kind, Table
from keen_trellis.document import describe
from keen_trellis.document.edits import (
    AddBlend,
    AddDelivery,
    AddLane,
    AddTie,
    ChangeTie,
    InsertItem,
    MoveItem,
    RemoveItem,
    RenameLane,
    SetBay,
    SetItem,
    SetKeep,
    SetPairs,
    SetPromises,
    SwapSides,
    lane_with_bay,
    swapped_names,
)
from keen_trellis.document.items import (
    BlendedLane,
    BlendItem,
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
    SameValues,
    TogetherItem,
    WantedColumns,
)
from keen_trellis.document.sources import TypedSource
from keen_trellis.plan.bays import JOIN_NAMES, Bay
from tests.document.test_items import ItemsTest

COUNT = FigureItem()
RIDERS = FigureItem(column="riders")
SIDE = st.lists(
    st.tuples(st.none() | st.sampled_from("abc"), st.none() | st.integers(-9, 9)), max_size=8
)
ON_ROUTE = (LinkedFields(left="route", right="route"),)


class TiesTest(ItemsTest):
    def blend(self, **changes: object) -> BlendItem:
        """Blend Monday with Tuesday by route, riders and rows of each; change it; return it."""
        self.do(AddBlend("monday", ("tuesday",), ON_ROUTE, ((RIDERS, COUNT), (RIDERS,))))
        item = self.trellis.item("monday-blend")
        changed = BlendItem(**{**dict(item), **changes})
        self.do(SetItem(changed))
        return changed

    def given(self, part: str) -> Any:
        given = self.results().given[part]
        if isinstance(given, UserError):
            raise given
        return given


class BlendTest(TiesTest):
    """Two days of rides, each summarised to the route before they meet."""

    def test_each_is_summarised_first_and_the_totals_are_told(self) -> None:
        self.blend()
        self.assertEqual(
            self.rows("monday-blend"),
            [
                ("KP-MS", Decimal(98), 1, Decimal(105)),
                ("KP-BR", Decimal(12), 1, None),
                ("MS-GH", None, 1, None),
            ],
        )
        said = (
            "Blend, full outer. 3 + 2 rows become 3 groups. 110 riders of Monday before and after. "
            "3 rows of Monday before and after. 105 riders of Tuesday before and after."
        )
        self.assertEqual(self.given("monday-blend").sentence(), said)
        told = "Blends sum of riders and rows of Monday and sum of riders of Tuesday, by route."
        self.assertIn(f"  {told}", describe(self.trellis))
        code, out = self.command("run", "--json")
        (step,) = json.loads(out)["steps"]
        self.assertEqual((code, step["type"], step["rows"], step["says"]), (0, "blend", 3, said))

    def test_what_stays_behind_is_said_with_its_sum(self) -> None:
        self.blend()
        self.do(SetBay("monday-blend", Bay.LEFT, False))
        sentence = self.given("monday-blend").sentence()
        self.assertIn("Blend, right outer.", sentence)
        self.assertIn("110 riders of Monday before, 98 after: 12 stays behind.", sentence)
        self.do(lane_with_bay(self.trellis, "monday-blend", Bay.LEFT))
        lane = self.trellis.lanes[1]
        self.assertEqual([row[0] for row in self.rows(lane.id)], ["KP-BR", "MS-GH"])

    def test_totals_are_those_of_the_side_whose_rows_alone_go_on(self) -> None:
        low = ConditionItem(column="riders", is_="<", values=("98",))
        late = ConditionItem(column="late", is_="=", values=("2",))
        self.blend(keep=(Bay.LEFT,))
        for changes, after in (
            ({}, (12, 2, 0)),
            ({"keep": (Bay.RIGHT,), "filters": (low, late)}, (0, 0, 7)),
        ):
            self.blend_changed(**changes)
            given = self.given("monday-blend")
            self.assertEqual(tuple(int(t.after) for t in given.totals), after, given.sentence())

    def test_a_filter_reaches_those_that_have_its_column_before_they_are_summarised(self) -> None:
        late = ConditionItem(column="late", is_="=", values=("2",))
        route = ConditionItem(column="route", is_="<>", values=("MS-GH",))
        self.blend(filters=(late, route))
        given = self.given("monday-blend")
        self.assertEqual(self.rows("monday-blend")[0][3], Decimal(7))
        self.assertEqual(
            [reach.words for reach in given.reach],
            ["reaches Tuesday; Monday stays whole", "reaches Monday and Tuesday"],
        )
        self.blend_changed(filters=(ConditionItem(column="nowhere", is_="is blank"),))
        with self.assertRaisesRegex(UserError, "No lane of this blend has the column “nowhere”"):
            self.given("monday-blend")

    def blend_changed(self, part: str = "monday-blend", **changes: object) -> None:
        item = self.trellis.item(part)
        self.do(SetItem(BlendItem(**{**dict(item), **changes})))

    def test_a_first_lane_that_keeps_its_rows_says_what_repeats(self) -> None:
        self.do(AddBlend("tuesday", ("monday",), ON_ROUTE, ((), (RIDERS,))))
        item = self.trellis.item("tuesday-blend")
        self.do(SetItem(BlendItem(**{**dict(item), "keeps_rows": True, "keep": ("left", "both")})))
        self.assertEqual([row[-1] for row in self.rows("tuesday-blend")], [98, 98])
        sentence = self.given("tuesday-blend").sentence()
        self.assertIn("The figures of Monday stand on several rows each.", sentence)
        self.assertIn("110 riders of Monday before, 196 after.", sentence)

    def test_three_lanes_and_a_rename_that_follows(self) -> None:
        third = BlendedLane(lane="routes", fields=("code",), figures=(COUNT,))
        item = self.blend()
        self.blend_changed(lanes=(*item.lanes, third))
        self.assertEqual([row[-1] for row in self.rows("monday-blend")], [1, None, None, 1])
        self.do(RenameLane("tuesday", "Dienstag"))
        self.assertIn("105 riders of Dienstag", self.given("monday-blend").sentence())
        with self.assertRaisesRegex(EditError, "brings in 2"):
            self.do(ChangeTie("monday-blend", "join"))

    def test_a_blend_without_a_field_or_with_too_few_says_what_to_do(self) -> None:
        self.do(AddBlend("monday", ("tuesday",)))
        with self.assertRaisesRegex(UserError, "no link field yet"):
            self.given("monday-blend")
        with self.assertRaisesRegex(ValueError, "as many link fields"):
            self.blend_changed(fields=("route",))
        with self.assertRaisesRegex(ValueError, "blended twice"):
            self.blend_changed(lanes=(BlendedLane(lane="tuesday"), BlendedLane(lane="tuesday")))

    @settings(max_examples=100, deadline=None)
    @given(SIDE, SIDE, st.sampled_from(list(JOIN_NAMES)))
    def test_it_is_what_sql_gives(self, left: Any, right: Any, keep: Any) -> None:
        self.trellis = self.trellis.model_copy(update={"lanes": ()})
        for name, rows in (("left", left), ("right", right)):
            cells = tuple((*("" if v is None else str(v) for v in row), "row") for row in rows)
            kinds = {"k": Kind.TEXT, "v": Kind.INTEGER}
            self.do(AddLane(name, TypedSource(columns=("k", "v", "is"), rows=cells, kinds=kinds)))
        figures = (FigureItem(column="v"), COUNT)
        link = (LinkedFields(left="k", right="k"),)
        self.do(AddBlend("left", ("right",), link, (figures, figures)))
        whole = self.given("left-blend").totals
        self.assertTrue(all(total.agrees for total in whole), whole)
        self.blend_changed(part="left-blend", keep=keep)
        with sqlite3.connect(":memory:") as base:
            for name, rows in (("l", left), ("r", right)):
                base.execute(f"create table {name} (k, v)")
                base.executemany(f"insert into {name} values (?, ?)", rows)
            expected = base.execute(
                "with a as (select k, sum(v) s, count(*) n from l group by k), "
                "b as (select k, sum(v) s, count(*) n from r group by k) "
                "select coalesce(a.k, b.k), a.s, a.n, b.s, b.n from a full join b on a.k is b.k"
            ).fetchall()
        base.close()
        bays = {(True, False): Bay.LEFT, (True, True): Bay.BOTH, (False, True): Bay.RIGHT}
        kept = [row for row in expected if bays[row[2] is not None, row[4] is not None] in keep]
        sums = [sum(row[place] or 0 for row in kept) for place in range(1, 5)]
        self.assertEqual([t.after for t in self.given("left-blend").totals], sums)
        if len(keep) > 1 or keep == (Bay.BOTH,):  # else the columns of one side alone are there
            self.assertCountEqual(self.rows("left-blend"), kept)


class ChangeTieTest(TiesTest):
    """A tie becomes another kind and keeps what still makes sense."""

    def test_from_a_join_to_a_blend_to_a_stack_and_back(self) -> None:
        self.do(AddTie("monday", "tuesday", ON_ROUTE), SetKeep("monday-tuesday", (Bay.BOTH,)))
        self.do(ChangeTie("monday-tuesday", "blend", ((RIDERS,), (COUNT,))))
        self.assertEqual(self.rows("monday-tuesday"), [("KP-MS", Decimal(98), 2)])
        self.do(ChangeTie("monday-tuesday", "join"))
        tie = self.trellis.join("monday-tuesday")
        self.assertEqual((tie.keep, tie.link), ((Bay.BOTH,), ON_ROUTE))
        self.do(ChangeTie("monday-tuesday", "stack"))
        self.assertEqual(len(self.rows("monday-tuesday")), 5)
        self.do(ChangeTie("monday-tuesday", "blend"))
        (taken,) = self.trellis.item("monday-tuesday").takes()
        self.assertEqual((taken.lane, taken.after), (tie.lane, tie.after))

    def test_a_lane_that_begins_with_a_bay_stands_in_the_way_of_a_stack(self) -> None:
        self.do(AddTie("monday", "tuesday", ON_ROUTE))
        self.do(lane_with_bay(self.trellis, "monday-tuesday", Bay.LEFT))
        self.do(ChangeTie("monday-tuesday", "blend"))
        self.assertEqual(len(self.rows(self.trellis.lanes[1].id)), 2)
        with self.assertRaisesRegex(EditError, "begins with a bay of “monday-tuesday”"):
            self.do(ChangeTie("monday-tuesday", "stack"))


class SwapTest(TiesTest):
    """The other lane goes on; every setting is turned round with its side."""

    def test_rows_counts_and_settings_are_the_same_from_the_other_side(self) -> None:
        self.do(AddTie("monday", "routes", (LinkedFields(left="route", right="code"),)))
        tie = "monday-routes"
        self.do(
            SetKeep(tie, (Bay.LEFT,)),
            SetPairs(tie, (SameValues(left="KP-BR", right="GH-TO"),), ()),
            SetPromises(tie, (Promised(what="found", side="right"),)),
            AddDelivery("monday", "Left over", "/nowhere/over.csv"),
        )
        self.do(lane_with_bay(self.trellis, tie, Bay.LEFT))
        before = self.given(tie)
        begun = self.rows(self.trellis.lanes[1].id)
        self.do(SwapSides(tie))
        after = self.given(tie)
        assert isinstance(after, Tied)
        self.assertEqual(after.names, ("Routes", "Monday"))
        self.assertEqual(after.counts.left, before.counts.right)
        self.assertEqual(after.counts.right, before.counts.left)
        self.assertEqual(after.keep, (Bay.RIGHT,))
        item = self.trellis.join(tie)
        self.assertEqual((item.pairs[0].left, item.promises[0].side), ("GH-TO", "left"))
        self.assertEqual([i.type for i in self.trellis.lane("routes").items], ["join", "delivery"])
        self.assertEqual(self.trellis.lane("monday").items, ())
        begun_lane = next(lane for lane in self.trellis.lanes if lane.source.begins_at())
        self.assertEqual(self.rows(begun_lane.id), begun)
        self.do(SwapSides(tie))
        self.assertEqual(self.given(tie).counts, before.counts)

    def test_those_who_take_rows_behind_it_take_them_on_the_other_lane(self) -> None:
        self.do(AddTie("monday", "routes", (LinkedFields(left="route", right="code"),)))
        self.do(AddTie("tuesday", "monday", ON_ROUTE))
        rows = len(self.rows("tuesday-monday"))
        self.do(SwapSides("monday-routes"))
        (taken,) = self.trellis.item("tuesday-monday").takes()
        self.assertEqual((taken.lane, taken.after), ("routes", "monday-routes"))
        self.assertEqual(len(self.rows("tuesday-monday")), rows)

    def test_a_step_behind_a_tie_finds_the_columns_that_go_on_whatever_is_kept(self) -> None:
        """An anti join lets the columns of one side go on, and so says its plan."""
        self.do(AddTie("monday", "tuesday", ON_ROUTE))
        tie, bays = self.trellis.join("monday-tuesday"), list(Bay)
        for keep in (bays[:1], bays[1:2], bays[2:], bays[:2], bays[1:], bays[::2], bays):
            for columns in (
                WantedColumns(),
                WantedColumns(renamed={"riders": "people"}, link="both"),
                WantedColumns(same_named="right"),
                WantedColumns(right=()),
            ):
                self.do(SetItem(tie.but(keep=tuple(keep), columns=columns)))
                going_on = self.results().table(tie.id)
                if going_on is None or not going_on.columns:  # none of the side is wanted
                    continue
                order = OrderItem(id="", by=(OrderedBy(field=going_on.columns[0]),))
                self.do(InsertItem("monday", tie.id, order))
                behind = self.rows("monday-order")
                self.assertCountEqual(behind, list(going_on.rows()))
                together = TogetherItem(id="", columns=going_on.columns, name="all", mark="|")
                self.do(InsertItem("monday", "monday-order", together))
                self.assertEqual(len(self.rows("monday-together")), len(going_on))
                self.do(RemoveItem("monday-together"), RemoveItem("monday-order"))

    def test_what_stands_behind_still_means_the_columns_that_it_meant(self) -> None:
        self.do(AddTie("monday", "tuesday", ON_ROUTE))
        tie = self.trellis.join("monday-tuesday")
        names = NamedFormula(name="both", formula='riders * 1000 + "riders (Tuesday)"')
        wanted = WantedColumns(
            renamed={"late": "too late"}, order=("riders",), fills={"riders": "9"}
        )
        self.do(
            SetItem(tie.but(columns=wanted, keep=tuple(Bay))),
            InsertItem("monday", tie.id, FormulaItem(id="", columns=(names,))),
            InsertItem("monday", "monday-formula", OrderItem(id="", by=(OrderedBy(field="both"),))),
        )
        before = self.results().rows["monday-order"]
        left, right = (self.results().table(lane) for lane in ("monday", "tuesday"))
        assert left is not None and right is not None
        schemas = (schema_of(left), schema_of(right))
        called = swapped_names(self.trellis.join(tie.id), schemas, ("Monday", "Tuesday"))
        self.assertEqual(called, {"riders": "riders (Monday)", "riders (Tuesday)": "riders"})
        self.do(SwapSides(tie.id, called))
        after = self.results().rows["monday-order"]
        assert isinstance(before, Table)
        assert isinstance(after, Table), after
        self.assertEqual(after.columns[0], "riders (Monday)")
        for old in before.columns:
            new = called.get(old, old)
            self.assertCountEqual(before.column(old).to_list(), after.column(new).to_list())

    def test_comparisons_turn_and_what_cannot_is_refused(self) -> None:
        less = (LinkedFields(left="riders", right="riders", operator="<"),)
        self.do(AddTie("monday", "tuesday", less))
        pairs = self.given("monday-tuesday").counts.pairs
        self.do(SwapSides("monday-tuesday"))
        tie = self.trellis.join("monday-tuesday")
        self.assertEqual((tie.link[0].operator, self.given(tie.id).counts.pairs), (">", pairs))
        nearest = (LinkedFields(left="riders", right="riders", operator="nearest earlier"),)
        self.do(SetItem(JoinItem(**{**dict(tie), "link": nearest})))
        with self.assertRaisesRegex(EditError, "nearest match is said from the side"):
            self.do(SwapSides("monday-tuesday"))
        self.do(AddTie("routes", "monday", (LinkedFields(left="code", right="route"),)))
        self.do(InsertItem("monday", "monday", FilterItem(id="")))
        early = JoinItem(**{**dict(self.trellis.join("routes-monday")), "after": "monday"})
        self.do(SetItem(early))
        with self.assertRaisesRegex(EditError, "goes on behind the place"):
            self.do(SwapSides("routes-monday"))


class MoveTest(TiesTest):
    """Items change places along a lane; who takes rows behind both goes on taking them."""

    def setUp(self) -> None:
        super().setUp()
        self.do(AddTie("monday", "routes", (LinkedFields(left="route", right="code"),)))
        self.do(SetKeep("monday-routes", (Bay.BOTH,)))
        riders = ConditionItem(column="riders", is_=">", values=("20",))
        self.do(InsertItem("monday", "monday-routes", FilterItem(id="", conditions=(riders,))))

    def types(self) -> list[str]:
        return [item.type for item in self.trellis.lane("monday").items]

    def test_a_filter_moves_before_a_tie_and_back(self) -> None:
        rows = self.rows("monday-filter")
        self.do(MoveItem("monday-filter", -1))
        self.assertEqual((self.types(), self.rows("monday-routes")), (["filter", "join"], rows))
        self.do(MoveItem("monday-filter", 1))
        self.assertEqual((self.types(), self.rows("monday-filter")), (["join", "filter"], rows))
        with self.assertRaisesRegex(EditError, "nothing on this lane"):
            self.do(MoveItem("monday-filter", 1))

    def test_who_takes_the_rows_behind_keeps_them_and_rows_between_stand_in_the_way(self) -> None:
        self.do(AddTie("tuesday", "monday", ON_ROUTE))
        rows = self.rows("tuesday-monday")
        self.do(MoveItem("monday-filter", -1))
        (taken,) = self.trellis.item("tuesday-monday").takes()
        self.assertEqual((taken.after, self.rows("tuesday-monday")), ("monday-routes", rows))
        early = JoinItem(**{**dict(self.trellis.join("tuesday-monday")), "after": "monday-filter"})
        self.do(SetItem(early))
        with self.assertRaisesRegex(EditError, "Tuesday takes the rows between this step"):
            self.do(MoveItem("monday-filter", 1))

    def test_a_delivery_writes_the_rows_of_the_place_where_it_is_put(self) -> None:
        self.do(AddDelivery("monday", "Rows", "/nowhere/rows.csv"))
        self.do(MoveItem("rows", -1))
        self.assertEqual(self.types(), ["join", "delivery", "filter"])
        self.assertEqual(self.rows("rows"), self.rows("monday-routes"))
