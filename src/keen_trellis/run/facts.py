"""Facts: the numbers and names of a run, taken once.

The map, the command line, its JSON and the snapshots of runs are written from them. There is no
value of a source in them.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

from keen_trellis.base.errors import NotAllowedError, UserError, WaitingError
from keen_trellis.document.items import Item, StepItem
from keen_trellis.document.trellis import Lane, Trellis
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.counts import Counts, Group

if TYPE_CHECKING:
    from keen_trellis.compute.join_result import Tied
    from keen_trellis.compute.node_result import Given
    from keen_trellis.compute.promise_checks import Checked
    from keen_trellis.data import Table
    from keen_trellis.read import Reading


@dataclass(frozen=True, slots=True, kw_only=True)
class PartFacts:
    """What is known about a lane or an item.

    Attributes
    ----------
    id, name : str
    rows : int or None
        That go on from it; None where there are none to count.
    trouble : str
        What is wrong with it, in a sentence; empty for nothing.
    waits_for : str
        What it waits for, where something before it is wrong.
    """

    id: str
    name: str
    rows: int | None = None
    trouble: str = ""
    waits_for: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class LaneFacts(PartFacts):
    """A lane as it begins.

    Attributes
    ----------
    is_read : bool
        Whether it is read from outside.
    is_allowed : bool
        Whether it may be read, as far as anybody was asked.
    columns : dict of name to kind
    files : tuple of str
        The names of its files.
    notes : tuple of str
        What was noticed when it was read.
    unread : int
        How many of the columns nobody has looked at, so that they were not read.
    """

    is_read: bool = True
    is_allowed: bool = True
    columns: Mapping[str, str] = field(default_factory=dict)
    files: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    unread: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class ItemFacts(PartFacts):
    """An item of a lane.

    Attributes
    ----------
    type : str
    lane : str
        The name of its lane.
    before : int or None
        The rows of its lane right before it.
    says : str
        What it did, in a sentence or more; empty for a delivery.
    groups : tuple of Group
        The rows that it was given, by what became of them.
    numbers : dict of name to number
    """

    type: str
    lane: str
    before: int | None = None
    says: str = ""
    groups: tuple[Group, ...] = ()
    numbers: Mapping[str, int] = field(default_factory=dict)

    @property
    def has_bays(self) -> bool:
        """Whether the groups are the three bays of a tie."""
        return [group.name for group in self.groups] == list(Bay)


@dataclass(frozen=True, slots=True)
class PromiseFacts:
    """A promise in a sentence, whether it is kept, and what is instead."""

    sentence: str
    is_kept: bool
    says: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class JoinFacts(ItemFacts):
    """A join that has been made; `join` is its name, `other` that of the lane it brings in."""

    counts: Counts
    join: str
    other: str
    promises: tuple[PromiseFacts, ...] = ()

    @property
    def broken(self) -> tuple[str, ...]:
        """What is promised and does not hold, and what is instead."""
        return tuple(f"{one.sentence}: {one.says}" for one in self.promises if not one.is_kept)


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known about every part of a trellis, in the order of its lanes."""

    lanes: Mapping[str, LaneFacts]
    items: Mapping[str, ItemFacts]

    def joins(self) -> Iterator[JoinFacts]:
        """Yield every join that has been made."""
        return (item for item in self.items.values() if isinstance(item, JoinFacts))


def facts_of(
    trellis: Trellis,
    readings: Mapping[str, Reading | UserError],
    rows: Mapping[str, Table | UserError],
    given: Mapping[str, Given | UserError],
    promises: Mapping[str, tuple[Checked, ...]],
) -> Facts:
    """Return the facts of a run, of which everything is given as `Results` has it."""
    lanes = {
        lane.id: _lane(lane, readings.get(lane.id), rows.get(lane.id)) for lane in trellis.lanes
    }
    items = {}
    for lane, item in trellis.items(Item):
        before = rows.get(trellis.before(item.id))
        names = (lane.name, *(trellis.lane(taken.lane).name for taken in item.takes()))
        facts = ItemFacts(
            id=item.id,
            name=f"{lane.name}, {item.brief}" if isinstance(item, StepItem) else " + ".join(names),
            type=item.type,
            lane=lane.name,
            before=None if before is None or isinstance(before, UserError) else len(before),
            **_going_on(rows.get(item.id)),
        )
        made = _with_given(facts, given.get(item.id))
        if isinstance(made, JoinFacts):
            told = (
                PromiseFacts(one.sentence(), one.is_kept, one.says)
                for one in promises.get(item.id, ())
            )
            made = replace(made, promises=tuple(told))
        items[item.id] = made
    return Facts(lanes, items)


def _lane(
    lane: Lane, reading: Reading | UserError | None, rows: Table | UserError | None
) -> LaneFacts:
    is_read = lane.source.begins_at() is None
    if isinstance(reading, UserError):
        is_allowed = not isinstance(reading, NotAllowedError)
        return LaneFacts(
            id=lane.id, name=lane.name, trouble=reading.happened, is_allowed=is_allowed
        )
    columns = {}
    if rows is not None and not isinstance(rows, UserError):
        # Names and kinds are known of columns that nobody has read; their number is told apart
        # from those.
        columns = {f.name: str(f.kind) for f in rows.fields}
    read: dict[str, Any] = {}
    if reading is not None:
        read["files"] = tuple(Path(stamp.path).name for stamp in reading.files)
        read["notes"], read["unread"] = reading.notes, len(reading.unread)
    going_on = _going_on(rows)
    return LaneFacts(
        id=lane.id, name=lane.name, is_read=is_read, columns=columns, **read, **going_on
    )


def _going_on(rows: Table | UserError | None) -> dict[str, Any]:
    if isinstance(rows, WaitingError):
        return {"waits_for": rows.happened}
    if isinstance(rows, UserError):
        return {"trouble": rows.happened}
    return {} if rows is None else {"rows": len(rows)}


def _with_given(facts: ItemFacts, given: Given | UserError | None) -> ItemFacts:
    if given is None or isinstance(given, UserError):
        return facts
    # By the fields themselves: `asdict` would take the groups within apart.
    known = {name: getattr(facts, name) for name in ItemFacts.__dataclass_fields__}
    known |= {"says": given.sentence(), "groups": given.groups, "numbers": given.numbers}
    if facts.type == "join":
        tied = cast("Tied", given)
        join, other = tied.join_name, tied.names[1]
        return JoinFacts(**known, counts=tied.counts, join=join, other=other)
    return ItemFacts(**known)
