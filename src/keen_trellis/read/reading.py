"""What a read gives: the table, how it was taken, and what was noticed on the way."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

from keen_trellis.data import Table
from keen_trellis.errors import SourceError, reason


@dataclass(frozen=True, slots=True, eq=False)
class Reading:
    """A table as it was read.

    Attributes
    ----------
    table : Table
    taken_as : str
        What was found or chosen, in a line: “comma separated, UTF-8, header in row 1”.
    notes : tuple of str
        Sentences on what was changed or left out to make a table of it.
    """

    table: Table
    taken_as: str
    notes: tuple[str, ...] = ()


def existing_file(path: Path) -> Path:
    """Return `path` if it is a file that can be opened and has content.

    Raises
    ------
    SourceError
        It is missing, a folder, empty, or may not be opened.
    """
    try:
        with path.open("rb") as file:
            empty = not file.read(1)
    except FileNotFoundError:
        raise SourceError(
            f"The file {path} is not there.", "Put it back, or choose where it is now."
        ) from None
    except IsADirectoryError:
        raise SourceError(f"{path} is a folder, not a file.", "Choose a file in it.") from None
    except OSError as error:
        raise SourceError(
            f"The file {path} cannot be opened: {reason(error)}.",
            "See that you may read it and that no other program holds it.",
        ) from error
    if empty:
        raise SourceError(f"The file {path} is empty.", "Choose a file with a header and rows.")
    return path


def column_names(
    header: Sequence[str | None], source: str
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Return unique names for the cells of a header, and a sentence for each that was changed.

    >>> column_names(["code", "", "code"], "routes.csv")[0]
    ('code', 'column 2', 'code 2')
    """
    names: list[str] = []
    notes = []
    cleaned = [" ".join((cell or "").split()) for cell in header]
    for place, name in enumerate(cleaned, start=1):
        unique = _unique(name or f"column {place}", names, cleaned)
        if not name:
            notes.append(f"Column {place} of {source} has no name; it is called “{unique}” here.")
        elif unique != name:
            notes.append(
                f"{source} has more than one column called “{name}”; column {place} is called "
                f"“{unique}” here. Give it a name of its own at the source if that is unclear."
            )
        names.append(unique)
    return tuple(names), tuple(notes)


def require_rows(n_rows: int, source: str) -> None:
    """Refuse a source that has a header at best.

    Raises
    ------
    SourceError
        There is no row.
    """
    if n_rows == 0:
        raise SourceError(f"{source} has no rows.", "Choose one that has rows below its header.")


def _unique(name: str, taken: Iterable[str], wanted: Sequence[str]) -> str:
    taken = set(taken)
    candidate, number = name, 1
    while candidate in taken or (number > 1 and candidate in wanted):
        number += 1
        candidate = f"{name} {number}"
    return candidate
