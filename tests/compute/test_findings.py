"""An expert at the analyst's side: what stands out, why not, what could be meant."""

import datetime as dt
import re
import unittest
from decimal import Decimal
from pathlib import Path
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

import keen_trellis as kt
from keen_trellis.advice.findings import Finding
from keen_trellis.advice.likeness import likely_partners
from keen_trellis.advice.pairs import with_pairs
from keen_trellis.base.progress import Cancelled
from keen_trellis.plan.link import Link, LinkField

DEMO = Path(__file__).parents[2] / "demo"


def season(sheet: str) -> kt.Table:
    return kt.read(DEMO / "operations.ods", sheet=sheet)


class DemoTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.sailings, cls.vessels, cls.crew = map(season, ("Sailings", "Vessels", "Crew"))
        cls.routes = kt.read(DEMO / "harbour.sqlite", table="routes")

    def tied(self, other: kt.Table, on: Any, name: str, **more: Any) -> kt.Tie:
        return kt.tie(self.sailings, other, on, names=("Sailings", name), **more)

    def only(self, tie: kt.Tie, topic: str) -> Finding:
        found = [finding for finding in tie.findings() if finding.topic == topic]
        self.assertEqual(len(found), 1, topic)
        return found[0]

    def assert_wins(self, tie: kt.Tie, finding: Finding) -> None:
        """What a remedy says that it wins is what it wins when it is taken."""
        assert finding.remedy is not None
        remedy = finding.remedy
        if remedy.keep is not None:
            won = len(tie.keeping(remedy.keep).outcome) - len(tie.outcome)
        else:
            assert remedy.link is not None
            won = tie.linked(remedy.link).counts.left.found - tie.counts.left.found
        self.assertEqual(won, remedy.wins)

    def test_case_and_spaces(self) -> None:
        tie = self.tied(self.routes, [("route", "code")], "Routes")
        self.assertEqual(
            {r: n for r, n in kt.text_rule_gains(tie).items() if n}, {"outer spaces": 2, "case": 1}
        )
        found = self.only(tie, "texts differ")
        self.assertEqual(
            found.text,
            "3 Sailings rows differ from a value of Routes only by outer spaces and case.",
        )
        self.assert_wins(tie, found)
        with_rule = self.tied(self.routes, [("route", "code")], "Routes", text=["case"])
        self.assertEqual(kt.text_rule_gains(with_rule)["outer spaces"], 2)

    def test_values_that_look_like_another(self) -> None:
        tie = self.tied(self.routes, [("route", "code")], "Routes")
        proposed = {p.pair.left: p for p in kt.propose_pairs(tie)}
        for value, other, reason, safe, rows in (
            ("KP-MS ", "KP-MS", "outer space", True, 2),
            ("kp-ms", "KP-MS", "case", True, 1),
            ("Kelp Pt-Brae", "KP-BR", "spelled out", False, 4),
            ("Gannet Hd-Tolland", "GH-TO", "spelled out", False, 2),
        ):
            pair = proposed.pop(value)
            self.assertEqual(
                (pair.pair.right, pair.reason, pair.safe, pair.rows), (other, reason, safe, rows)
            )
        self.assertEqual(proposed, {})
        self.assert_wins(tie, self.only(tie, "safe pairs"))
        likely = [finding for finding in tie.findings() if finding.topic == "likely pair"]
        self.assertEqual(
            [finding.text for finding in likely],
            [
                "“Kelp Pt-Brae” looks like “KP-BR” of Routes (spelled out, 77% alike).",
                "“Gannet Hd-Tolland” looks like “GH-TO” of Routes (spelled out, 71% alike).",
            ],
        )
        for finding in likely:
            self.assert_wins(tie, finding)
        taken = tie.linked(with_pairs(tie.link, kt.propose_pairs(tie)))
        self.assertEqual(kt.propose_pairs(taken), [])

    def test_a_lookup_that_repeats_and_the_totals_it_would_double(self) -> None:
        tie = self.tied(self.vessels, ["vessel"], "Vessels")
        found = self.only(tie, "rows multiply")
        self.assertEqual(found.rows, tie.counts.left.multiplied)
        self.assertIn("Totals of passengers and vehicles would count them again", found.text)
        assert found.remedy is not None and found.remedy.link is not None
        once = tie.linked(found.remedy.link)
        self.assertEqual((once.counts.left.multiplied, len(once.outcome)), (0, len(self.sailings)))

    def test_rows_that_vanish_blanks_and_fields_with_nothing_in_common(self) -> None:
        inner = self.tied(self.routes, [("route", "code")], "Routes", keep=["both"])
        self.assert_wins(inner, self.only(inner, "rows vanish"))
        self.assertEqual(self.only(inner, "blank keys").rows, 1)
        wrong = self.tied(self.routes, [("vessel", "code")], "Routes")
        found = self.only(wrong, "nothing found")
        assert found.remedy is not None
        self.assertIn("Link route = code", found.remedy.label)
        self.assert_wins(wrong, found)
        self.assertEqual(wrong.findings()[0], found)

    def test_kinds_that_differ_are_refused_with_the_conversion(self) -> None:
        link = Link((LinkField("id", "mentor id"),))
        (found,) = kt.conversions(self.crew, self.crew, link, ("Crew", "Mentors"))
        assert found.remedy is not None and found.remedy.link is not None
        self.assertEqual(found.remedy.label, f"Compare both as integer: +{found.remedy.wins}")
        tie = kt.tie(self.crew, self.crew, found.remedy.link.fields)
        self.assertEqual(tie.counts.left.found, found.remedy.wins)

    def test_why_a_row_found_nothing(self) -> None:
        tie = self.tied(self.routes, [("route", "code")], "Routes")
        routes = self.sailings.column("route").to_list()
        for value, text, nearest, reason in (
            ("Kelp Pt-Brae", "Routes has no code “Kelp Pt-Brae”.", "KP-BR", "spelled out"),
            ("KP-MS ", "Routes has no code “KP-MS ”.", "KP-MS", "outer space"),
            (None, "route of this row is blank, and blanks match nothing.", "", ""),
        ):
            why = kt.why_not(tie, routes.index(value))
            self.assertEqual(why.text, text)
            if nearest:
                self.assertEqual(why.candidates[0].values, (nearest,))
                self.assertIn(reason, why.candidates[0].reason)
        unused = int(tie.match.right_only[0])
        self.assertIn("Sailings has no route “GH-BR”", kt.why_not(tie, unused, "right").text)
        with self.assertRaises(ValueError):
            kt.why_not(tie, 0)

    def test_the_natural_fields_and_a_natural_join_without_any(self) -> None:
        fares = kt.read(DEMO / "fares.csv")
        best = kt.propose_links(self.sailings, fares)[0]
        self.assertEqual(best.fields, (LinkField("route", "route"),))
        natural = self.tied(fares, "natural", "Fares")
        self.assertEqual(natural.link.fields, (LinkField("route", "route"),))
        with self.assertRaisesRegex(kt.UserError, "have no column name in common"):
            self.tied(self.routes, "natural", "Routes")


