"""The Rows page of a step: the rows that go on from it, over the whole bench."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.bench.table_page import TablePage
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import Lane
from keen_trellis.document.items import Item


class StepRowsPage(TablePage):
    """The rows after a step."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__("step.rows", session, theme, parent)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show the rows that go on from a step."""
        assert item is not None
        facts = self.session.results.facts.items.get(item.id)
        says = facts.says if facts is not None else ""
        self.show_table(self.session.results.rows.get(item.id), says, origins, set())
