"""Passwords of servers and workbooks: where they come from, and that they go nowhere else.

A document says only where a password is to be had: from the desktop's keyring, from a variable of
the environment, or by asking each time.
"""

from __future__ import annotations

import os
import re
import threading
from dataclasses import dataclass
from pathlib import Path

from keen_trellis.base.errors import PasswordError
from keen_trellis.base.language import tr
from keen_trellis.servers.server import Server

ASKED, KEYRING = "asked", "keyring"
VARIABLE = re.compile(r"\$\{(\w+)\}")
_SERVICE = "keen-trellis"


@dataclass(frozen=True, slots=True)
class LockedFile:
    """A workbook with a password, which is asked for each time.

    Attributes
    ----------
    account : str
        Its path: what the password is known under in this session.
    """

    account: str
    password: str = ASKED

    @classmethod
    def of(cls, path: Path) -> LockedFile:
        """Return the lock of a file."""
        return cls(str(path.absolute()))

    @property
    def label(self) -> str:
        """Its name, for who asks for the password."""
        return Path(self.account).name


Locked = Server | LockedFile
"""What wants a password."""


class Secrets:
    """Passwords given in this session; nothing of it is ever written but into the keyring."""

    def __init__(self) -> None:
        self._given: dict[str, str] = {}
        self._asks_keyring = threading.Lock()

    def __repr__(self) -> str:
        return tr("Secrets of {given} servers", given=len(self._given))

    def give(self, server: Locked, password: str, keep: bool = False) -> None:
        """Take a password for this session, and put it into the keyring where that is asked for.

        Raises
        ------
        PasswordError
            The desktop has no keyring that takes it; for this session it is known all the same.
        """
        self._given[server.account] = password
        if keep:
            import keyring
            import keyring.errors

            try:
                keyring.set_password(_SERVICE, server.account, password)
            except keyring.errors.KeyringError as error:
                raise _no_keyring(server) from error

    def forget(self, server: Locked) -> None:
        """Forget what was given for a server, so that it is asked for again."""
        self._given.pop(server.account, None)

    def password(self, server: Locked) -> str:
        """Return the password of a server.

        Raises
        ------
        PasswordError
            It has to be asked for, or is not where it should be.
        """
        if server.account in self._given:
            return self._given[server.account]
        variable = VARIABLE.fullmatch(server.password)
        if variable is not None:
            return _from_environment(server, variable[1])
        if server.password == KEYRING:
            with self._asks_keyring:  # lanes are read at once, and the desktop is to ask once
                return _from_keyring(server)
        raise PasswordError(
            tr("{called} wants a password.", called=_called(server)),
            tr("Enter it; it is not kept."),
            server.account,
        )


def _from_environment(server: Locked, name: str) -> str:
    try:
        return os.environ[name]
    except KeyError:
        raise PasswordError(
            tr(
                "The password of {account} is to come from the variable {name}, which is not set.",
                account=server.account,
                name=name,
            ),
            tr("Set it before the start, or choose another way to give the password."),
            server.account,
        ) from None


def _from_keyring(server: Locked) -> str:
    import keyring
    import keyring.errors

    try:
        found = keyring.get_password(_SERVICE, server.account)
    except keyring.errors.KeyringError as error:
        raise _no_keyring(server) from error
    if found is None:
        raise PasswordError(
            tr("The keyring has no password of {account}.", account=server.account),
            tr("Enter it once; the keyring keeps it."),
            server.account,
        )
    return found


def _no_keyring(server: Locked) -> PasswordError:
    return PasswordError(
        tr(
            "This desktop has no keyring that could keep the password of {account}.",
            account=server.account,
        ),
        tr("Enter it each time, or give it in a variable of the environment."),
        server.account,
    )


def _called(locked: Locked) -> str:
    return locked.label if isinstance(locked, LockedFile) else locked.account