class SmallCasesTest(unittest.TestCase):
    def test_codes_that_differ_by_leading_zeros(self) -> None:
        left = kt.Table.from_columns({"id": ["007", "12", "x"]})
        right = kt.Table.from_columns({"id": ["7", "12"]})
        tie = kt.tie(left, right, ["id"])
        found = next(f for f in tie.findings() if f.topic == "leading zeros")
        assert found.remedy is not None and found.remedy.link is not None
        self.assertEqual(tie.linked(found.remedy.link).counts.left.found, 1 + found.remedy.wins)

    def test_one_more_field_keeps_rows_from_multiplying(self) -> None:
        people = [
            ("Ailsa", "Orme", 1),
            ("Ailsa", "Voe", 2),
            ("Bram", "Orme", 3),
            ("Bram", "Voe", 4),
        ]
        columns = {n: [p[i] for p in people] for i, n in enumerate(("first", "last", "number"))}
        right = kt.Table.from_columns(columns)
        left = kt.Table.from_columns({"first": columns["first"], "last": columns["last"]})
        tie = kt.tie(left, right, ["first"])
        found = next(f for f in tie.findings() if f.topic == "compound link")
        assert found.remedy is not None and found.remedy.link is not None
        self.assertEqual(found.remedy.link.fields[1], LinkField("last", "last"))
        self.assertEqual(tie.linked(found.remedy.link).counts.left.multiplied, 0)
        crossed = kt.tie(left, right, "cross").findings()  # there it is on purpose
        self.assertNotIn("compound link", [finding.topic for finding in crossed])

    def test_each_likeness_has_its_reason(self) -> None:
        for value, other, reason, safe in (
            ("Kelp  Point", "Kelp Point", "doubled space", True),
            ("Bräe", "Brae", "accents", True),
            ("O'Dee", "ODee", "punctuation", True),
            ("Bra\u200be", "Brae", "invisible characters", True),
            ("007", "7", "leading zeros", True),
            ("12.50", "12,5", "a number written otherwise", True),
            ("Orme, Ailsa", "Ailsa Orme", "word order", False),
            ("Kelp Pt", "Kelp Point", "abbreviation", False),
            ("Marrow Sound", "Marow Sound", "misspelled", False),
        ):
            with self.subTest(value=value):
                found = likely_partners([value], [other, "Something else"])
                self.assertEqual(
                    (found[0].other, found[0].reason, found[0].safe), (0, reason, safe)
                )

    def test_what_only_resembles_is_not_proposed(self) -> None:
        codes = ["R-101", "R-110", "KP-MS"]
        self.assertEqual(likely_partners(["R-111", "MS-KP", "Tolland"], codes), {})
        two = likely_partners(["brae"], ["Brae", "BRAE"])
        self.assertFalse(two[0].safe)

    def test_a_long_search_can_be_stopped(self) -> None:
        def stop(fraction: float, doing: str) -> None:
            if fraction > 0.1:
                raise Cancelled

        with self.assertRaises(Cancelled):
            likely_partners([f"value {n}x" for n in range(50)], ["another"] * 3, stop)

    def test_a_true_link_between_a_small_and_a_large_table_is_not_sampled_away(self) -> None:
        many = [f"K{n}" for n in range(60_000)]
        large = kt.Table.from_columns({"key": many, "other": many[::-1]})
        small = kt.Table.from_columns({"code": ["K3", "K59999", "K777"], "note": ["a", "b", "c"]})
        best = kt.propose_links(small, large)[0]
        self.assertEqual((best.fields[0].left, best.left_found), ("code", 1.0))

    def test_a_compound_link_is_proposed_where_one_field_repeats(self) -> None:
        days = [f"2026-01-{d:02d}" for d in range(1, 29)]
        rows = [(route, day) for route in "ABCDEFGHIJ" for day in days]
        there, back = (
            kt.Table.from_columns({"route": [r for r, _ in way], "day": [d for _, d in way]})
            for way in (rows, rows[1:])
        )
        best = kt.propose_links(there, back)[0]
        self.assertEqual({f.left for f in best.fields}, {"route", "day"})


