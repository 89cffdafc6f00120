"""Formulas mean what PostgreSQL says that they mean, value for value."""

import datetime as dt
import itertools
import math
import re
import unittest
from decimal import Decimal
from typing import Any

import psycopg
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

import keen_trellis as kt
from keen_trellis.base.errors import FormulaError, TooLongError
from keen_trellis.compute.formula.evaluate import Evaluated, evaluated
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import GAP, Column, Kind, Table
from keen_trellis.formulas.formula_parser import formula, renamed
from keen_trellis.plan.formulas import Applied, Cell, Constant
from keen_trellis.plan.functions import FUNCTIONS
from keen_trellis.plan.schema import Schema
from tests.postgres_case import PostgresTestCase

KINDS = {
    **dict.fromkeys("ab", ("text", 'text collate "und-x-icu"')),
    **dict.fromkeys("nm", ("integer", "bigint")),
    **dict.fromkeys("ij", ("integer", "integer")),
    **dict.fromkeys("de", ("exact decimal", "numeric")),
    **dict.fromkeys("fg", ("number", "double precision")),
    **dict.fromkeys("pq", ("date", "date")),
    **dict.fromkeys("st", ("date-time", "timestamp")),
    **dict.fromkeys("kl", ("time", "time")),
    **dict.fromkeys("uvw", ("boolean", "boolean")),
}
"""The columns of the tests: our kind and PostgreSQL's type."""

AS_THERE: tuple[str, ...] = (
    *("a || b", "UPPER(a)", "LOWER(a)", "TRIM(a)", "TRIM(LEADING 'aé ' FROM a)"),
    *("TRIM(TRAILING b FROM a)", "TRIM(BOTH b FROM a)", "SUBSTRING(a FROM i)", "LEFT(a, i)"),
    *("SUBSTRING(a FROM i FOR j)", "RIGHT(a, i)", "POSITION(b IN a)", "CHAR_LENGTH(a)"),
    *("OVERLAY(a PLACING b FROM i)", "OVERLAY(a PLACING b FROM i FOR j)", "REPLACE(a, b, 'xy')"),
    *("LPAD(a, i)", "LPAD(a, i, b)", "RPAD(a, i)", "RPAD(a, i, b)", "SPLIT_PART(a, b, i)"),
    *("a LIKE b", "a NOT LIKE b ESCAPE '!'", "a LIKE '%a_'", "a LIKE 'a!%%' ESCAPE '!'"),
    *("n + m", "n - m", "n * m", "-n", "d + e", "d - e", "d * e", "n + d", "n * d", "MOD(n, m)"),
    *("MOD(d, e)", "DIV(d, e)", "ABS(n)", "ABS(d)", "ABS(f)", "SIGN(n)", "SIGN(d)", "ROUND(d)"),
    *("ROUND(d, 2)", "ROUND(d, -2)", "ROUND(d, i)", "CEILING(d)", "FLOOR(d)", "CEILING(f)"),
    *("FLOOR(f)", "f + g", "f * g", "f - n", "TRUNC(d)", "TRUNC(d, 1)", "TRUNC(d, i)"),
    *("n = m", "d < e", "n >= d", "f <> g", "p < q", "s > t", "p = s", "k <= l", "u = v"),
    *("a = b", "a <> b", "n IS DISTINCT FROM m", "a IS NOT DISTINCT FROM b"),
    *("n BETWEEN 1 AND m", "n IN (1, m, 3)", "a NOT IN ('a', b)", "p NOT BETWEEN q AND q"),
    *("u AND v OR NOT w", "NOT (u OR v) AND w IS NOT TRUE", "u IS NULL OR v IS FALSE"),
    *("(u IS UNKNOWN) = v", "u AND NULL", "NULL OR v", "a IS NULL", "NULL IS NULL"),
    *("CASE WHEN u THEN n WHEN v THEN d ELSE 1 END", "CASE a WHEN b THEN 'same' END"),
    *("CASE n WHEN 1 THEN p WHEN 2 THEN q END", "CASE WHEN m <> 0 THEN MOD(n, m) END"),
    *("COALESCE(a, b)", "COALESCE(n, d, 7)", "NULLIF(a, b)", "NULLIF(d, e)", "NULLIF(n, d)"),
    *("GREATEST(n, m, 3)", "LEAST(p, q)", "GREATEST(d, n)", "COALESCE(p, s)"),
    *("p + i", "p - i", "p - q", "CAST(s AS DATE)", "CAST(p AS TIMESTAMP)", "CAST(n AS VARCHAR)"),
    *("CAST(d AS INTEGER)", "CAST(d AS DECIMAL(20, 2))", "CAST(n AS DECIMAL(12, 3))"),
    *(
        "CAST(s AS TIME)",
        "CAST(CAST(d AS DECIMAL(38, 6)) AS VARCHAR)",
        "CAST(p AS VARCHAR)",
        "CAST(a AS VARCHAR(2))",
    ),
    *("EXTRACT(YEAR FROM p)", "EXTRACT(QUARTER FROM p)", "EXTRACT(MONTH FROM s)"),
    *("EXTRACT(WEEK FROM p)", "EXTRACT(DAY FROM p)", "EXTRACT(DOY FROM p)", "EXTRACT(DOW FROM p)"),
    *("EXTRACT(ISODOW FROM s)", "EXTRACT(HOUR FROM s)", "EXTRACT(MINUTE FROM k)"),
    *("EXTRACT(SECOND FROM s)", "SQRT(ABS(d))", "s + INTERVAL '1' MONTH", "s - INTERVAL '3' YEAR"),
    *("s + m * INTERVAL '1' DAY", "s - m * INTERVAL '1' MONTH", "s + m * INTERVAL '1' HOUR"),
    *("k + m * INTERVAL '1' MINUTE", "p + INTERVAL '5' HOUR", "p + INTERVAL '1' SECOND"),
    *("LN(f)", "LN(ABS(n) + 0.5)", "EXP(j)", "REVERSE(a)", "REPEAT(a, i)"),
    *("TRANSLATE(a, b, 'xyz')", "REGEXP_LIKE(a, '[aé]Z?$')", "REGEXP_LIKE(a, b || '+?')"),
    *("REGEXP_COUNT(a, '[aZ]|é.')", "REGEXP_SUBSTR(a, '([a-z])+.?')"),
    *("TO_CHAR(p, 'YYYY-MM-DD \"Q\"Q DDD, IYYY/IW; YY')", "TO_CHAR(s, 'HH24:MI:SS HH12 AM')"),
)
"""Formulas that PostgreSQL takes as they stand."""

