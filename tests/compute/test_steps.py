"""Every step against plain Python on rows, whatever the rows are."""

import re
import unittest
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

import keen_trellis as kt
from keen_trellis.base.errors import LinkError, UserError
from keen_trellis.compute.execute import execute
from keen_trellis.compute.filter_result import Filtered
from keen_trellis.compute.step_execution import spelled_out
from keen_trellis.compute.step_result import Stepped
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Kind
from keen_trellis.document.items import (
    STEPS,
    ColumnsItem,
    FigureItem,
    FillItem,
    FilterItem,
    FirstItem,
    FormulaItem,
    KindsItem,
    NamedFormula,
    OrderedBy,
    OrderItem,
    PivotItem,
    RepeatsItem,
    ReplaceItem,
    Replacement,
    SplitItem,
    StepItem,
    SummariseItem,
    TidyItem,
    TogetherItem,
    UnpivotItem,
)
from keen_trellis.plan.figures import hows_of
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.schema import Schema
from keen_trellis.plan.steps import Pivoted

Row = dict[str, Any]

TEXTS = st.none() | st.text(st.sampled_from("aAé -,1\u00a0"), max_size=5)
NUMBERS = st.none() | st.integers(-3, 3)
ROWS = st.lists(st.fixed_dictionaries({"t": TEXTS, "u": TEXTS, "n": NUMBERS}), max_size=12)
KINDS = {"t": Kind.TEXT, "u": Kind.TEXT, "n": Kind.INTEGER}


@dataclass(frozen=True, eq=False)
class Given(Node):
    """The rows of a table, as a step takes them."""

    table: kt.Table

    @cached_property
    def schema(self) -> Schema:
        return schema_of(self.table)


def table_of(rows: Sequence[Row]) -> kt.Table:
    return kt.Table.of(
        {name: kt.Column.of([r[name] for r in rows], k) for name, k in KINDS.items()}
    )


def done(step: StepItem, table: kt.Table) -> Stepped:
    node = step.node(Given(table), (), ("Rows",))
    node.check()
    found = execute(node, [table])
    assert isinstance(found, Stepped)
    assert [(f.name, f.kind) for f in found.outcome.fields] == [
        (c.name, c.kind) for c in node.schema
    ]
    return found


def rows_of(table: kt.Table) -> list[Row]:
    return [dict(zip(table.columns, row, strict=True)) for row in table.rows()]


def with_text(change: Callable[[str], str]) -> Callable[[list[Row]], list[Row]]:
    """Return what changes the texts of “t” and leaves blanks."""
    return lambda rows: [{**r, "t": None if r["t"] is None else change(r["t"])} for r in rows]


def tidied(text: str) -> str:
    text = re.sub("[ \u00a0]{2,}", " ", text)
    return text.strip(" \u00a0").upper()


def filled_above(rows: list[Row]) -> list[Row]:
    last, found = None, []
    for row in rows:
        last = row["n"] if row["n"] is not None else last
        found.append({**row, "n": last})
    return found


def in_order(rows: list[Row]) -> list[Row]:
    by_text = sorted(rows, key=lambda r: (r["t"] is None, r["t"] or ""))
    return sorted(by_text, key=lambda r: (r["n"] is None, -(r["n"] or 0)))


def first_of_each(rows: list[Row]) -> list[Row]:
    seen: set[Any] = set()
    return [r for r in rows if not (r["t"] in seen or seen.add(r["t"]))]  # type: ignore[func-returns-value]


def one_or_several(several: bool) -> Callable[[list[Row]], list[Row]]:
    def chosen(rows: list[Row]) -> list[Row]:
        keys = [(r["t"], r["n"]) for r in rows]
        return [r for r, key in zip(rows, keys, strict=True) if (keys.count(key) > 1) == several]

    return chosen


def last_two_of_each(rows: list[Row]) -> list[Row]:
    places: dict[Any, list[int]] = {}
    for place, row in enumerate(rows):
        places.setdefault(row["n"], []).append(place)
    return [rows[at] for at in sorted(at for found in places.values() for at in found[-2:])]


def cut(names: Sequence[str]) -> Callable[[list[Row]], list[Row]]:
    """Return what cuts “t” behind one and three letters: the last column takes all the rest."""

    def with_parts(rows: list[Row]) -> list[Row]:
        found = []
        for row in rows:
            text = row["t"] or ""
            parts = [text[:1], text[1:3], text[3:]]
            rest = "".join(parts[len(names) - 1 :])
            own = [*parts[: len(names) - 1], rest, *[""] * len(names)][: len(names)]
            found.append({**row, **{n: part or None for n, part in zip(names, own, strict=True)}})
        return found

    return with_parts


