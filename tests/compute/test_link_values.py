"""Every link value with its rows on both sides, counted by hand."""

from __future__ import annotations

import unittest
from collections import Counter
from dataclasses import replace
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

import keen_trellis as kt
from keen_trellis.compute.link_values import link_values, shown
from keen_trellis.plan.bays import Bay

TEXTS = st.none() | st.sampled_from(["KP", "kp", "MS", "ms ", "BR", "7", "07"])
FEW = st.none() | st.integers(0, 2)
ROWS = st.lists(st.tuples(TEXTS, FEW), max_size=9)


class LinkValuesTest(unittest.TestCase):
    """What is listed is what the rows hold, each value once."""

    @settings(max_examples=300)
    @given(ROWS, ROWS, st.booleans(), st.sampled_from([(), ("case",), ("case", "outer spaces")]))
    def test_counts_are_those_of_the_rows(
        self, left: Any, right: Any, compound: bool, text: Any
    ) -> None:
        tables = [
            kt.Table.of(
                {
                    "t": kt.Column.of([t for t, _ in rows], kt.Kind.TEXT),
                    "n": kt.Column.of([n for _, n in rows], kt.Kind.INTEGER),
                }
            )
            for rows in (left, right)
        ]
        tied = kt.tie(*tables, on=["t", "n"] if compound else ["t"], text=text)

        def key(row: Any) -> Any:
            t, n = row
            if t is None or (compound and n is None):
                return None
            plain = t.lower() if "case" in text else t
            plain = plain.strip() if "outer spaces" in text else plain
            return (plain, n) if compound else (plain,)

        counts = [Counter(map(key, rows)) for rows in (left, right)]
        keys = list(dict.fromkeys(k for rows in (left, right) for k in map(key, rows) if k))
        found = link_values(tied)
        blank = counts[0][None] + counts[1][None] > 0
        self.assertEqual(len(found), len(keys) + blank)
        self.assertEqual(found.has_blank, blank)
        keys += [None] * blank
        for side, rows in enumerate((found.left_rows, found.right_rows)):
            self.assertEqual(rows.tolist(), [counts[side][k] for k in keys])
        shown = list(found.values.rows())
        for value, k in zip(shown, keys, strict=True):
            if k is not None:
                self.assertEqual(key((*value, None)[:2]), k)
        written = {}
        for row in (*left, *right):
            written.setdefault(key(row), set()).add(row if compound else row[0])
        ways = [len(written[k]) for k in keys if k]
        self.assertEqual(found.spellings.tolist()[: len(ways)], ways)
        left_of, right_of = ([counts[side][k] * (k is not None) for k in keys] for side in (0, 1))
        both = list(zip(left_of, right_of, strict=True))
        for bay, holds in (
            (Bay.LEFT, [a > 0 and not b for a, b in both]),
            (Bay.BOTH, [a > 0 and b > 0 for a, b in both]),
            (Bay.RIGHT, [b > 0 and not a for a, b in both]),
        ):
            self.assertEqual(found.found_in(bay).tolist(), holds)
        self.assertEqual(found.repeated.tolist(), [a > 1 and b > 1 for a, b in both])

    def test_pairs_make_one_value_of_two_and_kinds_may_differ(self) -> None:
        left = kt.Table.from_columns({"k": ["Kelp", "KP", "7"]})
        right = kt.Table.from_columns({"k": ["KP", "MS", "MS"]})
        tied = kt.tie(left, right, "k")
        paired = tied.linked(replace(tied.link, pairs=(kt.Pair("Kelp", "KP"),)))
        found = link_values(paired)
        self.assertEqual(found.values.column("k").to_list(), ["Kelp", "7", "MS"])
        self.assertEqual(found.spellings.tolist(), [2, 1, 1])
        self.assertEqual(found.left_rows.tolist(), [2, 1, 0])
        numbers = kt.Table.from_columns({"k": [7, 8]})
        on = [kt.LinkField("k", "k", compare_as=kt.Kind.INTEGER)]
        mixed = link_values(kt.tie(left, numbers, on))
        self.assertEqual(mixed.values.column("k").to_list(), ["7", "8", "Kelp"])
        self.assertEqual((mixed.left_rows.tolist(), mixed.has_blank), ([1, 0, 2], True))

    def test_as_a_table_each_value_stands_with_its_rows_and_where_it_is(self) -> None:
        left = kt.Table.from_columns({"k": ["a", "a", "b", None]})
        right = kt.Table.from_columns({"code": ["a", "c"]})
        found = link_values(kt.tie(left, right, [("k", "code")]))
        table = shown(found, ("Sailings", "Routes"), np.ones(len(found), bool))
        self.assertEqual(("k = code", "Sailings rows", "Routes rows", "found in"), table.columns)
        rows = [("a", 2, 1, "both"), ("b", 1, 0, "only Sailings"), ("c", 0, 1, "only Routes")]
        self.assertEqual({*rows, (None, 1, 0, "matches nothing")}, set(table.rows()))

    def test_a_range_alone_has_no_values(self) -> None:
        table = kt.Table.from_columns({"n": [1, 2]})
        self.assertEqual(len(link_values(kt.tie(table, table, [("n", "<", "n")]))), 0)