OTHERWISE: dict[str, str] = {
    "n / m": "n::numeric / m",
    "d / e": "d / e",
    "f / g": "f / g",
    "ROUND(f, 2)": "round(f::numeric, 2)",
    "POWER(n, 2)": "power(n::double precision, 2)",
    "CAST(f AS INTEGER)": "round(f::numeric)::bigint",
    "LOG(2, ABS(m) + 1)": "log(2, abs(m) + 1)",
    "MAKE_DATE(2000 + j, i, m)": "make_date((2000 + j)::int, i, m::int)",
    "TO_DATE(TO_CHAR(p, 'DD/MM/YYYY'), 'DD/MM/YYYY')": "p",
    "TO_TIMESTAMP(TO_CHAR(s, 'SS:MI:HH12 PM DD.MM.YYYY'), 'SS:MI:HH AM DD.MM.YYYY')": (
        "date_trunc('second', s)"
    ),
    "p + m * INTERVAL '1' MONTH": "(p + m * interval '1 month')::date",
    "p + INTERVAL '7' WEEK": "(p + interval '7 weeks')::date",
    **{f"TRUNC(s, '{u}')": f"date_trunc('{u}', s)" for u in ("year", "quarter", "month", "hour")},
    **{f"TRUNC(p, '{u}')": f"date_trunc('{u}', p::timestamp)::date" for u in ("week", "month")},
    "DATE_TRUNC('minute', s)": "date_trunc('minute', s)",
    "a < b": 'a < b collate "C"',
    "GREATEST(a, b)": 'greatest(a, b collate "C")',
}
"""Ours and theirs, where theirs divides integers to integers, orders texts by a language, or makes
date-times of dates."""