def parted(rows: list[Row]) -> list[Row]:
    return [
        {**row, "t": part}
        for row in rows
        for part in ([None] if row["t"] is None else [x or None for x in row["t"].split(",")])
    ]


def split(rows: list[Row]) -> list[Row]:
    def part(text: str | None, place: int) -> str | None:
        parts = [] if text is None else text.split("-", 1)  # the last takes the rest
        return (parts[place] or None) if place < len(parts) else None

    return [{**row, "from": part(row["t"], 0), "to": part(row["t"], 1)} for row in rows]


def put_together(rows: list[Row]) -> list[Row]:
    shown = [[r["t"], None if r["n"] is None else str(r["n"])] for r in rows]
    joined = ["/".join(x for x in one if x is not None) or None for one in shown]
    return [{**row, "both": text} for row, text in zip(rows, joined, strict=True)]


def summed(rows: list[Row]) -> list[Row]:
    groups: dict[Any, list[Row]] = {}
    for row in rows:
        groups.setdefault(row["t"], []).append(row)
    made = []
    for text, group in groups.items():
        held = [r["n"] for r in group if r["n"] is not None]
        made.append({"t": text, "rows": len(group), "sum of n": sum(held) if held else None})
    return made


def as_integers(rows: list[Row]) -> list[Row]:
    def read(text: str | None) -> int | None:
        stripped = (text or "").strip(" \u00a0")
        sign, digits = stripped[:1] == "-", stripped.lstrip("-")
        is_one = digits.isdecimal() and len(stripped) - len(digits) <= 1
        return (-int(digits) if sign else int(digits)) if is_one else None

    return [{**row, "t": read(row["t"])} for row in rows]


def replaced(rows: list[Row]) -> list[Row]:
    changes = {"a": "x", None: "empty", "A": None}
    return [{**r, "t": changes.get(r["t"], r["t"]), "u": changes.get(r["u"], r["u"])} for r in rows]


def below_one_another(columns: str, blanks: bool) -> Callable[[list[Row]], list[Row]]:
    """Return what makes rows of columns; a number beside a text that is one becomes a text."""
    others = [name for name in KINDS if name not in columns]

    def made(rows: list[Row]) -> list[Row]:
        are_texts = any(row[name] is not None for row in rows for name in columns if name != "n")
        as_text = str if are_texts else (lambda value: value)
        return [
            {other: row[other] for other in others}
            | {"of": name, "it": None if row[name] is None else as_text(row[name])}
            for name in columns
            for row in rows
            if blanks or row[name] is not None
        ]

    return made


def by_value(values: Sequence[str], rest: str, zero: bool) -> Callable[[list[Row]], list[Row]]:
    """Return what makes columns of the values of “t” with the sums of “n”, a row for each “u”."""

    def made(rows: list[Row]) -> list[Row]:
        groups: dict[Any, list[Row]] = {}
        for row in rows:
            groups.setdefault(row["u"], []).append(row)
        found = []
        for key, group in groups.items():
            line = {"u": key}
            for name in (*values, *([rest] if rest else ())):
                of_it = [
                    r for r in group if (r["t"] not in values if name == rest else r["t"] == name)
                ]
                held = [r["n"] for r in of_it if r["n"] is not None]
                line[name] = sum(held) if held else 0 if zero else None
            found.append(line)
        return found if rows else []

    return made


