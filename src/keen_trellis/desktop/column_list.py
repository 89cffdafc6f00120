"""A list of columns to be typed over, for a tie and for the step that chooses columns."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QPlainTextEdit, QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.desktop.controls import label


class ListDialog(QDialog):
    """The names of the columns that go on, one a line, to be typed over."""

    taken = Signal(object)

    def __init__(self, names: Sequence[str], parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("column_list")
        self.setWindowTitle(tr("Columns that go on"))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(380, 460)
        self._text = QPlainTextEdit("\n".join(names))
        self._text.setObjectName("column_list.text")
        self._text.setAccessibleName(tr("Names of columns, one a line"))
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.button(QDialogButtonBox.StandardButton.Ok).setObjectName("column_list.ok")
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        says = label(tr("One name a line, in the order wanted. What is not here does not go on."))
        says.setWordWrap(True)
        column.addWidget(says)
        column.addWidget(self._text, 1)
        column.addWidget(buttons)

    def accept(self) -> None:
        """Take the list."""
        lines = [line.strip() for line in self._text.toPlainText().splitlines()]
        self.taken.emit(list(dict.fromkeys(line for line in lines if line)))
        super().accept()