TEXTS = st.text(st.sampled_from("aAbéß '%!_\\xyZ1😀"), max_size=6)
SMALL = st.integers(-40, 40)
WHOLE = st.one_of(SMALL, st.integers(-(2**63), 2**63 - 1))
EXACT = st.one_of(
    st.decimals(-100, 100, places=3),
    st.decimals(Decimal(-(10**18)), Decimal(10**18), places=6),
    st.sampled_from([Decimal("9" * 30), Decimal("0.5"), Decimal("-2.5"), Decimal(0)]),
)
DATES = st.dates(dt.date(1, 1, 1), dt.date(9999, 12, 31))
TIMES = st.datetimes(dt.datetime(1, 1, 1), dt.datetime(9999, 12, 31))
DRAWN = {
    **dict.fromkeys("ab", TEXTS),
    "n": WHOLE,
    **dict.fromkeys("mij", SMALL),
    **dict.fromkeys("de", EXACT),
    **dict.fromkeys("fg", st.floats(-1e9, 1e9).map(lambda x: round(x, 4))),
    **dict.fromkeys("pq", DATES),
    **dict.fromkeys("st", TIMES),
    **dict.fromkeys("kl", st.times()),
    **dict.fromkeys("uvw", st.booleans()),
}
ROWS = st.lists(
    st.fixed_dictionaries({name: st.none() | drawn for name, drawn in DRAWN.items()}), max_size=6
)
EDGE = {
    **{"a": "a%b", "b": "a!%b", "n": -(2**63), "m": -1, "d": Decimal("-0.5"), "e": Decimal("0.25")},
    **{
        "i": 3,
        "j": -1,
        "f": 0.5,
        "g": 0.0,
        "p": dt.date(2024, 2, 29),
        "q": dt.date(1, 1, 1),
        "u": None,
        "v": True,
    },
    **{"s": dt.datetime(9999, 12, 31, 23, 59, 59, 999999), "t": dt.datetime(1, 1, 1), "w": False},
    **{"k": dt.time(23, 59, 59), "l": dt.time(0)},
}


def table_of(rows: list[dict[str, Any]]) -> kt.Table:
    columns = {
        name: kt.Column.of([row[name] for row in rows], kt.Kind(kind))
        for name, (kind, _) in KINDS.items()
    }
    return kt.Table.of(columns)


def work_out(text: str, table: kt.Table) -> Evaluated:
    return evaluated(formula(text, schema_of(table)), table)


class LongTextsTest(unittest.TestCase):
    def test_texts_that_would_fill_the_memory_are_refused_before_they_are_made(self) -> None:
        names = [f"k{n}" for n in range(60_000)]
        rows = Table.of({"a": Column.of(names), "n": Column.of(list(range(len(names))))})
        wide = "LPAD('x', 30000)"
        for text in (
            *("LPAD(a, 30000)", f"a || {wide}", f"REPLACE(a, 'k', {wide})"),
            *(f"OVERLAY(a PLACING {wide} FROM 1)", f"REGEXP_REPLACE(a, 'k', {wide})"),
            *("INITCAP(RPAD(a, 30000))", f"CASE WHEN n > 1 THEN {wide} || a ELSE a END"),
        ):
            with self.subTest(text), self.assertRaisesRegex(TooLongError, "500,000,000 letters"):
                evaluated(formula(text, schema_of(rows)), rows)
        one_text = evaluated(formula(wide, schema_of(rows)), rows).column
        self.assertEqual(one_text.text(59_999)[-1], "x")  # kept once, however many rows it has


