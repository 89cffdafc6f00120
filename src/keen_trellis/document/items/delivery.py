"""The delivery: an outcome written to a file or into a database whenever deliveries are made."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator

from keen_trellis.base.language import marked, tr
from keen_trellis.document.database_field import DatabaseField
from keen_trellis.document.items.item import Item, Lanes, Named, Part
from keen_trellis.document.wants import Want, wants_of_path, wants_of_server
from keen_trellis.layouts.delivered_text import TextForm
from keen_trellis.servers.server import SqliteFile

Beside = Literal["left", "right", "several", "report"]
"""What a workbook may hold beside the rows: of the last join before it the rows without a partner
on either side and those with several partners, and the match report."""

_DOES = {
    "make": marked("makes"),
    "replace": marked("replaces"),
    "add": marked("adds rows to"),
    "update": marked("updates rows of"),
}
DATE = "{date}"
"""Stands in a file's name for the day on which it is written."""


class IntoTable(Part):
    """A table of a database that the rows are written into.

    Attributes
    ----------
    database : SqliteFile or Server
    table : str
    in_schema : str or None
    how : "make", "replace", "add" or "update"
        What becomes of a table of that name: there must be none, it is replaced, rows are added, or
        those of the same key are changed and new ones added.
    key : str
        The column that becomes the primary key, or by which rows are updated; empty for none.
    """

    database: DatabaseField
    table: str = Field(min_length=1)
    in_schema: str | None = None
    how: Literal["make", "replace", "add", "update"] = "make"
    key: str = ""

    @property
    def words(self) -> str:
        """The table and where it is."""
        table = f"{self.in_schema}.{self.table}" if self.in_schema else self.table
        return f"{self.database.label} › {table}"


class DeliveryItem(Item):
    """The rows before it, written to a file or into a table.

    Attributes
    ----------
    name : str
    path : str
        Of the file; “{date}” in its name is the day on which it is written. Empty for a table.
    guarded : bool
        Whether texts that a spreadsheet would take for formulas are written so that it does not:
        in delimited text, behind an apostrophe.
    form : TextForm
        How a text is written.
    beside : tuple of Beside
        Further sheets of a workbook.
    into : IntoTable or None
    """

    type: Literal["delivery"] = "delivery"
    name: str
    path: str = ""
    guarded: bool = False
    form: TextForm = TextForm()
    beside: tuple[Beside, ...] = ()
    into: IntoTable | None = None

    word: ClassVar[str] = marked("delivery")
    changes_rows: ClassVar[bool] = False

    @model_validator(mode="after")
    def _goes_to_one_place(self) -> Self:
        if bool(self.path) == (self.into is not None):
            raise ValueError(
                tr("The delivery “{name}” needs a file or a table, and not both.", name=self.name)
            )
        if len(set(self.beside)) < len(self.beside):
            raise ValueError(tr("The delivery “{name}” has a sheet twice.", name=self.name))
        return self

    @property
    def file(self) -> str:
        """The file that is written, as the document has it; empty for a server."""
        if self.into is None:
            return self.path
        return self.into.database.path if isinstance(self.into.database, SqliteFile) else ""

    @property
    def place(self) -> str:
        """Where it goes, as short as it can be said."""
        return self.into.words if self.into is not None else Path(self.path).name

    def at(self, change: Callable[[str], str]) -> Self:
        """Return the delivery with its file's path changed; one to a server as it is."""
        if self.into is None:
            return self.model_copy(update={"path": change(self.path)})
        if not self.file:
            return self
        into = self.into.model_copy(update={"database": SqliteFile(change(self.file))})
        return self.model_copy(update={"into": into})

    def target(self, day: dt.date) -> Path:
        """Return the file that is written on a day: where a link leads, the home folder for ~."""
        named = Path(self.file).expanduser()
        # The name alone: a folder called {date} is somebody's folder.
        return named.with_name(named.name.replace(DATE, day.isoformat())).resolve()

    def wants(self, folder: Path | None) -> Iterator[Want]:
        """Yield what it may not have unasked in a stranger's document, which lies in a folder."""
        yield from wants_of_path(self.file, folder, marked("writes"))
        if DATE in self.file:  # that of a day may be a link, which leads elsewhere
            usual = Path(self.file).expanduser().parent.resolve()
            target = self.target(dt.date.today())
            if target.parent != usual:
                yield from wants_of_path(str(target), folder, marked("writes"))
        if self.into is None:
            return
        # the keys are kept on this machine, and are the same in every language
        does = _DOES[self.into.how]
        database = self.into.database
        if not isinstance(database, SqliteFile):
            yield from wants_of_server(database, folder)
            table = f"{self.into.in_schema}.{self.into.table}"
            key = f"{does} {database.type} {database.account} {table}"
            yield Want(
                key,
                tr(
                    "{does} the table {table} in {label}",
                    does=tr(does),
                    table=self.into.table,
                    label=database.label,
                ),
            )
        elif self.into.how != "make" and folder is not None:
            path = Path(self.file).expanduser().resolve()
            words = tr(
                "{does} the table {table} in {path}",
                does=tr(does),
                table=self.into.table,
                path=path,
            )
            yield Want(f"{does} {path} {self.into.table}", words)

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what is delivered, and where to."""
        return tr("Delivers {name} to {place}.", name=self.name, place=self.place)
