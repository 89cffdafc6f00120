"""The picture of a report shows its lines and nothing else, and comes out the same each time."""

import unittest
from typing import Any

from keen_trellis.data import Table
from keen_trellis.document.reports import PICTURES_OF, Report
from keen_trellis.report.pictures import Look, can_be_drawn, drawn, written
from keen_trellis.report.summing import Summed, summed

LOOK = Look("#ffffff", "#20302b", "#5c6863", "#ddd9ce", ("#2c7a5b", "#8a4f9e"), "#8a4f9e")
TABLE = Table.from_columns(
    {
        "zone": ["Inner", "Inner", "Outer", None],
        "vessel": ["Tern", "Dunlin", "Tern", "Tern"],
        "riders": [10, 30, 20, -5],
    }
)


def worked_out(picture: str, *groups: str, table: Table = TABLE, **settings: Any) -> Summed:
    figures = {"figures": ({"column": "riders"},)} | settings
    named = tuple({"column": group} for group in groups)
    return summed(
        table,
        Report(id="r", name="R", at={"lane": "l"}, groups=named, picture=picture, **figures),
    )


class PicturesTest(unittest.TestCase):
    def test_every_picture_has_a_mark_for_each_line_within_its_bounds(self) -> None:
        for picture in PICTURES_OF:
            if picture == "none":
                continue
            for groups in (("vessel",), ("vessel", "zone")):
                with self.subTest(picture=picture, groups=groups):
                    found = worked_out(picture, *groups)
                    made = drawn(found, LOOK, 640, 400)
                    self.assertEqual(len(made.pixels), 640 * 400 * 4)
                    told = {mark.line.codes for mark in made.marks}
                    self.assertEqual(told, {line.codes for line in found.full_lines})
                    for mark in made.marks:
                        left, top, right, bottom = mark.box
                        self.assertTrue(0 <= left < right <= 640 and 0 <= top < bottom <= 400)

    def test_what_is_pointed_at_says_its_groups_and_its_figure(self) -> None:
        words = {mark.words for mark in drawn(worked_out("bars", "zone"), LOOK, 500, 300).marks}
        self.assertIn("Inner: 40 (sum of riders, 2 rows)", words)
        self.assertIn("blank: -5 (sum of riders, 1 row)", words)

    def test_a_group_whose_figure_is_blank_has_no_point_anywhere(self) -> None:
        columns = {"zone": ["a", "b", "c"], "riders": [1, None, 3]}
        for picture in ("lines", "points"):
            found = worked_out(picture, "zone", table=Table.from_columns(columns))
            words = [mark.words for mark in drawn(found, LOOK, 300, 200).marks]
            self.assertEqual(["a: 1", "c: 3"], [one.split(" (")[0] for one in words])

    def test_a_figure_that_no_axis_reaches_is_left_out_and_said(self) -> None:
        columns = {"zone": ["a", "b", "c"], "riders": [1.5, 1e308, float("inf")]}
        for picture in PICTURES_OF:
            if picture != "none":
                found = worked_out(picture, "zone", table=Table.from_columns(columns))
                says = "2 figures too large to be drawn."
                self.assertEqual(drawn(found, LOOK, 300, 200).note, says)
                self.assertIn(f">{says}<", written(found, LOOK, "svg").decode())  # kept with it

    def test_the_same_report_gives_the_same_file(self) -> None:
        for form in ("png", "svg"):
            files = [
                written(worked_out("stacked bars", "vessel", "zone"), LOOK, form) for _ in "ab"
            ]
            self.assertEqual(files[0], files[1])
        self.assertIn(b">Inner<", files[0])  # words stay words, to be searched for

    def test_without_groups_or_numbers_there_is_nothing_to_draw(self) -> None:
        self.assertFalse(can_be_drawn(worked_out("bars")))
        self.assertFalse(
            can_be_drawn(worked_out("bars", "zone", figures=({"column": "vessel", "how": "min"},)))
        )
