"""Columns hold values of one kind exactly, and never mix up a blank with a gap."""

import datetime as dt
import unittest
from decimal import Context, Decimal
from unittest import mock

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from keen_trellis.base.errors import UnknownColumnError
from keen_trellis.data import BLANK, GAP, Column, Kind, Table, from_arrow
from keen_trellis.data.column import exact_values
from keen_trellis.data.dtypes import DTYPES, EXACT_DTYPE
from keen_trellis.data.stacking import fill_gaps, stack_columns

VALUES = {
    Kind.TEXT: st.text(max_size=8).filter(lambda t: max(t, default="") < "\ud800"),
    Kind.INTEGER: st.integers(-(2**63), 2**63 - 1),
    Kind.NUMBER: st.floats(allow_nan=False),
    Kind.EXACT: st.integers(0, 12).flatmap(
        lambda places: st.decimals(-(10**20), 10**20, places=places)
    ),
    Kind.BOOLEAN: st.booleans(),
    Kind.DATE: st.dates(),
    Kind.DATE_TIME: st.datetimes(),
    Kind.TIME: st.times(),
}
COLUMNS = st.sampled_from(list(Kind)).flatmap(
    lambda kind: st.tuples(st.just(kind), st.lists(st.none() | VALUES[kind], max_size=12))
)


class EveryKindTest(unittest.TestCase):
    """Whatever is put into a column comes out of it."""

    @given(COLUMNS)
    def test_values_survive_python_and_arrow(self, case: tuple[Kind, list[object]]) -> None:
        kind, values = case
        column = Column.of(values, kind)
        self.assertIs(column.kind, kind)
        self.assertEqual(column.values.dtype, DTYPES[kind])
        self.assertEqual(column.to_list(), values)
        self.assertEqual(from_arrow(column.to_arrow()).to_list(), values)
        self.assertEqual(column.count(BLANK), values.count(None))

    @given(COLUMNS, st.lists(st.integers(-1, 11), max_size=15))
    def test_taken_rows_are_the_rows_or_gaps(
        self, case: tuple[Kind, list[object]], rows: list[int]
    ) -> None:
        kind, values = case
        rows = [row for row in rows if row < len(values)]
        taken = Column.of(values, kind).take(np.array(rows, np.int32))
        self.assertEqual(taken.to_list(), [None if row < 0 else values[row] for row in rows])
        self.assertEqual(taken.count(GAP), rows.count(-1))
        self.assertEqual(taken.count(BLANK), sum(r >= 0 and values[r] is None for r in rows))

    @given(COLUMNS)
    def test_the_text_of_a_cell_is_the_text_that_is_written(
        self, case: tuple[Kind, list[object]]
    ) -> None:
        kind, values = case
        column = Column.of(values, kind)
        written = column.texts().to_pylist()
        self.assertEqual([t or "" for t in written], [column.text(n) for n in range(len(values))])
        if kind is Kind.EXACT:  # not 1E-7, which only programs read as a decimal
            self.assertFalse([text for text in written if text and "E" in text])

    @given(COLUMNS, st.data())
    def test_stacked_columns_keep_their_cells(
        self, case: tuple[Kind, list[object]], data: st.DataObject
    ) -> None:
        kind, above = case
        below = data.draw(st.lists(st.none() | VALUES[kind], max_size=6))
        stacked = stack_columns([Column.of(above, kind), Column.of(below, kind)])
        self.assertEqual(stacked.to_list(), [*above, *below])


class ExactnessTest(unittest.TestCase):
    def test_a_decimal_of_thirty_digits_stays_as_it_is(self) -> None:
        values = [Decimal("123456789012345678901234567.890"), Decimal("-0.001"), None]
        column = Column.of(values)
        self.assertEqual(column.to_list(), values)
        self.assertEqual(column.values.dtype, EXACT_DTYPE)
        self.assertEqual(column.text(0), "123456789012345678901234567.890")

    def test_cells_read_as_an_analyst_writes_them(self) -> None:
        for value, text in (
            (3.0, "3"),
            (0.1, "0.1"),
            (True, "true"),
            (dt.date(2026, 1, 5), "2026-01-05"),
            (dt.datetime(2026, 1, 5, 8, 30), "2026-01-05 08:30:00"),
            (dt.time(8, 30), "08:30:00"),
            (Decimal("12.50"), "12.50"),
        ):
            self.assertEqual(Column.of([value]).text(0), text)

    def test_not_a_number_is_a_blank_and_mixed_kinds_are_refused(self) -> None:
        self.assertEqual(from_arrow(pa.array([1.5, float("nan")])).to_list(), [1.5, None])
        with self.assertRaises(TypeError):
            Column.of(["KP-MS", 7])


