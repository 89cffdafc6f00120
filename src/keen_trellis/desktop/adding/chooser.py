"""Adding lanes: what a file, folder or database holds, shown as it will be read."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMessageBox,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.errors import PasswordError, UserError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Cancelled
from keen_trellis.base.words import counted, listed
from keen_trellis.data import Kind
from keen_trellis.deliver import cells_as_text
from keen_trellis.desktop.adding.entries import Entry, entries_of, nice_name, rows_to_look_at
from keen_trellis.desktop.adding.kind_menu import offer_kinds
from keen_trellis.desktop.adding.passwords import ask_password
from keen_trellis.desktop.adding.recent import Place
from keen_trellis.desktop.adding.source_form import NoticedLines, SourceForm
from keen_trellis.desktop.adding.typed_grid import PASTING
from keen_trellis.desktop.bench.grid import Grid, put_on_clipboard
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, button, label
from keen_trellis.desktop.frames import answers, dialog_column
from keen_trellis.desktop.jobs import Jobs
from keen_trellis.desktop.theme import Theme
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.document import QuerySource, Source, TableSource, Trellis, TypedSource, edits
from keen_trellis.read import Reading
from keen_trellis.run.source_reading import read_source
from keen_trellis.servers.secrets import Locked, LockedFile, Secrets
from keen_trellis.servers.server import Server

_TYPING_PAUSE_MS, _ADD_WIDTH = 250, 260


class Chooser(QDialog):
    """Shows what is in a place and how it would be read; each lane gets a name here.

    Parameters
    ----------
    place : Path or Database, or TypedSource
        Where to look, or cells to begin a typed table with.
    trellis, secrets, theme, parent
    """

    def __init__(
        self,
        place: Place | TypedSource,
        trellis: Trellis,
        secrets: Secrets,
        theme: Theme,
        parent: QWidget | None,
    ) -> None:
        super().__init__(parent)
        self.setObjectName("chooser")
        self.setWindowTitle(tr("Add lanes"))
        self.resize(1040, 640)
        self._place, self._trellis, self._secrets, self._theme = place, trellis, secrets, theme
        self._jobs = Jobs()
        self.destroyed.connect(self._jobs.leave)  # whoever takes the window away takes this, too
        self._request = 0
        self._entries: list[Entry] = []
        self._readable: dict[int, bool] = {}
        self._reading: Reading | None = None
        self._build()
        self._lay_out()
        self._list.currentRowChanged.connect(lambda _: self._show_entry())
        self._list.itemChanged.connect(lambda _: self._show_choice())
        self._pause = QTimer(self, singleShot=True, interval=_TYPING_PAUSE_MS)
        self._pause.timeout.connect(self._look)
        self._look_into_place()

    def _build(self) -> None:
        self._list = QListWidget()
        self._list.setObjectName("chooser.tables")
        self._list.setAccessibleName(
            tr("Tables that can be brought in; the checked ones become lanes")
        )
        self._list.setFixedWidth(250)
        self._list.hide()
        self._hint = label(tr("Check several to bring them in together."), soft=True, small=True)
        self._hint.hide()
        self._name = QLineEdit()
        self._name.setObjectName("chooser.name")
        self._name.setAccessibleName(tr("Name of the lane"))
        self._name.setMinimumWidth(220)
        self._name.textEdited.connect(self._name_typed)
        self._notice = Notice("chooser.trouble")
        self._password = button(tr("Enter the password …"), "chooser.password", self._ask_password)
        self._password.setAutoDefault(False)
        self._password.hide()
        self._form = SourceForm("chooser.form", self._theme)
        self._form.changed.connect(self._changed)
        self._form.cells.refused.connect(self._notice.tell)
        self._form.hide()  # until there is something to read
        self._noticed = NoticedLines("chooser.noticed", 3)
        self._noticed.mended.connect(self._changed)
        self._size = label(soft=True)
        self._size.setObjectName("chooser.size")
        self._grid = Grid(self._theme, "chooser.grid", self)
        self._grid.show_kinds()
        self._grid.kind_asked.connect(self._offer_kinds)
        self._grid.copy_asked.connect(
            lambda table, columns, rows: put_on_clipboard(cells_as_text(table, columns, rows))
        )
        self._progress = QProgressBar()
        self._progress.setTextVisible(False)
        self._progress.setRange(0, 1000)
        self._add = button(tr("Add this lane"), "chooser.add", self.accept, "main")
        self._add.setEnabled(False)

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        title, where = _place_words(self._place)
        top.addWidget(label(title, heading=True))
        top.addWidget(label(where, soft=True), 1)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self._form, 1 if isinstance(self._place, TypedSource) else 0)
        right.addWidget(self._noticed)
        trouble = QHBoxLayout()
        trouble.addWidget(self._notice, 1)
        trouble.addWidget(self._password)
        right.addLayout(trouble)
        right.addWidget(self._grid, 1)
        right.addWidget(self._progress)
        middle = QHBoxLayout()
        middle.setSpacing(16)
        left = QVBoxLayout()
        left.addWidget(self._list, 1)
        left.addWidget(self._hint)
        middle.addLayout(left)
        middle.addLayout(right, 1)
        bottom = QHBoxLayout()
        bottom.addWidget(label(tr("Name of the lane"), soft=True))
        bottom.addWidget(self._name)
        bottom.addSpacing(12)
        bottom.addWidget(self._size)
        cancel = button(tr("Cancel"), "chooser.cancel", self.reject)
        bottom.addLayout(answers((cancel, self._add)), 1)
        column = dialog_column(self)
        column.addLayout(top)
        column.addLayout(middle, 1)
        column.addLayout(bottom)

    @property
    def lanes(self) -> tuple[edits.AddLane, ...]:
        """The lanes that were chosen, with their names."""
        return tuple(
            edits.AddLane(self._entries[row].name, self._entries[row].source)
            for row in self._chosen()
        )

    def paste(self, text: str) -> None:
        """Put copied cells into a table that is typed in."""
        self._form.cells.paste(text)

    # what there is

    def _look_into_place(self) -> None:
        place = self._place
        if isinstance(place, TypedSource):
            name = self._trellis.fresh_lane_name(tr("Typed in"))
            self._listed([Entry(tr("typed in"), "", place, name)])
            self._form.cells.setFocus()
            return
        self._notice.tell("")
        self._password.hide()
        self._jobs.start(
            lambda report: entries_of(place, self._secrets, report), self._listed, self._failed
        )

    def _listed(self, entries: list[Entry]) -> None:
        taken = self._trellis.fresh_lane_name
        self._entries = [replace(entry, name=taken(entry.name)) for entry in entries]
        # Each item that is added would be looked at, and read, on its own.
        self._list.blockSignals(True)
        self._list.clear()
        for entry in entries:
            remark = f"   {entry.remark}" if entry.remark else ""
            item = QListWidgetItem(f"{entry.text}{remark}")
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Unchecked)
            self._list.addItem(item)
        self._list.blockSignals(False)
        self._list.setVisible(len(entries) > 1)
        self._hint.setVisible(len(entries) > 1)
        self._list.setCurrentRow(0)
        if len(entries) > 1:
            self._list.setFocus()

    def _chosen(self) -> list[int]:
        """Return the checked entries, or else the one that is looked at."""
        rows = range(self._list.count())
        checked = [r for r in rows if self._list.item(r).checkState() == Qt.CheckState.Checked]
        return checked or [self._list.currentRow()]

    def _show_choice(self) -> None:
        chosen = [row for row in self._chosen() if row >= 0]
        ready = all(self._readable.get(row, True) and self._named(row) for row in chosen)
        looked_at = self._readable.get(self._list.currentRow(), False)
        names = [self._entries[row].name for row in chosen]
        if chosen == [self._list.currentRow()] or not chosen:
            words = tr("Add this lane")
        else:  # one that is checked is added, whichever is looked at
            words = (
                tr("Add {chosen} lanes", chosen=len(chosen))
                if len(chosen) > 1
                else tr("Add “{names_1}”", names_1=names[0])
            )
        shown = Qt.TextElideMode.ElideMiddle
        self._add.setText(self._add.fontMetrics().elidedText(words, shown, _ADD_WIDTH))
        self._add.setToolTip(as_it_is(tr("Adds {names}.", names=listed(names))) if chosen else "")
        self._add.setEnabled(bool(chosen) and ready and (len(chosen) > 1 or looked_at))

    def _named(self, row: int) -> bool:
        return bool(self._entries[row].name.strip())

    # the one that is looked at

    @property
    def _entry(self) -> Entry | None:
        row = self._list.currentRow()
        return self._entries[row] if 0 <= row < len(self._entries) else None

    def _set_entry(self, entry: Entry) -> None:
        self._entries[self._list.currentRow()] = entry

    def _show_entry(self) -> None:
        entry = self._entry
        if entry is None:
            return
        self._reading = None
        self._name.setText(entry.name)
        self._size.setText("")
        self._form.show()
        self._form.show_source(entry.source, None)
        self._noticed.hide()
        self._look()

    def _name_typed(self, name: str) -> None:
        if self._entry is not None:
            self._set_entry(replace(self._entry, name=name))
            self._show_choice()

    def _changed(self, source: Source) -> None:
        """Take another way to read what is looked at, and read it again at once."""
        if self._entry is None:
            return
        self._set_entry(replace(self._entry, source=source))
        if isinstance(source, TypedSource):
            self._pause.start()  # while somebody types
            return
        if isinstance(source, TableSource):
            self._form.show_source(source, self._reading)
        self._look()

    def _look(self) -> None:
        """Read what is looked at, and show it; only the newest answer counts."""
        entry, row = self._entry, self._list.currentRow()
        if entry is None:
            return
        source = entry.source
        # Answers of older requests may still be on their way; they find another number and are
        # dropped.
        self._request += 1
        request = self._request
        # Unknown again until it has been read: a lane is not added that nobody has seen readable.
        self._readable.pop(row, None)
        self._jobs.stop_all()
        self._show_choice()
        if isinstance(source, QuerySource) and not source.query:
            self._grid.hide()
            self._notice.tell("")
            self._progress.hide()
            return
        self._progress.setValue(0)
        self._progress.show()

        def done(reading: Reading) -> None:
            if request == self._request:
                self._readable[row] = True
                self._show(reading, source)

        def failed(error: Exception) -> None:
            if request == self._request:
                self._readable[row] = False
                self._failed(error)

        self._jobs.start(
            lambda report: read_source(source, self._secrets, report, rows_to_look_at(source)),
            done,
            failed,
            lambda fraction, _: self._progress.setValue(int(1000 * fraction)),
        )

    def _show(self, reading: Reading, source: Source) -> None:
        self._reading = reading
        table = reading.table
        self._progress.hide()
        self._notice.tell("")
        self._password.hide()
        size = f"{counted(len(table), 'row')}, {counted(len(table.columns), 'column')}"
        whole = tr("; the rest is read when the lane is added")
        self._size.setText(
            tr("First {size}{whole}", size=size, whole=whole) if reading.partial else size
        )
        self._form.show_source(source, reading)
        self._noticed.show_noticed(reading.noticed, source)
        colours = self._theme.lane(self._trellis.fresh_colour())
        self._grid.show_table(table, Origins({"": self._name.text()}, {"": colours}))
        self._grid.setVisible(bool(table.columns))
        self._show_choice()

    def _failed(self, error: Exception) -> None:
        self._progress.hide()
        if isinstance(error, Cancelled):
            return
        # Raised within an event of the window: its hook shows it as a fault of the program.
        if not isinstance(error, UserError):
            raise error
        self._size.setText("")
        self._noticed.hide()
        typing = isinstance(self._place, TypedSource)
        self._notice.tell("" if typing else str(error))
        self._password.setVisible(isinstance(error, PasswordError))
        self._grid.hide()
        self._show_choice()

    def _offer_kinds(self, column: str) -> None:
        entry = self._entry
        if entry is None or self._reading is None:
            return
        kind: Kind = self._reading.table.field(column).kind
        at = self._grid.column_place(column)
        offer_kinds(self, entry.source, column, current=kind, at=at, chosen=self._changed)

    def _ask_password(self) -> None:
        locked: Locked | None = self._place if isinstance(self._place, Server) else None
        if isinstance(self._place, Path):
            locked = LockedFile.of(self._place)
        if locked is not None and ask_password(self, locked, self._secrets):
            self._look_into_place()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Let Return finish a field of the form; only elsewhere does it add the lane."""
        # A dialog's default button takes Return from wherever it is pressed, also from a field
        # where somebody has just finished typing.
        returns = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if returns and self._form.isAncestorOf(self.focusWidget()):
            return
        super().keyPressEvent(event)

    def reject(self) -> None:
        """Close, unless there are typed cells and they are not to be thrown away."""
        typed = self._entry.source if self._entry else None
        if isinstance(typed, TypedSource) and (typed.columns or typed.rows):
            buttons = QMessageBox.StandardButton
            answer = QMessageBox.question(
                self,
                "Keen Trellis",
                tr("Throw away the cells that were typed in?"),
                buttons.Discard | buttons.Cancel,
                buttons.Cancel,
            )
            if answer != buttons.Discard:
                return
        super().reject()

    def done(self, result: int) -> None:
        self._jobs.leave()  # a slow read ends by itself
        super().done(result)


def _place_words(place: Place | TypedSource) -> tuple[str, str]:
    """Return a title and a place in words."""
    if isinstance(place, TypedSource):
        return tr("Type in a table"), PASTING
    if isinstance(place, Server):
        return place.database, tr(
            "{nice_name} on {host} as {user}",
            nice_name=nice_name(place.type),
            host=place.host,
            user=place.user,
        )
    path = Path(place.path) if not isinstance(place, Path) else place
    return path.name, str(path.parent)
