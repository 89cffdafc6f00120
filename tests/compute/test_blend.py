"""Sources of different grain meet without doubling; tables of one shape stand below each other."""

import datetime as dt
import sqlite3
import unittest
from decimal import Decimal
from pathlib import Path
from random import Random
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

import keen_trellis as kt
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Kind
from keen_trellis.document.items import BlendedLane, BlendItem, FigureItem
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.figures import How
from keen_trellis.plan.nodes import Read
from keen_trellis.plan.spans import SPANS
from tests.places.plans import Plans, here, rows_of

DEMO = Path(__file__).parents[2] / "demo"
ROWS = st.lists(
    st.tuples(
        st.none() | st.sampled_from("ab"),
        st.none() | st.integers(0, 1),
        st.none() | st.integers(-5, 5),
    ),
    max_size=10,
)


def table(rows: list[Any]) -> kt.Table:
    kinds = (kt.Kind.TEXT, kt.Kind.INTEGER, kt.Kind.INTEGER)
    columns = {
        name: kt.Column.of([row[n] for row in rows], kind)
        for n, (name, kind) in enumerate(zip(("g", "h", "v"), kinds, strict=True))
    }
    return kt.Table.of(columns)


class SummaryTest(unittest.TestCase):
    @settings(max_examples=150)
    @given(ROWS, st.sampled_from([("g",), ("g", "h"), ()]))
    def test_every_figure_is_that_of_sql(self, rows: list[Any], by: tuple[str, ...]) -> None:
        hows: tuple[How, ...] = ("sum", "count", "distinct count", "average", "min", "max")
        figures = [kt.Figure("v", how) for how in hows]
        made = kt.summarise(table(rows), by, [kt.Figure(None), *figures])
        with sqlite3.connect(":memory:") as database:
            database.execute("create table t (g, h, v)")
            database.executemany("insert into t values (?, ?, ?)", rows)
            groups = f"{', '.join(by)}," if by else ""
            query = (
                f"select {groups} count(*), sum(v), count(v), count(distinct v), avg(v), min(v), "
                f"max(v) from t {'group by ' + ', '.join(by) if by else ''} order by min(rowid)"
            )
            expected = database.execute(query).fetchall()
        database.close()
        self.assertEqual(list(made.rows()), expected)

    def test_first_and_last_are_values_and_sums_stay_exact(self) -> None:
        big = Decimal("99999999999999999999.25")
        rows = kt.Table.from_columns(
            {
                "g": ["a", "a", "b", "a"],
                "fare": [None, Decimal("0.10"), None, Decimal("0.20")],
                "much": [big, big, big, None],
                "many": [2**62, 2**62, 1, 2**62],
            }
        )
        figures = [
            kt.Figure(c, how)
            for c, how in (
                ("fare", "first"),
                ("fare", "last"),
                ("fare", "sum"),
                ("much", "sum"),
                ("many", "sum"),
            )
        ]
        self.assertEqual(
            list(kt.summarise(rows, ["g"], figures).rows()),
            [
                (
                    "a",
                    Decimal("0.10"),
                    Decimal("0.20"),
                    Decimal("0.30"),
                    2 * big,
                    Decimal(3 * 2**62),
                ),
                ("b", None, None, None, big, Decimal(1)),
            ],
        )
        with self.assertRaisesRegex(kt.UserError, "no sum of “g”, which is text"):
            kt.summarise(rows, [], [kt.Figure("g")])


