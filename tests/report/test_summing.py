"""A report says what PostgreSQL says of the same rows, at every level; nothing is added twice."""

import datetime as dt
import unittest
import uuid
from decimal import ROUND_FLOOR, Context, Decimal, localcontext
from typing import Any, get_args

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from keen_trellis.base.errors import LinkError
from keen_trellis.data import Column, Kind, Table
from keen_trellis.document.items import Taken
from keen_trellis.document.reports import Report, ReportFigure, ReportGroup, Shown
from keen_trellis.report.summing import Summed, summed
from tests.postgres_case import PostgresTestCase

KINDS = {"day": Kind.DATE, "zone": Kind.TEXT, "n": Kind.INTEGER, "x": Kind.EXACT}
ROWS = st.lists(
    st.tuples(
        st.none() | st.dates(dt.date(1, 1, 1), dt.date(9999, 12, 31)),
        st.none() | st.sampled_from(["Inner", "Outer", "inner", "é", "", " Inner"]),
        st.none() | st.integers(-(2**63), 2**63 - 1) | st.integers(-3, 3),
        st.none() | st.decimals(-(10**9), 10**9, places=2, allow_nan=False, allow_infinity=False),
    ),
    max_size=25,
)
SPANS = st.sampled_from(["day", "month", "quarter", "year", "week"])
LABELS = {
    "day": "YYYY-MM-DD",
    "month": "YYYY-MM",
    "quarter": 'YYYY "Q"Q',
    "year": "YYYY",
    "week": 'IYYY"-W"IW',
}


def table_of(rows: list[tuple[Any, ...]]) -> Table:
    columns = list(zip(*rows, strict=True)) or [()] * len(KINDS)
    return Table.of(
        {
            name: Column.of(list(values), kind)
            for (name, kind), values in zip(KINDS.items(), columns, strict=True)
        }
    )


def report(**settings: Any) -> Report:
    return Report(id="r", name="Season", at=Taken(lane="l"), **settings)


def as_lines(found: Summed) -> dict[tuple[str | None, ...], tuple[Any, ...]]:
    """Return figures by groups; None for the groups that a line adds up."""
    n = found.n_groups
    return {
        (*(cell.text for cell in line.groups), *[None] * (n - line.level)): line.figures
        for line in found.lines
    }


class ReportsInPostgres(PostgresTestCase):
    @settings(max_examples=60)
    @given(ROWS, SPANS)
    def test_every_level_is_what_the_server_says(self, rows: list[Any], span: str) -> None:
        name = f"keen_{uuid.uuid4().hex}"
        self.server.execute(
            f"create temp table {name} (day date, zone text, n bigint, x numeric(20, 2))"
        )
        with self.server.cursor() as cursor:
            cursor.executemany(f"insert into {name} values (%s, %s, %s, %s)", rows)
        label = f"case when day is null then 'blank' else to_char(day, '{LABELS[span]}') end"
        asked = self.server.execute(
            f"""select case when grouping({label}) = 0 then {label} end,
            case when grouping(coalesce(zone, 'blank')) = 0 then coalesce(zone, 'blank') end,
            sum(n), count(x), count(distinct x), min(zone collate "C"), max(x), sum(x), avg(x),
            count(*) from {name} group by rollup ({label}, coalesce(zone, 'blank'))"""
        ).fetchall()
        self.server.execute(f"drop table {name}")
        figures = [("n", "sum"), ("x", "count"), ("x", "distinct count"), ("zone", "min")]
        figures += [("x", "max"), ("x", "sum"), ("x", "average"), (None, "count")]
        found = summed(
            table_of(rows),
            report(
                groups=({"column": "day", "by": span}, {"column": "zone"}),
                figures=tuple({"column": c, "how": h} for c, h in figures),
            ),
        )
        lines = as_lines(found)
        for first, second, *expected in asked:
            several = sum(1 for a, b, *_ in asked if a == first and b is not None) > 1
            if second is None and first is not None and not several:
                continue  # a group of one has no line of its own behind it
            got = list(lines.pop((first, second)))
            average, other = got.pop(6), expected.pop(6)
            self.assertEqual(got, expected, (first, second))
            if other is None:
                self.assertIsNone(average)
            else:
                self.assertTrue(np.isclose(float(other), average, rtol=1e-12, atol=1e-12))
        self.assertEqual(lines, {})
        self.assertEqual(sum(line.rows for line in found.full_lines), len(rows))
        for line in found.lines:
            self.assertEqual(len(found.rows_of(line)), line.rows)


