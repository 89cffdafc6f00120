"""Which columns go on from a tie, and what the join is called."""

from __future__ import annotations

from collections.abc import Collection, Container, Sequence
from dataclasses import dataclass, replace
from typing import Literal, get_args

from keen_trellis.base.errors import LinkError, known
from keen_trellis.base.language import tr
from keen_trellis.data import Kind
from keen_trellis.data.kinds import comparable, holding
from keen_trellis.plan.bays import JOIN_NAMES, SEMI_NAMES, Bay, Keep
from keen_trellis.plan.link import SIDES, Link, Side
from keen_trellis.plan.schema import Schema, SchemaColumn

SameNamed = Literal["both", "left", "right", "filled"]
LinkShown = Literal["once", "both"]


@dataclass(frozen=True, slots=True)
class Columns:
    """Which columns go on from a tie, and what becomes of those with the same name.

    Attributes
    ----------
    same_named : "both", "left", "right" or "filled"
        Keep both, the right one with the right table's name behind it; keep one; or make one of
        them, from the left where that is not a gap.
    link : "once" or "both"
        Whether a link field compared for equality stands there once, under its left name, filled
        from whichever side has the row.
    left, right : tuple of str, or None
        The columns wanted from a side; None takes all, and what is asked for by name always goes
        on. With none at all from one side and only the bay of both kept, the join is a semi join:
        each found row goes on once.

    renamed : tuple of (name, new name)
        What columns are called that would be called otherwise.
    order : tuple of str
        The columns that come first, by their new names; the others follow as they stand.
    fills : tuple of (name, text)
        What stands in the place of gaps, by new names, as the column would show it.

    Raises
    ------
    WordError
        `same_named` or `link` is a word that is not known.
    """

    same_named: SameNamed = "both"
    link: LinkShown = "once"
    left: tuple[str, ...] | None = None
    right: tuple[str, ...] | None = None
    renamed: tuple[tuple[str, str], ...] = ()
    order: tuple[str, ...] = ()
    fills: tuple[tuple[str, str], ...] = ()

    def __post_init__(self) -> None:
        known(tr("What becomes of columns of one name"), self.same_named, get_args(SameNamed))
        known(tr("How often a link field stands"), self.link, get_args(LinkShown))
        for side in SIDES:
            wanted = getattr(self, side)
            if wanted is not None:  # one name by itself is that column, not its letters
                names = (wanted,) if isinstance(wanted, str) else tuple(wanted)
                object.__setattr__(self, side, names)


ALL_COLUMNS = Columns()
"""Every column of both sides; link fields once, others of the same name both."""


def join_name(keep: Keep, columns: Columns = ALL_COLUMNS) -> str:
    """Return the name of the join that the kept bays and the wanted columns make."""
    side = semi_side(keep, columns)
    return SEMI_NAMES[side] if side else JOIN_NAMES[keep]


def semi_side(keep: Keep, columns: Columns) -> Side | None:
    """Return the side whose found rows go on once each, where the join is a semi join."""
    if keep == (Bay.BOTH,):
        if columns.right == ():
            return "left"
        if columns.left == ():
            return "right"
    return None


def only_side(keep: Keep, columns: Columns) -> Side | None:
    """Return the side whose rows alone go on, of an anti or a semi join; None where both do."""
    if keep == (Bay.LEFT,):
        return "left"
    return "right" if keep == (Bay.RIGHT,) else semi_side(keep, columns)


COLUMNS_AT_MOST = 20_000
"""How many columns may go on from a tie: along a chain of ties they could double with each."""


@dataclass(frozen=True, slots=True)
class OutcomeColumn:
    """One column that goes on from a tie.

    Attributes
    ----------
    name : str
    kind : Kind
    origin : str
        The lane that its values come from.
    side : "left" or "right"
    source : str
        What it is called on that side.
    filled_from : str or None
        The right column that its gaps are filled from.
    gaps : bool
        Whether a gap can be there.
    renamed_from : str
        What it would be called otherwise; empty where nothing was arranged.
    fill : str or None
        What stands in the place of its gaps.
    seen : bool
        False for text of blanks alone, on all the sides that it comes from.
    """

    name: str
    kind: Kind
    origin: str
    side: Side
    source: str
    filled_from: str | None = None
    gaps: bool = False
    renamed_from: str = ""
    fill: str | None = None
    seen: bool = True

    @property
    def usual(self) -> str:
        """What it is called unless it is renamed."""
        return self.renamed_from or self.name


