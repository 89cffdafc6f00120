"""What a read gives: the table, how it was taken, and what was noticed on the way."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.data import Kind, Table
from keen_trellis.data.kind_changes import Unfit
from keen_trellis.progress import Report, quiet
from keen_trellis.read.noticed import Noticed
from keen_trellis.read.settling import Settled, Unsettled
from keen_trellis.read.stamps import FileStamp


@dataclass(frozen=True, slots=True)
class SetApart:
    """A line that is not in the table since it cannot be cut into its columns.

    Attributes
    ----------
    file : str
    line : int or None
        Counted from 1; None where it could not be found again.
    text : str
    why : str
    """

    file: str
    line: int | None
    text: str
    why: str


@dataclass(frozen=True, slots=True, eq=False)
class Reading:
    """A table as it was read.

    Attributes
    ----------
    columns : Settled
        The rows, with the kinds of their columns.
    taken_as : str
        What was found or chosen, in a line: “Comma separated, UTF-8, header in row 1”.
    left_out : tuple of Noticed
        What of the source is not in the table.
    changed : tuple of Noticed
        What was changed or guessed to make a table of it.
    layout : TextLayout, SheetLayout or None
        With all that was found.
    set_apart : tuple of SetApart
    files : tuple of FileStamp
        The files it was read from.
    partial : bool
        Whether these are only the first rows, read for a look.
    unsettled : Unsettled or None
        The columns as they came; None where they are not there any more.
    """

    columns: Settled
    taken_as: str
    left_out: tuple[Noticed, ...] = ()
    changed: tuple[Noticed, ...] = ()
    layout: Any = None
    set_apart: tuple[SetApart, ...] = ()
    files: tuple[FileStamp, ...] = ()
    partial: bool = False
    unsettled: Unsettled | None = None

    @property
    def table(self) -> Table:
        """The rows."""
        return self.columns.table

    @property
    def unfit(self) -> tuple[Unfit, ...]:
        """The values that are not of the kind chosen for their column."""
        return self.columns.unfit

    @property
    def noticed(self) -> tuple[Noticed, ...]:
        """What is to be known about the rows, the weightiest first."""
        return (*self.left_out, *self.columns.noticed, *self.changed)

    @property
    def notes(self) -> tuple[str, ...]:
        """What was noticed, as sentences."""
        return tuple(noticed.text for noticed in self.noticed)

    def in_kinds(self, kinds: Mapping[str, Kind], report: Report = quiet) -> Reading:
        """Return the same rows in other kinds, without reading anything again.

        Raises
        ------
        ValueError
            The columns as they came are not there any more.
        Cancelled
            Raised by `report` once the user has asked to stop.
        """
        if self.unsettled is None:
            raise ValueError("The columns as they came have been let go of.")
        return replace(self, columns=self.unsettled.in_kinds(kinds, report))


def column_names(
    header: Sequence[str | None], source: str, declared: bool = False
) -> tuple[tuple[str, ...], tuple[Noticed, ...]]:
    """Return unique names for the cells of a header, and what was changed to make them so.

    Names that a schema declares are kept with their spaces: they are what others call them, too.

    >>> column_names(["code", "", "code"], "routes.csv")[0]
    ('code', 'column 2', 'code 2')
    """
    names: list[str] = []
    unnamed: list[str] = []
    repeated: list[str] = []
    cleaned = [
        cell if declared and cell and cell.isprintable() else " ".join((cell or "").split())
        for cell in header
    ]
    counts = Counter(cleaned)
    taken: set[str] = set()
    last: dict[str, int] = {}
    for place, name in enumerate(cleaned, start=1):
        unique = _unique(name or f"column {place}", taken, counts, last)
        if not name:
            unnamed.append(f"column {place}")
        elif unique != name:
            repeated.append(f"“{unique}” (column {place})")
        names.append(unique)
        taken.add(unique)
    noticed = []
    if unnamed:
        noticed.append(
            Noticed(f"{source} has columns without a name: {_some(unnamed)}.", len(unnamed))
        )
    if repeated:
        noticed.append(
            Noticed(
                f"{source} uses a column name more than once; the later ones are called "
                f"{_some(repeated)} here.",
                len(repeated),
            )
        )
    return tuple(names), tuple(noticed)


def _some(words: Sequence[str]) -> str:
    shown = ", ".join(words[:5])
    return f"{shown} and {len(words) - 5:,} more" if len(words) > 5 else shown


def without_rows(n_rows: int, source: str) -> tuple[Noticed, ...]:
    """Say so where a source has a header at best."""
    return () if n_rows else (Noticed(f"{source} has no rows below its header."),)


def nan_noticed(values: pa.ChunkedArray | pa.Array, name: str) -> list[Noticed]:
    """Say how many values are not a number: they are blanks here."""
    if not pa.types.is_floating(values.type):
        return []
    found = int(pc.sum(pc.is_nan(values)).as_py() or 0)
    return [not_numbers(found, "NaN", name)] if found else []


def not_numbers(found: int, odd: object, name: str) -> Noticed:
    """Say that values are no amount and blank now."""
    are = f"1 value of “{name}” is" if found == 1 else f"{found:,} values of “{name}” are"
    now = "it is" if found == 1 else "they are"
    return Noticed(f"{are} {odd}, which is no amount; {now} blank now.", found)


def _unique(name: str, taken: set[str], wanted: Mapping[str, int], last: dict[str, int]) -> str:
    """Return a name that no column has; `last` has the number that each name was given last."""
    candidate, number = name, last.get(name, 1)
    while candidate in taken or (number > 1 and candidate in wanted):
        number += 1
        candidate = f"{name} {number}"
    last[name] = number
    return candidate