class AgainstPostgresTest(PostgresTestCase):
    """Where the server refuses a value (it divides by zero), ours is a blank with a fault."""

    def told(self, query: str, row: dict[str, Any]) -> tuple[Any, bool]:
        """Return what the server makes of a row, and whether it refused to."""
        columns = ", ".join(
            f"%({name})s::{theirs} as {name}" for name, (_, theirs) in KINDS.items()
        )
        safe = query.replace("%", "%%")
        try:
            found = self.server.execute(f"select {safe} from (select {columns}) x", row).fetchone()
        except psycopg.errors.DataError:
            return None, True
        assert found is not None
        return found[0], False

    def check(self, ours: str, theirs: str, rows: list[dict[str, Any]]) -> None:
        found = work_out(ours, table_of(rows))
        values = found.column.to_list()
        for place, row in enumerate(rows):
            wanted, refused = self.told(theirs, row)
            said = any(fault[place] for fault in found.faults.values())
            where = f"{ours} with {row}: {list(found.faults)}"
            if refused:
                self.assertEqual((values[place], said), (None, True), where)
            elif said:  # our cells have less room than the server's
                self.assertTrue(out_of_room(wanted), f"{where}, there {wanted}")
            else:
                self.assert_same(values[place], wanted, where)

    def assert_same(self, ours: Any, theirs: Any, where: str) -> None:
        if isinstance(ours, float) and theirs is not None:
            is_close = math.isclose(ours, float(theirs), rel_tol=1e-15, abs_tol=1e-15)
            self.assertTrue(is_close, f"{where}: {ours}, there {theirs}")
        else:
            self.assertEqual(ours, theirs, where)

    def test_what_the_registry_shows_is_so_there_as_well(self) -> None:
        without = {"TIDY", "IS GAP", "CURRENT_DATE", "/"}  # ours, or another rule
        without |= {"LIKENESS", "MONTHS_BETWEEN", "WORKDAYS_BETWEEN", "DAY_NAME", "MONTH_NAME"}
        without |= {"TO_DATE", "TO_TIMESTAMP"}  # which take texts there that are written otherwise
        refused = ("TRUNC(DATE", "CAST('tw", "SQRT(-", "LN(0", "MAKE_DATE(2026, 2, 29")
        for one in FUNCTIONS.values():
            for text, wanted in one.examples:
                with self.subTest(text):
                    column = work_out(text, kt.Table.from_columns({"x": [1]})).column
                    self.assertEqual(column.text(0) if column.count(0) else None, wanted)
                    if one.name in without or text.startswith(refused):
                        continue
                    (theirs,) = self.server.execute(f"select {text}").fetchone() or (None,)
                    if isinstance(theirs, dt.datetime) and column.kind is kt.Kind.DATE:
                        theirs = theirs.date()
                    self.assertEqual(column.to_list()[0], theirs)

    @settings(
        max_examples=60, deadline=None, suppress_health_check=[HealthCheck.differing_executors]
    )
    @given(ROWS, st.sampled_from([*((one, one) for one in AS_THERE), *OTHERWISE.items()]))
    @example([], ("n + m", "n + m"))
    def test_any_formula_on_any_values(
        self, rows: list[dict[str, Any]], one: tuple[str, str]
    ) -> None:
        self.check(*one, rows)

    def test_every_formula_at_the_edges(self) -> None:
        nothing = dict.fromkeys(EDGE)
        wide = {**EDGE, "d": Decimal("9" * 30), "e": Decimal("-1e-6"), "i": 0, "n": 2**63 - 1}
        swapped = {
            **EDGE,
            "a": EDGE["b"],
            "b": EDGE["a"],
            "n": 0,
            "m": 0,
            "i": 0,
            "j": 1,
            "e": Decimal(0),
        }
        for ours, theirs in [*((one, one) for one in AS_THERE), *OTHERWISE.items()]:
            with self.subTest(ours):
                self.check(ours, theirs, [EDGE, nothing, swapped, wide])


def out_of_room(value: Any) -> bool:
    """Whether a value has more digits than 38, or lies beyond 64 bits or the year 9999."""
    if isinstance(value, Decimal):
        return len(value.as_tuple().digits) > 19
    return isinstance(value, str)  # a date that Python does not hold


