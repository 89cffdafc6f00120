"""Conditions and formulas in SQL, where a dialect means by them exactly what we do.

What is said here gives the same value, the same blanks and no errors for every row. All else
raises `NotSaidError`: whoever asks leaves it to our own code, by the distinct values.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal
from functools import reduce
from typing import Any

from sqlglot import exp

from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.data.kinds import BY_DAY, NUMERIC, Kind
from keen_trellis.plan.expressions import Expression, Joint, Tested
from keen_trellis.plan.formulas import Applied, Cell, Constant, Valued
from keen_trellis.sql.dialects import POSTGRES, Dialect, NotSaidError, Sql
from keen_trellis.sql.relations import (
    Held,
    Relation,
    all_of,
    any_of,
    choose,
    column,
    is_null,
    not_null,
)
from keen_trellis.sql.said_in_postgres import SAID_IN_POSTGRES, whole_number

DEEPEST = 60
"""How deep a formula is written into a statement: a server's parser has a stack, too."""

SIGNS: dict[str, type[exp.Binary]] = {
    "=": exp.EQ,
    "<>": exp.NEQ,
    "<": exp.LT,
    "<=": exp.LTE,
    ">": exp.GT,
    ">=": exp.GTE,
}


def condition(asked: Expression, rows: Relation, dialect: Dialect, alias: str = "") -> Sql:
    """Return a condition on the rows of a relation: true, false or null as ours.

    Raises
    ------
    NotSaidError
        The dialect has no equal for it.
    """
    match asked:
        case Tested():
            return _tested(asked, rows.held(asked.column), dialect, alias)
        case Joint():
            parts = [condition(one, rows, dialect, alias) for one in asked.parts]
            return (all_of if asked.of == "all" else any_of)(parts) if parts else exp.true()
        case Valued():
            return value_of(asked, rows, dialect, alias)
    raise TypeError(f"{type(asked).__name__} is no condition.")


def _tested(asked: Tested, held: Held, dialect: Dialect, alias: str) -> Sql:
    cell = column(held.id, alias)
    if asked.test == "is blank":
        return is_null(cell)
    if asked.test == "is not blank":
        return not_null(cell)
    if not held.seen:  # nothing but blanks: every comparison is unknown
        return dialect.literal(None, Kind.BOOLEAN)
    if asked.test in ("contains", "begins with"):
        if asked.values[0] is None:
            return dialect.literal(None, Kind.BOOLEAN)
        part = dialect.literal(asked.values[0], Kind.TEXT)
        # letter by letter: LIKE would take % and _ for patterns, and a server its collation for
        # letters
        look = dialect.contains if asked.test == "contains" else dialect.begins_with
        return look(cell, part)
    if asked.test == "between":
        ends = [_compared_with(held, cell, v, dialect) for v in asked.values]
        return all_of(
            [
                exp.GTE(this=ends[0][0], expression=ends[0][1]),
                exp.LTE(this=ends[1][0], expression=ends[1][1]),
            ]
        )
    if asked.test == "in":
        found = [_compared_with(held, cell, value, dialect) for value in asked.values]
        # Values of one kind are compared with the cell as it is, those of another with the cell in
        # their kind: IN has one left side for all.
        if len({str(one.sql(dialect=dialect.name)) for one, _ in found}) == 1:
            return exp.In(this=found[0][0], expressions=[value for _, value in found])
        return any_of([exp.EQ(this=one, expression=value) for one, value in found])
    one, value = _compared_with(held, cell, asked.values[0], dialect)
    if asked.test in ("=", "<>"):
        return SIGNS[asked.test](this=one, expression=value)
    return SIGNS[asked.test](this=dialect.in_order(one, held.kind), expression=value)


def _compared_with(held: Held, cell: Sql, value: Any, dialect: Dialect) -> tuple[Sql, Sql]:
    """Return a cell and a constant of the document as they are compared.

    Amounts are compared by value, a date with a date-time by the day.
    """
    cell = cell.copy()
    if value is None:
        return cell, dialect.literal(None, held.kind)
    kind = _kind_of(value)
    if kind is held.kind:
        return cell, dialect.literal(value, kind)
    if {kind, held.kind} == set(BY_DAY):
        day = value.date() if kind is Kind.DATE_TIME else value
        by_day = cell if held.kind is Kind.DATE else dialect.cast(cell, Kind.DATE)
        return by_day, dialect.literal(day, Kind.DATE)
    if kind not in NUMERIC or held.kind not in NUMERIC:
        raise NotSaidError(tr("{kind} compared with {kind_2}", kind=held.kind, kind_2=kind))
    exact = Decimal(repr(value)) if isinstance(value, float) else Decimal(value)
    if held.kind is not Kind.NUMBER:
        return cell, dialect.exact(exact)
    # doubles stand in the order of the decimals that they are shown as, so a decimal that is
    # what some double is shown as is compared as that double
    if Decimal(repr(float(exact))) == exact:
        return cell, dialect.literal(float(exact), Kind.NUMBER)
    return dialect.as_exact(cell, Kind.NUMBER), dialect.exact(exact)


