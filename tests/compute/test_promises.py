"""What is promised of a join is checked as somebody would who goes through the rows one by one."""

import unittest
from decimal import Decimal
from fractions import Fraction
from typing import Any

import pyarrow as pa
from hypothesis import given, settings
from hypothesis import strategies as st

import keen_trellis as kt
from keen_trellis.base.errors import WordError
from keen_trellis.compute.promise_checks import checked
from keen_trellis.data import Kind
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.promises import PROMISES, Promise

KEYS = st.lists(st.sampled_from(["a", "b", "c", None]), max_size=8)
KEEPS = st.sets(st.sampled_from(list(Bay)), min_size=1)
AMOUNTS = st.sampled_from([None, 0, 1, -1, 2**53 + 1, -(2**63)])
DECIMALS = st.sampled_from([None, Decimal("0.1"), Decimal("-0.10"), Decimal(10) ** 30])
DOUBLES = st.sampled_from([None, 0.1, 0.2, -0.3, 1 / 3, -1.0, 1e300, -1e300, 1.5])
VALUES = [(Kind.INTEGER, AMOUNTS), (Kind.EXACT, DECIMALS), (Kind.NUMBER, DOUBLES)]


def own_rows(tie: kt.Tie, side: str) -> list[int]:
    """Return for each row of a side how often it goes on, pair by pair."""
    keys = [tie.left.column("k").to_list(), tie.right.column("k").to_list()]
    own, other = keys if side == "left" else keys[::-1]
    times = []
    for key in own:
        partners = sum(key is not None and key == its for its in other)
        alone = Bay.LEFT if side == "left" else Bay.RIGHT
        times.append(partners * (Bay.BOTH in tie.keep) if partners else int(alone in tie.keep))
    return times


class PromiseTest(unittest.TestCase):
    @settings(max_examples=200)
    @given(KEYS, KEYS, KEEPS, st.sampled_from(["left", "right"]), st.integers(0, 3))
    def test_counts_are_checked_row_by_row(
        self, left: list[Any], right: list[Any], keep: set[Bay], side: Any, rows: int
    ) -> None:
        tables = [kt.Table.from_arrow(_texts(keys)) for keys in (left, right)]
        tie = kt.tie(*tables, on="k", keep=keep)
        own, other = (left, right) if side == "left" else (right, left)
        partners = [sum(k is not None and k == its for its in other) for k in own]
        expected = {
            "found": [n for n, p in enumerate(partners) if not p],
            "one partner": [n for n, p in enumerate(partners) if p != 1],
            "not multiplied": [n for n, p in enumerate(partners) if p > 1],
            "few without": [n for n, p in enumerate(partners) if not p],
        }
        if len(expected["few without"]) <= rows:
            expected["few without"] = []
        for what, breaking in expected.items():
            found = checked(Promise(what, side, rows), tie)  # type: ignore[arg-type]
            self.assertEqual(found.breaking.tolist(), breaking, what)
            self.assertEqual((found.is_kept, bool(found.says)), (not breaking, bool(breaking)))
            self.assertEqual(len(found.rows), len(breaking))

    @settings(max_examples=200)
    @given(st.data(), KEYS, KEYS, KEEPS, st.sampled_from(["left", "right"]))
    def test_a_total_is_the_same_to_the_last_digit_or_it_is_said(
        self, data: Any, left: list[Any], right: list[Any], keep: set[Bay], side: Any
    ) -> None:
        kind, values = data.draw(st.sampled_from(VALUES))
        own = left if side == "left" else right
        amounts = data.draw(st.lists(values, min_size=len(own), max_size=len(own)))
        tables = []
        for keys in (left, right):
            column = {"k": kt.Table.from_arrow(_texts(keys)).column("k")}
            if keys is own:
                column["amount"] = kt.Column.of(amounts, kind)
            tables.append(kt.Table.of(column))
        tie = kt.tie(*tables, on="k", keep=keep)
        if left is right:
            side = "left"
        found = checked(Promise("same total", side, column="amount"), tie)
        more = [(times - 1, v) for times, v in zip(own_rows(tie, side), amounts, strict=True)]
        is_same = not sum(n * Fraction(v) for n, v in more if v is not None)
        self.assertEqual(found.is_kept, is_same, found.says)

    def test_a_third_taken_three_times_is_not_one(self) -> None:
        """Three times the double nearest to a third is rounded to one, and is less than one."""
        left = kt.Table.from_columns({"k": ["a", "b"], "amount": [1 / 3, -2 / 3]})
        right = kt.Table.from_columns({"k": ["a", "a", "a"]})
        tie = kt.tie(left, right, on="k", keep="left outer")
        self.assertFalse(checked(Promise("same total", column="amount"), tie).is_kept)
        many = kt.Table.from_columns({"k": ["a"] * 100_000})
        wide = {"k": ["a"] * 30_000, "amount": [Decimal(10) ** 36] + [Decimal("0.1")] * 29_999}
        found = checked(
            Promise("same total", column="amount"),
            kt.tie(kt.Table.from_columns(wide), many, on="k"),
        )  # three thousand million pairs, of which none is built
        self.assertTrue(found.says.startswith(f"{10**36 + 2_999}.9 before"))

    def test_words_and_columns_that_are_none_are_said(self) -> None:
        with self.assertRaises(WordError):
            Promise("always")  # type: ignore[arg-type]
        table = kt.Table.from_columns({"k": ["a"], "word": ["x"]})
        tie = kt.tie(table, table, on="k")
        for column in ("word", "gone"):
            found = checked(Promise("same total", column=column), tie)
            self.assertFalse(found.is_kept)
            self.assertIn(column, found.says)
        for what in PROMISES:
            sentence = Promise(what, "right", 1_200, "fare").sentence(("Sailings", "Routes"))
            self.assertTrue(sentence.find("Routes") >= 0, sentence)


def _texts(keys: list[Any]) -> Any:
    return pa.table({"k": pa.array(keys, pa.string())})


if __name__ == "__main__":
    unittest.main()
