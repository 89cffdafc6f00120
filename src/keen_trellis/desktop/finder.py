"""The action finder: every action of the program by name, from the keyboard."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget

from keen_trellis.base.language import tr
from keen_trellis.desktop.action_words import ALSO
from keen_trellis.desktop.picker import Pick, Picker


class Finder(Picker):
    """A field to type into, and below it the actions that fit; Enter does the first one."""

    def __init__(self, actions: Sequence[QAction], parent: QWidget) -> None:
        picks = [
            Pick(
                action.objectName(),
                action.text(),
                action.shortcut().toString(QKeySequence.SequenceFormat.NativeText),
                tip=action.toolTip(),
                is_enabled=action.isEnabled(),
                also=ALSO.get(action.objectName(), ""),
            )
            for action in actions
        ]
        super().__init__("finder", tr("What do you want to do?"), picks, parent)
        self.resize(520, 380)
        by_name = {action.objectName(): action for action in actions}
        self.chosen.connect(lambda name: by_name[name].trigger())
