"""Names and words that every part needs."""

from __future__ import annotations

import math
from collections.abc import Container, Sequence


def first_free(wish: str, taken: Container[str], joint: str = " ") -> str:
    """Return `wish`, or the first of `wish`, joint, 2, 3 ... that is not taken.

    >>> first_free("route", {"route", "route 2"})
    'route 3'
    """
    candidate, number = wish, 1
    while candidate in taken:
        number += 1
        candidate = f"{wish}{joint}{number}"
    return candidate


def listed(words: Sequence[str], last: str = "and") -> str:
    """Return words joined by commas and a last “and”, or another word."""
    if len(words) < 2:
        return "".join(words)
    return f"{', '.join(words[:-1])} {last} {words[-1]}"


def counted(number: int, word: str, plural: str = "") -> str:
    """Return a number with its word in the singular or plural.

    >>> counted(1, "delivery", "deliveries"), counted(1_200, "row")
    ('1 delivery', '1,200 rows')
    """
    return f"{number:,} {word if number == 1 else plural or word + 's'}"


def percent(share: float) -> str:
    """Return a share in whole percent; all and nothing only where it is all or nothing.

    >>> percent(0.975), percent(0.9996), percent(0.0004), percent(1), percent(0)
    ('98%', 'over 99%', 'under 1%', '100%', '0%')
    """
    whole = math.floor(100 * share + 0.5)
    if share < 1 and whole >= 100:
        return "over 99%"
    return "under 1%" if share > 0 and whole <= 0 else f"{whole}%"


SPACES = "".join(
    [" \t\n\v\f\r\x85\u00a0\u1680"]
    + [chr(code) for code in range(0x2000, 0x200C)]  # up to the space of no width
    + ["\u2028\u2029\u202f\u205f\u3000\ufeff"]
)
"""All that is white space in Unicode, and what has no width: unseen at the ends of a value."""