def _kind_of(value: Any) -> Kind:
    """Return the kind of a constant of the document."""
    for sort, kind in _SORTS:
        if isinstance(value, sort):
            return kind
    raise TypeError(f"{type(value).__name__} is no constant of a document.")


_SORTS: tuple[tuple[type, Kind], ...] = (  # who comes first is also of a later one
    (str, Kind.TEXT),
    (bool, Kind.BOOLEAN),
    (int, Kind.INTEGER),
    (float, Kind.NUMBER),
    (Decimal, Kind.EXACT),
    (dt.datetime, Kind.DATE_TIME),
    (dt.date, Kind.DATE),
    (dt.time, Kind.TIME),
)


def comparable_values(
    a: tuple[Sql, Held], b: tuple[Sql, Held], dialect: Dialect
) -> tuple[Sql, Sql]:
    """Return two cells as they are compared: of one kind as they are, amounts by value.

    A date meets a date-time by its day.

    Parameters
    ----------
    a, b : (Sql, Held)
    dialect : Dialect

    Raises
    ------
    NotSaidError
        The dialect has no way to compare them as we do.
    """
    (one, first), (other, second) = a, b
    kinds = first.kind, second.kind
    if kinds[0] is kinds[1]:
        return one, other
    # the day of a moment is compared, not a moment of the day
    if set(kinds) == set(BY_DAY):
        made = [
            value if held.kind is Kind.DATE else dialect.cast(value, Kind.DATE)
            for value, held in (a, b)
        ]
        return made[0], made[1]
    if all(kind in NUMERIC for kind in kinds):
        return dialect.as_exact(one, kinds[0]), dialect.as_exact(other, kinds[1])
    raise NotSaidError(tr("{kinds_1} compared with {kinds_2}", kinds_1=kinds[0], kinds_2=kinds[1]))


def value_of(formula: Valued, rows: Relation, dialect: Dialect, alias: str = "") -> Sql:
    """Return the value of a formula for the rows of a relation.

    Whether a null of it is a blank or a gap is not said: whoever keeps it asks only for columns
    that have no gaps.

    Raises
    ------
    NotSaidError
        The dialect has no equal for it.
    """
    match formula:
        case Cell():
            held = rows.held(formula.column)
            found = column(held.id, alias)
            return found if held.seen else dialect.cast(found, formula.kind)
        case Constant():
            return dialect.literal(formula.value, formula.kind)
        case Applied():
            return _applied(formula, rows, dialect, alias)
    raise TypeError(f"{type(formula).__name__} has no value for rows.")


def _applied(formula: Applied, rows: Relation, dialect: Dialect, alias: str) -> Sql:
    if formula.function == "IS GAP":
        (of,) = formula.arguments
        if not isinstance(of, Cell):
            raise NotSaidError(tr("a gap that is no cell"))
        gap = rows.held(of.column).gap
        return column(gap, alias) if gap else exp.false()
    if (number := whole_number(formula)) is not None:
        return dialect.literal(number, Kind.INTEGER)
    way = SAID_THERE.get(formula.function)
    if way is None and dialect is POSTGRES:
        way = SAID_IN_POSTGRES.get(formula.function)
    if way is None:
        raise NotSaidError(formula.function)
    values = [(value_of(one, rows, dialect, alias), one.kind) for one in formula.arguments]
    return way(values, formula, dialect)


_Values = Sequence[tuple[Sql, Kind]]
_Way = Callable[[_Values, Applied, Dialect], Sql]


def _as_held(value: tuple[Sql, Kind]) -> tuple[Sql, Held]:
    return value[0], Held("", value[1], "")


