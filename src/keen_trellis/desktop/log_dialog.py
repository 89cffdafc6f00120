"""The log as it stands on the disk, for reading, copying and finding."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QDialog, QPlainTextEdit, QWidget

from keen_trellis.base.errors import reason
from keen_trellis.base.language import tr
from keen_trellis.desktop.controls import button, label
from keen_trellis.desktop.frames import answers, dialog_column
from keen_trellis.desktop.theme import value_font

_SHOWN_BYTES = 200_000


class LogDialog(QDialog):
    """Shows the end of the log."""

    def __init__(self, path: Path, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("log")
        self.setWindowTitle(tr("Log"))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(860, min(560, parent.height() - 40))
        text = QPlainTextEdit(last_lines(path))
        text.setObjectName("log.text")
        text.setAccessibleName(tr("The log"))
        text.setReadOnly(True)
        text.setFont(value_font(12))
        text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        text.moveCursor(text.textCursor().MoveOperation.End)
        where = label(
            tr("No value of your data and no password is in it. It lies in {path}", path=path),
            soft=True,
        )
        where.setWordWrap(True)
        column = dialog_column(self)
        column.addWidget(label(tr("What was done, when, and how long it took"), heading=True))
        column.addWidget(where)
        column.addWidget(text, 1)
        copy = button(tr("Copy all"), "log.copy", lambda: _copy(text.toPlainText()))
        column.addLayout(answers((copy, button(tr("Close"), "log.close", self.accept, "main"))))


def _copy(text: str) -> None:
    QApplication.clipboard().setText(text)


def last_lines(path: Path) -> str:
    """Return the end of a log, in whole lines; a sentence where there is none."""
    try:
        with path.open("rb") as file:
            size = file.seek(0, 2)
            file.seek(max(size - _SHOWN_BYTES, 0))
            found = file.read().decode("utf-8", "replace")
    except FileNotFoundError:
        return tr("Nothing is in it yet, or the settings say that no log is kept.")
    except OSError as error:
        return tr("It cannot be read: {reason}.", reason=reason(error))
    return found if size <= _SHOWN_BYTES else found.partition("\n")[2]
