"""A tie said in plain words with the tables' own names."""

from __future__ import annotations

from collections.abc import Sequence

from keen_trellis.match.counts import Counts
from keen_trellis.match.link import JOIN_NAMES, Bay, Keep, Link

OPERATOR_WORDS = {"=": "equals"}


def link_sentence(link: Link, left: str, right: str) -> str:
    """Return what belongs together.

    >>> from keen_trellis.match.link import LinkField
    >>> link_sentence(Link((LinkField("route", "code"),)), "Sailings", "Routes")
    'For each Sailings row, take every match in Routes where route equals code.'
    """
    conditions = [f"{f.left} {OPERATOR_WORDS[f.operator]} {f.right}" for f in link.fields]
    return f"For each {left} row, take every match in {right} where {listed(conditions)}."


def join_title(keep: Keep) -> str:
    """Return the name of the join with a capital, as a title."""
    return f"{JOIN_NAMES[keep].capitalize()} join"


def found_words(counts: Counts) -> str:
    """Return how many left rows found a partner, as short as it can be said."""
    left = counts.left
    if left.rows == 0:
        return "no rows to find"
    if left.found == left.rows:
        return f"all {left.rows:,} found"
    return f"{left.found:,} of {left.rows:,} found"


def outcome_sentences(counts: Counts, keep: Keep, left: str, right: str) -> str:
    """Return what goes on and what stays behind.

    The same words stand on the screen, on the command line and in a description.
    """
    rows = counts.rows(keep)
    goes_on = f"{_rows(rows)} {'goes' if rows == 1 else 'go'} on"
    parts = [part for part in _parts(counts, keep, left, right) if part]
    what = f"{goes_on}: {', and '.join(parts)}." if rows and parts else f"{goes_on}."
    return f"{what} {_behind(counts, keep, left, right)}"


def listed(words: Sequence[str]) -> str:
    """Return words joined by commas and a last “and”."""
    if len(words) < 2:
        return "".join(words)
    return f"{', '.join(words[:-1])} and {words[-1]}"


def cardinality_words(counts: Counts, left: str, right: str) -> str:
    """Return in words how many partners a row can have on either side."""
    many_left, many_right = counts.right.multiplied > 0, counts.left.multiplied > 0
    if counts.pairs == 0:
        return "no row has a partner"
    if many_left and many_right:
        return "many-to-many: link values repeat on both sides"
    if many_right:
        return f"one-to-many: a {left} row can have several {right} rows"
    if many_left:
        return f"many-to-one: a {right} row can serve several {left} rows"
    return "one-to-one: no row has more than one partner"


def _parts(counts: Counts, keep: Keep, left: str, right: str) -> list[str]:
    own = counts.left
    parts = []
    if Bay.BOTH in keep:
        if Bay.LEFT in keep:
            part = f"every {left} row" + (" once" if not own.multiplied else "")
        else:
            part = f"the {own.found:,} of {own.rows:,} {left} rows that have a match in {right}"
        if own.multiplied:
            part += f", {own.multiplied:,} of them more than once"
        if Bay.LEFT in keep and own.not_found:
            part += f", {own.not_found:,} of them with gaps in the {right} columns"
        parts.append(part if own.rows and (Bay.LEFT in keep or own.found) else "")
    elif Bay.LEFT in keep and own.not_found:
        parts.append(f"the {_rows(own.not_found, left)} without a match in {right}")
    if Bay.RIGHT in keep and counts.right.not_found:
        part = f"the {_rows(counts.right.not_found, right)} without a match in {left}"
        if keep != (Bay.RIGHT,):
            part += f", with gaps in the {left} columns"
        parts.append(part)
    return parts


def _behind(counts: Counts, keep: Keep, left: str, right: str) -> str:
    behind = []
    if Bay.LEFT not in keep and counts.left.not_found:
        behind.append(_rows(counts.left.not_found, left))
    if Bay.BOTH not in keep and counts.pairs:
        behind.append(f"{counts.pairs:,} matched {'pair' if counts.pairs == 1 else 'pairs'}")
    if Bay.RIGHT not in keep and counts.right.not_found:
        behind.append(_rows(counts.right.not_found, right))
    if not behind:
        return "No row stays behind."
    verb = "stays" if len(behind) == 1 and behind[0].startswith("1 ") else "stay"
    return f"{listed(behind)} {verb} behind."


def _rows(count: int, name: str = "") -> str:
    words = [f"{count:,}", name, "row" if count == 1 else "rows"]
    return " ".join(word for word in words if word)
