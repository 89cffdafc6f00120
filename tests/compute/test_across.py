"""Columns across rows are those of the window functions of a server, blanks and ties included."""

import math
import unittest
from decimal import Decimal
from typing import Any

from hypothesis import example, given, settings
from hypothesis import strategies as st

from keen_trellis.base.errors import LinkError, UserError
from keen_trellis.compute.execute import execute
from keen_trellis.data import Column, Kind, Table
from keen_trellis.document.items import AcrossItem, OrderedBy
from keen_trellis.plan.across import WHATS
from tests.compute.test_steps import Given
from tests.postgres_case import PostgresTestCase

VALUES = {
    Kind.INTEGER: st.one_of(st.integers(-5, 5), st.integers(-(2**62), 2**62)),
    Kind.EXACT: st.decimals(-1000, 1000, places=2),
    Kind.NUMBER: st.integers(-1000, 1000).map(lambda n: n / 8),
}
ROWS = st.sampled_from([*VALUES]).flatmap(
    lambda kind: st.tuples(
        st.just(kind),
        st.lists(
            st.tuples(
                st.sampled_from(["a", "b", "", None]),
                st.none() | st.integers(0, 2),
                st.none() | VALUES[kind],
            ),
            max_size=14,
        ),
    )
)
THEIRS = {
    "row number": "row_number() over w",
    "rank": "rank() over (partition by {by} order by {order})",
    "running sum": "sum(x) over w",
    "share": "x::numeric / nullif(sum(x) over (partition by {by}), 0)",
    "running share": "sum(x) over w / nullif(sum(x) over (partition by {by}), 0)",
    "value before": "lag(x, {n}) over w",
    "value after": "lead(x, {n}) over w",
    "difference": "x::numeric - lag(x, {n}) over w",
    "growth": "(x::numeric - lag(x, {n}) over w) / nullif(lag(x, {n}) over w, 0)",
    "moving average": "avg(x) over (w rows between {n} - 1 preceding and current row)",
}


def table_of(kind: Kind, rows: list[Any]) -> Table:
    return Table.of(
        {
            "g": Column.of([g for g, _, _ in rows], Kind.TEXT),
            "o": Column.of([o for _, o, _ in rows], Kind.INTEGER),
            "x": Column.of([x for _, _, x in rows], kind),
        }
    )


def worked_out(table: Table, **settings_: Any) -> Column:
    step = AcrossItem(**{"id": "", "name": "new", "column": "x"} | settings_)
    node = step.node(Given(table), (), ("Rows",))
    node.check()
    found = execute(node, [table]).outcome
    assert [(f.name, f.kind) for f in found.fields] == [(c.name, c.kind) for c in node.schema]
    assert list(found.column("x").to_list()) == list(table.column("x").to_list())
    return found.column("new")


class InPostgresTest(PostgresTestCase):
    def test_each_has_its_equal(self) -> None:
        self.assertEqual({*THEIRS}, {*WHATS})

    @settings(max_examples=40, deadline=None)
    @given(ROWS, st.booleans(), st.sampled_from([None, False, True]), st.integers(1, 4))
    @example((Kind.INTEGER, [("a", 1, 2**62)] * 3), True, False, 1)
    def test_the_same_as_the_server(
        self, drawn: Any, by_group: bool, descending: bool | None, n: int
    ) -> None:
        kind, rows = drawn
        table = table_of(kind, rows)
        by = ("g",) if by_group else ()
        order = () if descending is None else (OrderedBy(field="o", descending=descending),)
        keys = f"o {'desc' if descending else 'asc'} nulls last" if order else "1"
        typed = {Kind.INTEGER: "bigint", Kind.EXACT: "numeric", Kind.NUMBER: "double precision"}
        for what, theirs in THEIRS.items():
            if what == "rank" and not order:
                continue
            ours = worked_out(table, what=what, by=by, order=order, n=n).to_list()
            asked = theirs.format(by="g" if by else "1", order=keys, n=n)
            told = self.server.execute(
                f"""select {asked} from unnest(%s::text[], %s::bigint[], %s::{typed[kind]}[])
                with ordinality as rows(g, o, x, id)
                window w as (partition by {"g" if by else "1"} order by {keys}, id)
                order by id""",
                tuple([row[at] for row in rows] for at in range(3)),
            ).fetchall()
            for mine, (other,) in zip(ours, told, strict=True):
                if what == "difference" and kind is Kind.INTEGER and mine is None:
                    # beyond 64 bits it is a blank, and counted
                    self.assertTrue(other is None or abs(other) >= 2**63, (what, rows))
                elif isinstance(mine, float) and other is not None:
                    close = math.isclose(mine, float(other), rel_tol=1e-9, abs_tol=1e-12)
                    self.assertTrue(close, (what, rows, mine, other))
                else:
                    self.assertEqual(mine, other, (what, rows))