TEXTS = st.none() | st.sampled_from(["KP-MS", "kp-ms", "KP-MS ", "Brae", "Bræ", "Braé", "007", "7"])
FEW = st.none() | st.integers(0, 2)
PLACES = st.lists(st.tuples(TEXTS, FEW, FEW), min_size=1, max_size=7)


class PromiseTest(unittest.TestCase):
    """Whatever the link, what a button promises is what it gives when it is pressed."""

    @settings(max_examples=200)
    @given(
        PLACES,
        PLACES,
        st.sampled_from([("t",), ("t", "n"), ("n",), ("t", ("m", "<=", "m"))]),
        st.sampled_from(["every", "first", "last", "only"]),
        st.sampled_from(["left", "right"]),
        st.sampled_from(["never", "match"]),
        st.sampled_from(["inner", "left outer", "full outer", "right anti"]),
    )
    def test_every_remedy_wins_what_it_says(
        self, left: Any, right: Any, on: Any, partner: Any, side: Any, blanks: Any, keep: Any
    ) -> None:
        def made(rows: Any) -> kt.Table:
            kinds = {"t": kt.Kind.TEXT, "n": kt.Kind.INTEGER, "m": kt.Kind.INTEGER}
            named = zip(kinds.items(), zip(*rows, strict=True), strict=True)
            return kt.Table.of({name: kt.Column.of(cells, kind) for (name, kind), cells in named})

        tie = kt.tie(
            made(left), made(right), on, keep, partner=partner, partner_for=side, blanks=blanks
        )
        for found in tie.findings():
            remedy = found.remedy
            if remedy is None:
                continue
            other = tie.keeping(remedy.keep) if remedy.keep else tie.linked(remedy.link or tie.link)
            said = int(re.findall(r"[+:] ?([0-9,]+)", remedy.label)[-1].replace(",", ""))
            if found.topic in ("rows multiply", "rows vanish"):
                won = abs(other.counts.rows(other.keep) - tie.counts.rows(tie.keep))
            elif found.topic == "compound link":
                won = tie.counts.left.multiplied - other.counts.left.multiplied
            else:
                won = other.counts.left.found - tie.counts.left.found
            self.assertEqual(said, won, (found, tie.link))
            self.assertGreater(won, 0, found)

    def test_pairs_of_any_kind_only_add(self) -> None:
        moment, day = dt.datetime(2026, 1, 3, 8), dt.date(2026, 1, 1)
        for a, b, pair, found in (
            ([Decimal("1.50"), Decimal(2)], [Decimal("1.5"), Decimal("9.9")], ("2.00", "9.9"), 2),
            ([10**17 + 1, 5], [10**17 + 3, 5], (str(10**17 + 1), str(10**17 + 3)), 2),
            ([Decimal(10**37 + 1)], [Decimal("2.5")], (str(10**37 + 1), "2.50"), 1),
            ([day, dt.date(2026, 1, 3)], [moment], ("2026-01-01", "2026-01-03"), 2),
            ([0.1, 0.5], [0.3], ("0.1", "0.3"), 1),
            ([1, 2], [3, 4], ("one", "3"), 0),
            (["x"], ["y"], ("y", "x"), 1),
        ):
            sides = [kt.Table.from_columns({"p": values}) for values in (a, b)]
            with self.subTest(pair=pair):
                self.assertEqual(kt.tie(*sides, "p", pairs=dict([pair])).counts.left.found, found)
        turned = kt.Table.from_columns({"p": [1, 2]})
        through = [kt.Pair("1", "one"), kt.Pair("one", "7"), kt.Pair("7", "2")]
        self.assertEqual(kt.tie(turned, turned, "p", pairs=through).counts.pairs, 4)

    def test_numbers_codes_and_dates_are_no_look_alikes(self) -> None:
        alike = [
            ("11", "1"),
            ("KP-BT", "KP-BR"),
            ("1.5", "15"),
            ("2026-01-02", "20260102"),
            ("Pier 11", "Pier 1"),
            ("-5", "5"),
            ("A1-2", "A12"),
        ]
        left, right = (kt.Table.from_columns({"k": list(v)}) for v in zip(*alike, strict=True))
        self.assertEqual(kt.propose_pairs(kt.tie(left, right, "k")), [])
        for one, other in ((12, 11), (Decimal("1.5"), Decimal("1.6")), (1.0, 10.0)):
            sides = [kt.Table.from_columns({"k": [value]}) for value in (one, other)]
            self.assertEqual(kt.propose_pairs(kt.tie(*sides, "k")), [])


