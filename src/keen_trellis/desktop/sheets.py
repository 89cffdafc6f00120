"""Sheets that list what would be done, in words, before it is: asked, replaced, brought back."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QFrame,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import tr
from keen_trellis.desktop.controls import button, label
from keen_trellis.desktop.frames import answers, dialog_column
from keen_trellis.desktop.session import Session
from keen_trellis.document import edits, load
from keen_trellis.document.wants import Want

if TYPE_CHECKING:
    from keen_trellis.machine.unsaved_work import LeftWork

_LISTED, _WIDTH = 12, 600

Choice = tuple[str, str, Callable[[], object] | None]
"""The name of a button, its words, and what it does; None does nothing."""


def ask_leave(session: Session, wanted: Sequence[Want], parent: QWidget) -> None:
    """Ask whether the trellis that was opened may do what it wants to."""
    further = (
        tr("more than it was allowed")
        if session.document.allowed
        else tr("to reach further than its folder")
    )
    Sheet(
        "leave",
        tr("“{name}” wants {further}", name=session.trellis.name, further=further),
        tr(
            "Allow it if you know where it is from. It is asked once on this machine; what is not "
            "allowed is not read, and all the rest can be looked at."
        ),
        [tr("It {wants}.", wants=want.words) for want in wanted],
        [
            ("agree", tr("Allow these"), lambda: session.document.allow(wanted)),
            ("refuse", tr("Open without reading"), None),
        ],
        parent,
    ).open()


def ask_to_replace(paths: Sequence[Path], go_on: Callable[[], object], parent: QWidget) -> None:
    """Ask whether files may be replaced that the trellis did not write."""
    Sheet(
        "replace_files",
        tr("There is something else in these places"),
        tr(
            "This trellis did not write it, or somebody has changed it since. Replaced, it is gone."
        ),
        [str(path) for path in paths],
        [("agree", tr("Replace"), go_on), ("refuse", tr("Leave as they are"), None)],
        parent,
    ).open()


def ask_to_update(sentences: Sequence[str], go_on: Callable[[], object], parent: QWidget) -> None:
    """Ask whether rows of tables may be changed and added, with how many there are."""
    Sheet(
        "update_tables",
        tr("This is what it changes"),
        tr("Nothing has been written yet. Rows that are only there stay as they are."),
        list(sentences),
        [("agree", tr("Write it"), go_on), ("refuse", tr("Leave as it is"), None)],
        parent,
    ).open()


def offer_left_work(session: Session, work: LeftWork, parent: QWidget) -> None:
    """Offer work that a crash left behind, with what is different from the saved file."""
    from keen_trellis.machine.unsaved_work import differences

    saved = None
    if work.document is not None:
        with suppress(UserError):
            saved = load(work.document)

    def bring_back() -> None:
        if work.document is None or not session.document.open(work.document):
            session.document.new()
        if session.do(edits.Restore(tr("Bring unsaved work back"), work.trellis)):
            work.drop()

    where = (
        tr("It was saved as {document}", document=work.document)
        if work.document
        else tr("It was never saved")
    )
    Sheet(
        "left_work",
        tr("“{name}” was not saved when the program ended", name=work.trellis.name),
        tr(
            "{where}, and kept here at {at:%H:%M on %Y-%m-%d}. What is different:",
            where=where,
            at=work.at,
        ),
        differences(saved, work.trellis) or [tr("It says the same as the saved file.")],
        [
            ("throw", tr("Throw it away"), work.drop),
            ("later", tr("Later"), None),
            ("bring", tr("Bring it back"), bring_back),
        ],
        parent,
    ).open()


class Sheet(QDialog):
    """A list of things in words, and a button for each way to go on; Esc does nothing.

    Parameters
    ----------
    name : str
        Its object name, and the beginning of those of its buttons.
    heading, says : str
    lines : sequence of str
        One for each thing; plain text, whatever stands in it.
    choices : sequence of Choice
        The last is what Return does.
    """

    def __init__(
        self,
        name: str,
        heading: str,
        says: str,
        lines: Sequence[str],
        choices: Sequence[Choice],
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self.setObjectName(name)
        self.setWindowTitle("Keen Trellis")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setMinimumWidth(_WIDTH)
        column = dialog_column(self)
        for text, look in ((heading, {"heading": True}), (says, {"soft": True})):
            line = label(text, **look)
            line.setWordWrap(True)
            column.addWidget(line)
        column.addWidget(self._listed(lines))
        # The last button is the one that Return presses, and looks like it.
        looks = [*("" for _ in choices[1:]), "main"]
        made = [
            button(words, f"{name}.{choice}", partial(self._choose, does), look)
            for (choice, words, does), look in zip(choices, looks, strict=True)
        ]
        column.addLayout(answers(made))
        made[-1].setFocus()
        self.resize(_WIDTH, column.totalHeightForWidth(_WIDTH))  # its hint is for a narrow one

    def _listed(self, lines: Sequence[str]) -> QWidget:
        inner = QWidget()
        rows = QVBoxLayout(inner)
        rows.setContentsMargins(12, 8, 12, 8)
        rows.setSpacing(8)
        for number, text in enumerate(lines):
            line = label(text)
            line.setObjectName(f"{self.objectName()}.{number}")
            line.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            line.setWordWrap(True)
            rows.addWidget(line)
        rows.addStretch()
        if len(lines) <= _LISTED:
            frame = QFrame()
            frame.setProperty("card", True)
            frame.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
            QVBoxLayout(frame).addWidget(inner)
            return frame
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inner)
        scroll.setMinimumHeight(320)
        return scroll

    def _choose(self, does: Callable[[], object] | None) -> None:
        self.accept()
        if does is not None:
            does()
