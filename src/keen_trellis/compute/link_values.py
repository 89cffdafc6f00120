"""Every value that a link compares by “equals”, with its rows on both sides."""

from __future__ import annotations

from dataclasses import dataclass
from functools import reduce

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.base.words import first_free
from keen_trellis.compute.join.keys import LinkCodes, codes_of, combine
from keen_trellis.compute.join.match import tally
from keen_trellis.compute.join.pairing import equal_codes, field_columns
from keen_trellis.compute.join_result import Tied
from keen_trellis.data import Column, Field, Kind, Rows, Strand, Table
from keen_trellis.data.kinds import holding
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.link import LinkField


@dataclass(frozen=True, slots=True, eq=False)
class LinkValues:
    """The values of a link, or their combinations, in the order in which they first come.

    Those of the left side come first. Values that the link takes for the same are one. Rows with a
    blank in a link field have no value, where blanks match nothing: they are one more, the last.

    Attributes
    ----------
    fields : tuple of LinkField
        Those compared by “equals”.
    values : Table
        A row for each value, a column for each field; the last row is blank where `has_blank`.
    left_rows, right_rows : ndarray of int64
        How many rows of each side have the value.
    spellings : ndarray of int64
        In how many ways it is written.
    has_blank : bool
    """

    fields: tuple[LinkField, ...]
    values: Table
    left_rows: NDArray[np.int64]
    right_rows: NDArray[np.int64]
    spellings: NDArray[np.int64]
    has_blank: bool

    def __len__(self) -> int:
        return len(self.left_rows)

    @property
    def blank(self) -> NDArray[np.bool_]:
        """Which of the values is a blank that matches nothing."""
        made = np.zeros(len(self), bool)
        # The last one, where there is any: the slice of none is empty.
        made[len(self) - 1 :] = self.has_blank
        return made

    def found_in(self, bay: Bay) -> NDArray[np.bool_]:
        """Return which values are only on the left, on both sides, or only on the right."""
        left, right = self.left_rows > 0, self.right_rows > 0
        # Bays of values, not of rows: a value on both sides may have its rows left by the other
        # fields.
        one = {Bay.LEFT: left & ~right, Bay.BOTH: left & right, Bay.RIGHT: right & ~left}[bay]
        return one & ~self.blank

    @property
    def repeated(self) -> NDArray[np.bool_]:
        """Which values stand in several rows of both sides: their rows multiply on either."""
        return (self.left_rows > 1) & (self.right_rows > 1) & ~self.blank


def shown(found: LinkValues, names: tuple[str, str], which: NDArray[np.bool_]) -> Table:
    """Return some of the values as a table to look at: each with its rows, and where it is found.

    Parameters
    ----------
    names : (str, str)
        What the two sides are called.
    which : ndarray of bool
        The values wanted.
    """
    columns: dict[str, Column] = {}

    def add(name: str, column: Column) -> None:
        # A lane may have a column that is called as ours would be.
        columns[first_free(name, {*found.values.columns, *columns})] = column

    add(tr("{name} rows", name=names[0]), Column(Kind.INTEGER, found.left_rows))
    add(tr("{name} rows", name=names[1]), Column(Kind.INTEGER, found.right_rows))
    # Numbers of `words`, which are the dictionary of the column: no text is made for a value.
    places = np.zeros(len(found), np.int32)
    places[found.found_in(Bay.LEFT)] = 1
    places[found.found_in(Bay.RIGHT)] = 2
    places[found.blank] = 3
    words = [
        tr("both"),
        tr("only {name}", name=names[0]),
        tr("only {name}", name=names[1]),
        tr("matches nothing"),
    ]
    if names[0] == names[1]:
        words[1:3] = [tr("only the first"), tr("only the second")]
    add(tr("found in"), Column(Kind.TEXT, places, dictionary=pa.array(words, pa.string())))
    # Where every value is written in one way the column would say nothing.
    if (found.spellings > 1).any():
        add(tr("ways of writing"), Column(Kind.INTEGER, found.spellings))
    strand = len(found.values.strands)
    fields = tuple(
        Field(name, column.kind, "", ((strand, place),))
        for place, (name, column) in enumerate(columns.items())
    )
    strands = (*found.values.strands, Strand(tuple(columns.values())))
    whole = Table((*found.values.fields, *fields), strands, len(found))
    return whole.take(np.flatnonzero(which))


