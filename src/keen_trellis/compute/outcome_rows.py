"""The rows that go on: row numbers per source, and the columns above them."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

import numpy as np

from keen_trellis.base.errors import LinkError, TooManyRowsError, UnknownColumnError
from keen_trellis.base.language import tr
from keen_trellis.base.limits import limits
from keen_trellis.compute.join import match as matches
from keen_trellis.compute.join.match import Match
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Column, Field, Kind, Rows, Strand, Table, row_dtype
from keen_trellis.data.conversions.conversion import converted
from keen_trellis.data.stacking import common_scale
from keen_trellis.plan.bays import Bay, Keep
from keen_trellis.plan.link import Link
from keen_trellis.plan.outcome import (
    ALL_COLUMNS,
    Columns,
    OutcomeColumn,
    arranged,
    outcome_columns,
    semi_side,
)

CELLS_LIMIT = 50_000_000_000
"""Cells of an outcome: nothing could write or show more, though rows and columns alone may pass."""


def outcome_rows(match: Match, keep: Keep) -> tuple[Rows, Rows]:
    """Return the left and the right row numbers of every row that goes on; -1 is a gap.

    Rows stand in left order, then right order; rows that are only on the right come at the end.
    """
    if Bay.BOTH in keep:
        left, right = match.pairs_and_left_only if Bay.LEFT in keep else match.pairs
    elif Bay.LEFT in keep:
        left, right = match.left_only, _gaps(match.left_only)
    else:
        left, right = match.left_only[:0], match.right_only[:0]
    # At the end, whatever the order of the rest: they have no place in the order of the left.
    if Bay.RIGHT in keep and len(match.right_only):
        left = np.concatenate([left, _gaps(match.right_only)])
        right = np.concatenate([right, match.right_only])
    return left, right


def outcome(
    left: Table,
    right: Table,
    link: Link,
    match: Match,
    keep: Keep,
    right_name: str,
    columns: Columns = ALL_COLUMNS,
    limit: int | None = None,
) -> Table:
    """Return the table that goes on from a tie.

    The columns of the left table come first, as `columns` says. A side that has no row among
    those kept brings no columns. Nothing but row numbers is made.

    Raises
    ------
    TooManyRowsError
        There would be more rows than the limit; nothing has been built.
    UnknownColumnError
        A column is wanted that its table does not have.
    """
    side = semi_side(keep, columns)
    if side is None:
        require_few(match, link, keep, right_name=right_name, limit=limit)
    if side == "left" or keep == (Bay.LEFT,):
        # Rows that have any partner, each once: nothing multiplies.
        rows = np.flatnonzero(match.partners) if side else match.left_only
        return _arranged(_picked(left, columns.left, tr("the left table")).take(rows), columns)
    if side == "right" or keep == (Bay.RIGHT,):
        rows = np.flatnonzero(match.right_partners) if side else match.right_only
        return _arranged(_picked(right, columns.right, right_name).take(rows), columns)
    # Both sides' strands stand one behind the other, left first: a place of the right side moves
    # by the number of left strands, which is the `shift` of `outcome_fields`.
    fields = outcome_fields(left, right, link, right_name=right_name, columns=columns, keep=keep)
    _require_few_cells(match.counts.rows(keep), len(fields), right_name)
    left_rows, right_rows = outcome_rows(match, keep)
    strands = [strand.take(left_rows) for strand in left.strands]
    strands += [strand.take(right_rows) for strand in right.strands]
    made = Table(tuple(fields), tuple(strands), len(left_rows))
    return _filled(made, columns) if columns.fills else made


def _arranged(table: Table, columns: Columns) -> Table:
    """Return the columns of one side under their new names, in the order wanted."""
    made = [
        OutcomeColumn(field.name, field.kind, field.origin, side="left", source=field.name)
        for field in table.fields
    ]
    fields = tuple(
        replace(table.field(column.source), name=column.name) for column in arranged(made, columns)
    )
    return Table(fields, table.strands, table.n_rows)


def _filled(table: Table, columns: Columns) -> Table:
    """Return the table with a text in the place of the gaps of some columns.

    What fills them is one row that every row shows: nothing is copied.

    Raises
    ------
    LinkError
        A text is none of its column's kind.
    """
    values: list[Column] = []
    fields = []
    strand = len(table.strands)
    fills = dict(columns.fills)
    for field in table.fields:
        if field.name in fills:
            # A cell comes from the first place that is no gap: the text is the last one, so it
            # fills what is left.
            places = (*field.places, (strand, len(values)))
            values.append(fill(fills[field.name], field.name, field.kind))
            field = replace(field, places=places)
        fields.append(field)
    # Row 0 for each: one value, and a number a row.
    rows = np.zeros(table.n_rows, row_dtype(table.n_rows))
    strands = (*table.strands, Strand(tuple(values), rows))
    return Table(tuple(fields), strands, table.n_rows)


def fill(text: str, name: str, kind: Kind) -> Column:
    """Return what stands in the place of a column's gaps, as one cell; `LinkError` for no value."""
    made = converted(Column.of([text], Kind.TEXT), kind)
    if len(made.lost) or (kind is not Kind.TEXT and not text.strip()):
        raise LinkError(
            tr(
                "“{text}” is no {kind}, as “{name}” is: it cannot fill its gaps.",
                text=text,
                kind=kind,
                name=name,
            ),
            tr("Give a value of that kind, or none."),
        )
    return made.column


