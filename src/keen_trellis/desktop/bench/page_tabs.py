"""The tabs of the bench's pages: drawn as words with a line below, and heard as tabs."""

from __future__ import annotations

from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QAccessible, QAccessibleInterface
from PySide6.QtWidgets import QAccessibleWidget, QHBoxLayout, QPushButton, QWidget

from keen_trellis.base.language import tr

_APART = 22


class PageTab(QPushButton):
    """One tab; checked while its page is shown."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.page = page
        self.setObjectName(f"page.{page}")
        self.setProperty("page", True)
        self.setCheckable(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)


class PageTabs(QWidget):
    """The tabs beside one another."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Pages"))
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(_APART)


_heard: dict[int, QAccessibleInterface] = {}
"""What Qt holds without owning it, by the id of its widget; let go of once that is gone."""


def _made(_: str, thing: QObject | None) -> QAccessibleInterface | None:
    made: QAccessibleInterface
    if isinstance(thing, PageTab):
        # where nobody hears the window it is never loaded, which takes a while
        from keen_trellis.desktop.bench.heard_tab import HeardTab

        made = HeardTab(thing)
    elif isinstance(thing, PageTabs):
        made = QAccessibleWidget(thing, QAccessible.Role.PageTabList)
    else:
        return None
    key = id(thing)
    _heard[key] = made
    thing.destroyed.connect(lambda: _heard.pop(key, None))
    return made


def hear_tabs() -> None:
    """Let who hears the window hear tabs as tabs; once for a process."""
    if not _installed:
        QAccessible.installFactory(_made)
        _installed.append(True)


_installed: list[bool] = []