class AcrossTest(unittest.TestCase):
    def test_texts_move_too_and_sums_keep_every_digit(self) -> None:
        names = Table.of({"x": Column.of(["a", None, "c"], Kind.TEXT)})
        self.assertEqual(worked_out(names, what="value before").to_list(), [None, "a", None])
        large = Decimal("99999999999999999999.25")
        table = Table.of({"x": Column.of([large, large, None, Decimal("0.01")], Kind.EXACT)})
        sums = worked_out(table, what="running sum").to_list()
        self.assertEqual(sums, [large, 2 * large, 2 * large, 2 * large + Decimal("0.01")])
        most = Table.of({"x": Column.of([Decimal("9" * 38)] * 2, Kind.EXACT)})
        with self.assertRaisesRegex(LinkError, "more than 38 digits"):
            worked_out(most, what="running sum")

    def test_doubles_are_added_up_anew_in_each_group(self) -> None:
        table = Table.of(
            {
                "g": Column.of(["a", "b", "a", "b"], Kind.TEXT),
                "x": Column.of([1e300, 0.1, -1e300, 0.2], Kind.NUMBER),
            }
        )
        sums = worked_out(table, what="running sum", by=("g",)).to_list()
        self.assertEqual(sums, [1e300, 0.1, 0.0, 0.1 + 0.2])
        endless = Table.of({"x": Column.of([math.inf, -math.inf, 1.0], Kind.NUMBER)})
        self.assertEqual(worked_out(endless, what="running sum").to_list(), [math.inf, None, None])

    def test_what_has_no_value_is_counted_by_its_reason(self) -> None:
        table = Table.of({"x": Column.of([0, 5, -(2**63), 2**63 - 1], Kind.INTEGER)})
        for what, faults in (
            ("growth", {"division by zero": 1, "a result with too many digits": 2}),
            ("difference", {"a result with too many digits": 2}),
            ("share", {}),
        ):
            step = AcrossItem(id="", name="new", column="x", what=what)
            found = execute(step.node(Given(table), (), ("Rows",)), [table])
            told = {why: int(rows.sum()) for why, rows in found.faults.items()}
            self.assertEqual(told, faults, what)

    def test_a_difference_and_its_quotient_that_fail_alike_are_both_counted(self) -> None:
        table = Table.of({"x": Column.of([1e308, -1e308, 1e-308, 1e10], Kind.NUMBER)})
        step = AcrossItem(id="", name="new", column="x", what="growth")
        found = execute(step.node(Given(table), (), ("Rows",)), [table])
        told = {why: rows.tolist() for why, rows in found.faults.items()}
        self.assertEqual(told, {"a result with too many digits": [False, True, False, True]})

    def test_what_cannot_be_is_said(self) -> None:
        table = table_of(Kind.INTEGER, [("a", 1, 1)])
        for asked, words in (
            ({"what": "rank"}, "A rank without an order"),
            ({"name": "g"}, "Two columns of Rows would be called “g”"),
            ({"what": "share", "column": "g"}, "There is no share of “g”, which is text"),
            ({"what": "growth", "column": "gone"}, "gone"),
            ({"by": ("gone",)}, "gone"),
        ):
            with self.subTest(words), self.assertRaisesRegex(UserError, words):
                worked_out(table, **asked)
