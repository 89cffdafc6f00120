"""Where things lie on the map, without a screen."""

import itertools
import unittest

from hypothesis import example, given, settings
from hypothesis import strategies as st

from keen_trellis.base.errors import EditError
from keen_trellis.data import Table
from keen_trellis.desktop.map import layout, shapes
from keen_trellis.document import DelimitedSource, Trellis
from keen_trellis.document.edits import (
    AddDelivery,
    AddLane,
    AddTie,
    Edit,
    InsertItem,
    MoveLane,
    RenameLane,
    SetLink,
    apply,
    lane_with_bay,
    lane_with_rows,
)
from keen_trellis.document.items import FilterItem, LinkedFields
from keen_trellis.notebook import Tie, tie
from keen_trellis.plan.bays import Bay
from keen_trellis.run import Results


def measure(text: str) -> float:
    return 6.0 * len(text)


def drawn(trellis: Trellis, results: Results | None = None) -> shapes.MapLayout:
    return layout.lay_out(trellis, results or Results(), measure)


def trellis_of(
    lanes: int, moves: list[tuple[int, int]], link: tuple[LinkedFields, ...] = ()
) -> Trellis:
    """Return a trellis in which lanes are tied, or delivered where a move names one lane twice."""
    trellis = Trellis()
    for number in range(lanes):
        trellis, _ = apply(AddLane(f"L{number}", DelimitedSource(path=f"/{number}.csv")), trellis)
    for a, b in moves:
        lane, other = f"l{a % lanes}", f"l{b % lanes}"
        edit: Edit = AddTie(lane, other, link)
        if lane == other:
            edit = AddDelivery(lane, "Rows", "/r.csv")
        elif a + b == 6:
            end = trellis.end_of(trellis.lane(lane))
            edit = InsertItem(lane, end, FilterItem(id=""))
        elif a + b == 7:  # a lane that begins with what another has so far
            edit = lane_with_rows(trellis, lane, trellis.end_of(trellis.lane(lane)))
        elif a + b == 8 and (ties := [tie.id for _, tie in trellis.joins()]):
            edit = lane_with_bay(trellis, ties[0], Bay.LEFT)
        try:
            trellis, _ = apply(edit, trellis)
        except EditError:  # a lane would feed itself
            continue
    return trellis


ON = (LinkedFields(left="route", right="code"),)
A = Table.from_columns({"route": ["a"] * 3_210 + ["zz"] * 54_321})
B = Table.from_columns({"code": ["a", "b", "c", "d"]})
MOVES = st.lists(st.tuples(st.integers(0, 11), st.integers(0, 11)), max_size=12)


class AnyTrellisTest(unittest.TestCase):
    @settings(max_examples=60)
    @given(st.integers(1, 12), MOVES)
    def test_nothing_overlaps_and_no_ribbon_runs_backwards(
        self, lanes: int, moves: list[tuple[int, int]]
    ) -> None:
        shown = drawn(trellis_of(lanes, moves))
        boxes = [h.box for h in shown.heads] + [p.box for p in shown.pluses]
        boxes += [c.box for c in shown.joints] + [f.box for f in shown.flags]
        for one, other in itertools.combinations(boxes, 2):
            self.assertFalse(one.meets(other), (one, other))
        for ribbon in shown.ribbons:
            self.assertLessEqual(ribbon.x1, ribbon.x2)
        for box in boxes:
            self.assertLessEqual(box.right, shown.width)
            self.assertLessEqual(box.bottom, shown.height)

    @settings(max_examples=200)
    @given(
        st.text("abc ", min_size=5, max_size=60),
        st.lists(st.text("xyz01", min_size=1, max_size=9), min_size=2, max_size=12, unique=True),
        st.text("de", max_size=6),
    )
    def test_names_that_begin_and_end_alike_are_told_apart(
        self, shared: str, own: list[str], end: str
    ) -> None:
        names = [f"{shared}{one}{end}" for one in own]
        shown = layout.told_apart(names, 24, len)
        self.assertEqual(len(set(shown)), len(names), shown)
        for name, short in zip(names, shown, strict=True):
            self.assertLessEqual(len(short), 24)
            self.assertTrue(short == name or "…" in short)

    @settings(max_examples=60)
    @given(st.integers(2, 12), MOVES, st.lists(st.integers(1, 120), min_size=12, max_size=12))
    @example(6, [(0, 7), (8, 0), (2, 4)], [1] * 12)  # a step right behind a tie, lanes close
    def test_no_label_lies_on_another_whatever_the_names(
        self, lanes: int, moves: list[tuple[int, int]], letters: list[int]
    ) -> None:
        trellis = trellis_of(lanes, moves, ON)
        for lane, length in zip(trellis.lanes, letters, strict=False):
            trellis, _ = apply(RenameLane(lane.id, f"{lane.id}{'m' * (length - 1)}"), trellis)
        ties = {
            item.id: tie(A, B, [("route", "code")], "left anti", names=(lane.name, other.name))
            for lane, item in trellis.ties()
            for other in [trellis.lane(item.lane)]
        }
        shown = drawn(trellis, Results(trellis, {}, {}, dict(ties)))
        self.assertEqual(len(shown.spills), len(ties))
        labels = [s.box for s in shown.spills] + [c.title_box for c in shown.joints]
        labels += [h.box for h in shown.heads] + [f.box for f in shown.flags]
        labels += [c.box for c in shown.joints] + [p.box for p in shown.pluses]
        labels += [b.words_box for b in shown.beads]
        for one, other in itertools.combinations(labels, 2):
            self.assertFalse(one.meets(other), (one, other))
        for spill in shown.spills:
            self.assertIn(" rows left", spill.full)
            self.assertLessEqual(spill.box.width, max(measure(spill.text) + 18, 0))

    def test_a_lane_may_be_as_long_as_it_wants(self) -> None:
        steps = tuple(FilterItem(id=f"s{number}") for number in range(2_500))
        trellis, _ = apply(AddLane("Long", DelimitedSource(path="/l.csv")), Trellis())
        trellis = trellis.but(lanes=(trellis.lanes[0].but(items=steps),))
        trellis, _ = apply(lane_with_rows(trellis, "long", "s2499"), trellis)
        trellis, _ = apply(
            MoveLane(trellis.lanes[1].id, 0), trellis
        )  # asked for before the long one
        self.assertEqual(len(drawn(trellis).beads), 2_500)

    def test_a_hundred_lanes_are_laid_out(self) -> None:
        trellis = trellis_of(1, [])
        for number in range(100):
            source = DelimitedSource(path="/x.csv")
            trellis, _ = apply(AddLane(f"Lane {number}", source), trellis)
            trellis, _ = apply(AddTie("l0", f"lane-{number}", ()), trellis)
        shown = drawn(trellis)
        self.assertEqual((len(shown.heads), len(shown.joints)), (101, 100))


