"""What can go wrong in a way that the person at the screen can mend.

UserError
├── SourceError          a file, sheet or table cannot be read
│   ├── MissingFileError its file or folder is not where it was
│   ├── MissingTableError its sheet, range or table is not in it
│   ├── ConnectionLostError the server was there, and then no longer
│   ├── PasswordError    its server wants a password that nobody has given
│   └── NotAllowedError  a trellis wants what nobody has allowed to it yet
├── UnknownColumnError   something names a column that is not there
├── WordError            a setting is given a word that it does not know
├── LinkError            two fields cannot be linked
│   └── KindsDifferError their kinds cannot be compared
├── FormulaError         a formula cannot be read, or asks for what kinds do not allow
├── ProgramError         a part meets a fault of the program, and the others go on
├── WaitingError         a part has no rows since one before it failed
├── TooManyRowsError     a tie would make more rows than is sensible
├── TooLongError         a formula would make longer texts than is sensible
├── NotThereError        a part cannot be had where the trellis is to run
├── DocumentError        a trellis file cannot be opened or saved
├── EditError            a change that the trellis does not allow
└── DeliveryError        an outcome cannot be written

Anything else that is raised is a fault of the program.
"""

from __future__ import annotations

import difflib
import logging
import traceback
from collections.abc import Sequence
from pathlib import Path

from keen_trellis.base.language import tr

_LOG = logging.getLogger(__name__)

DONE, BROKEN, UNUSABLE, NOT_ALLOWED = 0, 1, 2, 3
"""Exit codes of the command line: all went well, a promise is broken, the input is unusable, the
trellis wants what nobody has allowed to it."""


class UserError(Exception):
    """What happened and what to do about it, in sentences that can be shown as they stand.

    Attributes
    ----------
    happened : str
        One sentence: what went wrong and where.
    remedy : str
        One sentence: what to do. May be empty.
    """

    exit_code = UNUSABLE

    def __init__(self, happened: str, remedy: str = "") -> None:
        super().__init__(f"{happened} {remedy}".strip())
        self.happened = happened
        self.remedy = remedy


class SourceError(UserError):
    """A file, sheet or table cannot be read as asked."""


class MissingFileError(SourceError):
    """The file or folder of a source is not where it was.

    Attributes
    ----------
    path : Path
    """

    def __init__(self, path: Path, is_folder: bool = False) -> None:
        said = (
            tr("The folder {path} is not there.", path=path)
            if is_folder
            else tr("The file {path} is not there.", path=path)
        )
        super().__init__(said, tr("Put it back, or choose where it is now."))
        self.path = path


class MissingTableError(SourceError):
    """The sheet, range or table of a source is not in its file or database.

    Attributes
    ----------
    available : tuple of str
        Those that are there.
    """

    def __init__(self, happened: str, available: Sequence[str]) -> None:
        shown = ", ".join(available[:12]) or tr("none")
        more = (
            tr(" and {available:,} more", available=len(available) - 12)
            if len(available) > 12
            else ""
        )
        super().__init__(
            happened, tr("It has: {shown}{more}. Choose another one.", shown=shown, more=more)
        )
        self.available = tuple(available)


class ConnectionLostError(SourceError):
    """A server that was being read from can no longer be reached."""


class PasswordError(SourceError):
    """A server wants a password that nobody has given, or refuses the one given.

    Attributes
    ----------
    server : str
        The account, as in “reader@db.example:5432/harbour”.
    """

    def __init__(self, happened: str, remedy: str, server: str) -> None:
        super().__init__(happened, remedy)
        self.server = server


class NotAllowedError(SourceError):
    """A trellis wants to contact, read or replace what nobody has allowed to it on this machine.

    Attributes
    ----------
    wants : tuple of str
        What it would do, in words.
    """

    exit_code = NOT_ALLOWED

    def __init__(self, who: str, wants: Sequence[str], remedy: str) -> None:
        super().__init__(
            tr("Nobody has allowed it yet: {who} {wants}.", who=who, wants="; ".join(wants)), remedy
        )
        self.wants = tuple(wants)


class UnknownColumnError(UserError):
    """A tie, step or delivery names a column that its table does not have."""

    def __init__(self, name: str, where: str, available: Sequence[str]) -> None:
        near = difflib.get_close_matches(name, available, n=1)
        remedy = (
            tr("Did you mean “{near_1}”?", near_1=near[0])
            if near
            else tr("Choose one of: {available}.", available=", ".join(available))
        )
        super().__init__(
            tr("There is no column “{name}” in {where}.", name=name, where=where), remedy
        )
        self.name = name
        self.available = tuple(available)


