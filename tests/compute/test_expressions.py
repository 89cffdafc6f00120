"""Conditions have the three values of SQL, however they are put together: SQLite is the judge."""

import sqlite3
import unittest
from contextlib import closing
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

import keen_trellis as kt
from keen_trellis.compute.filter_result import Filtered
from keen_trellis.plan.expressions import Expression, Joint, Tested

NUMBERS, WORDS = st.none() | st.integers(-2, 2), st.none() | st.sampled_from(["", "a", "ab", "B"])
ROWS = st.lists(st.tuples(NUMBERS, WORDS), max_size=8)
OF_VALUE = st.sampled_from(["=", "<>", "<", "<=", ">", ">="])


def tests_of(column: str, values: Any) -> Any:
    one = st.builds(Tested, st.just(column), OF_VALUE, st.tuples(values))
    some = st.builds(
        Tested, st.just(column), st.just("in"), st.lists(values, min_size=1, max_size=3).map(tuple)
    )
    two = st.builds(Tested, st.just(column), st.just("between"), st.tuples(values, values))
    none = st.builds(Tested, st.just(column), st.sampled_from(["is blank", "is not blank"]))
    return one | some | two | none


CONDITIONS = st.recursive(
    tests_of("n", NUMBERS) | tests_of("w", WORDS),
    lambda parts: st.builds(
        Joint, st.sampled_from(["all", "any"]), st.lists(parts, min_size=1, max_size=3).map(tuple)
    ),
    max_leaves=6,
)


def in_sql(condition: Expression) -> tuple[str, list[Any]]:
    """Return a condition as SQL writes it, and its values."""
    if isinstance(condition, Joint):
        parts = [in_sql(part) for part in condition.parts]
        joiner = " and " if condition.of == "all" else " or "
        words = joiner.join(f"({part})" for part, _ in parts)
        return words, [value for _, values in parts for value in values]
    assert isinstance(condition, Tested)
    name, test, values = condition.column, condition.test, list(condition.values)
    if test in ("is blank", "is not blank"):
        return f"{name} {test.replace('blank', 'null')}", []
    if test == "between":
        return f"{name} between ? and ?", values
    if test == "in":
        return f"{name} in ({', '.join('?' * len(values))})", values
    return f"{name} {test} ?", values


class ThreeValuesTest(unittest.TestCase):
    @settings(max_examples=300)
    @given(ROWS, CONDITIONS)
    def test_true_false_and_unknown_are_those_of_sql(
        self, rows: list[tuple[Any, Any]], condition: Expression
    ) -> None:
        table = kt.Table.of(
            {
                "n": kt.Column.of([n for n, _ in rows], kt.Kind.INTEGER),
                "w": kt.Column.of([w for _, w in rows], kt.Kind.TEXT),
            }
        )
        held = Filtered.of(table, condition).held
        words, values = in_sql(condition)
        with closing(sqlite3.connect(":memory:")) as judge:
            judge.execute("create table t (n integer, w text)")
            judge.executemany("insert into t values (?, ?)", rows)
            expected = [row[0] for row in judge.execute(f"select {words} from t", values)]
        pairs = zip(held.true.tolist(), held.false.tolist(), strict=True)
        self.assertEqual([1 if t else 0 if f else None for t, f in pairs], expected)


if __name__ == "__main__":
    unittest.main()
