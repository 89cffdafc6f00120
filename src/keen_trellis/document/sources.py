"""Where a lane's rows come from, as the document says it; `run.source_reading` reads them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import fields, replace
from pathlib import Path
from typing import Annotated, Any, Literal, TypeVar

from pydantic import Field

from keen_trellis.base.errors import EditError
from keen_trellis.base.file_stamps import FileStamp
from keen_trellis.base.folders import folder_stamps, is_of_pattern
from keen_trellis.base.language import marked, tr
from keen_trellis.base.ordinary_files import is_one_file
from keen_trellis.base.words import plainly
from keen_trellis.data import Kind
from keen_trellis.data.conversions.noticed import Reread
from keen_trellis.document.database_field import DatabaseField
from keen_trellis.document.items.item import Part, Taken
from keen_trellis.document.wants import Want, wants_of_files, wants_of_path, wants_of_server
from keen_trellis.layouts.source_layouts import SheetLayout, TextLayout
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.blends import Blended
from keen_trellis.plan.nodes import BayRows, Begun, Node, Outcome
from keen_trellis.servers.server import RowCondition, SqliteFile

S = TypeVar("S", bound="AnySource")


class Beginning(Part):
    """Where in the trellis itself a lane begins.

    Attributes
    ----------
    taken : Taken or None
        The rows of another lane that it begins with.
    tie : str
        The tie that it begins with a bay of; empty where it begins with a lane's rows.
    """

    taken: Taken | None = None
    tie: str = ""


class AnySource(Part):
    """What every source has.

    Attributes
    ----------
    kinds : dict of column to Kind
        The kinds chosen; those of other columns are found.
    """

    kinds: dict[str, Kind] = Field(default={})

    @property
    def place(self) -> str:
        """The file or folder it is read from; empty where there is none."""
        return str(getattr(self, "path", ""))

    def at(self: S, place: str) -> S:
        """Return the source read from another file or folder."""
        return self.model_copy(update={"path": place}) if self.place else self

    def taking(self: S, table: str) -> S:
        """Return the source with another sheet or table of the same file or database.

        Raises
        ------
        EditError
            There is only one table at its place.
        """
        raise EditError(tr("There is only one table in {place}.", place=self.place))

    def reads(self, path: Path) -> bool:
        """Whether a file is one that it is read from, or would be if the file were there."""
        return bool(self.place) and is_one_file(Path(self.place), path)

    def wants(self, folder: Path | None) -> Iterator[Want]:
        """Yield what it may not have unasked in a stranger's document, which lies in a folder."""
        yield from wants_of_path(self.place, folder, marked("reads"))

    def stamps(self) -> tuple[FileStamp, ...]:
        """Return its files as they are now."""
        return (FileStamp.of(Path(self.place)),) if self.place else ()

    def with_kind(self: S, column: str, kind: Kind | None) -> S:
        """Return the source with a kind chosen for a column, or with none."""
        kinds = {name: k for name, k in self.kinds.items() if name != column}
        return self.with_kinds(kinds if kind is None else {**kinds, column: kind})

    def with_kinds(self: S, kinds: Mapping[str, Kind]) -> S:
        """Return the source with other kinds chosen."""
        return self.model_copy(update={"kinds": dict(kinds)})

    def with_setting(self: S, name: str, value: Any) -> S:
        """Return the source with one setting of how it is read changed."""
        # A source has one or two layouts under these names; a setting is in the first that knows
        # it.
        for layout in ("layout", "text", "cells"):
            settings = getattr(self, layout, None)
            if settings is not None and name in {f.name for f in fields(settings)}:
                return self.model_copy(update={layout: replace(settings, **{name: value})})
        return self.model_copy(update={name: value})

    def mended(self: S, remedy: Reread) -> S:
        """Return the source read in the way that a remedy proposes."""
        made = self
        for name, value in remedy.layout.items():
            made = made.with_setting(name, value)
        for column, kind in remedy.kinds.items():
            made = made.with_kind(column, kind)
        return made

    def begins_at(self) -> Beginning | None:
        """Return the part of the trellis that it begins at; None where it is read from outside."""
        return None

    @property
    def waits(self) -> bool:
        """Whether its reader mostly waits, for another process or a server: others read then."""
        return False


