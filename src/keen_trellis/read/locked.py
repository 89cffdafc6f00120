"""Workbooks with a password: opened in memory, for as long as they are read."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from io import BytesIO
from pathlib import Path

from keen_trellis.base.errors import PasswordError, SourceError
from keen_trellis.base.language import tr
from keen_trellis.servers.secrets import LockedFile, Secrets

_COMPOUND = bytes.fromhex("d0cf11e0a1b11ae1")


@contextmanager
def unlocked(path: Path, secrets: Secrets | None) -> Iterator[Path]:
    """Give a workbook as it is, or one with a password as a file that lies in memory alone.

    Parameters
    ----------
    path : Path
    secrets : Secrets or None
        Where the password is; None for who cannot ask for one.

    Raises
    ------
    PasswordError
        It has to be entered, or is not the right one.
    SourceError
        It wants a password, and nobody can be asked.
    """
    if not _is_locked(path):
        yield path
        return
    if secrets is None:
        raise SourceError(
            tr("The workbook {path} is protected by a password.", path=path),
            tr("Save a copy without a password and choose that."),
        )
    plain = _decrypted(path, secrets)
    number = os.memfd_create("workbook")  # a file without a name: nothing of it reaches the disk
    try:
        with os.fdopen(os.dup(number), "wb") as file:
            file.write(plain)
        yield Path(f"/proc/self/fd/{number}")
    except SourceError as error:  # what is wrong with it is said of the workbook itself
        said = error.happened.replace(f"/proc/self/fd/{number}", str(path))
        error.happened = said
        error.args = (f"{said} {error.remedy}".strip(),)
        raise
    finally:
        os.close(number)


def _is_locked(path: Path) -> bool:
    with path.open("rb") as file:
        if file.read(len(_COMPOUND)) != _COMPOUND:
            return False
        import msoffcrypto  # only who reads such a file waits for it

        file.seek(0)
        try:
            return bool(msoffcrypto.OfficeFile(file).is_encrypted())
        except Exception:  # noqa: BLE001  a border: what it cannot read is said by who reads it
            return False


def _decrypted(path: Path, secrets: Secrets) -> bytes:
    import msoffcrypto
    from msoffcrypto.exceptions import DecryptionError, InvalidKeyError

    lock = LockedFile.of(path)
    password = secrets.password(lock)
    plain = BytesIO()
    with path.open("rb") as file:
        try:
            office = msoffcrypto.OfficeFile(file)
            office.load_key(password=password, verify_password=True)
            office.decrypt(plain)
        except InvalidKeyError as error:
            secrets.forget(lock)
            raise PasswordError(
                tr("The password does not open {name}.", name=path.name),
                tr("Enter the right one."),
                lock.account,
            ) from error
        except (DecryptionError, ValueError, OSError) as error:
            raise SourceError(
                tr("The workbook {path} is protected in a way that cannot be read.", path=path),
                tr("Save a copy without a password and choose that."),
            ) from error
    return plain.getvalue()