class SeasonTest(unittest.TestCase):
    """Sailings tied to Routes: 3 of 4 found, one of two routes not used."""

    def setUp(self) -> None:
        sailings = Table.from_columns({"route": ["a", "a", "b", "zz"]})
        routes = Table.from_columns({"code": ["a", "b", "c", "d"]})
        self.trellis, _ = apply(SetLink("l0-l1", ON), trellis_of(2, [(0, 1)]))
        tied = tie(sailings, routes, [("route", "code")], names=("L0", "L1"))
        rows = {"l0": sailings, "l1": routes, "l0-l1": tied.outcome}
        self.shown = drawn(self.trellis, Results(self.trellis, {}, dict(rows), {"l0-l1": tied}))
        self.tied: Tie = tied

    def test_the_joint_shows_the_bays_in_their_true_proportion(self) -> None:
        joint = self.shown.joints[0]
        self.assertEqual((joint.title, joint.counts), ("Join · left outer", "3 of 4 found"))
        left, both, right = joint.parts
        self.assertAlmostEqual(both.box.height / left.box.height, 3)
        self.assertEqual([p.kept for p in (left, both, right)], [True, True, False])
        for part in joint.parts:
            self.assertLessEqual(part.box.bottom, joint.box.bottom)
        self.assertEqual((left.box.x, right.box.right), (both.box.x, both.box.right))
        self.assertLess(max(left.box.width, right.box.width), both.box.width)

    def test_the_spill_says_what_is_left_and_the_ribbon_carries_both_colours(self) -> None:
        self.assertEqual([s.text for s in self.shown.spills], ["2 L1 rows left"])
        behind = [r for r in self.shown.ribbons if r.lane == "l0" and len(r.stripes) == 2]
        self.assertEqual([s.colour for s in behind[0].stripes], [0, 1])

    def test_a_tie_linked_otherwise_shows_no_counts_of_before(self) -> None:
        rows, ties = {"l0-l1": self.tied.outcome}, {"l0-l1": self.tied}
        other, _ = apply(SetLink("l0-l1", ()), self.trellis)
        shown = drawn(other, Results(self.trellis, {}, dict(rows), dict(ties)))
        self.assertEqual((shown.joints[0].counts, shown.spills), ("matching …", ()))

    def test_a_tie_draws_its_rows_from_where_they_are_taken(self) -> None:
        """Rows from before a tie never seem to come from behind it."""
        trellis = trellis_of(4, [(0, 1), (1, 2), (1, 3)])
        shown = drawn(trellis)
        curve = next(r for r in shown.ribbons if r.lane == "l1" and r.y1 != r.y2)
        first = next(c for c in shown.joints if c.item == "l1-l2")
        self.assertLess(curve.x1, first.box.x)

    def test_ten_and_ten_million_rows_both_read_well(self) -> None:
        few, many = layout.thickness(10), layout.thickness(10_000_000)
        self.assertGreater(few, 4)
        self.assertLess(many, shapes.ROOMY.head)
        self.assertGreater(many, 3 * few)

    def test_what_lies_at_a_point_is_found(self) -> None:
        joint, head = self.shown.joints[0], self.shown.heads[1]
        self.assertEqual(self.shown.at(joint.box.x + 2, joint.box.middle), joint)
        self.assertEqual(self.shown.at(head.box.x + 30, head.box.middle), head)
        self.assertEqual(self.shown.lane_at(shapes.HEADS_WIDTH + 40, head.box.middle), "l1")
        self.assertIsNone(self.shown.at(shapes.HEADS_WIDTH + 3, 2))