ORACLES: list[tuple[StepItem, Callable[[list[Row]], list[Row]]]] = [
    (TidyItem(id="", columns=("t",), letters="capitals"), with_text(tidied)),
    (
        ReplaceItem(
            id="",
            columns=("t", "u"),
            replacements=tuple(
                Replacement(old=a, new=b) for a, b in (("a", "x"), ("", "empty"), ("A", ""))
            ),
        ),
        replaced,
    ),
    (
        ReplaceItem(
            id="",
            columns=("t",),
            matched="parts",
            replacements=(Replacement(old="a", new="b,"), Replacement(old=",", new="")),
        ),
        with_text(lambda text: text.replace("a", "b,").replace(",", "")),
    ),
    (
        FormulaItem(id="", columns=(NamedFormula(name="n", formula="n + 1"),)),
        lambda rows: [{**r, "n": None if r["n"] is None else r["n"] + 1} for r in rows],
    ),
    (
        FillItem(id="", columns=("n",), value="7"),
        lambda rows: [{**r, "n": 7 if r["n"] is None else r["n"]} for r in rows],
    ),
    (
        FillItem(id="", columns=("t",), with_="another column", value="u"),
        lambda rows: [{**r, "t": r["u"] if r["t"] is None else r["t"]} for r in rows],
    ),
    (FillItem(id="", columns=("n",), with_="the value above"), filled_above),
    (
        FillItem(id="", columns=("n",), with_="the value below"),
        lambda rows: filled_above(rows[::-1])[::-1],
    ),
    (
        ColumnsItem(id="", first=("n",), without=("u",), names={"t": "text"}),
        lambda rows: [{"n": r["n"], "text": r["t"]} for r in rows],
    ),
    (KindsItem(id="", kinds={"t": Kind.INTEGER}), as_integers),
    (SplitItem(id="", column="t", into=("from", "to")), split),
    (SplitItem(id="", column="t", mark=",", into_rows=True), parted),
    *(
        (SplitItem(id="", column="t", at="positions", positions=(1, 3), into=names), cut(names))
        for names in (("a",), ("a", "b"), ("a", "b", "c"), ("a", "b", "c", "d", "e"))
    ),
    (TogetherItem(id="", columns=("t", "n"), mark="/", name="both"), put_together),
    *(
        (
            UnpivotItem(id="", columns=tuple(names), name="of", value="it", blanks=blanks),
            below_one_another(names, blanks),
        )
        for names, blanks in (("tu", True), ("un", False), ("t", True))
    ),
    *(
        (
            PivotItem(
                **{"id": "", "field": "t", "values": values, "by": ("u",), "rest": rest},
                **{"how": "sum", "column": "n", "zero": zero},
            ),
            by_value(values, rest, zero),
        )
        for values, rest, zero in ((("a", "A"), "", False), (("é",), "others", True))
    ),
    (RepeatsItem(id="", by=("t",)), first_of_each),
    (
        RepeatsItem(id="", by=("t",), keep="last"),
        lambda rows: first_of_each(rows[::-1])[::-1],
    ),
    (RepeatsItem(id="", by=("t", "n"), keep="repeated"), one_or_several(True)),
    (RepeatsItem(id="", by=("t", "n"), keep="alone"), one_or_several(False)),
    (
        SummariseItem(id="", by=("t",), figures=(FigureItem(how="count"), FigureItem(column="n"))),
        summed,
    ),
    (
        OrderItem(id="", by=(OrderedBy(field="n", descending=True), OrderedBy(field="t"))),
        in_order,
    ),
    (FirstItem(id="", n=3), lambda rows: rows[:3]),
    (FirstItem(id="", n=2, end="last", by=("n",)), last_two_of_each),
]
SETTLED = ("tidy", "fill", "repeats", "order", "first")
"""The kinds of which a second one right behind the first changes nothing."""