class WordError(UserError, ValueError):
    """A setting is given a word that it does not know; it is never taken for another one.

    Attributes
    ----------
    word : str
    allowed : tuple of str
        The words that are known.
    """

    def __init__(self, what: str, word: object, allowed: Sequence[str]) -> None:
        near = difflib.get_close_matches(str(word), allowed, n=1)
        hint = tr("Did you mean “{near_1}”? ", near_1=near[0]) if near else ""
        super().__init__(
            tr("{what} cannot be “{word}”.", what=what, word=word),
            tr("{hint}Choose one of: {allowed}.", hint=hint, allowed=", ".join(allowed)),
        )
        self.word = str(word)
        self.allowed = tuple(allowed)


def known(what: str, word: object, allowed: Sequence[str]) -> None:
    """Refuse a word that is none of those allowed.

    Raises
    ------
    WordError
        It is none of them.
    """
    if not isinstance(word, str) or word not in allowed:
        raise WordError(what, word, [str(one) for one in allowed])


class LinkError(UserError):
    """Two fields cannot be linked, or a link is missing."""


class KindsDifferError(LinkError):
    """Two fields are linked whose kinds cannot be compared.

    Attributes
    ----------
    fields, tables, kinds : (str, str)
        Of the left and the right side.
    """

    def __init__(
        self, fields: tuple[str, str], tables: tuple[str, str], kinds: tuple[str, str]
    ) -> None:
        left, right = (with_article(kind) for kind in kinds)
        super().__init__(
            tr(
                "“{fields_1}” in {tables_1} is {left}, but “{fields_2}” in {tables_2} is {right}: "
                "as they are, no row can find a partner.",
                fields_1=fields[0],
                tables_1=tables[0],
                left=left,
                fields_2=fields[1],
                tables_2=tables[1],
                right=right,
            ),
            tr("Link fields of one kind, or compare both as one kind."),
        )
        self.fields, self.tables, self.kinds = fields, tables, kinds


def with_article(kind: str) -> str:
    """Return a kind as a sentence says it: “an integer”, “a date”, “text”."""
    return _WITH_ARTICLE[kind]


_WITH_ARTICLE = {
    "text": tr("text"),
    "integer": tr("an integer"),
    "number": tr("a number"),
    "exact decimal": tr("an exact decimal"),
    "boolean": tr("a boolean"),
    "date": tr("a date"),
    "date-time": tr("a date-time"),
    "time": tr("a time"),
}


class FormulaError(UserError):
    """A formula cannot be read, or its parts do not fit together.

    Attributes
    ----------
    place : (int, int)
        Where in its text: from the one letter up to the other.
    """

    def __init__(self, happened: str, remedy: str, place: tuple[int, int]) -> None:
        super().__init__(happened, remedy)
        self.place = place


def lacking(fault: BaseException) -> str:
    """Return what the system has no more of, in words; empty for any other fault."""
    if isinstance(fault, MemoryError):
        return tr("there is not enough memory for it")
    if isinstance(fault, RuntimeError) and "start new thread" in str(fault):
        return tr("the system lets no more threads be started")
    return ""


class ProgramError(UserError):
    """A fault of the program, kept to the part that met it: the others go on.

    Where it lies is written to the log, without the values that it was met with.
    """

    def __init__(self, doing: str, fault: BaseException) -> None:
        what = lacking(fault) or tr("the program has a fault there")
        super().__init__(
            tr(
                "{doing} cannot be worked out: {what} ({name}).",
                doing=doing,
                what=what,
                name=type(fault).__name__,
            ),
            tr(
                "Do it in another way, or leave it out; the log tells where the fault is. "
                "Nothing that does not need it is concerned."
            ),
        )
        # The places without the message, which may quote a value.
        where = "".join(traceback.format_tb(fault.__traceback__))
        _LOG.error("%s: %s\n%s", doing, type(fault).__name__, where)


class WaitingError(UserError):
    """A part cannot be worked out since one before it failed.

    Attributes
    ----------
    cause : UserError
        What failed.
    """

    def __init__(self, lane: str, cause: UserError) -> None:
        # The first cause, however many parts wait for one another.
        self.cause: UserError = cause.cause if isinstance(cause, WaitingError) else cause
        super().__init__(
            tr(
                "{lane} has no rows to bring here: {happened}",
                lane=lane,
                happened=self.cause.happened,
            ),
            self.cause.remedy,
        )


class TooManyRowsError(UserError):
    """A tie would make more rows than the limit allows."""


class TooLongError(UserError):
    """A formula would make texts that together are longer than the limit allows."""


class NotThereError(UserError):
    """A part cannot be had where the trellis is to run as it is had on this machine."""


class DocumentError(UserError):
    """A trellis file cannot be opened or saved."""


class EditError(UserError):
    """A change that the trellis does not allow."""


class DeliveryError(UserError):
    """An outcome cannot be written where it was asked for."""


def reason(error: OSError) -> str:
    """Return the operating system's reason in lower case, without the path."""
    return (error.strerror or str(error)).rstrip(".").lower()
