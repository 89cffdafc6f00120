"""Which rows of a table one looks at, and in which order: sorted, searched, only some of them.

Nothing is changed by it: what comes out are row numbers, for `Table.take`.
"""

from __future__ import annotations

import re
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.compute.join.comparable_columns import sortable
from keen_trellis.compute.join.keys import own_codes
from keen_trellis.data import BLANK, GAP, Column, Field, Kind, Rows, Table

What = Literal["value", "blank", "gap"]
_LETTERS = re.compile(r"[^\W\d_]")
_OF_KIND = {Kind.BOOLEAN: frozenset("truefalse"), Kind.NUMBER: frozenset("einfa")}
"""The letters that values can have which are no texts; a date has none."""
_WRITTEN_OUT = {Kind.NUMBER: 0, Kind.EXACT: 0, Kind.INTEGER: 1}
_FEW = 1 << 16
_SAMPLE, _REPEATED = 1 << 14, 1 / 32


@dataclass(frozen=True, slots=True)
class Only:
    """Only rows with something in a column: a value as it is shown, a blank or a gap."""

    column: str
    what: What = "value"
    value: str = ""

    def __str__(self) -> str:
        """Say it in words."""
        if self.what == "value":
            return tr("{column} is “{value}”", column=self.column, value=self.value)
        if self.what == "blank":
            return tr("{column} is a blank", column=self.column)
        return tr("{column} is a gap", column=self.column)


@dataclass(frozen=True, slots=True)
class Look:
    """How one looks at a table.

    Attributes
    ----------
    sort : str
        The column that rows are sorted by; empty leaves them as they stand.
    descending : bool
    search : str
        Only rows with this in any column, whatever its case; empty for all.
    only : tuple of Only
        All must hold.
    """

    sort: str = ""
    descending: bool = False
    search: str = ""
    only: tuple[Only, ...] = ()

    def __bool__(self) -> bool:
        """Whether it is any other than all rows as they stand."""
        return self != Look()

    def within(self, table: Table) -> Look:
        """Return what of it can be said of a table: its columns may be others than before."""
        names = set(table.columns)
        sort = self.sort if self.sort in names else ""
        only = tuple(one for one in self.only if one.column in names)
        return Look(sort, self.descending and bool(sort), self.search, only)


