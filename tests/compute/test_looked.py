"""Looking at a table: sorted, searched, only some rows; judged by Python's own sort and search."""

from __future__ import annotations

import datetime as dt
import unittest
from decimal import Decimal
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

import keen_trellis as kt
from keen_trellis.compute.row_view import Look, Only, looked_rows

TEXTS = st.sampled_from(["Brae", "brae", "BRAE ", "", "7", "é", "Tolland", "a.b", "%", "\n", "ß"])
COLUMNS: dict[kt.Kind, st.SearchStrategy[Any]] = {
    kt.Kind.TEXT: TEXTS,
    kt.Kind.INTEGER: st.integers(-(2**63), 2**63 - 1) | st.integers(-3, 30),
    kt.Kind.NUMBER: st.floats(allow_nan=False),
    kt.Kind.EXACT: st.decimals(-(10**20), 10**20, places=2),
    kt.Kind.BOOLEAN: st.booleans(),
    kt.Kind.DATE: st.dates(dt.date(1, 1, 1), dt.date(9999, 12, 31)),
    kt.Kind.DATE_TIME: st.datetimes(dt.datetime(1900, 1, 1), dt.datetime(2100, 1, 1)),
    kt.Kind.TIME: st.times(),
}


class SortTest(unittest.TestCase):
    """Sorting keeps every row, puts blanks last, and leaves equal rows as they stood."""

    @settings(max_examples=300)
    @given(st.data())
    def test_sorts_as_python_does(self, data: st.DataObject) -> None:
        kind = data.draw(st.sampled_from(list(COLUMNS)))
        values = data.draw(st.lists(st.none() | COLUMNS[kind], max_size=12))
        down = data.draw(st.booleans())
        table = kt.Table.of({"c": kt.Column.of(values, kind)})
        present = [n for n, v in enumerate(values) if v is not None]

        def key(n: int) -> Any:
            return (
                (values[n].lower(), values[n])
                if kind is kt.Kind.TEXT
                else values[n] + 0
                if (kind is kt.Kind.NUMBER)
                else values[n]
            )

        present.sort(key=key, reverse=down)
        blank = [n for n, v in enumerate(values) if v is None]
        rows = looked_rows(table, Look("c", down))
        self.assertEqual(rows.tolist(), present + blank)

    @settings(max_examples=300)
    @given(st.data())
    def test_finds_what_is_shown_whatever_its_case(self, data: st.DataObject) -> None:
        kinds = data.draw(st.lists(st.sampled_from(list(COLUMNS)), min_size=1, max_size=3))
        n = data.draw(st.integers(0, 6))
        columns = {
            f"c{i}": kt.Column.of(
                data.draw(st.lists(st.none() | COLUMNS[k], min_size=n, max_size=n)), k
            )
            for i, k in enumerate(kinds)
        }
        search = data.draw(st.sampled_from(["brae", "A", "7", "-", "e", ".", "1", "tr", " ", ":"]))
        table = kt.Table.of(columns)
        expected = [
            row
            for row in range(n)
            if any(search.lower() in c.text(row).lower() for c in columns.values())
        ]
        self.assertEqual(looked_rows(table, Look(search=search)).tolist(), expected)


class OnlyTest(unittest.TestCase):
    """A gap is no blank, and a value is what is shown."""

    def test_gaps_blanks_and_values_are_told_apart(self) -> None:
        sailings = kt.Table.from_columns({"route": ["KP", "XX", "MS", None], "no": [1, 2, 2, 4]})
        routes = kt.Table.from_columns({"code": ["KP", "MS"], "zone": ["Inner", None]})
        tied = kt.tie(sailings, routes, [("route", "code")], ["left", "both"])
        for only, rows in (
            (Only("zone", "gap"), [1, 3]),
            (Only("zone", "blank"), [2]),
            (Only("zone", "value", "Inner"), [0]),
            (Only("no", "value", "2"), [1, 2]),
        ):
            found = looked_rows(tied.outcome, Look(only=(only,)))
            self.assertEqual(found.tolist(), rows, str(only))
        both = Look("no", True, only=(Only("zone", "gap"),))
        self.assertEqual(looked_rows(tied.outcome, both).tolist(), [3, 1])
        with self.assertRaises(kt.errors.UnknownColumnError):
            looked_rows(sailings, Look("zone"))
        self.assertEqual(both.within(sailings), Look("no", True))

    def test_wide_decimals_are_in_order(self) -> None:
        values = [Decimal(10**30), Decimal("-1.5"), Decimal(10**30) + 1, Decimal(0)]
        table = kt.Table.from_columns({"c": values})
        self.assertEqual(looked_rows(table, Look("c")).tolist(), [1, 3, 0, 2])