class ForeignColumnsTest(unittest.TestCase):
    """What other programs write as Arrow follows their rules, not those our columns rely on."""

    def test_a_dictionary_with_repeats_and_nulls_becomes_one_without(self) -> None:
        words = pa.array(["a", "b", None, "a"])
        column = from_arrow(pa.DictionaryArray.from_arrays(pa.array([3, 0, 2, 1, None]), words))
        self.assertEqual(column.to_list(), ["a", "a", None, "b", None])
        self.assertEqual(column.values[0], column.values[1])
        with self.assertRaisesRegex(AssertionError, "a text twice"):
            Column(Kind.TEXT, np.zeros(1, np.int32), None, pa.array(["a", "a"]))

    def test_texts_longer_together_than_one_array_holds(self) -> None:
        with mock.patch("keen_trellis.data.column.TEXT_BYTES_AT_MOST", 9):
            long = Column.of(["abc", "de", "abc", "abc"])
            self.assertEqual(long.to_arrow().type, pa.large_string())
            self.assertEqual(from_arrow(long.texts()).to_list(), ["abc", "de", "abc", "abc"])
        chunks = pa.chunked_array([["x", "y"], ["y", None]], pa.large_string())
        self.assertEqual(from_arrow(chunks).to_list(), ["x", "y", "y", None])

    def test_nanoseconds_are_cut_with_a_word(self) -> None:
        for kind in (pa.timestamp("ns"), pa.timestamp("ns", "UTC"), pa.time64("ns")):
            with self.subTest(kind=kind), self.assertWarnsRegex(UserWarning, "1 values have nano"):
                column = from_arrow(pa.array([1_001, 2_000], pa.int64()).cast(kind))
            self.assertEqual(column.values.tolist(), [1, 2])
        self.assertEqual(from_arrow(pa.array([2**63], pa.uint64())).to_list(), [2**63])

    @given(st.lists(st.decimals(allow_nan=False, allow_infinity=False), max_size=6))
    def test_decimals_take_the_scale_that_holds_most(self, values: list[Decimal]) -> None:
        whole, fits, scale = exact_values(values)
        column = Column(Kind.EXACT, whole, np.where(fits, 0, BLANK).astype(np.uint8), scale=scale)
        kept = [v if fit else None for v, fit in zip(values, fits, strict=True)]
        self.assertEqual(column.to_list(), kept)
        for value, fit in zip(values, fits, strict=True):
            digits = len(value.normalize(Context(prec=99)).as_tuple().digits)
            self.assertFalse(fit and digits > 38)


class LateRowsTest(unittest.TestCase):
    """A table made by a tie is row numbers; a gap stays a gap through any number of them."""

    ROUTES = Table.from_columns({"code": ["KP-MS", None, "GH-TO"]}, origin="routes")

    def test_a_gap_is_told_from_a_blank_after_three_ties(self) -> None:
        table = self.ROUTES.take(np.array([1, -1, 0]))
        table = table.take(np.array([0, 1, 2, -1])).take(np.array([3, 2, 1, 0]))
        code = table.column("code")
        self.assertEqual(code.to_list(), [None, "KP-MS", None, None])
        assert code.state is not None
        self.assertEqual(list(code.state), [GAP, 0, GAP, BLANK])

    def test_nothing_is_copied_until_someone_looks(self) -> None:
        table = self.ROUTES.take(np.array([0] * 1000)).window(10, 12)
        self.assertIs(table.strands[0].columns[0], self.ROUTES.strands[0].columns[0])
        self.assertEqual(list(table.rows()), [("KP-MS",), ("KP-MS",)])

    def test_a_gap_is_filled_from_the_other_side_and_a_blank_is_not(self) -> None:
        left = Column.of(["a", None, "c"]).take(np.array([0, 1, -1]))
        filled = fill_gaps(left, Column.of(["x", "y", "z"]))
        self.assertEqual(filled.to_list(), ["a", None, "z"])

    def test_a_wrong_name_gets_the_right_one_proposed(self) -> None:
        with self.assertRaisesRegex(UnknownColumnError, "“cod” in Routes. Did you mean “code”"):
            self.ROUTES.column("cod", "Routes")
