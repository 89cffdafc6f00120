"""Outcomes written as files: the rows asked for and nothing else, whole or not at all."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING

from keen_trellis.base.errors import DeliveryError, reason
from keen_trellis.base.language import tr
from keen_trellis.base.logs import timed
from keen_trellis.base.progress import Report, quiet
from keen_trellis.base.whole_files import Noting, whole_file
from keen_trellis.base.words import listed
from keen_trellis.layouts.delivered_text import USUAL, TextForm

if TYPE_CHECKING:
    from keen_trellis.data import Table

_log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True, eq=False)
class Sheet:
    """Rows with a name: a sheet of a workbook, where the file is one.

    Attributes
    ----------
    name : str
    table : Table
    """

    name: str
    table: Table


@dataclass(frozen=True, slots=True)
class _How:
    """What a format may be told beside its rows."""

    form: TextForm
    guarded: bool
    report: Report


def deliver(
    table: Table,
    path: str | Path,
    sheet: str = "Outcome",
    report: Report = quiet,
    guarded: bool = False,
    form: TextForm | None = None,
    beside: Sequence[Sheet] = (),
    noting: Noting | None = None,
) -> None:
    """Write every row of a table to `path`; blanks and gaps become empty cells, or null.

    The file is written whole or not at all. One that is there is replaced; a folder that is not
    there is made, and ~ is the home folder. What the format cannot hold is written as text, as
    `keen_trellis.deliver.spoiled` says before.

    Parameters
    ----------
    table, path, sheet, report
    guarded : bool
        Whether texts that begin with = + - @ are written to delimited text behind an apostrophe, so
        that no spreadsheet runs them. In a sheet they are texts anyhow.
    form : TextForm, optional
        How a text is written; in a .tsv tabs stand between cells, whatever it says.
    beside : sequence of Sheet
        Further sheets of a workbook.
    noting : callable, optional
        Around the moment in which the file takes its place.

    Raises
    ------
    DeliveryError
        The ending is none that can be written, the folder cannot be written to, or the rows do not
        fit into a sheet, or there are further sheets for a file that has only one.
    Cancelled
        Raised by `report` once the user has asked to stop; nothing is written then.
    """
    path = Path(path).expanduser()
    # By the ending alone, as what reads the file will go by it too.
    write = _WRITERS.get(path.suffix.lower())
    if write is None:
        raise DeliveryError(
            tr(
                "{name} cannot be written: its ending is none of {writers}.",
                name=path.name,
                writers=", ".join(_WRITERS),
            ),
            tr("Give the file one of these endings."),
        )
    if beside and not has_sheets(path):
        raise DeliveryError(
            tr(
                "{name} holds one table, and {beside} are to be delivered.",
                name=path.name,
                beside=len(beside) + 1,
            ),
            tr(
                "Deliver to {with_sheets}, or leave the others out.",
                with_sheets=listed(_WITH_SHEETS, "or"),
            ),
        )
    if has_sheets(path):
        from keen_trellis.deliver.sheet_cells import CELL_LETTERS  # it loads what holds tables

        for name in (name for one in (table, *(s.table for s in beside)) for name in one.columns):
            if len(name) > CELL_LETTERS:
                raise DeliveryError(
                    tr(
                        "The name of a column has {name:,} letters; a cell of a sheet holds "
                        "{cell_letters:,}: “{name_2} …”.",
                        name=len(name),
                        cell_letters=CELL_LETTERS,
                        name_2=name[:40],
                    ),
                    tr("Give it a shorter one, or deliver to .csv instead."),
                )
    how = _How(form or USUAL, guarded, report)
    try:
        # Made before the passing file, which stands beside the target so that it can be renamed
        # onto it.
        path.parent.mkdir(parents=True, exist_ok=True)
        with whole_file(path, noting) as passing, timed(_log, f"write {path.name}") as told:
            write([Sheet(sheet, table), *beside], passing, how)
            # Counted once it is written: the log says nothing of rows that no file holds.
            told.rows = len(table) + sum(len(one.table) for one in beside)
    except OSError as error:
        raise DeliveryError(
            tr("{path} cannot be written: {reason}.", path=path, reason=reason(error)),
            tr("Choose a folder that you may write to and that has room."),
        ) from error


def endings() -> tuple[str, ...]:
    """Return the endings of the files that can be written."""
    return tuple(_WRITERS)


def has_sheets(path: Path) -> bool:
    """Whether a file of that name is a workbook, which may have several sheets."""
    return path.suffix.lower() in _WITH_SHEETS


def is_text(path: Path) -> bool:
    """Whether a file of that name is delimited text, which may be written in several forms."""
    return path.suffix.lower() in _TEXTS


def _write_text(sheets: Sequence[Sheet], path: Path, how: _How) -> None:
    from keen_trellis.deliver.text_writer import write_text

    form = replace(how.form, delimiter="\t") if path.suffix.lower() == ".tsv" else how.form
    with path.open("wb") as file:
        write_text(sheets[0].table, file, form, how.report, guarded=how.guarded)


def _by(module: str, function: str) -> Callable[[Sequence[Sheet], Path, _How], None]:
    """Return a writer that is loaded when it is needed."""

    def write(sheets: Sequence[Sheet], path: Path, how: _How) -> None:
        getattr(import_module(f"keen_trellis.deliver.{module}"), function)(
            sheets, path, report=how.report
        )

    return write


_TEXTS = (".csv", ".tsv")
_WITH_SHEETS = (".xlsx", ".ods")
_WRITERS: dict[str, Callable[[Sequence[Sheet], Path, _How], None]] = {
    ".csv": _write_text,
    ".xlsx": _by("xlsx", "write_xlsx"),
    ".ods": _by("ods", "write_ods"),
    ".tsv": _write_text,
    ".parquet": _by("columnar_writer", "write_parquet"),
    ".arrow": _by("columnar_writer", "write_arrow"),
    ".feather": _by("columnar_writer", "write_arrow"),
}
