"""A nearest field in SQL: every left link value with the nearest right one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from sqlglot import exp

from keen_trellis.base.language import tr
from keen_trellis.plan.operators import NEAR
from keen_trellis.sql.dialects import NotSaidError, Sql, not_there
from keen_trellis.sql.relations import (
    all_of,
    called,
    choose,
    column,
    join,
    not_null,
    select,
    star,
    table,
    where,
    within,
)
from keen_trellis.sql.sides import Compared, L, Matched, R, holds
from keen_trellis.sql.sql_conditions import SIGNS

if TYPE_CHECKING:
    from keen_trellis.sql.writer import Writer


def with_nearest(writer: Writer, met: Matched, nearest: Compared) -> Matched:
    """Return a match whose right side has, beside its rows, the left values they are nearest to.

    Each side's different link values are looked at once. Where nothing but equality stands beside
    the nearest field, both are put into one order and the value that was passed last is carried
    along (a window), which costs a sort; otherwise the candidates are compared.
    """
    dialect = writer.dialect
    plain = [one for one in met.others if one is not nearest]
    fields = [*met.equal, *plain, nearest]
    names = [writer.fresh("link") for _ in fields]
    tuples = []
    for side, rows in ((L, met.left), (R, met.right)):
        values = [called(one.value(side), name) for one, name in zip(fields, names, strict=True)]
        query = where(select(values, table(rows.name, side)), met.has_key(side))
        # Each link value once: what is near depends on values alone, and pairs of values are far
        # fewer than pairs of rows. Rows without a value in some field of the link are no partners
        # and not here.
        query.set("distinct", exp.Distinct())
        tuples.append(writer.add(None, query, (rows.name,), f"{rows.name} links"))
    later, strict = nearest.field.operator == "nearest later", nearest.field.strict
    best, value = writer.fresh("nearest"), names[-1]
    # By equality and one nearest field a single pass in order finds it; with further conditions the
    # nearest of those that hold is looked for among all that meet.
    if not plain:
        pairs = _carried_along(writer, tuples, names, best, later=later, strict=strict)
    else:
        # where other conditions stand beside it, the nearest is that of those for which all hold:
        # the window goes over pairs that meet
        near: Sql = SIGNS[NEAR[nearest.field.operator, strict]](
            this=column(value, L), expression=column(value, R)
        )
        conditions = [
            *(
                holds(dialect, one, column(name, L), column(name, R))
                for one, name in zip(fields[:-1], names, strict=False)
            ),
            near,
            *_within(writer, nearest, column(value, L), column(value, R)),
        ]
        furthest = exp.Min if later else exp.Max
        inner = select(
            [
                *(column(name, L) for name in names),
                called(
                    writer.over(
                        furthest(this=column(value, R)), [column(name, L) for name in names]
                    ),
                    best,
                ),
                *(called(column(name, R), f"{name} r") for name in names),
            ],
            table(tuples[0], L),
        )
        join(inner, table(tuples[1], R), all_of(conditions))
        query = where(
            select(
                [*(column(name) for name in names), *(column(f"{name} r") for name in names)],
                within(inner, "w"),
            ),
            exp.EQ(this=column(best), expression=column(f"{value} r")),
        )
        pairs = writer.add(None, query, tuples, "nearest")
        return _by_tuples(writer, met, fields, names, pairs, [f"{name} r" for name in names])
    conditions = [not_null(column(best))]
    conditions += _within(writer, nearest, column(value), column(best))
    query = where(select([star()], table(pairs)), all_of(conditions))
    found = writer.add(None, query, (pairs,), "nearest")
    return _by_tuples(writer, met, fields, names, found, [*names[:-1], best])


def _carried_along(
    writer: Writer,
    tuples: Sequence[str],
    names: Sequence[str],
    best: str,
    later: bool,
    strict: bool,
) -> str:
    """Return a relation of the left link values with the nearest right one, or null."""
    value = names[-1]
    parts = [
        select(
            [
                *(column(name) for name in names),
                called(exp.Literal.number(place), "~side"),
            ],
            table(one),
        )
        for place, one in enumerate(tuples)
    ]
    # Values of both sides in one list: the nearest right one is the last that was passed.
    both = exp.Union(this=parts[0], expression=parts[1], distinct=False)
    # at equal values the right one comes first, so that it is passed, unless it must be beyond
    order = [
        exp.Ordered(this=column(value), desc=later, nulls_first=False),
        exp.Ordered(this=column("~side"), desc=not strict, nulls_first=False),
    ]
    is_right = exp.EQ(this=column("~side"), expression=exp.Literal.number(1))
    furthest = exp.Min if later else exp.Max
    window = writer.over(
        furthest(this=choose(is_right, column(value))),
        [column(name) for name in names[:-1]],
        order,
    )
    # ROWS, not RANGE: those equal in the order count one by one, as the order puts them.
    window.set(
        "spec",
        exp.WindowSpec(
            kind="ROWS",
            start="UNBOUNDED",
            start_side="PRECEDING",
            end="CURRENT ROW",
        ),
    )
    inner = select(
        [*(column(name) for name in names), column("~side"), called(window, best)],
        within(both, "u"),
    )
    query = select([*(column(name) for name in names), column(best)], within(inner, "w"))
    query = where(query, exp.EQ(this=column("~side"), expression=exp.Literal.number(0)))
    return writer.add(None, query, tuples, "nearest")


def _within(writer: Writer, nearest: Compared, one: Sql, other: Sql) -> list[Sql]:
    """Return whether two values are near enough, where the link says how near."""
    limit = nearest.field.distance
    if limit is None:
        return []
    try:
        return [writer.dialect.distance_at_most(one, other, nearest.kind, limit)]
    except NotSaidError as error:
        raise not_there(
            writer.dialect,
            tr("a distance, {error}", error=error),
            tr("Leave the distance out, or change the kind."),
        ) from error


def _by_tuples(
    writer: Writer,
    met: Matched,
    fields: Sequence[Compared],
    names: Sequence[str],
    pairs: str,
    right_names: Sequence[str],
) -> Matched:
    """Return a match by pairs of link values: the left ones stand beside the rows of the right."""
    # a right row stands here once for every left value that it is nearest to
    beside = [f"{name} l" for name in names]
    on = [
        exp.EQ(this=one.value(R), expression=column(name, "n"))
        for one, name in zip(fields, right_names, strict=True)
    ]
    query = select(
        [
            star(R),
            *(called(column(name, "n"), new) for name, new in zip(names, beside, strict=True)),
        ],
        table(met.right.name, R),
    )
    join(query, table(pairs, "n"), all_of(on))
    name = writer.add(None, query, (met.right.name, pairs), f"{met.right.name} nearest")
    found = where(select([exp.Literal.number(1)], table(pairs, "n")), all_of(on))
    place = {id(one): number for number, one in enumerate(fields)}
    there = [place[id(one)] for one in (*met.equal, *met.others)]
    return replace(
        met,
        partners=replace(met.right, name=name),
        tuples=([names[at] for at in there], [right_names[at] for at in there]),
        on=all_of(
            [
                exp.EQ(this=one.value(L), expression=column(new, R))
                for one, new in zip(fields, beside, strict=True)
            ]
        ),
        is_equality=True,
        found_right=found,
        pairs=pairs,
    )
