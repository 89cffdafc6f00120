"""A column that is read when somebody first looks at it: of what nobody needs nothing is read."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence

from keen_trellis.data.column import Column
from keen_trellis.data.conversions.noticed import Noticed
from keen_trellis.data.kinds import Kind

Came = tuple[Column, tuple[Noticed, ...]]
"""What reading a column gives: its values, and what is to be known about them."""


class LateColumn:
    """A column of which the kind and the length are known, and the values are still to come.

    Parameters
    ----------
    kind : Kind
        Never one that hangs on the values: what came first would decide it otherwise.
    n_rows : int
    read : callable
        Gives the values, once; a column of another kind or length is a fault of its own making.

    Examples
    --------
    >>> late = LateColumn(Kind.INTEGER, 2, lambda: (Column.of([4, 7]), ()))
    >>> late.is_read, late.column.to_list(), late.is_read
    (False, [4, 7], True)
    """

    def __init__(self, kind: Kind, n_rows: int, read: Callable[[], Came]) -> None:
        self.kind = kind
        self._n_rows = n_rows
        # None once it has been called: it may hold on to a file or to other columns
        self._read: Callable[[], Came] | None = read
        self._came: Came | None = None
        # Two nodes may look at once, each on its own thread; the second waits for the first.
        self._reading = threading.Lock()

    def __len__(self) -> int:
        return self._n_rows

    @property
    def is_read(self) -> bool:
        """Whether somebody has looked at it."""
        return self._came is not None

    @property
    def column(self) -> Column:
        """The values, read now if they never were; the same object every time.

        Raises
        ------
        UserError
            It cannot be read; the next look tries again.
        """
        return self._values()[0]

    @property
    def noticed(self) -> tuple[Noticed, ...]:
        """What is to be known about its values; nothing as long as they are not read."""
        return () if self._came is None else self._came[1]

    def told_with(self, tell: Callable[[Column], Sequence[Noticed]]) -> LateColumn:
        """Return the same column, of which more is told once it is read."""

        def read() -> Came:
            column, noticed = self._values()
            return column, (*noticed, *tell(column))

        return LateColumn(self.kind, self._n_rows, read)

    def _values(self) -> Came:
        with self._reading:
            if self._came is None:
                assert self._read is not None
                column, noticed = self._read()
                assert column.kind is self.kind and len(column) == self._n_rows, "another column"
                self._came = column, noticed
                self._read = None
            return self._came


AnyColumn = Column | LateColumn
"""A column of a strand, read or still to come."""


def read_now(column: AnyColumn) -> Column:
    """Return a column with its values, read if they never were."""
    return column if isinstance(column, Column) else column.column
