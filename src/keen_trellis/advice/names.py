"""How alike the names of two columns are, as people in offices name them."""

from __future__ import annotations

import re
from functools import lru_cache

from rapidfuzz import fuzz

_WORDS = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+|[^\W\d_A-Za-z]+")
_KEYS = frozenset(("id", "no", "nr", "num", "number", "nbr", "code", "key", "ref", "reference"))
_OF_ANY = _KEYS | frozenset(("name", "of", "in", "at", "from", "to", "the"))
"""Words that name no thing of their own: “id” is the id of its table."""
_ONLY_OF_ANY = 0.4
_OF_ANY_THING = 0.2


@lru_cache(4096)  # each column is compared with every one of the other side
def words_of(name: str) -> tuple[str, ...]:
    """Return the words of a name, in lower case and without the ending of a plural.

    >>> words_of("ledgerAccount_Nos")
    ('ledger', 'account', 'no')
    """
    words = [word.lower() for word in _WORDS.findall(name)]
    return tuple(w[:-1] if len(w) > 2 and w[-1] == "s" and w[-2] != "s" else w for w in words)


def alike(left: str, right: str, tables: tuple[str, str] = ("", "")) -> float:
    """Return how likely two names mean the same thing, 0 to 1.

    A name without a word of its own is that of its table: the `id` of Orders is an order's.

    >>> alike("order_id", "id", ("Lines", "Orders")) > alike("id", "id", ("Lines", "Orders"))
    True
    """
    own = [[w for w in words_of(name) if w not in _OF_ANY] for name in (left, right)]
    if not any(own) and not any(tables):
        return _OF_ANY_THING + (1 - _OF_ANY_THING) * float(words_of(left) == words_of(right))
    # A name without a word of its own borrows those of its table.
    things = [o or list(words_of(table)) for o, table in zip(own, tables, strict=True)]
    if not all(things):  # `member` may well be the `id` of whatever the other table lists
        bare = words_of(left if not things[0] else right)
        is_id = not _KEYS.isdisjoint(bare) and any(things)
        shared = bool({*words_of(left)} & {*words_of(right)})
        return _ONLY_OF_ANY * float(is_id or shared)
    return fuzz.token_set_ratio(" ".join(things[0]), " ".join(things[1])) / 100


def is_key(name: str) -> bool:
    """Whether a name says that its values stand for things: an id, a number, a code."""
    return not _KEYS.isdisjoint(words_of(name))