def require_few(
    match: Match, link: Link, keep: Keep, right_name: str, limit: int | None = None
) -> None:
    """Refuse an outcome of too many rows before anything is built; `TooManyRowsError`."""
    rows = match.counts.rows(keep)
    # Pairs of all with all are asked for on purpose, and limited by the machine; a link that
    # makes as many is a mistake.
    usual = limits().cross_rows if link.cross else matches.ROW_LIMIT
    allowed = usual if limit is None else limit
    if rows > allowed:
        raise TooManyRowsError(
            tr(
                "The tie with {right_name} would make {rows:,} rows; the limit is {allowed:,}.",
                right_name=right_name,
                rows=rows,
                allowed=allowed,
            ),
            tr("Raise the limit in the settings (Ctrl+,) if that is what you want.")
            if link.cross
            else tr("Add a link field: the fields chosen repeat on both sides."),
        )


def _require_few_cells(rows: int, columns: int, right_name: str) -> None:
    """Refuse an outcome of too many cells before anything is built: many rows of many columns."""
    if rows * columns > CELLS_LIMIT:
        raise TooManyRowsError(
            tr(
                "The tie with {right_name} would make {rows:,} rows of {columns:,} columns: "
                "{rows_2:,} cells, where {cells_limit:,} are the most.",
                right_name=right_name,
                rows=rows,
                columns=columns,
                rows_2=rows * columns,
                cells_limit=CELLS_LIMIT,
            ),
            tr("Choose the columns that go on, or add a link field."),
        )


def bay_table(left: Table, right: Table, match: Match, bay: Bay, right_name: str) -> Table:
    """Return the rows of one bay: with the columns of its side, or for both with all of them.

    Raises
    ------
    TooManyRowsError
        There are more pairs of partners than can be shown.
    """
    if bay is Bay.LEFT:
        return left.take(match.left_only)
    if bay is Bay.RIGHT:
        return right.take(match.right_only)
    left_rows, right_rows = match.pairs
    strands = [strand.take(left_rows) for strand in left.strands]
    strands += [strand.take(right_rows) for strand in right.strands]
    fields = outcome_fields(left, right, Link(), right_name=right_name, columns=Columns())
    return Table(tuple(fields), tuple(strands), len(left_rows))


def outcome_fields(
    left: Table,
    right: Table,
    link: Link,
    right_name: str,
    columns: Columns,
    keep: Keep = (Bay.LEFT, Bay.BOTH, Bay.RIGHT),
) -> list[Field]:
    """Return the columns that go on, as `plan.outcome.outcome_columns` says, with their places.

    A column filled from two others has the kind that holds both. Where values do not fit into it
    (a long integer beside doubles, more than 38 digits together), it is text: no digit is lost.
    """
    schemas = schema_of(left), schema_of(right)
    left_fields, right_fields = ({f.name: f for f in table.fields} for table in (left, right))
    shift = len(left.strands)
    fields = []
    for column in outcome_columns(*schemas, link, right_name, columns, keep):
        if column.side == "left":
            field = left_fields[column.source]
        else:
            field = _shifted(right_fields[column.source], shift)
        # With two places a cell comes from the first one that is no gap: the left row where there
        # is one, else the right. Both are there for matched rows, whose values are equal.
        if column.filled_from is not None:
            other = right_fields[column.filled_from]
            kind = _holding(column.kind, left, field, right=right, theirs=other)
            places = field.places + _shifted(other, shift).places
            field = replace(field, kind=kind, places=places)
        fields.append(replace(field, name=column.name))
    return fields


def _holding(kind: Kind, left: Table, mine: Field, right: Table, theirs: Field) -> Kind:
    """Return a kind if it holds the values of both columns, and text otherwise."""
    # Equal kinds hold each other, but for exact ones, whose scales may not fit beside another.
    if mine.kind is theirs.kind is not Kind.EXACT:
        return kind
    sources = [*left.source_columns(mine), *right.source_columns(theirs)]
    made = [converted(column, kind) for column in sources]
    fits = not any(len(one.lost) for one in made)
    together = common_scale([one.column for one in made]) is not None
    return kind if fits and together else Kind.TEXT


def _picked(table: Table, wanted: Collection[str] | None, where: str) -> Table:
    """Return the table with the wanted columns only, in the order of the table."""
    if wanted is None:
        return table
    for name in wanted:
        if name not in table.columns:
            raise UnknownColumnError(name, where, table.columns)
    fields = tuple(field for field in table.fields if field.name in wanted)
    return Table(fields, table.strands, table.n_rows)


def _shifted(field: Field, shift: int) -> Field:
    return replace(field, places=tuple((s + shift, c) for s, c in field.places))


def _gaps(rows: Rows) -> Rows:
    return np.full(len(rows), -1, rows.dtype)
