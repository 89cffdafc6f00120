"""What a step gives for the first rows of a long lane, before all are worked out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import tr
from keen_trellis.compute.execute import execute
from keen_trellis.compute.node_result import Given
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Table
from keen_trellis.document.items import Item, StepItem
from keen_trellis.document.trellis import Lane, Trellis
from keen_trellis.formulas.today import one_day
from keen_trellis.plan.nodes import Read
from keen_trellis.run.results import Results

ROWS = 10_000
"""How many rows are looked at: enough to see what a step does, few enough to be there at once."""


@dataclass(frozen=True, slots=True, eq=False)
class FirstLook:
    """What a step gives for the first rows that come to it.

    Attributes
    ----------
    item : Item
    given : Given
    before : Table
        The rows right before the step.
    is_whole : bool
        Whether there are no more rows than those.
    """

    item: Item
    given: Given
    before: Table
    is_whole: bool

    def sentence(self) -> str:
        """Return what became of the rows, and of how many that is said."""
        said = self.given.sentence()
        return (
            said
            if self.is_whole
            else tr("Of the first {rows:,} rows: {said}", rows=ROWS, said=said)
        )


def first_look(trellis: Trellis, item_id: str, known: Results) -> FirstLook | None:
    """Return what a step gives for its first rows, starting from rows that an earlier run gave.

    None where there is nothing to be won: the part is no step, every lane is short, the rows that
    it needs are not known, or it cannot be worked out, which the whole run will say.

    Parameters
    ----------
    trellis : Trellis
        As it is now.
    item_id : str
        The part that is looked at.
    known : Results
        Of the trellis as it was before.
    """
    tables = [rows for rows in known.rows.values() if isinstance(rows, Table)]
    # The whole run is as quick then.
    if max(map(len, tables), default=0) <= ROWS:
        return None
    try:
        lane, place = trellis.place_of(item_id)
    except KeyError:
        return None
    item = lane.items[place]
    start = _known_up_to(trellis, lane, place, known)
    table = known.table(trellis.part_at(lane, start)) if start is not None else None
    if table is None or start is None or not isinstance(item, StepItem) or item.is_off:
        return None
    is_whole = len(table) <= ROWS
    rows, given = table.window(0, ROWS), None
    try:
        with one_day():
            for step in lane.items[start : place + 1]:
                if step.gives_rows:
                    before, given = rows, _given(step, rows, lane.name)
                    rows = given.outcome
    except UserError:
        return None
    return None if given is None else FirstLook(item, given, before, is_whole)


def tried(step: Item, table: Table) -> Mapping[str, int]:
    """Return the numbers of what a step would do to rows; none where it cannot be done."""
    try:
        with one_day():
            return _given(step, table, tr("the rows")).numbers
    except UserError:
        return {}


def _given(step: Item, rows: Table, where: str) -> Given:
    node = step.node(Read("rows", "", schema_of(rows)), (), (where,))
    node.check()
    given: Given = execute(node, [rows])
    return given


def _known_up_to(trellis: Trellis, lane: Lane, place: int, known: Results) -> int | None:
    """Return the last place of a lane before an item up to which nothing is different.

    From there on steps alone may follow: of a tie the first rows would tell what is not so.
    """
    if lane.id not in {one.id for one in known.trellis.lanes}:
        return None
    was = known.trellis.lane(lane.id)
    if was.source != lane.source or was.name != lane.name:
        return None
    same = 0
    # As far as the lane is what it was, its rows are those that are known.
    while same < min(place, len(was.items)) and was.items[same] == lane.items[same]:
        same += 1
    # what comes from other lanes is the same only where all of them are
    takes = lane.source.begins_at() is not None or any(x.takes() for x in lane.items[:same])
    lanes = ([x for x in t.lanes if x.id != lane.id] for t in (trellis, known.trellis))
    if takes and next(lanes) != next(lanes):
        return None
    return same if all(isinstance(x, StepItem) for x in lane.items[same:place]) else None
