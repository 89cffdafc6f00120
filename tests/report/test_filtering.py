"""A filter of a report reaches the sources, then ties and blends are made; and it says whom not."""

import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from keen_trellis.base.errors import UserError
from keen_trellis.data import GAP, Kind
from keen_trellis.document import Lane, Trellis
from keen_trellis.document.reports import Report, ReportFilter
from keen_trellis.document.sources import LaneSource, TypedSource
from keen_trellis.report.report_rows import WorkedOut, worked_out
from keen_trellis.run import Runner
from tests.postgres_case import PostgresTestCase

NUMBERS = {"n": Kind.INTEGER, "amount": Kind.INTEGER}
AMOUNTS = st.integers(-9, 9)
KEYS = st.sampled_from(["a", "A", "B", ""])
SAILINGS = (("jan", "KP", "3"), ("jan", "ZZ", "4"), ("feb", "KP", "5"), ("feb", "GH", "6"))
TAKINGS = (("jan", "10"), ("jan", "20"), ("feb", "40"), ("mar", "80"))
ROUTES = (("KP", "Inner"), ("GH", "Outer"))


def lane(name: str, columns: str, rows: Any, items: Any = ()) -> Lane:
    names = tuple(columns.split())
    kinds = {column: kind for column, kind in NUMBERS.items() if column in names}
    source = TypedSource(columns=names, rows=rows, kinds=kinds)
    return Lane(id=name.lower(), name=name, source=source, items=items)


def join(other: str, left: str, right: str, **settings: Any) -> dict[str, Any]:
    link = ({"left": left, "right": right},)
    keep = ("left", "both")
    return {"type": "join", "id": f"with-{other}", "lane": other, "link": link, "keep": keep} | (
        settings
    )


def season(*items: Any, more: tuple[Lane, ...] = ()) -> Trellis:
    return Trellis(
        lanes=(
            lane("Sailings", "month route n", SAILINGS, items),
            lane("Routes", "code zone", ROUTES),
            lane("Takings", "month amount", TAKINGS),
            *more,
        )
    )


BLEND = {
    "type": "blend",
    "id": "blend",
    "fields": ("month",),
    "figures": ({"column": "n"},),
    "lanes": ({"lane": "takings", "fields": ("month",), "figures": ({"column": "amount"},)},),
}


