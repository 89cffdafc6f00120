"""What goes on: semi and cross joins, same-named columns, chains, and the face for notebooks."""

import datetime as dt
import tempfile
import unittest
from decimal import Decimal
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
import pyarrow as pa
from hypothesis import given, settings
from hypothesis import strategies as st

import keen_trellis as kt
from keen_trellis.base.errors import TooManyRowsError
from keen_trellis.compute import outcome_rows as outcome
from keen_trellis.compute.same_named import same_named as how_alike
from keen_trellis.data import GAP

SAILINGS = kt.Table.from_columns(
    {"sailing": [1, 2, 3, 4], "route": ["a", "b", "zz", "a"], "zone": ["x", None, "y", "z"]}
)
ROUTES = kt.Table.from_columns(
    {"code": ["a", "a", "b", "c"], "zone": ["I", "J", None, "O"], "miles": [1, 2, 3, 4]}
)
ON = [("route", "code")]


class ColumnsTest(unittest.TestCase):
    def rows(self, keep: tuple[str, ...], **columns: Any) -> list[tuple[Any, ...]]:
        tied = kt.tie(SAILINGS, ROUTES, ON, keep, columns=kt.Columns(**columns))
        return list(tied.outcome.rows())

    def test_a_semi_join_keeps_each_found_row_once(self) -> None:
        self.assertEqual([r[0] for r in self.rows(("both",), right=())], [1, 2, 4])
        self.assertEqual([r[2] for r in self.rows(("both",), left=())], [1, 2, 3])
        tied = kt.tie(
            SAILINGS,
            ROUTES,
            ON,
            ("both",),
            columns=kt.Columns(right=()),
            names=("Sailings", "Routes"),
        )
        self.assertEqual(tied.join_name, "left semi")
        self.assertIn(
            "3 rows go on: the Sailings rows that have a match in Routes, each once",
            tied.sentence(),
        )
        semi = {t.semi: t.rows for t in tied.join_types() if t.semi}
        self.assertEqual(semi, {"left": 3, "right": 3})

    def test_too_many_cells_are_refused_before_anything_is_built(self) -> None:
        tied = kt.tie(SAILINGS, ROUTES, ON, ("left", "both"))
        cells = len(tied.outcome) * len(tied.outcome.columns)
        with mock.patch.object(outcome, "CELLS_LIMIT", cells - 1):
            again = kt.tie(SAILINGS, ROUTES, ON, ("left", "both"))
            with self.assertRaisesRegex(TooManyRowsError, f"{cells} cells, where {cells - 1} are"):
                _ = again.outcome

    def test_columns_of_the_same_name(self) -> None:
        keep = ("left", "both", "right")
        for same_named, columns in (
            ("both", ("sailing", "route", "zone", "zone (right)", "miles")),
            ("left", ("sailing", "route", "zone", "miles")),
            ("right", ("sailing", "route", "zone", "miles")),
            ("filled", ("sailing", "route", "zone", "miles")),
        ):
            tied = kt.tie(SAILINGS, ROUTES, ON, keep, columns=kt.Columns(same_named))
            self.assertEqual(tied.outcome.columns, columns)
        left, filled = (self.rows(keep, same_named=s) for s in ("left", "filled"))
        self.assertEqual((left[-1][2], filled[-1][2]), (None, "O"))
        self.assertEqual(filled[2][2], None)  # a blank of the left side is no gap
        right = kt.tie(SAILINGS, ROUTES, ON, keep, columns=kt.Columns("right")).outcome
        self.assertEqual(right.column("zone").to_list(), ["I", "J", None, None, "I", "J", "O"])

    def test_link_fields_twice_and_only_the_columns_wanted(self) -> None:
        tied = kt.tie(SAILINGS, ROUTES, ON, columns=kt.Columns(link="both", right=("code",)))
        self.assertEqual(tied.outcome.columns, ("sailing", "route", "zone", "code"))
        with self.assertRaisesRegex(kt.UserError, "no column “mile” in right. Did you mean"):
            _ = kt.tie(SAILINGS, ROUTES, ON, columns=kt.Columns(right=("mile",))).outcome

    def test_gaps_are_told_from_blanks_by_column(self) -> None:
        tied = kt.tie(SAILINGS, ROUTES, ON)
        self.assertEqual(tied.gaps("zone (right)").tolist(), [False] * 3 + [True] + [False] * 2)


