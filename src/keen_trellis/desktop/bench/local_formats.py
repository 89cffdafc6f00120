"""Numbers and dates as they are written where one lives, for reading only."""

from __future__ import annotations

import re

from PySide6.QtCore import QDate, QLocale

from keen_trellis.data import Kind

_PLAIN = re.compile(r"(-?)(\d+)(?:\.(\d+))?")
_DAY = re.compile(r"(\d{4})-(\d\d)-(\d\d)(.*)")

_settings = {"is_local": False}


def read_locally(is_local: bool) -> None:
    """Let numbers and dates be shown as they are written here, or as values are everywhere."""
    _settings["is_local"] = is_local


def is_local() -> bool:
    """Whether numbers and dates are shown as they are written here."""
    return _settings["is_local"]


def as_read(text: str, kind: Kind) -> str:
    """Return a value for reading: grouped digits and local dates, where these are asked for.

    What is copied, delivered, searched or typed is the value itself, never this.
    """
    if not _settings["is_local"] or kind is Kind.TEXT:
        return text
    locale = QLocale()
    if kind.is_numeric and (number := _PLAIN.fullmatch(text)):
        sign, whole, fraction = number.groups()
        grouped = f"{int(whole):,}".replace(",", locale.groupSeparator())
        behind = f"{locale.decimalPoint()}{fraction}" if fraction else ""
        return f"{sign}{grouped}{behind}"
    if kind in (Kind.DATE, Kind.DATE_TIME) and (day := _DAY.fullmatch(text)):
        year, month, date, rest = day.groups()
        form = re.sub(r"y+", "yyyy", locale.dateFormat(QLocale.FormatType.ShortFormat))
        return f"{locale.toString(QDate(int(year), int(month), int(date)), form)}{rest}"
    return text
