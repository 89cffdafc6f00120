"""Asking for a password, and for a database and its account."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QIntValidator
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QLineEdit,
    QSizePolicy,
    QWidget,
)

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.desktop.controls import Choice, Notice, button, label
from keen_trellis.desktop.frames import answers, dialog_column
from keen_trellis.servers.secrets import Locked, LockedFile, Secrets
from keen_trellis.servers.server import Server

_TYPES = (("postgresql", tr("PostgreSQL")), ("mariadb", tr("MariaDB or MySQL")))
_WAYS = (
    ("asked", tr("is asked for each time")),
    ("keyring", tr("is kept in the desktop's keyring")),
    ("variable", tr("stands in a variable of the environment")),
)
_TLS = ("where offered", "always", "always, server verified", "never")


def ask_password(parent: QWidget, server: Locked, secrets: Secrets) -> bool:
    """Ask for the password of a server or workbook; tell whether one was given."""
    asking = PasswordDialog(server, secrets, parent)
    return asking.exec() == QDialog.DialogCode.Accepted


class PasswordDialog(QDialog):
    """One password: for this session, and for the keyring where that is wanted."""

    def __init__(self, server: Locked, secrets: Secrets, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setObjectName("password")
        self.setWindowTitle(tr("Password"))
        self._server, self._secrets = server, secrets
        self._field = _secret_field("password.field")
        self._keep = QCheckBox(tr("Keep it in the desktop's keyring"))
        self._keep.setObjectName("password.keep")
        self._keep.setChecked(server.password == "keyring")
        self._notice = Notice("password.trouble")
        column = dialog_column(self)
        is_file = isinstance(server, LockedFile)
        self._keep.setVisible(not is_file)
        called = server.label if is_file else server.account
        column.addWidget(label(tr("Password of {called}", called=called), strong=True))
        column.addWidget(self._field)
        column.addWidget(self._keep)
        column.addWidget(self._notice)
        cancel = button(tr("Cancel"), "password.cancel", self.reject)
        column.addLayout(
            answers((cancel, button(tr("Use it"), "password.give", self._give, "main")))
        )

    def _give(self) -> None:
        try:
            self._secrets.give(self._server, self._field.text(), self._keep.isChecked())
        except UserError as error:
            self._notice.tell(str(error))
            self._keep.setChecked(False)
            return
        self.accept()


class ConnectDialog(QDialog):
    """A database on a server: where it is, the account, and where the password comes from.

    Parameters
    ----------
    secrets, parent
    writes : bool
        Whether rows are to be written there; else it is only ever read.
    runs : bool
        Whether a trellis is to run there.
    """

    def __init__(
        self, secrets: Secrets, parent: QWidget | None, writes: bool = False, runs: bool = False
    ) -> None:
        super().__init__(parent)
        self.setObjectName("connect")
        title = tr("Deliver to a database") if writes else tr("Add lanes from a database")
        self.setWindowTitle(tr("A server to run on") if runs else title)
        self.setMinimumWidth(560)
        self._secrets, self._writes, self._runs = secrets, writes, runs
        self.server: Server | None = None
        self._type = Pick("connect.type", tr("Sort of database"), _TYPES[:1] if runs else _TYPES)
        self._host = _field("connect.host", tr("Host"), "localhost")
        self._port = _field("connect.port", tr("Port"), "")
        self._port.setPlaceholderText(tr("the usual one"))
        self._port.setValidator(QIntValidator(1, 65535, self))
        self._database = _field("connect.database", tr("Database"), "")
        self._user = _field("connect.user", tr("Account"), "")
        self._way = Pick("connect.way", tr("Where the password comes from"), _WAYS)
        self._password = _secret_field("connect.password")
        self._variable = _field("connect.variable", tr("Name of the variable"), "HARBOUR_PASSWORD")
        self._tls = Pick("connect.tls", tr("Encryption"), [(t, t) for t in _TLS])
        self._authority = _field("connect.authority", tr("Certificates to verify with"), "")
        self._authority.setPlaceholderText(tr("the system's certificates"))
        self._notice = Notice("connect.trouble")
        self._lay_out()
        self._way.chosen.connect(lambda _: self._show_ways())
        self._tls.chosen.connect(lambda _: self._show_ways())
        self._show_ways()
        self._focus_first_empty()

    def _lay_out(self) -> None:
        form = QGridLayout()
        form.setHorizontalSpacing(12)
        form.setVerticalSpacing(8)
        form.setColumnStretch(1, 1)
        self._labels: dict[QWidget, QWidget] = {}
        rows: tuple[tuple[str, QWidget], ...] = (
            (tr("Database is"), self._type),
            (tr("Host"), self._host),
            (tr("Port"), self._port),
            (tr("Database"), self._database),
            (tr("Account"), self._user),
            (tr("The password"), self._way),
            (tr("Password"), self._password),
            (tr("Variable"), self._variable),
            (tr("Encrypted"), self._tls),
            (tr("Certificates"), self._authority),
        )
        for number, (words, widget) in enumerate(rows):
            self._labels[widget] = label(words, soft=True)
            form.addWidget(self._labels[widget], number, 0)
            side = Qt.AlignmentFlag.AlignLeft if isinstance(widget, Choice) else Qt.AlignmentFlag(0)
            form.addWidget(widget, number, 1, side)
        look = button(tr("Choose …"), "connect.choose", self._choose_authority)
        look.setAutoDefault(False)
        form.addWidget(look, len(rows) - 1, 2)
        self._look = look
        column = dialog_column(self)
        column.addWidget(label(tr("A database on a server"), heading=True))
        column.addLayout(form)
        does = tr("One table is written there.") if self._writes else tr("It is only ever read.")
        does = (
            tr("Tables are only ever read; those sent along are temporary.") if self._runs else does
        )
        said = label(
            tr("{does} The password is never written into the trellis.", does=does), soft=True
        )
        column.addWidget(said)
        column.addWidget(self._notice)
        cancel = button(tr("Cancel"), "connect.cancel", self.reject)
        words = tr("Take it") if self._writes or self._runs else tr("Look into it")
        column.addLayout(answers((cancel, button(words, "connect.go", self._take, "main"))))

    def _show_ways(self) -> None:
        by_variable = self._way.value == "variable"
        verified = self._tls.value == "always, server verified"
        for widget, shown in (
            (self._variable, by_variable),
            (self._password, not by_variable),
            (self._authority, verified),
        ):
            widget.setVisible(shown)
            self._labels[widget].setVisible(shown)
        self._look.setVisible(verified)

    def _focus_first_empty(self) -> None:
        """Put the keyboard where something has to be filled in."""
        fields = (self._host, self._database, self._user, self._password)
        next((one for one in fields if not one.text().strip()), self._host).setFocus()

    def _choose_authority(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, tr("Certificates to verify the server with"))
        if path:
            self._authority.setText(path)

    def _take(self) -> None:
        missing = [
            f.accessibleName()
            for f in (self._host, self._database, self._user)
            if not f.text().strip()
        ]
        if missing:
            self._focus_first_empty()
            self._notice.tell(tr("{missing} must be filled in.", missing=listed(missing)))
            return
        way = self._way.value
        try:
            server = Server(
                self._type.value,
                self._host.text().strip(),
                self._database.text().strip(),
                user=self._user.text().strip(),
                port=int(self._port.text()) if self._port.text() else None,
                # `${NAME}` is how a document names a variable; the value of it is looked up at
                # the connection, and stands nowhere.
                password=f"${{{self._variable.text().strip()}}}" if way == "variable" else way,
                tls=self._tls.value,
                authority=self._authority.text().strip() or None,
            )
            if way != "variable":
                typed = self._password.text()
                # An empty password is given where it is asked for: some accounts have none. For
                # the keyring an empty field means the one that is kept there already.
                if typed or way == "asked":
                    self._secrets.give(server, typed, keep=way == "keyring")
        except (UserError, ValueError) as error:
            self._notice.tell(str(error))
            return
        self.server = server
        self.accept()


def _field(name: str, says: str, text: str) -> QLineEdit:
    made = QLineEdit(text)
    made.setObjectName(name)
    made.setAccessibleName(says)
    return made


def _secret_field(name: str) -> QLineEdit:
    made = _field(name, tr("Password"), "")
    made.setEchoMode(QLineEdit.EchoMode.Password)
    made.setInputMethodHints(Qt.InputMethodHint.ImhSensitiveData)
    return made


class Pick(Choice):
    """One of several values, shown in words."""

    def __init__(self, name: str, says: str, options: Sequence[tuple[str, str]]) -> None:
        super().__init__(name, says)
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
        self._options = [(value, words, "") for value, words in options]
        self.value: Any = options[0][0]
        self.chosen.connect(self.pick)
        self.pick(self.value)

    def pick(self, value: str) -> None:
        """Take one of the values."""
        self.value = value
        self.offer(self._options, value)
        self.updateGeometry()
