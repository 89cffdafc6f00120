"""What is known of rows before there are any: names, kinds, lanes, whether a gap can be there."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from keen_trellis.base.errors import UnknownColumnError
from keen_trellis.base.language import tr
from keen_trellis.data import Kind


@dataclass(frozen=True, slots=True)
class SchemaColumn:
    """One column of rows that may not be there yet.

    Attributes
    ----------
    name : str
    kind : Kind
    origin : str
        The lane that its values come from; empty where nobody said.
    gaps : bool
        Whether a tie or a stack before may have left gaps in it.
    seen : bool
        False for a text column of blanks alone, which takes the kind of what it meets.
    """

    name: str
    kind: Kind
    origin: str = ""
    gaps: bool = False
    seen: bool = True


@dataclass(frozen=True, slots=True)
class Schema:
    """The columns of rows, in order, each name once."""

    columns: tuple[SchemaColumn, ...] = ()

    def __iter__(self) -> Iterator[SchemaColumn]:
        return iter(self.columns)

    @property
    def names(self) -> tuple[str, ...]:
        """The names in order."""
        return tuple(column.name for column in self.columns)

    def column(self, name: str, where: str = tr("these rows")) -> SchemaColumn:
        """Return the column called `name`.

        Raises
        ------
        UnknownColumnError
            There is none; the message says so about `where`.
        """
        # In order and not by a dict: schemas are made for every node of every plan, and most are
        # asked once or never.
        for column in self.columns:
            if column.name == name:
                return column
        raise UnknownColumnError(name, where, self.names)
