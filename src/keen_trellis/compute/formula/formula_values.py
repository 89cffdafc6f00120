"""What a part of a formula gives: a column, or one value for all rows; and what went wrong."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import reduce
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keen_trellis.base.errors import TooLongError
from keen_trellis.base.language import tr
from keen_trellis.compute.join.keys import LinkCodes, codes_of, combine, own_codes
from keen_trellis.data import BLANK, GAP, PRESENT, Column, Kind
from keen_trellis.data.column import exact_values

Flags = NDArray[np.bool_]
LETTERS_IN_ALL = 500_000_000
"""How long the different texts of a column may become together, before they are made."""

TOO_LARGE = tr("a result with too many digits")
LETTERS_AT_MOST = 100_000
"""How long a text may become: a mistake in LPAD must not fill the memory."""


@dataclass(frozen=True, slots=True, eq=False)
class Cells:
    """The values of a part of a formula.

    Attributes
    ----------
    column : Column
        One cell for each row, or a single one that stands for all.
    is_one : bool
    """

    column: Column
    is_one: bool = False

    @property
    def kind(self) -> Kind:
        """The kind of its values."""
        return self.column.kind

    def spread(self, n: int) -> Column:
        """Return a cell for each of `n` rows."""
        return self.column.take(np.zeros(n, np.intp)) if self.is_one else self.column

    def absent(self, n: int) -> Flags:
        """Return which rows have no value."""
        found = self.column.absent
        if found is None:
            return np.zeros(n, np.bool_)
        return np.full(n, bool(found[0])) if self.is_one else found


Noted = tuple[dict[str, Flags], dict[str, Flags]]
"""Faults and cuts, each by its reason."""


@dataclass(slots=True)
class Working:
    """One formula being worked out.

    Attributes
    ----------
    n : int
        The rows.
    faults : dict of sentence to ndarray of bool
        Where a value could not be worked out though all that it takes were there, and why.
    cuts : dict of sentence to ndarray of bool
        Where only a part of a value is left, and which part is not.
    """

    n: int
    faults: dict[str, Flags] = field(default_factory=dict)
    cuts: dict[str, Flags] = field(default_factory=dict)

    def fault(self, why: str, rows: Flags) -> None:
        """Note rows whose value is a blank now, where it should have been one."""
        self._note(self.faults, why, rows)

    def cut(self, what: str, rows: Flags) -> None:
        """Note rows whose value has lost a part."""
        self._note(self.cuts, what, rows)

    def _note(self, noted: dict[str, Flags], why: str, rows: Flags) -> None:
        if not rows.any():
            return
        rows = np.broadcast_to(rows, self.n) if len(rows) != self.n else rows
        known = noted.get(why)
        noted[why] = rows.copy() if known is None else known | rows

    def so_far(self) -> Noted:
        """Return what was noted until now."""
        return dict(self.faults), dict(self.cuts)

    def within(self, rows: Flags, since: Noted) -> None:
        """Forget what went wrong since then in other rows: nobody asked for their value."""
        # What is noted only ever grows, so `found` holds `before`: what `rows` cuts is new.
        for noted, earlier in zip((self.faults, self.cuts), since, strict=True):
            for why, found in list(noted.items()):
                before = earlier.get(why, np.zeros(self.n, np.bool_))
                noted[why] = before | (found & rows)
                if not noted[why].any():
                    del noted[why]


def state_of(arguments: Sequence[Cells], n: int) -> NDArray[np.uint8] | None:
    """Return the states of what is a value only where all arguments are: a gap stays a gap."""
    # PRESENT, BLANK and GAP are 0, 1 and 2: the largest of the arguments' states is what is left
    states = [one.column.state for one in arguments if one.column.state is not None]
    if not states:
        return None
    return np.asarray(reduce(np.maximum, states), np.uint8) * np.ones(n, np.uint8)


def joined_state(state: NDArray[np.uint8] | None, blank: Flags | None) -> NDArray[np.uint8] | None:
    """Return states with some present cells made blanks."""
    if blank is None or not blank.any():
        return state
    if state is None:
        return np.where(blank, BLANK, PRESENT).astype(np.uint8)
    return np.where((state == PRESENT) & blank, BLANK, state).astype(np.uint8)


def made(
    kind: Kind,
    values: NDArray[Any],
    arguments: Sequence[Cells],
    n: int,
    blank: Flags | None = None,
    scale: int = 0,
) -> Cells:
    """Return values that are absent wherever an argument is, or where `blank` says."""
    is_one = all(one.is_one for one in arguments)
    length = 1 if is_one else n
    state = joined_state(state_of(arguments, length), blank)
    return Cells(Column(kind, np.broadcast_to(values, length).copy(), state, scale=scale), is_one)


Worked = Callable[..., Any]


@dataclass(frozen=True, slots=True)
class Unfit:
    """What a function gives where it has no value to give, and why, in words."""

    why: str


@dataclass(frozen=True, slots=True, eq=False)
class Distinct:
    """The combinations of values that some arguments have, each once.

    Attributes
    ----------
    columns : tuple of Column
        For each argument its value in each combination.
    places : ndarray
        For each row the place of its combination; -1 where a value is absent.
    is_one : bool
        Whether all arguments are one value for all rows.
    state : ndarray of uint8 or None
        Of a value that is there only where all arguments are.
    """

    columns: tuple[Column, ...]
    places: NDArray[np.intp]
    is_one: bool
    state: NDArray[np.uint8] | None

    @classmethod
    def of(cls, arguments: Sequence[Cells], working: Working, strict: bool = True) -> Distinct:
        """Find the combinations; absent values belong to them only where it is not `strict`."""
        is_one = all(one.is_one for one in arguments)
        n = 1 if is_one else working.n
        codes = _combined(arguments, n, strict)
        seen = np.full(codes.size + 1, -1, np.intp)  # the last one is where code -1 points
        seen[codes.left] = np.arange(n)  # of several rows the last one stays: any of them will do
        seen[-1] = -1
        used = np.flatnonzero(seen >= 0)
        at = seen[used]
        nothing = np.zeros(len(at), np.intp)
        columns = tuple(one.column.take(nothing if one.is_one else at) for one in arguments)
        seen[used] = np.arange(len(used))
        return cls(columns, seen[codes.left], is_one, state_of(arguments, n))

    def spread(self, made: Column) -> Cells:
        """Return what was made of the combinations for each row."""
        found = made.take(self.places)
        state = found.state
        if state is not None:  # a gap was made where no combination is
            own = np.full(len(state), BLANK, np.uint8) if self.state is None else self.state
            state = np.where(self.places < 0, own, state).astype(np.uint8)
        column = Column(
            found.kind, found.values, state, dictionary=found.dictionary, scale=found.scale
        )
        return Cells(column, self.is_one)


def once(arguments: Sequence[Cells], working: Working, make: Callable[..., Column]) -> Cells:
    """Return what is made of columns that hold each combination of values once."""
    distinct = Distinct.of(arguments, working)
    return distinct.spread(make(*distinct.columns))


def by_distinct(
    arguments: Sequence[Cells], kind: Kind, working: Working, work: Worked, strict: bool = True
) -> Cells:
    """Return a function of Python values, worked out once for each combination of values.

    Where an argument is absent, so is what is given, unless it is not `strict`: then `work` takes
    None. What it gives as None is a blank; as `Unfit`, a blank with a fault.

    Raises
    ------
    TooLongError
        The texts would be longer in all than is sensible; raised by what is returned.
    """
    distinct = Distinct.of(arguments, working, strict)
    values = [column.to_list() for column in distinct.columns]
    results, letters = [], 0
    for given in zip(*values, strict=True):
        made = _shortened(work(*given))
        if isinstance(made, str):
            letters += len(made)
            if letters > LETTERS_IN_ALL:
                raise too_long()
        results.append(made)
    unfit = {one.why for one in results if isinstance(one, Unfit)}
    for why in sorted(unfit):
        is_so = np.array([isinstance(one, Unfit) and one.why == why for one in results] + [False])
        working.fault(why, is_so[distinct.places])
    known = [None if isinstance(one, Unfit) else one for one in results]
    if kind is not Kind.EXACT:
        return distinct.spread(Column.of(known, kind))
    # one scale for all: what has no room in that of most is a blank, and said
    whole, fits, scale = exact_values(known)
    lost = np.array([one is not None for one in known] + [False]) & ~np.append(fits, False)
    working.fault(TOO_LARGE, lost[distinct.places])
    state = None if bool(fits.all()) else np.where(fits, PRESENT, BLANK).astype(np.uint8)
    return distinct.spread(Column(kind, whole, state, scale=scale))


def too_long() -> TooLongError:
    """Return why texts are not made."""
    return TooLongError(
        tr(
            "The formula would make texts of more than {letters_in_all:,} letters together.",
            letters_in_all=LETTERS_IN_ALL,
        ),
        tr("Make them shorter, or leave out the rows that do not need them first."),
    )


def _combined(arguments: Sequence[Cells], n: int, strict: bool) -> LinkCodes:
    """Return a code for each row's combination of values; -1 where any is absent, if strict."""
    nothing = np.zeros(0, np.intp)
    found = LinkCodes(np.zeros(n, np.intp), nothing, 1)
    for one in arguments:
        if one.is_one and n != 1:
            if strict and one.column.state is not None and one.column.state[0] != PRESENT:
                return LinkCodes(np.full(n, -1, np.intp), nothing, 1)
            continue
        # matched with no rows, absent cells get -1, which `combine` hands on; alone, they get codes
        codes = codes_of(one.column, one.column.take(nothing)) if strict else own_codes(one.column)
        found = combine(found, codes)
    return found


def _shortened(value: Any) -> Any:
    if isinstance(value, str) and len(value) > LETTERS_AT_MOST:
        return Unfit(
            tr("a text of more than {letters_at_most:,} letters", letters_at_most=LETTERS_AT_MOST)
        )
    return value


def picked(
    columns: Sequence[Column], which: NDArray[np.integer[Any]], rows: NDArray[np.intp]
) -> Column:
    """Return for each row the cell of one of some columns, all of one kind; -1 makes a blank.

    Parameters
    ----------
    columns : sequence of Column
    which : ndarray
        For each row the number of a column.
    rows : ndarray
        The row of that column.
    """
    from keen_trellis.data.stacking import stack_columns

    # All columns are put below one another; a cell is then found by where its column begins. Codes
    # and scales differ between columns, which stacking has made one.
    starts = np.cumsum([0, *(len(column) for column in columns)])[:-1]
    at = starts[which] + rows
    if len(which) and which.min() < 0:
        at = np.where(which >= 0, at, -1)
    found = stack_columns(columns).take(at)
    if found.state is None:
        return found
    state = np.where((which < 0) & (found.state == GAP), BLANK, found.state).astype(np.uint8)
    return Column(found.kind, found.values, state, dictionary=found.dictionary, scale=found.scale)