class GapsAndFaultsTest(unittest.TestCase):
    def test_a_gap_is_told_from_a_blank_and_stays_one(self) -> None:
        left = kt.Table.from_columns({"code": ["a", "b"], "x": ["1", None]})
        tied = kt.tie(
            left, kt.Table.from_columns({"code": ["a"], "name": [None]}), on="code"
        ).outcome
        self.assertEqual(work_out("name IS GAP", tied).column.to_list(), [False, True])
        self.assertEqual(work_out("name IS NULL", tied).column.to_list(), [True, True])
        self.assertEqual(work_out("x IS NOT GAP", tied).column.to_list(), [True, True])
        upper = work_out("UPPER(name)", tied).column
        self.assertEqual(upper.count(GAP), 1)

    def test_a_fault_counts_the_rows_whose_value_is_missing_for_it(self) -> None:
        table = kt.Table.from_columns({"n": [6, 6, None], "m": [2, 0, 0], "t": ["1", "x", None]})
        found = work_out("n / m", table)
        self.assertEqual(found.column.to_list(), [3.0, None, None])
        self.assertEqual(
            {why: int(rows.sum()) for why, rows in found.faults.items()}, {"division by zero": 1}
        )
        self.assertEqual(work_out("CASE WHEN m <> 0 THEN n / m ELSE 0 END", table).lost, 0)
        self.assertEqual(
            list(work_out("CAST(t AS INTEGER)", table).faults), ["a value that is not an integer"]
        )
        huge = kt.Table.from_columns({"n": [2**62]})
        self.assertEqual(work_out("n * 4", huge).lost, 1)

    def test_a_choice_between_kinds_keeps_every_value_or_counts_it_as_a_fault(self) -> None:
        long, amount = 2**60 + 1, Decimal("99999999999999.99")
        table = kt.Table.of(
            {
                "n": kt.Column.of([long, 1], Kind.INTEGER),
                "d": kt.Column.of([amount, None], Kind.EXACT),
                "f": kt.Column.of([None, 0.5], Kind.NUMBER),
                "u": kt.Column.of([True, False], Kind.BOOLEAN),
            }
        )
        for text in (
            *("COALESCE(f, n)", "CASE WHEN u THEN n ELSE f END", "GREATEST(f, n)", "LEAST(n, f)"),
            *("COALESCE(f, d)", "CASE WHEN u THEN d ELSE f END", "GREATEST(d, f)", "LEAST(f, d)"),
        ):
            with self.subTest(text):
                found = work_out(text, table)
                first = found.column.to_list()[0]
                said = any(fault[0] for fault in found.faults.values())
                self.assertTrue(said or first in (long, amount), (first, list(found.faults)))

    def test_a_time_goes_round_the_clock_however_many_seconds_later(self) -> None:
        seconds = [0, -1, 86_400, 2**43 + 1, -(2**50), 2**63 - 1]
        noon = [dt.time(12)] * len(seconds)
        table = kt.Table.from_columns({"k": noon, "n": seconds})
        start = dt.datetime(2000, 1, 1, 12)
        self.assertEqual(
            work_out("k + n * INTERVAL '1' SECOND", table).column.to_list(),
            [(start + dt.timedelta(seconds=n % 86_400)).time() for n in seconds],
        )

    @given(DATES, DATES, st.lists(DATES, max_size=3), st.integers(-30, 30))
    def test_months_and_workdays_between_are_what_counting_gives(
        self, first: dt.date, second: dt.date, holidays: list[dt.date], near: int
    ) -> None:
        ordinal = min(max(first.toordinal() + near, 1), dt.date.max.toordinal())
        days = {"p": first, "q": second, "r": dt.date.fromordinal(ordinal)}
        more = {f"h{place}": one for place, one in enumerate(holidays)}
        table = Table.of({name: Column.of([one]) for name, one in {**days, **more}.items()})

        def one(text: str) -> Any:
            return work_out(text, table).column.to_list()[0]

        low, high = sorted((first, second))
        months = abs(one("MONTHS_BETWEEN(p, q)"))
        earlier, later = ("p", "q") if first <= second else ("q", "p")
        self.assertTrue(one(f"{earlier} + {months} * INTERVAL '1' MONTH <= {later}"))
        self.assertIn(
            one(f"{earlier} + {months + 1} * INTERVAL '1' MONTH > {later}"),
            (True, None),  # beyond the calendar
        )
        self.assertEqual(one("MONTHS_BETWEEN(q, p)"), -one("MONTHS_BETWEEN(p, q)"))
        low, high = sorted((first, days["r"]))
        every = map(dt.date.fromordinal, range(low.toordinal(), high.toordinal()))
        free = [day for day in every if day.weekday() < 5 and day not in holidays]
        names = "".join(f", {name}" for name in more)
        sign = 1 if first <= days["r"] else -1
        self.assertEqual(one(f"WORKDAYS_BETWEEN(p, r{names})"), sign * len(free))

    def test_a_date_is_read_as_it_is_written_or_said_not_to_be(self) -> None:
        for text, pattern, wanted in (
            ("2026-11", "YYYY-MM", "2026-11-01"),
            ("2026", "YYYY", "2026-01-01"),
            ("2/2026", "Q/YYYY", "2026-04-01"),
            ("31.12.49", "DD.MM.YY", "2049-12-31"),
            ("31.12.50", "DD.MM.YY", "1950-12-31"),
            (" week of 1.2.2026 ", '"week of "DD.MM.YYYY', "2026-02-01"),
            ("1.2.2026 17:05", "DD.MM.YYYY HH24:MI", "a time that a date has no room for"),
            ("1.2.2026 00:00", "DD.MM.YYYY HH24:MI", "2026-02-01"),
            ("30.2.2026", "DD.MM.YYYY", "a day or a time that does not exist"),
            ("2026-3-1", "YYYY-Q-MM", "a text that is not written so"),
            ("١.٢.2026", "DD.MM.YYYY", "a text that is not written so"),
            ("1.2.2026", "DD.MM", "a pattern that cannot be read"),
            ("1.2.2026", "DD.DD.YYYY", "a pattern that cannot be read"),
            ("1.2.2026", "IYYY-IW", "a pattern that cannot be read"),
            ("1.2.2026", "dd.mm.yyyy", "2026-02-01"),
            ("1x2", "DDxMM", "a pattern that cannot be read"),
        ):
            table = Table.of({"t": Column.of([text]), "p": Column.of([pattern])})
            with self.subTest(text, pattern=pattern):
                found = work_out("TO_DATE(t, p)", table)
                told = found.column.text(0) if not found.lost else next(iter(found.faults))
                self.assertEqual(told, wanted)

    def test_what_a_function_cannot_give_is_a_fault_by_name(self) -> None:
        table = Table.of({"t": Column.of(["x"]), "k": Column.of([dt.time(1)])})
        for text, why in (
            ("DAY_NAME(DATE '2026-01-01', 'xx-nowhere')", "a language that is not known"),
            ("MONTH_NAME(DATE '2026-01-01', '')", "a language that is not known"),
            ("TO_CHAR(k, 'YYYY')", "a part that a time does not have"),
            ("TO_CHAR(DATE '2026-01-01', 'Month')", "a pattern that cannot be read"),
            ("REGEXP_SUBSTR(t, 'a)(b')", "a pattern that cannot be read"),
            ("REGEXP_LIKE(t, '(')", "a pattern that cannot be read"),
            ("REGEXP_COUNT(t, '[')", "a pattern that cannot be read"),
            ("REPEAT(t, 200000)", "a text of more than 100,000 letters"),
            ("LOG(1, 5)", "a result that is no number"),
            ("LOG(-2, 5)", "a result that is no number"),
        ):
            with self.subTest(text):
                self.assertEqual([*work_out(text, table).faults], [why])
        for text, wanted in (
            ("REGEXP_SUBSTR('ab', '(?P<x>b)|(a)')", "a"),
            ("DAY_NAME(TIMESTAMP '2026-11-29 10:00:00', 'pt-BR')", "domingo"),
            ("LOG(3, 243)", 5.0),
            ("REPEAT(t, -9223372036854775807)", ""),
        ):
            with self.subTest(text):
                self.assertEqual(work_out(text, table).column.to_list(), [wanted])

    def test_no_rows_give_no_values_of_the_same_kind(self) -> None:
        table = table_of([])
        for text in AS_THERE:
            with self.subTest(text):
                checked = formula(text, schema_of(table))
                self.assertEqual((evaluated(checked, table).column.kind), checked.kind)

    def test_tidy_text(self) -> None:
        table = kt.Table.from_columns({"t": [" KP  MS ", "kp\u00a0ms", None]})
        self.assertEqual(
            work_out("TIDY(t, 'outer spaces', 'doubled spaces', 'case')", table).column.to_list(),
            ["kp ms", "kp\u00a0ms", None],
        )


