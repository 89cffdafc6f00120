"""The other pages of the bench: the rows of a lane, the outcome of a tie, a delivery."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QMessageBox,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.compute.tied import Tied
from keen_trellis.data import Table
from keen_trellis.deliver import endings
from keen_trellis.desktop.bench.grid import Grid, Origins
from keen_trellis.desktop.controls import Notice, button, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.errors import (
    MissingFileError,
    MissingTableError,
    PasswordError,
    SourceError,
    UserError,
)
from keen_trellis.flow.document import DeliveryItem, Lane
from keen_trellis.flow.edits import SetDelivery
from keen_trellis.flow.run import CELLS_COUNTED_AT_MOST
from keen_trellis.read import Reading


class TablePage(QWidget):
    """One table over the whole bench, with a line above that says what it is.

    Signals
    -------
    mend_asked
        Something is to be done about the table not being there.
    """

    mend_asked = Signal()

    def __init__(self, name: str, theme: Theme) -> None:
        super().__init__()
        self._line = label(soft=True)
        self._line.setObjectName(f"{name}.line")
        self._line.setWordWrap(True)
        self._notice = Notice(f"{name}.trouble")
        self._mend = button("Read it again", f"{name}.mend", self.mend_asked.emit, "main")
        self._mend.hide()
        self.grid = Grid(theme, f"{name}.grid")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 10)
        column.setSpacing(8)
        column.addWidget(self._line)
        column.addWidget(self._notice)
        column.addWidget(self._mend, alignment=Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self.grid, 1)
        self._spare = QWidget()
        column.addWidget(self._spare, 1)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        self.grid.set_theme(theme)

    def show_table(
        self, table: Table | UserError | None, line: str, origins: Origins, links: set[str]
    ) -> None:
        """Show a table beneath a line, or why there is none."""
        is_table = isinstance(table, Table)
        words = mend_words(table)
        self._mend.setVisible(bool(words))
        if words:
            self._mend.setText(words)
            self._mend.setAccessibleName(words)
        self._spare.setVisible(not is_table)
        self._notice.tell(str(table) if isinstance(table, UserError) else "")
        line = line if is_table else "" if table is not None else "Being worked out …"
        self._line.setText(line)
        self._line.setVisible(bool(line))
        self.grid.setVisible(is_table)
        if isinstance(table, Table):
            self.grid.show_table(table, origins, links)


def mend_words(trouble: object) -> str:
    """Return what can be done at once about a source that could not be read."""
    match trouble:
        case MissingFileError():
            return "Find it …"
        case MissingTableError():
            return "Choose another one …"
        case PasswordError():
            return "Enter the password …"
        case SourceError():
            return "Read it again"
    return ""


def rows_line(reading: Reading | UserError | None) -> str:
    """Return how a source was taken, and what was noticed when it was read."""
    if not isinstance(reading, Reading):
        return ""
    return f"Read as: {reading.taken_as}"


def outcome_line(tie: Tied | UserError | None) -> str:
    """Return how many gaps the tie made, told apart from blanks of the sources."""
    if not isinstance(tie, Tied) or len(tie.outcome) > CELLS_COUNTED_AT_MOST:
        return "Gaps, hatched, were made by the tie; · blank was empty in the source."
    gaps, blanks = tie.empty_cells
    return (
        f"{gaps:,} {'cell is a gap' if gaps == 1 else 'cells are gaps'}, hatched: no partner was "
        f"found. {blanks:,} {'was' if blanks == 1 else 'were'} · blank in the source."
    )


class DeliveryPage(QWidget):
    """Where an outcome is written, and the button that writes it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._name, self._path = QLineEdit(), QLineEdit()
        self._name.setObjectName("delivery.name")
        self._path.setObjectName("delivery.path")
        self._name.setAccessibleName("Name of the delivery")
        self._path.setAccessibleName("File of the delivery")
        self._rows = label(strong=True)
        self._rows.setObjectName("delivery.rows")
        self._there = label(soft=True)
        self._there.setObjectName("delivery.there")
        self._notice = Notice("delivery.trouble")
        self._write = button("Deliver now", "delivery.write", self._deliver, "main")
        form = QGridLayout()
        form.setHorizontalSpacing(12)
        form.setVerticalSpacing(8)
        form.addWidget(label("Name", soft=True), 0, 0)
        form.addWidget(self._name, 0, 1)
        form.addWidget(label("File", soft=True), 1, 0)
        form.addWidget(self._path, 1, 1)
        form.addWidget(button("Choose …", "delivery.choose", self._choose), 1, 2)
        form.addWidget(self._rows, 2, 1)
        form.addWidget(self._there, 3, 1)
        row = QHBoxLayout()
        row.addWidget(self._write)
        row.addStretch()
        form.addLayout(row, 4, 1)
        form.setColumnMinimumWidth(1, 460)
        form.setColumnStretch(3, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 12, 20, 12)
        column.addWidget(self._notice)
        column.addLayout(form)
        column.addStretch()
        for field in (self._name, self._path):
            field.editingFinished.connect(self._changed)

    def show_delivery(self, lane: Lane, item: DeliveryItem) -> None:
        """Show a delivery and the rows it would write."""
        table = self._session.results.rows.get(item.id)
        self._name.setText(item.name)
        self._path.setText(item.path)
        self._notice.tell(str(table) if isinstance(table, UserError) else "")
        ready = isinstance(table, Table)
        self._write.setEnabled(ready)
        if isinstance(table, Table):
            self._rows.setText(f"{len(table):,} rows of {len(table.columns)} columns")
        else:
            self._rows.setText("No rows yet")
        path = Path(item.path)
        if path.exists():
            when = dt.datetime.fromtimestamp(path.stat().st_mtime)
            self._there.setText(
                f"A file of that name is there, of {when:%Y-%m-%d %H:%M}. Delivering replaces it."
            )
            self._write.setText("Deliver and replace it")
        else:
            self._there.setText("The file is not there yet.")
            self._write.setText("Deliver now")
        self._write.setAccessibleName(self._write.text())

    def _item(self) -> DeliveryItem | None:
        item = self._session.selected_item
        return item if isinstance(item, DeliveryItem) else None

    def _changed(self) -> None:
        item = self._item()
        if item is None or (self._name.text(), self._path.text()) == (item.name, item.path):
            return
        path = self._written_path()
        if str(path) != item.path and not self._may_be_made(path.parent):
            self._path.setText(item.path)
            return
        if not self._session.do(SetDelivery(item.id, self._name.text(), str(path))):
            self._name.setText(item.name)
            self._path.setText(item.path)

    def _written_path(self) -> Path:
        """Return the path in the field: ~ is the home folder, else from the trellis's folder."""
        folder = self._session.path.parent if self._session.path else Path.cwd()
        return (folder / Path(self._path.text().strip()).expanduser()).absolute()

    def _may_be_made(self, folder: Path) -> bool:
        """Ask about a folder that is not there; one that is needs no question."""
        if folder.is_dir():
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self,
            "Keen Trellis",
            f"The folder {folder} is not there. Shall it be made when this is delivered?",
            buttons.Yes | buttons.No,
            buttons.No,
        )
        return answer == buttons.Yes

    def _choose(self) -> None:
        path = ask_delivery_path(self, self._path.text())
        if path:
            self._path.setText(path)
            self._changed()

    def _deliver(self) -> None:
        item = self._item()
        if item:
            self._session.deliver([item.id])


def ask_delivery_path(parent: QWidget, start: str) -> str:
    """Ask for the file of a delivery; empty when nothing was chosen."""
    patterns = ";;".join(f"*{ending}" for ending in endings())
    options = QFileDialog.Option.DontConfirmOverwrite  # the delivery page says so before writing
    path, pattern = QFileDialog.getSaveFileName(
        parent, "Deliver to", start, patterns, options=options
    )
    if path and Path(path).suffix.lower() not in endings():
        path += pattern.removeprefix("*") or endings()[0]
    return path
