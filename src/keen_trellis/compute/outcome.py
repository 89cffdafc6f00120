"""The rows that go on: row numbers per source, and the columns above them."""

from __future__ import annotations

from collections.abc import Collection, Container
from dataclasses import replace

import numpy as np

from keen_trellis.compute.join import match as matches
from keen_trellis.compute.join.comparing import comparable
from keen_trellis.compute.join.match import Match
from keen_trellis.data import PRESENT, Field, Kind, Rows, Table
from keen_trellis.data.conversion import converted
from keen_trellis.data.kinds import holding
from keen_trellis.data.stacking import common_scale
from keen_trellis.errors import TooManyRowsError, UnknownColumnError
from keen_trellis.plan.bays import Bay, Keep
from keen_trellis.plan.link import Link
from keen_trellis.plan.outcome import ALL_COLUMNS, Columns, semi_side

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
    fields = outcome_fields(left, right, link, right_name, columns, keep)
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
    left: Table,
    right: Table,
    link: Link,
    right_name: str,
    columns: Columns,
    keep: Keep = (Bay.LEFT, Bay.BOTH, Bay.RIGHT),
) -> list[Field]:
    """Return the columns that go on, each with the places its cells are fetched from.

    Link fields compared for equality stand once, under the left name. Where right rows without a
    partner go on, they are filled from whichever side has the row, in the kind that holds both.
    What is asked for by name is always there.
    """
    mine = _picked(left, columns.left, "the left table").fields
    theirs = _picked(right, columns.right, right_name).fields
    there = {field.name for field in mine}, {field.name for field in theirs}
    shifted = {field.name: _shifted(field, len(left.strands)) for field in right.fields}
    once = {f.left: f.right for f in link.equal_fields if _is_one(left, f.left, right, f.right)}
    if columns.link == "both":
        once = {}
    filled = dict(once)
    if columns.same_named == "filled":
        for name in there[0] & there[1] - once.keys() - set(once.values()):
            if _is_one(left, name, right, name):
                filled[name] = name
    covered = _covered(filled, there, columns)
    fields = []
    for field in mine:
        other = shifted[filled[field.name]] if field.name in filled else None
        gives_way = columns.same_named == "right" and field.name in there[1] - covered
        if gives_way and field.name not in once:
            continue
        if other is not None and Bay.RIGHT in keep:
            kind = _kind_of_both(left, field, right, right.field(filled[field.name]))
            field = replace(field, kind=kind, places=field.places + other.places)
        fields.append(field)
    taken = {field.name for field in fields}
    for field in theirs:
        gives_way = columns.same_named == "left" and field.name in there[0]
        if field.name not in covered and not (gives_way and field.name not in once.values()):
            name = free_name(field.name, right_name, taken)
            taken.add(name)
            fields.append(replace(shifted[field.name], name=name))
    return fields


def _covered(
    filled: dict[str, str], there: tuple[set[str], set[str]], columns: Columns
) -> set[str]:
    """Return the right columns whose values stand in a left column that goes on.

    One that was asked for by name is not hidden behind another name.
    """
    asked = set(columns.right or ())
    return {
        theirs
        for mine, theirs in filled.items()
        if mine in there[0] and (mine == theirs or theirs not in asked)
    }


def _is_one(left: Table, mine: str, right: Table, theirs: str) -> bool:
    """Whether two columns can stand as one: their kinds can be compared, or one has no value."""
    kinds = left.field(mine).kind, right.field(theirs).kind
    if comparable(*kinds):
        return True
    sources = left.source_columns(left.field(mine)), right.source_columns(right.field(theirs))
    return any(
        kind is Kind.TEXT and not any(column.count(PRESENT) for column in side)
        for kind, side in zip(kinds, sources, strict=True)
    )


def _kind_of_both(left: Table, mine: Field, right: Table, theirs: Field) -> Kind:
    """Return the kind in which a column filled from two others holds the values of both."""
    if mine.kind is theirs.kind is not Kind.EXACT:
        return mine.kind
    sources = [*left.source_columns(mine), *right.source_columns(theirs)]
    kind = holding({column.kind for column in sources if column.count(PRESENT)} or {mine.kind})
    made = [converted(column, kind) for column in sources]
    fits = not any(len(one.lost) for one in made)
    together = common_scale([one.column for one in made]) is not None
    return kind if fits and together else Kind.TEXT


def free_name(name: str, suffix: str, taken: Container[str]) -> str:
    """Return `name`, or `name (suffix)`, or `name (suffix 2)` ..., the first that is not taken."""
    if name not in taken:
        return name
    number, candidate = 1, f"{name} ({suffix})"
    while candidate in taken:
        number += 1
        candidate = f"{name} ({suffix} {number})"
    return candidate


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
