"""The picture of a report shows its lines and nothing else, and comes out the same each time."""

import itertools
import re
import unittest
from typing import Any

from keen_trellis.data import Table
from keen_trellis.document.reports import PICTURES_OF, Report
from keen_trellis.report.pictures import Drawn, Look, can_be_drawn, drawn, written
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

    def test_every_mark_stands_where_its_figure_says(self) -> None:
        """A picture is read by heights: ten riders are as tall everywhere, from the same zero."""
        for picture in ("bars", "stacked bars", "points", "lines"):
            with self.subTest(picture=picture):
                boxes = self.boxes(picture, "zone")
                inner, outer, blank = (boxes[name] for name in ("Inner", "Outer", "blank"))
                ten = (outer[1] - inner[1]) / 2  # Inner has 40, Outer 20 and the blank -5
                self.assertGreater(ten, 5)
                if picture in ("points", "lines"):
                    self.assertAlmostEqual(blank[1] - outer[1], 2.5 * ten, delta=0.01)
                    middles = [(one[0] + one[2]) / 2 for one in (inner, outer, blank)]
                    self.assertAlmostEqual(middles[2] - middles[1], middles[1] - middles[0])
                    continue
                for box, tens in ((inner, 4), (outer, 2), (blank, 0.5)):
                    self.assertAlmostEqual(box[3] - box[1], tens * ten, delta=0.01)
                self.assertAlmostEqual(inner[3], blank[1])  # below zero hangs down
                widths = {round(one[2] - one[0], 6) for one in boxes.values()}
                self.assertEqual(len(widths), 1)
                self.assertTrue(inner[2] < outer[0] and outer[2] < blank[0])

    def test_a_bar_of_nothing_can_be_pointed_at(self) -> None:
        columns = {"zone": ["a", "b", "c"], "riders": [900_000, 0, 1]}
        boxes = self.boxes("bars", "zone", table=Table.from_columns(columns))
        self.assertAlmostEqual(boxes["b"][2] - boxes["b"][0], boxes["a"][2] - boxes["a"][0])
        self.assertAlmostEqual((boxes["b"][1] + boxes["b"][3]) / 2, boxes["a"][3])
        self.assertEqual({round(boxes[one][3] - boxes[one][1]) for one in "bc"}, {6})

    def test_figures_stand_in_the_cells_of_heat_where_there_is_room(self) -> None:
        for n, has_room in ((3, True), (40, False)):
            columns = {"zone": [f"z{one}" for one in range(n)], "riders": [1_234_567] * n}
            found = worked_out("heat", "zone", table=Table.from_columns(columns))
            told = written(found, LOOK, "svg", 700, 400).decode()
            self.assertEqual(told.count(">1,234,567<"), n if has_room else 0)

    def test_bars_of_one_group_stand_beside_each_other_or_on_each_other(self) -> None:
        columns = {"a": ["x"] * 4, "b": ["1", "2", "3", "4"], "riders": [10, 30, -20, -10]}
        table = Table.from_columns(columns)
        beside = self.boxes("bars", "a", "b", table=table)
        by_place = sorted(beside.values())
        self.assertEqual(by_place, [beside[f"x · {n}"] for n in range(1, 5)])
        self.assertTrue(all(a[2] < b[0] for a, b in itertools.pairwise(by_place)))
        one, two, three, four = (
            self.boxes("stacked bars", "a", "b", table=table)[f"x · {n}"] for n in range(1, 5)
        )
        self.assertEqual({box[0] for box in (one, two, three, four)}, {one[0]})
        for upper, lower in ((two, one), (one, three), (three, four)):
            self.assertAlmostEqual(upper[3], lower[1])

    def test_heat_is_a_grid_that_is_deeper_where_more_is(self) -> None:
        boxes = self.boxes("heat", "vessel", "zone")
        across, down = boxes["Tern · Inner"], boxes["Dunlin · Inner"]
        self.assertEqual(across[1::2], down[1::2])  # a row a zone, a column a vessel
        self.assertTrue(down[2] < across[0] and across[3] < boxes["Tern · Outer"][1])
        made = drawn(worked_out("heat", "vessel", "zone"), LOOK, 640, 400)
        corner = {mark.words.split(":")[0]: self.inside(made, mark.box) for mark in made.marks}
        self.assertEqual(corner["Dunlin · Inner"], (0x2C, 0x7A, 0x5B))  # the most
        self.assertEqual(corner["Tern · blank"], (0xDD, 0xD9, 0xCE))  # the least
        self.assertTrue(0x2C < corner["Tern · Outer"][0] < corner["Tern · Inner"][0] < 0xDD)
        alike = Table.from_columns({"zone": ["a", "b"], "riders": [7, 7]})
        flat = drawn(worked_out("heat", "zone", table=alike), LOOK, 300, 200)
        self.assertEqual(len({self.inside(flat, mark.box) for mark in flat.marks}), 1)

    def test_what_there_is_no_room_for_is_counted(self) -> None:
        def note(groups: int, series: int) -> str:
            pairs = [(f"{g:03}", f"{s:02}") for g in range(groups) for s in range(series)]
            columns = {"a": [a for a, _ in pairs], "b": [b for _, b in pairs]}
            table = Table.from_columns(columns | {"riders": [*range(len(pairs))]})
            made = drawn(worked_out("bars", "a", "b", table=table), LOOK, 900, 500)
            self.assertEqual(len(made.marks), min(groups, 40) * min(series, 10))
            return made.note

        self.assertEqual(note(40, 10), "")
        self.assertEqual(note(41, 10), "The first 40 of 41 groups are drawn.")
        self.assertEqual(note(2, 11), "The first 10 of 11 series are drawn.")
        both = "The first 40 of 42 groups are drawn. The first 10 of 12 series are drawn."
        self.assertEqual(note(42, 12), both)

    def test_the_axis_has_as_many_digits_as_its_steps(self) -> None:
        for riders, ticks in (
            ([10, 30], ["0", "10", "20", "30"]),
            ([0.001, -0.002], ["-0.002", "-0.001", "0.000", "0.001"]),
            ([-4000, 3000], ["-4,000", "-2,000", "0", "2,000"]),
        ):
            table = Table.from_columns({"zone": ["a", "b"], "riders": riders})
            told = written(worked_out("bars", "zone", table=table), LOOK, "svg").decode()
            words = re.findall(r">([^<>]*[0-9][^<>]*)</text>", told)
            self.assertEqual(words, ticks)

    def boxes(self, picture: str, *groups: str, **more: Any) -> dict[str, Any]:
        """Where each line of a report stands in its picture, by its groups."""
        made = drawn(worked_out(picture, *groups, **more), LOOK, 640, 400)
        return {mark.words.split(":")[0]: mark.box for mark in made.marks}

    def inside(self, made: Drawn, box: tuple[float, ...]) -> tuple[int, ...]:
        """Return the colour near the corner of a mark."""
        at = (int(box[1] + 4) * made.width + int(box[0] + 4)) * 4
        return tuple(made.pixels[at : at + 3])

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

    def test_a_name_is_drawn_as_it_is(self) -> None:
        columns = {"zone": ["$5 to $9", "a_b^c", "<&>"], "riders": [1, 2, 3]}
        told = written(worked_out("bars", "zone", table=Table.from_columns(columns)), LOOK, "svg")
        for name in ("$5 to $9", "a_b^c", "&lt;&amp;&gt;"):
            self.assertIn(f">{name}<", told.decode())

    def test_without_groups_or_numbers_there_is_nothing_to_draw(self) -> None:
        self.assertFalse(can_be_drawn(worked_out("bars")))
        self.assertFalse(
            can_be_drawn(worked_out("bars", "zone", figures=({"column": "vessel", "how": "min"},)))
        )
