"""The tabs of the bench's pages: drawn as words with a line below, and heard as tabs."""

from __future__ import annotations

from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QAccessible, QAccessibleActionInterface, QAccessibleInterface
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


class _HeardTab(QAccessibleWidget):
    """A tab to who hears it: Qt's own would call it a check box."""

    def __init__(self, tab: PageTab) -> None:
        super().__init__(tab, QAccessible.Role.PageTab)
        self._tab = tab

    def state(self) -> QAccessible.State:
        state = super().state()
        state.selectable = 1
        state.selected = int(self._tab.isChecked())
        return state

    def actionNames(self) -> list[str]:
        return [QAccessibleActionInterface.pressAction(), *super().actionNames()]

    def doAction(self, name: str) -> None:
        if name == QAccessibleActionInterface.pressAction():
            self._tab.click()
        else:
            super().doAction(name)


_heard: dict[int, QAccessibleInterface] = {}
"""What Qt holds without owning it, by the id of its widget; let go of once that is gone."""


def _made(_: str, thing: QObject | None) -> QAccessibleInterface | None:
    made: QAccessibleInterface
    if isinstance(thing, PageTab):
        made = _HeardTab(thing)
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
