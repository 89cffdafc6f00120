"""Every row of both sides is in its bay, and the outcome is what the kept bays say."""

import datetime as dt
import unittest
from decimal import Decimal
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from keen_trellis.advice.proposals import propose_links
from keen_trellis.base.errors import LinkError, TooManyRowsError, UnknownColumnError
from keen_trellis.compute.join.keys import NO_KEY, codes_of, hashed_codes
from keen_trellis.compute.join.match import ROW_LIMIT
from keen_trellis.compute.join.pairing import paired
from keen_trellis.data import GAP, Column, Kind, Table
from keen_trellis.notebook import Tie, tie
from keen_trellis.plan.bays import JOIN_NAMES, keep_of
from keen_trellis.plan.link import Link, LinkField
from keen_trellis.plan.outcome import Columns
from tests import oracle

TEXTS = st.none() | st.sampled_from(["KP-MS", "KP-MS ", "kp-ms", "GH", ""])
NUMBERS = st.none() | st.integers(-2, 3) | st.sampled_from([10**15, -(10**15)])
ROWS = st.lists(st.tuples(TEXTS, NUMBERS), max_size=9)


def table(rows: list[tuple[Any, ...]], letter: str) -> Table:
    kinds = (Kind.TEXT, Kind.INTEGER)
    columns = {
        f"{letter}{n}": Column.of([row[n] for row in rows], kind) for n, kind in enumerate(kinds)
    }
    numbers = Column.of(list(range(len(rows))), Kind.INTEGER)
    return Table.of({f"{letter} row": numbers, **columns})


class AgainstSqlTest(unittest.TestCase):
    """Whatever the rows, SQLite joining the same rows finds the same."""

    @settings(max_examples=300)
    @given(ROWS, ROWS, st.sampled_from([(0,), (1,), (0, 1)]))
    def test_bays_counts_and_all_seven_outcomes(
        self, left: list[Any], right: list[Any], fields: tuple[int, ...]
    ) -> None:
        condition = " and ".join(f"a{n} = b{n}" for n in fields)
        only_left, both, only_right = oracle.bays(left, right, condition)
        tied = tie(table(left, "a"), table(right, "b"), on=[(f"a{n}", f"b{n}") for n in fields])
        self.assertEqual([(n,) for n in tied.match.left_only], only_left)
        self.assertEqual([(n,) for n in tied.match.right_only], only_right)
        self.assertEqual(list(zip(*map(list, tied.match.pairs), strict=True)), both)
        self.assert_counts(tied, left, right, both, fields)
        for keep in JOIN_NAMES:
            self.assert_outcome(tied.keeping(keep), left, right, only_left, both, only_right)

    def assert_counts(
        self, tied: Tie, left: list[Any], right: list[Any], both: list[Any], fields: tuple[int, ...]
    ) -> None:
        keys = [[tuple(row[n] for n in fields) for row in rows] for rows in (left, right)]
        held = [[key for key in side if None not in key] for side in keys]
        self.assertEqual(tied.counts.pairs, len(both))
        for side, place in ((tied.counts.left, 0), (tied.counts.right, 1)):
            partners = [pair[place] for pair in both]
            self.assertEqual(side.rows, len(keys[place]))
            self.assertEqual(side.found, len(set(partners)))
            self.assertEqual(side.blank, len(keys[place]) - len(held[place]))
            self.assertEqual(side.multiplied, sum(partners.count(n) > 1 for n in set(partners)))
            self.assertEqual(side.repeated, sum(held[place].count(k) > 1 for k in held[place]))
            self.assertEqual(side.distinct, len(set(held[place])))
            self.assertEqual(side.distinct_found, len(set(held[0]) & set(held[1])))

    def assert_outcome(
        self,
        tied: Tie,
        left: list[Any],
        right: list[Any],
        only_left: list[Any],
        both: list[Any],
        only_right: list[Any],
    ) -> None:
        """The outcome's rows stand in left, then right order, right-only rows at the end."""
        expected = [(a, b) for a, b in both] if "both" in tied.keep else []
        if "left" in tied.keep:
            expected = sorted(expected + [(a, None) for (a,) in only_left], key=lambda p: p[0])
        if "right" in tied.keep:
            expected += [(None, b) for (b,) in only_right]
        got = tied.outcome
        self.assertEqual(tied.counts.rows(tied.keep), len(expected))
        kinds = {kind.keep: kind.rows for kind in tied.join_types() if not kind.semi}
        self.assertEqual(kinds[tied.keep], len(got))
        for place, name in enumerate(("a row", "b row")):
            if name in got.columns:
                self.assertEqual(got.column(name).to_list(), [pair[place] for pair in expected])
            else:
                self.assertTrue(all(pair[place] is None for pair in expected))


