"""Names and words that every part needs."""

from __future__ import annotations

import math
import re
from collections.abc import Container, Sequence

from keen_trellis.base.language import marked, tr, tr_n

NOT_SHOWN = re.compile("[\x00-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069]")
"""Characters that steer what shows a text: they end lines, move the cursor, turn the direction."""


def plainly(text: str) -> str:
    r"""Return a text on one line in which nothing steers what shows it.

    >>> print(plainly("a\x1b[2Kb"))
    a\u{1b}[2Kb
    """
    return NOT_SHOWN.sub(lambda found: f"\\u{{{ord(found[0]):x}}}", text)


def as_text(name: str) -> str:
    """Return the name of a file as a text: bytes of it that are none are spelled out."""
    return name.encode("utf-8", "backslashreplace").decode()


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


def with_capital(text: str) -> str:
    """Return a text with its first letter as a capital, and all others as they are.

    >>> with_capital("the table ROUTES")
    'The table ROUTES'
    """
    return text[:1].upper() + text[1:]


def listed(words: Sequence[str], last: str = marked("and")) -> str:
    """Return words joined by commas and a last “and”, or “or”."""
    if len(words) < 2:
        return "".join(words)
    return f"{', '.join(words[:-1])} {tr(last)} {words[-1]}"


def counted(number: int, word: str, plural: str = "") -> str:
    """Return a number with its word in the singular or plural.

    >>> counted(1, "delivery", "deliveries"), counted(1_200, "row")
    ('1 delivery', '1,200 rows')
    """
    return tr_n(number, f"{{n:,}} {word}", f"{{n:,}} {plural or word + 's'}")


def rows_of(number: int, lane: str) -> str:
    """Return a number of rows with the lane that they are of.

    >>> rows_of(1, "Sailings"), rows_of(1_200, "Sailings")
    ('1 Sailings row', '1,200 Sailings rows')
    """
    return tr_n(number, "{n:,} {lane} row", "{n:,} {lane} rows", lane=lane)


def percent(share: float) -> str:
    """Return a share in whole percent; all and nothing only where it is all or nothing.

    >>> percent(0.975), percent(0.9996), percent(0.0004), percent(1), percent(0)
    ('98%', 'over 99%', 'under 1%', '100%', '0%')
    """
    # Halves go up, as people round; `round` would take them to the even number.
    whole = math.floor(100 * share + 0.5)
    if share < 1 and whole >= 100:
        return tr("over 99%")
    return tr("under 1%") if share > 0 and whole <= 0 else tr("{whole}%", whole=whole)


SPACES = "".join(
    [" \t\n\v\f\r\x85\u00a0\u1680"]
    + [chr(code) for code in range(0x2000, 0x200C)]  # up to the space of no width
    + ["\u2028\u2029\u202f\u205f\u3000\ufeff"]
)
"""All that is white space in Unicode, and what has no width: unseen at the ends of a value."""
