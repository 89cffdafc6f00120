"""What a plan says of columns before there are rows is what the rows then have."""

import random
import unittest
from collections.abc import Iterator
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from keen_trellis.base.errors import UserError
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Column, Kind, Table
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.link import Link, LinkField
from keen_trellis.plan.nodes import Join, Node, Outcome, Read
from keen_trellis.plan.outcome import Columns
from tests.places.plans import Plans, here, rows_of

_AS_TEXT = {Kind.NUMBER, Kind.EXACT, Kind.INTEGER}
"""Numbers that no kind holds exactly together stand as texts, which only the rows can tell."""


def nodes(node: Node) -> Iterator[Node]:
    yield node
    for one in node.inputs():
        yield from nodes(one)


class SchemaTest(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(st.integers(0, 10**9))
    def test_kinds_and_what_says_them_are_those_of_the_rows(self, seed: int) -> None:
        plans = Plans(random.Random(seed))
        node = plans.node(plans.chance.choice([1, 1, 2, 2, 3]))
        known: dict[str, Any] = {}
        try:
            node.check()
            here(node, plans.tables, known)
        except UserError:
            return
        for one in nodes(node):
            if isinstance(one, Join) or one.digest not in known:
                continue
            found = schema_of(rows_of(known[one.digest]))
            self.assertEqual(one.schema.names, found.names)
            for planned, there in zip(one.schema, found, strict=True):
                if planned.kind not in _AS_TEXT:
                    self.assertEqual((planned.kind, planned.seen), (there.kind, there.seen))

    def test_a_column_without_a_value_has_no_say_behind_a_tie_either(self) -> None:
        # found by a plan by chance: the right c was said to be text behind the first tie
        tables = {
            "a": Table.of({"k": Column.of([1]), "c": Column.of([2])}),
            "b": Table.of({"k": Column.of([1]), "c": Column.of([None], Kind.TEXT)}),
        }
        a, b = (Read(name, name, schema_of(table)) for name, table in tables.items())
        link = Link((LinkField("k", "k"),))
        only_b = Outcome(Join(a, b, link, ("a", "b")), (Bay.RIGHT,), Columns())
        both = Outcome(Join(a, only_b, link, ("a", "b")), (Bay.BOTH,), Columns(same_named="filled"))
        self.assertEqual(["k", "c"], list(both.schema.names))
        self.assertEqual(["k", "c"], list(rows_of(here(both, tables, {})).columns))
