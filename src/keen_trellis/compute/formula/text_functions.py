"""Functions of texts, as PostgreSQL and the standard have them; one text at a time."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Any, cast

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.base.language import tr
from keen_trellis.compute.formula.formula_values import (
    LETTERS_AT_MOST,
    LETTERS_IN_ALL,
    Cells,
    Unfit,
    Working,
    by_distinct,
    made,
    once,
    too_long,
)
from keen_trellis.compute.join.tidying import tidied
from keen_trellis.data import Column, Kind, from_arrow
from keen_trellis.plan.text_rules import TextRule

_WORD = re.compile(r"[^\W_]+")
UNREADABLE = tr("a pattern that cannot be read")


def joined(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return one text behind the other."""
    # Bytes are never fewer than letters: what passes here is within the limit, what does not is
    # looked at value by value.
    longest = sum(_longest(one.column) for one in arguments)
    if longest > LETTERS_AT_MOST:
        return by_distinct(arguments, kind, working, lambda a, b: a + b)

    def together(*columns: Column) -> Column:
        # Offsets of Arrow’s texts are of 32 bits.
        if sum(column.text_bytes for column in columns) > LETTERS_IN_ALL:
            raise too_long()
        return from_arrow(pc.binary_join_element_wise(*(one.to_arrow() for one in columns), ""))

    return once(arguments, working, together)


def _longest(column: Column) -> int:
    """Return the most bytes that a text of a column has."""
    assert column.dictionary is not None
    return int(pc.max(pc.binary_length(column.dictionary)).as_py() or 0)


