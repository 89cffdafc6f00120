"""A place to run at: what it is called, and where a server or a cluster is."""

from __future__ import annotations

from PySide6.QtGui import QIntValidator
from PySide6.QtWidgets import (
    QDialog,
    QLineEdit,
    QWidget,
)

from keen_trellis.base.language import tr
from keen_trellis.desktop.adding.passwords import ConnectDialog, Pick
from keen_trellis.desktop.controls import Notice, button, label
from keen_trellis.desktop.frames import answers, dialog_column, dialog_form
from keen_trellis.document.places import RunPlace
from keen_trellis.places.known import PLACES
from keen_trellis.places.place_kind import AskedFor, PlaceKind
from keen_trellis.servers.secrets import Secrets


class PlaceDialog(QDialog):
    """Asks for a place; `place` is it once it was agreed to."""

    def __init__(self, secrets: Secrets, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self.setWindowTitle(tr("A place to run"))
        self.setMinimumWidth(560)
        self._secrets = secrets
        self.place: RunPlace | None = None
        self._name = _field("place.name", tr("Name"), "")
        self._name.setPlaceholderText(tr("what you call it"))
        sorts = [(kind.type, kind.words) for kind in PLACES.values()]
        self._sort = Pick("place.sort", tr("Sort of place"), sorts)
        self._fields = {
            kind.type: {one.name: self._field_for(one) for one in kind.asks}
            for kind in PLACES.values()
        }
        self._notice = Notice("place.trouble")
        self._lay_out()
        self._sort.chosen.connect(lambda _: self._show_sort())
        self._show_sort()

    def _lay_out(self) -> None:
        form = dialog_form()
        form.addRow(tr("Called"), self._name)
        form.addRow(tr("It is"), self._sort)
        for kind in PLACES.values():
            for one in kind.asks:
                form.addRow(one.label, self._fields[kind.type][one.name])
        self._form = form
        self._next = label(tr("Its address and account are asked for next."), soft=True)
        column = dialog_column(self)
        column.addWidget(label(tr("A place where the trellis can run"), heading=True))
        said = tr("Tables and files that lie there stay there; small lanes are sent along.")
        column.addWidget(label(said, soft=True))
        column.addLayout(form)
        column.addWidget(self._next)
        column.addWidget(self._notice)
        cancel = button(tr("Cancel"), "place.cancel", self.reject)
        column.addLayout(answers((cancel, button(tr("Take it"), "place.go", self._take, "main"))))

    def _field_for(self, asked: AskedFor) -> QLineEdit:
        field = _field(f"place.{asked.name}", asked.says, asked.usual)
        field.setPlaceholderText(asked.hint)
        if asked.is_number:
            field.setValidator(QIntValidator(1, 65535, self))
        return field

    @property
    def _kind(self) -> PlaceKind:
        return PLACES[self._sort.value]

    def _show_sort(self) -> None:
        for sort, fields in self._fields.items():
            for field in fields.values():
                self._form.setRowVisible(field, sort == self._kind.type)
        self._next.setVisible(self._kind.has_account)

    def _take(self) -> None:
        name = self._name.text().strip()
        if not name:
            self._notice.tell(tr("Give the place a name."))
            return
        if not self._kind.has_account:
            given = {one: field.text() for one, field in self._fields[self._kind.type].items()}
            try:
                self.place = RunPlace(name=name, at=self._kind.address_of(given))
            except ValueError as fault:
                self._notice.tell(str(fault))
                return
            self.accept()
            return
        asking = ConnectDialog(self._secrets, self, runs=True)
        if asking.exec() == QDialog.DialogCode.Accepted and asking.server is not None:
            self.place = RunPlace(name=name, at=asking.server)
            self.accept()


def _field(name: str, says: str, text: str) -> QLineEdit:
    made = QLineEdit(text)
    made.setObjectName(name)
    made.setAccessibleName(says)
    return made
