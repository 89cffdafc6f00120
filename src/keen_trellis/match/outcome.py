"""The rows that go on: row numbers per source, and the columns above them."""

from __future__ import annotations

from collections.abc import Container
from dataclasses import replace

import numpy as np

from keen_trellis.data import Field, Rows, Table
from keen_trellis.errors import TooManyRowsError
from keen_trellis.match.link import Bay, Keep, Link
from keen_trellis.match.matching import Match

ROW_LIMIT = 200_000_000


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
    left: Table, right: Table, link: Link, match: Match, keep: Keep, right_name: str
) -> Table:
    """Return the table that goes on from a tie.

    The columns of the left table come first. A link field stands there once, under its left
    name, filled from whichever side has the row. A right column whose name is taken gets the
    right table's name behind it. A side that has no row among those kept brings no columns.

    Raises
    ------
    TooManyRowsError
        There would be more rows than `ROW_LIMIT`; nothing has been built.
    """
    rows = match.counts.rows(keep)
    if rows > ROW_LIMIT:
        raise TooManyRowsError(
            f"The tie with {right_name} would make {rows:,} rows; the limit is {ROW_LIMIT:,}.",
            "Add a link field: the fields chosen repeat on both sides.",
        )
    left_rows, right_rows = outcome_rows(match, keep)
    if keep == (Bay.LEFT,):
        return left.take(left_rows)
    if keep == (Bay.RIGHT,):
        return right.take(right_rows)
    fields = outcome_fields(left, right, link, right_name)
    strands = [strand.take(left_rows) for strand in left.strands]
    strands += [strand.take(right_rows) for strand in right.strands]
    return Table(tuple(fields), tuple(strands), len(left_rows))


def bay_table(left: Table, right: Table, match: Match, bay: Bay, right_name: str) -> Table:
    """Return the rows of one bay: with the columns of its side, or for both with all of them."""
    if bay is Bay.LEFT:
        return left.take(match.left_only)
    if bay is Bay.RIGHT:
        return right.take(match.right_only)
    left_rows, right_rows = match.pairs
    strands = [strand.take(left_rows) for strand in left.strands]
    strands += [strand.take(right_rows) for strand in right.strands]
    fields = outcome_fields(left, right, None, right_name)
    return Table(tuple(fields), tuple(strands), len(left_rows))


def outcome_fields(left: Table, right: Table, link: Link | None, right_name: str) -> list[Field]:
    """Return the columns of both sides; with a link, its fields once."""
    shift = len(left.strands)
    shared = {} if link is None else {field.left: field.right for field in link.fields}
    fields = []
    for field in left.fields:
        partner = shared.get(field.name)
        extra = () if partner is None else _shifted(right.field(partner), shift).places
        fields.append(replace(field, places=field.places + extra))
    taken = {field.name for field in fields}
    for field in right.fields:
        if field.name in shared.values():
            continue
        name = free_name(field.name, right_name, taken)
        taken.add(name)
        fields.append(replace(_shifted(field, shift), name=name))
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


def _shifted(field: Field, shift: int) -> Field:
    return replace(field, places=tuple((s + shift, c) for s, c in field.places))


def _gaps(rows: Rows) -> Rows:
    return np.full(len(rows), -1, rows.dtype)
