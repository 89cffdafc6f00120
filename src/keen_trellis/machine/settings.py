"""What whoever works on this machine likes: each setting declared once, kept in one file.

The window, the command line and the guide read the declarations below. A document holds none of
them: it means the same on every machine.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import get_args

import platformdirs

from keen_trellis.base.errors import UserError, reason
from keen_trellis.base.language import languages, marked, tr
from keen_trellis.base.limits import Limits, set_limits
from keen_trellis.base.whole_files import whole_file
from keen_trellis.layouts.delivered_text import Encoding, TextForm

Value = str | bool | int


@dataclass(frozen=True, slots=True)
class Setting:
    """One thing that can be set; its words are marked here, and translated where they are shown.

    Attributes
    ----------
    id : str
        What it is called in the file: its group, a dot, a word.
    name : str
        What it is called in the window.
    says : str
        One sentence on what it does.
    default : str, bool or int
        Its sort is that of the setting: one of `choices`, on or off, a number.
    choices : tuple of (value, words)
        What a text may be.
    least, most : int
        Between which a number is.
    unit : str
        What a number counts.
    """

    id: str
    name: str
    says: str
    default: Value
    choices: tuple[tuple[str, str], ...] = ()
    least: int = 0
    most: int = 0
    unit: str = ""

    @property
    def group(self) -> str:
        """Return the group that it stands in."""
        return self.id.partition(".")[0]

    def refused(self, value: object) -> str:
        """Return why something is no value of this setting; empty where it is one."""
        if self.choices:
            allowed = [one for one, _ in self.choices]
            return (
                "" if value in allowed else tr("it is one of {allowed}", allowed=", ".join(allowed))
            )
        if isinstance(self.default, bool):
            return "" if isinstance(value, bool) else tr("it is true or false")
        if isinstance(value, bool) or not isinstance(value, int):
            return tr("it is a whole number")
        if self.least <= value <= self.most:
            return ""
        return tr("it is between {least:,} and {most:,}", least=self.least, most=self.most)


_ENCODINGS = {
    "utf-8": "UTF-8",
    "utf-8-sig": marked("UTF-8 with a byte order mark"),
    "utf-16": "UTF-16",
    "cp1252": marked("Windows-1252"),
}
GROUPS = {
    "look": marked("How it looks"),
    "values": marked("How values are shown"),
    "deliveries": marked("New deliveries"),
    "limits": marked("Where work is refused"),
    "telling": marked("What is told"),
    "findings": marked("What stands out at a tie"),
}
_FINDINGS = {
    "rows multiply": (
        marked("Rows multiply"),
        marked("A row has several partners, and stands once for each of them."),
    ),
    "rows vanish": (
        marked("Rows vanish"),
        marked("Rows are left at the tie, and no later rows bring them back."),
    ),
    "texts differ": (
        marked("Texts differ"),
        marked("Texts look the same and are not: spaces, capitals, accents."),
    ),
    "likely pair": (
        marked("Likely pair"),
        marked("A value without a partner looks like another without one."),
    ),
    "safe pairs": (
        marked("Safe pairs"),
        marked("Values become equal once they are tidied, each with one other alone."),
    ),
    "leading zeros": (
        marked("Leading zeros"),
        marked("One side has lost the zeros in front of its numbers."),
    ),
    "kinds differ": (
        marked("Kinds differ"),
        marked("Columns are linked that no row could meet by."),
    ),
    "date against date-time": (
        marked("Date against date-time"),
        marked("A date is linked to a date-time, of which it is the whole day."),
    ),
    "nothing found": (marked("Nothing found"), marked("Not one row has a partner.")),
    "better fields": (
        marked("Better fields"),
        marked("Other fields of the same tables find more rows."),
    ),
    "compound link": (marked("Compound link"), marked("With a second field, no row multiplies.")),
    "blank keys": (
        marked("Blank keys"),
        marked("Rows have a blank in the link field, and match nothing."),
    ),
}
"""The topics of what stands out: a name and what each says; a test holds them to the findings."""
SETTINGS: tuple[Setting, ...] = (
    Setting(
        "look.language",
        marked("Language"),
        marked("That of all words; from the next start on."),
        "desktop",
        (("desktop", marked("As the desktop")), *((one, one) for one in languages())),
    ),
    Setting(
        "look.theme",
        marked("Theme"),
        marked("The colours of the window; those of the desktop change with it."),
        "desktop",
        (
            ("desktop", marked("As the desktop")),
            ("light", marked("Light")),
            ("dark", marked("Dark")),
            ("contrast", marked("High contrast")),
        ),
    ),
    Setting(
        "look.letters",
        marked("Letters"),
        marked("How large all letters are, beside what the desktop says; from the next start on."),
        100,
        least=80,
        most=200,
        unit="%",
    ),
    Setting(
        "values.local",
        marked("Numbers and dates as they are written here"),
        marked(
            "Digits are grouped and dates shown as the system does; copies and files "
            "stay as they are."
        ),
        False,
    ),
    Setting(
        "deliveries.decimal",
        marked("Decimal mark"),
        marked("What a new delivery to a text writes between whole and part of a number."),
        ".",
        ((".", marked("Point")), (",", marked("Comma"))),
    ),
    Setting(
        "deliveries.delimiter",
        marked("Delimiter"),
        marked("What a new delivery to a .csv writes between cells."),
        ",",
        ((",", marked("Comma")), (";", marked("Semicolon")), ("|", marked("Bar"))),
    ),
    Setting(
        "deliveries.encoding",
        marked("Encoding"),
        marked("How a new delivery to a text writes letters."),
        "utf-8",
        tuple((one, _ENCODINGS.get(one, one.upper())) for one in get_args(Encoding)),
    ),
    Setting(
        "limits.cross_rows",
        marked("Rows of a cross join"),
        marked("A cross join that would give more is refused before any row of it is made."),
        Limits().cross_rows,
        least=1_000,
        most=200_000_000,
        unit=marked("rows"),
    ),
    Setting(
        "limits.query_s",
        marked("Time of a query"),
        marked("A query is given up after it, even where a trellis allows it more."),
        Limits().query_s,
        least=1,
        most=86_400,
        unit=marked("seconds"),
    ),
    Setting(
        "limits.parser_mb",
        marked("Memory for a file"),
        marked("What takes a workbook or a columnar file apart may have no more of it."),
        Limits().parser_mb,
        least=256,
        most=1_000_000,
        unit=marked("MB"),
    ),
    Setting(
        "telling.notify",
        marked("Tell the desktop when long work ends"),
        marked("Work of more than ten seconds is told of while another window is in front."),
        True,
    ),
    Setting(
        "telling.log",
        marked("Keep a log"),
        marked(
            "What was done, when and how long it took, without any value; seven files "
            "of 1 MB at most."
        ),
        True,
    ),
    *(
        Setting(f"findings.{topic.replace(' ', '_')}", name, says, True)
        for topic, (name, says) in _FINDINGS.items()
    ),
)
BY_ID = {one.id: one for one in SETTINGS}


@dataclass(frozen=True, slots=True)
class Settings:
    """What is set, by the id of a setting; what is not set is as it is usually.

    Attributes
    ----------
    own : mapping
        What was set; ids of another version of the program stay in it.
    odd : tuple of str
        A sentence for each thing in the file that was not understood.
    """

    own: Mapping[str, object] = field(default_factory=dict)
    odd: tuple[str, ...] = ()

    def __getitem__(self, setting: str) -> Value:
        """Return what is set; `KeyError` for no setting of ours."""
        declared = BY_ID[setting]
        value = self.own.get(setting, declared.default)
        assert isinstance(value, str | bool | int)
        return value

    def number(self, setting: str) -> int:
        """Return a setting that is a number."""
        return int(self[setting])

    @property
    def untold(self) -> frozenset[str]:
        """The topics of what stands out that nobody wants to hear of."""
        return frozenset(
            topic for topic in _FINDINGS if not self[f"findings.{topic.replace(' ', '_')}"]
        )

    def text_form(self, ending: str) -> TextForm:
        """Return how a new delivery to a text of an ending is written."""
        delimiter = "\t" if ending == ".tsv" else self["deliveries.delimiter"]
        asked = (delimiter, self["deliveries.decimal"], self["deliveries.encoding"])
        return TextForm(*asked)  # type: ignore[arg-type]  # what is none of them was refused

    def take_effect(self) -> None:
        """Put the limits in force, for this process."""
        names = ("cross_rows", "query_s", "parser_mb")
        set_limits(Limits(**{name: self.number(f"limits.{name}") for name in names}))


def settings_file() -> Path:
    """Return where the settings are kept."""
    return platformdirs.user_config_path("keen-trellis") / "settings.json"


def usual_log() -> Path:
    """Return where the log is kept that is always written, unless the settings say otherwise."""
    return platformdirs.user_state_path("keen-trellis") / "log" / "keen-trellis.log"


def read_settings() -> Settings:
    """Return what is set on this machine; what cannot be read or understood is as it is usually."""
    path = settings_file()
    if not path.is_file():  # not there, or something that reading would wait for
        return Settings()
    try:
        found = json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError, RecursionError) as error:
        why = reason(error) if isinstance(error, OSError) else tr("it is no JSON")
        return Settings(
            {},
            (
                tr(
                    "{path} cannot be read: {why}. Everything is as it is usually.",
                    path=path,
                    why=why,
                ),
            ),
        )
    if not isinstance(found, dict):
        return Settings(
            {}, (tr("{path} holds no settings. Everything is as it is usually.", path=path),)
        )
    odd = []
    # Ids that are not ours stay as they are: an older version must not throw away what a newer
    # one has set.
    for name in [one for one in found if one in BY_ID]:
        if why := BY_ID[name].refused(found[name]):
            odd.append(
                tr(
                    "{name} in {path} is not understood: {why}. It is as it is usually.",
                    name=name,
                    path=path,
                    why=why,
                )
            )
            del found[name]
    return Settings(found, tuple(odd))


def changed(name: str, value: Value) -> Settings:
    """Set one, keep it on this machine beside what others have set meanwhile, and return all.

    Raises
    ------
    UserError
        It is no value of that setting, or the file cannot be written.
    """
    if why := BY_ID[name].refused(value):
        raise UserError(
            tr(
                "{value} is no value of “{name}”: {why}.",
                value=value,
                name=tr(BY_ID[name].name),
                why=why,
            ),
            "",
        )
    # read anew: another window or program may have set something since
    own = {**read_settings().own, name: value}
    path = settings_file()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with whole_file(path) as made:
            made.write_text(json.dumps(own, indent=2, sort_keys=True) + "\n", encoding="utf-8")
    except OSError as error:
        raise UserError(
            tr("The settings cannot be kept in {path}: {reason}.", path=path, reason=reason(error)),
            "",
        ) from error
    return Settings(own)
