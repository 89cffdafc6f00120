"""What holds for a handful of rows holds for hundreds of thousands, and for values far apart."""

import datetime as dt
import unittest
from decimal import Decimal
from fractions import Fraction
from typing import Any
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

import keen_trellis as kt
from keen_trellis.base.errors import KindsDifferError, LinkError, TooManyRowsError
from keen_trellis.base.progress import Cancelled
from keen_trellis.compute.join import ordered_links as conditions
from keen_trellis.compute.join.match import grouped, in_row_order
from keen_trellis.plan.sentences import cardinality_words, link_sentence

OPERATORS = ("=", "<>", "<", "<=", ">", ">=")


def numbers(values: Any, name: str = "k") -> kt.Table:
    return kt.Table.of({name: kt.Column(kt.Kind.INTEGER, np.asarray(values, np.int64))})


def pairs_of(tied: kt.Tie) -> list[tuple[int, int]]:
    left, right = tied.match.pairs
    return list(zip(left.tolist(), right.tolist(), strict=True))


class ManyRowsTest(unittest.TestCase):
    """Beyond one piece of work at a time, nothing is lost between the pieces."""

    def setUp(self) -> None:
        self.rng = np.random.default_rng(7)

    def test_every_pair_of_a_many_to_many_link_is_there_in_order(self) -> None:
        left, right = self.rng.integers(0, 90_000, 200_000), self.rng.integers(0, 90_000, 150_000)
        for scale in (1, 10**12):  # close together, and far apart
            tied = kt.tie(numbers(left * scale), numbers(right * scale), ["k"])
            a, b = (side.astype(np.int64) for side in tied.match.pairs)
            self.assertEqual(len(a), int(np.dot(np.bincount(left), np.bincount(right))))
            self.assertTrue((left[a] == right[b]).all())
            self.assertTrue((np.diff(a * 150_000 + b) > 0).all())
            self.assertEqual(set(tied.match.left_only), set(np.flatnonzero(~np.isin(left, right))))
            outer_left, outer_right = tied.match.pairs_and_left_only
            self.assertTrue((np.diff(outer_left) >= 0).all())
            self.assertEqual(int((outer_right < 0).sum()), len(tied.match.left_only))

    def test_a_lookup_and_a_range_over_many_rows(self) -> None:
        lookup = self.rng.permutation(80_000)
        keys = self.rng.integers(0, 160_000, 300_000)
        tied = kt.tie(numbers(keys), numbers(lookup), ["k"])
        self.assertEqual(tied.counts.left.found, int((keys < 80_000).sum()))
        self.assertTrue((lookup[tied.match.pairs[1]] == keys[tied.match.pairs[0]]).all())
        near = kt.tie(numbers(keys), numbers(lookup * 2), [("k", "nearest earlier", "k")])
        self.assertEqual(near.counts.left.found, 300_000)
        a, b = near.match.pairs
        self.assertTrue((lookup[b] * 2 == np.minimum(keys[a] // 2 * 2, 159_998)).all())

    def test_grouping_is_the_same_where_codes_are_too_large_to_pack(self) -> None:
        codes = self.rng.integers(-1, 50, 1_000)
        order, starts = grouped(codes, 50)
        with mock.patch("keen_trellis.compute.join.match.row_dtype", return_value=np.int64):
            self.assertEqual(grouped(codes, 50)[0].tolist(), order.tolist())
        expected = np.concatenate([np.flatnonzero(codes == c) for c in range(50)])
        self.assertEqual(order.tolist(), expected.tolist())
        self.assertEqual(starts[-1], (codes >= 0).sum())
        rows = in_row_order(np.array([3, 1, 3]), np.array([0, 9, 2]))
        self.assertEqual([side.tolist() for side in rows], [[1, 3, 3], [9, 0, 2]])

    def test_candidates_are_looked_at_in_pieces_and_can_be_stopped(self) -> None:
        left = kt.Table.from_columns({"a": list(range(60)), "b": [n % 7 for n in range(60)]})
        right = kt.Table.from_columns({"c": list(range(60)), "d": [n % 5 for n in range(60)]})
        on = [("a", "<", "c"), ("b", "<>", "d")]
        expected = [(n, m) for n in range(60) for m in range(60) if n < m and n % 7 != m % 5]
        with mock.patch.object(conditions, "_CHUNK", 100):
            self.assertEqual(pairs_of(kt.tie(left, right, on)), expected)

            def stop(fraction: float, doing: str) -> None:
                if "pair" in doing:
                    raise Cancelled

            with self.assertRaises(Cancelled):
                kt.tie(left, right, on, report=stop)
        with (
            mock.patch.object(conditions, "CANDIDATES_AT_MOST", 100),
            self.assertRaisesRegex(TooManyRowsError, "would look at 1,770 pairs"),
        ):
            kt.tie(left, right, on)


class OrderOfEveryKindTest(unittest.TestCase):
    """Comparing by order means the same for every kind, and for kinds that meet by value."""

    VALUES = st.one_of(
        st.integers(-(2**62), 2**62),
        st.integers(-3, 3),
        st.decimals(-(10**18), 10**18, places=2),
        st.decimals(-3, 3, places=2),
        st.floats(-3, 3).map(lambda f: round(f, 2)),
        st.floats(-1e18, 1e18),
    )

    def test_any_two_kinds_of_numbers(self) -> None:
        makers = {
            "whole": st.integers(-(2**62), 2**62) | st.integers(-3, 3),
            "exact": st.decimals(-3, 3, places=2) | st.decimals(-(10**18), 10**18, places=2),
            "number": st.floats(-3, 3).map(lambda f: round(f, 2)) | st.floats(-1e18, 1e18),
        }
        for a, b in (("whole", "exact"), ("whole", "number"), ("exact", "number")):
            self.check(
                st.lists(makers[a], min_size=1, max_size=5),
                st.lists(makers[b], min_size=1, max_size=5),
            )

    def check(self, lefts: Any, rights: Any) -> None:
        def exactly(value: Any) -> Fraction:
            return Fraction(Decimal(repr(value)) if isinstance(value, float) else value)

        @settings(max_examples=60)
        @given(lefts, rights, st.sampled_from(OPERATORS))
        def holds(left: list[Any], right: list[Any], operator: Any) -> None:
            small = all(abs(exactly(v)) < 10**13 for v in (*left, *right))
            sides = [[exactly(v) for v in side] for side in (left, right)]
            compare = {
                "=": "__eq__",
                "<>": "__ne__",
                "<": "__lt__",
                "<=": "__le__",
                ">": "__gt__",
                ">=": "__ge__",
            }[operator]
            expected = [
                (n, m)
                for n, x in enumerate(sides[0])
                for m, y in enumerate(sides[1])
                if getattr(x, compare)(y)
            ]
            tied = kt.tie(
                kt.Table.from_columns({"v": left}),
                kt.Table.from_columns({"v": right}),
                [("v", operator, "v")],
            )
            if small or not any(isinstance(v, float) for v in (*left, *right)):
                self.assertEqual(pairs_of(tied), expected)
            else:  # a large double is shown with fewer digits than it has
                self.assertEqual(tied.counts.pairs, len(tied.match.pairs[0]))

        holds()

    def test_texts_dates_and_times_stand_in_their_order(self) -> None:
        for values in (
            ["B", "a", "é", "b", ""],
            [dt.date(2026, 1, n) for n in (5, 1, 9)],
            [dt.datetime(2026, 1, 1, n) for n in (5, 1, 9)],
            [dt.time(n) for n in (5, 1, 9)],
            [True, False],
            [Decimal(10**30), Decimal(-1), Decimal("0.5")],
        ):
            table = kt.Table.from_columns({"v": values})
            expected = [(n, m) for n, a in enumerate(values) for m, b in enumerate(values) if a < b]
            self.assertEqual(pairs_of(kt.tie(table, table, [("v", "<", "v")])), expected)

    def test_distances_are_days_seconds_or_amounts(self) -> None:
        for left, right, within, found in (
            (dt.date(2026, 1, 9), dt.date(2026, 1, 5), 4, 1),
            (dt.date(2026, 1, 9), dt.date(2026, 1, 4), 4, 0),
            (dt.datetime(2026, 1, 1, 8, 0, 30), dt.datetime(2026, 1, 1, 8), 30, 1),
            (dt.datetime(2026, 1, 1, 8, 0, 31), dt.datetime(2026, 1, 1, 8), 30, 0),
            (dt.time(8, 1), dt.time(8), 60, 1),
            (Decimal("1.50"), Decimal("1.25"), 0.25, 1),
            (Decimal(10**30), Decimal(10**30 - 5), 1, 0),
            (Decimal(10**30), Decimal(5), 1, 0),
            (Decimal(7), Decimal(-(10**30)), 10**31, 1),
            (2.5, 1.0, 1.4, 0),
        ):
            field = kt.LinkField("v", "v", "nearest earlier", within=within)
            tables = [kt.Table.from_columns({"v": [value]}) for value in (left, right)]
            self.assertEqual(kt.tie(*tables, [field]).counts.left.found, found, (left, right))

    def test_what_cannot_be_ordered_or_compared_is_refused(self) -> None:
        table = kt.Table.from_columns({"t": ["a"], "n": [1], "d": [dt.date(2026, 1, 1)]})
        near = ("t", "nearest earlier", "t")
        with self.assertRaisesRegex(LinkError, "are text, of which none is nearest"):
            kt.tie(table, table, [near])
        with self.assertRaisesRegex(LinkError, "more than one nearest field"):
            kt.tie(table, table, [near, near])
        with self.assertRaisesRegex(KindsDifferError, "“n” in left is an integer, but “d”"):
            kt.tie(table, table, [("n", "<", "d")])


class WordsTest(unittest.TestCase):
    """What a link does is said with all that matters, and nothing else."""

    def test_links(self) -> None:
        sailings = kt.Table.from_columns({"route": ["a"], "date": [dt.date(2026, 1, 1)]})
        fares = kt.Table.from_columns(
            {"route": ["a"], "from": [dt.date(2026, 1, 1)], "fare": [Decimal("1.50")]}
        )
        near = kt.LinkField("date", "from", "nearest earlier", strict=True, within=30)
        for on, more, said in (
            (
                ["route", near],
                {},
                "take every match in Fares where route equals route and date takes "
                "the nearest earlier from within 30.",
            ),
            (
                ["route"],
                {"partner": "first", "order": ["from"]},
                "take the first match in Fares where route equals route, in the order of from, "
                "blanks last.",
            ),
            (
                ["route"],
                {"partner": "only", "text": ["case"], "blanks": "match"},
                "take the match, if it is the only one, in Fares where route equals route, "
                "ignoring case in texts, blanks matching blanks.",
            ),
            (
                ["route"],
                {"pairs": {"x": "a"}},
                "take every match in Fares where route equals route, with 1 pair of values the "
                "same.",
            ),
        ):
            tied = kt.tie(sailings, fares, on, names=("Sailings", "Fares"), **more)
            words = link_sentence(tied.link, *tied.names)
            self.assertEqual(words, f"For each Sailings row, {said}")
        turned = kt.tie(
            sailings,
            fares,
            ["route"],
            partner="last",
            partner_for="right",
            names=("Sailings", "Fares"),
        )
        self.assertIn("For each Fares row, take the last match in Sailings", turned.sentence())
        cross = kt.tie(sailings, fares, "cross", names=("Sailings", "Fares"))
        self.assertIn(
            "Pair each Sailings row with every row of Fares. Cross join.", cross.sentence()
        )

    def test_how_many_partners_a_row_can_have(self) -> None:
        for left, right, words in (
            ([1, 2], [2, 1], "one-to-one"),
            ([1, 1], [1], "many-to-one"),
            ([1], [1, 1], "one-to-many"),
            ([1, 1], [1, 1], "many-to-many"),
            ([1], [2], "no row has a partner"),
        ):
            counts = kt.tie(numbers(left), numbers(right), ["k"]).counts
            self.assertIn(words, cardinality_words(counts, "A", "B"))