class BlendTest(unittest.TestCase):
    """Targets per month and zone against takings per month, route, ticket and office."""

    BUDGET = kt.Table.from_columns(
        {"month": ["01", "01", "02"], "zone": ["Inner", "Outer", "Inner"], "target": [10, 20, 30]}
    )
    TAKINGS = kt.Table.from_columns(
        {
            "when": ["01", "01", "01", "03"],
            "area": ["Inner", "Inner", "Outer", "Inner"],
            "office": ["Brae", "Tolland", "Brae", "Brae"],
            "amount": [Decimal("1.50"), Decimal("2.25"), None, Decimal("4.00")],
        }
    )

    def blended(self, *filters: kt.Filter) -> kt.Blend:
        sources = [
            kt.BlendSource("Budget", self.BUDGET, (kt.Figure("target", name="target"),)),
            kt.BlendSource(
                "Takings",
                self.TAKINGS,
                (kt.Figure("amount", name="amount"), kt.Figure(None)),
                ("when", "area"),
            ),
        ]
        return kt.blend(sources, ["month", "zone"], filters)

    def test_nothing_is_doubled_and_what_one_source_lacks_is_a_gap(self) -> None:
        made = self.blended()
        self.assertEqual(
            list(made.outcome.rows()),
            [
                ("01", "Inner", 10, Decimal("3.75"), 2),
                ("01", "Outer", 20, None, 1),
                ("02", "Inner", 30, None, None),
                ("03", "Inner", None, Decimal("4.00"), 1),
            ],
        )
        amount = made.outcome.column("amount")
        assert amount.state is not None
        self.assertEqual(list(amount.state), [0, 1, 2, 0])
        total = kt.summarise(made.outcome, [], [kt.Figure("target")])
        self.assertEqual(list(total.rows()), [(60,)])

    def test_a_filter_goes_to_every_source_first_and_its_reach_is_said(self) -> None:
        made = self.blended(kt.Filter("month", "=", ("01",)), kt.Filter("office", "in", ("Brae",)))
        self.assertEqual(
            list(made.outcome.rows()),
            [("01", "Inner", 10, Decimal("1.50"), 1), ("01", "Outer", 20, None, 1)],
        )
        self.assertEqual(
            [reach.sentence() for reach in made.reach],
            [
                "month = 01: reaches Budget and Takings.",
                "office in Brae: reaches Takings; Budget stays whole.",
            ],
        )

    def test_filters_mean_what_sql_means(self) -> None:
        days = kt.Table.from_columns(
            {"day": [dt.date(2026, 1, n) for n in (1, 5, 9)] + [None], "n": [1, 2, 3, 4]}
        )
        for test, values, kept in (
            ("between", (dt.date(2026, 1, 2), dt.date(2026, 1, 9)), [2, 3]),
            ("<>", (dt.date(2026, 1, 5),), [1, 3]),
            (">", (dt.date(2026, 1, 5),), [3]),
            ("<=", (dt.date(2026, 1, 5),), [1, 2]),
            ("is blank", (), [4]),
            ("is not blank", (), [1, 2, 3]),
        ):
            from keen_trellis.compute.expression_values import filtered

            got = filtered(days, kt.Filter("day", test, values))  # type: ignore[arg-type]
            self.assertEqual(got.column("n").to_list(), kept, test)
        with self.assertRaisesRegex(kt.UserError, "compares date with text"):
            self.assertIsNone(
                kt.blend(
                    [
                        kt.BlendSource("A", days, (), ("day",)),
                        kt.BlendSource("B", days, (), ("day",)),
                    ],
                    ["day"],
                    [kt.Filter("day", "=", ("soon",))],
                )
            )


DAYS = st.sampled_from([dt.date(2026, 1, 1), dt.date(2026, 1, 31), dt.date(2025, 12, 29)])
MOMENTS = DAYS.map(lambda day: dt.datetime.combine(day, dt.time(13, 22))) | DAYS.map(
    lambda day: dt.datetime.combine(day, dt.time())
)


