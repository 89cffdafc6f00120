"""Numbers and dates come back whatever the way they were written; kinds change there and back."""

import datetime as dt
import unittest
from decimal import Decimal
from typing import Any

import numpy as np
import pyarrow as pa
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from keen_trellis.data import Column, Kind
from keen_trellis.data.conversions.conversion import converted
from keen_trellis.data.conversions.kind_changes import changed_kind, likely_kind
from keen_trellis.data.conversions.text_parsing import column_of_texts
from keen_trellis.data.conversions.written_forms import evidence, settle

AMOUNTS = st.lists(
    st.decimals(-9_999_999, 9_999_999, places=2), min_size=1, max_size=20, unique=True
)
STYLES = st.sampled_from(
    [(".", ""), (".", ","), (",", "."), (",", ""), (".", "'"), (",", "\u00a0")]
)
DAYS = st.lists(st.dates(dt.date(1970, 1, 1), dt.date(2068, 12, 31)), min_size=1, max_size=20)
ORDERS = st.sampled_from(["%d/%m/%Y", "%m/%d/%Y", "%d.%m.%Y", "%m-%d-%Y", "%Y/%m/%d", "%d.%m.%y"])
VALUES: dict[Kind, st.SearchStrategy[Any]] = {
    Kind.INTEGER: st.integers(-(2**63), 2**63 - 1),
    Kind.EXACT: st.decimals(-99_999, 99_999, places=3),
    Kind.NUMBER: st.floats(allow_nan=False, allow_infinity=False),
    Kind.BOOLEAN: st.booleans(),
    Kind.DATE: st.dates(dt.date(1000, 1, 1)),
    Kind.DATE_TIME: st.datetimes(dt.datetime(1000, 1, 1)),
    Kind.TIME: st.times(),
    Kind.TEXT: st.text(max_size=9).filter(lambda text: text.strip() == text != ""),
}


def read(texts: list[str], delimiter: str = ",") -> tuple[list[Any], Kind, tuple[str, ...]]:
    """Return the values, the kind, and what was a guess."""
    column = pa.chunked_array([texts], pa.string())
    written = settle([evidence(column)], delimiter)
    found = column_of_texts(column, written)
    return found.to_list(), found.kind, written.guessed


class WaysOfWritingTest(unittest.TestCase):
    @given(AMOUNTS, STYLES)
    def test_amounts_come_back_from_every_way_of_writing(
        self, amounts: list[Decimal], style: tuple[str, str]
    ) -> None:
        decimal, thousands = style
        signs = str.maketrans({",": thousands or None, ".": decimal})
        texts = [f"{amount:,.2f}".translate(signs) for amount in amounts]
        values, kind, guessed = read(texts)
        self.assertIs(kind, Kind.EXACT)
        self.assertEqual(values, amounts)
        self.assertEqual(guessed, ())

    @given(DAYS, ORDERS)
    def test_days_come_back_or_are_said_to_be_a_guess(
        self, days: list[dt.date], order: str
    ) -> None:
        values, kind, guessed = read([day.strftime(order) for day in days])
        self.assertIs(kind, Kind.DATE)
        if "dates" in guessed:
            self.assertTrue(all(day.day <= 12 for day in days))
        else:
            self.assertEqual(values, days)

    @given(st.lists(st.integers(1_000, 999_999), min_size=1, max_size=9))
    def test_a_comma_that_could_be_either_follows_the_delimiter_and_is_said(
        self, numbers: list[int]
    ) -> None:
        texts = [f"{number:,}" for number in numbers]
        assume(all(not text.startswith("0") for text in texts))
        values, _, guessed = read(texts)
        self.assertEqual((values, guessed), (numbers, ("numbers",)))
        values, _, guessed = read(texts, ";")
        self.assertEqual(values, [Decimal(number) / 1000 for number in numbers])
        self.assertEqual(guessed, ("numbers",))


DIGITS = st.integers(0, 10**40).map(str) | st.sampled_from(
    ["0", "1", "4111111111111111", "12232818431649", str(2**53 + 1), str(2**63), "9" * 38]
)
PLAIN = st.builds(
    lambda sign, whole, fraction: sign + whole + (f".{fraction}" if fraction else ""),
    st.sampled_from(["", "-"]),
    DIGITS,
    st.text("0123456789", max_size=18),
)
WRITTEN = PLAIN | st.builds(lambda t, e: f"{t}e{e}", PLAIN, st.integers(-330, 330))