def looked_rows(table: Table, look: Look, report: Report = quiet) -> Rows:
    """Return the numbers of the rows that one looks at, in their order.

    Blanks and gaps come last however a column is sorted, and equal rows stay as they stood. Texts
    are sorted without regard to case first.

    Raises
    ------
    UnknownColumnError
        A column is not in the table.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    rows: Rows = np.arange(len(table))
    for one in look.only:
        report(0.1, tr("Looking for {one}", one=one))
        rows = rows[_holds(table.column(one.column).take(rows), one)]
    if look.search:
        some = table if len(rows) == len(table) else table.take(rows)
        rows = rows[_found(some, look.search, report)]
    if look.sort:
        report(0.8, tr("Sorting by {sort}", sort=look.sort))
        rows = rows[_sorted(table.column(look.sort).take(rows), look.descending)]
    return rows


def _holds(column: Column, only: Only) -> NDArray[np.bool_]:
    if only.what != "value":
        state = BLANK if only.what == "blank" else GAP
        return np.zeros(len(column), bool) if column.state is None else column.state == state
    return _matching(column, lambda texts: pc.equal(texts, only.value))


def _found(table: Table, search: str, report: Report) -> NDArray[np.bool_]:
    """Return which rows have a text anywhere; two columns at a time are looked at."""
    hits = np.zeros(len(table), bool)
    letters = {letter.lower() for letter in _LETTERS.findall(search)}
    wanted = [
        field  # where no value has such letters, as in an integer or a date, there is none to find
        for field in table.fields
        if field.kind is Kind.TEXT or letters <= _OF_KIND.get(field.kind, frozenset())
    ]

    def look(field: Field) -> NDArray[np.bool_]:
        def test(texts: pa.Array) -> pa.Array:
            # without letters there is no case to ignore, and that takes a sixth of the time
            return pc.match_substring(texts, search, ignore_case=search.lower() != search.upper())

        return _matching(table.fetch(field), test)

    # what is written out as text first takes longest: begun last, one core would wait for it
    wanted.sort(key=lambda field: _WRITTEN_OUT.get(field.kind, 2))
    with ThreadPoolExecutor(2) as pool:
        for number, found in enumerate(pool.map(look, wanted)):
            report(0.1 + 0.6 * number / len(wanted), tr("Looking for “{search}”", search=search))
            hits |= found
    return hits


def _matching(column: Column, test: Any) -> NDArray[np.bool_]:
    """Return the cells whose text passes a test: made once for each different value."""
    if column.kind is Kind.TEXT:
        assert column.dictionary is not None
        passed = np.append(_mask(test(column.dictionary)), False)  # where the code of a blank reads
        hits: NDArray[np.bool_] = passed[column.values]
        return hits
    if column.kind is Kind.EXACT:
        return _mask(test(column.texts()))
    values, places = _distinct(column.values)
    passed = _mask(test(Column(column.kind, values).texts()))[places]
    return passed if column.state is None else passed & (column.state == 0)


def _distinct(values: NDArray[Any]) -> tuple[NDArray[Any], Rows]:
    """Return different values, and the place of each row's; all of them where they are many."""
    if values.dtype.kind in "ib" and len(values):
        whole = values.astype(np.int64, copy=False)
        low, high = int(whole.min()), int(whole.max())
        if high - low < max(_FEW, len(values) // 2):
            return np.arange(low, high + 1).astype(values.dtype), whole - low
    if values.dtype.kind == "f" and _repeats(values):
        found = pa.array(values).dictionary_encode()
        return found.dictionary.to_numpy(), found.indices.to_numpy()
    return values, np.arange(len(values))


def _repeats(values: NDArray[Any]) -> bool:
    """Return whether numbering different values saves more than it costs, as a sample has it."""
    sample = values[:: max(len(values) // _SAMPLE, 1)]
    return len(np.unique(sample)) < (1 - _REPEATED) * len(sample)


def _mask(found: pa.Array | pa.ChunkedArray) -> NDArray[np.bool_]:
    made: NDArray[np.bool_] = found.fill_null(False).to_numpy(zero_copy_only=False)
    return made


def _sorted(column: Column, descending: bool) -> Rows:
    """Return the places of the cells in order; a stable sort, so that equal ones stay as they are.

    Key and place are packed into one 64-bit number where both fit: plain numbers are sorted several
    times faster than places are by their keys. Else the cells are sorted, for a descending order
    from their end, and the places turned round twice: what is equal then stands as it stood.
    """
    absent = column.absent
    present = np.arange(len(column)) if absent is None else np.flatnonzero(~absent)
    keys = _keys(column)[present]
    packed = _packed(keys, descending)
    if packed is not None:
        packed.sort()
        order = packed & ((1 << len(keys).bit_length()) - 1)
    elif descending:
        order = len(keys) - 1 - np.argsort(keys[::-1], kind="stable")[::-1]
    else:
        order = np.argsort(keys, kind="stable")
    last = np.zeros(0, np.intp) if absent is None else np.flatnonzero(absent)
    return np.concatenate([present[order], last])


def _packed(keys: NDArray[Any], descending: bool) -> NDArray[np.int64] | None:
    """Return each key above its place in one number, none negative; None where they do not fit."""
    if keys.dtype != np.int64 or not len(keys):
        return None
    low, high = int(keys.min()), int(keys.max())
    bits = len(keys).bit_length()
    if (high - low).bit_length() + bits > 63:
        return None
    above = (high - keys if descending else keys - low) << bits
    made: NDArray[np.int64] = above | np.arange(len(keys))
    return made


def _keys(column: Column) -> NDArray[Any]:
    """Return numbers in the order of the cells."""
    if column.kind is not Kind.TEXT:
        keys = sortable(column)
    else:
        assert column.dictionary is not None
        folded = pa.table({"lower": pc.utf8_lower(column.dictionary), "text": column.dictionary})
        keys_by = [("lower", "ascending"), ("text", "ascending")]
        order = pc.sort_indices(folded, sort_keys=keys_by).to_numpy()
        rank = np.zeros(len(order) + 1, np.int64)  # one more: where the code of a blank reads
        rank[order] = np.arange(len(order))
        keys = rank[column.values]
    return keys


def empty_cells(table: Table, report: Report = quiet) -> list[tuple[str, int]]:
    """Return the columns with cells that have no value, and how many, the most first."""
    found = []
    for place, field in enumerate(table.fields):
        report(place / len(table.fields), tr("Counting what is empty"))
        absent = table.fetch(field).absent
        if absent is not None and absent.any():
            found.append((field.name, int(np.count_nonzero(absent))))
    return sorted(found, key=lambda one: -one[1])


def values_of(
    table: Table, column: str, at_most: int, report: Report = quiet
) -> list[tuple[str, int]]:
    """Return the values of a column as they are shown, each with its rows, the most first."""
    report(0.0, tr("Counting the values of {column}", column=column))
    values = table.column(column)
    rows = np.arange(len(values)) if values.absent is None else np.flatnonzero(~values.absent)
    codes = own_codes(values.take(rows))
    times = np.bincount(codes.left, minlength=codes.size)
    first = np.zeros(codes.size, np.intp)
    first[codes.left] = rows
    order = np.argsort(-times, kind="stable")[:at_most]
    return [(values.text(int(first[c])), int(times[c])) for c in order if times[c]]