class OracleTest(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(ROWS)
    @example([{"t": "aA-é1", "u": " a ", "n": 1}, {"t": "a,-1A", "u": None, "n": None}])
    def test_every_step_gives_what_going_through_the_rows_gives(self, rows: list[Row]) -> None:
        for step, oracle in ORACLES:
            found = done(step, table_of(rows))
            self.assertEqual(rows_of(found.outcome), oracle(rows), step)
            self.assert_counted(found, rows)
            if step.type in SETTLED:
                again = done(step, found.outcome)
                self.assertEqual(rows_of(again.outcome), rows_of(found.outcome), step)
                self.assertEqual(len(again.changed_rows), 0)

    def assert_counted(self, found: Stepped, rows: list[Row]) -> None:
        """The rows that are said to change are those that differ; nobody is lost uncounted."""
        after = rows_of(found.outcome)
        if found.left_out is not None:
            self.assertEqual(len(found.left_out) + len(after), len(rows))
        elif found.changed:
            both = [n for n in found.changed if n in found.before.columns]
            differ = [
                place
                for place, (a, b) in enumerate(zip(rows, after, strict=True))
                if any(a[n] != b[n] and not _same_value(a[n], b[n]) for n in both)
            ]
            self.assertEqual(found.changed_rows.tolist(), differ)

    def test_no_rows_all_blank_and_a_thousand_columns(self) -> None:
        blank: Row = {"t": None, "u": None, "n": None}
        for step, oracle in ORACLES:
            with self.subTest(step.type):
                self.assertEqual(rows_of(done(step, table_of([])).outcome), oracle([]))
                self.assertEqual(
                    rows_of(done(step, table_of([blank] * 3)).outcome), oracle([blank] * 3)
                )
                wide = {f"c{n}": kt.Column.of([n, None]) for n in range(1_000)}
                own = table_of([{"t": "a", "u": "b", "n": 1}, blank])
                whole = kt.Table.of({**{n: own.column(n) for n in own.columns}, **wide})
                found = done(step, whole).outcome
                if step.type not in ("summarise", "repeats", "pivot"):
                    self.assertEqual(found.column("c999").to_list()[:1], [999])

    def test_a_step_that_is_not_set_up_yet_lets_all_rows_pass(self) -> None:
        table = table_of([{"t": "a", "u": None, "n": 1}])
        for kind in STEPS:
            if kind is not SummariseItem:
                node = kind(id="", type=kind.model_fields["type"].default).node(
                    Given(table), (), ("Rows",)
                )
                found = execute(node, [table])
                assert isinstance(found, Stepped | Filtered)
                self.assertEqual(rows_of(found.outcome), rows_of(table), kind)


class PivotTest(unittest.TestCase):
    @settings(max_examples=15, deadline=None)
    @given(ROWS, st.sampled_from(["t", "n"]), st.sampled_from([(), ("u",)]), st.booleans())
    @example([{"t": "a", "u": None, "n": None}], "t", ("u",), True)
    def test_it_is_what_the_nodes_give_that_spell_it_out(
        self, rows: list[Row], column: str, by: tuple[str, ...], zero: bool
    ) -> None:
        table = table_of(rows)
        field, values = ("n", ("1", "-1", "0")) if column == "t" else ("t", ("a", "é", "A"))
        figures = [("count", None), *((how, column) for how in hows_of(KINDS[column]))]
        for how, of in figures:
            for rest in ("", "others"):
                step = PivotItem(
                    **{"id": "", "field": field, "values": values[: len(rows)], "by": by},
                    **{"how": how, "column": of, "rest": rest},
                )
                numeric = how in ("count", "distinct count") or (column == "n" and how != "list")
                node = step.but(zero=zero and numeric).node(Given(table), (), ("Rows",))
                assert isinstance(node, Pivoted)
                found = execute(node, [table])
                wanted = spelled_out(node, table)
                self.assertEqual(rows_of(found.outcome), rows_of(wanted), node)
                kinds = [(one.name, one.kind) for one in wanted.fields]
                self.assertEqual([(one.name, one.kind) for one in found.outcome.fields], kinds)
                others = [r for r in rows if str(r[field]) not in step.values or r[field] is None]
                told = {str(r[field]) for r in others if r[field] not in (None, "")}
                self.assertEqual({*found.others}, told)

    def test_equal_values_are_refused(self) -> None:
        step = PivotItem(id="", field="n", values=("1", "01"))
        with self.assertRaisesRegex(LinkError, "“01” is the same value as “1”"):
            step.node(Given(table_of([])), (), ("Rows",))


def _same_value(a: Any, b: Any) -> bool:
    """Whether a value was only read as another kind: what is no loss is no change."""
    return (a is None) == (b is None) and type(a) is not type(b)


class GapsTest(unittest.TestCase):
    def tied(self) -> kt.Table:
        left = kt.Table.from_columns({"code": ["a", "b", "c"], "n": [1, 2, 3]})
        right = kt.Table.from_columns({"code": ["a", "b"], "name": ["x", None]})
        return kt.tie(left, right, on="code").outcome

    def test_gaps_are_filled_apart_from_blanks(self) -> None:
        for empty, wanted in (
            ("gaps", ["x", None, "new"]),
            ("blanks", ["x", "new", None]),
            ("blanks and gaps", ["x", "new", "new"]),
        ):
            step = FillItem(id="", columns=("name",), empty=empty, value="new")
            self.assertEqual(done(step, self.tied()).outcome.column("name").to_list(), wanted)
        above = FillItem(id="", columns=("name",), empty="gaps", with_="the value above")
        column = done(above, self.tied()).outcome.column("name")
        self.assertEqual(column.to_list(), ["x", None, "x"])

    def test_steps_on_other_columns_leave_gaps_gaps(self) -> None:
        for step in (
            TidyItem(id="", columns=("code",), letters="capitals"),
            OrderItem(id="", by=(OrderedBy(field="n", descending=True),)),
            ColumnsItem(id="", first=("name",)),
        ):
            column = done(step, self.tied()).outcome.column("name")
            self.assertEqual((column.count(kt.data.GAP), column.count(kt.data.BLANK)), (1, 1))


class RefusedTest(unittest.TestCase):
    def test_what_a_column_does_not_allow_is_said(self) -> None:
        table = table_of([{"t": "a", "u": "b", "n": 1}])
        for step, said in (
            (TidyItem(id="", columns=("n",)), "“n” of Rows is integer; only texts can be tidied."),
            (
                ReplaceItem(
                    id="",
                    columns=("t",),
                    matched="parts",
                    replacements=tuple(Replacement(old=str(n)) for n in range(1_500)),
                ),
                "1,500 parts of “t” of Rows are to be replaced; one step replaces 200 at most.",
            ),
            (TidyItem(id="", columns=("tt",)), "There is no column “tt” in Rows."),
            (FillItem(id="", columns=("t",), with_="zero"), "has no zero"),
            (FillItem(id="", columns=("n",), value="many"), "“many” is no integer"),
            (
                FillItem(id="", columns=("n",), with_="another column", value="t"),
                "one cannot stand",
            ),
            (SplitItem(id="", column="n", into=("a",)), "only a text has parts"),
            (PivotItem(id="", field="n", values=("x",)), "“x” is no integer"),
            (PivotItem(id="", field="t", values=("u",), by=("u",)), "would be called “u”"),
            (PivotItem(id="", field="t", column="u", how="sum"), "no sum of “u”"),
            (
                PivotItem(id="", field="t", values=("a",), column="u", how="max", zero=True),
                "which has no zero",
            ),
            (UnpivotItem(id="", columns=("t",), value="n"), "would be called “n”"),
            (UnpivotItem(id="", columns=("t",), name="value"), "would be called “value”"),
            (UnpivotItem(id="", columns=("t",), name=""), "would be called “”"),
            (UnpivotItem(id="", columns=("t",), mark=" "), "“t” of Rows cannot be cut at “ ”"),
            (UnpivotItem(id="", chosen="all but", columns=("t", "u", "n")), "No column of Rows"),
            (UnpivotItem(id="", chosen="called like", pattern="z*"), "No column of Rows"),
            (SplitItem(id="", column="t", mark="", into_rows=True), "There is no mark"),
            (KindsItem(id="", kinds={"n": Kind.DATE}), "cannot become date"),
            (ColumnsItem(id="", names={"t": "u"}), "would be called “u”"),
            (SummariseItem(id="", figures=(FigureItem(column="t"),)), "There is no sum of “t”"),
            (
                FormulaItem(id="", columns=(NamedFormula(name="x", formula="TRIM(n)"),)),
                "TRIM takes",
            ),
        ):
            with self.subTest(said), self.assertRaises(UserError) as caught:
                done(step, table)
            self.assertIn(said, str(caught.exception))

    def test_rows_that_a_filter_has_no_answer_for_are_told_from_blanks(self) -> None:
        rows = [{"t": None, "u": None, "n": n} for n in (2, 0, None, -1)]
        step = FilterItem(id="", formula="10 / n > 1")
        found = execute(step.node(Given(table_of(rows)), (), ("Rows",)), [table_of(rows)])
        self.assertEqual(
            found.sentence(),
            "1 of 4 rows go on, 3 are left out, 1 of them because a value is blank. "
            "1 row without an answer by division by zero.",
        )

    def test_texts_are_read_as_their_column_is_written(self) -> None:
        rows = [{"t": text, "u": day, "n": None} for text, day in (("1.204,50", "31/12/2026"),)]
        step = KindsItem(id="", kinds={"t": Kind.EXACT, "u": Kind.DATE})
        found = done(step, table_of(rows)).outcome
        self.assertEqual(found.column("t").text(0), "1204.50")
        self.assertEqual(found.column("u").text(0), "2026-12-31")

    def test_a_failure_of_kinds_is_counted_and_shown(self) -> None:
        found = done(
            KindsItem(id="", kinds={"t": Kind.INTEGER}),
            table_of([{"t": text, "u": None, "n": None} for text in ("1", "x", None, "2.5")]),
        )
        self.assertEqual(found.numbers["faults"], 2)
        self.assertEqual(found.changed_rows.tolist(), [1, 3])
        self.assertIn("2 rows left blank by a value that is not an integer", found.sentence())
        self.assertIsInstance(found.changed["t"], np.ndarray)


if __name__ == "__main__":
    unittest.main()
