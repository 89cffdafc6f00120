"""A tie said in plain words with the tables' own names."""

from __future__ import annotations

from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.plan.bays import Bay, Keep
from keen_trellis.plan.counts import Counts
from keen_trellis.plan.link import Link, LinkField
from keen_trellis.plan.operators import NEAREST, OPERATOR_WORDS
from keen_trellis.plan.outcome import ALL_COLUMNS, Columns, join_name, semi_side

PARTNER_WORDS = {
    "every": tr("every match"),
    "first": tr("the first match"),
    "last": tr("the last match"),
    "only": tr("the match, if it is the only one,"),
}


def link_sentence(link: Link, left: str, right: str) -> str:
    """Return what belongs together.

    >>> from keen_trellis.plan.link import LinkField
    >>> link_sentence(Link((LinkField("route", "code"),)), "Sailings", "Routes")
    'For each Sailings row, take every match in Routes where route equals code.'
    """
    if link.cross:
        return tr("Pair each {left} row with every row of {right}.", left=left, right=right)
    own, other = (left, right) if link.partner_for == "left" else (right, left)
    conditions = listed([condition_words(field) for field in link.fields])
    parts = [
        tr(
            "For each {own} row, take {partner_words} in {other} where {conditions}",
            own=own,
            partner_words=PARTNER_WORDS[link.partner],
            other=other,
            conditions=conditions,
        )
    ]
    if link.order and link.partner in ("first", "last"):
        order = [f"{f.field}{' downwards' if f.descending else ''}" for f in link.order]
        parts.append(tr("in the order of {order}, blanks last", order=listed(order)))
    if link.text:
        parts.append(tr("ignoring {text} in texts", text=listed(link.text)))
    if link.blanks == "match":
        parts.append(tr("blanks matching blanks"))
    if link.pairs:
        count = len(link.pairs)
        parts.append(
            tr(
                "with {count:,} {word} of values the same",
                count=count,
                word="pair" if count == 1 else "pairs",
            )
        )
    return f"{', '.join(parts)}."


def condition_words(field: LinkField) -> str:
    """Return one comparison in words."""
    words = OPERATOR_WORDS[field.operator]
    if field.operator in NEAREST and field.strict:
        words = tr("takes the {operator}", operator=field.operator)
    within = tr(" within {within:g}", within=field.within) if field.within is not None else ""
    kind = tr(" compared as {compare_as}", compare_as=field.compare_as) if field.compare_as else ""
    span = tr(" by {span}", span=field.span) if field.span else ""
    return f"{field.left} {words} {field.right}{within}{kind}{span}"


def join_title(keep: Keep, columns: Columns = ALL_COLUMNS, cross: bool = False) -> str:
    """Return the name of the join with a capital, as a title."""
    return (
        tr("{join_name} join", join_name=join_name(keep, columns).capitalize())
        if not cross
        else tr("Cross join")
    )


def found_words(counts: Counts) -> str:
    """Return how many left rows found a partner, as short as it can be said."""
    left = counts.left
    if left.rows == 0:
        return tr("no rows to find")
    if left.found == left.rows:
        return tr("all {rows:,} found", rows=left.rows)
    return tr("{found:,} of {rows:,} found", found=left.found, rows=left.rows)


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
        goes = tr(
            "{rows} {word} on", rows=_rows(own.found), word="goes" if own.found == 1 else "go"
        )
        return tr(
            "{goes}: the {name} rows that have a match in {other}, each once, without {other} "
            "columns. {rows} {stay} behind.",
            goes=goes,
            name=name,
            other=other,
            rows=_rows(own.not_found, name),
            stay=_stay(own.not_found),
        )
    rows = counts.rows(keep)
    goes_on = tr("{rows} {word} on", rows=_rows(rows), word="goes" if rows == 1 else "go")
    parts = [part for part in _parts(counts, keep, left, right) if part]
    what = f"{goes_on}: {tr(', and ').join(parts)}." if rows and parts else f"{goes_on}."
    return f"{what} {_behind(counts, keep, left, right)}"


def cardinality_words(counts: Counts, left: str, right: str) -> str:
    """Return in words how many partners a row can have on either side."""
    many_left, many_right = counts.right.multiplied > 0, counts.left.multiplied > 0
    if counts.pairs == 0:
        return tr("no row has a partner")
    if many_left and many_right:
        return tr("many-to-many: rows repeat on both sides")
    if many_right:
        return tr("one-to-many: a {left} row can have several {right} rows", left=left, right=right)
    if many_left:
        return tr(
            "many-to-one: a {right} row can serve several {left} rows", right=right, left=left
        )
    return tr("one-to-one: no row has more than one partner")


def _parts(counts: Counts, keep: Keep, left: str, right: str) -> list[str]:
    own = counts.left
    parts = []
    if Bay.BOTH in keep:
        if Bay.LEFT in keep:
            part = tr("every {left} row", left=left) + (" once" if not own.multiplied else "")
        else:
            part = tr(
                "the {found:,} of {rows:,} {left} rows that have a match in {right}",
                found=own.found,
                rows=own.rows,
                left=left,
                right=right,
            )
        if own.multiplied:
            part += tr(", {multiplied:,} of them more than once", multiplied=own.multiplied)
        if Bay.LEFT in keep and own.not_found:
            part += tr(
                ", {not_found:,} of them with gaps in the {right} columns",
                not_found=own.not_found,
                right=right,
            )
        parts.append(part if own.rows and (Bay.LEFT in keep or own.found) else "")
    elif Bay.LEFT in keep and own.not_found:
        parts.append(
            tr(
                "the {rows} without a match in {right}",
                rows=_rows(own.not_found, left),
                right=right,
            )
        )
    if Bay.RIGHT in keep and counts.right.not_found:
        part = tr(
            "the {rows} without a match in {left}",
            rows=_rows(counts.right.not_found, right),
            left=left,
        )
        if keep != (Bay.RIGHT,):
            part += tr(", with gaps in the {left} columns", left=left)
        parts.append(part)
    return parts


def _behind(counts: Counts, keep: Keep, left: str, right: str) -> str:
    behind, rows = [], 0
    for bay, count, words in (
        (Bay.LEFT, counts.left.not_found, _rows(counts.left.not_found, left)),
        (
            Bay.BOTH,
            counts.pairs,
            tr("{pairs:,} matched pair{value}", pairs=counts.pairs, value="s"[: counts.pairs != 1]),
        ),
        (Bay.RIGHT, counts.right.not_found, _rows(counts.right.not_found, right)),
    ):
        if bay not in keep and count:
            behind.append(words)
            rows += count
    if not behind:
        return tr("No row stays behind.")
    return tr("{behind} {stay} behind.", behind=listed(behind), stay=_stay(rows))


def _stay(rows: int) -> str:
    return "stays" if rows == 1 else "stay"


def _rows(count: int, name: str = "") -> str:
    words = [f"{count:,}", name, "row" if count == 1 else "rows"]
    return " ".join(word for word in words if word)
