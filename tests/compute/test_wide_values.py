"""Values as far out as their kinds go: nothing is rounded, wrapped round or taken for another."""

import datetime as dt
import operator
import unittest
from decimal import Decimal
from fractions import Fraction
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

import keen_trellis as kt
from keen_trellis.data.conversions.conversion import converted, in_common_kind
from keen_trellis.plan.operators import OPERATORS

EDGES = [edge + d for edge in (0, 2**53, 2**62, -(2**53), -(2**62)) for d in (-1, 0, 1)]
WHOLE = st.sampled_from([*EDGES, 2**63 - 1, -(2**63)])
EXACT = st.builds(
    lambda digits, scale: Decimal(digits).scaleb(-scale),
    st.sampled_from([*EDGES, 105, 110, 10**38 - 1, -(10**38) + 1, 12232818431649]),
    st.integers(0, 18),
).filter(lambda value: len(value.as_tuple().digits) <= 38)
NUMBER = st.sampled_from(
    [0.0, -0.0, 0.1, 0.1 + 0.2, 1.05, 1.1, 2.0**53, 2.0**63, 1e25, 5e-324, 1e308]
) | st.sampled_from([float("inf"), -float("inf")])
DAY = st.sampled_from([dt.date.min, dt.date.max, dt.date(2026, 1, 5), dt.date(1969, 12, 31)])
MOMENT = st.builds(dt.datetime.combine, DAY, st.sampled_from([dt.time.min, dt.time.max]))
TIME = st.sampled_from([dt.time.min, dt.time.max, dt.time(12)])
AMOUNTS = {kt.Kind.INTEGER: WHOLE, kt.Kind.EXACT: EXACT, kt.Kind.NUMBER: NUMBER}
CALENDAR = {kt.Kind.DATE: DAY, kt.Kind.DATE_TIME: MOMENT}


def column_of(values: list[Any], kind: kt.Kind) -> kt.Column | None:
    """Return a column, or None where no scale of 38 digits holds all its exact decimals."""
    try:
        return kt.Column.of(values, kind)
    except TypeError:
        return None


def columns(kinds: dict[kt.Kind, Any], most: int = 5) -> Any:
    made = st.sampled_from(list(kinds)).flatmap(
        lambda kind: st.builds(
            column_of, st.lists(st.none() | kinds[kind], max_size=most), st.just(kind)
        )
    )
    return made.filter(lambda column: column is not None)


