"""What expressions give for the rows of a table: for each row true, false or unknown."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import reduce
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.compute.formula.logic import COMPARED_AS_THEY_ARE, SIGNS
from keen_trellis.compute.join.comparable_columns import in_one_kind, met, order_keys
from keen_trellis.compute.join.keys import codes_of
from keen_trellis.data import Column, Kind, Table
from keen_trellis.data.kinds import comparable
from keen_trellis.plan.expressions import Expression, Joint, Tested
from keen_trellis.plan.formulas import Valued

Flags = NDArray[np.bool_]


@dataclass(frozen=True, slots=True, eq=False)
class Truth:
    """The value of an expression for each row.

    Attributes
    ----------
    true, false : ndarray of bool
        Never both; where neither is, the value is unknown.
    """

    true: Flags
    false: Flags


def truth(expression: Expression, table: Table, faults: dict[str, Flags] | None = None) -> Truth:
    """Return for each row whether an expression is true, false or unknown.

    Parameters
    ----------
    expression, table
    faults : dict, optional
        Takes the rows for which a formula could not be worked out, by the reason.

    Raises
    ------
    UnknownColumnError
        The table does not have a column that is looked at.
    LinkError
        A column is compared with values of a kind that it cannot be compared with.
    """
    match expression:
        case Tested():
            return truth_of(table.column(expression.column), expression)
        case Joint():
            parts = [truth(part, table, faults) for part in expression.parts]
            if not parts:  # nothing is asked
                return Truth(np.ones(len(table), bool), np.zeros(len(table), bool))
            return reduce(_both if expression.of == "all" else _either, parts)
        case Valued():
            return _of_formula(expression, table, faults)
    raise TypeError(f"{type(expression).__name__} has no value for rows.")


def _of_formula(formula: Valued, table: Table, faults: dict[str, Flags] | None) -> Truth:
    """Return the truth of a formula; where it cannot be worked out, it is unknown."""
    from keen_trellis.compute.formula.evaluate import evaluated

    found = evaluated(formula, table)
    column = found.column
    if faults is not None:
        faults |= found.faults
    if column.absent is None:
        return Truth(column.values, ~column.values)
    return Truth(column.values & ~column.absent, ~column.values & ~column.absent)


def filtered(table: Table, condition: Expression, column: str | None = None) -> Table:
    """Return the rows for which a condition is true: not false, and not unknown.

    Blanks and gaps fulfil only “is blank”.

    Parameters
    ----------
    table : Table
    condition : Expression
    column : str, optional
        With a test of one column the column to look at, where it is not called as in the test.

    Raises
    ------
    UnknownColumnError
        The table has no such column.
    LinkError
        The values are of a kind that the column cannot be compared with.
    """
    if column is not None and isinstance(condition, Tested):
        held = truth_of(table.column(column), condition)
    else:
        held = truth(condition, table)
    return table.take(np.flatnonzero(held.true))


def truth_of(column: Column, asked: Tested) -> Truth:
    """Return for each cell whether a test of it is true, false or unknown."""
    absent = column.absent
    blank = np.zeros(len(column), bool) if absent is None else absent
    if asked.test in ("is blank", "is not blank"):
        return Truth(blank, ~blank) if asked.test == "is blank" else Truth(~blank, blank)
    if asked.test == "between":
        low = Tested(asked.column, ">=", asked.values[:1])
        high = Tested(asked.column, "<=", asked.values[1:])
        return _both(truth_of(column, low), truth_of(column, high))
    known_values = [value for value in asked.values if value is not None]
    is_open = len(known_values) < len(asked.values)  # one of them may be what a cell is
    if not known_values:
        nothing = np.zeros(len(column), bool)
        return Truth(nothing, nothing)
    column, values = _comparable(column, known_values, asked)
    found = _at_once(column, values, asked.test)
    if found is None:
        found = _TESTS[asked.test](column, values)
    if absent is None and not is_open:
        return Truth(found, ~found)
    no_more = ~found & ~blank
    return Truth(found & ~blank, no_more & (not is_open))


def _at_once(column: Column, values: Column, test: str) -> Flags | None:
    """Return the answer where nothing has to be turned into keys first, else None."""
    found: Flags
    if column.kind is Kind.TEXT and test in ("=", "in", "<>"):
        held = pc.is_in(column.dictionary, value_set=values.dictionary)
        flags = np.append(held.to_numpy(zero_copy_only=False), False)
        found = flags[column.values]  # -1 finds the last
        return ~found if test == "<>" else found
    if column.kind is values.kind and column.kind in COMPARED_AS_THEY_ARE and test in SIGNS:
        found = SIGNS[test](column.values, values.values[0])
        return found
    return None


def _both(a: Truth, b: Truth) -> Truth:
    return Truth(a.true & b.true, a.false | b.false)


def _either(a: Truth, b: Truth) -> Truth:
    return Truth(a.true | b.true, a.false & b.false)


def _comparable(column: Column, values: Sequence[Any], asked: Tested) -> tuple[Column, Column]:
    try:
        made = Column.of(list(values))
    except TypeError as error:
        raise LinkError(
            tr("“{asked}” compares with values of several kinds.", asked=asked)
        ) from error
    column, made = met(column, made)
    if not comparable(made.kind, column.kind):
        raise LinkError(
            tr(
                "“{asked}” compares {kind} with {made_kind}.",
                asked=asked,
                kind=column.kind,
                made_kind=made.kind,
            ),
            tr("Give a value that is {kind}.", kind=column.kind),
        )
    return column, made


def _is_in(column: Column, values: Column) -> Flags:
    codes = codes_of(column, values)
    wanted = np.zeros(codes.size + 1, bool)
    wanted[codes.right[codes.right >= 0]] = True
    wanted[-1] = False  # where the code of cells without a value points
    found: Flags = wanted[codes.left]
    return found


def _is_not(column: Column, values: Column) -> Flags:
    return ~_is_in(column, values)


def _ordered(compare: Callable[[Any, Any], Any]) -> Callable[[Column, Column], Flags]:
    def compared(column: Column, values: Column) -> Flags:
        keys = order_keys(*in_one_kind(column, values))
        found: Flags = compare(keys.left, keys.right[0])
        return found

    return compared


def _of_texts(
    look: Callable[..., pa.BooleanArray],
) -> Callable[[Column, Column], Flags]:
    """Return a test that looks at each distinct text once."""

    def tested(column: Column, values: Column) -> Flags:
        if column.kind is not Kind.TEXT or column.dictionary is None:
            raise LinkError(tr("Only a text contains another; this is {kind}.", kind=column.kind))
        held = look(column.dictionary, pattern=values.text(0)).to_numpy(zero_copy_only=False)
        found: Flags = np.append(held.astype(bool), False)[column.values]  # -1 finds the last
        return found

    return tested


_TESTS: dict[str, Callable[[Column, Column], Flags]] = {
    "=": _is_in,
    "in": _is_in,
    "<>": _is_not,
    "<": _ordered(np.less),
    "<=": _ordered(np.less_equal),
    ">": _ordered(np.greater),
    ">=": _ordered(np.greater_equal),
    "contains": _of_texts(pc.match_substring),
    "begins with": _of_texts(pc.starts_with),
}
