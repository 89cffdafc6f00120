"""One partner of several in SQL: pairs of row numbers, of which a row has one at most."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from sqlglot import exp

from keen_trellis.base.language import tr
from keen_trellis.plan.nodes import Join
from keen_trellis.sql.dialects import Sql
from keen_trellis.sql.relations import (
    Check,
    OrderKey,
    all_of,
    called,
    column,
    count,
    join,
    select,
    star,
    table,
    where,
    within,
)
from keen_trellis.sql.sides import L, Matched, R, inner, used

if TYPE_CHECKING:
    from keen_trellis.sql.writer import Writer


def with_one_partner(writer: Writer, node: Join, met: Matched, numbers: Sequence[str]) -> Matched:
    """Return a match by pairs of row numbers, of which a row of one side has one at most.

    Parameters
    ----------
    writer, node
    met : Matched
        Over sides whose rows are numbered.
    numbers : sequence of str
        What the sides call the numbers.
    """
    link, of_left = node.link, node.link.partner_for == "left"
    left_nr, right_nr = column(numbers[0], L), column(numbers[1], R)
    own = left_nr if of_left else right_nr
    others, side = (met.right, R) if of_left else (met.left, L)
    a, b, of_row = (writer.fresh(word) for word in ("left", "right", "of"))
    values = [
        called(left_nr, a),
        called(right_nr, b),
        # how many candidates a row has, which stays known once one of them is taken
        called(writer.over(count(), [own.copy()]), "~several"),
    ]
    if link.partner != "only":
        last = link.partner == "last"
        keys = writer.by_fields(others, link.order, backwards=last)
        number = OrderKey(numbers[1] if of_left else numbers[0])
        # The order asked for may leave candidates equal. The number of a row tells them apart then,
        # and `_clear_partner` makes sure that it decides nothing that anybody could see.
        told_apart = keys
        if number.id not in {key.id for key in keys}:
            told_apart = (*keys, number.turned() if last else number)
        order = writer.ordering(told_apart, side)
        values.append(called(writer.over(exp.RowNumber(), [own.copy()], order), "~place"))
    candidates = writer.add(None, inner(met, values), used(met), "candidates")
    wanted = column("~several" if link.partner == "only" else "~place")
    query = where(
        select([star()], table(candidates)), exp.EQ(this=wanted, expression=exp.Literal.number(1))
    )
    checks = []
    if link.partner != "only" and not others.is_total:
        checks.append(_clear_partner(writer, met, keys, own, side))
    pairs = writer.add(None, query, (candidates,), "partners", checks)
    is_of = exp.EQ(this=right_nr.copy(), expression=column(b, "p"))
    # The right rows that are a partner, each with the number of the left row that it is one of: a
    # right row stands here once for every left row that takes it.
    beside = select([star(R), called(column(a, "p"), of_row)], table(met.right.name, R))
    join(beside, table(pairs, "p"), is_of)
    name = writer.add(None, beside, (met.right.name, pairs), f"{met.right.name} partners")
    found = where(select([exp.Literal.number(1)], table(pairs, "p")), is_of.copy())
    return replace(
        met,
        partners=replace(met.right, name=name),
        on=exp.EQ(this=left_nr.copy(), expression=column(of_row, R)),
        is_equality=True,
        found_right=found,
        pairs=pairs,
        one_of=(candidates, a, b),
        marked=a if of_left else b,
        numbers=(numbers[0], numbers[1]),
    )


def _clear_partner(
    writer: Writer, met: Matched, keys: Sequence[OrderKey], own: Sql, side: str
) -> Check:
    """Return the check that no row has several first partners that differ."""
    others = met.right if side == R else met.left
    full = [*keys, *writer.all_columns(others)]
    # Without an order all candidates are equal, so that all of them are the first.
    rank: Sql = exp.Literal.number(1)
    if keys:
        ranks = exp.Anonymous(this="RANK")
        rank = writer.over(ranks, [own.copy()], writer.ordering(keys, side))
    # rows that are equal in every column have one dense rank: which of them is taken nobody could
    # see
    dense = exp.Anonymous(this="DENSE_RANK")
    values = [
        called(rank, "~tied"),
        called(writer.over(dense, [own.copy()], writer.ordering(full, side)), "~distinct"),
    ]
    one = exp.Literal.number(1)
    unclear = all_of(
        [
            exp.EQ(this=column("~tied"), expression=one),
            exp.GT(this=column("~distinct"), expression=one.copy()),
        ]
    )
    query = where(select([called(count(), "n")], within(inner(met, values), "w")), unclear)
    title, name = writer.dialect.title, others.name

    def says(times: int) -> tuple[str, str]:
        return (
            tr(
                "Which partner is the first is not clear in {title} for {times:,} rows "
                "of “{name}”: "
                "rows that differ are equal in the order asked for.",
                title=title,
                times=times,
                name=name,
            ),
            tr("Put them in order by one column more."),
        )

    return Check(query, used(met), says)