class WhyNotTest(unittest.TestCase):
    """Point at a row without a partner: the reason differs with the link."""

    SAILINGS = kt.Table.from_columns(
        {
            "route": ["a", "a", "b", "a"],
            "vessel": ["Tern", "Eider", "Tern", "Tern"],
            "day": [5, 9, 5, None],
        }
    )
    PLANS = kt.Table.from_columns(
        {"route": ["a", "b"], "vessel": ["Tern", "Eider"], "first": [4, 1], "last": [6, 2]}
    )

    def test_values_that_are_there_but_not_together(self) -> None:
        tie = kt.tie(self.SAILINGS, self.PLANS, ["route", "vessel"], names=("Sailings", "Plans"))
        why = kt.why_not(tie, 1)
        there = "Plans has route “a” and vessel “Eider”, but not together on one row."
        self.assertEqual(why.text, there)
        self.assertEqual(why.candidates[0].values, ("a", "Tern"))

    def test_bounds_that_no_row_fulfils(self) -> None:
        on = ["route", ("day", ">=", "first"), ("day", "<=", "last")]
        tie = kt.tie(self.SAILINGS, self.PLANS, on, names=("Sailings", "Plans"))
        self.assertEqual(tie.match.left_only.tolist(), [1, 2, 3])
        why = kt.why_not(tie, 1)
        self.assertIn("No Plans row fits day 9: day is at least first", why.text)
        self.assertEqual(why.candidates[0].row, 0)
        self.assertIn("day of this row is blank", kt.why_not(tie, 3).text)

    def test_a_partner_that_is_not_the_only_one(self) -> None:
        twice = kt.Table.from_columns({"route": ["a", "a"]})
        tie = kt.tie(self.SAILINGS, twice, ["route"], partner="only", names=("Sailings", "Plans"))
        several = "This row has several matches in Plans, and only a single one is taken."
        self.assertEqual(kt.why_not(tie, 0).text, several)
        first = kt.tie(self.SAILINGS, twice, ["route"], partner="first")
        self.assertIn("were taken by none", kt.why_not(first, 1, "right").text)


