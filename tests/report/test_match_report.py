"""The match report of one run is the same each time, and follows a total back to its rows."""

import tempfile
import unittest
from pathlib import Path

import openpyxl
from hypothesis import given, settings
from hypothesis import strategies as st

from keen_trellis.base.errors import DeliveryError
from keen_trellis.document import Trellis, TypedSource, load
from keen_trellis.document.edits import AddLane, AddTie, InsertItem, SetPairs, SetPromises, apply
from keen_trellis.document.edits.report_edits import AddReport, SetReport
from keen_trellis.document.items import (
    ConditionItem,
    FillItem,
    FilterItem,
    FormulaItem,
    LinkedFields,
    NamedFormula,
    Promised,
    ReplaceItem,
    SameValues,
    SplitItem,
    Taken,
    TogetherItem,
)
from keen_trellis.document.items.replace import Replacement
from keen_trellis.document.reports import Report, ReportFilter
from keen_trellis.report.match_report import match_page, save_match_report
from keen_trellis.report.page_options import PageOptions
from keen_trellis.run import Runner
from keen_trellis.run.account import account
from keen_trellis.run.changes import LaneSnapshot, Snapshot, TieSnapshot

DEMO = Path(__file__).parents[2] / "demo" / "whole-season.trellis"


def of_letters(letters: str) -> st.SearchStrategy[str]:
    return st.text(st.sampled_from(letters), max_size=4)


