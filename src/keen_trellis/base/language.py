"""The language that is spoken: texts stand in English in the code, and in catalogues for others.

A catalogue is a file of GNU gettext (`LANGUAGE/LC_MESSAGES/keen_trellis.mo`), among what is
shipped or in the folder `languages` of whoever works here; one that lies there adds a language.
A text is looked up whole, with names in braces where values stand, so that a language can order
its sentence as it likes. Numbers that are put in are grouped as the language groups them: 1,234
would be little more than one to a German reader.

What is data, saved in a document or read by programs is never translated: names of columns and
sheets, words of formulas, kinds, counts as JSON, the log.

The language is settled before the other modules are loaded (`keen_trellis.cli.start`), since
many texts are looked up once, while their module is loaded.
"""

from __future__ import annotations

import gettext
import os
import string
import struct
from collections.abc import Mapping
from decimal import Decimal
from enum import StrEnum
from pathlib import Path
from typing import Any

from keen_trellis.base.shipped import SHIPPED

_DOMAIN = "keen_trellis"
SOURCE = "en"
"""The language of the texts in the code."""


class _Sentences(string.Formatter):
    """Puts values into a text; numbers are written with the marks of the language."""

    def __init__(self, grouping: str, decimal: str) -> None:
        self.marks = str.maketrans({",": grouping, ".": decimal})

    def format_field(self, value: Any, format_spec: str) -> str:
        """Return a value as it stands in the text; a word of a list is put in translated."""
        # Kinds, bays and the like are words of ours wherever they stand in a sentence; a bool is
        # an int and is written as it is.
        if isinstance(value, StrEnum):
            return tr(value)
        shown = format(value, format_spec)
        is_number = isinstance(value, int | float | Decimal) and not isinstance(value, bool)
        return shown.translate(self.marks) if is_number else shown


class _Spoken:
    """A language with its catalogue, and with how it writes numbers."""

    def __init__(
        self, name: str, catalogue: gettext.NullTranslations, folder: Path | None = None
    ) -> None:
        self.name, self.catalogue, self.folder = name, catalogue, folder
        example = catalogue.gettext("1,234.5")  # a catalogue says how numbers are written
        self.sentences = _Sentences(example[1], example[5])


def _folders() -> tuple[Path, Path]:
    """Return where catalogues lie: one's own first, which may mend what is shipped."""
    import platformdirs  # not there on a worker of a cluster, which speaks to nobody

    return platformdirs.user_data_path("keen-trellis") / "languages", SHIPPED / "languages"


def languages() -> tuple[str, ...]:
    """Return the languages that can be spoken, as their codes: that of the texts first."""
    found = {
        path.parts[-3]
        for folder in _folders()
        for path in folder.glob(f"*/LC_MESSAGES/{_DOMAIN}.mo")
    }
    return (SOURCE, *sorted(found - {SOURCE}))


def _of_desktop(environment: Mapping[str, str]) -> str:
    """Return the first language that the environment asks for and that can be spoken."""
    told = (environment.get(name) for name in ("LC_ALL", "LC_MESSAGES", "LANG"))
    locale = next(filter(None, told), "C")
    if locale.partition(".")[0] in ("C", "POSIX"):  # then LANGUAGE has no say, as in gettext
        return SOURCE
    known = languages()
    for wish in (environment.get("LANGUAGE") or locale).split(":"):
        # `de_AT.UTF-8@euro` asks for de_AT first, and for de if there is none.
        exact = wish.partition(".")[0].partition("@")[0]
        for name in (exact, exact.partition("_")[0]):
            if name in known:
                return name
    return SOURCE


def speak(wish: str) -> None:
    """Speak a language from now on; “desktop” asks the environment, an unknown one is English."""
    name = _of_desktop(os.environ) if wish == "desktop" else wish
    for folder in _folders() if name != SOURCE else ():
        try:
            _spoken[:] = [_Spoken(name, gettext.translation(_DOMAIN, folder, [name]), folder)]
            return
        except (OSError, ValueError, IndexError, struct.error):  # not there, or damaged
            continue
    _spoken[:] = [_Spoken(SOURCE, gettext.NullTranslations())]


_spoken: list[_Spoken] = []
speak(os.environ.get("KEEN_TRELLIS_LANGUAGE", SOURCE))


def spoken() -> str:
    """Return the code of the language that is spoken."""
    return _spoken[0].name


def speak_in_libraries() -> None:
    """Let libraries that ask gettext themselves, as argparse does, say our words for theirs."""
    if _spoken[0].folder is not None:
        gettext.bindtextdomain(_DOMAIN, str(_spoken[0].folder))
        gettext.textdomain(_DOMAIN)
        os.environ["LANGUAGE"] = spoken()  # which gettext looks at first


def marked(text: str) -> str:
    """Return a text as it is: it is translated where it is shown, by `tr`."""
    return text


def tr(text: str, /, **parts: object) -> str:
    """Return a text in the language spoken, with its values.

    >>> tr("{rows:,} rows of {lane}", rows=1200, lane="Sailings")
    '1,200 rows of Sailings'
    """
    said = str(_spoken[0].catalogue.gettext(text)) if text else ""
    return _filled(said, text, parts) if parts else said


def tr_n(number: int, one: str, many: str, /, **parts: object) -> str:
    """Return the text for a number of things, which may stand in it as `{n}`.

    >>> tr_n(1, "{n} row is", "{n:,} rows are"), tr_n(0, "{n} row is", "{n:,} rows are")
    ('1 row is', '0 rows are')
    """
    said = _spoken[0].catalogue.ngettext(one, many, number)
    return _filled(said, one if number == 1 else many, {"n": number, **parts})


def _filled(said: str, text: str, parts: Mapping[str, object]) -> str:
    """Return a text with its values: as it is in English where its translation is no such text."""
    if _spoken[0].name == SOURCE:  # with no marks of its own: ten times as fast
        return said.format_map(parts)
    try:
        return _spoken[0].sentences.vformat(said, (), parts)
    except (LookupError, ValueError):  # a catalogue of somebody else's
        return _spoken[0].sentences.vformat(text, (), parts)


def with_marks(number: str) -> str:
    """Return a number that is written as 1,234.5 with the marks of the language."""
    return number.translate(_spoken[0].sentences.marks)


def grouped_digits(number: int) -> str:
    """Return a whole number with its digits grouped as the language groups them."""
    return with_marks(f"{number:,}")
