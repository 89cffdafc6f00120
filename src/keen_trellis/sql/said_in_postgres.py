"""Functions that PostgreSQL has as we mean them, so that no value has to travel for them.

Only with settings that are written in the formula: what a column could hold there, such as a length
below zero, ends with an error of the server where it is a blank here.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from sqlglot import exp

from keen_trellis.base.language import tr
from keen_trellis.data.kinds import Kind
from keen_trellis.plan.formulas import Applied, Constant, Valued
from keen_trellis.sql.dialects import Dialect, NotSaidError, Sql

_Values = Sequence[tuple[Sql, Kind]]
_Way = Callable[[_Values, Applied, Dialect], Sql]
_AT_MOST = 2**30
"""Its functions of texts count letters in 32 bits; sums of two counts stay within."""


def whole_number(formula: Valued) -> int | None:
    """Return an integer that is written in a formula, with its sign; None for all else."""
    sign = 1
    if isinstance(formula, Applied) and formula.function == "-" and len(formula.arguments) == 1:
        formula, sign = formula.arguments[0], -1
    if isinstance(formula, Constant) and formula.kind is Kind.INTEGER:
        return sign * int(formula.value) if formula.value is not None else None
    return None


def _written(formula: Applied, place: int) -> int:
    """Return an argument that is an integer of the formula; `NotSaidError` where it is none."""
    found = whole_number(formula.arguments[place])
    if found is not None and abs(found) < _AT_MOST:
        return found
    raise NotSaidError(tr("{function} of a column’s numbers", function=formula.function))


def _called(name: str, *arguments: Sql) -> Sql:
    return exp.Anonymous(this=name, expressions=list(arguments))


def _number(value: int) -> Sql:
    return exp.Literal.number(value) if value >= 0 else exp.Neg(this=exp.Literal.number(-value))


def _cut(name: str) -> _Way:
    """Return the way of LEFT or RIGHT: with a negative number all but the others."""
    return lambda values, formula, _: _called(name, values[0][0], _number(_written(formula, 1)))


def _substring(values: _Values, formula: Applied, _: Dialect) -> Sql:
    counts = [_written(formula, place) for place in range(1, len(values))]
    if counts[1:] and counts[1] < 0:
        raise NotSaidError("SUBSTRING")
    return _called("SUBSTRING", values[0][0], *map(_number, counts))


def _position(values: _Values, _: Applied, dialect: Dialect) -> Sql:
    return dialect.cast(_called("STRPOS", values[1][0], values[0][0]), Kind.INTEGER)


def _split_part(values: _Values, formula: Applied, _: Dialect) -> Sql:
    part = _written(formula, 2)
    if formula.settings or not part:
        raise NotSaidError("SPLIT_PART")
    return _called("SPLIT_PART", values[0][0], values[1][0], _number(part))


def _trim(values: _Values, formula: Applied, _: Dialect) -> Sql:
    side = str(formula.settings[0]) if formula.settings else "BOTH"
    name = {"BOTH": "BTRIM", "LEADING": "LTRIM", "TRAILING": "RTRIM"}[side]
    return _called(name, *(value for value, _ in values))


def _extract(values: _Values, formula: Applied, dialect: Dialect) -> Sql:
    part = str(formula.settings[0])
    if part == "SECOND":  # whose digits behind the mark are as many as are shown here
        raise NotSaidError("EXTRACT")
    found = exp.Extract(this=exp.Var(this=part), expression=values[0][0])
    return dialect.cast(found, Kind.INTEGER)


def _truncated(values: _Values, formula: Applied, dialect: Dialect) -> Sql:
    if not formula.settings:
        raise NotSaidError("TRUNC")
    ((value, kind),) = values
    # a date alone would be taken for a moment with a time zone
    moment = dialect.cast(value, Kind.DATE_TIME)
    begins = _called("DATE_TRUNC", exp.Literal.string(str(formula.settings[0])), moment)
    return dialect.cast(begins, kind)


SAID_IN_POSTGRES: Mapping[str, _Way] = {
    "LEFT": _cut("LEFT"),
    "RIGHT": _cut("RIGHT"),
    "SUBSTRING": _substring,
    "POSITION": _position,
    "SPLIT_PART": _split_part,
    "TRIM": _trim,
    "EXTRACT": _extract,
    "TRUNC": _truncated,
}