class MoreFindingsTest(unittest.TestCase):
    def topics(self, tie: kt.Tie) -> dict[str, Finding]:
        return {finding.topic: finding for finding in tie.findings()}

    def test_a_better_field_and_blanks_that_could_match(self) -> None:
        left = kt.Table.from_columns(
            {"code": ["a", "b", "c", None], "old": ["a", "x", "y", "z"], "n": [1, 2, 3, 4]}
        )
        right = kt.Table.from_columns({"key": ["a", "b", "c", None], "v": [9, 8, 7, 6]})
        found = self.topics(kt.tie(left, right, [("old", "key")]))["better fields"]
        assert found.remedy is not None
        self.assertEqual(found.remedy.label, "Link code = key: +2")
        blank = self.topics(kt.tie(left, right, [("code", "key")]))["blank keys"]
        assert blank.remedy is not None
        self.assertEqual((blank.rows, blank.remedy.label), (1, "Let blanks match: +1"))
        self.assertEqual(blank.text, "1 left row has a blank in code and matches nothing.")

    def test_a_date_against_a_date_time_is_told(self) -> None:
        import datetime as dt

        days = kt.Table.from_columns({"d": [dt.date(2026, 1, 1)]})
        moments = kt.Table.from_columns({"d": [dt.datetime(2026, 1, 1, 8)]})
        found = self.topics(kt.tie(days, moments, ["d"]))
        self.assertIn("compared by their day", found["date against date-time"].text)

    def test_a_range_link_has_findings_too(self) -> None:
        left = kt.Table.from_columns({"zone": ["Inner", "outer "], "t": [5, 6]})
        right = kt.Table.from_columns({"zone": ["Inner", "Outer"], "a": [1, 1], "b": [9, 9]})
        on = ["zone", ("t", ">=", "a"), ("t", "<=", "b")]
        found = self.topics(kt.tie(left, right, on))["texts differ"]
        assert found.remedy is not None and found.remedy.link is not None
        self.assertEqual(kt.tie(left, right, on).linked(found.remedy.link).counts.left.found, 2)
