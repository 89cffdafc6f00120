"""A bay of a tie: its rows, and the switch that keeps or leaves them."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QMenu, QWidget

from keen_trellis.base.language import tr
from keen_trellis.compute.join_result import Tied
from keen_trellis.data import Field, Table
from keen_trellis.desktop.bench.rows_card import RowsCard, Unit, in_rows
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Switch, button
from keen_trellis.desktop.theme import LaneColours, Theme
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.plan.bays import Bay


class BayCard(RowsCard):
    """One bay: its name and rows, Keep or Leave, and the rows themselves."""

    lane_asked = Signal()
    deliver_asked = Signal()
    alone_asked = Signal()
    why_asked = Signal(int)

    def __init__(self, bay: Bay, theme: Theme, parent: QWidget) -> None:
        none = tr("No rows here.") if bay is Bay.BOTH else tr("Every row has a match.")
        super().__init__(f"bay.{bay}", theme, parent, none)
        self.bay = bay
        more = self._more = button("⋯", f"bay.{bay}.more", self._offer, "plain")
        more.setToolTip(as_it_is(tr("What can be done with the rows of this bay")))
        more.setFixedWidth(26)
        more.setStyleSheet("padding: 2px 0;")
        self.switch = Switch(f"bay.{bay}.switch", (tr("Keep"), tr("Leave")), tr("This bay"))
        self.head_row.addWidget(more)
        self.head_row.addWidget(self.switch)
        self._of: tuple[Tied, set[str]] | None = None
        self._table: Table | None = None
        self.is_alone = False
        if bay is not Bay.BOTH:
            words = tr("Why has this row no partner?")
            self.grid.offers.append(("why", words, self.why_asked.emit))
            self.grid.doubleClicked.connect(
                lambda index: self.why_asked.emit(self.grid.row_of(index.row()))
            )
            self.grid.setToolTip(tr("Double-click a row to learn why it has no partner"))

    def _offer(self) -> None:
        menu = QMenu(self)
        menu.setObjectName(f"bay.{self.bay}.menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        own = menu.addAction(tr("Begin a lane with these rows"), self.lane_asked.emit)
        own.setObjectName(f"bay.{self.bay}.lane")
        deliver = menu.addAction(tr("Deliver these rows …"), self.deliver_asked.emit)
        deliver.setObjectName(f"bay.{self.bay}.deliver")
        copy = menu.addAction(tr("Copy these rows"), self._copy_all)
        copy.setObjectName(f"bay.{self.bay}.copy")
        words = tr("Show all bays again") if self.is_alone else tr("Give this bay the whole width")
        menu.addAction(words, self.alone_asked.emit).setObjectName(f"bay.{self.bay}.alone")
        search = menu.addAction(tr("Search these rows …"), self.grid.search_asked.emit)
        search.setObjectName(f"bay.{self.bay}.search")
        below = self.switch.mapToGlobal(self.switch.rect().bottomLeft())
        menu.popup(below)

    def _copy_all(self) -> None:
        self.grid.selectAll()
        self.grid.ask_copy()

    def show_bay(self, tie: Tied, fields: set[str], origins: Origins) -> None:
        """Show the rows of the bay; the same rows as before stay where they were scrolled to.

        Raises
        ------
        TooManyRowsError
            There are more pairs of partners than can be shown.
        """
        shown, linked = self._of or (None, None)
        # By the match and the two sides, not by the tie: keeping or leaving a bay makes another
        # tie with the same rows in its bays, which stay where they were scrolled to.
        is_other = shown is None or any(
            a is not b
            for a, b in ((shown.match, tie.match), (shown.left, tie.left), (shown.right, tie.right))
        )
        if self._table is None or is_other or linked != fields:
            of_left = 0 if self.bay is Bay.RIGHT else len(tie.left.fields)
            self._table = _link_first(tie.bay(self.bay), fields, of_left)
            self._of = tie, fields
        self.show_rows(self._table, origins, fields)

    def show_head(
        self, name: str, rows: int | None, kept: bool, colours: LaneColours, unit: Unit = in_rows
    ) -> None:
        """Show what the bay is called, how many rows it has, and whether they are kept."""
        super().show_head(name, rows, kept, colours, unit)
        theme = self.theme
        self.switch.set_chosen(0 if kept else 1)
        self.switch.name_parts(name)
        self._more.setAccessibleName(tr("What can be done with the rows {name}", name=name))
        on_fill = theme.surface if theme.name == "light" else theme.ground
        strong = colours.ink if kept else theme.ink_soft
        self.switch.paint_with(
            theme.surface, theme.line, strong, on_fill=on_fill, ink=theme.ink_soft
        )


def _link_first(table: Table, fields: set[str], of_left: int) -> Table:
    """Return the table with what shows the match in front: a bay is narrow.

    First come the first column and the link fields of the left side, then the right side, its
    link fields first, then the rest of the left side.

    Parameters
    ----------
    of_left : int
        How many of the columns are those of the left side; they stand first.
    """
    left, right = list(table.fields[:of_left]), list(table.fields[of_left:])
    wanted = (*left[:1], *_linked(left, fields), *_linked(right, fields), *right, *left)
    # A dict keeps the place of the first mention: each field stands once, where it was first
    # wanted.
    ordered = {field.name: field for field in wanted}
    return Table(tuple(ordered.values()), table.strands, table.n_rows)


def _linked(fields: list[Field], names: set[str]) -> list[Field]:
    return [field for field in fields if field.name in names]