def first_day(value: Any, span: str | None, is_mixed: bool) -> Any:
    """Return the key of a day or moment by a span, with Python's calendar."""
    if value is None or span is None:
        return value.date() if is_mixed and isinstance(value, dt.datetime) else value
    day = value.date() if isinstance(value, dt.datetime) else value
    match span:
        case "week":
            return day - dt.timedelta(day.weekday())
        case "month" | "year":
            return day.replace(day=1, month=1 if span == "year" else day.month)
        case "quarter":
            return day.replace(day=1, month=(day.month - 1) // 3 * 3 + 1)
    return day


class BlendsByChanceTest(unittest.TestCase):
    """Lanes of days and of moments, by any span, against dictionaries of Python."""

    @settings(max_examples=150, deadline=None)
    @given(
        st.lists(
            st.sampled_from([DAYS, MOMENTS]).flatmap(
                lambda days: st.lists(
                    st.tuples(st.none() | days, st.integers(-5, 5)), max_size=6
                ).map(lambda rows: (Kind.DATE if days is DAYS else Kind.DATE_TIME, rows))
            ),
            min_size=2,
            max_size=4,
        ),
        st.sampled_from([None, *SPANS]),
        st.sets(st.sampled_from(["left", "right"])).map(lambda outer: {"both", *outer}),
    )
    def test_every_row_is_in_one_group_of_the_span(
        self, lanes: list[Any], span: Any, keep: set[str]
    ) -> None:
        plans = Plans(Random(0))
        nodes, names = [], [f"lane {n}" for n in range(len(lanes))]
        for name, (kind, rows) in zip(names, lanes, strict=True):
            cells = [[row[n] for row in rows] for n in (0, 1)]
            table = kt.Table.of(
                {
                    "day": kt.Column.of(cells[0], kind),
                    "v": kt.Column.of(cells[1], kt.Kind.INTEGER),
                }
            )
            plans.tables[name] = table
            nodes.append(Read(name, name, schema_of(table)))
        figures = [(FigureItem(column="v", name=f"sum {n}"),) for n in range(len(lanes))]
        item = BlendItem(
            id="blend",
            fields=("day",),
            figures=figures[0],
            lanes=tuple(
                BlendedLane(lane=name, fields=("day",), figures=own)
                for name, own in zip(names[1:], figures[1:], strict=True)
            ),
            keep=tuple(Bay(one) for one in ("left", "both", "right") if one in keep),
            spans=(span,),
        )
        found = rows_of(here(item.node(nodes[0], nodes[1:], names), plans.tables, {}))
        is_mixed = len({kind for kind, _ in lanes}) == 2
        wanted: dict[Any, list[int | None]] = {}
        for n, (_, rows) in enumerate(lanes):
            sums: dict[Any, int] = {}
            for value, v in rows:
                key = first_day(value, span, is_mixed)
                sums[key] = sums.get(key, 0) + v
            before, wanted = wanted, {}
            for key in {**before, **sums}:
                bay = (
                    "both"
                    if key in before and key in sums
                    else "left"
                    if key in before
                    else "right"
                )
                if n == 0 or bay in keep:
                    wanted[key] = [*before.get(key, [None] * n), sums.get(key)]
        columns = ["day", *(f"sum {n}" for n in range(len(lanes)))]
        got = list(zip(*(found.column(name).to_list() for name in columns), strict=True))
        self.assertCountEqual(got, [(key, *sums) for key, sums in wanted.items()])


class StackTest(unittest.TestCase):
    def test_the_months_of_the_demo_stand_below_each_other_by_name(self) -> None:
        months = {p.stem: kt.read(p) for p in sorted((DEMO / "takings").glob("*.csv"))}
        made = kt.stack(months, source_column="file")
        self.assertEqual(len(made.outcome), sum(map(len, months.values())))
        self.assertEqual(
            made.outcome.columns, ("file", "month", "route", "ticket type", "office", "amount")
        )
        totals = kt.summarise(made.outcome, ["file"], [kt.Figure("amount"), kt.Figure(None)])
        for (name, amount, rows), month in zip(totals.rows(), months.values(), strict=True):
            single = kt.summarise(month, [], [kt.Figure("amount")])
            self.assertEqual([(amount,)], list(single.rows()), name)
            self.assertEqual(rows, len(month))

    def test_kinds_are_reconciled_and_missing_columns_are_gaps(self) -> None:
        made = kt.stack(
            {
                "A": kt.Table.from_columns({"x": [1, None], "y": ["a", "b"]}),
                "B": kt.Table.from_columns({"x": [Decimal("1.50")], "z": [dt.date(2026, 1, 1)]}),
                "C": kt.Table.from_columns({"x": ["n/a"], "z": [dt.datetime(2026, 1, 1, 8)]}),
            }
        )
        self.assertEqual(
            list(made.outcome.rows()),
            [
                ("A", "1", "a", None),
                ("A", None, "b", None),
                ("B", "1.50", None, dt.datetime(2026, 1, 1)),
                ("C", "n/a", None, dt.datetime(2026, 1, 1, 8)),
            ],
        )
        x, y = made.outcome.column("x"), made.outcome.column("y")
        assert x.state is not None and y.state is not None
        self.assertEqual((list(x.state), list(y.state)), ([0, 1, 0, 0], [0, 0, 2, 2]))
        self.assertEqual(
            made.notes,
            (
                "B and C have no “y”.",
                "A has no “z”.",
                "“x” is integer in A, exact decimal in B and text in C; stacked it is text.",
                "“z” is date in B and date-time in C; stacked it is date-time.",
            ),
        )

    @given(ROWS, ROWS)
    def test_repeats_are_left_out_as_a_union_does(self, above: list[Any], below: list[Any]) -> None:
        made = kt.stack({"A": table(above), "B": table(below)}, "", repeats=False)
        self.assertEqual(list(made.outcome.rows()), list(dict.fromkeys([*above, *below])))
        self.assertEqual(made.left_out, len(above) + len(below) - len(made.outcome))