def exactly(value: Any) -> Fraction:
    """Return what a value is compared by; infinities lie beyond all others."""
    if isinstance(value, float):
        if value in (float("inf"), -float("inf")):
            return Fraction(10**400) if value > 0 else Fraction(-(10**400))
        return Fraction(Decimal(repr(value)))
    if isinstance(value, dt.datetime):
        return Fraction((value - dt.datetime.min) // dt.timedelta(microseconds=1), 86_400_000_000)
    if isinstance(value, dt.date):
        return Fraction(value.toordinal() - 1)
    if isinstance(value, dt.time):
        return exactly(dt.datetime.combine(dt.date.min, value)) * 86_400
    return Fraction(value)


def both_exactly(a: Any, b: Any) -> tuple[Fraction, Fraction]:
    """Return two values as they meet: a date and a date-time by their day."""
    x, y = exactly(a), exactly(b)
    if isinstance(a, dt.date) and type(a) is not type(b):
        return x // 1, y // 1
    return x, y


HOLDS = {
    "=": operator.eq,
    "<>": operator.ne,
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}


def true_of(a: Any, how: str, b: Any) -> bool:
    return None not in (a, b) and bool(HOLDS[how](*both_exactly(a, b)))


def pairs_of(tied: kt.Tie) -> list[tuple[int, int]]:
    return list(zip(*(side.tolist() for side in tied.match.pairs), strict=True))


def table(n_rows: int, **named: kt.Column) -> kt.Table:
    return kt.Table.of({"row": kt.Column.of(list(range(n_rows)), kt.Kind.INTEGER), **named})


GROUPS = st.none() | st.sampled_from([0, 1, 10**15])


class TwoKindsTest(unittest.TestCase):
    """A price band is an integer against exact decimals, a season a moment against days."""

    @settings(max_examples=250)
    @given(
        st.sampled_from([AMOUNTS, CALENDAR]).flatmap(
            lambda kinds: st.tuples(columns(kinds), columns(kinds))
        ),
        st.sampled_from([*HOLDS]),
    )
    def test_any_operator_on_any_two_kinds(self, sides: Any, how: str) -> None:
        left, right = sides
        tied = kt.tie(table(len(left), x=left), table(len(right), y=right), [("x", how, "y")])
        a, b = left.to_list(), right.to_list()
        expected = [
            (n, m) for n in range(len(a)) for m in range(len(b)) if true_of(a[n], how, b[m])
        ]
        self.assertEqual(pairs_of(tied), expected)

    @settings(max_examples=250)
    @given(
        st.data(),
        st.sampled_from([AMOUNTS, CALENDAR]),
        st.tuples(*[st.sampled_from(["<", "<=", ">", ">="])] * 2),
        st.booleans(),
    )
    def test_two_bounds_of_their_own_kinds_within_equal_keys(
        self, data: Any, kinds: Any, hows: tuple[str, str], turned: bool
    ) -> None:
        """One column is bounded by two others; either side may be the one with two."""
        shared, low, high = (data.draw(columns(kinds, 4)) for _ in range(3))
        n = min(len(low), len(high))
        low, high = (c.take(np.arange(n)) for c in (low, high))
        ids = [data.draw(st.lists(GROUPS, min_size=k, max_size=k)) for k in (len(shared), n)]
        one = table(len(shared), id=kt.Column.of(ids[0], kt.Kind.INTEGER), at=shared)
        two = table(n, id=kt.Column.of(ids[1], kt.Kind.INTEGER), low=low, high=high)
        a, b = one, two
        on = ["id", ("at", hows[0], "low"), ("at", hows[1], "high")]
        if turned:
            a, b, on = two, one, ["id", ("low", hows[0], "at"), ("high", hows[1], "at")]
        rows = [list(side.rows()) for side in (a, b)]
        names = [side.columns for side in (a, b)]
        expected = []
        for n_left, left in enumerate(rows[0]):
            for n_right, right in enumerate(rows[1]):
                x, y = (
                    dict(zip(names[0], left, strict=True)),
                    dict(zip(names[1], right, strict=True)),
                )
                if true_of(x["id"], "=", y["id"]) and all(
                    true_of(x[field[0]], field[1], y[field[2]]) for field in on[1:]
                ):
                    expected.append((n_left, n_right))
        self.assertEqual(pairs_of(kt.tie(a, b, on)), expected)

    @settings(max_examples=300)
    @given(
        st.sampled_from([AMOUNTS, CALENDAR, {kt.Kind.TIME: TIME}]).flatmap(
            lambda kinds: st.tuples(columns(kinds), columns(kinds))
        ),
        st.sampled_from(["nearest earlier", "nearest later"]),
        st.booleans(),
        st.sampled_from([None, 0, 0.05, Decimal("0.05"), 1, 10, 2**53, 2**63, 1e300]),
    )
    def test_the_nearest_one_and_how_far_it_may_be(
        self, sides: Any, how: str, strict: bool, within: Any
    ) -> None:
        left, right = sides
        field = kt.LinkField("x", "y", how, strict=strict, within=within)
        tied = kt.tie(table(len(left), x=left), table(len(right), y=right), [field])
        expected = []
        limit = None if within is None else Fraction(Decimal(str(within)))
        for n, a in enumerate(left.to_list()):
            found = []
            for m, b in enumerate(right.to_list()):
                if None in (a, b):
                    continue
                x, y = both_exactly(a, b)
                if isinstance(a, dt.datetime) and isinstance(b, dt.datetime):
                    x, y = x * 86_400, y * 86_400  # seconds
                apart = x - y if how == "nearest earlier" else y - x
                if apart > 0 or (apart == 0 and not strict):
                    found.append((apart, m))
            nearest = min(found, default=(Fraction(0), -1))[0]
            if limit is None or nearest <= limit:
                expected += [(n, m) for apart, m in found if apart == nearest]
        self.assertEqual(pairs_of(tied), expected)

    def test_a_tenth_apart_is_a_tenth_apart(self) -> None:
        """What a double or a rank would get wrong, said as an analyst meets it."""
        for a, b, within, found in (
            ([Decimal("1.10")], [Decimal("1.05")], 0.05, 1),
            ([Decimal("1.11")], [Decimal("1.05")], 0.05, 0),
            ([1.1], [1.05], 0.05, 1),
            ([1.1], [1.05], 0.0499, 0),
            ([Decimal(5), Decimal(10**30)], [Decimal(1), Decimal(2) * 10**29], 10, 1),
            ([2**63 - 1], [-(2**63)], 2**63, 0),
            ([dt.date.max], [dt.date.min], 3_652_058, 1),
        ):
            field = kt.LinkField("x", "x", "nearest earlier", within=within)
            sides = [kt.Table.from_columns({"x": values}) for values in (a, b)]
            with self.subTest(a=a, within=within):
                self.assertEqual(kt.tie(*sides, [field]).counts.left.found, found)
        with self.assertRaisesRegex(kt.errors.LinkError, "no nearest match"):
            kt.LinkField("x", "y", "<=", within=1)

    def test_bounds_over_a_million_groups(self) -> None:
        """Groups times the span of values pass 2**62: the bounds' scales must not get mixed up."""
        n = 1_100_000
        rng = np.random.default_rng(5)
        ids = rng.permutation(n) * 3
        start = rng.integers(-(2**40), 2**40, n)
        length = rng.integers(1, 2**41, n)
        at = start + rng.integers(-(2**40), 2**40, n)
        a = kt.Table.of({"id": whole(ids), "x": whole(at)})
        b = kt.Table.of({"id": whole(ids), "from": whole(start), "to": whole(start + length)})
        tied = kt.tie(a, b, ["id", ("x", ">=", "from"), ("x", "<", "to")])
        inside = np.flatnonzero((at >= start) & (at < start + length))
        self.assertEqual(tied.match.pairs[0].tolist(), inside.tolist())
        self.assertEqual(tied.match.pairs[1].tolist(), inside.tolist())


def whole(values: Any) -> kt.Column:
    return kt.Column(kt.Kind.INTEGER, np.asarray(values, np.int64))


class EveryDigitTest(unittest.TestCase):
    """Whatever becomes of a column, a value is the same value or is said to be lost."""

    @settings(max_examples=300)
    @given(columns({**AMOUNTS, **CALENDAR}), st.sampled_from(list(kt.Kind)))
    def test_a_value_in_another_kind_is_the_same_or_lost(
        self, column: kt.Column, kind: kt.Kind
    ) -> None:
        made = converted(column, kind)
        before, after = column.to_list(), made.column.to_list()
        for row, (a, b) in enumerate(zip(before, after, strict=True)):
            if row in made.lost or a is None:
                self.assertIsNone(b)
            elif kind is kt.Kind.TEXT:
                shown = column.text(row)
                self.assertEqual(b, "0" if shown == "-0" else shown)  # equal values, one text
            elif kind is kt.Kind.DATE:
                self.assertEqual(exactly(b), exactly(a) // 1)
            else:
                self.assertEqual(exactly(a), exactly(b))

    @settings(max_examples=200)
    @given(st.lists(columns(AMOUNTS, 3), min_size=1, max_size=3))
    def test_stacked_columns_keep_every_value(self, parts: list[kt.Column]) -> None:
        named = {str(n): table(len(c), x=c) for n, c in enumerate(parts)}
        outcome = kt.stack(named).outcome.column("x")
        self.assertEqual(outcome.kind, in_common_kind(parts)[0].kind)
        before = [(v, c.text(n)) for c in parts for n, v in enumerate(c.to_list())]
        for (value, text), now in zip(before, outcome.to_list(), strict=True):
            if value is None or outcome.kind is kt.Kind.TEXT:
                self.assertEqual(now, None if value is None else text)
            else:
                self.assertEqual(exactly(value), exactly(now))

    @settings(max_examples=200)
    @given(st.lists(st.tuples(st.sampled_from("ab"), st.none() | EXACT | WHOLE), max_size=8))
    def test_sums_and_averages_lose_no_digit(self, rows: list[Any]) -> None:
        values = [None if v is None else Decimal(v) for _, v in rows]
        column = column_of(values, kt.Kind.EXACT)
        if column is None:
            return
        named = kt.Table.of({"k": kt.Column.of([k for k, _ in rows], kt.Kind.TEXT), "x": column})
        figures = [kt.Figure("x", how) for how in ("sum", "average", "min", "max")]
        sums = {
            k: sum(
                (
                    Fraction(v)
                    for (g, _), v in zip(rows, values, strict=True)
                    if g == k and v is not None
                ),
                Fraction(0),
            )
            for k in dict.fromkeys(k for k, _ in rows)
        }
        if max(map(abs, sums.values()), default=0) * 10**column.scale >= 10**38:
            with self.assertRaisesRegex(kt.errors.LinkError, "more than 38 digits"):
                kt.summarise(named, ["k"], figures)
            return
        for k, total, average, least, most in kt.summarise(named, ["k"], figures).rows():
            held = [v for (g, _), v in zip(rows, values, strict=True) if g == k and v is not None]
            self.assertEqual((least, most), (min(held, default=None), max(held, default=None)))
            if held:
                self.assertEqual(Fraction(total), sums[k])
                self.assertAlmostEqual(average / float(sums[k] / len(held) or 1), average and 1)
            else:
                self.assertEqual((total, average), (None, None))

    def test_a_sum_has_one_kind_whatever_it_sums_to(self) -> None:
        for values in ([1, 2], [2**62, 2**62], [None, 1]):
            made = kt.summarise(kt.Table.from_columns({"x": values}), [], [kt.Figure("x")])
            self.assertIs(made.field("sum of x").kind, kt.Kind.EXACT)
            self.assertEqual(list(made.rows()), [(sum(v or 0 for v in values),)])


class FilterTest(unittest.TestCase):
    """A filter keeps what SQL would: the rows for which it is known to be true."""

    @settings(max_examples=200)
    @given(
        columns(AMOUNTS, 4),
        st.sampled_from(["=", "<>", "<", "<=", ">", ">=", "in", "between"]),
        st.lists(st.none() | WHOLE | st.just(1), min_size=1, max_size=3),
    )
    def test_blanks_among_the_values_are_unknown(
        self, column: kt.Column, test: Any, values: list[Any]
    ) -> None:
        values = values if test == "in" else (values * 2)[: 2 if test == "between" else 1]
        kept = kt.filtered(table(len(column), x=column), kt.Filter("x", test, tuple(values)))

        def is_true(value: Any) -> bool:
            if test == "in":
                return any(true_of(value, "=", v) for v in values)
            if test == "between":
                return true_of(value, ">=", values[0]) and true_of(value, "<=", values[1])
            return true_of(value, test, values[0])

        expected = [n for n, value in enumerate(column.to_list()) if is_true(value)]
        self.assertEqual(kept.column("row").to_list(), expected)


class WordsTest(unittest.TestCase):
    """A word that is not known is refused with those that are; it is never another one."""

    LEFT = kt.Table.from_columns({"k": [1, 2], "name": ["Brae", "Tolland"]})
    RIGHT = kt.Table.from_columns({"k": [1, 1], "b": ["x", "y"]})

    def test_misspelt_words_are_refused(self) -> None:
        def tied(**settings: Any) -> kt.Tie:
            return kt.tie(self.LEFT, self.RIGHT, **{"on": "k", **settings})

        for wrong, allowed in (
            (lambda: tied(on=[("k", "==", "k")]), "<>"),
            (lambda: tied(on=[("k", "!=", "k")]), "nearest earlier"),
            (lambda: tied(on=[("k", "like", "k")]), "="),
            (lambda: tied(text=["spaces"]), "outer spaces"),
            (lambda: tied(blanks="matching"), "never, match"),
            (lambda: tied(partner="any"), "every, first, last, only"),
            (lambda: tied(partner_for="both"), "left, right"),
            (lambda: tied(keep=["left", "middle"]), "left, both, right"),
            (lambda: tied(keep="left"), "left outer"),
            (lambda: kt.Figure("k", "mean"), "average"),
            (lambda: kt.Figure("k", "middle"), "median"),
            (lambda: kt.Filter("k", "equals", (1,)), "between"),
            (lambda: kt.Columns(same_named="first"), "both, left, right, filled"),
            (lambda: kt.Columns(link="twice"), "once, both"),
        ):
            with self.subTest(allowed=allowed), self.assertRaises(kt.errors.WordError) as caught:
                wrong()
            self.assertIn(allowed, str(caught.exception))
        for wrong in (lambda: tied(order="zone"), lambda: tied(partner="first", order=["zone"])):
            with self.assertRaisesRegex(kt.errors.UnknownColumnError, "no column “zone” in right"):
                wrong()
        for values in ((), (1, 2)):
            with self.assertRaisesRegex(kt.errors.LinkError, "takes one value"):
                kt.Filter("k", "=", values)

    def test_short_ways_of_saying_are_what_they_say(self) -> None:
        short = kt.tie(self.LEFT, self.RIGHT, "k", "inner", text="case", partner="first", order="b")
        long = kt.tie(
            self.LEFT,
            self.RIGHT,
            [("k", "=", "k")],
            ["both"],
            text=["case"],
            partner="first",
            order=[kt.OrderField("b")],
        )
        self.assertEqual((short.link, short.keep), (long.link, long.keep))
        kept = kt.filtered(self.LEFT, kt.Filter("name", "=", "Brae"))
        self.assertEqual(list(kept.rows()), [(1, "Brae")])
        with self.assertRaisesRegex(kt.errors.LinkError, "would be called “k”"):
            kt.summarise(self.LEFT, ["k"], [kt.Figure("k", "sum", "k")])
        self.assertEqual(len(OPERATORS), 8)


if __name__ == "__main__":
    unittest.main()