class DelimitedSource(AnySource):
    """A delimited text file; what its layout leaves open is found anew at each read."""

    type: Literal["delimited"] = "delimited"
    path: str
    layout: TextLayout = TextLayout()


class SheetSource(AnySource):
    """A sheet of a workbook, or one of its named ranges."""

    type: Literal["sheet"] = "sheet"
    path: str
    sheet: str
    range: str | None = None
    layout: SheetLayout = SheetLayout()

    def taking(self, table: str) -> SheetSource:
        """Return the source with another sheet of the same workbook."""
        return self.model_copy(update={"sheet": table, "range": None})

    @property
    def waits(self) -> bool:
        """A workbook is parsed by a process of its own."""
        return True


class FolderSource(AnySource):
    """All files of a folder whose names have a pattern, as one table.

    `taken_as` has what a column is called in some files, by its name in the others.
    """

    type: Literal["folder"] = "folder"
    path: str
    pattern: str = "*.csv"
    file_column: str | None = "file"
    sheet: str | None = None
    text: TextLayout = TextLayout()
    cells: SheetLayout = SheetLayout()
    taken_as: dict[str, str] = Field(default={})

    @property
    def waits(self) -> bool:
        """Workbooks are parsed by a process of their own."""
        return self.sheet is not None

    def reads(self, path: Path) -> bool:
        """Whether a file is in the folder and has the pattern."""
        return is_of_pattern(path, Path(self.path), self.pattern)

    def wants(self, folder: Path | None) -> Iterator[Want]:
        """Yield the folder, and what links in it lead to."""
        yield from super().wants(folder)
        if folder is not None:
            yield from wants_of_files(self.path, (Path(one.path) for one in self.stamps()), folder)

    def stamps(self) -> tuple[FileStamp, ...]:
        """Return its files as they are now; none where the folder is gone."""
        return folder_stamps(Path(self.path), self.pattern)


class ColumnarSource(AnySource):
    """A Parquet, Arrow or Feather file."""

    type: Literal["columnar"] = "columnar"
    path: str


class TypedSource(AnySource):
    """Cells typed in or pasted; all texts, and the only rows that a document itself holds."""

    type: Literal["typed"] = "typed"
    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...] = ()


class _InDatabase(AnySource):
    database: DatabaseField
    zone: str = "UTC"

    @property
    def place(self) -> str:
        """The file of the database; empty for one on a server."""
        return self.database.path if isinstance(self.database, SqliteFile) else ""

    @property
    def waits(self) -> bool:
        """A server works its rows out by itself; a file is read by this process."""
        return not self.place

    def wants(self, folder: Path | None) -> Iterator[Want]:
        """Yield the file, or the contact with the server."""
        if isinstance(self.database, SqliteFile):
            yield from super().wants(folder)
            return
        yield from wants_of_server(self.database, folder)

    def at(self: S, place: str) -> S:
        """Return the source read from another file."""
        return self.model_copy(update={"database": SqliteFile(place)}) if self.place else self


class TableSource(_InDatabase):
    """A table or view of a database, or some of its columns and rows."""

    type: Literal["table"] = "table"
    in_schema: str | None = None
    table: str
    columns: tuple[str, ...] | None = None
    conditions: tuple[RowCondition, ...] = ()

    def taking(self, table: str) -> TableSource:
        """Return the source with another table of the same schema."""
        return self.model_copy(update={"table": table})


class QuerySource(_InDatabase):
    """A query typed by hand, which can only read."""

    type: Literal["query"] = "query"
    query: str
    timeout_s: float = Field(default=60.0, gt=0)


