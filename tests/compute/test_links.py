"""Every way to say what belongs together finds what SQLite finds over the same rows."""

import datetime as dt
import re
import unicodedata
import unittest
from decimal import Decimal
from typing import Any

import pyarrow as pa
from hypothesis import given, settings
from hypothesis import strategies as st

from keen_trellis.compute.join.tidying import tidy
from keen_trellis.data import Column, Kind, Table
from keen_trellis.notebook import Tie, tie
from keen_trellis.plan.link import LinkField, OrderField, Pair
from keen_trellis.plan.operators import NEAREST
from keen_trellis.plan.text_rules import TEXT_RULES
from tests import oracle

TEXTS = st.none() | st.sampled_from(
    ["a", "A", "á", " a", "a  b", "A b", "a-b", "a\u200bb", "ß", "SS"]
)
SIDES = st.sampled_from(["left", "right"])
NUMBERS = st.none() | st.integers(-3, 3)
ROWS = st.lists(st.tuples(TEXTS, NUMBERS, NUMBERS), max_size=8)
OPERATORS = st.sampled_from(["=", "<>", "<", "<=", ">", ">="])
KINDS = (Kind.TEXT, Kind.INTEGER, Kind.INTEGER)


def table(rows: list[tuple[Any, ...]], letter: str) -> Table:
    return Table.of(
        {f"{letter}{n}": Column.of([r[n] for r in rows], kind) for n, kind in enumerate(KINDS)}
    )


def pairs_of(tied: Tie) -> list[tuple[int, int]]:
    left, right = tied.match.pairs
    return list(zip(left.tolist(), right.tolist(), strict=True))


def tidied(text: str | None, rules: tuple[str, ...]) -> str | None:
    """Say again in plain Python what each rule ignores."""
    if text is None:
        return None
    if "invisible" in rules:
        text = "".join(c for c in text if unicodedata.category(c) != "Cf")
    if "accents" in rules:
        apart = unicodedata.normalize("NFD", text)
        text = unicodedata.normalize(
            "NFC", "".join(c for c in apart if unicodedata.category(c) != "Mn")
        )
    if "case" in rules:
        text = text.casefold()
    if "punctuation" in rules:
        text = "".join(c for c in text if unicodedata.category(c)[0] not in "PS")
    if "doubled spaces" in rules:
        text = re.sub(" {2,}", " ", text)
    return text.strip() if "outer spaces" in rules else text


class ConditionsTest(unittest.TestCase):
    @settings(max_examples=500)
    @given(
        ROWS,
        ROWS,
        st.lists(
            st.tuples(st.sampled_from([(1, 1), (1, 2), (2, 1), (2, 2)]), OPERATORS),
            min_size=1,
            max_size=3,
        ),
    )
    def test_any_mix_of_operators(self, left: list[Any], right: list[Any], on: list[Any]) -> None:
        condition = " and ".join(f"a{a} {operator} b{b}" for (a, b), operator in on)
        only_left, both, only_right = oracle.bays(left, right, condition)
        fields = [(f"a{a}", operator, f"b{b}") for (a, b), operator in on]
        tied = tie(table(left, "a"), table(right, "b"), fields)
        self.assertEqual(pairs_of(tied), both)
        self.assertEqual([(n,) for n in tied.match.left_only], only_left)
        self.assertEqual([(n,) for n in tied.match.right_only], only_right)
        self.assertEqual(tied.counts.pairs, len(both))
        self.assertEqual(tied.counts.left.found, len({a for a, _ in both}))
        self.assertEqual(tied.counts.right.found, len({b for _, b in both}))
        self.assertEqual(
            len(tied.keeping(("left", "both", "right")).outcome),
            len(both) + len(only_left) + len(only_right),
        )

    @settings(max_examples=300)
    @given(
        ROWS,
        ROWS,
        st.sampled_from(NEAREST),
        st.booleans(),
        st.none() | st.integers(0, 2),
        st.booleans(),
        st.booleans(),
    )
    def test_the_nearest_earlier_and_later_match(
        self,
        left: list[Any],
        right: list[Any],
        operator: str,
        strict: bool,
        within: int | None,
        grouped: bool,
        bounded: bool,
    ) -> None:
        sign = (
            (">" if strict else ">=")
            if operator == "nearest earlier"
            else ("<" if strict else "<=")
        )
        best = "max" if operator == "nearest earlier" else "min"
        near = f"a1 {sign} b1" + (" and a0 = {x}.b0" if grouped else "")
        near += f" and abs(a1 - b1) <= {within}" if within is not None else ""
        near += " and a2 < {x}.b2" if bounded else ""
        inner = near.format(x="n").replace("b1", "n.b1")
        condition = f"{near.format(x='r')} and b1 = (select {best}(n.b1) from r n where {inner})"
        fields: list[Any] = [LinkField("a1", "b1", operator, strict, within)]  # type: ignore[arg-type]
        fields += [("a0", "b0")] if grouped else []
        fields += [("a2", "<", "b2")] if bounded else []
        tied = tie(table(left, "a"), table(right, "b"), fields)
        _, both, _ = oracle.bays(left, right, condition)
        self.assertEqual(pairs_of(tied), both)