class LinkKeyTest(unittest.TestCase):
    """Codes are equal exactly where values are, for every kind."""

    CASES = (
        ([1, 2, None], [2, 10**18, 1]),
        ([0.0, -0.0, 1.5, None], [-0.0, 1.5, 2.5]),
        ([Decimal("1.50"), Decimal("2")], [Decimal("1.5"), Decimal("2.000"), None]),
        ([Decimal(10**30), Decimal("-1.5")], [Decimal("-1.50"), Decimal(10**30 + 1)]),
        ([True, False, None], [True, True]),
        ([dt.date(2026, 1, 5)], [dt.date(2026, 1, 5), dt.date(1905, 1, 5)]),
        ([dt.datetime(2026, 1, 5, 8)], [dt.datetime(2026, 1, 5, 8), dt.datetime(2026, 1, 5, 9)]),
        ([dt.time(8)], [dt.time(8), dt.time(9)]),
        (["a", "é", "e\u0301"], ["é", "A", "a", "a"]),
    )

    def test_codes_meet_where_values_do(self) -> None:
        for left, right in self.CASES:
            with self.subTest(left=left):
                codes = codes_of(Column.of(left), Column.of(right))
                for n, a in enumerate(left):
                    for m, b in enumerate(right):
                        meets = codes.left[n] == codes.right[m] and codes.left[n] != NO_KEY
                        self.assertEqual(meets, a is not None and a == b)

    @given(st.lists(st.integers(-(2**63), 2**63 - 1), max_size=60))
    def test_hashing_gives_every_value_a_number_of_its_own(self, values: list[int]) -> None:
        codes, size = hashed_codes(np.array(values, np.int64))
        self.assertEqual(size, len(set(values)))
        self.assertEqual(len(set(zip(values, codes.tolist(), strict=True))), size)
        self.assertTrue(all(0 <= code < max(size, 1) for code in codes))


