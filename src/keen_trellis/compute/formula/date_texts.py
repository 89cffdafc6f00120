"""Dates written and read by a pattern, and their names in a language; one value at a time.

The elements of a pattern are those of the standard (ISO/IEC 9075-2:2016, 9.52), with the week and
the quarter beside them; between them stands punctuation, or anything in double quotes.
"""

from __future__ import annotations

import calendar
import datetime as dt
import re
from functools import lru_cache
from typing import Any

from keen_trellis.base.language import tr
from keen_trellis.compute.formula.formula_values import Unfit
from keen_trellis.compute.formula.text_functions import UNREADABLE

_PIECES = re.compile(
    r'"(?P<quoted>[^"]*)"'
    r"|(?P<element>YYYY|YY|IYYY|IW|MM|MI|DDD|DD|HH24|HH12|HH|SS|AM|PM|Q)"
    r"|(?P<mark>[^A-Za-z0-9\"])",
    re.IGNORECASE,
)
_DIGITS = {"YYYY": "[0-9]{4}", "YY": "[0-9]{2}", "Q": "[1-4]", "AM": "AM|PM", "PM": "AM|PM"}
"""How an element is written, where it is not by one or two digits."""
_UNREADABLE = ("IYYY", "IW", "DDD")
_OF_DAY = ("HH24", "HH12", "HH", "MI", "SS", "AM", "PM")
_NOT_SO = tr("a text that is not written so")

Piece = tuple[str, str]
"""An element and nothing, or nothing and what stands there as it is."""


@lru_cache(256)
def _pieces(pattern: str) -> tuple[Piece, ...]:
    """Return a pattern taken apart.

    Raises
    ------
    ValueError
        A letter or digit of it is no element.
    """
    made, at = [], 0
    while at < len(pattern):
        found = _PIECES.match(pattern, at)
        if found is None:
            raise ValueError(pattern)
        element = found["element"]
        own = found["quoted"] if found["quoted"] is not None else found["mark"]
        made.append((element.upper(), "") if element else ("", own))
        at = found.end()
    return tuple(made)


def written(moment: dt.date | dt.time, pattern: str) -> Any:
    """Return a date, date-time or time as a text; a date is written as its first moment."""
    try:
        pieces = _pieces(pattern)
    except ValueError:
        return Unfit(UNREADABLE)
    if isinstance(moment, dt.time):
        if any(element and element not in _OF_DAY for element, _ in pieces):
            return Unfit(tr("a part that a time does not have"))
        moment = dt.datetime.combine(dt.date(1, 1, 1), moment)
    elif not isinstance(moment, dt.datetime):
        moment = dt.datetime.combine(moment, dt.time())
    week = moment.isocalendar()
    half = (moment.hour + 11) % 12 + 1
    parts = {
        "YYYY": f"{moment.year:04}",
        "YY": f"{moment.year % 100:02}",
        "Q": f"{(moment.month + 2) // 3}",
        "MM": f"{moment.month:02}",
        "DD": f"{moment.day:02}",
        "DDD": f"{moment.timetuple().tm_yday:03}",
        "IYYY": f"{week.year:04}",
        "IW": f"{week.week:02}",
        "HH24": f"{moment.hour:02}",
        "MI": f"{moment.minute:02}",
        "SS": f"{moment.second:02}",
        **dict.fromkeys(("HH", "HH12"), f"{half:02}"),
        **dict.fromkeys(("AM", "PM"), "AM" if moment.hour < 12 else "PM"),
    }
    return "".join(parts[element] if element else own for element, own in pieces)


@lru_cache(256)
def _reader(pattern: str) -> re.Pattern[str]:
    """Return what reads a text that is written by a pattern.

    Raises
    ------
    ValueError
        There is no year in it, an element twice, or one that no date can be read from.
    """
    pieces = _pieces(pattern)
    elements = [element for element, _ in pieces if element]
    keys = [_KEYS.get(element, element) for element in elements]
    if len(set(keys)) < len(keys) or "YYYY" not in keys or {*_UNREADABLE} & {*keys}:
        raise ValueError(pattern)
    return re.compile(
        "".join(
            f"(?P<{_KEYS.get(element, element)}>{_DIGITS.get(element, '[0-9]{1,2}')})"
            if element
            else re.escape(own)
            for element, own in pieces
        ),
        re.IGNORECASE,
    )


