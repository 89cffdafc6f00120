"""The Source page of a lane: where it comes from, how it is read, and all that was noticed."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.desktop.adding.source_form import NoticedLines, SourceForm
from keen_trellis.desktop.adding.typed_grid import PASTING
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, button, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import Lane, QuerySource, Source, TableSource, TypedSource, edits
from keen_trellis.document.items import Item
from keen_trellis.read import Reading, SetApart
from keen_trellis.servers.server import Server

_TYPING_PAUSE_MS = 400
_NOTICED_AT_MOST = 40
_LINES_AT_MOST = 200


class SourcePage(Page):
    """How a lane is read, every part of it to be changed here; each change can be undone."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._lane: Lane | None = None
        self._typed: tuple[str, TypedSource] | None = None
        self._where = label(strong=True)
        self._where.setObjectName("source.where")
        self._place = label(soft=True)
        self._place.setObjectName("source.place")
        self._move = button(tr("Choose another place …"), "source.move", self._ask_moving)
        self._again = button(tr("Read again"), "source.again", self._read_again, "soft")
        self._begin = button(tr("Show where it begins"), "source.begin", self._show_beginning)
        self._facts = label(soft=True)
        self._facts.setObjectName("source.facts")
        self._form = SourceForm("source.form", theme)
        self._form.changed.connect(self._changed)
        self._notice = Notice("source.trouble")
        self._form.cells.refused.connect(self._notice.tell)
        self._noticed = NoticedLines("source.noticed", _NOTICED_AT_MOST)
        self._noticed.mended.connect(self._mended)
        self._apart = label(soft=True)
        self._apart.setObjectName("source.apart")
        self._apart.setWordWrap(True)
        self._pause = QTimer(self, singleShot=True, interval=_TYPING_PAUSE_MS)
        self._pause.timeout.connect(self._take_typed)
        session.telling.typing_ends.connect(self._take_typed)
        self._lay_out()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.setSpacing(10)
        head.addWidget(self._where)
        head.addWidget(self._place, 1)
        head.addWidget(self._move)
        head.addWidget(self._again)
        head.addWidget(self._begin)
        inner = QWidget()
        column = self._column = QVBoxLayout(inner)
        column.setContentsMargins(20, 10, 20, 10)
        column.setSpacing(10)
        column.addLayout(head)
        column.addWidget(self._notice)
        column.addWidget(self._form)
        column.addWidget(self._facts)
        column.addWidget(self._noticed)
        column.addWidget(self._apart)
        column.addStretch(1)
        scroll = QScrollArea()
        scroll.setAccessibleName(tr("All that is said of the source"))
        scroll.setObjectName("source.scroll")
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setWidgetResizable(True)
        scroll.setWidget(inner)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scroll)

    def _ask_moving(self) -> None:
        self.session.asked.emit("lane.move")

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a lane's source, and what its last reading told."""
        reading = self.session.results.readings.get(lane.id)
        if self._typed is not None and self._typed[0] != lane.id:
            QTimer.singleShot(0, self._take_typed)  # not from within what shows the new lane
        elif self._typed is not None:
            return  # what is being typed is newer than what was read
        self._lane = lane
        source, read = lane.source, reading if isinstance(reading, Reading) else None
        is_read = source.begins_at() is None
        begins = tr(
            "Begins with {begins_words}", begins_words=self.session.trellis.begins_words(lane)
        )
        self._where.setText(_title(source) if is_read else begins)
        self._place.setText(str(Path(source.place).parent) if source.place else _server(source))
        self._move.setVisible(bool(source.place))
        self._again.setVisible(is_read and not isinstance(source, TypedSource))
        self._begin.setVisible(not is_read)
        self._form.setVisible(is_read)
        self.tell_trouble(self._notice, reading)
        self._form.show_source(source, read)
        self._column.setStretchFactor(self._form, 20 if isinstance(source, TypedSource) else 0)
        self._noticed.show_noticed(read.noticed if read else (), source)
        self._facts.setText(_facts(read) if read else "")
        self._apart.setText(_apart_words(read.set_apart) if read else "")
        self._apart.setVisible(bool(self._apart.text()))

    def _changed(self, source: Source) -> None:
        if self._lane is None:
            return
        if isinstance(source, TypedSource):
            self._typed = (self._lane.id, source)  # another lane may be shown by then
            self._pause.start()
        else:
            self.session.do(edits.SetSource(self._lane.id, source))

    def _take_typed(self) -> None:
        """Take what was typed, once nobody types for a moment."""
        if self._typed is None:
            return
        lane, source = self._typed
        self._typed = None
        if source.columns and any(one.id == lane for one in self.session.trellis.lanes):
            self.session.do(edits.SetSource(lane, source, tr("Type into a table")))

    def _mended(self, source: Source) -> None:
        if self._lane is not None:
            self.session.do(edits.SetSource(self._lane.id, source))

    def _show_beginning(self) -> None:
        if self._lane is not None:
            self.session.select(self.session.trellis.begins_after(self._lane))

    def _read_again(self) -> None:
        if self._lane is not None:
            self.session.work.run(reread={self._lane.id})


def _title(source: Source) -> str:
    if isinstance(source, TypedSource):
        return tr("Typed in, and kept in the trellis")
    if isinstance(source, TableSource | QuerySource):
        what = source.table if isinstance(source, TableSource) else tr("a query")
        return f"{source.database.label} › {what}"
    return Path(source.place).name


def _facts(reading: Reading) -> str:
    """Return how much was read, and the age and size of the file it was read from."""
    table = reading.table
    words = tr(
        "{rows} and {columns} were read",
        rows=counted(len(table), "row"),
        columns=counted(len(table.columns), "column"),
    )
    if len(reading.files) == 1:
        (stamp,) = reading.files
        changed = dt.datetime.fromtimestamp(stamp.changed_ns / 1e9)
        words += tr(
            " from the file of {changed:%Y-%m-%d %H:%M}, {max:,} KB",
            changed=changed,
            max=max(stamp.size >> 10, 1),
        )
    elif reading.files:
        size = sum(stamp.size for stamp in reading.files)
        words += tr(
            " from {files}, {max:,} KB",
            files=counted(len(reading.files), "file"),
            max=max(size >> 10, 1),
        )
    return f"{words}." if reading.noticed else tr("{words}. Nothing stands out.", words=words)


def _server(source: Source) -> str:
    if source.begins_at() is not None:
        return tr("Nothing is read for it: its rows follow what is done where it begins")
    database = getattr(source, "database", None)
    if not isinstance(database, Server):
        return PASTING
    ways = {"asked": tr("password asked for"), "keyring": tr("password in the keyring")}
    elsewhere = tr("password in {place}", place=database.password)
    return tr(
        "as {user}, {secret}",
        user=database.user,
        secret=ways.get(database.password, elsewhere),
    )


def _apart_words(apart: tuple[SetApart, ...]) -> str:
    """Return the lines that are not in the table, as they stand in their files."""
    if not apart:
        return ""
    shown = [
        tr(
            "{file}, line {value} ({why}):  {text}",
            file=a.file,
            value=a.line or "?",
            why=a.why,
            text=a.text[:160],
        )
        for a in apart[:_LINES_AT_MOST]
    ]
    more = len(apart) - len(shown)
    tail = [tr("and {more:,} more", more=more)] if more else []
    return "\n".join([tr("Set apart, and not in the table:"), *shown, *tail])
