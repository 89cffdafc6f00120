"""How dialogs and pages without anything on them are laid out, so that they are all alike."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.desktop.controls import label


def dialog_column(dialog: QDialog) -> QVBoxLayout:
    """Return the layout of a dialog: one thing below the other, with the usual room around."""
    column = QVBoxLayout(dialog)
    column.setContentsMargins(20, 16, 20, 16)
    column.setSpacing(12)
    return column


def dialog_form() -> QFormLayout:
    """Return a layout of fields with what they are called, for a dialog."""
    form = QFormLayout()
    form.setHorizontalSpacing(14)
    form.setVerticalSpacing(10)
    form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
    return form


def answers(buttons: Sequence[QPushButton]) -> QHBoxLayout:
    """Return the row of buttons at the foot of a dialog; the last is what Return does."""
    row = QHBoxLayout()
    row.addStretch()
    for one in buttons:
        is_last = one is buttons[-1]
        one.setAutoDefault(is_last)
        one.setDefault(is_last)
        row.addWidget(one)
    return row


def empty_page(heading: str, says: str, *below: QWidget) -> QWidget:
    """Return a page that says what is not there, and what to do, with what does it below."""
    page = QWidget()
    column = QVBoxLayout(page)
    column.addStretch()
    for text, look in ((heading, "heading"), (says, "soft")):
        line = label(text, **{look: True})
        line.setAlignment(Qt.AlignmentFlag.AlignCenter)
        line.setWordWrap(True)
        line.setContentsMargins(160, 0, 160, 0)
        column.addWidget(line)
    for widget in below:
        column.addWidget(widget, 0, Qt.AlignmentFlag.AlignCenter)
    column.addStretch()
    return page
