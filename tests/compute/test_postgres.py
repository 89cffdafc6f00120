"""Kinds, decimals, dates and Unicode mean what a real server says that they mean."""

import datetime as dt
import uuid
from decimal import Decimal
from typing import Any

import keen_trellis as kt
from tests.postgres_case import PostgresTestCase

VALUES: dict[str, tuple[str, list[Any]]] = {
    'text collate "C"': ("text", ["a", "A", "é", "e\u0301", "ß", "", None]),
    "numeric(30,4)": (
        "exact decimal",
        [Decimal("1.5"), Decimal("-2"), Decimal("12345678901234567890.0001"), None],
    ),
    "bigint": ("integer", [2**62, 2**62 - 1, -5, 0, None]),
    "double precision": ("number", [0.1, 0.3, 0.1 + 0.2, -1e300, 1.5, None]),
    "boolean": ("boolean", [True, False, None]),
    "date": ("date", [dt.date(2026, 1, 5), dt.date(1850, 2, 28), None]),
    "timestamp": ("date-time", [dt.datetime(2026, 1, 5, 8, 30), dt.datetime(2026, 1, 5), None]),
    "time": ("time", [dt.time(8, 30), dt.time(0), None]),
}
MIXED = (("numeric(30,4)", "bigint"), ("double precision", "bigint"), ("date", "date"))


class AgainstPostgresTest(PostgresTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.schema = f"keen_{uuid.uuid4().hex}"
        self.server.execute(f"create schema {self.schema}")
        self.addCleanup(self.server.execute, f"drop schema {self.schema} cascade")

    def filled(self, kind: str) -> str:
        """Make a table of a kind's values and return its name."""
        name = f"{self.schema}.t_{uuid.uuid4().hex}"
        self.server.execute(f"create table {name} (i int, v {kind})")
        for row in enumerate(VALUES[kind][1]):
            self.server.execute(f"insert into {name} values (%s, %s)", row)
        return name

    def assert_same(self, left: str, right: str) -> None:
        a, b = self.filled(left), self.filled(right)
        ours = [
            kt.Table.of({"v": kt.Column.of(VALUES[k][1], kt.Kind(VALUES[k][0]))})
            for k in (left, right)
        ]
        for operator in ("=", "<>", "<", "<=", ">", ">="):
            with self.subTest(left=left, right=right, operator=operator):
                query = f"select a.i, b.i from {a} a join {b} b on a.v {operator} b.v order by 1, 2"
                rows, others = kt.tie(*ours, [("v", operator, "v")]).match.pairs
                got = list(zip(rows.tolist(), others.tolist(), strict=True))
                self.assertEqual(got, self.server.execute(query).fetchall())

    def test_each_kind_compares_with_itself(self) -> None:
        for kind in VALUES:
            self.assert_same(kind, kind)

    def test_kinds_that_can_be_compared_safely_do(self) -> None:
        for left, right in MIXED:
            self.assert_same(left, right)
