"""What stands out at the selected tie: the most valuable finding first, its remedy one click."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFrame, QHBoxLayout, QMenu, QPushButton

from keen_trellis.desktop.controls import OneLine, button
from keen_trellis.desktop.session import Session
from keen_trellis.flow.document import TieItem
from keen_trellis.flow.edits import remedy_edit

if TYPE_CHECKING:
    from keen_trellis.match.findings import Finding


class FindingLine(QFrame):
    """A line with a finding, the button that mends it, and the way to the others."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("finding")
        self.setProperty("trouble", True)
        self._session = session
        self._text = OneLine()
        self._text.setObjectName("finding.text")
        self._mend = button("", "finding.mend", self._mend_first, "plain")
        self._more = QPushButton()
        self._more.setObjectName("finding.more")
        self._more.setProperty("plain", True)
        self._more.setMenu(QMenu(self._more))
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 2, 4, 2)
        row.setSpacing(4)
        row.addWidget(self._text, 1)
        row.addWidget(self._mend)
        row.addWidget(self._more)
        session.noticed.connect(self.renew)
        self.hide()

    def renew(self) -> None:
        """Show what is known of the selected tie."""
        is_tie = isinstance(self._session.selected_item, TieItem)
        found = self._session.findings if is_tie else []
        self.setVisible(bool(found))
        if not found:
            return
        first, *others = found
        self._text.setText(first.text)
        self.setAccessibleName(first.text)
        self._mend.setVisible(first.remedy is not None)
        if first.remedy is not None:
            self._mend.setText(first.remedy.label)
            self._mend.setAccessibleName(first.remedy.label)
        self._more.setVisible(bool(others))
        self._more.setText(f"{len(others)} more")
        self._more.setAccessibleName(f"{len(others)} more findings")
        self._offer(others)

    def _offer(self, findings: list[Finding]) -> None:
        menu = self._more.menu()
        menu.clear()
        for finding in findings:
            words = f"{finding.text}\t{finding.remedy.label}" if finding.remedy else finding.text
            action = menu.addAction(words.replace("&", "&&"))
            action.setObjectName(f"finding.{finding.topic}")
            action.setEnabled(finding.remedy is not None)
            action.triggered.connect(lambda _=False, f=finding: self._mend_with(f))

    def _mend_first(self) -> None:
        if self._session.findings:
            self._mend_with(self._session.findings[0])

    def _mend_with(self, finding: Finding) -> None:
        item = self._session.selected_item
        if finding.remedy is not None and isinstance(item, TieItem):
            self._session.do(remedy_edit(item.id, finding.remedy))