class FiltersReachSources(unittest.TestCase):
    def worked_out(self, trellis: Trellis, *filters: ReportFilter, **settings: Any) -> WorkedOut:
        runner = Runner()
        results = runner.run(trellis)
        self.assertEqual(results.errors(), [])
        made = Report(id="r", name="R", at={"lane": "sailings"}, filters=filters, **settings)
        return worked_out(results, made, runner)

    def lines(self, found: WorkedOut) -> list[tuple[Any, ...]]:
        return [(*(c.text for c in x.groups), *x.figures) for x in found.summed.lines]

    def test_both_lanes_of_a_blend_are_filtered_before_they_are_added_up(self) -> None:
        """Else the takings would stay whole beside the sailings of one month."""
        found = self.worked_out(
            season(BLEND),
            ReportFilter(column="month", is_="=", values=("jan",)),
            figures=({"column": "sum of n"}, {"column": "sum of amount"}),
        )
        self.assertEqual(self.lines(found), [(7, 30)])
        self.assertEqual(found.reaches[0].sentence(), "reaches Sailings and Takings")

    def test_a_filter_on_a_link_field_goes_up_both_sides_of_a_join(self) -> None:
        summarise = {"type": "summarise", "id": "sum", "by": ("month",)}
        takings = lane("Takings", "month amount", TAKINGS, (summarise,))
        trellis = season(join("takings", "month", "month", keep=("left", "both", "right")))
        trellis = trellis.model_copy(update={"lanes": (*trellis.lanes[:2], takings)})
        found = self.worked_out(
            trellis,
            ReportFilter(column="month", is_="in", values=("jan", "mar")),
            groups=({"column": "month"},),
            figures=({"how": "count"},),
        )
        self.assertEqual(self.lines(found), [("jan", 2), ("mar", 1), (3,)])
        self.assertEqual(found.reaches[0].sentence(), "reaches Sailings and Takings")

    def test_what_a_looked_up_column_leaves_out_goes_with_its_partner(self) -> None:
        trellis = season(join("routes", "route", "code"))
        one = ReportFilter(column="zone", is_="=", values=("Inner",))
        found = self.worked_out(trellis, one, figures=({"column": "n"},))
        self.assertEqual(self.lines(found), [(8,)])
        self.assertEqual(found.reaches[0].sentence(), "reaches Routes, and Sailings through a tie")
        with_gaps = self.worked_out(
            trellis,
            one.but(no_match=True),
            groups=({"column": "zone"},),
            figures=({"column": "n"},),
        )
        self.assertEqual(self.lines(with_gaps), [("Inner", 8), ("no match", 4), (12,)])

    def test_a_value_that_a_step_works_out_is_filtered_behind_it(self) -> None:
        tidy = {"type": "tidy", "id": "tidy", "columns": ("route",), "letters": "small letters"}
        one = ReportFilter(column="route", is_="=", values=("kp",))
        found = self.worked_out(season(tidy), one, figures=({"column": "n"},))
        self.assertEqual(self.lines(found), [(8,)])

    def test_a_figure_called_as_what_it_is_made_of_is_filtered_behind_it(self) -> None:
        """Before it, rows would be left out that the figure is made of."""
        most = {"column": "n", "how": "max", "name": "n"}
        for item, wanted in (
            ({"type": "summarise", "id": "x", "by": ("month",), "figures": (most,)}, []),
            ({**BLEND, "id": "x", "figures": (most,)}, []),
            (
                {"type": "unpivot", "id": "x", "columns": ("n", "m"), "value": "n", "name": "of"},
                [("KP", 3), ("ZZ", 3), (6,)],
            ),
            (
                {"type": "pivot", "id": "x", "field": "route", "values": ("n",), "by": ("month",)},
                [],
            ),
        ):
            with self.subTest(item["type"]):
                rows = [(*row, "3") if row[1] == "ZZ" else (*row, "1") for row in SAILINGS]
                own = lane("Sailings", "month route n m", rows, (item,))
                own = own.but(source=own.source.but(kinds={**NUMBERS, "m": Kind.INTEGER}))
                trellis = Trellis(lanes=(own, *season().lanes[1:]))
                asked = {"groups": ({"column": "route"},)} if item["type"] == "unpivot" else {}
                figures = ({"column": "n"},)
                one = ReportFilter(column="n", is_="=", values=("3",))
                found = self.worked_out(trellis, one, figures=figures, **asked)
                lines = [line for line in self.lines(found) if line != (None,)]
                self.assertEqual(lines, wanted)

    def test_a_link_that_ignores_case_or_has_pairs_is_filtered_on_its_own_side_alone(self) -> None:
        """On the other side the same value may be written otherwise."""
        for loose in ({"text": ("case",)}, {"pairs": ({"left": "ZZ", "right": "GH"},)}):
            trellis = season(join("routes", "route", "code", **loose))
            one = ReportFilter(column="route", is_="=", values=("ZZ",))
            found = self.worked_out(trellis, one, groups=({"column": "zone"},))
            paired = "pairs" in loose
            self.assertEqual(
                found.summed.lines[0].groups[0].text, "Outer" if paired else "no match"
            )
            self.assertEqual(found.reaches[0].sentence(), "reaches Sailings · not Routes")

    def test_of_a_lane_in_two_roles_only_the_role_that_is_filtered_is(self) -> None:
        others = Lane(
            id="others", name="Others", source=LaneSource(lane="sailings", after="sailings")
        )
        trellis = season(join("others", "route", "route", keep=("both",)), more=(others,))
        one = ReportFilter(column="n", is_="=", values=("3",))
        found = self.worked_out(trellis, one, figures=({"how": "count"},))
        self.assertEqual(self.lines(found), [(2,)])  # the first KP sailing with both
        tidy = {"type": "tidy", "id": "tidy", "columns": ("route",)}
        later = others.but(source=LaneSource(lane="sailings", after="tidy"))
        trellis = season(tidy, join("others", "route", "route", keep=("both",)), more=(later,))
        found = self.worked_out(trellis, one, figures=({"how": "count"},))
        self.assertEqual(self.lines(found), [(2,)])

    def test_a_column_that_was_added_up_is_filtered_where_it_was_and_nowhere_else(self) -> None:
        """A date range reaches who has the date, though a blend shows months alone."""
        found = self.worked_out(
            season(BLEND),
            ReportFilter(column="route", is_="=", values=("KP",)),
            figures=({"column": "sum of n"}, {"column": "sum of amount"}),
        )
        self.assertEqual(self.lines(found), [(8, 150)])
        self.assertEqual(found.reaches[0].sentence(), "reaches Sailings · not Takings")

    def test_filters_of_several_columns_hold_together_and_a_gone_column_is_said(self) -> None:
        trellis = season(join("routes", "route", "code"))
        filters = (
            ReportFilter(column="month", is_="=", values=("feb",)),
            ReportFilter(column="zone", is_="=", values=("Outer",)),
        )
        found = self.worked_out(trellis, *filters, figures=({"column": "n"},))
        self.assertEqual(self.lines(found), [(6,)])
        with self.assertRaisesRegex(UserError, "harbour"):
            self.worked_out(trellis, ReportFilter(column="harbour", is_="is blank"))

    @settings(max_examples=120)
    @given(
        st.lists(st.tuples(KEYS, KEYS), max_size=7),
        st.lists(st.tuples(KEYS, KEYS), max_size=7),
        st.lists(st.sampled_from(["left", "both", "right"]), min_size=1, unique=True),
        st.sampled_from(["key", "same", "own", "theirs"]),
        st.sampled_from([{}, {"text": ("case",)}, {"columns": {"same_named": "filled"}}]),
        st.booleans(),
    )
    def test_through_joins_alone_it_is_as_if_the_outcome_was_filtered(
        self, left: Any, right: Any, keep: Any, column: str, how: Any, no_match: bool
    ) -> None:
        keep = tuple(bay for bay in ("left", "both", "right") if bay in keep)
        lanes = (
            lane("Left", "key same own", [(a, b, b) for a, b in left]),
            lane("Right", "key same theirs", [(a, b, b) for a, b in right]),
        )
        tie = join("right", "key", "key", keep=keep, **how)
        trellis = Trellis(lanes=(lanes[0].but(items=(tie,)), lanes[1]))
        runner = Runner()
        results = runner.run(trellis)
        outcome = results.rows["with-right"]
        if isinstance(outcome, UserError) or column not in outcome.columns:
            return
        one = ReportFilter(column=column, is_="in", values=("a", "B"), no_match=no_match)
        made = Report(id="r", name="R", at={"lane": "left"}, filters=(one,))
        found = worked_out(results, made, runner).summed.rows
        cells = outcome.column(column)
        wanted = [
            row
            for row, values in enumerate(cells.to_list())
            if values in ("a", "B")
            or (no_match and cells.state is not None and cells.state[row] == GAP)
        ]
        expected = outcome.take(np.array(wanted, np.intp))
        self.assertEqual(
            sorted(map(repr, found.rows())), sorted(map(repr, expected.rows())), (tie, one)
        )


