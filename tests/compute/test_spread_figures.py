"""Figures of how values lie: exact where decimals are, as PostgreSQL has them, blanks left out."""

import datetime as dt
import math
import statistics
import unittest
from collections import Counter
from decimal import Decimal
from fractions import Fraction
from typing import Any

from hypothesis import example, given, settings
from hypothesis import strategies as st

import keen_trellis as kt
from keen_trellis.base.errors import LinkError
from keen_trellis.compute.summary import summarise
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import BLANK, Column, Kind, Table
from keen_trellis.plan.figures import FIGURES, OF_NUMBERS, QUARTERS, hows_of
from tests.postgres_case import PostgresTestCase

GROUPS = st.sampled_from(["a", "b", "", None])
INTEGERS = st.one_of(st.integers(-9, 9), st.integers(-(2**63), 2**63 - 1))
EXACT = st.one_of(
    st.decimals(-9, 9, places=2), st.decimals(Decimal(-(10**30)), Decimal(10**30), places=8)
)
NUMBERS = st.one_of(st.integers(-9, 9).map(float), st.floats(-1e150, 1e150))
VALUES = {
    Kind.INTEGER: INTEGERS,
    Kind.EXACT: EXACT,
    Kind.NUMBER: NUMBERS,
    Kind.TEXT: st.text("ab é", max_size=2),
    Kind.DATE: st.dates(dt.date(2026, 1, 1), dt.date(2026, 1, 5)),
    Kind.DATE_TIME: st.datetimes(dt.datetime(2026, 1, 1), dt.datetime(2026, 1, 2)),
    Kind.TIME: st.times(),
    Kind.BOOLEAN: st.booleans(),
}
ROWS = st.sampled_from([*VALUES]).flatmap(
    lambda kind: st.tuples(
        st.just(kind), st.lists(st.tuples(GROUPS, st.none() | VALUES[kind]), max_size=12)
    )
)
HOWS = (*OF_NUMBERS[2:], "most frequent", "list", "true share")


def expected(how: str, values: list[Any], shown: list[str]) -> Any:
    """Work a figure out of a group's values in order, by the standard library alone."""
    n = len(values)
    if not n:
        return None
    if how in QUARTERS:
        place = Fraction((n - 1) * QUARTERS[how], 4)
        low, rest = math.floor(place), place - math.floor(place)
        first, second = (Fraction(values[at]) for at in (low, min(low + 1, n - 1)))
        return float(first + rest * (second - first))
    if how in ("variance", "standard deviation"):
        if n < 2:
            return None
        variance = statistics.variance(map(Fraction, values))
        return float(variance) if how == "variance" else math.sqrt(variance)
    if how == "most frequent":
        times = Counter(values)
        return next(one for one in values if times[one] == max(times.values()))
    if how == "list":
        return ", ".join(dict.fromkeys(shown))
    return sum(values) / n  # the true share


