"""Queries typed by hand: one statement that only reads, told by the words that its database hears.

The tokens are those of the database's own dialect: what is a string in one is code in another. What
it calls is asked of the server (`functions_called`), and the session's rights refuse what is left
(`connections`); this refuses the rest before it is sent.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise

from sqlglot import Token, TokenType, tokenize
from sqlglot.errors import TokenError

from keen_trellis.base.errors import SourceError
from keen_trellis.base.language import tr
from keen_trellis.servers.server import Database, Server

_DIALECTS = {"postgresql": "postgres", "mariadb": "mysql", "sqlite": "sqlite"}
_BEGINS = ("SELECT", "WITH", "VALUES", "TABLE")
_WRITES = {
    *("INSERT", "UPDATE", "DELETE", "MERGE", "REPLACE", "DROP", "ALTER", "CREATE", "TRUNCATE"),
    *("GRANT", "REVOKE", "CALL", "COPY", "LOCK"),
}
_REMEDY = tr("Take it out: sources are only ever read.")


def refuse_writing(query: str, database: Database) -> frozenset[str]:
    """Refuse a query that is not one statement which only reads.

    Returns
    -------
    frozenset of str
        The functions that it calls, of which the server must be asked whether they only read. One
        of MariaDB that is named with its database has a dot before it.

    Raises
    ------
    SourceError
        It is empty, or more than one statement, or does anything but read.
    """
    sort = database.type if isinstance(database, Server) else "sqlite"
    if sort == "mariadb" and ("/*!" in query or "/*M!" in query):
        raise SourceError(tr("A comment in the query is run by the server."), _REMEDY)
    try:
        tokens = tokenize(query, read=_DIALECTS[sort])
    except TokenError as error:
        raise SourceError(
            tr("The query cannot be understood: a quote or comment in it does not end."),
            tr("Put the missing sign there."),
        ) from error
    while tokens and tokens[-1].token_type is TokenType.SEMICOLON:
        tokens.pop()
    if not tokens:
        raise SourceError(tr("There is no query yet."), tr("Type one that begins with SELECT."))
    if any(token.token_type is TokenType.SEMICOLON for token in tokens):
        raise SourceError(
            tr("There is more than one statement."),
            tr("Take one query, without a semicolon inside."),
        )
    if sort == "postgresql" and any(
        one.text.upper() == "U" and two.token_type is TokenType.AMP for one, two in pairwise(tokens)
    ):
        raise SourceError(
            tr("A name or text in the query is written by the numbers of its letters (U&)."),
            tr("Write its letters themselves."),
        )
    words = [_word(token) for token in tokens]
    first = next((word for word in words if word != "("), "")
    if first not in _BEGINS:
        raise SourceError(
            tr(
                "A query that begins with {first} is not one that only reads, and "
                "sources are never "
                "written to.",
                first=first,
            ),
            tr("Begin it with SELECT or WITH."),
        )
    _refuse_effects(words)
    if sort == "sqlite":
        return frozenset()
    return frozenset(_called(tokens, folds=sort == "postgresql"))


def _refuse_effects(words: Sequence[str]) -> None:
    for place, word in enumerate(words):
        follows = words[place + 1] if place + 1 < len(words) else ""
        if word == "INTO":
            raise SourceError(tr("“INTO” would write what the query gives."), _REMEDY)
        if word == ":=":
            raise SourceError(tr("“:=” would set a variable of the server."), _REMEDY)
        if word == "FOR" and follows in ("UPDATE", "SHARE", "NO", "KEY"):
            raise SourceError(
                tr("“FOR {follows}” would lock rows of the server.", follows=follows), _REMEDY
            )
        if word in _WRITES and place and words[place - 1] == "(" and follows != "(":
            raise SourceError(tr("“{word}” within the query would write.", word=word), _REMEDY)


def _called(tokens: Sequence[Token], folds: bool) -> Iterator[str]:
    """Yield the names that an opening bracket stands behind, but for those of rows and columns."""
    for place, (token, follows) in enumerate(pairwise(tokens)):
        if follows.token_type is not TokenType.L_PAREN:
            continue
        if (
            folds
        ):  # whatever is no function there, such as a name of rows, its catalogue does not know
            is_quoted = token.token_type is TokenType.IDENTIFIER
            yield token.text if is_quoted else token.text.lower()
            continue
        before = tokens[place - 1].token_type if place else None
        if before in (TokenType.ALIAS, TokenType.R_PAREN):  # t AS x(a, b)
            continue
        is_plain = token.token_type is TokenType.VAR and not _names_rows(tokens, place)
        # behind a dot it is one that users made, also where the server has one of that name
        is_made = before is TokenType.DOT
        if is_made or token.token_type is TokenType.IDENTIFIER or is_plain:
            yield f".{token.text}" if is_made else token.text


def _names_rows(tokens: Sequence[Token], place: int) -> bool:
    """Whether a name begins what WITH calls rows: x(a, b) AS (SELECT …)."""
    depth = 0
    for end in range(place + 1, len(tokens)):
        sort = tokens[end].token_type
        depth += (sort is TokenType.L_PAREN) - (sort is TokenType.R_PAREN)
        if not depth:
            follows = [one.token_type for one in tokens[end + 1 : end + 3]]
            return follows == [TokenType.ALIAS, TokenType.L_PAREN]
    return False


def _word(token: Token) -> str:
    """Return a token as it is compared: names in capitals, strings as none."""
    is_string = token.token_type in (TokenType.STRING, TokenType.NATIONAL_STRING)
    return "'" if is_string else token.text.upper()