class OutcomeTest(unittest.TestCase):
    """Sallow Isles Ferries: sailings with the routes they sailed."""

    SAILINGS = Table.from_columns(
        {"sailing": [1, 2, 3, 4], "route": ["KP-MS", "ZZ-00", None, "KP-MS"], "zone": list("abcd")},
        origin="sailings",
    )
    ROUTES = Table.from_columns(
        {"code": ["KP-MS", "GH-TO"], "zone": ["Inner", None]}, origin="routes"
    )

    def tied(self, *keep: str) -> Tie:
        on = [("route", "code")]
        return tie(self.SAILINGS, self.ROUTES, on, keep, names=("Sailings", "Routes"))

    def test_the_link_field_stands_once_and_is_filled_from_the_side_that_has_the_row(self) -> None:
        full = self.tied("left", "both", "right").outcome
        self.assertEqual(full.columns, ("sailing", "route", "zone", "zone (Routes)"))
        self.assertEqual(list(full.rows())[-1], (None, "GH-TO", None, None))

    def test_a_gap_of_the_tie_is_told_from_a_blank_of_the_source(self) -> None:
        full = self.tied("left", "both", "right").outcome
        zone = full.column("zone (Routes)")
        self.assertEqual(zone.to_list(), ["Inner", None, None, "Inner", None])
        assert zone.state is not None
        self.assertEqual([int(s) for s in zone.state], [0, GAP, GAP, 0, 1])

    def test_a_chain_of_ties_keeps_what_each_one_left_open(self) -> None:
        names = Table.from_columns({"zone": ["Inner"], "colour": ["green"]}, origin="zones")
        first = self.tied("left", "both").outcome
        second = tie(first, names, on=[("zone (Routes)", "zone")]).outcome
        self.assertEqual(second.column("colour").to_list(), ["green", None, None, "green"])
        self.assertEqual(len(second.strands), 3)

    def test_what_goes_on_is_said_in_plain_words(self) -> None:
        for keep, said in (
            (
                ("left", "both"),
                "Left outer join. 4 rows go on: every Sailings row once, 2 of them with gaps in "
                "the Routes columns. 1 Routes row stays behind.",
            ),
            (
                ("both",),
                "Inner join. 2 rows go on: the 2 of 4 Sailings rows that have a match in Routes. "
                "2 Sailings rows and 1 Routes row stay behind.",
            ),
            (
                ("left", "right"),
                "Full anti join. 3 rows go on: the 2 Sailings rows without a match in Routes, and "
                "the 1 Routes row without a match in Sailings, with gaps in the Sailings columns. "
                "2 matched pairs stay behind.",
            ),
        ):
            sentence = self.tied(*keep).sentence()
            link = "For each Sailings row, take every match in Routes where route equals code."
            self.assertEqual(sentence, f"{link} {said}")

    def test_what_cannot_be_linked_is_refused_with_the_fields_named(self) -> None:
        with self.assertRaisesRegex(LinkError, "“sailing” in Sailings is an integer, but “code”"):
            tie(self.SAILINGS, self.ROUTES, [("sailing", "code")], names=("Sailings", "Routes"))
        with self.assertRaisesRegex(LinkError, "without a link field"):
            paired(self.SAILINGS, self.ROUTES, Link(()))
        with self.assertRaisesRegex(UnknownColumnError, "“rout” in left. Did you mean “route”"):
            tie(self.SAILINGS, self.ROUTES, [("rout", "code")])
        with self.assertRaises(ValueError):
            keep_of([])

    def test_an_explosion_is_refused_before_memory_is_touched(self) -> None:
        same = Table.of({"x": Column(Kind.INTEGER, np.zeros(20_000, np.int64))})
        tied = tie(same, same, on=["x"])
        self.assertGreater(tied.counts.pairs, ROW_LIMIT)
        with self.assertRaisesRegex(TooManyRowsError, "would make 400,000,000 rows"):
            _ = tied.outcome
        semi = tie(same, same, ["x"], ["both"], columns=Columns(right=()))
        self.assertEqual(len(semi.outcome), 20_000)

    def test_one_partner_of_very_many_is_found_without_the_pairs(self) -> None:
        same = Table.of(
            {
                "x": Column(Kind.INTEGER, np.zeros(15_000, np.int64)),
                "n": Column(Kind.INTEGER, np.arange(15_000)[::-1].copy()),
            }
        )
        tied = tie(same, same, on=["x"], partner="first", order="n", names=("l", "r"))
        self.assertEqual(len(tied.outcome), 15_000)
        (taken,) = {row[-1] for row in tied.outcome.rows()}
        self.assertEqual(taken, 0)

    def test_who_belongs_to_whom_is_proposed_before_a_number_of_rows(self) -> None:
        members = Table.from_columns({"id": list(range(40)), "name": [f"n{n}" for n in range(40)]})
        visits = Table.from_columns({"no": list(range(40)), "member": [n % 25 for n in range(40)]})
        best = propose_links(visits, members)[0]
        self.assertEqual(best.fields, (LinkField("member", "id"),))

    def test_a_key_is_proposed_first_however_many_columns_share_all_they_have(self) -> None:
        def side(seed: int) -> Table:
            numbers = np.random.default_rng(seed)
            few = {f"grade {n}": Column.of(numbers.integers(0, 40, 300)) for n in range(60)}
            return Table.of({**few, f"key {seed}": Column.of([f"K-{n}" for n in range(300)])})

        best = propose_links(side(1), side(2))[0]
        self.assertEqual(best.fields, (LinkField("key 1", "key 2"),))

    def test_the_fields_that_share_values_are_proposed_first(self) -> None:
        best = propose_links(self.SAILINGS, self.ROUTES)[0]
        self.assertEqual(best.fields, (LinkField("route", "code"),))
        found = paired(self.SAILINGS, self.ROUTES, Link(best.fields))
        self.assertEqual(found.counts.left.found, 2)
