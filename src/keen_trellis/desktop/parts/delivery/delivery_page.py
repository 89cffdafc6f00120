"""The page of a delivery: where rows are written, in which form, and what that would change."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any, get_args

from pydantic import ValidationError
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

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.base.words import counted, listed
from keen_trellis.data import Table
from keen_trellis.deliver import endings, has_sheets, is_text
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.rows_card import RowsCard
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, button, label
from keen_trellis.desktop.help.topics import A_PROMISE_BROKEN, WHY
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme, value_font
from keen_trellis.document import Lane, edits
from keen_trellis.document.items import DeliveryItem, IntoTable, Item, JoinItem
from keen_trellis.document.items.delivery import DATE
from keen_trellis.layouts.delivered_text import Encoding
from keen_trellis.run.facts import JoinFacts
from keen_trellis.servers.server import Database, SqliteFile

_DELIMITERS = {",": tr("commas"), ";": tr("semicolons"), "\t": tr("tabs"), "|": tr("bars")}
_DECIMALS = {".": tr("a point"), ",": tr("a comma")}
_LINE_ENDS = {
    "line feed": tr("line feeds"),
    "carriage return and line feed": tr("CR and line feeds"),
}
_QUOTINGS = {
    "where needed": tr("where needed"),
    "texts": tr("around texts"),
    "all": tr("around everything"),
}
_HOWS = {
    "make": tr("which must not be there yet"),
    "replace": tr("in place of one that is there"),
    "add": tr("below the rows that are there"),
    "update": tr("changing the rows of the same key"),
}
_FILE, _NEW_FILE, _NEW_SERVER = tr("a file"), tr("an SQLite file …"), tr("a database on a server …")
_TABLE_NAME_WIDTH = 180


class DeliveryPage(Page):
    """Where an outcome is written and how, its rows, and the button that writes it."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._name, self._path = QLineEdit(), QLineEdit()
        self._name.setObjectName("delivery.name")
        self._path.setObjectName("delivery.path")
        self._name.setAccessibleName(tr("Name of the delivery"))
        self._path.setAccessibleName(tr("File of the delivery"))
        self._path.setToolTip(
            tr("{date} in the name stands for the day on which it is written", date=DATE)
        )
        self._name.setFixedWidth(220)
        self._rows = label(strong=True)
        self._rows.setObjectName("delivery.rows")
        self._there = label(soft=True)
        self._there.setObjectName("delivery.there")
        self._notice = Notice("delivery.trouble")
        self._write = button(tr("Deliver now"), "delivery.write", self._deliver, "main")
        self._choose_file = button(tr("Choose …"), "delivery.choose", self._choose)
        self._where = label(tr("File"), soft=True)
        self._sentence = Sentence("delivery.sentence")
        self._spoiled = label(soft=True)
        self._spoiled.setObjectName("delivery.spoiled")
        self._spoiled.setWordWrap(True)
        self._guarded = QCheckBox(
            tr("Write texts such as =1+1 so that a spreadsheet does not run them")
        )
        self._guarded.setObjectName("delivery.guarded")
        self._guarded.setToolTip(tr("They stand behind an apostrophe then"))
        self._guarded.clicked.connect(lambda guarded: self._change(guarded=guarded))
        self._card = RowsCard("delivery.card", theme, self, tr("No row would be written."))
        self._looked_at: object = None
        self._lay_out()
        for field in (self._name, self._path):
            field.editingFinished.connect(self._changed)

    def _lay_out(self) -> None:
        form = QGridLayout()
        form.setHorizontalSpacing(12)
        form.setVerticalSpacing(7)
        form.addWidget(label(tr("Name"), soft=True), 0, 0)
        form.addWidget(self._name, 0, 1)
        form.addWidget(self._where, 1, 0)
        form.addWidget(self._path, 1, 1, 1, 2)
        form.addWidget(self._choose_file, 1, 3)
        form.setColumnStretch(2, 1)
        says = QHBoxLayout()
        says.setSpacing(14)
        for widget in (self._write, self._rows, self._there):
            says.addWidget(widget)
        says.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 10, 20, 10)
        column.setSpacing(8)
        column.addWidget(self._notice)
        column.addLayout(form)
        for below in (self._sentence, self._guarded, self._spoiled):
            column.addWidget(below)
        column.addLayout(says)
        column.addWidget(self._card, 1)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._sentence.forget()
        self._card.set_theme(theme)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a delivery and the rows it would write."""
        if not isinstance(item, DeliveryItem):
            return
        table = self.session.results.rows.get(item.id)
        to_file = item.into is None
        self._name.setText(item.name)
        self._path.setText(item.path)
        for widget in (self._where, self._path, self._choose_file):
            widget.setVisible(to_file)
        self._guarded.setChecked(item.guarded)
        self._guarded.setVisible(to_file and is_text(Path(item.path)))  # in sheets they are texts
        broken = self.session.results.broken_before(item.id)
        self._tell_trouble(item, table, broken)
        known = table.fields if isinstance(table, Table) else ()
        join = self._join_before(lane, item)
        key = (item, known, join)
        self._sentence.say(key, lambda: self._tell(item, join, table))
        self._write.setEnabled(isinstance(table, Table) and not broken)
        if isinstance(table, Table):
            columns = counted(len(table.columns), "column")
            self._rows.setText(
                tr("{rows} of {columns}", rows=counted(len(table), "row"), columns=columns)
            )
            self._card.show_head(
                tr("What would be written"), len(table), True, origins.colours[lane.id]
            )
            self._card.show_rows(table, origins, set())
            self._find_spoiled(table, item)
        else:
            self._rows.setText(tr("No rows yet"))
            self._spoiled.hide()
        self._card.setVisible(isinstance(table, Table))
        self._show_what_is_there(item)

    def _tell_trouble(self, item: DeliveryItem, table: object, broken: Sequence[JoinFacts]) -> None:
        """Say why nothing can be written, or what has to be decided before it is."""
        if isinstance(table, UserError) or not broken:
            self.tell_trouble(self._notice, table)
            return
        said = [f"{join.name}: {one}" for join in broken for one in join.broken]
        self._notice.tell(
            tr(
                "A promise is broken that these rows come through, so they are not delivered. "
                "{said}.",
                said="; ".join(said),
            ),
            (tr("Go to {name}", name=broken[0].name), partial(self.session.select, broken[0].id)),
            (tr("Deliver despite it"), partial(self.session.delivering.deliver, [item.id], True)),
            (WHY, partial(self.session.telling.help_wanted.emit, A_PROMISE_BROKEN)),
        )

    def _show_what_is_there(self, item: DeliveryItem) -> None:
        path = item.target(dt.date.today()) if item.into is None else None
        self._write.setText(tr("Deliver now"))
        if item.into is not None:
            self._there.setText("")
        elif path is not None and path.exists():
            when = dt.datetime.fromtimestamp(path.stat().st_mtime)
            self._there.setText(
                tr(
                    "A file of that name is there, of {when:%Y-%m-%d %H:%M}. Delivering "
                    "replaces it.",
                    when=when,
                )
            )
            self._write.setText(tr("Deliver and replace it"))
        elif path is not None and DATE in item.path:
            self._there.setText(
                tr("Today it would be {name}, which is not there yet.", name=path.name)
            )
        else:
            self._there.setText(tr("The file is not there yet."))
        self._write.setAccessibleName(self._write.text())

    def _find_spoiled(self, table: Table, item: DeliveryItem) -> None:
        """Say what the format would change; found aside, since every cell is looked at."""
        # All that the answer depends on: tables are never changed, so the same one stands for its
        # cells.
        asked = (table, item.path, item.into, item.guarded)
        if self._looked_at == asked:
            return
        self._looked_at = asked
        self._spoiled.hide()
        into = item.into
        if into is None and not (has_sheets(Path(item.path)) or is_text(Path(item.path))):
            return

        def look(report: Report) -> tuple[str, ...]:
            if into is not None:
                return (_stored_as(table, into),)
            from keen_trellis.deliver.spoiled import spoiled

            return spoiled(table, Path(item.path), report, guarded=item.guarded)

        def show(said: tuple[str, ...]) -> None:
            if self._looked_at == asked:
                self._spoiled.setText(" ".join(said))
                self._spoiled.setVisible(bool(said))

        self.session.work.find_out(look, show, "")

    # the sentence

    def _tell(self, item: DeliveryItem, join: JoinItem | None, table: object) -> None:
        say = self._sentence
        say.word(tr("Write the rows to"))
        databases = self._databases()
        places = {"": _FILE} | {
            str(n): tr("a table of {label}", label=d.label) for n, d in enumerate(databases)
        }
        current = ""
        if item.into is not None:
            # `_databases` holds every database that the trellis names, also this one.
            own = [n for n, d in enumerate(databases) if d == item.into.database]
            current = str(own[0])
        places |= {"new": _NEW_FILE, "server": _NEW_SERVER}
        say.choice("delivery.place", tr("Where the rows go"), places, current, self._go_to)
        if item.into is not None:
            self._tell_table(item.into, table)
        elif is_text(Path(item.path)):
            self._tell_text(item)
        elif has_sheets(Path(item.path)):
            self._tell_sheets(item, join)

    def _tell_text(self, item: DeliveryItem) -> None:
        say, form = self._sentence, item.form

        def put(name: str, value: str) -> None:
            self._change(form={**{f: getattr(form, f) for f in form.__slots__}, name: value})

        if Path(item.path).suffix.lower() == ".csv":
            say.word(tr("with"))
            says = tr("What stands between cells")
            put_delimiter = partial(put, "delimiter")
            say.choice("delivery.delimiter", says, _DELIMITERS, form.delimiter, put_delimiter)
            say.word(tr("between cells,"))
        say.choice(
            "delivery.decimal",
            tr("The decimal mark"),
            _DECIMALS,
            form.decimal,
            partial(put, "decimal"),
        )
        say.word(tr("as decimal mark, in"))
        encodings = {one: tr(one) for one in get_args(Encoding)}
        say.choice(
            "delivery.encoding",
            tr("The encoding"),
            encodings,
            form.encoding,
            partial(put, "encoding"),
        )
        say.word(tr("with"))
        put_end = partial(put, "line_end")
        say.choice("delivery.line_end", tr("The end of a line"), _LINE_ENDS, form.line_end, put_end)
        say.word(tr("and quotes"))
        put_quoting = partial(put, "quoting")
        say.choice(
            "delivery.quoting", tr("Where quotes stand"), _QUOTINGS, form.quoting, put_quoting
        )

    def _tell_sheets(self, item: DeliveryItem, join: JoinItem | None) -> None:
        say = self._sentence
        offers = self._sheets(join)
        say.word(
            tr("with nothing beside them") if not item.beside else tr("and beside them, in sheets,")
        )
        for place, one in enumerate(item.beside):
            say.word(offers.get(one, tr("{sheet} (no join is before it)", sheet=one)))
            rest = (*item.beside[:place], *item.beside[place + 1 :])
            remove = partial(self._change, beside=rest)
            say.button("×", f"delivery.sheet.{place}.remove", tr("Leave this sheet out"), remove)
        left = {one: words for one, words in offers.items() if one not in item.beside}
        add = say.choice(
            "delivery.sheet.add",
            tr("One more sheet"),
            left,
            "",
            lambda one: self._change(beside=(*item.beside, one)),
        )
        add.setText(tr("+ sheet"))
        add.setEnabled(bool(left))

    def _sheets(self, join: JoinItem | None) -> dict[str, str]:
        """Return the sheets that there can be, in words."""
        made: dict[str, str] = {}
        if join is not None:
            lane, _ = self.session.trellis.place_of(join.id)
            other = self.session.trellis.lane(join.lane).name
            made["left"] = tr("the rows of {name} without {other}", name=lane.name, other=other)
            made["right"] = tr("the rows of {other} without {name}", other=other, name=lane.name)
            made["several"] = tr("the rows with several {other}", other=other)
        made["report"] = tr("the match report")
        return made

    def _tell_table(self, into: IntoTable, table: object) -> None:
        say = self._sentence
        say.word(tr("called"))

        def put(**changes: object) -> None:
            self._change(into=into.but(**changes))

        if not isinstance(into.database, SqliteFile):
            says = tr("The schema of the table; the usual one where it is empty")
            schema = into.in_schema or ""
            say.field(
                "delivery.schema",
                says,
                schema,
                90,
                lambda text: put(in_schema=text.strip() or None),
            )
            say.word(".")
        says = tr("The name of the table")
        say.field(
            "delivery.table",
            says,
            into.table,
            _TABLE_NAME_WIDTH,
            lambda text: put(table=text.strip()),
        )
        say.choice(
            "delivery.how", tr("A table of that name"), _HOWS, into.how, lambda how: put(how=how)
        )
        say.word(tr("with the key"))
        columns = table.columns if isinstance(table, Table) else ()
        keys = {"": tr("no key")} | {name: name for name in columns}
        say.choice(
            "delivery.key",
            tr("The column that tells its rows apart"),
            keys,
            into.key,
            lambda key: put(key=key),
            font=value_font() if into.key else None,
        )

    def _databases(self) -> list[Database]:
        """Return the databases that can be chosen: of its own and of lanes that read a server."""
        found: list[Database] = []
        item = self._item()
        if item is not None and item.into is not None:
            found.append(item.into.database)
        for lane in self.session.trellis.lanes:
            database = getattr(lane.source, "database", None)
            is_server = database is not None and not isinstance(database, SqliteFile)
            if database is not None and is_server and database not in found:
                found.append(database)
        return found

    def _go_to(self, place: str) -> None:
        item = self._item()
        if item is None:
            return
        if place == "":
            folder = self.session.path.parent if self.session.path else Path.cwd()
            self._change(into=None, path=str(folder / "out" / f"{item.name}.csv"))
            return
        if place == "new":
            start = str(Path(item.path).with_suffix(".sqlite")) if item.path else ""
            path, _ = QFileDialog.getSaveFileName(
                self,
                tr("A database in a file"),
                start,
                "*.sqlite;;*.db",
                options=QFileDialog.Option.DontConfirmOverwrite,  # other tables of it stay
            )
            if not path:
                return
            database: Database = SqliteFile(path)
        elif place == "server":
            from keen_trellis.desktop.adding.passwords import ConnectDialog

            asking = ConnectDialog(self.session.secrets, self, writes=True)
            asking.exec()
            if asking.server is None:
                return
            database = asking.server
        else:
            database = self._databases()[int(place)]
        name = item.into.table if item.into is not None else _as_table_name(item.name)
        self._change(path="", into=IntoTable(database=database, table=name))

    def _join_before(self, lane: Lane, item: DeliveryItem) -> JoinItem | None:
        place = lane.items.index(item) if item in lane.items else len(lane.items)
        return next((x for x in reversed(lane.items[:place]) if isinstance(x, JoinItem)), None)

    # changes

    def _item(self) -> DeliveryItem | None:
        item = self.session.selected_item
        return item if isinstance(item, DeliveryItem) else None

    def _change(self, **changes: Any) -> bool:
        item = self._item()
        if item is None:
            return False
        try:
            edit = edits.SetDelivery(item.but(**changes))
        except ValidationError as error:
            self.session.telling.trouble(edits.first_fault(error))
            return False
        return self.session.do(edit)

    def _changed(self) -> None:
        item = self._item()
        if item is None or (self._name.text(), self._path.text()) == (item.name, item.path):
            return
        if item.into is not None:
            self._change(name=self._name.text())
            return
        path = self._written_path()
        if str(path) != item.path and not self._may_be_made(path.parent):
            self._path.setText(item.path)
            return
        if not self._change(name=self._name.text(), path=str(path)):
            self._name.setText(item.name)
            self._path.setText(item.path)

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
            tr(
                "The folder {folder} is not there. Shall it be made when this is delivered?",
                folder=folder,
            ),
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
            self.session.delivering.deliver([item.id])


def _stored_as(table: Table, into: IntoTable) -> str:
    """Return how the columns of a table are stored in a database, in words."""
    if into.how == "add":
        return tr("Its columns stay as they are; rows that one of them would change are refused.")
    if into.how == "update":
        if not into.key:
            return tr("Choose the key that tells which row there is meant.")
        return tr(
            "Rows of a new key are added, those of one that is there change it, and all others "
            "there stay. What that comes to is said before anything is written."
        )
    from keen_trellis.deliver.database.target import Target, column_types

    target = Target(into.database, into.table, into.in_schema, into.how, into.key)
    types: dict[str, list[str]] = {}
    for name, stored in column_types(table, target).items():
        types.setdefault(stored, []).append(name)
    stored = tr(
        "Stored as {items}.", items="; ".join(f"{t}: {listed(names)}" for t, names in types.items())
    )
    if into.how == "replace":
        stored += tr(
            " A table that is there keeps its types, rights, indexes and triggers where its "
            "columns hold these rows."
        )
    return stored


def _as_table_name(name: str) -> str:
    made = "".join(letter if letter.isalnum() else "_" for letter in name.lower()).strip("_")
    return made or "rows"


def ask_delivery_path(parent: QWidget, start: str) -> str:
    """Ask for the file of a delivery; empty when nothing was chosen."""
    patterns = ";;".join(f"*{ending}" for ending in endings())
    options = QFileDialog.Option.DontConfirmOverwrite  # the delivery page says so before writing
    path, pattern = QFileDialog.getSaveFileName(
        parent, tr("Deliver to"), start, patterns, options=options
    )
    if path and Path(path).suffix.lower() not in endings():
        path += pattern.removeprefix("*") or endings()[0]
    return path