def outcome_columns(
    left: Schema,
    right: Schema,
    link: Link,
    right_name: str,
    columns: Columns,
    keep: Keep = (Bay.LEFT, Bay.BOTH, Bay.RIGHT),
) -> list[OutcomeColumn]:
    """Return the columns that go on from a tie, without a row of it.

    Link fields compared for equality stand once, under the left name. Where right rows without a
    partner go on, they are filled from whichever side has the row, in the kind that holds both.
    What is asked for by name is always there.

    Raises
    ------
    UnknownColumnError
        A link field or a column asked for is not there.
    LinkError
        Two columns would have one name.
    """
    mine = _picked(left, columns.left, tr("the left table"))
    theirs = _picked(right, columns.right, right_name)
    if len(mine) + len(theirs) > COLUMNS_AT_MOST:
        raise LinkError(
            tr(
                "{mine:,} columns would go on from the tie with {right_name}; "
                "{columns_at_most:,} are the most.",
                mine=len(mine) + len(theirs),
                right_name=right_name,
                columns_at_most=COLUMNS_AT_MOST,
            ),
            tr("Choose the columns that go on."),
        )
    there = {c.name for c in mine}, {c.name for c in theirs}
    once = {
        f.left: f.right
        for f in link.equal_fields
        if _are_one(left.column(f.left, tr("the left table")), right.column(f.right, right_name))
    }
    alone = only_side(keep, columns)
    if alone is not None:  # no row of the other side goes on, and so none of its columns
        own = mine if alone == "left" else theirs
        return arranged(
            [
                OutcomeColumn(
                    c.name, c.kind, c.origin, alone, source=c.name, gaps=c.gaps, seen=c.seen
                )
                for c in own
            ],
            columns,
        )
    # Link fields that stand twice are columns like all others from here on.
    if columns.link == "both":
        once = {}
    # by spans both sides keep their own days; of a date beside a date-time, the date is filled
    # from the other side, and the other side's time of day goes on in its own column
    spans = {f.left for f in link.equal_fields if f.span is not None}
    once = {mine: theirs for mine, theirs in once.items() if mine not in spans}
    filled = dict(once)
    if columns.same_named == "filled":
        for name in there[0] & there[1] - once.keys() - set(once.values()):
            if _are_one(left.column(name), right.column(name)):
                filled[name] = name
    covered = _covered(filled, there, columns) - {
        theirs
        for mine, theirs in filled.items()
        if left.column(mine).kind is Kind.DATE and right.column(theirs).kind is Kind.DATE_TIME
    }
    made = []
    for column in mine:
        gives_way = columns.same_named == "right" and column.name in there[1] - covered
        if gives_way and column.name not in once:
            continue
        other = filled.get(column.name) if Bay.RIGHT in keep else None
        # Known without a row: the kind of a column that is filled from the other side is what
        # holds both, whether or not any row comes from there.
        kind = column.kind if other is None else _of_both(column, right.column(other))
        gaps = column.gaps or (Bay.RIGHT in keep and other is None)
        made.append(
            OutcomeColumn(
                column.name,
                kind,
                column.origin,
                side="left",
                source=column.name,
                filled_from=other,
                gaps=gaps,
                # one of the two says of what kind both are, as `_of_both` has it
                seen=column.seen or (other is not None and right.column(other).seen),
            )
        )
    taken = {column.name for column in made}
    for column in theirs:
        # A right column goes on unless a left one stands for it (`covered`), or gives way to one
        # of its name that is no link field.
        gives_way = columns.same_named == "left" and column.name in there[0]
        if column.name not in covered and not (gives_way and column.name not in once.values()):
            name = free_name(column.name, right_name, taken)
            taken.add(name)
            gaps = column.gaps or Bay.LEFT in keep
            made.append(
                OutcomeColumn(
                    name,
                    column.kind,
                    column.origin,
                    side="right",
                    source=column.name,
                    filled_from=None,
                    gaps=gaps,
                    seen=column.seen,
                )
            )
    return arranged(made, columns)


def arranged(made: Sequence[OutcomeColumn], columns: Columns) -> list[OutcomeColumn]:
    """Return columns under their new names, in the order wanted, with what fills their gaps.

    A name that none of them has is left alone: its column may come again.

    Raises
    ------
    LinkError
        Two columns would have one name.
    """
    if not columns.renamed and not columns.fills and not columns.order:
        return list(made)
    names, fills = dict(columns.renamed), dict(columns.fills)
    called = []
    for column in made:
        name = names.get(column.name, column.name)
        fill = fills.get(name) if column.gaps else None
        gaps = column.gaps and fill is None
        seen = column.seen or fill is not None
        called.append(
            replace(column, name=name, renamed_from=column.name, fill=fill, gaps=gaps, seen=seen)
        )
    taken: set[str] = set()
    for column in called:
        if column.name in taken:
            raise LinkError(
                tr("Two columns that go on would be called “{name}”.", name=column.name),
                tr("Give one another name."),
            )
        taken.add(column.name)
    # Columns that are not in the order keep theirs behind it: the sort is stable.
    place = {name: number for number, name in enumerate(columns.order)}
    return sorted(called, key=lambda column: place.get(column.name, len(place)))


def free_name(name: str, suffix: str, taken: Container[str]) -> str:
    """Return `name`, or `name (suffix)`, or `name (suffix 2)` ..., the first that is not taken."""
    if name not in taken:
        return name
    number, candidate = 1, f"{name} ({suffix})"
    while candidate in taken:
        number += 1
        candidate = f"{name} ({suffix} {number})"
    return candidate


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
        # Only where the left column goes on as well: else the right one would be hidden behind
        # nothing.
        if mine in there[0] and (mine == theirs or theirs not in asked)
    }


def _are_one(mine: SchemaColumn, theirs: SchemaColumn) -> bool:
    """Whether two columns can stand as one: their kinds can be compared, or one has no value."""
    return comparable(mine.kind, theirs.kind) or not (mine.seen and theirs.seen)


def _of_both(mine: SchemaColumn, theirs: SchemaColumn) -> Kind:
    """Return the kind that holds the values of both; one without values has no say."""
    return holding({c.kind for c in (mine, theirs) if c.seen} or {mine.kind})


def _picked(schema: Schema, wanted: Collection[str] | None, where: str) -> list[SchemaColumn]:
    """Return the wanted columns, in the order of the table."""
    for name in wanted or ():
        schema.column(name, where)
    return [column for column in schema if wanted is None or column.name in wanted]