class _InTrellis(AnySource):
    """Rows that the trellis itself has; their kinds are those that they have there."""

    kinds: dict[str, Kind] = Field(default={}, max_length=0)

    def begins_at(self) -> Beginning:
        """Return the part of the trellis that it begins at."""
        raise NotImplementedError

    def node(self, rows: Node, lane: str) -> Node:
        """Return the rows that a lane begins with.

        Parameters
        ----------
        rows : Node
            What goes on from the part that it begins at.
        lane : str
            The id of the lane that begins here.
        """
        raise NotImplementedError


class LaneSource(_InTrellis):
    """The rows of another lane once more; `after` as in `Taken`."""

    type: Literal["lane"] = "lane"
    lane: str
    after: str | None = None

    def begins_at(self) -> Beginning:
        """Return the place on the other lane."""
        return Beginning(taken=Taken(lane=self.lane, after=self.after))

    def taken_at(self, taken: Taken) -> LaneSource:
        """Return the source with its rows taken elsewhere."""
        return self.model_copy(update={"lane": taken.lane, "after": taken.after})

    def node(self, rows: Node, lane: str) -> Node:
        """Return the rows as those of a lane of their own."""
        return Begun(rows, lane)


class BaySource(_InTrellis):
    """The rows of one bay of a join, whether the bay is kept or left there."""

    type: Literal["bay"] = "bay"
    tie: str
    bay: Bay

    def begins_at(self) -> Beginning:
        """Return the tie."""
        return Beginning(tie=self.tie)

    def node(self, rows: Node, lane: str) -> Node:
        """Return the rows of the bay; their columns stay those of the lanes they come from."""
        outcome = rows.outcomes[-1] if isinstance(rows, Blended) else rows
        assert isinstance(outcome, Outcome)
        return BayRows(outcome.join, self.bay)


InTrellis = LaneSource | BaySource
"""The sources that nothing is read for."""

Source = Annotated[
    DelimitedSource
    | SheetSource
    | FolderSource
    | ColumnarSource
    | TypedSource
    | TableSource
    | QuerySource
    | LaneSource
    | BaySource,
    Field(discriminator="type"),
]


def source_words(source: Source) -> str:
    """Return where a lane comes from, as short as it can be said."""
    name = plainly(Path(source.place).name)
    match source:
        case SheetSource():
            return f"{name} › {source.range or source.sheet}"
        case FolderSource():
            return f"{name}/{source.pattern}"
        case TypedSource():
            return tr("typed in")
        case TableSource():
            table = f"{source.in_schema}.{source.table}" if source.in_schema else source.table
            return f"{source.database.label} › {table}"
        case QuerySource():
            return tr("{label} › query", label=source.database.label)
        case _:
            return name


def missing_beside(
    sources: Iterator[Source], moved_from: Path, moved_to: Path
) -> Callable[[str], str]:
    """Return what finds the places of sources once the file of one has been found again.

    A source that is not where it was is looked for where it stood beside the file that moved:
    under the folder that the file is in now, by the way that led to it before.
    """
    old, new = moved_from.parent, moved_to.parent
    # Whole folders move as often as files do: the part of the way that is the same on both sides
    # is what moved along.
    while old.name and old.name == new.name:  # the same folders stand above it, up to what moved
        old, new = old.parent, new.parent
    places = {source.place for source in sources if source.place}

    def found(place: str) -> str:
        if place == str(moved_from):
            return str(moved_to)
        # A file that is still where it was is never taken from elsewhere, even if one of its name
        # lies beside the file that moved.
        if place not in places or Path(place).exists():
            return place
        for was, now in ((moved_from.parent, moved_to.parent), (old, new)):
            if Path(place).is_relative_to(was):
                candidate = now / Path(place).relative_to(was)
                if candidate.exists():
                    return str(candidate)
        return place

    return found
