"""The page of a delivery: where an outcome is written, and the button that writes it."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

from PySide6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QMessageBox,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.data import Table
from keen_trellis.deliver import endings
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, button, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import Lane
from keen_trellis.document.edits import SetDelivery, SetItem
from keen_trellis.document.items import DeliveryItem, Item
from keen_trellis.errors import UserError


class DeliveryPage(Page):
    """Where an outcome is written, and the button that writes it."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__(session, theme)
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
        self._guarded = QCheckBox(
            "Write texts such as =1+1 so that a spreadsheet does not run them"
        )
        self._guarded.setObjectName("delivery.guarded")
        self._guarded.setToolTip("They stand behind an apostrophe then")
        self._guarded.clicked.connect(self._guard)
        form.addWidget(self._guarded, 4, 1)
        row = QHBoxLayout()
        row.addWidget(self._write)
        row.addStretch()
        form.addLayout(row, 5, 1)
        form.setColumnMinimumWidth(1, 460)
        form.setColumnStretch(3, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 12, 20, 12)
        column.addWidget(self._notice)
        column.addLayout(form)
        column.addStretch()
        for field in (self._name, self._path):
            field.editingFinished.connect(self._changed)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a delivery and the rows it would write."""
        if not isinstance(item, DeliveryItem):
            return
        table = self.session.results.rows.get(item.id)
        self._name.setText(item.name)
        self._path.setText(item.path)
        self._guarded.setChecked(item.guarded)
        self._guarded.setVisible(
            Path(item.path).suffix.lower() == ".csv"
        )  # in sheets they are texts
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
        item = self.session.selected_item
        return item if isinstance(item, DeliveryItem) else None

    def _changed(self) -> None:
        item = self._item()
        if item is None or (self._name.text(), self._path.text()) == (item.name, item.path):
            return
        path = self._written_path()
        if str(path) != item.path and not self._may_be_made(path.parent):
            self._path.setText(item.path)
            return
        if not self.session.do(SetDelivery(item.id, self._name.text(), str(path))):
            self._name.setText(item.name)
            self._path.setText(item.path)

    def _guard(self, guarded: bool) -> None:
        item = self._item()
        if item is not None:
            self.session.do(SetItem(item.but(guarded=guarded), "Change how texts are delivered"))

    def _written_path(self) -> Path:
        """Return the path in the field: ~ is the home folder, else from the trellis's folder."""
        folder = self.session.path.parent if self.session.path else Path.cwd()
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
            self.session.deliver([item.id])


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
