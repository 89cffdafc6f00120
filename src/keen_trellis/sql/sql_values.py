"""Values in other kinds, and the columns that a table of distinct values is asked for by."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from sqlglot import exp

from keen_trellis.base.language import tr
from keen_trellis.data.kinds import BY_DAY, Kind
from keen_trellis.sql.dialects import Dialect, NotSaidError, Sql
from keen_trellis.sql.relations import (
    Held,
    Mapped,
    MappedColumn,
    Program,
    Relation,
    Work,
    all_of,
    called,
    choose,
    column,
    is_null,
    select,
    table,
)

if TYPE_CHECKING:
    from keen_trellis.compute.by_value import ByValue
    from keen_trellis.data import Column, Table


def in_kind(value: Sql, held: Held, kind: Kind, dialect: Dialect) -> Sql:
    """Return a cell in a kind that holds all values of its own.

    Raises
    ------
    NotSaidError
        Only our own code can put values of the one kind into the other as we do.
    """
    if held.kind is kind:
        return value
    if not held.seen:  # nulls alone
        return dialect.literal(None, kind)
    if (held.kind is Kind.INTEGER and kind is Kind.EXACT) or (held.kind, kind) == BY_DAY:
        return dialect.cast(value, kind)
    raise NotSaidError(tr("{kind} as {kind_2}", kind=held.kind, kind_2=kind))


def mapped(
    program: Program,
    asked: Sequence[tuple[Relation, Sequence[Held], Sequence[MappedColumn]]],
    make: Callable[[Sequence[Table]], Sequence[Sequence[Column]]],
    says: str,
    each: ByValue | None = None,
) -> list[str]:
    """Add tables of the distinct values of some columns and what is made of them together.

    Parameters
    ----------
    program : Program
    asked : sequence of (relation, its columns that are taken, the columns that are given)
    make, each
        As in `Work`.
    says : str

    Returns
    -------
    list of str
        Their names.
    """
    names: list[str] = []
    for _ in asked:
        name = program.free_name(says[:40], is_own=True)
        while name in names:
            name = f"{name} r"
        names.append(name)
    work = Work(tuple(names), make, each)
    for name, (rows, takes, gives) in zip(names, asked, strict=True):
        marks = tuple(dict.fromkeys(held.gap for held in takes if held.gap))
        wanted = [held.id for held in takes] + list(marks)
        query = select([column(name) for name in wanted], table(rows.name))
        query.set("distinct", exp.Distinct())
        program.add(Mapped(name, query, (rows.name,), tuple(takes), tuple(gives), work, says))
    return names


def meets(rows: str, found: str, takes: Sequence[Held], dialect: Dialect) -> Sql:
    """Return whether a row has the values of a row of a table of distinct values.

    Nulls are equal to nulls, which no server hashes by; so a null is compared as some value, and
    whether it is one beside it.

    Parameters
    ----------
    rows, found : str
        What the two are called in the statement.
    takes : sequence of Held
    dialect : Dialect
    """
    made: list[Sql] = []
    marks = dict.fromkeys(held.gap for held in takes if held.gap)
    for held in takes:
        own, its = column(held.id, rows), column(held.id, found)
        if dialect.joins_null_safe:
            made.append(dialect.same(own, its))
            continue
        nothing = dialect.nothing(held.kind if held.seen else Kind.TEXT)
        made.append(
            exp.EQ(
                this=exp.Coalesce(this=own, expressions=[nothing]),
                expression=exp.Coalesce(this=its, expressions=[nothing.copy()]),
            )
        )
        made.append(
            exp.EQ(this=exp.paren(is_null(own.copy())), expression=exp.paren(is_null(its.copy())))
        )
    made += [exp.EQ(this=column(mark, rows), expression=column(mark, found)) for mark in marks]
    return all_of(made)


def marked(value: Sql, gap: Sql, dialect: Dialect, kind: Kind) -> Sql:
    """Return a value, null where a mark says that a gap is there."""
    return choose(gap, dialect.literal(None, kind), value)


def renamed(values: Sequence[tuple[Sql, str]]) -> list[Sql]:
    """Return values under names; a column that is called so already stays as it is."""
    return [
        value if isinstance(value, exp.Column) and value.name == name else called(value, name)
        for value, name in values
    ]
