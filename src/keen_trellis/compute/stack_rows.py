"""Tables of the same shape, one below the other, by the names of their columns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import reduce

import numpy as np

from keen_trellis.base.language import marked, tr, tr_n
from keen_trellis.base.words import counted, listed
from keen_trellis.compute.join.keys import combine, own_codes
from keen_trellis.compute.join.match import grouped
from keen_trellis.compute.sizes import table_size
from keen_trellis.data import PRESENT, Column, Kind, Table
from keen_trellis.data.conversions.conversion import in_common_kind
from keen_trellis.data.stacking import stack_columns
from keen_trellis.plan.counts import Group
from keen_trellis.plan.outcome import free_name


@dataclass(frozen=True, slots=True, eq=False)
class Stack:
    """What a stack gives.

    Attributes
    ----------
    outcome : Table
    notes : tuple of str
        A sentence for each column whose kinds differed, or that a table lacks.
    counts : tuple of (name, rows)
        The rows of each table, in their order.
    left_out : int
        Repeated rows that were left out.
    """

    outcome: Table
    notes: tuple[str, ...]
    counts: tuple[tuple[str, int], ...]
    left_out: int = 0

    @property
    def groups(self) -> tuple[Group, ...]:
        """The rows of each table."""
        return tuple(Group(name, rows) for name, rows in self.counts)

    @property
    def numbers(self) -> dict[str, int]:
        """What became of the rows."""
        return {"rows": len(self.outcome), "left_out": self.left_out}

    @property
    def size(self) -> int:
        """The bytes that it holds for itself."""
        return table_size(self.outcome)

    def look_ahead(self) -> None:
        """Work out what somebody will look at, so that nobody has to wait then."""
        # it is all there

    def sentence(self) -> str:
        """Return where the rows came from, and what was noticed, in plain words."""
        parts = listed(
            [tr("{rows:,} of {name}", rows=rows, name=name) for name, rows in self.counts]
        )
        said = [f"{counted(len(self.outcome), 'row')}: {parts}."]
        if self.left_out:
            said.append(
                tr("Left out: {rows} that stood there already.", rows=counted(self.left_out, "row"))
            )
        return " ".join((*said, *self.notes))


def stack(
    tables: Mapping[str, Table],
    source_column: str = "source",
    repeats: bool = True,
    kinds: Mapping[str, Kind] | None = None,
) -> Stack:
    """Return tables one below the other; a column that a table lacks is a gap in its rows.

    Columns meet by name, wherever they stand, in the order in which they first appear. Kinds that
    differ become the one that holds both, or text.

    Parameters
    ----------
    tables : mapping of name to Table
        In the order of the rows.
    source_column : str
        The column that says where each row came from; none where it is empty.
    repeats : bool
        Whether a row that stands there already, apart from its source, is kept again.
    kinds : mapping of name to Kind, optional
        What was planned without a value; kept to as long as it holds the values that are there.

    Raises
    ------
    ValueError
        There is no table.
    """
    if not tables:
        raise ValueError("There is nothing to stack.")
    # In the order in which they first appear: a dictionary keeps it, a set would not.
    names = list(dict.fromkeys(name for table in tables.values() for name in table.columns))
    notes = _lacks(names, tables)
    planned = kinds or {}
    columns = {name: _stacked(name, tables, notes, planned.get(name)) for name in names}
    n_rows = sum(len(table) for table in tables.values())
    # Before the source is put beside them: rows of two tables that are alike are one.
    rows = np.arange(n_rows) if repeats else _first_of_each(list(columns.values()), n_rows)
    if source_column:
        columns = {free_name(source_column, "stack", columns): _sources(tables), **columns}
    outcome = Table.of(columns)
    if len(rows) < n_rows:
        outcome = outcome.take(rows)
    counts = tuple((label, len(table)) for label, table in tables.items())
    return Stack(outcome, tuple(notes), counts, n_rows - len(rows))


def _lacks(names: Sequence[str], tables: Mapping[str, Table]) -> list[str]:
    """Return a sentence for each set of tables that lack the same columns."""
    lacked: dict[tuple[str, ...], list[str]] = {}
    for name in names:
        without = tuple(label for label, table in tables.items() if name not in table.columns)
        if without:
            # By who lacks it: twelve columns that one table lacks are one sentence.
            lacked.setdefault(without, []).append(f"“{name}”")
    return [
        tr_n(
            len(without),
            "{lanes} has no {columns}.",
            "{lanes} have no {columns}.",
            lanes=listed(without),
            columns=listed(found, marked("or")),
        )
        for without, found in lacked.items()
    ]


def _stacked(
    name: str, tables: Mapping[str, Table], notes: list[str], planned: Kind | None
) -> Column:
    having = {label: t.column(name) for label, t in tables.items() if name in t.columns}
    made = dict(zip(having, in_common_kind(list(having.values()), planned), strict=True))
    # A column without a value has no kind that anybody chose, and is no difference to tell of.
    held = {label: column for label, column in having.items() if column.count(PRESENT)}
    kind = next(iter(made.values())).kind
    if any(column.kind is not kind for column in held.values()):
        said = listed(
            [
                tr("{kind} in {label}", kind=column.kind, label=label)
                for label, column in held.items()
            ]
        )
        notes.append(
            tr("“{name}” is {said}; stacked it is {kind}.", name=name, said=said, kind=kind)
        )
    some = next(iter(made.values()))
    parts = []
    for label, table in tables.items():
        # Row -1 of any column of that name is a gap, in its kind and dictionary.
        gaps = np.full(len(table), -1, np.intp)
        parts.append(made[label] if label in made else some.take(gaps))
    return stack_columns(parts)


def _sources(tables: Mapping[str, Table]) -> Column:
    # Declared: names of tables are words of ours, in which nothing is noticed.
    names = replace(Column.of(list(tables), Kind.TEXT), declared=True)
    return names.take(np.repeat(np.arange(len(tables)), [len(t) for t in tables.values()]))


def _first_of_each(columns: list[Column], n_rows: int) -> np.ndarray[tuple[int], np.dtype[np.intp]]:
    if not columns:
        return np.arange(min(n_rows, 1))
    # Rows of one code stand together in `order`, in row order: where a group begins is its first
    # row. Codes that no row has begin where the next does, and are left out.
    codes = reduce(combine, [own_codes(column) for column in columns])
    order, starts = grouped(codes.left, codes.size)
    firsts = order[starts[:-1][np.diff(starts) > 0]]
    return np.sort(firsts).astype(np.intp)