WORDS = (
    *("route", "passengers", '"', "'", "1", "1.5", "'1'", "(", ")", ",", "+", "-", "*", "/", "||"),
    *(
        "=",
        "<",
        ">",
        "IS",
        "NOT",
        "NULL",
        "GAP",
        "CASE",
        "WHEN",
        "THEN",
        "ELSE",
        "END",
        "CAST",
        "AS",
    ),
    *("DATE", "AND", "OR", "IN", "LIKE", "ESCAPE", "BETWEEN", "INTERVAL", "MONTH", "TRIM", "FROM"),
    *(
        "UPPER",
        "EXTRACT",
        "TRUNC",
        "SELECT",
        ";",
        "--",
        "/*",
        "[",
        "]",
        "{",
        "}",
        ":",
        "?",
        "@",
        ".",
    ),
)


class LongListTest(unittest.TestCase):
    def test_a_case_has_as_many_arms_as_a_pasted_list(self) -> None:
        n = Cell("n", Kind.INTEGER)
        arms = [Constant(value, Kind.INTEGER) for value in range(2**16 + 1)]
        list_of_them: list[Any] = []
        for old, new in itertools.pairwise(arms):
            list_of_them += [Applied("=", (n, old), Kind.BOOLEAN), new]
        table = kt.Table.from_columns({"n": [7, None, 2**16 - 1, 2**16]})
        case = Applied("CASE", (*list_of_them, n), Kind.INTEGER)
        self.assertEqual(evaluated(case, table).column.to_list(), [8, None, 2**16, 2**16])

    VALUES = st.sampled_from(
        (
            (Kind.TEXT, st.sampled_from(["a", "A", "ä", "a ", "é", "e\u0301", "-", "0"])),
            (Kind.INTEGER, st.sampled_from([0, 1, -1, 2**62, -(2**63), 2**63 - 1])),
            (Kind.NUMBER, st.sampled_from([0.0, -0.0, 0.1, 1e300, float("inf"), 2.0**53])),
            (Kind.EXACT, st.decimals(-9, 9, places=1) | st.just(Decimal("9" * 30 + ".5"))),
            (Kind.DATE, st.sampled_from([dt.date.min, dt.date(2026, 2, 28), dt.date.max])),
            (Kind.BOOLEAN, st.booleans()),
        )
    )

    @given(st.data(), VALUES, st.booleans())
    @settings(max_examples=150, deadline=None)
    def test_a_list_of_values_is_gone_through_from_its_first(
        self, data: st.DataObject, of: tuple[Kind, st.SearchStrategy[Any]], has_rest: bool
    ) -> None:
        kind, values = of
        rows = data.draw(st.lists(values | st.none(), max_size=12))
        arms = data.draw(st.lists(st.tuples(values | st.none(), values), min_size=8, max_size=14))
        cell = Cell("x", kind)
        case: list[Any] = []
        for old, new in arms:
            is_old = Applied("=", (cell, Constant(old, kind)), Kind.BOOLEAN)
            is_blank = Applied("IS NULL", (cell,), Kind.BOOLEAN)
            case += [is_blank if old is None else is_old, Constant(new, kind)]
        table = kt.Table.of({"x": kt.Column.of(rows, kind)})
        found = evaluated(Applied("CASE", (*case, *[cell] * has_rest), kind), table)
        wanted = [
            next((new for old, new in arms if old == row), row if has_rest else None)
            for row in rows
        ]
        self.assertEqual(found.column.to_list(), wanted)
        self.assertEqual(found.lost, 0)


