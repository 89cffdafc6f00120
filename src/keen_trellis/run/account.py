"""A run told as rows: each lane, step and tie with its counts, for a sheet beside the rows."""

from __future__ import annotations

import re

from keen_trellis.data import Column, Kind, Table
from keen_trellis.plan.counts import Group
from keen_trellis.run.facts import JoinFacts
from keen_trellis.run.results import Results

_LITERAL = re.compile(r"(?<!\w)'(?:[^']|'')*'")
"""A text within a formula, as SQL writes it."""


def without_values(sentence: str) -> str:
    """Return a sentence without what stands in quotes: there it has values of the sources.

    A value may have quotes of its own. One that is opened within is closed before the value ends;
    one that is closed but was not opened ends a value that had seemed to end before; after one that
    is never closed nothing is told.
    """
    told: list[str] = []
    ends, depth = 0, 0
    for letter in sentence:
        if letter == "“":
            depth += 1
        elif letter == "”" and depth > 1:
            depth -= 1
        elif letter == "”":
            if not depth:
                del told[ends:]
            else:
                told.append("“…”")
            ends, depth = len(told), 0
        elif not depth:
            told.append(letter)
    rest = "“…”" if depth else ""
    return _LITERAL.sub("'…'", "".join(told)) + rest


def _group_words(group: Group) -> str:
    return f"{group.name}: {'go on' if group.goes_on else 'stay behind'}"


Row = tuple[str, str, str, int | None]


def account(results: Results, with_values: bool = True, made_for: str = "") -> Table:
    """Return a table of what a run did: part, sort, what is said of it, and its rows.

    Without values, nothing in quotes is told; whom it is made for stands first, if it is said.
    """
    rows: list[Row] = [("match report", "made for", made_for, None)] if made_for else []
    for lane in results.facts.lanes.values():
        files = f"from {', '.join(lane.files)}" if lane.files else ""
        rows.append((lane.name, "lane", lane.trouble or files, lane.rows))
        rows += [(lane.name, "noticed", note, None) for note in lane.notes]
    for item in results.facts.items.values():
        says = item.trouble or item.says
        if not says:
            continue
        rows.append((item.name, item.type, says, item.rows))
        rows += [(item.name, "rows", _group_words(group), group.rows) for group in item.groups]
        if isinstance(item, JoinFacts):
            for promise in item.promises:
                kept = "kept" if promise.is_kept else f"BROKEN: {promise.says}"
                rows.append((item.name, "promise", f"{promise.sentence}: {kept}", None))
    if results.read_at is not None:
        rows.append(("all sources", "read", f"from {results.read_at:%Y-%m-%d %H:%M} on", None))
    if not with_values:
        # a filter is called by its conditions, so that names have values as well
        rows = [(without_values(a), sort, without_values(b), count) for a, sort, b, count in rows]
    parts, sorts, says_of, counts = ([row[place] for row in rows] for place in range(4))
    return Table.of(
        {
            "part": Column.of(parts, Kind.TEXT),
            "what": Column.of(sorts, Kind.TEXT),
            "says": Column.of(says_of, Kind.TEXT),
            "rows": Column.of(counts, Kind.INTEGER),
        }
    )