class FiltersInPostgres(PostgresTestCase):
    """What a filter leaves of a blend is what the server blends of filtered rows."""

    ROWS = st.lists(
        st.tuples(st.sampled_from(["jan", "feb", ""]), st.sampled_from(["x", "y", ""]), AMOUNTS),
        max_size=8,
    )

    @settings(max_examples=50)
    @given(
        ROWS,
        ROWS,
        st.sampled_from([("month", "="), ("kind", "="), ("kind", "<>"), ("month", "is blank")]),
    )
    def test_blended_by_month(self, first: Any, second: Any, asked: Any) -> None:
        column, test = asked
        shared = column == "month"
        lanes = (
            lane("First", "month kind n", [(a, b, str(n)) for a, b, n in first]),
            lane("Second", "month sort amount", [(a, b, str(n)) for a, b, n in second]),
        )
        blend = {
            "type": "blend",
            "id": "blend",
            "fields": ("month",),
            "figures": ({"column": "n"}, {"column": "n", "how": "count"}),
            "lanes": (
                {"lane": "second", "fields": ("month",), "figures": ({"column": "amount"},)},
            ),
        }
        trellis = Trellis(lanes=(lanes[0].but(items=(blend,)), lanes[1]))
        runner = Runner()
        results = runner.run(trellis)
        values = () if test == "is blank" else ("jan" if shared else "x",)
        one = ReportFilter(column=column, is_=test, values=values)
        made = Report(
            id="r",
            name="R",
            at={"lane": "first"},
            groups=({"column": "month"},),
            figures=({"column": "sum of n"}, {"column": "sum of amount"}),
            filters=(one,),
        )
        found = worked_out(results, made, runner)
        names = "f", "s"
        for name, rows in zip(names, (first, second), strict=True):
            self.server.execute(f"create temp table {name} (month text, kind text, n bigint)")
            with self.server.cursor() as cursor:
                cells = [(a or None, b or None, n) for a, b, n in rows]
                cursor.executemany(f"insert into {name} values (%s, %s, %s)", cells)
        where = {
            "=": f"{column} = '{values[0] if values else ''}'",
            "is blank": f"{column} is null",
        }
        where["<>"] = f"{column} <> 'x'"
        whole = where[test] if shared else "true"
        told = self.server.execute(
            f"""select coalesce(month, 'blank'), a, b from
            (select coalesce(month, 'blank') as month, sum(n) as a from f where {where[test]}
             group by 1) f full join
            (select coalesce(month, 'blank') as month, sum(n) as b from s where {whole}
             group by 1) s using (month)"""
        ).fetchall()
        for name in names:
            self.server.execute(f"drop table {name}")
        lines = [(x.groups[0].text, *x.figures) for x in found.summed.full_lines]
        self.assertEqual(sorted(lines, key=str), sorted(told, key=str))
        self.assertEqual(found.reaches[0].whole, () if shared else ("Second",))