class AnAnalystSummarises(unittest.TestCase):
    TABLE = table_of(
        [
            (dt.date(2026, 1, 5), "Inner", 10, Decimal("1.50")),
            (dt.date(2026, 1, 9), "Outer", 30, Decimal("2.50")),
            (dt.date(2026, 2, 1), "Inner", 60, None),
            (None, None, None, Decimal("4.00")),
        ]
    )

    def lines(self, **settings: Any) -> list[tuple[Any, ...]]:
        found = summed(self.TABLE, report(**settings))
        return [
            (
                *(cell.text for cell in line.groups),
                *(found.figure_text(n, value) for n, value in enumerate(line.figures)),
            )
            for line in found.lines
        ]

    def test_shares_running_totals_and_differences(self) -> None:
        shown = get_args(Shown)
        figures = tuple(ReportFigure(column="n", shown=one) for one in shown)
        self.assertEqual(
            self.lines(groups=(ReportGroup(column="day", by="month"),), figures=figures),
            [
                ("2026-01", "40", "40.0 %", "40", "–", "–"),
                ("2026-02", "60", "60.0 %", "100", "20", "20"),
                ("blank", "–", "–", "100", "–", "–"),
                ("100", "100.0 %", "100", "–", "–"),
            ],
        )

    def test_a_share_that_is_infinite_is_none(self) -> None:
        columns = {"zone": ["A", "B"], "n": [float("inf"), 1.0]}
        for how in ("min", "max"):
            figure = ReportFigure(column="n", how=how, shown="share of all")
            asked = report(groups=({"column": "zone"},), figures=(figure,))
            found = summed(Table.from_columns(columns), asked)
            told = [found.figure_text(0, line.figures[0]) for line in found.lines]
            self.assertEqual(told[0], "–")

    def test_the_first_groups_and_the_rest_whose_average_is_of_its_rows(self) -> None:
        rows = [(None, zone, n, None) for zone, n in [("A", 9), ("B", 1), ("B", 2), ("C", 6)]]
        figures = (ReportFigure(column="n"), ReportFigure(column="n", how="average"))
        first: dict[str, Any] = {"top": 1, "sorted_by": 0, "descending": True}
        found = summed(
            table_of(rows), report(groups=({"column": "zone"},), figures=figures, **first)
        )
        self.assertEqual(
            [(line.groups[0].text, *line.figures) for line in found.full_lines],
            [("A", 9, 9.0), ("the rest", 9, 3.0)],
        )
        self.assertEqual(len(found.rows_of(found.full_lines[1])), 3)

    def test_the_first_groups_from_the_end_are_values_and_a_value_may_be_called_the_rest(
        self,
    ) -> None:
        zones = ["A", "the rest", "C", None, None]
        table = table_of([(None, zone, 1, None) for zone in zones])
        for settings_, groups in (
            ({"top": 2}, ["the rest", "C", "the rest"]),
            ({"top": 4}, ["the rest", "C", "A", "blank"]),
            ({}, ["the rest", "C", "A", "blank"]),
        ):
            found = summed(
                table, report(groups=({"column": "zone"},), descending=True, **settings_)
            )
            self.assertEqual([line.groups[0].text for line in found.full_lines], groups)

    def test_a_gap_stands_apart_from_a_blank_and_is_said_with_its_rows(self) -> None:
        table = self.TABLE.take(np.array([0, 3, -1, -1])).with_origin("routes")
        asked = report(groups=({"column": "zone"},), figures=({"how": "count"},))
        found = summed(table, asked, lanes={"routes": "Routes"})
        self.assertEqual(
            [(line.groups[0].text, line.rows) for line in found.full_lines],
            [("Inner", 1), ("blank", 1), ("no match", 2)],
        )
        self.assertIn("2 rows have no Routes match: they count under “no match”", found.notes[0])

    def test_spans_of_numbers_hold_their_lower_end_also_below_zero(self) -> None:
        rows = [(None, None, n, None) for n in (-11, -10, -1, 0, 9, 10)]
        found = summed(
            table_of(rows),
            report(groups=({"column": "n", "by": "width", "width": "10"},)),
        )
        self.assertEqual(
            [(line.groups[0].text, line.rows) for line in found.full_lines],
            [
                ("-20 to under -10", 1),
                ("-10 to under 0", 2),
                ("0 to under 10", 2),
                ("10 to under 20", 1),
            ],
        )

    @given(
        st.lists(st.floats(allow_nan=False, allow_infinity=False) | st.integers(-99, 99)),
        st.decimals("0.001", 1000, places=3),
    )
    @example([-0.30000000000000004], Decimal("0.1"))  # a hair below an end
    def test_a_number_is_in_the_span_that_is_shown(
        self, numbers: list[float], width: Decimal
    ) -> None:
        numbers += [one / 10 for one in numbers]  # 0.3 is no double, and yet at an end
        found = summed(
            Table.of({"n": Column.of(numbers, Kind.NUMBER)}),
            report(groups=({"column": "n", "by": "width", "width": str(width)},)),
        )
        with localcontext(Context(prec=700)):
            for line in found.full_lines:
                lower = Decimal(line.groups[0].text.split(" to ")[0])
                for number in found.rows_of(line).column("n").to_list():
                    shown = Decimal(repr(number))
                    count = (shown / width).to_integral_value(ROUND_FLOOR)
                    self.assertEqual(float(count * width), float(lower))

    def test_figures_of_thirty_digits_are_not_rounded_on_their_way(self) -> None:
        digits = "10000000000000000000000000000"
        large, larger = Decimal(f"{digits}0.25"), Decimal(f"{digits}1.25")
        rows = [(None, "A", None, large), (None, "B", None, larger)]
        shown = [ReportFigure(column="x", shown=one) for one in ("running total", "as it is")]
        change = ReportFigure(column="x", shown="against the one before")
        found = summed(
            table_of(rows),
            report(groups=({"column": "zone"},), figures=(*shown, change)),
        )
        first, second = found.full_lines
        self.assertEqual((first.figures[0], second.figures[2]), (large, 1))
        self.assertEqual(str(second.figures[0]), "200000000000000000000000000001.50")
        by_size = {"sorted_by": 0, "descending": True}
        found = summed(
            table_of(rows),
            report(groups=({"column": "zone"},), figures=(shown[1],), **by_size),
        )
        self.assertEqual([line.groups[0].text for line in found.full_lines], ["B", "A"])
        spans = {"column": "x", "by": "width", "width": "0.5"}
        found = summed(table_of(rows), report(groups=(spans,)))
        self.assertEqual(
            found.full_lines[0].groups[0].text,
            "100000000000000000000000000000.0 to under 100000000000000000000000000000.5",
        )

    def test_groups_in_the_order_of_a_figure_and_none_without_rows(self) -> None:
        by_sum = self.lines(
            groups=(ReportGroup(column="zone"),),
            figures=(ReportFigure(column="n"),),
            sorted_by=0,
            descending=True,
        )
        self.assertEqual([line[0] for line in by_sum], ["Inner", "Outer", "blank", "100"])
        empty = summed(table_of([]), report(groups=({"column": "zone"},)))
        self.assertEqual([(line.level, line.rows) for line in empty.lines], [(0, 0)])

    def test_what_does_not_go_together_is_said(self) -> None:
        for settings_, words in (
            ({"groups": ({"column": "zone", "by": "month"},)}, "no months or years"),
            ({"figures": ({"column": "zone", "how": "sum"},)}, "There is no sum of “zone”"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(LinkError, words):
                summed(self.TABLE, report(**settings_))
        with self.assertRaisesRegex(ValueError, "no width"):
            ReportGroup(column="n", by="width", width="-1")
