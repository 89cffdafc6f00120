"""Beside a grid: what is in the column that its cursor stands in, of the rows that are shown."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.desktop.bench.profile_view import ProfileView
from keen_trellis.desktop.controls import OneLine
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme

if TYPE_CHECKING:
    from keen_trellis.data import Table
    from keen_trellis.data.profile import Profile

_WIDTH = 440
_RESTING_MS = 120
"""A cursor that moves on sooner has nothing looked at."""


class ProfileBeside(QWidget):
    """Follows the cursor of a grid while it is seen; looks at nothing while it is hidden."""

    def __init__(self, grid: Grid, session: Session, theme: Theme) -> None:
        super().__init__()
        name = grid.objectName().removesuffix(".grid")
        self.setObjectName(f"{name}.profile")
        self._grid, self._session, self._theme = grid, session, theme
        self._column = ""
        self._shown: tuple[Table, str] | None = None
        self._title = OneLine()
        self._title.setObjectName(f"{name}.profile.title")
        self._title.setProperty("strong", True)
        self._view = ProfileView(theme, f"{name}.profile.view")
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 0, 0, 0)
        column.addWidget(self._title)
        column.addWidget(self._view, 1)
        self.setFixedWidth(_WIDTH)
        self._resting = QTimer(self, singleShot=True, interval=_RESTING_MS)
        self._resting.timeout.connect(self._look)
        grid.selectionModel().currentChanged.connect(self._follow)
        grid.looked.connect(self.renew)
        self.hide()

    def set_theme(self, theme: Theme) -> None:
        """Draw in the colours of a theme."""
        self._theme, self._shown = theme, None
        self._view.set_theme(theme)
        self.renew()

    def renew(self) -> None:
        """Look at the column again where other rows are shown, once the cursor rests."""
        if not self.isHidden():
            self._resting.start()

    def _follow(self) -> None:
        index = self._grid.currentIndex()
        if index.isValid():  # a grid that shows other rows has no cursor for a moment
            self._column = self._grid.table_model.table.columns[index.column()]
            self.renew()

    def _look(self) -> None:
        table = self._grid.table_model.table
        if self.isHidden() or not table.columns:
            return
        if self._column not in table.columns:
            self._column = table.columns[0]
        name = self._column
        if self._shown is not None and self._shown[0] is table and self._shown[1] == name:
            return
        # A tuple of its own for each question: the answer is taken while it is still this very
        # one.
        self._shown = asked = table, name
        self._title.setText(name)
        origin = table.field(name).origin
        colours = self._grid.origins.colours.get(origin, self._theme.lane(0))
        self._view.show_profile(None, colours)

        def look(report: Report) -> Profile:
            from keen_trellis.data.profile import profile

            report(0.0, tr("Looking at {name}", name=name))
            return profile(table.column(name))

        def done(found: Profile) -> None:
            if self._shown is asked:
                self._view.show_profile(found, colours)

        def given_up() -> None:
            if self._shown is asked:
                self._shown = None

        self._session.work.find_out(look, done, "", given_up)
