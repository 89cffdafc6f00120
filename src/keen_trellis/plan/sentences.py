"""A tie said in plain words with the tables' own names."""

from __future__ import annotations

from keen_trellis.base.words import listed
from keen_trellis.plan.bays import Bay, Keep
from keen_trellis.plan.counts import Counts
from keen_trellis.plan.link import Link, LinkField
from keen_trellis.plan.operators import NEAREST, OPERATOR_WORDS
from keen_trellis.plan.outcome import ALL_COLUMNS, Columns, join_name, semi_side

PARTNER_WORDS = {
    "every": "every match",
    "first": "the first match",
    "last": "the last match",
    "only": "the match, if it is the only one,",
}


def link_sentence(link: Link, left: str, right: str) -> str:
    """Return what belongs together.

    >>> from keen_trellis.plan.link import LinkField
    >>> link_sentence(Link((LinkField("route", "code"),)), "Sailings", "Routes")
    'For each Sailings row, take every match in Routes where route equals code.'
    """
    if link.cross:
        return f"Pair each {left} row with every row of {right}."
    own, other = (left, right) if link.partner_for == "left" else (right, left)
    conditions = listed([condition_words(field) for field in link.fields])
    parts = [
        f"For each {own} row, take {PARTNER_WORDS[link.partner]} in {other} where {conditions}"
    ]
    if link.order and link.partner in ("first", "last"):
        order = [f"{f.field}{' downwards' if f.descending else ''}" for f in link.order]
        parts.append(f"in the order of {listed(order)}, blanks last")
    if link.text:
        parts.append(f"ignoring {listed(link.text)} in texts")
    if link.blanks == "match":
        parts.append("blanks matching blanks")
    if link.pairs:
        count = len(link.pairs)
        parts.append(f"with {count:,} {'pair' if count == 1 else 'pairs'} of values the same")
    return f"{', '.join(parts)}."


def condition_words(field: LinkField) -> str:
    """Return one comparison in words."""
    words = OPERATOR_WORDS[field.operator]
    if field.operator in NEAREST and field.strict:
        words = f"takes the {field.operator}"
    within = f" within {field.within:g}" if field.within is not None else ""
    kind = f" compared as {field.compare_as}" if field.compare_as else ""
    span = f" by {field.span}" if field.span else ""
    return f"{field.left} {words} {field.right}{within}{kind}{span}"


def join_title(keep: Keep, columns: Columns = ALL_COLUMNS, cross: bool = False) -> str:
    """Return the name of the join with a capital, as a title."""
    return f"{join_name(keep, columns).capitalize()} join" if not cross else "Cross join"


def found_words(counts: Counts) -> str:
    """Return how many left rows found a partner, as short as it can be said."""
    left = counts.left
    if left.rows == 0:
        return "no rows to find"
    if left.found == left.rows:
        return f"all {left.rows:,} found"
    return f"{left.found:,} of {left.rows:,} found"


def outcome_sentences(
    counts: Counts, keep: Keep, left: str, right: str, columns: Columns = ALL_COLUMNS
) -> str:
    """Return what goes on and what stays behind.

    The same words stand on the screen, on the command line and in a description.
    """
    side = semi_side(keep, columns)
    if side:
        own, name, other = (
            (counts.left, left, right) if side == "left" else (counts.right, right, left)
        )
        goes = f"{_rows(own.found)} {'goes' if own.found == 1 else 'go'} on"
        return (
            f"{goes}: the {name} rows that have a match in {other}, each once, without {other} "
            f"columns. {_rows(own.not_found, name)} {_stay(own.not_found)} behind."
        )
    rows = counts.rows(keep)
    goes_on = f"{_rows(rows)} {'goes' if rows == 1 else 'go'} on"
    parts = [part for part in _parts(counts, keep, left, right) if part]
    what = f"{goes_on}: {', and '.join(parts)}." if rows and parts else f"{goes_on}."
    return f"{what} {_behind(counts, keep, left, right)}"


def cardinality_words(counts: Counts, left: str, right: str) -> str:
    """Return in words how many partners a row can have on either side."""
    many_left, many_right = counts.right.multiplied > 0, counts.left.multiplied > 0
    if counts.pairs == 0:
        return "no row has a partner"
    if many_left and many_right:
        return "many-to-many: rows repeat on both sides"
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
    behind, rows = [], 0
    for bay, count, words in (
        (Bay.LEFT, counts.left.not_found, _rows(counts.left.not_found, left)),
        (Bay.BOTH, counts.pairs, f"{counts.pairs:,} matched pair{'s'[: counts.pairs != 1]}"),
        (Bay.RIGHT, counts.right.not_found, _rows(counts.right.not_found, right)),
    ):
        if bay not in keep and count:
            behind.append(words)
            rows += count
    if not behind:
        return "No row stays behind."
    return f"{listed(behind)} {_stay(rows)} behind."


def _stay(rows: int) -> str:
    return "stays" if rows == 1 else "stay"


def _rows(count: int, name: str = "") -> str:
    words = [f"{count:,}", name, "row" if count == 1 else "rows"]
    return " ".join(word for word in words if word)
