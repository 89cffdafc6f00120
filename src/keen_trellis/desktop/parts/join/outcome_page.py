"""The Outcome page of a tie: the rows that go on from it."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import tr, tr_n
from keen_trellis.compute.join_result import CELLS_COUNTED_AT_MOST, Tied
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.bench.table_page import TablePage
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import Lane
from keen_trellis.document.items import Item


class OutcomePage(TablePage):
    """The outcome, with the gaps that the tie made told apart from blanks."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__("outcome", session, theme, parent)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show the rows that go on from a tie."""
        assert item is not None
        results = self.session.results
        tie = results.ties.get(item.id)
        links = {f.left for f in tie.link.fields} if isinstance(tie, Tied) else set()
        self.show_table(results.rows.get(item.id), _line(tie), origins, links)


def _line(tie: Tied | UserError | None) -> str:
    """Return how many gaps the tie made, told apart from blanks of the sources."""
    if not isinstance(tie, Tied) or len(tie.outcome) > CELLS_COUNTED_AT_MOST:
        return tr("Gaps, hatched, were made by the tie; · blank was empty in the source.")
    gaps, blanks = tie.empty_cells
    made = tr_n(
        gaps,
        "{n:,} cell is a gap, hatched: no partner was found.",
        "{n:,} cells are gaps, hatched: no partner was found.",
    )
    were = tr_n(blanks, "{n:,} was · blank in the source.", "{n:,} were · blank in the source.")
    return f"{made} {were}"
