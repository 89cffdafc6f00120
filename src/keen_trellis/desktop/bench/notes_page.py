"""The Notes page of any part: why it is so, in somebody's own words."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QPlainTextEdit, QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import Lane, edits
from keen_trellis.document.items import Item

_TYPING_PAUSE_MS = 600
_WHAT_FOR = tr(
    "Why it is so, for whoever opens this trellis next; “keen-trellis describe” tells it."
)


class NotesPage(Page):
    """A sheet to write on; what is written is kept with the lane, the step or the tie."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._part = ""
        self._written = QPlainTextEdit()
        self._written.setObjectName("notes.text")
        self._written.setAccessibleName(tr("Notes"))
        self._written.setPlaceholderText(tr("Write here"))
        self._written.setTabChangesFocus(True)
        self._written.setMaximumWidth(820)
        self._pause = QTimer(self, singleShot=True, interval=_TYPING_PAUSE_MS)
        self._written.textChanged.connect(self._pause.start)
        self._pause.timeout.connect(self._take)
        session.telling.typing_ends.connect(self._take_now)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 10, 20, 12)
        column.setSpacing(8)
        column.addWidget(label(_WHAT_FOR, soft=True))
        column.addWidget(self._written, 1)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show what is written about a lane or an item."""
        part = item if item is not None else lane
        if self._pause.isActive():
            if self._part == part.id:
                return  # what is being typed is newer than what is kept
            self._pause.stop()
            written = edits.SetNote(self._part, self._written.toPlainText())
            QTimer.singleShot(0, lambda: self.session.do(written))  # not while another is shown
        self._part = part.id
        if self._written.toPlainText() != part.note:
            self._written.blockSignals(True)
            self._written.setPlainText(part.note)
            self._written.blockSignals(False)

    def _take_now(self) -> None:
        if self._pause.isActive():
            self._pause.stop()
            self._take()

    def _take(self) -> None:
        self.session.do(edits.SetNote(self._part, self._written.toPlainText()))
