"""Queries typed by hand: one statement that only reads, told by the words that its database hears.

The tokens are those of the database's own dialect: what is a string in one is code in another. The
session's rights refuse what is left (`connections`); this refuses it before it is sent.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from sqlglot import Token, TokenType, tokenize
from sqlglot.errors import TokenError

from keen_trellis.errors import SourceError
from keen_trellis.read.server import Database, Server

_DIALECTS = {"postgresql": "postgres", "mariadb": "mysql", "sqlite": "sqlite"}
_BEGINS = ("SELECT", "WITH", "VALUES", "TABLE")
_WRITES = {
    *("INSERT", "UPDATE", "DELETE", "MERGE", "REPLACE", "DROP", "ALTER", "CREATE", "TRUNCATE"),
    *("GRANT", "REVOKE", "CALL", "COPY", "LOCK"),
}
_WITH_EFFECTS = {
    *("GET_LOCK", "RELEASE_LOCK", "RELEASE_ALL_LOCKS", "SETVAL", "NEXTVAL"),
    *("MASTER_POS_WAIT", "PG_TERMINATE_BACKEND", "PG_CANCEL_BACKEND", "PG_RELOAD_CONF"),
    *("PG_ROTATE_LOGFILE", "PG_ADVISORY_LOCK", "PG_ADVISORY_XACT_LOCK", "SET_CONFIG"),
    *("PG_SWITCH_WAL", "PG_CREATE_RESTORE_POINT", "PG_NOTIFY", "LO_IMPORT", "LO_EXPORT"),
    *("LO_CREATE", "LO_UNLINK", "LO_PUT", "LO_FROM_BYTEA", "DBLINK", "DBLINK_EXEC"),
    *("DBLINK_CONNECT", "PG_FILE_WRITE", "PG_PROMOTE", "PG_LOGICAL_EMIT_MESSAGE"),
    *("LOAD_EXTENSION", "WRITEFILE", "EDIT", "SYS_EXEC", "SYS_EVAL"),
}
_READS_FILES = {
    *("PG_READ_FILE", "PG_READ_BINARY_FILE", "PG_LS_DIR", "PG_STAT_FILE", "PG_LS_LOGDIR"),
    *("PG_LS_WALDIR", "PG_LS_TMPDIR", "LOAD_FILE", "READFILE"),
}
_REMEDY = "Take it out: sources are only ever read."


def refuse_writing(query: str, database: Database) -> tuple[str, ...]:
    """Refuse a query that is not one statement which only reads.

    Returns
    -------
    tuple of str
        The functions in it that read files of the server, which its rights alone do not forbid.

    Raises
    ------
    SourceError
        It is empty, or more than one statement, or does anything but read.
    """
    sort = database.type if isinstance(database, Server) else "sqlite"
    if sort == "mariadb" and ("/*!" in query or "/*M!" in query):
        raise SourceError("A comment in the query is run by the server.", _REMEDY)
    try:
        tokens = tokenize(query, read=_DIALECTS[sort])
    except TokenError as error:
        raise SourceError(
            "The query cannot be understood: a quote or comment in it does not end.",
            "Put the missing sign there.",
        ) from error
    while tokens and tokens[-1].token_type is TokenType.SEMICOLON:
        tokens.pop()
    if not tokens:
        raise SourceError("There is no query yet.", "Type one that begins with SELECT.")
    if any(token.token_type is TokenType.SEMICOLON for token in tokens):
        raise SourceError(
            "There is more than one statement.", "Take one query, without a semicolon inside."
        )
    words = [_word(token) for token in tokens]
    first = next((word for word in words if word != "("), "")
    if first not in _BEGINS:
        raise SourceError(
            f"A query that begins with {first} is not one that only reads, and sources are never "
            "written to.",
            "Begin it with SELECT or WITH.",
        )
    _refuse_effects(words)
    return tuple(sorted({w.lower() for w in _called(words) if w in _READS_FILES}))


def _refuse_effects(words: Sequence[str]) -> None:
    for place, word in enumerate(words):
        follows = words[place + 1] if place + 1 < len(words) else ""
        if word == "INTO":
            raise SourceError("“INTO” would write what the query gives.", _REMEDY)
        if word == ":=":
            raise SourceError("“:=” would set a variable of the server.", _REMEDY)
        if word == "FOR" and follows in ("UPDATE", "SHARE", "NO", "KEY"):
            raise SourceError(f"“FOR {follows}” would lock rows of the server.", _REMEDY)
        if word in _WRITES and place and words[place - 1] == "(" and follows != "(":
            raise SourceError(f"“{word}” within the query would write.", _REMEDY)
    for word in _called(words):
        if word in _WITH_EFFECTS:
            raise SourceError(f"“{word.lower()}” does more than read.", _REMEDY)


def _called(words: Sequence[str]) -> list[str]:
    """Return the names that an opening bracket stands behind."""
    return [word for word, follows in pairwise(words) if follows == "("]


def _word(token: Token) -> str:
    """Return a token as it is compared: names in capitals, strings as none."""
    is_string = token.token_type in (TokenType.STRING, TokenType.NATIONAL_STRING)
    return "'" if is_string else token.text.upper()
