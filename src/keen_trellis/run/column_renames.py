"""Names that survive: a column that an item calls otherwise is followed by all that stands behind.

What is known before any run is enough: the columns of every part, before the change and after it.
"""

from __future__ import annotations

from collections.abc import Container, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from keen_trellis.base.errors import UserError, WaitingError
from keen_trellis.base.language import tr
from keen_trellis.document import edits
from keen_trellis.document.items import Item
from keen_trellis.document.trellis import Lane, Trellis
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node, Read
from keen_trellis.plan.schema import Schema
from keen_trellis.run.planning import planned

Planned = Mapping[str, Node | UserError]


@dataclass(frozen=True, slots=True)
class Carrying:
    """A change of one item, with the names that it gives to columns carried to all behind it.

    Attributes
    ----------
    edit : edits.Edit
    part : str
        The id of the item.
    schemas : mapping of lane id to Schema
        The columns of the lanes that are read from outside, as far as they are known.
    """

    edit: edits.Edit
    part: str
    schemas: Mapping[str, Schema]

    @property
    def label(self) -> str:
        """What the change does."""
        return self.edit.label

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the change made, and what follows from it.

        Each item is put right once all that it takes is: the plan has them in that order.
        """
        made = self.edit.changed(trellis)
        before = self._planned(trellis)
        done = {self.part}
        while True:
            # Planned anew after each item that follows: the names behind it are known only then.
            # Items are few, and a plan of schemas takes a millisecond.
            after = self._planned(made)
            item = next(
                (i for p in after if (i := self._followed(made, p, before, after, done))), None
            )
            if item is None:
                return self._reports_followed(made, before, after)
            done.add(item.id)
            made = edits.SetItem(item).changed(made)

    def _followed(
        self, trellis: Trellis, part: str, before: Planned, after: Planned, done: set[str]
    ) -> Item | None:
        """Return an item with the names of columns followed; None where it names none of them."""
        if part in done or any(lane.id == part for lane in trellis.lanes):
            return None
        item = trellis.item(part)
        followed = item
        inputs = [trellis.before(part), *map(trellis.taken_after, item.takes())]
        for number, one in enumerate(inputs):
            found = _one_other if self._is_of_part(trellis, one) else _by_place
            names = found(before.get(one), after.get(one))
            if names:
                side: Side | int = "left" if not number else number - 1
                followed = followed.renamed(partial(_called, names), side)
        return followed if followed != item else None

    def _reports_followed(self, trellis: Trellis, before: Planned, after: Planned) -> Trellis:
        """Return the trellis with the reports behind the change following its names."""
        for report in trellis.reports:
            place = trellis.taken_after(report.at)
            found = _one_other if self._is_of_part(trellis, place) else _by_place
            names = found(before.get(place), after.get(place))
            followed = report.renamed(partial(_called, names)) if names else report
            if followed != report:
                trellis = edits.SetReport(followed).changed(trellis)
        return trellis

    def _is_of_part(self, trellis: Trellis, part: str) -> bool:
        """Whether rows are those of the changed item, or pass by what does nothing to them."""
        # Deliveries and steps that are off give what they get: what stands behind them stands
        # behind the part.
        while part != self.part and not any(lane.id == part for lane in trellis.lanes):
            if trellis.item(part).gives_rows:
                return False
            part = trellis.before(part)
        return part == self.part

    def _planned(self, trellis: Trellis) -> Planned:
        return _planned(trellis, self.schemas, trellis.downstream(self.part))


def same_names(before: Item, after: Item, inputs: Sequence[Schema], names: Sequence[str]) -> bool:
    """Whether an item gives columns of the same names as before, whatever else it does.

    Then nothing behind it has to follow, and nobody has to plan the whole trellis to see that.
    """
    rows, *taken = (Read("", str(place), schema) for place, schema in enumerate(inputs))
    try:
        was, now = (item.node(rows, taken, names).schema.names for item in (before, after))
    except UserError:
        return False
    return was == now


def left_without(
    before: Trellis, after: Trellis, part: str, schemas: Mapping[str, Schema]
) -> Iterator[tuple[Lane, Item]]:
    """Yield the items that a changed part leaves without a column, or of another kind, they name.

    Those that only wait for one of these are none of them.
    """
    behind = after.downstream(part)
    was, now = (_planned(one, schemas, behind) for one in (before, after))
    for lane, item in after.items(Item):
        fault = now.get(item.id)
        broke = isinstance(fault, UserError) and not isinstance(fault, WaitingError)
        if broke and not isinstance(was.get(item.id), UserError):
            yield lane, item


def _planned(trellis: Trellis, schemas: Mapping[str, Schema], parts: Container[str]) -> Planned:
    reads: dict[str, Node | UserError] = {
        lane.id: Read("", lane.id, schemas[lane.id])
        if lane.id in schemas
        else UserError(tr("It is not read."))
        for lane in trellis.lanes
    }
    return planned(trellis, reads, parts).nodes


def _called(names: Mapping[str, str], name: str) -> str:
    return names.get(name, name)


def _one_other(before: Node | UserError | None, after: Node | UserError | None) -> dict[str, str]:
    """Return what the one column is called now that is gone, where one has come instead.

    The item that was changed may have put columns in another order, so their places say nothing.
    """
    if not isinstance(before, Node) or not isinstance(after, Node):
        return {}
    gone = [name for name in before.schema.names if name not in after.schema.names]
    come = [name for name in after.schema.names if name not in before.schema.names]
    # With two gone and two come nobody can tell which became which: nothing is renamed, and what
    # breaks is said.
    return {gone[0]: come[0]} if len(gone) == len(come) == 1 else {}


def _by_place(before: Node | UserError | None, after: Node | UserError | None) -> dict[str, str]:
    """Return what columns are called now; behind an item that only follows, places stay."""
    if not isinstance(before, Node) or not isinstance(after, Node):
        return {}
    was, now = before.schema.names, after.schema.names
    if len(was) != len(now):
        return {}
    return {old: new for old, new in zip(was, now, strict=True) if old != new}