class EveryDigitTest(unittest.TestCase):
    """An account number beside a price, a price beside a measurement: no digit changes."""

    @settings(max_examples=400)
    @given(st.lists(WRITTEN, min_size=1, max_size=4))
    def test_numbers_are_read_as_they_stand_or_stay_text(self, texts: list[str]) -> None:
        values, kind, _ = read(texts)
        if kind is Kind.TEXT:
            self.assertEqual(values, texts)
            return
        for text, value in zip(texts, values, strict=True):
            shown = Decimal(repr(value)) if isinstance(value, float) else Decimal(value)
            self.assertEqual(shown, Decimal(text))

    def test_the_kind_that_keeps_the_digits(self) -> None:
        for texts, kind in (
            (["1.5", "4111111111111111"], Kind.EXACT),
            (["0.612381", "12232818431649"], Kind.EXACT),
            (["9" * 38], Kind.EXACT),
            (["9" * 37, "1.55"], Kind.TEXT),
            (["0.1234567", "2.5"], Kind.NUMBER),
            (["0.1234567890123456789", "2.5"], Kind.EXACT),
            (["9007199254740993", "1e5"], Kind.TEXT),
        ):
            self.assertEqual(read(texts)[1], kind, texts)

    @settings(max_examples=300)
    @given(st.lists(WRITTEN | st.sampled_from(["n/a", "1_000", "٣", "nan", "inf", " 7 "])))
    def test_a_chosen_kind_keeps_a_number_or_says_it_is_lost(self, texts: list[str]) -> None:
        column = Column.of(texts, Kind.TEXT)
        for kind in (Kind.INTEGER, Kind.EXACT):
            made = converted(column, kind)
            for row, (text, value) in enumerate(zip(texts, made.column.to_list(), strict=True)):
                self.assertEqual(value is None, row in made.lost)
                if value is not None:
                    self.assertEqual(Decimal(value), Decimal(text.strip()))

    def test_a_comma_in_a_number_is_understood_where_nothing_else_is_possible(self) -> None:
        for texts, kind, values in (
            (["1,5", "2,25"], Kind.NUMBER, [1.5, 2.25]),
            (["1.204,50"], Kind.EXACT, [Decimal("1204.50")]),
            (["1,500"], Kind.NUMBER, [None]),  # one and a half, or fifteen hundred
            (["31.12.2026"], Kind.DATE, [dt.date(2026, 12, 31)]),
            (["2026-01-05 08:00+02:00"], Kind.DATE_TIME, [None]),  # its zone would be lost
        ):
            self.assertEqual(converted(Column.of(texts), kind).column.to_list(), values, texts)


class ChangedKindTest(unittest.TestCase):
    @given(st.data())
    def test_every_kind_becomes_text_and_comes_back(self, data: st.DataObject) -> None:
        for kind, values in VALUES.items():
            with self.subTest(kind=kind):
                column = Column.of(data.draw(st.lists(st.none() | values, max_size=9)), kind)
                text, lost = changed_kind(column, Kind.TEXT, "x")
                self.assertIsNone(lost)
                back, lost = changed_kind(text, kind, "x")
                self.assertIsNone(lost)
                self.assertEqual(back.to_list(), column.to_list())

    def test_how_dates_are_written_is_seen_from_the_rows_that_are_there(self) -> None:
        """Not from those that a filter took, nor from which of many come first."""
        days = ["02/01/2026", *(f"{n % 12 + 1:02}/{n % 9 + 1:02}/{n}" for n in range(1000, 2500))]
        column = Column.of([*days, "12/31/2026"], Kind.TEXT)
        rows = np.arange(len(column))
        for order in (rows, rows[::-1], np.roll(rows, 1)):
            made = converted(column.take(order), Kind.DATE)
            self.assertEqual(len(made.lost), 0)
            self.assertIn(dt.date(2026, 2, 1), made.column.to_list())
        without = converted(column.take(rows[:-1]), Kind.DATE).column
        self.assertEqual(set(without.to_list()), {None})  # where nothing is shown, nobody knows

    def test_what_a_change_of_kind_makes_of_values(self) -> None:
        moment = dt.datetime(2026, 1, 5, 8, 30)
        for values, kind, made, lost in (
            ([1, 2], Kind.EXACT, [Decimal(1), Decimal(2)], ()),
            ([1.5, 2.0], Kind.INTEGER, [None, 2], ("1.5",)),
            ([moment], Kind.DATE, [moment.date()], ("2026-01-05 08:30:00",)),  # its time goes
            (["2026-01-05 08:30"], Kind.DATE, [None], ("2026-01-05 08:30",)),
            ([moment.date()], Kind.DATE_TIME, [dt.datetime(2026, 1, 5)], ()),
            (["2026-01", "8:30"], Kind.TIME, [None, dt.time(8, 30)], ("2026-01",)),
            (["yes", "0", "No "], Kind.BOOLEAN, [True, None, False], ("0",)),
        ):
            with self.subTest(values=values, kind=kind):
                changed, unfit = changed_kind(Column.of(values), kind, "x")
                self.assertEqual(changed.to_list(), made)
                self.assertEqual(unfit.texts if unfit else (), lost)

    def test_a_kind_is_proposed_only_where_nearly_all_values_have_it(self) -> None:
        for texts, proposed in (
            ([*map(str, range(20)), "x"], (Kind.INTEGER, 20, 1, "x")),
            ([f"{n:03}" for n in range(20)], None),
            ([*["true", "False"] * 9, "maybe"], (Kind.BOOLEAN, 18, 1, "maybe")),
            ([*["yes", "no"] * 9, "maybe"], None),
            (["KP-MS", "BR-TO"] * 9, None),
            (["1", "2"], None),
            ([f"S-{n}" for n in range(30)], None),
        ):
            with self.subTest(texts=texts[:3]):
                found = likely_kind(Column.of(texts))
                told = found and (found.kind, found.fit, found.unfit, found.odd)
                self.assertEqual(told, proposed)
