"""A trellis said in plain sentences: what is read, what is tied, what is delivered."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from keen_trellis.flow.document import DeliveryItem, Lane, TieItem, Trellis
from keen_trellis.flow.sources import source_words
from keen_trellis.plan.sentences import join_title, link_sentence


def describe(trellis: Trellis) -> Iterator[str]:
    """Yield the lines that say what a trellis does; nothing is read for it."""
    yield f"{trellis.name}: {counted(len(trellis.lanes), 'lane')}, " + ", ".join(
        [counted(len(list(trellis.ties())), "tie"), deliveries(len(list(trellis.deliveries())))]
    )
    for lane in trellis.lanes:
        yield f"Lane {lane.name} reads {source_words(lane.source)}."
        for item in lane.items:
            yield f"  {item_sentence(trellis, lane, item)}"


def item_sentence(trellis: Trellis, lane: Lane, item: TieItem | DeliveryItem) -> str:
    """Return what one item of a lane does."""
    if isinstance(item, DeliveryItem):
        return f"Delivers {item.name} to {Path(item.path).name}."
    other = trellis.lane(item.lane)
    if not item.link and not item.cross:
        return f"Is tied to {other.name}, with no link field chosen yet."
    sentence = link_sentence(item.match_link(), lane.name, other.name)
    title = join_title(item.keep, item.wanted_columns(), item.cross)
    return f"{sentence} {title}: {kept_words(item, lane.name, other.name)}."


def kept_words(tie: TieItem, left: str, right: str) -> str:
    """Return which of the three bays are kept, and which left."""
    names = {"left": f"only in {left}", "both": "in both", "right": f"only in {right}"}
    kept = [name for bay, name in names.items() if bay in tie.keep]
    left_out = [name for bay, name in names.items() if bay not in tie.keep]
    return f"keeps {', '.join(kept)}" + (f"; leaves {', '.join(left_out)}" if left_out else "")


def counted(number: int, word: str) -> str:
    """Return a number with its word in the singular or plural."""
    return f"{number:,} {word}{'' if number == 1 else 's'}"


def deliveries(number: int) -> str:
    """Return a number of deliveries in words."""
    return "1 delivery" if number == 1 else f"{number:,} deliveries"