_KEYS = {"YY": "YYYY", "HH24": "HH", "HH12": "HH", "PM": "AM"}
"""Elements that say the same, and cannot both stand in a pattern that is read."""


def read_date(text: str, pattern: str) -> Any:
    """Return the date that a text says; what it does not say is the first of its month or year."""
    found = read_moment(text, pattern)
    if not isinstance(found, dt.datetime):
        return found
    # a time of day would be cut without a word: TO_TIMESTAMP keeps it
    return (
        found.date()
        if found.time() == dt.time()
        else Unfit(tr("a time that a date has no room for"))
    )


def read_moment(text: str, pattern: str) -> Any:
    """Return the moment that a text says, at the beginning of what it does not say."""
    try:
        reader = _reader(pattern)
    except ValueError:
        return Unfit(UNREADABLE)
    found = reader.fullmatch(text.strip())
    if found is None:
        return Unfit(_NOT_SO)
    said = {name: value.upper() for name, value in found.groupdict().items() if value}
    half = said.pop("AM", None)
    numbers = {name: int(value) for name, value in said.items()}
    year, hour = numbers["YYYY"], numbers.get("HH", 0)
    if len(said["YYYY"]) == 2:
        year += 2000 if year < 50 else 1900
    if half is not None:
        if not 1 <= hour <= 12:
            return Unfit(_NOT_SO)
        hour = hour % 12 + (12 if half == "PM" else 0)
    month = numbers.get("MM", 3 * numbers.get("Q", 1) - 2)
    if (month + 2) // 3 != numbers.get("Q", (month + 2) // 3):
        return Unfit(_NOT_SO)
    try:
        rest = hour, numbers.get("MI", 0), numbers.get("SS", 0)
        return dt.datetime(year, month, numbers.get("DD", 1), *rest)
    except ValueError:
        return Unfit(tr("a day or a time that does not exist"))


def date_of(year: int, month: int, day: int) -> Any:
    """Return the date of three numbers."""
    try:
        return dt.date(year, month, day)
    except (ValueError, OverflowError):
        return Unfit(tr("a day or a time that does not exist"))


def months_between(first: dt.date, second: dt.date) -> int:
    """Return how many months can be added to the first date without passing the second.

    Less than none where the second is the earlier one: then it is as many as the other way round.
    """
    first, second = _moment(first), _moment(second)
    if second < first:
        return -months_between(second, first)
    months = (second.year - first.year) * 12 + second.month - first.month
    # as INTERVAL has it: the same day, or the last one of a shorter month
    last = calendar.monthrange(second.year, second.month)[1]
    is_passed = (min(first.day, last), first.time()) > (second.day, second.time())
    return months - is_passed


def _moment(date: dt.date) -> dt.datetime:
    return date if isinstance(date, dt.datetime) else dt.datetime.combine(date, dt.time())


def workdays_between(first: dt.date, second: dt.date, *holidays: dt.date) -> int:
    """Return the days from Monday to Friday from the first date to before the second.

    Less than none where the second is the earlier one: then it is as many as the other way round.
    """
    import numpy as np

    if second < first:
        return -workdays_between(second, first, *holidays)
    free = np.array(holidays, "datetime64[D]")
    return int(np.busday_count(first, second, holidays=free))


def day_name(date: dt.date, language: str = "en") -> Any:
    """Return the name of a date's day of the week."""
    return _name("days", date.weekday(), language)


def month_name(date: dt.date, language: str = "en") -> Any:
    """Return the name of a date's month."""
    return _name("months", date.month, language)


@lru_cache(512)
def _name(of: str, number: int, language: str) -> Any:
    # The names of Unicode's CLDR, in a package that a worker of a cluster does not have.
    from babel import Locale, UnknownLocaleError

    try:
        locale = Locale.parse(language.strip().replace("-", "_"))
    except (UnknownLocaleError, ValueError, TypeError):
        return Unfit(tr("a language that is not known"))
    return str(getattr(locale, of)["stand-alone"]["wide"][number])