NAMES = st.sets(st.sampled_from("abcd"), min_size=1, max_size=4).map(sorted)
CELLS = st.none() | st.integers(0, 2)


class ArrangedTest(unittest.TestCase):
    """Columns under other names, in another order, with something in the place of gaps."""

    def tied(self, keep: Any = ("left", "both"), **columns: Any) -> kt.Tie:
        return kt.tie(SAILINGS, ROUTES, ON, keep, columns=kt.Columns(**columns))

    def test_names_order_and_what_fills_gaps(self) -> None:
        made = self.tied(
            renamed=(("zone (right)", "area"), ("miles", "distance")),
            order=("area", "sailing"),
            fills=(("area", "no route"), ("distance", "0"), ("zone", "never a gap")),
        ).outcome
        self.assertEqual(made.columns, ("area", "sailing", "route", "zone", "distance"))
        self.assertEqual(
            [(row[0], row[1], row[3], row[4]) for row in made.rows()],
            [
                ("I", 1, "x", 1),
                ("J", 1, "x", 2),
                (None, 2, None, 3),  # both were blank in their sources, and stay so
                ("no route", 3, "y", 0),
                ("I", 4, "z", 1),
                ("J", 4, "z", 2),
            ],
        )

    def test_a_side_alone_is_arranged_as_well(self) -> None:
        anti = self.tied(("left",), renamed=(("zone", "area"),), order=("area",))
        self.assertEqual(anti.outcome.columns, ("area", "sailing", "route"))
        semi = self.tied(("both",), right=(), renamed=(("sailing", "no"),))
        self.assertEqual(semi.outcome.columns, ("no", "route", "zone"))

    def test_what_cannot_be_is_refused_with_what_to_do(self) -> None:
        with self.assertRaisesRegex(kt.UserError, "would be called “route”"):
            _ = self.tied(renamed=(("miles", "route"),)).outcome
        with self.assertRaisesRegex(kt.UserError, "“none” is no integer, as “miles” is"):
            _ = self.tied(fills=(("miles", "none"),)).outcome


class SameNamedTest(unittest.TestCase):
    """Columns of one name may mean different things: how often they agree is counted."""

    VALUES = st.none() | st.sampled_from(["a", "A", "b"])
    ROWS = st.lists(st.tuples(st.integers(0, 2), VALUES, st.none() | st.integers(0, 2)), max_size=7)

    @settings(max_examples=150)
    @given(ROWS, ROWS)
    def test_what_is_counted_is_what_the_pairs_hold(self, left: Any, right: Any) -> None:
        kinds = (kt.Kind.INTEGER, kt.Kind.TEXT, kt.Kind.INTEGER)
        tables = [
            kt.Table.of(
                {
                    name: kt.Column.of([row[place] for row in rows], kind)
                    for place, (name, kind) in enumerate(zip("ktn", kinds, strict=True))
                }
            )
            for rows in (left, right)
        ]
        found = {one.name: one for one in how_alike(kt.tie(*tables, on=["k"]))}
        self.assertEqual(list(found), ["t", "n"])
        for place, name in ((1, "t"), (2, "n")):
            pairs = [(a[place], b[place]) for a in left for b in right if a[0] == b[0]]
            one = found[name]
            self.assertEqual(one.rows, len(pairs))
            self.assertEqual(one.equal, sum(a == b for a, b in pairs))
            self.assertEqual(one.only_left, sum(b is None and a is not None for a, b in pairs))
            self.assertEqual(one.only_right, sum(a is None and b is not None for a, b in pairs))
            differ = [(str(a), str(b)) for a, b in pairs if None not in (a, b) and a != b]
            self.assertEqual(one.example, differ[0] if differ else None)

    def test_it_is_said_with_an_example(self) -> None:
        (zone,) = how_alike(kt.tie(SAILINGS, ROUTES, ON))
        said = "zone: the same in 1 of 5 matched rows, “x” against “I” for one"
        self.assertEqual(zone.sentence(("Sailings", "Routes")), said)


