"""A trellis said in plain sentences: what is read, what is tied, what is delivered."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.document.trellis import Trellis


def describe(trellis: Trellis) -> Iterator[str]:
    """Yield the lines that say what a trellis does; nothing is read for it."""
    yield f"{trellis.name}: {', '.join(parts_words(trellis))}"
    for lane in trellis.lanes:
        words = trellis.begins_words(lane)
        if lane.source.begins_at() is None:
            yield tr("Lane {name} reads {source}.", name=lane.name, source=words)
        else:
            yield tr("Lane {name} begins with {rows}.", name=lane.name, rows=words)
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
        yield indent + tr("Note: {line}", line=line)


def parts_words(trellis: Trellis) -> list[str]:
    """Return how many lanes, steps, ties, deliveries and reports there are, in words."""
    of = Counter(item.word for lane in trellis.lanes for item in lane.items)
    words = [counted(len(trellis.lanes), "lane")]
    if of["step"]:
        words.append(counted(of["step"], "step"))
    words += [counted(of["tie"], "tie"), counted(of["delivery"], "delivery", "deliveries")]
    if trellis.reports:
        words.append(counted(len(trellis.reports), "report"))
    return words