def put_together(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return the texts that are there, with a mark between them; blank where the mark is."""

    def together(mark: str | None, *texts: str | None) -> str | None:
        return None if mark is None else mark.join(text for text in texts if text is not None)

    return by_distinct(arguments, kind, working, together, strict=False)


def with_capitals(text: str) -> str:
    """Return a text with a capital at the beginning of every run of letters and digits."""
    return _WORD.sub(lambda found: found[0][0].upper() + found[0][1:].lower(), text)


def pattern_replaced(text: str, pattern: str, other: str) -> Any:
    """Return a text with every part that is like a regular expression replaced.

    The expressions are those of RE2, whose time grows with the text alone.
    """
    try:
        found = pc.replace_substring_regex(pa.array([text]), pattern, other)
    except pa.ArrowInvalid:
        return Unfit(UNREADABLE)
    return found[0].as_py()


def matches(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return whether some part of texts is like a regular expression of RE2."""
    texts, pattern = arguments
    if not pattern.is_one or pattern.column.state is not None:
        return by_distinct(arguments, kind, working, _is_match)
    assert texts.column.dictionary is not None
    try:
        found = pc.match_substring_regex(texts.column.dictionary, pattern.column.text(0))
    except pa.ArrowInvalid:
        return by_distinct(arguments, kind, working, lambda *_: Unfit(UNREADABLE))
    flags = np.append(found.to_numpy(zero_copy_only=False).astype(np.bool_), False)
    return made(kind, flags[texts.column.values], arguments[:1], working.n)  # -1 finds the last


def _is_match(text: str, pattern: str) -> Any:
    try:
        return bool(pc.match_substring_regex(pa.array([text]), pattern)[0].as_py())
    except pa.ArrowInvalid:
        return Unfit(UNREADABLE)


def pattern_count(text: str, pattern: str) -> Any:
    """Return how many parts of a text are like a regular expression, none within another."""
    try:
        return int(pc.count_substring_regex(pa.array([text]), pattern)[0].as_py())
    except pa.ArrowInvalid:
        return Unfit(UNREADABLE)


def pattern_part(text: str, pattern: str) -> Any:
    """Return the first part of a text that is like a regular expression; None where none is."""
    try:
        # By itself first: a pattern of the brackets of two would be none within others.
        if not pc.match_substring_regex(pa.array([text]), pattern)[0].as_py():
            return None
        # All of the text is taken: as few letters as can be, the part, and whatever follows; so
        # that the part is the first one, and what it says of beginnings and ends stays true.
        whole = rf"\A(?s:.*?)({pattern})(?s:.*)\z"
        return pc.replace_substring_regex(pa.array([text]), whole, r"\1")[0].as_py()
    except pa.ArrowInvalid:
        return Unfit(UNREADABLE)


def repeated(text: str, times: int) -> Any:
    """Return a text so many times; an empty one for none and fewer."""
    if len(text) * max(times, 0) > LETTERS_AT_MOST:
        return Unfit(
            tr("a text of more than {letters_at_most:,} letters", letters_at_most=LETTERS_AT_MOST)
        )
    return text * max(times, 0)


def translated(text: str, letters: str, others: str) -> str:
    """Return a text with letters replaced by those in their place, or taken out without one."""
    others_of: dict[int, str | None] = {}
    for place, letter in enumerate(letters):  # of a letter that stands there twice the first holds
        others_of.setdefault(ord(letter), others[place] if place < len(others) else None)
    return text.translate(others_of)


def tidy_texts(
    arguments: Sequence[Cells], kind: Kind, working: Working, settings: Sequence[str]
) -> Cells:
    """Return texts without what is not to be there, each distinct one looked at once."""
    column = arguments[0].column
    assert column.dictionary is not None
    found = tidied(column.dictionary, cast("tuple[TextRule, ...]", tuple(settings)))
    if not len(found.place):
        return arguments[0]
    # The code -1 of a blank finds the last place, which is -1 again.
    codes = np.append(found.place, -1)[column.values].astype(np.int32)
    return Cells(Column(kind, codes, column.state, found.texts), arguments[0].is_one)


def trimmed(text: str, letters: str, side: str) -> str:
    """Return a text without any of some letters at its beginning, its end, or both."""
    if side != "TRAILING":
        text = text.lstrip(letters) if letters else text
    if side != "LEADING":
        text = text.rstrip(letters) if letters else text
    return text


def substring(text: str, start: int, length: int | None = None) -> Any:
    """Return letters from a place on, which may lie before the first (ISO/IEC 9075-2, 6.32)."""
    if length is None:
        return text[max(start - 1, 0) :]
    # As the standard says: an error, and not the text before the place.
    if length < 0:
        return Unfit(tr("a negative length"))
    end = start + length - 1
    # Places before the first letter count towards the length: SUBSTRING(abc, -1, 3) is a.
    return text[max(start - 1, 0) : max(end, 0)]


def left(text: str, n: int) -> str:
    """Return the first letters; with a negative number all but the last."""
    return text[:n]


def right(text: str, n: int) -> str:
    """Return the last letters; with a negative number all but the first."""
    # text[-0:] would be all of it, where n is 0.
    return text[max(len(text) - n, 0) :] if n >= 0 else text[-n:]


def overlay(text: str, other: str, start: int, length: int | None = None) -> Any:
    """Return a text with other letters in place of some."""
    if start < 1:
        return Unfit(tr("a place before the first letter"))
    length = len(other) if length is None else length
    return text[: start - 1] + other + text[max(start - 1 + length, 0) :]


def replaced(text: str, part: str, other: str) -> Any:
    """Return a text with every such part replaced; none is found where it is empty."""
    if not part:
        return text
    # Worked out before it is made: a text of a million letters may grow a thousandfold.
    if len(text) + text.count(part) * (len(other) - len(part)) > LETTERS_AT_MOST:
        return Unfit(
            tr("a text of more than {letters_at_most:,} letters", letters_at_most=LETTERS_AT_MOST)
        )
    return text.replace(part, other)


def left_filled(text: str, length: int, fill: str = " ") -> Any:
    """Return a text filled up at its beginning, or cut at its end, to a length."""
    return _filled(text, length, fill, lambda text, more: more + text)


def right_filled(text: str, length: int, fill: str = " ") -> Any:
    """Return a text filled up, or cut, at its end to a length."""
    return _filled(text, length, fill, lambda text, more: text + more)


def _filled(text: str, length: int, fill: str, put: Callable[[str, str], str]) -> Any:
    length = max(length, 0)
    if length > LETTERS_AT_MOST:
        return Unfit(
            tr("a text of more than {letters_at_most:,} letters", letters_at_most=LETTERS_AT_MOST)
        )
    missing = length - len(text)
    if missing <= 0 or not fill:
        return text[:length]
    return put(text, (fill * (missing // len(fill) + 1))[:missing])


def split_part(text: str, mark: str, n: int) -> Any:
    """Return a part between marks, counted from the end where the number is negative."""
    if n == 0:
        return Unfit(tr("a part with the number 0"))
    parts = text.split(mark) if mark else [text]
    # As PostgreSQL: a part that is not there is an empty text, not null.
    if not -len(parts) <= n <= len(parts):
        return ""
    return parts[n - 1 if n > 0 else n]


def split_rest(text: str, mark: str, n: int) -> str:
    """Return all of a text from its n-th part on."""
    parts = text.split(mark, n - 1) if mark else [text]
    return parts[n - 1] if n <= len(parts) else ""


def likes(arguments: Sequence[Cells], kind: Kind, working: Working) -> Cells:
    """Return whether texts are like patterns: % any letters, _ one.

    A pattern becomes an expression of RE2, whose time grows with the text alone, and which lets go
    of the interpreter meanwhile.
    """
    patterns = arguments[1:]
    if not all(one.is_one and one.column.state is None for one in patterns):
        return by_distinct(arguments, kind, working, is_like)
    # One pattern for all rows: each distinct text is looked at once, all of them in one call.
    texts, escape = arguments[0].column, patterns[1].column.text(0) if patterns[1:] else "\\"
    assert texts.dictionary is not None
    try:
        expression = _expression(patterns[0].column.text(0), escape)
        found = pc.match_substring_regex(texts.dictionary, expression)
    except (ValueError, pa.ArrowInvalid) as error:
        why = _why(error)
        return by_distinct(arguments, kind, working, lambda *_: Unfit(why))
    flags = np.append(found.to_numpy(zero_copy_only=False).astype(np.bool_), False)
    return made(kind, flags[texts.values], arguments[:1], working.n)  # -1 finds the last


def is_like(text: str, pattern: str, escape: str = "\\") -> Any:
    """Return whether a text is like a pattern."""
    try:
        found = pc.match_substring_regex(pa.array([text]), _expression(pattern, escape))
    except (ValueError, pa.ArrowInvalid) as error:
        return Unfit(_why(error))
    return bool(found[0].as_py())


def _why(error: Exception) -> str:
    return tr("a pattern that is too long") if isinstance(error, pa.ArrowInvalid) else str(error)


@lru_cache(256)
def _expression(pattern: str, escape: str) -> str:
    """Return a pattern of LIKE as an expression of RE2.

    Raises
    ------
    ValueError
        It ends with its ESCAPE, or that is more than one letter; in words.
    """
    if len(escape) > 1:
        raise ValueError(tr("an ESCAPE of more than one letter"))
    parts, at = [], 0
    while at < len(pattern):
        letter = pattern[at]
        if escape and letter == escape:
            at += 1
            if at == len(pattern):
                raise ValueError(tr("a pattern that ends with its ESCAPE"))
            parts.append(_literally(pattern[at]))
        elif letter == "%":
            # %%%% says what % says; RE2 would refuse an expression of ten thousand stars as too
            # long.
            if not parts or parts[-1] != ".*":
                parts.append(".*")
        else:
            parts.append("." if letter == "_" else _literally(letter))
        at += 1
    # (?s): a line end is a letter like others; \A and \z hold beside line ends too.
    return rf"(?s)\A{''.join(parts)}\z"


def _literally(letter: str) -> str:
    """Return a letter as RE2 takes it for itself."""
    # By its number: a backslash before it would begin a class for some, as \d does.
    return letter if letter.isalnum() or letter == "_" else f"\\x{{{ord(letter):x}}}"