EVERY_KIND = schema_of(
    kt.Table.of({name: kt.Column.of([], kt.Kind(kind)) for name, (kind, _) in KINDS.items()})
)
NOT_DONE = (
    *("ROUND(d, 1, 1)", "CEILING(d, 2)", "FLOOR(d, 2)", "TRUNC(d, 1, 2)", "INITCAP(a, '-')"),
    *("REGEXP_REPLACE(a, 'x', 'y', 'i')", "REGEXP_REPLACE(a, 'x', 'y', 1, 1, 'i')"),
    *("POSITION('a' IN a, 2)", "INSTR(a, 'b', 2)", "LOCATE('b', a, 3)", "STRPOS(a, 'b', 2, 2)"),
    *("CAST(s AS TIMESTAMP(0))", "CAST(k AS TIME(3))", "CAST(n AS INTEGER(3))"),
    *("INTERVAL '1' DAY TO SECOND + s", "s + INTERVAL '1 2:00' DAY TO MINUTE"),
    *("TIMESTAMP '2026-01-01 10:00+02:00'", "TIMESTAMP WITH TIME ZONE '2026-01-01 10:00'"),
    *("CAST('2026-01-01 10:00Z' AS TIMESTAMP WITH TIME ZONE)", "s AT TIME ZONE 'Europe/Berlin'"),
    *("CURRENT_DATE('Europe/Berlin')", "TRY_CAST(a AS INTEGER)", "CAST(a AS DATE FORMAT 'YYYY')"),
    *("n BETWEEN SYMMETRIC 1 AND 2", "a SIMILAR TO 'b'", "n = ANY(m)", "UPPER(a) OVER ()"),
    *("COUNT(DISTINCT n)", "a AS b", "n -- a remark\n, m", "TIDY(a, 'nothing of this name')"),
)
"""What other dialects give a meaning that ours does not have: none of it is passed over."""

FARTHEST: dict[str, st.SearchStrategy[Any]] = {
    name: st.none() | drawn for name, drawn in DRAWN.items()
} | {
    **dict.fromkeys("fg", st.floats(allow_nan=False) | st.sampled_from([1e300, -0.0, 5e-324])),
    "d": st.none() | st.just(Decimal("9" * 38)),
    "e": st.none() | st.sampled_from([Decimal("-1e-5"), Decimal(7)]),
    **dict.fromkeys("nmij", st.none() | st.sampled_from([-(2**63), 2**53 + 1, 2**63 - 1, 0, -1])),
    **dict.fromkeys("ab", st.none() | st.sampled_from(["", "1e300", "9" * 39, "2026-02-30", "x"])),
}


def made_of(*examples: Any) -> st.SearchStrategy[str]:
    """Return formulas whose columns are formulas again, some of them of the wrong kind."""
    ours = [text for some in examples for text in some]

    @st.composite
    def nested(draw: st.DrawFn) -> str:
        outer, inner = draw(st.sampled_from(ours)), draw(st.sampled_from(ours))
        column = draw(st.sampled_from(list(KINDS)))
        return re.sub(rf"\b{column}\b(?!['(])", f"({inner})", outer, count=1)

    return nested()