def link_values(tie: Tied, report: Report = quiet) -> LinkValues:
    """Return every value of a tie's link with its rows.

    Fields that are not compared by “equals” are left out; without any that is, there are none.

    Raises
    ------
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    # Values that are compared by order are no list: each would meet many.
    fields = tuple(field for field in tie.link.fields if field.operator == "=")
    codes = equal_codes(tie.left, tie.right, tie.link, names=tie.names, report=report)
    if not fields:
        # Without a field all rows have one code, which would show as one value without a name.
        codes = LinkCodes(np.full(len(tie.left), -1), np.full(len(tie.right), -1), 0)
    # Values stand as they first come: those of the left by their first row there, those only on
    # the right behind all of them, by their first row there. From here on everything is by value.
    left, right = _firsts(codes.left, codes.size), _firsts(codes.right, codes.size)
    there = np.flatnonzero((left >= 0) | (right >= 0))
    far = len(tie.left)
    place = np.where(left[there] >= 0, left[there], far + right[there])
    there = there[np.argsort(place, kind="stable")]
    counts = [tally(codes.left, codes.size)[there], tally(codes.right, codes.size)[there]]
    rows = [left[there], right[there]]
    ways = _spellings(tie, fields, codes)[there]
    blank = [
        np.flatnonzero(side < 0) if fields else there[:0] for side in (codes.left, codes.right)
    ]
    has_blank = any(map(len, blank))
    if has_blank:
        # A row to look at on the side that has one; -1 shows a gap on the other.
        rows = [np.append(a, b[0] if len(b) else -1) for a, b in zip(rows, blank, strict=True)]
        counts = [np.append(n, len(b)) for n, b in zip(counts, blank, strict=True)]
        ways = np.append(ways, 1)
    values = _values(tie, fields, rows[0], rows[1])
    return LinkValues(
        fields,
        values,
        counts[0].astype(np.int64),
        counts[1].astype(np.int64),
        spellings=ways.astype(np.int64),
        has_blank=has_blank,
    )


def _firsts(codes: Rows, size: int) -> Rows:
    """Return the first row of each code, -1 for none: of equal places the last written stays."""
    first = np.full(size + 1, -1)
    first[codes[::-1]] = np.arange(len(codes))[::-1]  # -1, no code, writes the one more
    return first[:-1]


def _values(tie: Tied, fields: tuple[LinkField, ...], left: Rows, right: Rows) -> Table:
    """Return what is shown of each value: as the left side writes it, else as the right does."""
    sides = []
    made: list[Field] = []
    names: set[str] = set()
    for place, field in enumerate(fields):
        columns = tie.left.column(field.left), tie.right.column(field.right)
        if field.span is not None:
            columns = field_columns(tie.left, tie.right, field, tie.names)
        kind = columns[0].kind if columns[0].kind is columns[1].kind else Kind.TEXT
        kind = holding({c.kind for c in columns}) if field.compare_as is None else kind
        name = field.left if field.left == field.right else f"{field.left} = {field.right}"
        name = first_free(name, names)
        names.add(name)
        # Two places: a value is shown as the left side writes it, and as the right one where the
        # left has no row.
        made.append(Field(name, kind, "", ((0, place), (1, place))))
        sides.append(columns)
    strands = (
        Strand(tuple(a for a, _ in sides), left),
        Strand(tuple(b for _, b in sides), right),
    )
    return Table(tuple(made), strands, len(left))


def _spellings(tie: Tied, fields: tuple[LinkField, ...], codes: LinkCodes) -> NDArray[np.int64]:
    """Return in how many ways each code is written: one, unless something is ignored or paired."""
    if not tie.link.text and not tie.link.pairs:
        return np.ones(codes.size, np.int64)
    # `raw` codes tell every spelling apart, `codes` what the link takes for one: each spelling,
    # looked at in its first row, adds one to the value that it is of.
    raw = reduce(combine, [codes_of(*field_columns(tie.left, tie.right, f)) for f in fields])
    own = np.concatenate([raw.left, raw.right])
    of = np.concatenate([codes.left, codes.right])
    written, first = np.unique(own, return_index=True)
    first = first[written >= 0]
    return np.bincount(of[first][of[first] >= 0], minlength=codes.size)