def _compares(sign: str) -> _Way:
    def compared(values: _Values, _: Applied, dialect: Dialect) -> Sql:
        one, other = comparable_values(_as_held(values[0]), _as_held(values[1]), dialect)
        if sign not in ("=", "<>"):
            one = dialect.in_order(one, values[0][1])
        return SIGNS[sign](this=exp.paren(one), expression=exp.paren(other))

    return compared


def _distinct(values: _Values, _: Applied, dialect: Dialect) -> Sql:
    one, other = comparable_values(_as_held(values[0]), _as_held(values[1]), dialect)
    return exp.Not(this=exp.paren(dialect.same(one, other)))


def _joint(put: Callable[[Sequence[Sql]], Sql]) -> _Way:
    return lambda values, _, __: exp.paren(put([value for value, _ in values]))


def _is_true(values: _Values, _: Applied, dialect: Dialect) -> Sql:
    # Unknown is not true.
    return exp.Coalesce(this=values[0][0], expressions=[exp.false()])


def _of_one_kind(values: _Values, kind: Kind, dialect: Dialect) -> list[Sql]:
    """Return values in the one kind that is given; only what loses nothing on the way."""
    made = []
    for value, own in values:
        if own is kind:
            made.append(value)
        elif (own is Kind.INTEGER and kind is Kind.EXACT) or (own, kind) == BY_DAY:
            made.append(dialect.cast(value, kind))
        else:
            raise NotSaidError(tr("{own} as {kind}", own=own, kind=kind))
    return made


def _case(values: _Values, formula: Applied, dialect: Dialect) -> Sql:
    # a condition and a value in turn, and at the end the value behind ELSE, if there is one
    conditions, behind = values[0::2], values[1::2]
    rest = values[-1:] if len(values) % 2 else ()
    made = _of_one_kind([*behind, *rest], formula.kind, dialect)
    arms = [
        exp.If(this=asked, true=value)
        for (asked, _), value in zip(conditions, made[: len(behind)], strict=False)
    ]
    return exp.Case(ifs=arms, default=made[-1] if rest else None)


def _coalesce(values: _Values, formula: Applied, dialect: Dialect) -> Sql:
    first, *others = _of_one_kind(values, formula.kind, dialect)
    return exp.Coalesce(this=first, expressions=others)


def _nullif(values: _Values, formula: Applied, dialect: Dialect) -> Sql:
    one, other = comparable_values(_as_held(values[0]), _as_held(values[1]), dialect)
    equal = exp.EQ(this=exp.paren(one), expression=exp.paren(other))
    return choose(equal, dialect.literal(None, formula.kind), values[0][0])


def _arithmetic(values: _Values, formula: Applied, dialect: Dialect) -> Sql:
    kinds = [kind for _, kind in values]
    # Decimals have other scales in each dialect, and doubles other roundings: those are worked out
    # by our own code.
    if kinds != [Kind.INTEGER, Kind.INTEGER]:
        raise NotSaidError(
            tr("{function} of {kinds}", function=formula.function, kinds=listed(kinds))
        )
    return dialect.whole(formula.function, values[0][0], values[1][0])


def _joined(values: _Values, _: Applied, dialect: Dialect) -> Sql:
    return exp.DPipe(this=exp.paren(values[0][0]), expression=exp.paren(values[1][0]), safe=False)


def _length(values: _Values, _: Applied, dialect: Dialect) -> Sql:
    return dialect.cast(exp.Anonymous(this="CHAR_LENGTH", expressions=[values[0][0]]), Kind.INTEGER)


SAID_THERE: Mapping[str, _Way] = {
    **{sign: _compares(sign) for sign in SIGNS},
    "IS DISTINCT FROM": _distinct,
    "AND": _joint(all_of),
    "OR": _joint(any_of),
    "NOT": lambda values, _, __: exp.Not(this=exp.paren(values[0][0])),
    "IS NULL": lambda values, _, __: is_null(exp.paren(values[0][0])),
    "IS TRUE": _is_true,
    "CASE": _case,
    "COALESCE": _coalesce,
    "NULLIF": _nullif,
    "+": _arithmetic,
    "-": _arithmetic,
    "*": _arithmetic,
    "||": _joined,
    "CHAR_LENGTH": _length,
}
"""What both dialects say as we mean it; `+`, `-` and `*` of integers alone."""


def depth(formula: Expression) -> int:
    """Return how deep a formula is: a statement must not be deeper than servers read."""
    if not isinstance(formula, Valued):
        return 1
    return 1 + reduce(max, (depth(part) for part in formula.parts()), 0)
