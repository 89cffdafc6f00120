"""Running a trellis every day by systemd: the two units of the user, and where they belong."""

from __future__ import annotations

import hashlib
import os
import re
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from keen_trellis.base.errors import DeliveryError, reason
from keen_trellis.base.language import tr
from keen_trellis.base.whole_files import whole_file
from keen_trellis.base.words import NOT_SHOWN, plainly

_CLOCK = re.compile(r"([01]?\d|2[0-3]):([0-5]\d)")


@dataclass(frozen=True, slots=True)
class Units:
    """A service and the timer that starts it.

    Attributes
    ----------
    name : str
        Of both, without their endings.
    service, timer : str
        What stands in them (systemd.service(5), systemd.timer(5)).
    """

    name: str
    service: str
    timer: str

    @property
    def folder(self) -> Path:
        """Where the units of a user lie."""
        return platformdirs.user_config_path("systemd") / "user"

    def files(self) -> dict[Path, str]:
        """Return the files by their places."""
        return {
            self.folder / f"{self.name}.service": self.service,
            self.folder / f"{self.name}.timer": self.timer,
        }

    def install(self) -> None:
        """Write both; `DeliveryError` where they cannot be."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            for path, text in self.files().items():
                with whole_file(path) as beside:
                    beside.write_text(text)
        except OSError as error:
            raise DeliveryError(
                tr(
                    "{folder} cannot be written: {reason}.",
                    folder=self.folder,
                    reason=reason(error),
                ),
                tr("Write the two units by hand, as they are shown."),
            ) from error


def units(document: Path, daily: str, program: str, arguments: tuple[str, ...] = ()) -> Units:
    """Return the units that run a document every day.

    Parameters
    ----------
    document : Path
    daily : str
        When, as “06:30”.
    program : str
        What is run, by its whole path.
    arguments : tuple of str
        Behind `run FILE --deliver`.

    Raises
    ------
    DeliveryError
        The time is none.
    """
    clock = _CLOCK.fullmatch(daily.strip())
    if clock is None:
        raise DeliveryError(
            tr("“{daily}” is no time of day.", daily=daily), tr("Write it as 06:30.")
        )
    document = document.absolute()
    if any(NOT_SHOWN.search(word) for word in (str(document), program, *arguments)):
        raise DeliveryError(
            tr(
                "{document} or what goes with it has a character in its path that no "
                "timer can be told of.",
                document=plainly(str(document)),
            ),
            tr("Rename the folder or file that has it."),
        )
    # By whole paths: systemd runs it from the home folder, with a path of its own.
    command = (program, "run", str(document), "--deliver", *arguments)
    slug = re.sub(r"[^a-z0-9]+", "-", document.stem.lower()).strip("-")[:60] or "trellis"
    slug += (
        f"-{hashlib.sha256(os.fsencode(document)).hexdigest()[:8]}"  # another has that name, too
    )
    service = (
        "[Unit]\n"
        f"Description=Keen Trellis: {_plain(document.stem)}\n\n"
        "[Service]\n"
        "Type=oneshot\n"
        f"ExecStart={' '.join(map(_quoted, command))}\n"
    )
    timer = (
        "[Unit]\n"
        f"Description=Keen Trellis: {_plain(document.stem)}, every day\n\n"
        "[Timer]\n"
        # In the time of the machine, as the clock on the wall; a missed run is made up for
        # (Persistent).
        f"OnCalendar=*-*-* {int(clock[1]):02}:{clock[2]}:00\n"
        "Persistent=true\n\n"
        "[Install]\n"
        "WantedBy=timers.target\n"
    )
    return Units(f"keen-trellis-{slug}", service, timer)


def _escaped(text: str) -> str:
    return text.replace("%", "%%")


def _quoted(word: str) -> str:
    """Return a word of a command as systemd reads it back (systemd.service(5), command lines)."""
    # In this order: the backslash first, or those that the later ones put in would be doubled.
    plain = _escaped(word).replace("\\", "\\\\").replace('"', '\\"').replace("$", "$$")
    return f'"{plain}"'


def _plain(text: str) -> str:
    return " ".join(_escaped(text).replace("\\", "/").split())  # at its end one would go on below