class AskedForTest(unittest.TestCase):
    """Columns that share names with others, or with a link field they have nothing to do with."""

    @settings(max_examples=200)
    @given(st.data(), NAMES, NAMES, st.sampled_from(["both", "left", "right", "filled"]))
    def test_what_is_asked_for_by_name_goes_on(
        self, data: Any, mine: list[str], theirs: list[str], same_named: Any
    ) -> None:
        def drawn(names: list[str]) -> kt.Table:
            rows = data.draw(st.integers(1, 3))
            cells = st.lists(CELLS, min_size=rows, max_size=rows)
            made = {name: kt.Column.of(data.draw(cells), kt.Kind.INTEGER) for name in names}
            return kt.Table.of(made)

        left, right = drawn(mine), drawn(theirs)
        on = [(data.draw(st.sampled_from(mine)), data.draw(st.sampled_from(theirs)))]
        asked = [
            data.draw(st.none() | st.lists(st.sampled_from(n), min_size=1, unique=True).map(tuple))
            for n in (mine, theirs)
        ]
        columns = kt.Columns(same_named, data.draw(st.sampled_from(["once", "both"])), *asked)
        tied = kt.tie(left, right, on, "full outer", columns=columns)
        pairs = {s: tied.keeping(["both"]).outcome for s in ("left", "right")}
        shown = [pairs["left"].column(name).to_list() for name in pairs["left"].columns]
        a, b = tied.match.pairs
        for table, rows, names in ((left, a, asked[0]), (right, b, asked[1])):
            for name in names or ():
                other = right if table is left else left
                gives_way = same_named == ("right" if table is left else "left")
                if gives_way and name in other.columns:
                    continue  # the other one of that name stands for both
                if same_named == "filled" and table is right and name in left.columns:
                    continue  # filled from the left, where that is there
                values = table.column(name).take(rows).to_list()
                self.assertIn(values, shown, (name, columns, on))
        self.assertEqual(len(set(tied.outcome.columns)), len(tied.outcome.columns))

    def test_link_fields_of_two_kinds_stand_once_in_the_kind_that_holds_both(self) -> None:
        big = 2**53 + 1
        for a, b, kind, keys in (
            ([1, 2], [Decimal("1.0"), Decimal("2.5")], "exact decimal", ["1.0", "2.0", "2.5"]),
            ([1, 2], [1.0, 2.5], "number", ["1", "2", "2.5"]),
            ([1, big], [1.0, 2.5], "text", ["1", str(big), "2.5"]),
            (
                [dt.date(2026, 1, 5), dt.date(2026, 1, 6)],
                [dt.datetime(2026, 1, 5, 8), dt.datetime(2026, 1, 7, 9)],
                "date-time",
                ["2026-01-05 00:00:00", "2026-01-06 00:00:00", "2026-01-07 09:00:00"],
            ),
            (
                [Decimal(10**37), Decimal(1)],
                [Decimal("1.00"), Decimal("2.55")],
                "text",
                [str(10**37), "1", "2.55"],
            ),
        ):
            left, right = (kt.Table.from_columns({"k": v}) for v in (a, b))
            outcome = kt.tie(left, right, "k", "full outer").outcome
            with self.subTest(kind=kind, a=a):
                self.assertEqual(outcome.field("k").kind, kind)
                self.assertEqual(outcome.column("k").texts().to_pylist(), keys)
                self.assertEqual(outcome.column("k").count(GAP), 0)
                inner = kt.tie(left, right, "k", "left outer").outcome
                self.assertEqual(inner.field("k").kind, left.field("k").kind)

    def test_a_gap_in_a_link_field_matches_nothing(self) -> None:
        gaps = kt.tie(SAILINGS, ROUTES, ON).outcome
        blanks = kt.Table.from_columns({"miles": [None, 1], "x": [7, 8]})
        tied = kt.tie(gaps, blanks, "miles", "full outer", blanks="match")
        self.assertEqual(tied.counts.left.blank, 1)
        self.assertEqual(tied.match.left_only.tolist(), [1, 2, 3, 5])
        self.assertEqual(tied.match.right_only.tolist(), [0])
        text = kt.why_not(tied, 3).text
        self.assertEqual(text, "miles of this row is a gap, and a gap matches nothing.")

    def test_a_column_of_blanks_alone_takes_the_kind_of_what_it_meets(self) -> None:
        blank = kt.Table.from_columns({"k": [None, None]})
        for values in ([1, 2], [1.5], [dt.date(2026, 1, 5)], [True]):
            other = kt.Table.from_columns({"k": values})
            tied = kt.tie(blank, other, "k", "full outer")
            kind = other.field("k").kind
            self.assertEqual((tied.counts.pairs, tied.outcome.field("k").kind), (0, kind))
            self.assertIs(kt.stack({"A": blank, "B": other}).outcome.field("k").kind, kind)


