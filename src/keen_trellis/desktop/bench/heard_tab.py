"""A tab as it is heard."""

from __future__ import annotations

from PySide6.QtGui import QAccessible, QAccessibleActionInterface
from PySide6.QtWidgets import QAbstractButton, QAccessibleWidget


class HeardTab(QAccessibleWidget):
    """A tab to who hears it: Qt's own would call it a check box."""

    def __init__(self, tab: QAbstractButton) -> None:
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
