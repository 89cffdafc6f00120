"""A trellis said in plain sentences: what is read, what is tied, what is delivered."""

from __future__ import annotations

from collections.abc import Iterator

from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.document.trellis import Trellis


def describe(trellis: Trellis) -> Iterator[str]:
    """Yield the lines that say what a trellis does; nothing is read for it."""
    yield f"{trellis.name}: {', '.join(parts_words(trellis))}"
    for lane in trellis.lanes:
        verb = "reads" if lane.source.begins_at() is None else "begins with"
        yield tr(
            "Lane {name} {verb} {begins_words}.",
            name=lane.name,
            verb=verb,
            begins_words=trellis.begins_words(lane),
        )
        yield from _note(lane.note, "  ")
        for item in lane.items:
            yield f"  {item.sentence(trellis, lane)}"
            yield from _note(item.note, "    ")
    for report in trellis.reports:
        yield tr("Report {name}: {sentence}", name=report.name, sentence=report.sentence(trellis))
        yield from _note(report.note, "  ")
    for place in trellis.places:
        yield tr("Can run on {name}: {label}.", name=place.name, label=place.at.label)


def _note(note: str, indent: str) -> Iterator[str]:
    for line in note.strip().splitlines():
        yield tr("{indent}Note: {line}", indent=indent, line=line)


def parts_words(trellis: Trellis) -> list[str]:
    """Return how many lanes, steps, ties, deliveries and reports there are, in words."""
    items = [item for lane in trellis.lanes for item in lane.items]
    words = [counted(len(trellis.lanes), "lane")]
    for word, plural, always in (
        ("step", "steps", False),
        ("tie", "ties", True),
        ("delivery", "deliveries", True),
    ):
        number = sum(item.word == word for item in items)
        if number or always:
            words.append(counted(number, word, plural))
    if trellis.reports:
        words.append(counted(len(trellis.reports), "report"))
    return words
