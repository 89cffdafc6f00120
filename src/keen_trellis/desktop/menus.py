"""What is offered at a lane's end, and at whatever is selected."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu, QWidget

from keen_trellis.base.language import marked, tr
from keen_trellis.desktop.map.map_view import MapView
from keen_trellis.desktop.parts import VIEWS
from keen_trellis.desktop.picker import Pick, Picker
from keen_trellis.desktop.session import Session
from keen_trellis.document import edits
from keen_trellis.document.items import StepItem


class Menus:
    """Menus of actions and of lanes, opened on the map.

    Parameters
    ----------
    session, map_
    action : callable
        Takes an id and returns the action.
    at_end : sequence of str
        The ids of the actions that add something to a lane.
    parent : QWidget
    """

    def __init__(
        self,
        session: Session,
        map_: MapView,
        action: Callable[[str], QAction],
        at_end: Sequence[str],
        parent: QWidget,
    ) -> None:
        self._session, self._map, self._action = session, map_, action
        self._at_end_ids, self._parent = at_end, parent

    def offer_places(self, below: QWidget) -> None:
        """Offer the places where the trellis can run, and to name another one."""
        session = self._session
        menu = QMenu(self._parent)
        menu.setObjectName("places")
        now = session.elsewhere.place
        here = menu.addAction(tr("This machine"), lambda: session.elsewhere.choose(""))
        here.setCheckable(True)
        here.setChecked(now is None)
        for place in session.trellis.places:
            text = f"{place.name}\t{place.at.label}".replace("&", "&&")
            action = menu.addAction(text, partial(session.elsewhere.choose, place.name))
            action.setCheckable(True)
            action.setChecked(place == now)
        menu.addSeparator()
        menu.addAction(tr("Add a place …"), self.add_place)
        for place in session.trellis.places:
            words = tr("Forget “{place}”", place=place.name).replace("&", "&&")
            menu.addAction(words, partial(self._forget_place, place.name))
        menu.popup(below.mapToGlobal(below.rect().bottomLeft()))

    def add_place(self) -> None:
        """Ask for a place to run at, and go there."""
        from keen_trellis.desktop.place.place_dialog import PlaceDialog

        asking = PlaceDialog(self._session.secrets, self._parent)
        asking.exec()
        if asking.place is not None and self._session.do(edits.SetPlace(asking.place)):
            self._session.elsewhere.choose(asking.place.name)

    def _forget_place(self, name: str) -> None:
        now = self._session.elsewhere.place
        if now is not None and now.name == name:
            self._session.elsewhere.choose("")
        self._session.do(edits.RemovePlace(name))

    def offer_items(self, lane_id: str, at: QPoint) -> None:
        """Offer what can be added at a lane's end."""
        self._session.select(lane_id)
        menu = self._tie_menu()
        menu.addSeparator()
        menu.addActions(self._at_end())
        menu.popup(at)

    def _end_on_screen(self) -> QPoint:
        """Return where the selected lane ends, or the nearest point of the map that is seen."""
        lane = self._session.selected_lane
        plus = next((p for p in self._map.shown.pluses if lane and p.lane == lane.id), None)
        head = self._map.shown.box_of(lane.id) if lane else None
        box = plus.box if plus else head or self._map.shown.add_lane
        at = self._map.to_screen(box).bottomLeft().toPoint()
        seen = self._map.viewport().rect().adjusted(8, 8, -40, -8)
        at.setX(min(max(at.x(), seen.left()), seen.right()))  # a lane may be scrolled out of sight
        at.setY(min(max(at.y(), seen.top()), seen.bottom()))
        return self._map.viewport().mapToGlobal(at)

    def _at_end(self) -> list[QAction]:
        return [self._action(name) for name in self._at_end_ids]

    def offer_ties(self) -> None:
        """Offer the lanes that the selected one can be tied with."""
        self._tie_menu().popup(self._end_on_screen())

    def offer_stacks(self) -> None:
        """Offer the lanes whose rows can be put below those of the selected one."""
        stack = self._session.building.stack
        self._lanes_menu("stack", marked("Stack {lane} below"), stack).popup(self._end_on_screen())

    def offer_blends(self) -> None:
        """Offer the lanes that the selected one can be blended with."""
        blend = self._session.building.blend
        self._lanes_menu("blend", marked("Blend with {lane}"), blend).popup(self._end_on_screen())

    def offer_steps(self) -> None:
        """Offer every kind of step, to be found by typing."""
        picks = [
            Pick(f"step.{kind}", view.offer, view.tip) for kind, view in VIEWS.items() if view.offer
        ]
        picker = Picker("steps", tr("Which step? Type a part of its name"), picks, self._parent)
        picker.resize(620, 420)
        picker.chosen.connect(lambda name: self._action(name).trigger())
        screen = self._map.screen().availableGeometry()
        at = self._end_on_screen()
        picker.move(
            min(at.x(), screen.right() - picker.width()),
            min(at.y(), screen.bottom() - picker.height()),
        )
        picker.show()

    def offer_step_lanes(self) -> None:
        """Offer the lanes that the selected step can be copied to."""
        step = self._session.selected_item

        def copy(_: str, other: str) -> None:
            if isinstance(step, StepItem):
                self._session.select(other)
                self._session.building.add_step(step)

        self._lanes_menu("copy", marked("Copy to {lane}"), copy).popup(self._end_on_screen())

    def _tie_menu(self) -> QMenu:
        return self._lanes_menu("tie", marked("Tie with {lane}"), self._session.building.tie)

    def _lanes_menu(self, name: str, words: str, bring: Callable[[str, str], object]) -> QMenu:
        """Return a menu of the other lanes; the one chosen is brought to the selected lane."""
        menu = QMenu(self._parent)
        menu.setObjectName(f"{name}.menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        lane = self._session.selected_lane
        for other in self._session.trellis.lanes:
            if lane is not None and other.id != lane.id:
                action = menu.addAction(tr(words, lane=other.name).replace("&", "&&"))
                action.setObjectName(f"{name}.with.{other.id}")
                # Ids and not lanes: an edit between opening and choosing makes other objects.
                action.triggered.connect(lambda _=False, a=lane.id, b=other.id: bring(a, b))
        if menu.isEmpty():
            menu.addAction(
                tr("{words}: add one first", words=tr(words, lane=tr("another lane")))
            ).setEnabled(False)
        return menu

    def offer_actions(self, at: QPoint) -> None:
        """Offer what can be done with what is selected."""
        menu = QMenu(self._parent)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        names = ("lane.rename", "lane.reread", "lane.again", "part.remove", "lane.add")
        offered = [self._action("lane.tie"), *self._at_end(), *map(self._action, names)]
        menu.addActions([action for action in offered if action.isEnabled()])
        menu.popup(at)