class TextsBlanksAndPairsTest(unittest.TestCase):
    @settings(max_examples=200)
    @given(
        ROWS,
        ROWS,
        st.sets(st.sampled_from(TEXT_RULES)),
        st.booleans(),
        st.lists(st.tuples(TEXTS, TEXTS).filter(lambda p: None not in p), max_size=3),
    )
    def test_values_that_are_the_same_once_tidied_and_paired(
        self, left: list[Any], right: list[Any], rules: set[Any], blanks: bool, pairs: list[Any]
    ) -> None:
        tied = tie(
            table(left, "a"),
            table(right, "b"),
            [("a0", "b0"), ("a1", "b1")],
            text=rules,
            blanks="match" if blanks else "never",
            pairs=[Pair(a, b) for a, b in pairs],
        )
        chosen = tied.link.text
        groups = {tidied(text, chosen): {tidied(text, chosen)} for pair in pairs for text in pair}
        for a, b in pairs:
            joined = groups[tidied(a, chosen)] | groups[tidied(b, chosen)]
            for text in joined:
                groups[text] = joined

        def key(row: Any) -> Any:
            text = tidied(row[0], chosen)
            return min(groups.get(text, {text}), key=repr), row[1]

        expected = [
            (n, m)
            for n, a in enumerate(left)
            for m, b in enumerate(right)
            if key(a) == key(b) and (blanks or None not in (a[0], a[1], b[0], b[1]))
        ]
        self.assertEqual(pairs_of(tied), expected)

    @given(st.lists(TEXTS, max_size=6), st.sets(st.sampled_from(TEXT_RULES)))
    def test_each_rule_takes_off_what_it_says(self, texts: list[Any], rules: set[Any]) -> None:
        got = tidy(pa.array(texts, pa.string()), tuple(rules)).to_pylist()
        self.assertEqual(got, [tidied(text, tuple(rules)) for text in texts])

    def test_every_space_of_unicode_is_a_space(self) -> None:
        spaces = [
            c for c in map(chr, range(0x10000)) if c.isspace() and c not in "\x1c\x1d\x1e\x1f"
        ]
        texts = pa.array([f"{space}a{space}{space}b{space}" for space in spaces])
        self.assertEqual(set(tidy(texts, TEXT_RULES[:2]).to_pylist()), {"a b"})
        self.assertGreater(len(spaces), 20)


class PartnersTest(unittest.TestCase):
    ORDERS = st.sampled_from([(), ("2",), ("-2",), ("1", "-2")])

    @settings(max_examples=300)
    @given(
        ROWS,
        ROWS,
        st.sampled_from(["first", "last", "only"]),
        SIDES,
        ORDERS,
    )
    def test_one_partner_is_taken_by_order_from_either_side(
        self, left: list[Any], right: list[Any], partner: Any, side: Any, order: tuple[str, ...]
    ) -> None:
        _, both, _ = oracle.bays(left, right, "a0 = b0")
        own, other, rows, letter = (0, 1, right, "b") if side == "left" else (1, 0, left, "a")

        def rank(number: int) -> Any:
            keys = []
            for name in order:
                value = rows[number][int(name[-1])]
                turned = (name[0] == "-") != (partner == "last")
                keys.append((value is None, 0 if value is None else -value if turned else value))
            return (*keys, -number if partner == "last" else number)

        expected = []
        for row in {pair[own] for pair in both}:
            found = sorted((p[other] for p in both if p[own] == row), key=rank)
            if partner != "only" or len(found) == 1:
                expected.append((row, found[0]) if side == "left" else (found[0], row))
        tied = tie(
            table(left, "a"),
            table(right, "b"),
            [("a0", "b0")],
            partner=partner,
            partner_for=side,
            order=[OrderField(letter + name[-1], name[0] == "-") for name in order],
        )
        self.assertEqual(pairs_of(tied), sorted(expected))
        counts = tied.counts.left if side == "left" else tied.counts.right
        several = {p[own] for p in both if sum(q[own] == p[own] for q in both) > 1}
        self.assertEqual(counts.ambiguous, len(several))
        self.assertEqual(set(tied.match.ambiguous.tolist()), several)
        self.assertEqual(len(tied.ambiguous), len(several))


class KindsTest(unittest.TestCase):
    """Kinds that differ meet by value, and no digit is lost on the way."""

    def test_values_meet_across_kinds(self) -> None:
        big = 9_007_199_254_740_993  # one more than a double can tell from its neighbour
        day = dt.date(2026, 1, 5)
        for left, right, found in (
            ([1, 2], [Decimal("1.00"), Decimal("2.50")], [(0, 0)]),
            (
                [1234567890123456789],
                [Decimal("1234567890123456789.0"), Decimal("1234567890123456788")],
                [(0, 0)],
            ),
            ([1, 3], [1.0, 3.5, float(2**53)], [(0, 0)]),
            ([big, big - 1], [float(big)], [(1, 0)]),
            ([Decimal("0.1"), Decimal("0.3")], [0.1, 0.1 + 0.2], [(0, 0)]),
            ([Decimal(10**25), Decimal("0.5")], [1e25, 0.5], [(0, 0), (1, 1)]),
            ([day], [dt.datetime(2026, 1, 5, 8, 30), dt.datetime(2026, 1, 6)], [(0, 0)]),
        ):
            with self.subTest(left=left, right=right):
                tied = tie(Table.from_columns({"x": left}), Table.from_columns({"x": right}), ["x"])
                self.assertEqual(pairs_of(tied), found)

    def test_other_kinds_are_compared_as_one_when_asked(self) -> None:
        left = Table.from_columns({"id": [7, 12, 13]})
        right = Table.from_columns({"mentor": ["007", " 12", "n/a"]})
        as_number = LinkField("id", "mentor", compare_as=Kind.INTEGER)
        as_text = LinkField("id", "mentor", compare_as=Kind.TEXT)
        self.assertEqual(pairs_of(tie(left, right, [as_number])), [(0, 0), (1, 1)])
        self.assertEqual(pairs_of(tie(left, right, [as_text], text=["outer spaces"])), [(1, 1)])
        paired = tie(left, left, ["id"], pairs={"7": "13"})
        self.assertEqual(pairs_of(paired), [(0, 0), (0, 2), (1, 1), (2, 0), (2, 2)])