class SpreadFiguresTest(unittest.TestCase):
    @settings(max_examples=150)
    @given(ROWS)
    @example((Kind.INTEGER, [("a", -(2**63)), ("a", 2**63 - 1), ("a", 2**63 - 1)]))
    @example((Kind.INTEGER, [("a", 1_000_001), ("a", 1_000_002), ("a", 1_000_004)]))
    @example((Kind.EXACT, [("a", Decimal("0.1")), ("a", Decimal("0.2"))]))
    @example((Kind.NUMBER, [("a", 1e9 + 1), ("a", 1e9 + 2), ("a", 1e9 + 4)]))
    @example((Kind.TEXT, [("a", "b"), ("a", ""), ("a", "b"), ("b", ""), (None, None)]))
    @example((Kind.NUMBER, []))
    def test_every_figure_is_what_its_definition_gives(self, drawn: Any) -> None:
        kind, rows = drawn
        column = Column.of([value for _, value in rows], kind)
        table = Table.of({"g": Column.of([group for group, _ in rows], Kind.TEXT), "x": column})
        figures = [kt.Figure("x", how) for how in hows_of(kind) if how in HOWS]
        for by in (["g"], []):
            made = summarise(table, by, figures)
            groups = made.column("g").to_list() if by else [...]
            for place, group in enumerate(groups):
                held = [
                    (value, column.text(at))
                    for at, (own, value) in enumerate(rows)
                    if value is not None and (group is ... or own == group)
                ]
                held.sort(key=lambda one: one[0])
                values, shown = [one for one, _ in held], [text for _, text in held]
                for figure in figures:
                    found = made.column(figure.title)
                    self.assertEqual(found.kind, figure.kind(schema_of(table), "x"))
                    wanted = expected(figure.how, values, shown)
                    told = found.to_list()[place]
                    if isinstance(wanted, float) and told is not None:
                        self.assertTrue(self.is_close(told, wanted, figure.how, kind, values))
                    else:
                        self.assertEqual(told, wanted, (figure.how, values))

    def is_close(self, told: float, wanted: float, how: str, kind: Kind, values: Any) -> bool:
        """Doubles are rounded on the way, by a share of the largest; all else once, at the end."""
        if kind is not Kind.NUMBER:
            return math.isclose(told, wanted, rel_tol=1e-15)
        largest = max(map(abs, values))
        room = 1e-9 * largest * (largest if how == "variance" else 1)
        return math.isclose(told, wanted, rel_tol=1e-12, abs_tol=room)

    def test_a_large_mean_does_not_spoil_a_small_variance(self) -> None:
        table = kt.Table.from_columns({"x": [1e9 + one for one in (4.0, 7.0, 13.0, 16.0)]})
        made = summarise(table, [], [kt.Figure("x", "variance")])
        self.assertEqual(made.column("variance of x").to_list(), [30.0])

    def test_endless_numbers_and_groups_without_values(self) -> None:
        endless = Column.of([math.inf, -math.inf, 1.0, math.inf, None], Kind.NUMBER)
        table = Table.of({"g": Column.of(["a", "a", "b", "b", "c"]), "x": endless})
        made = summarise(table, ["g"], [kt.Figure("x", how) for how in hows_of(Kind.NUMBER)])
        self.assertEqual(made.column("median of x").to_list(), [None, math.inf, None])
        self.assertEqual(made.column("upper quartile of x").to_list(), [None, math.inf, None])
        self.assertEqual(made.column("variance of x").to_list(), [None, None, None])
        self.assertEqual(made.column("most frequent of x").to_list(), [-math.inf, 1.0, None])
        self.assertEqual(made.column("list of x").to_list()[2], None)
        self.assertEqual(made.column("list of x").count(BLANK), 1)

    def test_a_list_too_long_for_a_cell_is_refused_by_its_name(self) -> None:
        table = kt.Table.from_columns({"x": [f"{n:06}" for n in range(20_000)]})
        with self.assertRaisesRegex(LinkError, "“all of them” would have a text of more than"):
            summarise(table, [], [kt.Figure("x", "list", "all of them")])

    def test_a_figure_that_a_kind_does_not_have_names_those_that_it_has(self) -> None:
        table = kt.Table.from_columns({"x": ["a"]})
        with self.assertRaises(LinkError) as refused:
            summarise(table, [], [kt.Figure("x", "median")])
        self.assertIn("There is no median of “x”, which is text", str(refused.exception))
        self.assertIn("most frequent, list", str(refused.exception))
        self.assertEqual({*FIGURES}, {how for kind in Kind for how in hows_of(kind)})


class InPostgresTest(PostgresTestCase):
    """The trade has one meaning for these; it is held against a server's."""

    @settings(max_examples=25)
    @given(st.lists(st.integers(-(10**6), 10**6), min_size=1, max_size=30))
    def test_the_same_as_the_server(self, values: list[int]) -> None:
        table = kt.Table.from_columns({"x": values})
        hows = ["lower quartile", "median", "upper quartile", "variance", "standard deviation"]
        hows += ["most frequent", "list"]
        made = summarise(table, [], [kt.Figure("x", how) for how in hows])  # type: ignore[arg-type]
        told = self.server.execute(
            """select percentile_cont(0.25) within group (order by x),
                percentile_cont(0.5) within group (order by x),
                percentile_cont(0.75) within group (order by x),
                var_samp(x), stddev_samp(x), mode() within group (order by x),
                (select string_agg(x::text, ', ' order by x) from (select distinct x from
                unnest(%s::bigint[]) as one(x)) two)
            from unnest(%s::bigint[]) as all_of_them(x)""",
            (values, values),
        ).fetchone()
        assert told is not None
        for how, ours, theirs in zip(hows, next(iter(made.rows())), told, strict=True):
            if isinstance(ours, float):
                self.assertTrue(math.isclose(ours, float(theirs), rel_tol=1e-13), how)
            else:
                self.assertEqual(ours, theirs, how)
