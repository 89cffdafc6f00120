"""What still has the rows from right before an item: deliveries, ties and lanes."""

from __future__ import annotations

from collections.abc import Sequence

from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.words import listed
from keen_trellis.document.items import DeliveryItem
from keen_trellis.document.sources import LaneSource
from keen_trellis.document.trellis import Lane, Trellis


def stays_before(trellis: Trellis, item_id: str) -> str:
    """Return in a sentence what still has the rows from right before an item; empty for nothing."""
    lane, place = trellis.place_of(item_id)
    word = tr(lane.items[place].word)
    deliveries = deliveries_before(lane, place)
    before = taken_right_before(trellis, lane, place, deliveries)
    # places are compared, not names: of one lane, some may take before the item and some behind
    takers = [
        taking.name
        for taking, item in trellis.ties()
        if any(t.lane == lane.id and trellis.taken_after(t) in before for t in item.takes())
    ]
    takers += [
        one.name
        for one in trellis.lanes
        if isinstance(one.source, LaneSource) and trellis.begins_after(one) in before
    ]
    parts = []
    if deliveries:
        names = listed([item.name for item in deliveries])
        parts.append(
            tr_n(len(deliveries), "{names} still writes", "{names} still write", names=names)
        )
    if takers:
        parts.append(
            tr_n(len(takers), "{names} still takes", "{names} still take", names=listed(takers))
        )
    return (
        tr(
            "{parts} the rows of {name} from before this {word}.",
            parts=listed(parts),
            name=lane.name,
            word=word,
        )
        if parts
        else ""
    )


def deliveries_before(lane: Lane, place: int) -> tuple[DeliveryItem, ...]:
    """Return the deliveries that stand right before a place on a lane."""
    found: list[DeliveryItem] = []
    for item in reversed(lane.items[:place]):
        if not isinstance(item, DeliveryItem):
            break
        found.insert(0, item)
    return tuple(found)


def taken_right_before(
    trellis: Trellis, lane: Lane, place: int, deliveries: Sequence[DeliveryItem]
) -> set[str]:
    """Return the ids after which the rows right before a place are taken."""
    return {item.id for item in deliveries} | {trellis.part_at(lane, place - len(deliveries))}
