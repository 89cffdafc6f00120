"""The order in which Tab walks a window: as one reads it, each part whole before the next."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget

_ONE_LINE = 12
"""Widgets whose upper edges are closer than this stand in one line."""


def takers(whole: QWidget) -> Iterator[QWidget]:
    """Yield what takes the keyboard in a widget, from above, and from the left within a line.

    Qt's own order is that in which widgets were made, and those of a sentence are made anew.
    """
    shown = [
        one
        for one in whole.children()
        if isinstance(one, QWidget) and one.isVisible() and not one.isWindow()
    ]
    # by the place in its parent alone: each part is walked whole before what stands beside it
    for child in sorted(shown, key=lambda one: (one.y() // _ONE_LINE, one.x())):
        if child.focusPolicy() & Qt.FocusPolicy.TabFocus and child.isEnabled():
            yield child
        yield from takers(child)


def next_taker(whole: QWidget, now: QWidget | None, is_back: bool) -> QWidget | None:
    """Return who takes the keyboard after, or before, the one that has it; round at the ends."""
    order = list(takers(whole))
    if not order:
        return None
    if now not in order:
        return order[-1 if is_back else 0]
    step = -1 if is_back else 1
    return order[(order.index(now) + step) % len(order)]