class ReadingTest(unittest.TestCase):
    SCHEMA = schema_of(
        kt.Table.from_columns(
            {"route": ["a"], "passengers": [1], "sailed on": [dt.date(2026, 1, 1)]}
        )
    )

    def test_what_is_wrong_is_said_at_its_place(self) -> None:
        for text, place, happened in (
            ("TRIM(passengers)", "passengers", "“passengers” is an integer; TRIM takes text."),
            ("UPPER(rout)", "rout", "There is no column “rout” in Sailings."),
            ("route || UPER(route)", "UPER", "There is no function UPER."),
            ("\"sailed on\" > '2026-01-01'", "'2026-01-01'", "takes a date or a date-time"),
            ("DATE '2026-02-30'", "'2026-02-30'", "“2026-02-30” is no date."),
            ("LEFT(route)", "LEFT(route)", "LEFT does not take 1 value."),
            ("COALESCE(route, passengers)", "passengers", "“passengers” is an integer"),
            ("CASE WHEN route THEN 1 END", "route", "“route” is text; WHEN takes a boolean."),
            ("route route", "route route", "is nothing that a formula can say"),
            (".5.5", ".5.5", "is no number"),
            ("SELECT 1", "SELECT 1", "is nothing that a formula can say"),
            ("route IN (SELECT 1)", "route IN (SELECT 1)", "IN takes values between brackets."),
        ):
            with self.subTest(text), self.assertRaises(FormulaError) as caught:
                formula(text, self.SCHEMA, "Sailings")
            self.assertIn(happened, str(caught.exception))
            self.assertEqual(text[slice(*caught.exception.place)], place)

    def test_what_is_written_and_would_not_be_done_is_refused(self) -> None:
        for text in NOT_DONE:
            with self.subTest(text), self.assertRaises(FormulaError) as caught:
                formula(text, EVERY_KIND)
            self.assertLessEqual(*caught.exception.place)

    def test_a_rename_reaches_the_columns_and_nothing_else(self) -> None:
        text = 'UPPER(route) || "route" || \'route\' || "sailed on"'
        self.assertEqual(
            renamed(text, lambda name: 'the "way"' if name == "route" else name),
            'UPPER("the ""way""") || "the ""way""" || \'route\' || "sailed on"',
        )

    @settings(max_examples=300, deadline=None)
    @given(
        st.one_of(
            st.text(max_size=40),
            st.lists(
                st.sampled_from(WORDS),
                max_size=14,
            ).map(" ".join),
        )
    )
    def test_any_text_gives_values_or_a_sentence(self, text: str) -> None:
        table = kt.Table.from_columns({"route": ["a", None], "passengers": [1, None]})
        try:
            found = work_out(text, table)
        except FormulaError as error:
            self.assertTrue(str(error).strip())
            self.assertLessEqual(error.place[0], error.place[1])
        else:
            self.assertEqual(len(found.column), 2)

    @settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.too_slow])
    @given(st.lists(st.fixed_dictionaries(FARTHEST), max_size=4), made_of(AS_THERE, OTHERWISE))
    def test_nothing_but_a_sentence_leaves_a_formula(
        self, rows: list[dict[str, Any]], text: str
    ) -> None:
        try:
            found = work_out(text, table_of(rows))
        except FormulaError:
            return
        found.column.check()
        self.assertEqual(len(found.column.texts()), len(rows))

    def test_a_likeness_with_many_gaps_takes_no_longer_with_every_letter(self) -> None:
        table = kt.Table.from_columns({"a": ["a" * 3_000 + "b"] * 20})
        (first, *_) = work_out(f"a LIKE '{'%a' * 40}'", table).column.to_list()
        self.assertIs(first, False)

    def test_what_is_too_long_or_too_deep_is_refused(self) -> None:
        for text in ("1" + "+1" * 3_000, "(" * 2_000 + "1" + ")" * 2_000, "NOT " * 900 + "TRUE"):
            with self.subTest(text[:9]), self.assertRaises(FormulaError):
                formula(text, Schema())


class RegistryTest(unittest.TestCase):
    def test_the_examples_show_each_with_all_that_may_be_left_out_and_without_any(self) -> None:
        for one in FUNCTIONS.values():
            made = [formula(text, Schema(())) for text, _ in one.examples]
            counts = {len(m.arguments) for m in made if isinstance(m, Applied)}
            for takes in one.takes:
                least = len(takes.kinds) - takes.optional
                most = len(takes.kinds) + takes.many
                if (takes.optional or takes.many) and "(" in one.form:
                    with self.subTest(one.name):
                        self.assertIn(least, counts)
                        self.assertTrue(counts & {most, most + 1})


if __name__ == "__main__":
    unittest.main()