class MatchReportTest(unittest.TestCase):
    def setUp(self) -> None:
        self.runner = Runner()
        self.results = self.runner.run(load(DEMO))

    def test_one_run_gives_the_same_bytes_in_every_form(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for ending in ("html", "pdf", "xlsx"):
                paths = [Path(folder) / f"{name}.{ending}" for name in "ab"]
                for path in paths:
                    save_match_report(self.results, path, self.runner)
                self.assertEqual(paths[0].read_bytes(), paths[1].read_bytes(), ending)

    def test_a_sheet_leaves_values_out_as_well_and_says_for_whom(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            told = []
            for with_values in (True, False):
                path = Path(folder) / "season.xlsx"
                wished = PageOptions("the board", with_values)
                save_match_report(self.results, path, self.runner, wished)
                told.append(str(list(openpyxl.load_workbook(path).active.values)))
        self.assertIn("it begins with “total”", told[0])
        self.assertNotIn("it begins with", told[1])
        self.assertIn("1,207 of 1,209 rows of Sailings found", told[1])
        self.assertIn("that may quote values", told[1])
        for sheet in told:
            self.assertIn("('match report', 'made for', 'the board', None)", sheet)

    @settings(max_examples=30, deadline=None)
    @given(st.tuples(of_letters("“”x '<>&\"\n\r\t;{}"), of_letters("“”x '<>&\"\n\r\t;{}")))
    def test_no_value_is_told_where_none_may_be_whatever_quotes_it_has(
        self, around: tuple[str, str]
    ) -> None:
        value = f"{around[0]}SECRET{around[1]}"
        literal = value.replace("'", "''")
        trellis = Trellis.empty()
        for edit in (
            AddLane("One", TypedSource(columns=("k", "n"), rows=((value, "7,25"),))),
            AddLane("Two", TypedSource(columns=("k", "z"), rows=(("SECRET", value),))),
            AddTie("one", "two", (LinkedFields(left="k", right="k"),)),
            SetPairs("one-two", (SameValues(left=value, right="SECRET"),), ()),
            *(
                InsertItem("one", "one-two", step)
                for step in (
                    FilterItem(id="a", conditions=(ConditionItem(column="z", values=(value,)),)),
                    FilterItem(id="b", formula=f"k = '{literal}' OR k <> '{literal}'"),
                    ReplaceItem(id="c", columns=("z",), replacements=(Replacement(old=value),)),
                    FillItem(id="d", columns=("z",), value=value),
                    SplitItem(id="e", column="k", mark=value, into=("p", "q")),
                    TogetherItem(id="f", columns=("k", "z"), mark=value),
                    FormulaItem(id="g", columns=(NamedFormula(name="x", formula=f"'{literal}'"),)),
                    FormulaItem(id="h", columns=(NamedFormula(name="y", formula=f"{literal} +"),)),
                )
            ),
            SetPromises("one-two", (Promised(what="found"), Promised(what="found", side="right"))),
            AddReport(
                Report(
                    id="",
                    name="Report",
                    at=Taken(lane="one"),
                    filters=(ReportFilter(column="z", is_="<>", values=(value,)),),
                )
            ),
        ):
            trellis, _ = apply(edit, trellis)
        results = self.runner.run(trellis)
        page = match_page(results, self.runner, PageOptions(with_values=False))
        told = str(list(account(results, with_values=False).rows()))
        for text in (page, told):
            self.assertNotIn("SECRET", text)
            self.assertNotIn("7.25", text)
        self.assertIn("SECRET", match_page(results, self.runner))

    def test_it_is_never_written_over_a_source(self) -> None:
        (budget,) = (lane for lane in self.results.trellis.lanes if lane.name == "Budget")
        source = Path(budget.source.place)
        before = source.read_bytes()
        with self.assertRaisesRegex(DeliveryError, "budget.xlsx, which Budget reads"):
            save_match_report(self.results, source, self.runner)
        self.assertEqual(source.read_bytes(), before)

    def test_the_way_from_a_total_to_its_source_names_each_part_with_its_rows(self) -> None:
        page = " ".join(match_page(self.results, self.runner).split())
        for says in (
            "the report Season report: 1,209 rows",
            "with Warnings: 1,209 rows",
            "with Routes: 1,209 rows",
            "Sailings, operations.ods › Sailings: 1,209 rows",
        ):
            self.assertIn(says, page)

    def test_of_a_long_report_the_first_lines_are_shown_and_that_of_all_rows(self) -> None:
        trellis = load(DEMO)
        by_sailing = trellis.reports[0].but(
            groups=({"column": "sailing"},), picture="none", top=None
        )
        results = self.runner.run(apply(SetReport(by_sailing), trellis)[0])
        page = match_page(results, self.runner)
        self.assertIn("the first 199 of 1,210 lines, and that of all rows", page)
        table = page[page.index("the first 199 of") :]
        table = table[: table.index("</table>")]
        self.assertEqual(table.count("<tr"), 201)  # with the heads
        self.assertIn(">all<", table)

    def test_what_changed_since_a_run_before_is_said(self) -> None:
        before = Snapshot(
            {"routes": LaneSnapshot("Routes", 20, {}, ("harbour.sqlite",))},
            {"sailings-routes": TieSnapshot("Sailings + Routes", 1_000, 900, 1_000)},
            "2026-10-31 06:30",
        )
        page = match_page(self.results, self.runner, PageOptions(), before)
        self.assertIn("Compared with the run of 2026-10-31 06:30", page)
        self.assertIn("Routes: 20 rows before, 23 now", page)
        self.assertIn("1,207 of 1,209 rows found, 900 of 1,000 before", page)

    def test_only_the_rows_and_columns_that_are_wanted_are_shown(self) -> None:
        wished = PageOptions(rows=1, columns=("sailing", "route"))
        page = match_page(self.results, self.runner, wished)
        self.assertIn("The first 1 of 2 rows of Sailings without Routes", page)
        self.assertIn("S-0871", page)
        self.assertNotIn("S-1120", page)
        self.assertNotIn("which was to be shown", page)
        misspelt = match_page(self.results, self.runner, PageOptions(columns=("rout", "vesel")))
        self.assertIn("No row without a partner has “rout” and “vesel”", misspelt)
        self.assertNotIn("S-0871", misspelt)  # the link fields alone, not what was not chosen
        none = match_page(self.results, self.runner, PageOptions(rows=0))
        self.assertNotIn("S-0871", none)
