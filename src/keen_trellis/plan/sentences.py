"""A tie said in plain words with the tables' own names."""

from __future__ import annotations

from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.words import counted, listed, rows_of, with_capital
from keen_trellis.plan.bays import Bay, Keep
from keen_trellis.plan.counts import Counts
from keen_trellis.plan.link import Link, LinkField
from keen_trellis.plan.operators import NEAREST, OPERATOR_WORDS
from keen_trellis.plan.outcome import ALL_COLUMNS, Columns, join_name, semi_side
from keen_trellis.plan.text_rules import RULE_WORDS

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
    # Said from the side whose rows take partners.
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
        order = [
            tr("{field} downwards", field=f.field) if f.descending else f.field for f in link.order
        ]
        parts.append(tr("in the order of {order}, blanks last", order=listed(order)))
    if link.text:
        parts.append(
            tr("ignoring {text} in texts", text=listed([RULE_WORDS[rule] for rule in link.text]))
        )
    if link.blanks == "match":
        parts.append(tr("blanks matching blanks"))
    if link.pairs:
        count = len(link.pairs)
        parts.append(
            tr_n(
                count,
                "with {n:,} pair of values the same",
                "with {n:,} pairs of values the same",
            )
        )
    return f"{', '.join(parts)}."


def condition_words(field: LinkField) -> str:
    """Return one comparison in words."""
    words = OPERATOR_WORDS[field.operator]
    if field.operator in NEAREST and field.strict:
        words = tr("takes the {operator}", operator=tr(field.operator))
    within = tr(" within {within:g}", within=field.within) if field.within is not None else ""
    kind = (
        tr(" compared as {compare_as}", compare_as=tr(field.compare_as)) if field.compare_as else ""
    )
    span = tr(" by {span}", span=tr(field.span)) if field.span else ""
    return f"{field.left} {words} {field.right}{within}{kind}{span}"


def join_title(keep: Keep, columns: Columns = ALL_COLUMNS, cross: bool = False) -> str:
    """Return the name of the join with a capital, as a title."""
    return (
        tr("{join_name} join", join_name=with_capital(tr(join_name(keep, columns))))
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
            "{goes}: the {name} rows that have a match in {other}, each once, without {other} "
            "columns.",
            goes=_go_on(own.found),
            name=name,
            other=other,
        )
        return f"{goes} {_stay(own.not_found, rows_of(own.not_found, name))}"
    rows = counts.rows(keep)
    goes_on = _go_on(rows)
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
            part = (
                tr("every {left} row", left=left)
                if own.multiplied
                else tr("every {left} row once", left=left)
            )
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
        # With no row of that side there is nothing to say of it.
        parts.append(part if own.rows and (Bay.LEFT in keep or own.found) else "")
    elif Bay.LEFT in keep and own.not_found:
        parts.append(
            tr(
                "the {rows} without a match in {right}",
                rows=rows_of(own.not_found, left),
                right=right,
            )
        )
    if Bay.RIGHT in keep and counts.right.not_found:
        part = tr(
            "the {rows} without a match in {left}",
            rows=rows_of(counts.right.not_found, right),
            left=left,
        )
        if keep != (Bay.RIGHT,):
            part += tr(", with gaps in the {left} columns", left=left)
        parts.append(part)
    return parts


def _behind(counts: Counts, keep: Keep, left: str, right: str) -> str:
    behind, rows = [], 0
    for bay, count, words in (
        (Bay.LEFT, counts.left.not_found, rows_of(counts.left.not_found, left)),
        (
            Bay.BOTH,
            counts.pairs,
            counted(counts.pairs, "matched pair"),
        ),
        (Bay.RIGHT, counts.right.not_found, rows_of(counts.right.not_found, right)),
    ):
        if bay not in keep and count:
            behind.append(words)
            rows += count
    if not behind:
        return tr("No row stays behind.")
    return _stay(rows, listed(behind))


def _go_on(rows: int) -> str:
    return tr_n(rows, "{n:,} row goes on", "{n:,} rows go on")


def _stay(number: int, rows: str) -> str:
    return tr_n(number, "{rows} stays behind.", "{rows} stay behind.", rows=rows)
