"""Whole pieces of work from an empty window, by clicks and keys; numbers are checked by SQL."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from contextlib import closing
from typing import Any
from unittest import mock

from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QAction, QDropEvent, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QLineEdit, QMenu, QPushButton, QWidget

from keen_trellis.compute.blending import Blend
from keen_trellis.compute.join_result import Tied
from keen_trellis.data import Table
from keen_trellis.desktop.adding.chooser import Chooser
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.document.items import Item
from tests.desktop.window_case import WindowTestCase

RIDES = (
    "ride,first,last,route,day,riders",
    "1,Ailsa,Orme,KP-MS,2026-01-05,40",
    "2,Bram,Udal,KP-BR,2026-01-05,12",
    "3,Ailsa,Voe,KP-MS,2026-01-06,7",
    "4,Corin,Tarn,MS-GH,2026-01-20,30",
    "5,Bram,Udal,KP-BR,2026-02-03,25",
    "6,Edda,Wick,GH-TO,2026-02-10,18",
    "7,Corin,Tarn,KP-MS,2026-02-11,9",
    "8,Greta,Rowan,BR-KP,2026-02-27,16",
    "9,Jory,Quill,XX-00,2026-03-01,3",
)
ROUTES = (
    "code,zone,minutes",
    "KP-MS,Inner,53",
    "KP-BR,Inner,40",
    "MS-GH,Outer,95",
    "GH-TO,Outer,120",
    "BR-KP,Inner,41",
    "TO-BR,Outer,130",
)
CREW = (
    "first,last,badge",
    "Ailsa,Orme,101",
    "Ailsa,Voe,102",
    "Bram,Udal,103",
    "Corin,Tarn,104",
    "Edda,Wick,105",
    "Greta,Rowan,106",
)
FARES = (
    "route,valid_from,fare",
    "KP-MS,2025-10-01,13.10",
    "KP-MS,2026-02-01,14.20",
    "KP-BR,2025-10-01,9.00",
    "KP-BR,2026-02-03,9.50",
    "GH-TO,2026-02-11,20.00",
)
TARGETS = ("route,month,target", "KP-MS,01,30", "KP-MS,02,20", "KP-BR,01,10", "TO-BR,01,5")
LEADERS = ("id,name,leader_id", "1,Ada,", "2,Bo,1", "3,Cy,1", "4,Di,3", "5,Eli,9")
FILES = {
    "rides": RIDES,
    "routes": ROUTES,
    "crew": CREW,
    "fares": FARES,
    "targets": TARGETS,
    "leaders": LEADERS,
}


class StoryTest(WindowTestCase):
    """Every story counts what one has to do: a drop, a drag, a key, a click, a word typed."""

    def setUp(self) -> None:
        super().setUp()
        self.actions = 0
        for name, lines in FILES.items():
            (self.folder / f"{name}.csv").write_text("\n".join(lines) + "\n")

    def act(self, do: Callable[..., Any], *arguments: Any) -> None:
        self.actions += 1
        do(*arguments)
        self.settle()

    def bring_in(self, *names: str) -> None:
        """Drop files on the window, and take each as it is read."""
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(self.folder / f"{name}.csv")) for name in names])
        copy, left = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton
        none = Qt.KeyboardModifier.NoModifier
        self.act(self.window.dropEvent, QDropEvent(QPointF(9, 9), copy, data, left, none))
        for _ in names:
            self.wait_until(lambda: self.window.findChild(Chooser) is not None)
            self.wait_until(self.find(QPushButton, "chooser.add").isEnabled)
            self.act(self.click, "chooser.add")
            self.wait_until(lambda: not self.session.work.busy)

    def drag(self, lane: str, onto: str) -> Item:
        """Drag a lane's end onto another lane, which ties them; return the tie."""
        shown = self.window.map.shown
        plus = next(plus for plus in shown.pluses if plus.lane == lane)
        head = next(head for head in shown.heads if head.lane == onto)
        self.act(self.drag_map, plus.box, head.box)
        item = self.session.selected_item
        assert item is not None
        return item

    def pick(self, menu: str, action: str) -> None:
        """Choose from an open menu."""
        popup = self.application.activePopupWidget()
        assert isinstance(popup, QMenu) and popup.objectName() == menu
        found = popup.findChild(QAction, action)
        popup.close()
        self.act(found.trigger)

    def tied(self) -> Tied:
        assert self.session.selected_item is not None
        given = self.session.results.given[self.session.selected_item.id]
        assert isinstance(given, Tied), given
        return given

    def sql(self, query: str) -> list[tuple[Any, ...]]:
        """Return what SQL says of the same files."""
        with closing(sqlite3.connect(":memory:")) as base:
            for name, (head, *rows) in FILES.items():
                names = head.split(",")
                base.execute(f"create table {name} ({', '.join(names)})")
                marks = ", ".join("?" * len(names))
                cells = [[cell or None for cell in row.split(",")] for row in rows]
                base.executemany(f"insert into {name} values ({marks})", cells)
            return base.execute(query).fetchall()

    def rows(self, *names: str) -> list[tuple[Any, ...]]:
        """Return some columns of what goes on from what is selected, as texts."""
        table = self.session.results.rows[self.session.selection]
        assert isinstance(table, Table)
        columns = [table.column(name).texts().to_pylist() for name in names]
        return list(zip(*columns, strict=True))

    def test_a_lookup_finds_eight_of_nine_and_shows_the_ninth(self) -> None:
        self.bring_in("rides", "routes")
        self.drag("rides", "routes")
        self.assertLessEqual(self.actions, 5)
        self.assertEqual(self.text("match.said.title"), "Left outer join.")
        self.assertEqual(self.tied().counts.left.found, 8)
        shown = self.find(Grid, "bay.left.grid").table_model
        self.assertEqual(shown.index(0, 0).data(), "9")
        expected = self.sql("select ride, zone from rides left join routes on route = code")
        self.assertCountEqual(self.rows("ride", "zone"), expected)

    def test_a_right_outer_join_needs_no_swapped_tables_and_full_anti_one_go(self) -> None:
        self.bring_in("rides", "routes")
        self.drag("rides", "routes")
        before = self.actions
        self.act(self.trigger, "tie.toggle_right")
        self.act(self.trigger, "tie.toggle_both")
        self.assertLessEqual(self.actions, 6)
        self.assertEqual(self.text("match.said.title"), "Full anti join.")
        expected = self.sql(
            "select ride, code from rides full join routes on route = code "
            "where ride is null or code is null"
        )
        table = self.tied().outcome
        self.assertEqual(len(table), len(expected))
        self.assertEqual(self.rows("ride", "route"), [("9", "XX-00"), (None, "TO-BR")])
        self.act(self.trigger, "tie.toggle_both")
        self.act(self.trigger, "tie.toggle_left")
        self.assertEqual(self.text("match.said.title"), "Right outer join.")
        self.assertLessEqual(self.actions - before, 4)
        expected = self.sql("select ride, zone from rides right join routes on route = code")
        self.assertCountEqual(self.rows("ride", "zone"), expected)

    def test_one_name_alone_brings_the_wrong_person_and_two_the_right_one(self) -> None:
        self.bring_in("rides", "crew")
        self.drag("rides", "crew")
        if len(self.session.selected_item.link) == 1:  # type: ignore[union-attr]
            self.act(self.click, "link.add")
        link = [(f.left, f.right) for f in self.session.selected_item.link]  # type: ignore[union-attr]
        self.assertCountEqual(link, [("first", "first"), ("last", "last")])
        self.assertLessEqual(self.actions, 7)
        self.assertEqual(self.tied().counts.left.multiplied, 0)
        expected = self.sql("select ride, badge from rides left join crew using (first, last)")
        self.assertCountEqual(self.rows("ride", "badge"), expected)
        self.act(self.click, f"link.{link.index(('last', 'last'))}.remove")
        self.assertGreater(self.tied().counts.left.multiplied, 0)
        self.assertIn("more than once", self.text("match.said.words"))

    def test_people_and_who_leads_them_are_one_table_twice(self) -> None:
        self.bring_in("leaders")
        self.act(self.trigger, "lane.again")
        own, other = (lane.id for lane in self.session.trellis.lanes)
        self.drag(own, other)
        field = self.session.selected_item.link[0]  # type: ignore[union-attr]
        self.assertEqual((field.left, field.right), ("leader_id", "id"))
        name = self.session.trellis.lane(other).name
        expected = self.sql(
            "select a.name, b.name from leaders a left join leaders b on a.leader_id = b.id"
        )
        self.assertCountEqual(self.rows("name", f"name ({name})"), expected)

    def test_the_fare_of_the_day_and_a_range(self) -> None:
        self.bring_in("rides", "fares")
        self.drag("rides", "fares")
        self.act(self.click, "link.add")
        self.choose("link.1.left", "day")
        self.choose("link.1.right", "valid_from")
        self.choose("link.1.operator", "nearest earlier")
        expected = self.sql(
            "select ride, (select fare from fares f where f.route = r.route and "
            "f.valid_from <= r.day order by f.valid_from desc limit 1) from rides r"
        )
        self.assertCountEqual(self.rows("ride", "fare"), expected)
        self.choose("link.1.operator", ">=")
        expected = self.sql(
            "select ride, fare from rides r left join fares f "
            "on f.route = r.route and r.day >= f.valid_from"
        )
        self.assertCountEqual(self.rows("ride", "fare"), expected)

    def test_two_grains_are_blended_and_a_filter_reaches_one_of_them(self) -> None:
        self.bring_in("rides", "targets")
        self.session.select("rides")
        self.act(self.trigger, "lane.blend")
        self.pick("blend.menu", "blend.with.targets")
        blended = self.session.results.given[self.session.selection]
        assert isinstance(blended, Blend)
        expected = self.sql(
            "with r as (select route, sum(riders) n from rides group by route), "
            "t as (select route, sum(target) n from targets group by route) "
            "select coalesce(r.route, t.route), r.n, t.n from r full join t using (route)"
        )
        columns = self.session.results.rows[self.session.selection].columns  # type: ignore[union-attr]
        self.assertEqual(columns[:2], ("route", "sum of riders"))
        shown = [
            (a, *(None if x is None else int(x) for x in rest))
            for a, *rest in self.rows("route", "sum of riders", "sum of target")
        ]
        self.assertCountEqual(shown, expected)
        self.act(self.choose, "blend.filter.add", "month")
        self.act(self.choose, "blend.filter.0.test", "=")
        self.assertLessEqual(self.actions, 8)
        self.assertIn("reaches targets; rides stays whole", self.text("blend.said").lower())
        field = self.find(QLineEdit, "blend.filter.0.value.0")
        self.assertEqual(field.text(), "01")
        january = self.sql("select sum(target) from targets where month = '01'")[0][0]
        total = next(t for t in self.given_blend().totals if t.figure == "target")
        self.assertEqual(int(total.before), january)

    def given_blend(self) -> Blend:
        given = self.session.results.given[self.session.selection]
        assert isinstance(given, Blend)
        return given

    def test_the_first_word_makes_a_join_a_blend_or_a_stack_and_back(self) -> None:
        self.bring_in("rides", "targets")
        tie = self.drag("rides", "targets")
        self.act(self.choose, "tie.kind", "blend")
        self.assertEqual(self.session.trellis.item(tie.id).type, "blend")
        self.assertIn("rows become", self.text("blend.said"))
        self.act(self.choose, "tie.kind", "stack")
        self.assertEqual(len(self.rows("route")), 13)
        self.act(self.choose, "tie.kind", "join")
        self.act(self.trigger, "edit.undo")
        self.act(self.trigger, "edit.undo")
        self.act(self.trigger, "edit.undo")
        self.assertEqual(self.session.trellis.item(tie.id), tie)

    def test_the_lane_one_starts_from_goes_on_and_the_sides_are_swapped(self) -> None:
        self.bring_in("rides", "routes")
        tie = self.drag("rides", "routes")
        self.assertEqual(self.session.trellis.place_of(tie.id)[0].id, "rides")
        counts = self.tied().counts
        self.act(self.trigger, "tie.swap")
        self.assertEqual(self.text("bench.title"), "Routes + Rides")
        self.assertEqual(self.text("match.said.title"), "Right outer join.")
        self.assertEqual(self.tied().counts.right, counts.left)
        expected = self.sql("select ride, zone from rides left join routes on route = code")
        self.assertCountEqual(self.rows("ride", "zone"), expected)

    def test_what_was_left_is_mended_on_a_lane_of_its_own_and_brought_back(self) -> None:
        self.bring_in("rides", "routes")
        self.drag("rides", "routes")
        self.act(self.trigger, "tie.toggle_left")
        self.assertEqual(len(self.rows("ride")), 8)
        self.act(self.trigger, "tie.lane_left")
        spilled = self.session.selection
        self.assertEqual([row[0] for row in self.rows("ride")], ["9"])
        self.session.select("rides")
        self.act(self.trigger, "lane.stack")
        self.pick("stack.menu", f"stack.with.{spilled}")
        self.assertCountEqual([int(row[0]) for row in self.rows("ride")], range(1, 10))

    def test_a_lane_used_by_three_ties_gives_each_the_rows_it_had(self) -> None:
        self.bring_in("rides", "routes", "targets", "fares")
        self.drag("rides", "routes")
        counts = {self.session.selection: self.tied().counts}
        for lane in ("targets", "fares"):
            self.session.select(lane)
            self.act(self.trigger, "lane.tie")
            self.pick("tie.menu", "tie.with.routes")
            counts[self.session.selection] = self.tied().counts
        self.session.select("routes")
        self.trigger("step.filter")
        self.choose("filter.add", "zone")
        self.choose("filter.0.test", "=")
        for tie, before in counts.items():
            given = self.session.results.given[tie]
            assert isinstance(given, Tied)
            self.assertEqual(given.counts, before, tie)

    def test_a_natural_join_takes_all_common_names_and_is_refused_without_any(self) -> None:
        self.bring_in("rides", "crew", "routes")
        self.drag("rides", "crew")
        self.act(self.trigger, "tie.natural")
        link = [(f.left, f.right) for f in self.session.selected_item.link]  # type: ignore[union-attr]
        self.assertEqual(link, [("first", "first"), ("last", "last")])
        expected = self.sql("select ride, badge from rides natural left join crew")
        self.assertCountEqual(self.rows("ride", "badge"), expected)
        self.drag("rides", "routes")
        kept = self.session.trellis
        self.act(self.trigger, "tie.natural")
        self.assertIn("no column of one name", self.text("bench.notice.text"))
        self.assertIs(self.session.trellis, kept)

    def test_each_way_to_compare_texts_says_how_many_more_rows_it_finds(self) -> None:
        (self.folder / "rides.csv").write_text("ride,route\n1, kp-ms\n2,KP-BR\n3,kp-br\n4,MS.GH\n")
        self.bring_in("rides", "routes")
        self.drag("rides", "routes")
        button = self.find(QPushButton, "link.text")
        menu = button.menu()
        menu.aboutToShow.emit()
        told = [action.text() for action in menu.actions()]
        self.assertIn("ignoring case\t+1", told)
        self.assertIn("ignoring case and spaces\t+2", told)
        self.choose("link.text", "ignoring case and spaces")
        self.assertEqual(self.tied().counts.left.found, 3)

    def test_the_lane_below_the_pointer_says_what_would_link_it_and_how_much_is_found(self) -> None:
        self.bring_in("rides", "routes")
        shown = self.window.map.shown
        plus = next(plus for plus in shown.pluses if plus.lane == "rides")
        head = next(head for head in shown.heads if head.lane == "routes")
        viewport, left = self.window.map.viewport(), Qt.MouseButton.LeftButton
        start, end = self.on_map(plus.box), self.on_map(head.box)
        QTest.mousePress(viewport, left, pos=start)
        for place in (start + (end - start) / 2, end):
            QTest.mouseMove(viewport, place)
            QApplication.sendEvent(
                viewport,
                QMouseEvent(
                    QEvent.Type.MouseMove,
                    QPointF(place),
                    QPointF(viewport.mapToGlobal(place)),
                    Qt.MouseButton.NoButton,
                    left,
                    Qt.KeyboardModifier.NoModifier,
                ),
            )
        self.wait_until(lambda: bool(self.window.map.said_while_dragging()))
        self.settle()
        said = self.window.map.said_while_dragging()
        self.assertEqual(said, "Tie Rides with Routes: route = code, 83% of the values found")
        QTest.mouseRelease(viewport, left, pos=end)
        self.settle()

    def test_ten_lanes_are_seen_at_once_and_the_map_becomes_a_picture(self) -> None:
        for number in range(5):
            self.bring_in("rides", "routes")
            lanes = [lane.id for lane in self.session.trellis.lanes]
            self.drag(lanes[2 * number], lanes[2 * number + 1])
        self.window.resize(1280, 800)
        self.settle()
        seen = self.window.map.viewport().height()
        heads = self.window.map.shown.heads
        self.assertEqual(len(heads), 10)
        self.assertLessEqual(max(self.window.map.to_screen(h.box).bottom() for h in heads), seen)
        for ending, begins in ((".svg", b"<?xml"), (".png", b"\x89PNG")):
            path = self.folder / f"map{ending}"
            with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
                self.trigger("view.save_map")
            self.assertTrue(path.read_bytes().startswith(begins))
        wrong = (str(self.folder / "map.gif"), "")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=wrong):
            self.trigger("view.save_map")
        self.assertIn("ends in .svg or .png", self.text("bench.notice.text"))
        self.assertTrue(self.find(QWidget, "map.overview").isHidden())
        self.window.resize(1100, 700)
        self.settle()
        overview = self.find(QWidget, "map.overview")
        self.assertTrue(overview.isVisible())
        low = QPoint(overview.width() // 2, overview.height() - 4)
        QTest.mouseClick(overview, Qt.MouseButton.LeftButton, pos=low)
        bar = self.window.map.verticalScrollBar()
        self.assertEqual(bar.value(), bar.maximum())
        self.session.select(heads[0].lane)
        alt = Qt.KeyboardModifier.AltModifier
        QTest.keyClick(self.window.map, Qt.Key.Key_Down, alt)
        self.settle()
        self.assertEqual(self.session.trellis.lanes[1].id, heads[0].lane)
