"""The map for who hears it: every lane, step, tie and delivery as a child with a name and a state.

They are buttons that nobody sees: drawn by the map alone, and passed over by the mouse and the
keyboard, which walk the map itself. A screen reader finds them where they lie, and presses them to
select. They are made while something listens that reads the screen.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QAccessible, QPaintEvent
from PySide6.QtWidgets import QPushButton, QWidget

from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.desktop.map.shapes import Box, MapLayout
from keen_trellis.document import Trellis


@dataclass(frozen=True, slots=True)
class Told:
    """What is said of one thing on the map.

    Attributes
    ----------
    part : str
        The id of the lane or item.
    name, says : str
        What it is, and what is to be known of it.
    box : Box
    """

    part: str
    name: str
    says: str
    box: Box


def told(layout: MapLayout, trellis: Trellis) -> list[Told]:
    """Return everything on the map in the order in which it is read: each lane with what it has."""
    made = []
    for head in layout.heads:
        lane = trellis.lane(head.lane)
        stale = tr("its source has changed") if head.stale else ""
        says = _joined(head.source, head.size, head.trouble, stale)
        made.append(Told(lane.id, tr("Lane {name}", name=lane.name), says, head.box))
        for joint in layout.joints:
            if joint.lane == lane.id:
                others = [trellis.lane(one.lane).name for one in trellis.item(joint.item).takes()]
                names = [lane.name, *others]
                left = [one.full for one in layout.spills if one.item == joint.item]
                waits = (
                    tr("waits for {waits_for}", waits_for=joint.waits_for)
                    if joint.waits_for
                    else ""
                )
                says = _joined(joint.counts, joint.trouble, waits, *left)
                name = f"{joint.title.replace(' · ', ', ')}: {listed(names)}"
                made.append(Told(joint.item, name, says, joint.box))
        for bead in layout.beads:
            if bead.lane == lane.id:
                off = tr("switched off") if bead.is_off else ""
                says = _joined(bead.counts, bead.trouble, off)
                name = tr(
                    "Step {sort} on {name}: {brief}",
                    sort=tr(bead.sort.capitalize()),
                    name=lane.name,
                    brief=bead.brief,
                )
                made.append(Told(bead.item, name, says, bead.box))
        for flag in layout.flags:
            if flag.lane == lane.id:
                says = _joined(flag.rows, flag.file, flag.trouble)
                made.append(
                    Told(
                        flag.item,
                        tr("Delivery {name} of {lane_name}", name=flag.name, lane_name=lane.name),
                        says,
                        flag.box,
                    )
                )
    return made


def _joined(*parts: str) -> str:
    return ", ".join(part for part in parts if part)


class SpokenMap:
    """Keeps the children of the map as the map is.

    Parameters
    ----------
    viewport : QWidget
        Their parent.
    select : callable
        Selects a part by its id.
    to_screen : callable
        Gives where a box of the layout is seen.
    """

    def __init__(
        self,
        viewport: QWidget,
        select: Callable[[str], object],
        to_screen: Callable[[Box], QRectF],
    ) -> None:
        self._viewport, self._select, self._to_screen = viewport, select, to_screen
        self._children: dict[str, _Child] = {}

    def renew(self, tell: Callable[[], list[Told]], selected: str) -> None:
        """Show what is told of the map now; nothing while nobody listens."""
        # Qt becomes active when the first reader asks, and stays so; a map of a hundred parts
        # need not be kept twice for nobody.
        if not QAccessible.isActive() and not self._children:
            return
        parts = tell()
        # a child that stays is the same widget: a reader that stands on it is not thrown off
        for gone in self._children.keys() - {one.part for one in parts}:
            self._children.pop(gone).deleteLater()
        for one in parts:
            child = self._children.get(one.part)
            if child is None:
                child = self._children[one.part] = _Child(one.part, self._select, self._viewport)
            child.setAccessibleName(one.name)
            child.setAccessibleDescription(one.says)
            child.take_note(one.part == selected)
            child.setGeometry(self._to_screen(one.box).toRect())


class _Child(QPushButton):
    """One thing on the map that is heard and not seen."""

    def __init__(self, part: str, select: Callable[[str], object], viewport: QWidget) -> None:
        super().__init__(viewport)
        self.setObjectName(f"map.{part}")
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self._part, self._select = part, select
        self.toggled.connect(self._take)
        self.show()

    def take_note(self, is_selected: bool) -> None:
        """Be selected or not, as the document has it."""
        # `toggled` would select it again, which is an edit of the view while it is being renewed.
        self.blockSignals(True)
        self.setChecked(is_selected)
        self.blockSignals(False)

    def _take(self) -> None:
        """Be selected: pressed once more, it stays that."""
        self.take_note(True)
        self._select(self._part)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw nothing: the map does."""