class CrossAndChainTest(unittest.TestCase):
    def test_every_pair_only_when_asked_and_never_too_many(self) -> None:
        tied = kt.tie(SAILINGS, ROUTES, "cross")
        self.assertEqual((len(tied.outcome), tied.join_name), (16, "cross"))
        self.assertEqual(len(tied.outcome.columns), 6)
        many = kt.Table.of({"n": kt.Column(kt.Kind.INTEGER, np.arange(5_000))})
        with self.assertRaisesRegex(kt.UserError, "25,000,000 rows; the limit is 10,000,000"):
            _ = kt.tie(many, many, "cross").outcome
        self.assertEqual(len(kt.tie(many, many, "cross", limit=30_000_000).outcome), 25_000_000)
        with self.assertRaisesRegex(kt.UserError, "without a link field"):
            kt.tie(many, many, [])

    def test_a_table_tied_with_itself(self) -> None:
        people = kt.Table.from_columns({"id": [1, 2, 3], "name": list("abc"), "lead": [None, 1, 1]})
        tied = kt.tie(
            people,
            people,
            [("lead", "id")],
            names=("Crew", "Leads"),
            columns=kt.Columns(right=("name",)),
        )
        self.assertEqual(tied.outcome.column("name (Leads)").to_list(), [None, "a", "a"])

    def test_ten_ties_deep_nothing_is_copied_and_every_gap_is_known(self) -> None:
        table = kt.Table.from_columns({"k": list(range(100))})
        for depth in range(10):
            keys = [n for n in range(100) if n % (depth + 2)]
            other = kt.Table.from_columns({"k": keys, f"v{depth}": [n * depth for n in keys]})
            table = kt.tie(table, other, ["k"]).outcome
        self.assertEqual((len(table), len(table.columns)), (100, 11))
        for depth in range(10):
            column = table.column(f"v{depth}")
            assert column.state is not None
            gaps = np.flatnonzero(column.state == GAP)
            self.assertEqual(gaps.tolist(), [n for n in range(100) if n % (depth + 2) == 0])


