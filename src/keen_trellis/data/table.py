"""Tables whose rows are fetched late: what a tie makes is row numbers, not copies."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Self

import numpy as np
import pyarrow as pa

from keen_trellis.base.errors import UnknownColumnError
from keen_trellis.base.language import tr
from keen_trellis.base.words import first_free
from keen_trellis.data.column import Column, Rows, from_arrow
from keen_trellis.data.conversions.conversion import converted
from keen_trellis.data.kinds import Kind
from keen_trellis.data.late_column import AnyColumn, LateColumn, read_now
from keen_trellis.data.stacking import fill_gaps, in_one_form, rescaled


@dataclass(frozen=True, slots=True, eq=False)
class Strand:
    """Columns that came together from one source, and which of their rows are taken.

    Attributes
    ----------
    columns : tuple of Column or LateColumn
        All of one length; late ones are read when a cell of theirs is first fetched.
    rows : ndarray of row numbers, or None
        For each row of the table the row of `columns` that it shows; -1 is a gap. None takes
        every row as it stands.
    """

    columns: tuple[AnyColumn, ...]
    rows: Rows | None = None

    def take(self, rows: Rows) -> Strand:
        """Return the strand with its rows chosen again; -1 is a gap, and a gap stays one."""
        # Row numbers of row numbers: twelve joins later a cell is still fetched once.
        return Strand(self.columns, compose(self.rows, rows))


@dataclass(frozen=True, slots=True)
class Field:
    """One named column of a table: where its cells lie and which lane they come from.

    Attributes
    ----------
    name : str
    kind : Kind
    origin : str
        The lane that the values come from; an empty text where nobody said.
    places : tuple of (strand, column) numbers
        Where the cells are fetched. With several places, a cell is taken from the first one
        that is not a gap, and all are shown in the field's kind, which holds them.
    """

    name: str
    kind: Kind
    origin: str
    places: tuple[tuple[int, int], ...]


@dataclass(frozen=True, slots=True, eq=False)
class Table:
    """Named columns of equal length, fetched when asked for.

    Attributes
    ----------
    fields : tuple of Field
        The columns in order; names are unique.
    strands : tuple of Strand
    n_rows : int
    """

    fields: tuple[Field, ...]
    strands: tuple[Strand, ...]
    n_rows: int

    def __len__(self) -> int:
        return self.n_rows

    @classmethod
    def of(cls, columns: Mapping[str, AnyColumn], origin: str = "") -> Self:
        """Return a table of columns of one length.

        Raises
        ------
        ValueError
            The columns differ in length.
        """
        lengths = {len(column) for column in columns.values()}
        if len(lengths) > 1:
            raise ValueError(f"The columns differ in length: {sorted(lengths)}.")
        fields = tuple(
            Field(name, column.kind, origin, ((0, place),))
            for place, (name, column) in enumerate(columns.items())
        )
        return cls(fields, (Strand(tuple(columns.values())),), lengths.pop() if lengths else 0)

    @classmethod
    def from_columns(cls, columns: Mapping[str, Sequence[Any]], origin: str = "") -> Self:
        """Return a table of Python values, None being a blank.

        >>> Table.from_columns({"code": ["KP-MS", None], "miles": [12, 7]}).columns
        ('code', 'miles')

        Raises
        ------
        TypeError
            The values of a column are not of one kind.
        ValueError
            The columns differ in length.
        """
        return cls.of({name: Column.of(values) for name, values in columns.items()}, origin)

    @classmethod
    def from_arrow(cls, table: pa.Table, origin: str = "") -> Self:
        """Return an Arrow table as ours; null and not-a-number become blanks.

        The later ones of columns with one name get a number behind it.

        Raises
        ------
        TypeError
            A column's type has no kind of ours.
        """
        columns: dict[str, Column] = {}
        for place, name in enumerate(table.column_names):
            # Names that come later are taken too: “a”, “a”, “a 2” must not give “a 2” to the
            # second.
            taken = {*columns, *table.column_names} if name in columns else set()
            columns[first_free(name, taken)] = from_arrow(table.column(place))
        return cls.of(columns, origin)

    @property
    def columns(self) -> tuple[str, ...]:
        """The names of the columns, in order."""
        return tuple(field.name for field in self.fields)

    def field(self, name: str, where: str = tr("this table")) -> Field:
        """Return the field called `name`.

        Raises
        ------
        UnknownColumnError
            There is no such column; the message says so about `where`.
        """
        for field in self.fields:
            if field.name == name:
                return field
        raise UnknownColumnError(name, where, self.columns)

    def column(self, name: str, where: str = tr("this table")) -> Column:
        """Return the values of one column.

        Raises
        ------
        UnknownColumnError
            There is no such column; the message says so about `where`.
        """
        return self.fetch(self.field(name, where))

    def fetch(self, field: Field) -> Column:
        """Return the values of one of this table's fields."""
        # Most columns have one place and its kind: nothing is made for them.
        first, *others = (self._place(place) for place in field.places)
        if not others and first.kind is field.kind:
            return first
        scale = 0
        if field.kind is Kind.EXACT:  # that of the sources, so that it is one for all rows
            scale = max(column.scale for column in self.source_columns(field))
        found = rescaled(converted(first, field.kind).column, scale)
        for other in others:
            found = fill_gaps(found, rescaled(converted(other, field.kind).column, scale))
        return found

    def fetched(self) -> list[Column]:
        """Return the values of all columns."""
        return [self.fetch(field) for field in self.fields]

    def settled(self) -> Table:
        """Return the table with every field in its kind, scale and dictionary where it lies.

        Whoever fetches it window by window, as the deliveries do, converts nothing and brings no
        dictionaries together then; that costs a pass over the sources.
        """
        fields, strands = [], [list(strand.columns) for strand in self.strands]
        for field in self.fields:
            sources = self.source_columns(field)
            if len(sources) > 1 or sources[0].kind is not field.kind:
                made = in_one_form([converted(one, field.kind).column for one in sources])
                places = []
                for (strand, _), column in zip(field.places, made, strict=True):
                    places.append((strand, len(strands[strand])))
                    strands[strand].append(column)
                field = replace(field, places=tuple(places))
            fields.append(field)
        made_of = zip(strands, self.strands, strict=True)
        together = tuple(Strand(tuple(columns), strand.rows) for columns, strand in made_of)
        return Table(tuple(fields), together, self.n_rows)

    def source_columns(self, field: Field) -> list[Column]:
        """Return the columns that a field's cells are fetched from, with all the rows they have."""
        return [read_now(self.strands[strand].columns[place]) for strand, place in field.places]

    def to_come(self) -> dict[str, LateColumn]:
        """Return the columns that are read when somebody looks, by name, also those read by now."""
        found = {}
        for field in self.fields:
            for strand, place in field.places:
                column = self.strands[strand].columns[place]
                # Also one that was read by now: what was not looked at is told by asking each
                # whether it was.
                if isinstance(column, LateColumn):
                    found[field.name] = column
        return found

    def take(self, rows: Rows) -> Table:
        """Return the table with its rows chosen again; nothing is copied but row numbers."""
        strands = tuple(strand.take(rows) for strand in self.strands)
        return Table(self.fields, strands, len(rows))

    def window(self, start: int, stop: int) -> Table:
        """Return the rows from `start` up to `stop`, without touching any other row."""
        stop = max(min(stop, self.n_rows), start)
        # Only as long as the window: a page of a billion rows takes no more than one of ten.
        rows = np.arange(start, stop)
        strands = tuple(
            Strand(strand.columns, rows if strand.rows is None else strand.rows[start:stop])
            for strand in self.strands
        )
        return Table(self.fields, strands, len(rows))

    def renamed(self, names: Sequence[str]) -> Table:
        """Return the table with other column names, as many as there are columns."""
        fields = zip(self.fields, names, strict=True)
        renamed = tuple(replace(field, name=name) for field, name in fields)
        return Table(renamed, self.strands, self.n_rows)

    def with_column(self, name: str, column: Column) -> Table:
        """Return the table with another column in the place of the one called `name`."""
        # A strand of its own, with rows as they stand here: the others may have theirs chosen.
        place = ((len(self.strands), 0),)
        fields = tuple(
            Field(name, column.kind, field.origin, place) if field.name == name else field
            for field in self.fields
        )
        return Table(fields, (*self.strands, Strand((column,))), self.n_rows)

    def with_origin(self, origin: str) -> Table:
        """Return the table with every column coming from `origin`."""
        fields = tuple(replace(field, origin=origin) for field in self.fields)
        return Table(fields, self.strands, self.n_rows)

    def with_origins(self, origins: Mapping[str, str]) -> Table:
        """Return the table with each column coming from where `origins` says by its name."""
        fields = tuple(replace(f, origin=origins.get(f.name, f.origin)) for f in self.fields)
        return Table(fields, self.strands, self.n_rows)

    def to_arrow(self) -> pa.Table:
        """Return the table as an Arrow table; blanks and gaps both become null."""
        arrays = [column.to_arrow() for column in self.fetched()]
        return pa.Table.from_arrays(arrays, names=list(self.columns))

    def _repr_html_(self) -> str:
        """Return the first rows for a notebook."""
        return self.as_html()

    def as_html(self, rows: int = 10) -> str:
        """Return the first rows as HTML, with how many there are.

        >>> html = Table.from_columns({"port": ["<Voe>", None]}).as_html()
        >>> "&lt;Voe&gt;" in html, "· blank" in html, "2 rows of 1 column" in html
        (True, True, True)
        """
        from keen_trellis.data.html import COLUMNS_SHOWN, rows_as_html

        shown = self.window(0, rows)
        columns = [(field.name, shown.fetch(field)) for field in shown.fields[:COLUMNS_SHOWN]]
        return rows_as_html(columns, self.n_rows, len(self.columns))

    def rows(self) -> Iterator[tuple[Any, ...]]:
        """Yield every row as a tuple of Python values; blanks and gaps are None."""
        # Rows without columns are rows: zip of nothing would yield none.
        if not self.fields:
            return iter(() for _ in range(self.n_rows))
        return zip(*(self.fetch(field).to_list() for field in self.fields), strict=True)

    def _place(self, place: tuple[int, int]) -> Column:
        strand = self.strands[place[0]]
        column = read_now(strand.columns[place[1]])
        return column if strand.rows is None else column.take(strand.rows)


def row_dtype(n_rows: int) -> type[np.signedinteger[Any]]:
    """Return the smallest dtype that numbers the rows of a table, -1 included."""
    return np.int32 if n_rows < 2**31 else np.int64


def compose(inner: Rows | None, outer: Rows) -> Rows:
    """Return the row numbers of `outer`'s rows of `inner`'s rows; -1 stays -1."""
    if inner is None:
        return outer
    if len(inner) == 0:
        return np.full(len(outer), -1, inner.dtype)
    # "clip" reads -1 as row 0 instead of the last one, and faster than with bounds looked at;
    # either way what stands there is put right below
    composed = inner.take(outer, mode="clip")
    if len(outer) and outer.min() < 0:
        composed[outer < 0] = -1
    return composed
