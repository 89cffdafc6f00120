"""A place to run at: what it is called, and where a server or a cluster is."""

from __future__ import annotations

from PySide6.QtGui import QIntValidator
from PySide6.QtWidgets import (
    QDialog,
    QLineEdit,
    QWidget,
)

from keen_trellis.desktop.adding.passwords import ConnectDialog, Pick
from keen_trellis.desktop.controls import Notice, button, label
from keen_trellis.desktop.frames import answers, dialog_column, dialog_form
from keen_trellis.document.places import RunPlace
from keen_trellis.places.place import SparkCluster
from keen_trellis.read import Secrets

_SORTS = (("postgresql", "PostgreSQL"), ("spark", "Spark cluster"))


class PlaceDialog(QDialog):
    """Asks for a place; `place` is it once it was agreed to."""

    def __init__(self, secrets: Secrets, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self.setWindowTitle("A place to run")
        self.setMinimumWidth(560)
        self._secrets = secrets
        self.place: RunPlace | None = None
        self._name = _field("place.name", "Name", "")
        self._name.setPlaceholderText("what you call it")
        self._sort = Pick("place.sort", "Sort of place", _SORTS)
        self._host = _field("place.host", "Host", "localhost")
        self._port = _field("place.port", "Port", "")
        self._port.setPlaceholderText("the usual one")
        self._port.setValidator(QIntValidator(1, 65535, self))
        self._sees = _field("place.sees", "Folders that it reads", "")
        self._sees.setPlaceholderText("folders it reads under the same paths, with commas")
        self._notice = Notice("place.trouble")
        self._lay_out()
        self._sort.chosen.connect(lambda _: self._show_sort())
        self._show_sort()

    def _lay_out(self) -> None:
        form = dialog_form()
        form.addRow("Called", self._name)
        form.addRow("It is", self._sort)
        form.addRow("Host", self._host)
        form.addRow("Port", self._port)
        form.addRow("It sees", self._sees)
        self._form = form
        self._next = label("Its address and account are asked for next.", soft=True)
        column = dialog_column(self)
        column.addWidget(label("A place where the trellis can run", heading=True))
        said = "Tables and files that lie there stay there; small lanes are sent along."
        column.addWidget(label(said, soft=True))
        column.addLayout(form)
        column.addWidget(self._next)
        column.addWidget(self._notice)
        cancel = button("Cancel", "place.cancel", self.reject)
        column.addLayout(answers((cancel, button("Take it", "place.go", self._take, "main"))))

    def _show_sort(self) -> None:
        is_cluster = self._sort.value == "spark"
        for field in (self._host, self._port, self._sees):
            self._form.setRowVisible(field, is_cluster)
        self._next.setVisible(not is_cluster)

    def _take(self) -> None:
        name = self._name.text().strip()
        if not name:
            self._notice.tell("Give the place a name.")
            return
        if self._sort.value == "spark":
            if not self._host.text().strip():
                self._notice.tell("Host must be filled in.")
                return
            port = int(self._port.text()) if self._port.text() else None
            sees = tuple(one.strip() for one in self._sees.text().split(",") if one.strip())
            self.place = RunPlace(name=name, at=SparkCluster(self._host.text().strip(), port, sees))
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