class EmptyTest(unittest.TestCase):
    """A month without a row is no accident of the program."""

    NONE = kt.Table.of({"k": kt.Column.of([], kt.Kind.TEXT)})
    ONE = kt.Table.from_columns({"k": ["a"]})

    def test_ties_with_an_empty_side(self) -> None:
        for left, right, rows, said in (
            (self.NONE, self.ONE, [("a",)], "1 row goes on: the 1 right row without a match"),
            (self.ONE, self.NONE, [("a",)], "1 row goes on: every left row once, 1 of them with"),
            (self.NONE, self.NONE, [], "0 rows go on."),
        ):
            for on in (["k"], [("k", "<", "k")], [("k", "<>", "k")]):
                tied = kt.tie(left, right, on, ["left", "both", "right"])
                self.assertEqual(tied.counts.pairs, 0)
                self.assertEqual(len(tied.outcome), len(rows))
            tied = kt.tie(left, right, ["k"], ["left", "both", "right"])
            self.assertEqual(list(tied.outcome.rows()), rows)
            self.assertIn(said, tied.sentence())
            self.assertIsInstance(tied.findings(), list)
            self.assertEqual(kt.propose_pairs(tied), [])

    def test_everything_else_takes_an_empty_table(self) -> None:
        self.assertEqual(kt.propose_links(self.NONE, self.ONE), [])
        counted = kt.summarise(self.NONE, [], [kt.Figure(None), kt.Figure("k", "max")])
        self.assertEqual(list(counted.rows()), [(0, None)])
        self.assertEqual(len(kt.summarise(self.NONE, ["k"], [kt.Figure(None)])), 0)
        stacked = kt.stack({"A": self.NONE, "B": self.ONE})
        self.assertEqual(list(stacked.outcome.rows()), [("B", "a")])
        self.assertEqual(len(kt.tie(self.NONE, self.ONE, "cross").outcome), 0)
        one_of_none = kt.tie(self.ONE, self.NONE, "cross", partner="first")
        self.assertEqual((one_of_none.counts.pairs, len(one_of_none.outcome)), (0, 1))


class NotebookTest(unittest.TestCase):
    def test_read_tie_and_deliver(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "in.csv"
            path.write_text("code;fare\n007;1.5\n8;x\n")
            table = kt.read(f"file://{path}", kinds={"code": "integer"})
            self.assertEqual(table.column("code").to_list(), [7, 8])
            with self.assertRaisesRegex(kt.UserError, "“x” in row 2 of “fare” .* is no exact"):
                kt.read(path, kinds={"fare": "exact decimal"})
            with self.assertRaisesRegex(kt.UserError, "https addresses cannot be read"):
                kt.read("https://example.org/x.csv")
            out = Path(folder) / "out.csv"
            kt.deliver(kt.tie(table, table, ["code"]).outcome, str(out))
            self.assertEqual(kt.read(out).columns, ("code", "fare", "fare (right)"))

    def test_ties_bays_and_reports_show_themselves_in_a_notebook(self) -> None:
        tied = kt.tie(SAILINGS, ROUTES, ON, names=("Sailings", "<Routes>"))
        shown = tied.bays._repr_html_()
        self.assertIn("only in &lt;Routes&gt; <small>(left)", shown)
        self.assertIn("5 rows of 6 columns", shown)
        self.assertIn(shown, tied._repr_html_())
        told = tied.report("zone", {"sailing": "sum"}, picture="bars")._repr_html_()
        for part in ("<th>zone</th>", "<td>blank</td><td>2</td>", "<td>all</td>", "<svg"):
            self.assertIn(part, told)

    def test_every_public_name_is_there(self) -> None:
        for name in kt.__all__:
            self.assertTrue(getattr(kt, name).__doc__, name)
        same = pa.table([[1, 2], ["x", None], [3, 4]], names=["a", "a", "a 2"])
        self.assertEqual(kt.Table.from_arrow(same).columns, ("a", "a 3", "a 2"))
        arrow = SAILINGS.to_arrow()
        self.assertEqual(list(kt.Table.from_arrow(arrow).rows()), list(SAILINGS.rows()))
