"""What docs/semantics.md says, topic by topic, on this machine, in PostgreSQL and on Spark."""

import datetime as dt
import random
import unittest
from decimal import Decimal
from typing import Any

from keen_trellis.base.errors import NotThereError
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Column, Table
from keen_trellis.document.items import BlendedLane, BlendItem, FigureItem
from keen_trellis.formulas.formula_parser import formula
from keen_trellis.places.place_session import Session
from keen_trellis.plan.bays import keep_of
from keen_trellis.plan.blends import Summarised
from keen_trellis.plan.expressions import Tested
from keen_trellis.plan.figures import Figure
from keen_trellis.plan.link import Link, LinkField, OrderField, Pair
from keen_trellis.plan.nodes import Join, Kept, Node, Outcome, Read
from keen_trellis.plan.outcome import Columns
from keen_trellis.plan.steps import Computed, Counted, Ordered, Repeated
from tests.places.cluster import SparkTestCase
from tests.places.plans import Plans, compared
from tests.places.test_three_executors import in_postgres
from tests.postgres_case import PostgresTestCase

FULL = keep_of("full outer")


class Meanings:
    """One test for each topic, run wherever `session` is."""

    session: Session

    def lane(self, name: str, /, **columns: list[Any]) -> Read:
        """Begin a lane with cells; an empty column of no kind is one of texts."""
        table = Table.of({one: Column.of(cells) for one, cells in columns.items()})
        self.plans.tables[name] = table
        return Read(name, name, schema_of(table))

    @property
    def plans(self) -> Plans:
        if not hasattr(self, "_plans"):
            self._plans = Plans(random.Random(0))
        return self._plans

    def is_same(self, node: Node, numbered: bool = True) -> None:
        assert isinstance(self, unittest.TestCase)
        self.assertEqual(list(compared(self.session, node, self.plans, numbered)), [])

    def joined(self, left: Node, right: Node, link: Link, /, **columns: Any) -> Outcome:
        return Outcome(Join(left, right, link, ("left", "right")), FULL, Columns(**columns))

    def made(self, rows: Node, *texts: str) -> Computed:
        columns = tuple((text, formula(text, rows.schema)) for text in texts)
        return Computed(rows, "rows", columns)

    def test_a_gap_is_none_of_the_blanks_that_its_column_had(self) -> None:
        left = self.lane("l", k=[1, 2, None], a=["x", None, "y"])
        right = self.lane("r", k=[2, 3], b=[None, "z"])
        tied = self.joined(left, right, Link((LinkField("k", "k"),)))
        self.is_same(self.made(tied, "a IS GAP", "b IS GAP", "b IS NULL", "COALESCE(b, a)"))
        self.is_same(Summarised(tied, ("b",), (Figure(None),)))

    def test_a_day_beside_a_moment_is_the_whole_day_wherever_they_meet(self) -> None:
        day = dt.date(2026, 1, 31)
        left = self.lane("l", d=[day, dt.date(1, 1, 1), dt.date(9999, 12, 31), None])
        right = self.lane("r", t=[dt.datetime(2026, 1, 31, 8, 30), dt.datetime(2026, 1, 31), None])
        self.is_same(self.joined(left, right, Link((LinkField("d", "t"),))))
        cross = self.joined(left, right, Link(cross=True))
        self.is_same(
            self.made(
                *(cross, "d = t", "d < t", "d >= t", "d IS DISTINCT FROM t", "t IN (d, NULL)"),
                *("t BETWEEN d AND d", "NULLIF(t, d)", "CASE t WHEN d THEN 1 ELSE 0 END"),
            )
        )
        for sign in ("=", "<=", ">"):
            self.is_same(Kept(right, Tested("t", sign, (day,))))
        self.is_same(Kept(right, Tested("t", "between", (day, day))))
        self.is_same(Kept(right, Tested("t", "in", (day, dt.datetime(2026, 1, 31, 8, 30)))))

    def test_fields_of_a_link_meet_by_the_span_that_is_chosen(self) -> None:
        days = [dt.date(2026, 1, 1), dt.date(2026, 3, 31), dt.date(9999, 12, 31), None]
        moments = [dt.datetime(2025, 12, 29, 23, 59), dt.datetime(2026, 2, 1), dt.datetime(1, 1, 1)]
        left, right = self.lane("l", d=days), self.lane("r", t=moments)
        for span in ("week", "quarter"):
            link = Link((LinkField("d", "t", span=span),))
            self.is_same(self.joined(left, right, link, link="both"))
        later = Link((LinkField("d", "t", "<", span="month"),))
        self.is_same(self.joined(left, right, later, link="both"))

    def test_a_blend_meets_by_the_day_or_by_the_span_that_is_chosen(self) -> None:
        days = [dt.date(2026, 1, 31), dt.date(2026, 2, 1), None]
        moments = [dt.datetime(2026, 1, 31, 8, 30), dt.datetime(2026, 1, 31), None]
        left = self.lane("l", d=days, target=[10, 20, 5])
        right = self.lane("r", t=moments, amount=[1, 2, 3])
        for span in (None, "month"):
            item = BlendItem(
                id="blend",
                fields=("d",),
                figures=(FigureItem(column="target"),),
                lanes=(
                    BlendedLane(lane="r", fields=("t",), figures=(FigureItem(column="amount"),)),
                ),
                spans=(span,),
            )
            self.is_same(item.node(left, [right], ["l", "r"]))

    def test_the_first_partner_needs_an_order_and_equal_ones_must_be_alike(self) -> None:
        left = self.lane("l", k=[1, 1, 2])
        right = self.lane("r", k=[1, 1, 2], seats=[None, 5, 7], name=["a", "b", "c"])
        link = (LinkField("k", "k"),)
        by_seats = Link(link, partner="first", order=(OrderField("seats", True),))
        self.is_same(self.joined(left, right, by_seats), numbered=False)
        self.is_same(self.joined(left, right, Link(link, partner="last")))
        assert isinstance(self, unittest.TestCase)
        with self.assertRaisesRegex(NotThereError, "not clear in .* for 2 rows"):
            self.is_same(self.joined(left, right, Link(link, partner="last")), numbered=False)

    def test_first_rows_are_those_of_an_order_or_are_refused(self) -> None:
        rows = self.lane("l", day=[2, 1, 1, None], name=["a", "b", "c", "d"])
        self.is_same(Counted(rows, "l", 2))
        self.is_same(Repeated(rows, "l", ("day",), "last"))
        ordered = Ordered(rows, "l", (OrderField("day"), OrderField("name", True)))
        self.is_same(Counted(ordered, "l", 1, by=("day",)), numbered=False)
        assert isinstance(self, unittest.TestCase)
        with self.assertRaisesRegex(NotThereError, "come first is not clear"):
            self.is_same(Counted(Ordered(rows, "l", (OrderField("day"),)), "l", 1), numbered=False)

    def test_a_number_meets_a_decimal_as_the_decimal_that_it_is_shown_as(self) -> None:
        left = self.lane("l", n=[0.1, 0.1 + 0.2, -0.0, float("inf"), None])
        right = self.lane("r", e=[Decimal("0.10"), Decimal("0.3"), Decimal(0), None])
        self.is_same(self.joined(left, right, Link((LinkField("n", "e"),)), link="both"))

    def test_texts_are_tidied_by_our_own_code_and_pairs_count(self) -> None:
        left = self.lane("l", t=["Straße ", "KP-MS", "café", "zwei  ", "ΣΑΣ", "ﬁn"])
        right = self.lane("r", t=["STRASSE", "kp-ms", "cafe\u0301", "two", "σας", "FIN"])
        link = Link(
            (LinkField("t", "t"),), text=("outer spaces", "case"), pairs=(Pair("zwei", "two"),)
        )
        self.is_same(self.joined(left, right, link, link="both"))
        self.is_same(self.made(left, "UPPER(t)", "LOWER(t)", "CHAR_LENGTH(t)", "TRIM(t)"))

    def test_sums_of_integers_and_decimals_lose_no_digit(self) -> None:
        big = 2**63 - 1
        rows = self.lane(
            "l", g=["a", "a", "b", "b"], n=[big, big, -1, None],
            e=[Decimal("0.1"), Decimal("0.2"), Decimal("-3.25"), None],
        )  # fmt: skip
        self.is_same(
            Summarised(rows, ("g",), (Figure("n"), Figure("e"), Figure("n", "average", "mean")))
        )
        assert isinstance(self, unittest.TestCase)
        doubles = self.lane("d", x=[0.1, 0.2, 0.3])
        with self.assertRaisesRegex(NotThereError, "order in which its numbers are added up"):
            self.is_same(Summarised(doubles, (), (Figure("x"),)))

    def test_blanks_are_a_group_come_last_and_are_one_value_among_repeats(self) -> None:
        rows = self.lane("l", a=[None, "x", None, "x"], n=[1, None, 1, 2])
        self.is_same(Summarised(rows, ("a",), (Figure(None), Figure("n", "distinct count"))))
        self.is_same(Ordered(rows, "l", (OrderField("n", True), OrderField("a"))))
        self.is_same(Repeated(rows, "l", ("a", "n")))
        self.is_same(Repeated(rows, "l", ("a",), "alone"))

    def test_texts_stand_in_the_order_of_their_code_points(self) -> None:
        rows = self.lane("l", t=["a", "B", "Z", "é", "10", "9", "", "💛", "\uffff", " a"])
        self.is_same(Ordered(rows, "l", (OrderField("t"),)))
        self.is_same(Kept(rows, Tested("t", "<", ("a",))))
        self.is_same(Summarised(rows, (), (Figure("t", "min"), Figure("t", "max", "last one"))))

    def test_what_does_not_fit_is_a_blank_and_no_other_number(self) -> None:
        rows = self.lane("l", n=[2**63 - 1, -(2**63), 7, 0], m=[1, -1, 2, 0])
        self.is_same(self.made(rows, "n + m", "n - m", "n * m", "n / m", "DIV(n, m)", "MOD(n, m)"))
        self.is_same(Kept(rows, formula("n + 1 > 0", rows.schema)))

    def test_like_takes_any_letters_and_its_own_escape(self) -> None:
        rows = self.lane("l", t=["10%", "100", "a\\b", "a\nb", "", None], p=["10!%", "1__"] * 3)
        self.is_same(self.made(rows, "t LIKE '10%'", "t LIKE '10!%' ESCAPE '!'", "t LIKE 'a_b'"))
        self.is_same(Kept(rows, formula("t LIKE p ESCAPE '!'", rows.schema)))

    def test_dates_reach_from_the_year_1_to_9999(self) -> None:
        ends = [dt.date(1, 1, 1), dt.date(9999, 12, 31), dt.date(1582, 10, 10), None]
        rows = self.lane("l", d=ends)
        self.is_same(self.made(rows, "d + 1", "d - 1", "EXTRACT(DOW FROM d)", "TRUNC(d, 'week')"))
        self.is_same(Ordered(rows, "l", (OrderField("d", True),)))

    def test_the_text_of_a_decimal_is_refused_since_its_last_zeros_are_not_known(self) -> None:
        rows = self.lane("l", e=[Decimal("1.50")])
        assert isinstance(self, unittest.TestCase)
        with self.assertRaisesRegex(NotThereError, "as many digits as its whole column"):
            self.is_same(self.made(rows, "CAST(e AS VARCHAR)"))

    def test_names_that_a_place_would_not_take_are_only_called_otherwise_there(self) -> None:
        columns = {"a": [1], "A": [2], "x" * 80: [3], "x" * 80 + "y": [4], "~row": [5], "`\"'": [6]}
        rows = self.lane("l", **columns)
        self.is_same(Kept(rows, Tested("A", "=", (2,))))


class MeaningsInPostgresTest(Meanings, PostgresTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.session = in_postgres()
        self.addCleanup(self.session.close)


class MeaningsOnSparkTest(Meanings, SparkTestCase):
    pass
