"""From the document to nodes: what every part of a trellis gives, or why it cannot."""

from __future__ import annotations

from collections.abc import Container, Mapping
from dataclasses import dataclass, field

from keen_trellis.base.errors import ProgramError, UserError, WaitingError
from keen_trellis.base.language import tr
from keen_trellis.document.sources import InTrellis
from keen_trellis.document.trellis import Lane, Trellis, places_in_order
from keen_trellis.formulas.today import one_day
from keen_trellis.plan.nodes import Node


@dataclass(slots=True)
class Plan:
    """The nodes of a trellis, each with what stands before it first.

    Attributes
    ----------
    trellis : Trellis
    nodes : dict of part id to Node or UserError
        For a lane its rows as they were read, for an item the rows after it. `WaitingError` says
        that the part itself is sound, but one before it is not.
    """

    trellis: Trellis
    nodes: dict[str, Node | UserError] = field(default_factory=dict)


def planned(
    trellis: Trellis,
    reads: Mapping[str, Node | UserError],
    parts: Container[str] | None = None,
) -> Plan:
    """Return the plan of a trellis.

    Parameters
    ----------
    trellis : Trellis
    reads : mapping of lane id to Node or UserError
        The rows of every lane that is read from outside, or why they cannot be read.
    parts : container of part id, optional
        The parts that are wanted, planned with all that they need; every part where not given.
    """
    with one_day():
        return _planned(trellis, reads, parts)


def _planned(
    trellis: Trellis, reads: Mapping[str, Node | UserError], parts: Container[str] | None
) -> Plan:
    plan = Plan(trellis)
    wanted = _wanted(trellis, parts)

    def made(lane: Lane, place: int) -> Node | UserError:
        if place == 0:
            return begun(lane)
        item = lane.items[place - 1]
        before = plan.nodes[trellis.part_at(lane, place - 1)]
        if not item.gives_rows:
            return before
        inputs, names = [before], [lane.name]
        for taken in item.takes():
            inputs.append(plan.nodes[trellis.taken_after(taken)])
            names.append(trellis.lane(taken.lane).name)
        # The first input that failed is the one that is named.
        for name, found in zip(names, inputs, strict=True):
            if isinstance(found, UserError):
                return WaitingError(name, found)
        rows, *others = (node for node in inputs if isinstance(node, Node))
        try:
            node = item.node(rows, others, names)
            # Refused before any row is looked at, so that nobody waits for a run that cannot end
            # well.
            node.check()
        except UserError as error:
            return error
        except Exception as fault:  # noqa: BLE001  the border of a part: the others go on
            return ProgramError(tr("This part"), fault)
        return node

    def begun(lane: Lane) -> Node | UserError:
        if not isinstance(lane.source, InTrellis):
            read = reads[lane.id]
            return WaitingError(lane.name, read) if isinstance(read, UserError) else read
        begins = trellis.begins_after(lane)
        rows = plan.nodes[begins]
        if isinstance(rows, UserError):
            return WaitingError(trellis.place_after(begins)[0].name, rows)
        return lane.source.node(rows, lane.id)

    for lane, place in places_in_order(trellis):
        part = trellis.part_at(lane, place)
        if wanted is None or part in wanted:
            plan.nodes[part] = made(lane, place)
    return plan


def _wanted(trellis: Trellis, parts: Container[str] | None) -> set[str] | None:
    """Return the parts that are to be planned: those wanted, and all that they need."""
    if parts is None:
        return None
    places = [(lane, place) for lane, place in places_in_order(trellis)]
    wanted: set[str] = set()
    for lane, place in reversed(places):  # who needs a part stands behind it, so comes before here
        part = trellis.part_at(lane, place)
        if part in parts or part in wanted:
            wanted |= {part, *trellis.needed_by(lane, place)}
    return wanted
