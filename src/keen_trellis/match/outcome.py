"""The rows that go on: row numbers per source, and the columns above them."""

from __future__ import annotations

from collections.abc import Collection, Container
from dataclasses import replace

import numpy as np

from keen_trellis.data import Field, Rows, Table
from keen_trellis.errors import TooManyRowsError, UnknownColumnError
from keen_trellis.match import matches
from keen_trellis.match.link import ALL_COLUMNS, Bay, Columns, Keep, Link, semi_side
from keen_trellis.match.matches import Match

CROSS_LIMIT = 10_000_000


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
        require_few(match, link, keep, right_name, limit)
    if side == "left" or keep == (Bay.LEFT,):
        rows = np.flatnonzero(match.partners) if side else match.left_only
        return _picked(left, columns.left, "the left table").take(rows)
    if side == "right" or keep == (Bay.RIGHT,):
        rows = np.flatnonzero(match.right_partners) if side else match.right_only
        return _picked(right, columns.right, right_name).take(rows)
    left_rows, right_rows = outcome_rows(match, keep)
    fields = outcome_fields(left, right, link, right_name, columns)
    strands = [strand.take(left_rows) for strand in left.strands]
    strands += [strand.take(right_rows) for strand in right.strands]
    return Table(tuple(fields), tuple(strands), len(left_rows))


def require_few(
    match: Match, link: Link, keep: Keep, right_name: str, limit: int | None = None
) -> None:
    """Refuse an outcome of too many rows before anything is built; `TooManyRowsError`."""
    rows = match.counts.rows(keep)
    allowed = limit if limit is not None else CROSS_LIMIT if link.cross else matches.ROW_LIMIT
    if rows > allowed:
        raise TooManyRowsError(
            f"The tie with {right_name} would make {rows:,} rows; the limit is {allowed:,}.",
            "Raise the limit if that is what you want."
            if link.cross
            else "Add a link field: the fields chosen repeat on both sides.",
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
    fields = outcome_fields(left, right, Link(), right_name, Columns())
    return Table(tuple(fields), tuple(strands), len(left_rows))


def outcome_fields(
    left: Table, right: Table, link: Link, right_name: str, columns: Columns
) -> list[Field]:
    """Return the columns that go on, each with the places its cells are fetched from."""
    shift = len(left.strands)
    theirs = {field.name: _shifted(field, shift) for field in right.fields}
    once = _linked_once(left, theirs, link, columns)
    filled = once | (_same_named(left, theirs) if columns.same_named == "filled" else {})
    fields = []
    for field in _picked(left, columns.left, "the left table").fields:
        partner = filled.get(field.name)
        if columns.same_named == "right" and field.name in theirs and field.name not in once:
            continue
        places = () if partner is None else theirs[partner].places
        fields.append(replace(field, places=field.places + places))
    taken = {field.name for field in fields}
    mine = set(left.columns)
    for field in _picked(right, columns.right, right_name).fields:
        if field.name in once.values() or (
            field.name in mine
            and (columns.same_named == "left" or filled.get(field.name) == field.name)
        ):
            continue
        name = free_name(field.name, right_name, taken)
        taken.add(name)
        fields.append(replace(theirs[field.name], name=name))
    return fields


def free_name(name: str, suffix: str, taken: Container[str]) -> str:
    """Return `name`, or `name (suffix)`, or `name (suffix 2)` ..., the first that is not taken."""
    if name not in taken:
        return name
    number, candidate = 1, f"{name} ({suffix})"
    while candidate in taken:
        number += 1
        candidate = f"{name} ({suffix} {number})"
    return candidate


def _linked_once(
    left: Table, right: dict[str, Field], link: Link, columns: Columns
) -> dict[str, str]:
    """Return the right field for each left one where the two stand as one column.

    Fields of two kinds stay apart: a filled column has one kind.
    """
    if columns.link == "both":
        return {}
    return {
        f.left: f.right for f in link.equal_fields if left.field(f.left).kind is right[f.right].kind
    }


def _same_named(left: Table, right: dict[str, Field]) -> dict[str, str]:
    return {f.name: f.name for f in left.fields if f.name in right and right[f.name].kind is f.kind}


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
