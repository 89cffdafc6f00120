"""Asking before a trellis does what a stranger's should not do unasked."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QFrame, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from keen_trellis.desktop.controls import button, label
from keen_trellis.desktop.session import Session
from keen_trellis.document.wants import Want

_LISTED = 12


def ask_leave(session: Session, wanted: Sequence[Want], parent: QWidget) -> QDialog:
    """Ask whether the trellis that was opened may do what it wants to; return the open sheet."""
    sheet = Sheet(
        "leave",
        f"“{session.trellis.name}” wants to reach further than its folder",
        "Allow it if you know where it is from. It is asked once on this machine; what is not "
        "allowed is not read, and all the rest can be looked at.",
        [f"It {want.words}." for want in wanted],
        ("Allow these", lambda: session.allow(wanted)),
        "Open without reading",
        parent,
    )
    sheet.open()
    return sheet


def ask_to_replace(paths: Sequence[Path], go_on: Callable[[], object], parent: QWidget) -> QDialog:
    """Ask whether files may be replaced that the trellis did not write; return the open sheet."""
    sheet = Sheet(
        "replace_files",
        "There is something else in these places",
        "This trellis did not write it, or somebody has changed it since. Replaced, it is gone.",
        [str(path) for path in paths],
        ("Replace", go_on),
        "Leave as they are",
        parent,
    )
    sheet.open()
    return sheet


class Sheet(QDialog):
    """A list of what would be done, in words, with one button for it and one against.

    Parameters
    ----------
    name : str
        Its object name, and the beginning of those of its buttons.
    heading, says : str
    lines : sequence of str
        One for each thing; plain text, whatever stands in it.
    agreed : tuple
        The words of the button for it, and what it does.
    refused : str
        The words of the button against it, which is also what Return and Esc do.
    """

    def __init__(
        self,
        name: str,
        heading: str,
        says: str,
        lines: Sequence[str],
        agreed: tuple[str, Callable[[], object]],
        refused: str,
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self.setObjectName(name)
        self.setWindowTitle(heading)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setMinimumWidth(560)
        words, self._agreed = agreed
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(12)
        for text, look in ((heading, {"heading": True}), (says, {"soft": True})):
            line = label(text, **look)
            line.setWordWrap(True)
            column.addWidget(line)
        column.addWidget(self._listed(lines))
        row = QHBoxLayout()
        row.addStretch()
        agree = button(words, f"{name}.agree", self._agree)
        agree.setAutoDefault(False)
        refuse = button(refused, f"{name}.refuse", self.reject, "main")
        refuse.setDefault(True)
        row.addWidget(agree)
        row.addWidget(refuse)
        column.addLayout(row)

    def _listed(self, lines: Sequence[str]) -> QWidget:
        inner = QWidget()
        rows = QVBoxLayout(inner)
        rows.setContentsMargins(12, 10, 12, 10)
        rows.setSpacing(8)
        for number, text in enumerate(lines):
            line = label(text)
            line.setObjectName(f"{self.objectName()}.{number}")
            line.setTextFormat(Qt.TextFormat.PlainText)
            line.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            line.setWordWrap(True)
            rows.addWidget(line)
        rows.addStretch()
        if len(lines) <= _LISTED:
            frame = QFrame()
            frame.setProperty("card", True)
            QVBoxLayout(frame).addWidget(inner)
            return frame
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inner)
        scroll.setMinimumHeight(320)
        return scroll

    def _agree(self) -> None:
        self.accept()
        self._agreed()
