"""Columns are compared by hashes of their values; equal values have equal ones, others do not."""

import datetime as dt
import unittest
from decimal import Decimal
from typing import Any

import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

import keen_trellis as kt
from keen_trellis.advice.fingerprints import fingerprint, text_hashes
from keen_trellis.advice.proposals import measured, propose_links
from tests.compute.office_pairs import office_pairs

TEXTS = st.lists(st.text(max_size=6), max_size=12)


class HashTest(unittest.TestCase):
    @given(TEXTS, TEXTS)
    def test_texts_have_the_hash_of_their_letters_wherever_they_stand(
        self, some: list[str], others: list[str]
    ) -> None:
        array = pa.array([*some, *others], pa.string())
        whole = text_hashes(array)
        apart = text_hashes(array.slice(len(some)))
        self.assertEqual(whole[len(some) :].tolist(), apart.tolist())
        hashes = dict(zip([*some, *others], whole.tolist(), strict=True))
        self.assertEqual(len(set(hashes.values())), len(hashes))

    def test_a_share_of_a_sample_is_known_for_an_estimate(self) -> None:
        for rows in (1_999, 2_001):
            table = kt.Table.from_columns({"code": [f"c{n}" for n in range(rows)]})
            best = propose_links(table, table.renamed(["key"]))[0]
            self.assertEqual((best.left_found, best.is_estimate), (1.0, rows > 2_000))

    def test_values_of_different_kinds_meet_where_they_can_be_compared(self) -> None:
        for left, right, share in (
            ([1, 2, 3], [Decimal("1.0"), Decimal("2.5")], 1 / 3),
            ([1, 2], [1.0, 2.0, 0.5], 1.0),
            ([-0.0, 1.5], [0.0, 1.5], 1.0),
            ([dt.date(2026, 1, 5)], [dt.datetime(2026, 1, 5, 8), dt.datetime(2026, 1, 6)], 1.0),
            ([Decimal(10**30), Decimal(1)], [1, 2], 0.5),
            (["1", "2"], [1, 2], 0.0),
        ):
            a, b = fingerprint(kt.Column.of(left)), fingerprint(kt.Column.of(right))
            found = a.share_in(b) if a.group == b.group else 0.0
            self.assertAlmostEqual(found, share, msg=str((left, right)))

    def test_blanks_count_for_nothing(self) -> None:
        made = fingerprint(kt.Column.of(["a", None, "a", "b"]))
        self.assertEqual((len(made.hashes), made.n_present, made.unique), (2, 3, 2 / 3))
        self.assertEqual(fingerprint(kt.Column.of([None, None], kt.Kind.INTEGER)).unique, 0.0)


class ProposedLinkTest(unittest.TestCase):
    """The fields that belong together come first, whatever they are called."""

    def best(
        self, left: dict[str, Any], right: dict[str, Any], names: tuple[str, str] = ("", "")
    ) -> list[tuple[str, str]]:
        tables = [kt.Table.from_columns(side) for side in (left, right)]
        links = propose_links(*tables, names=names)
        return [(f.left, f.right) for link in links[:1] for f in link.fields]

    def test_values_tell_more_than_names(self) -> None:
        codes = [f"R{n}" for n in range(12)]
        left = {"code": [f"X{n}" for n in range(12)], "way": codes}
        self.assertEqual(
            self.best(left, {"code": codes, "zone": ["a", "b"] * 6}), [("way", "code")]
        )

    def test_names_decide_between_fields_of_the_same_values(self) -> None:
        numbers = list(range(20))
        left = {"seats": numbers, "id": numbers}
        self.assertEqual(self.best(left, {"id": numbers, "deck": numbers}), [("id", "id")])

    def test_yes_and_no_link_nothing(self) -> None:
        self.assertEqual(self.best({"late": [True, False]}, {"late": [False, True]}), [])

    def test_texts_of_digits_meet_numbers_and_texts_meet_once_they_are_tidied(self) -> None:
        numbers = [40_117, 51_028, 60_003, 71_914, 80_005, 91_226]
        left = kt.Table.from_columns({"account": [f"{n:08d}" for n in numbers], "sum": [1.5] * 6})
        right = kt.Table.from_columns({"ledger_no": numbers, "pieces": range(6)})
        best = propose_links(left, right)[0].fields[0]
        self.assertEqual(best, kt.LinkField("account", "ledger_no", compare_as=kt.Kind.INTEGER))
        towns = ["Brae", "Tolland", "Kelp Point", "Gannet Head", "Marrow Sound"]
        untidy = {"town": [f" {town.upper()} " for town in towns], "pieces": range(5)}
        self.assertEqual(self.best(untidy, {"id": range(5), "port": towns}), [("town", "port")])

    def test_the_true_link_comes_first_among_decoys(self) -> None:
        for seed in (1, 2):
            pairs = list(office_pairs(seed))
            first = [self.best(pair.left, pair.right, pair.names) for pair in pairs]
            missed = [p.names for p, got in zip(pairs, first, strict=True) if {*got} != p.link]
            self.assertEqual(len(pairs), 40)
            self.assertLessEqual(len(missed), 2, f"{seed}: {missed}")

    def test_a_compound_link_is_measured_on_every_row(self) -> None:
        left = kt.Table.from_columns({"a": [1, 1, 2], "b": ["x", "y", "x"]})
        right = kt.Table.from_columns({"a": [1, 2, 2], "b": ["x", "x", "y"]})
        fields = (kt.LinkField("a", "a"), kt.LinkField("b", "b"))
        link = measured(left, right, fields)
        self.assertEqual((link.left_found, link.right_found), (2 / 3, 2 / 3))
        self.assertEqual((link.left_unique, link.right_unique), (1.0, 1.0))
