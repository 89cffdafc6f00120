"""The Rows page of a lane: its rows as they were read, with their kinds."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import tr
from keen_trellis.desktop.adding.kind_menu import offer_kinds
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.bench.table_page import TablePage
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import Lane, Source, edits
from keen_trellis.document.items import Item
from keen_trellis.read import Reading


class RowsPage(TablePage):
    """The rows of a lane; a click on the kind of a column offers others."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__("rows", session, theme, parent)
        self.grid.show_kinds()
        self.grid.kind_asked.connect(self._offer_kinds)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show the rows of a lane."""
        results = self.session.results
        reading = results.readings.get(lane.id)
        shown = reading if isinstance(reading, UserError) else results.rows.get(lane.id)
        line = (
            tr("Read as: {taken_as}", taken_as=reading.taken_as)
            if isinstance(reading, Reading)
            else ""
        )
        if lane.source.begins_at() is not None:
            line = tr(
                "Begins with {begins_words}", begins_words=self.session.trellis.begins_words(lane)
            )
        self.show_table(shown, line, origins, set())

    def _offer_kinds(self, column: str) -> None:
        lane = self.session.selected_lane
        if lane is None:
            return
        if lane.source.begins_at() is not None:
            self.session.telling.say(tr("The kinds here are those of the rows it begins with."))
            return
        kind = self.grid.table_model.table.field(column).kind

        def choose(source: Source) -> None:
            self.session.do(
                edits.SetSource(lane.id, source, tr("Change the kind of “{column}”", column=column))
            )

        offer_kinds(
            self,
            lane.source,
            column,
            current=kind,
            at=self.grid.column_place(column),
            chosen=choose,
        )
