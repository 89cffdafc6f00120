"""A page with one table, and a line above that says what it is."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import tr
from keen_trellis.data import Table
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.desktop.bench.look_line import LookLine
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.profile_beside import ProfileBeside
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, button, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme


class TablePage(Page):
    """One table over the whole bench; where there is none, why, and what can be done."""

    def __init__(self, name: str, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._line = label(soft=True)
        self._line.setObjectName(f"{name}.line")
        self._line.setWordWrap(True)
        self._notice = Notice(f"{name}.trouble")
        self.grid = Grid(theme, f"{name}.grid", self)
        self.grid.offers_steps = True
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 10)
        column.setSpacing(8)
        self.look_line = LookLine(self.grid, self)
        line = QHBoxLayout()
        line.addWidget(self._line, 1)
        line.addWidget(self.look_line, 1)
        self._beside = ProfileBeside(self.grid, session, theme)
        self._profile = button(tr("Profile"), f"{name}.beside", self._show_beside, "plain")
        self._profile.setToolTip(tr("What is in the column that the cursor stands in"))
        self._profile.setCheckable(True)
        line.addWidget(self._profile)
        column.addLayout(line)
        column.addWidget(self._notice)
        rows = QHBoxLayout()
        rows.setSpacing(0)
        rows.addWidget(self.grid, 1)
        rows.addWidget(self._beside)
        column.addLayout(rows, 1)
        self._spare = QWidget()
        column.addWidget(self._spare, 1)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self.grid.set_theme(theme)
        self._beside.set_theme(theme)

    def _show_beside(self) -> None:
        self._beside.setVisible(self._profile.isChecked())
        self._beside.renew()

    def show_table(
        self, table: Table | UserError | None, line: str, origins: Origins, links: set[str]
    ) -> None:
        """Show a table beneath a line, or why there is none."""
        is_table = isinstance(table, Table)
        self._spare.setVisible(not is_table)
        self.tell_trouble(self._notice, table)
        line = line if is_table else "" if table is not None else tr("Being worked out …")
        self._line.setText(line)
        self._line.setVisible(bool(line))
        self.grid.setVisible(is_table)
        self.look_line.setVisible(is_table)
        if isinstance(table, Table):
            self.grid.show_table(table, origins, links)
        self._profile.setVisible(is_table)
        self._beside.setVisible(is_table and self._profile.isChecked())
