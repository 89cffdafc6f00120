"""What a read gives: the table, how it was taken, and what was noticed on the way."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from keen_trellis.base.file_stamps import FileStamp
from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.progress import Report, quiet
from keen_trellis.base.words import listed
from keen_trellis.data import Kind, Table
from keen_trellis.data.conversions.kind_changes import Unfit
from keen_trellis.data.conversions.noticed import Noticed
from keen_trellis.read.settling import Settled, Unsettled

_NAMED = 3


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
        """What is to be known about the rows, the weightiest first; of what was read until now."""
        late = (said for column in self.table.to_come().values() for said in column.noticed)
        return (*self.left_out, *self.columns.noticed, *self.changed, *late)

    @property
    def unread(self) -> tuple[str, ...]:
        """The columns that nobody has looked at, so that nothing is known about their values."""
        return tuple(n for n, column in self.table.to_come().items() if not column.is_read)

    @property
    def notes(self) -> tuple[str, ...]:
        """What was noticed, as sentences, and what was not read."""
        noticed = tuple(one.text for one in self.noticed)
        if not self.unread:
            return noticed
        names = [f"“{name}”" for name in self.unread[:_NAMED]]
        if more := len(self.unread) - len(names):
            names.append(tr_n(more, "{n:,} more column", "{n:,} more columns"))
        unread = tr("Not read, since nothing looks there: {names}.", names=listed(names))
        return (*noticed, unread)

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


def without_rows(n_rows: int, source: str) -> tuple[Noticed, ...]:
    """Say so where a source has a header at best."""
    return () if n_rows else (Noticed(tr("{source} has no rows below its header.", source=source)),)
