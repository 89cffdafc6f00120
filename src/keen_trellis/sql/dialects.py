"""What two dialects of SQL say differently: types, the order of texts, literals, arithmetic."""

from __future__ import annotations

import datetime as dt
import math
from abc import ABC, abstractmethod
from decimal import Decimal, localcontext
from fractions import Fraction
from functools import cache
from typing import Any, ClassVar

from sqlglot import exp

from keen_trellis.base.errors import NotThereError
from keen_trellis.base.language import tr
from keen_trellis.data.kinds import Kind
from keen_trellis.sql.digits import EXACT_BEFORE, EXACT_BEHIND

Sql = exp.Expr
"""Any part of a statement."""

_NOTHING: dict[Kind, Any] = {
    Kind.TEXT: "",
    Kind.INTEGER: 0,
    Kind.NUMBER: 0.0,
    Kind.EXACT: Decimal(0),
    Kind.BOOLEAN: False,
    Kind.DATE: dt.date(1970, 1, 1),
    Kind.DATE_TIME: dt.datetime(1970, 1, 1),
    Kind.TIME: dt.time(0),
}


class NotSaidError(Exception):
    """A dialect has no equal for something; whoever asked leaves it to our own code."""


class Dialect(ABC):
    """One dialect of SQL.

    Attributes
    ----------
    name : str
        What sqlglot calls it.
    title : str
        What people call it.
    name_bytes : int
        How long the name of a column may be.
    divides_exact : bool
        Whether it divides exact decimals with all the digits that a double needs.
    joins_null_safe : bool
        Whether it joins by an equality that takes two nulls for equal as fast as by any other.
    explodes : bool
        Whether it parts a text by EXPLODE; else by UNNEST.
    keeps_levels : bool
        Whether it can be told to work a query out before what stands over it (MATERIALIZED).
    """

    divides_exact: ClassVar[bool] = True
    joins_null_safe: ClassVar[bool] = False
    explodes: ClassVar[bool] = False
    keeps_levels: ClassVar[bool] = False
    name: str
    title: str
    name_bytes: int
    types: ClassVar[dict[Kind, str]]

    def type_of(self, kind: Kind) -> exp.DataType:
        """Return the type that holds a kind."""
        return _type(self.types[kind], self.name).copy()

    def cast(self, value: Sql, kind: Kind) -> Sql:
        """Return a value in the type of a kind, which must hold it."""
        return exp.Cast(this=value, to=self.type_of(kind))

    def literal(self, value: Any, kind: Kind) -> Sql:
        """Return a value of a kind; None is a null of its type.

        Raises
        ------
        NotSaidError
            The dialect cannot hold it.
        """
        if value is None:
            return self.cast(exp.Null(), kind)
        match kind:
            case Kind.TEXT:
                if "\0" in value:
                    raise NotSaidError(tr("a text with the sign of number 0"))
                return exp.Literal.string(value)
            case Kind.BOOLEAN:
                return exp.Boolean(this=bool(value))
            case Kind.NUMBER:
                return self.cast(exp.Literal.string(_double(value)), kind)
            case Kind.EXACT:
                return self.exact(Decimal(value))
            case Kind.DATE_TIME:
                return self.cast(exp.Literal.string(value.isoformat(" ")), kind)
            case Kind.TIME:
                return self.time(value)
            case _:
                return self.cast(exp.Literal.string(str(value)), kind)

    def nothing(self, kind: Kind) -> Sql:
        """Return some value of a kind, to stand beneath a null."""
        return self.literal(_NOTHING[kind], kind)

    def exact(self, value: Decimal) -> Sql:
        """Return an exact decimal."""
        return self.cast(exp.Literal.string(f"{value:f}"), Kind.EXACT)

    def time(self, value: dt.time) -> Sql:
        """Return a time of day."""
        return self.cast(exp.Literal.string(value.isoformat()), Kind.TIME)

    def in_order(self, value: Sql, kind: Kind) -> Sql:
        """Return what stands in our order: texts by their code points."""
        return value

    def same(self, a: Sql, b: Sql) -> Sql:
        """Return whether two values are equal, or both null."""
        return exp.NullSafeEQ(this=a, expression=b)

    @abstractmethod
    def as_exact(self, value: Sql, kind: Kind) -> Sql:
        """Return an amount as the exact decimal that it is shown as."""

    @abstractmethod
    def whole(self, function: str, a: Sql, b: Sql) -> Sql:
        """Return the sum, difference or product of integers; null where 64 bits do not hold it."""

    @abstractmethod
    def contains(self, text: Sql, part: Sql) -> Sql:
        """Return whether a text has a part."""

    @abstractmethod
    def begins_with(self, text: Sql, part: Sql) -> Sql:
        """Return whether a text begins with another."""

    @abstractmethod
    def furthest(self, value: Sql, kind: Kind, largest: bool) -> Sql:
        """Return the least or largest value of a group."""

    @abstractmethod
    def at_end(self, value: Sql, kind: Kind, place: Sql, last: bool) -> Sql:
        """Return the first or last value of a group that is not null, by the places of rows."""

    @abstractmethod
    def distance_at_most(self, one: Sql, other: Sql, kind: Kind, limit: Fraction) -> Sql:
        """Return whether two values of a kind lie no farther apart than a limit.

        It is in days for dates, in seconds for date-times and times, else a number.
        """

    def text(self, query: Sql, pretty: bool = True) -> str:
        """Return a statement as the dialect writes it."""
        return query.sql(dialect=self.name, pretty=pretty, comments=True)


class Postgres(Dialect):
    """PostgreSQL, from version 14 on."""

    name, title, name_bytes = "postgres", "PostgreSQL", 63
    keeps_levels = True
    types: ClassVar[dict[Kind, str]] = {
        Kind.TEXT: "text",
        Kind.INTEGER: "bigint",
        Kind.NUMBER: "double precision",
        Kind.EXACT: "numeric",
        Kind.BOOLEAN: "boolean",
        Kind.DATE: "date",
        Kind.DATE_TIME: "timestamp",
        Kind.TIME: "time",
    }

    def in_order(self, value: Sql, kind: Kind) -> Sql:
        """Return what stands in our order: texts by their code points."""
        if kind is not Kind.TEXT:
            return value
        return exp.Collate(this=value, expression=exp.to_identifier("C", quoted=True))

    def as_exact(self, value: Sql, kind: Kind) -> Sql:
        """Return an amount as the exact decimal that it is shown as."""
        if kind is Kind.NUMBER:  # its shortest text; a cast alone would keep fifteen digits
            value = self.cast(value, Kind.TEXT)
        return value if kind is Kind.EXACT else self.cast(value, Kind.EXACT)

    def whole(self, function: str, a: Sql, b: Sql) -> Sql:
        """Return the sum, difference or product of integers; null where 64 bits do not hold it."""
        # A numeric has room for every result of two bigints, so that nothing overflows before it is
        # looked at.
        made = _WHOLE[function](this=self.cast(a, Kind.EXACT), expression=b)
        found = exp.Column(
            this=exp.Identifier(this="n", quoted=True), table=exp.Identifier(this="w", quoted=True)
        )
        fits = exp.Between(
            this=found.copy(),
            low=exp.Literal.number(-(2**63)),
            high=exp.Literal.number(2**63 - 1),
        )
        within = exp.Case(ifs=[exp.If(this=fits, true=self.cast(found, Kind.INTEGER))])
        # OFFSET 0 keeps the sum from being written in twice, and nested ones from doubling
        zero = exp.Offset(expression=exp.Literal.number(0))
        named = exp.Alias(this=made, alias=exp.Identifier(this="n", quoted=True))
        inner = exp.Select(expressions=[named], offset=zero)
        alias = exp.TableAlias(this=exp.Identifier(this="w", quoted=True))
        source = exp.From(this=exp.Subquery(this=inner, alias=alias))
        return exp.Subquery(this=exp.Select(expressions=[within], from_=source))

    def contains(self, text: Sql, part: Sql) -> Sql:
        """Return whether a text has a part."""
        return exp.GT(this=exp.func("STRPOS", text, part), expression=exp.Literal.number(0))

    def begins_with(self, text: Sql, part: Sql) -> Sql:
        """Return whether a text begins with another."""
        return exp.Anonymous(this="STARTS_WITH", expressions=[text, part])

    def distance_at_most(self, one: Sql, other: Sql, kind: Kind, limit: Fraction) -> Sql:
        """Return whether two values of a kind lie no farther apart than a limit."""
        if kind is Kind.DATE:
            apart: Sql = exp.Sub(this=one, expression=other)
        elif kind in (Kind.DATE_TIME, Kind.TIME):
            # EXTRACT(EPOCH FROM interval) is a numeric from version 14 on: exact to the
            # microsecond.
            between = exp.paren(exp.Sub(this=one, expression=other))
            apart = exp.Extract(this=exp.Var(this="EPOCH"), expression=between)
        else:
            amounts = (self.as_exact(value.copy(), kind) for value in (one, other))
            apart = exp.Sub(**dict(zip(("this", "expression"), amounts, strict=True)))
        far = exp.LTE(this=exp.Abs(this=apart), expression=self.exact(_decimal(limit)))
        # infinity is no way from itself, though its difference is no number
        equal = exp.EQ(this=one.copy(), expression=other.copy())
        return exp.paren(exp.or_(equal, far, copy=False)) if kind is Kind.NUMBER else far

    def furthest(self, value: Sql, kind: Kind, largest: bool) -> Sql:
        """Return the least or largest value of a group."""
        if kind is Kind.BOOLEAN:
            # MIN and MAX take no boolean there; any true is the largest, all true the least.
            name = "BOOL_OR" if largest else "BOOL_AND"
            return exp.Anonymous(this=name, expressions=[value])
        return (exp.Max if largest else exp.Min)(this=self.in_order(value, kind))

    def at_end(self, value: Sql, kind: Kind, place: Sql, last: bool) -> Sql:
        """Return the first or last value of a group that is not null, by the places of rows."""
        order = exp.Order(
            this=value, expressions=[exp.Ordered(this=place, desc=last, nulls_first=False)]
        )
        # FIRST_VALUE is no aggregate there: the first of an array in order is, and the filter
        # leaves out nulls.
        present = exp.Filter(
            this=exp.ArrayAgg(this=order),
            expression=exp.Where(
                this=exp.Not(this=exp.Is(this=value.copy(), expression=exp.Null()))
            ),
        )
        return exp.Bracket(this=exp.paren(present), expressions=[exp.Literal.number(1)], offset=1)


class Spark(Dialect):
    """Apache Spark from version 4 on, in ANSI mode and with names told apart by their case."""

    name, title, name_bytes = "spark", "Spark", 10_000
    divides_exact, joins_null_safe, explodes = False, True, True
    types: ClassVar[dict[Kind, str]] = {
        Kind.TEXT: "string",
        Kind.INTEGER: "bigint",
        Kind.NUMBER: "double",
        Kind.EXACT: f"decimal({EXACT_BEFORE + EXACT_BEHIND}, {EXACT_BEHIND})",
        Kind.BOOLEAN: "boolean",
        Kind.DATE: "date",
        Kind.DATE_TIME: "timestamp_ntz",
        Kind.TIME: "bigint",  # microseconds of the day
    }

    def exact(self, value: Decimal) -> Sql:
        """Return an exact decimal.

        Raises
        ------
        NotSaidError
            It has more digits than a decimal there.
        """
        if -int(value.as_tuple().exponent) > EXACT_BEHIND or abs(value) >= 10**EXACT_BEFORE:
            raise NotSaidError(
                tr(
                    "a decimal of more than {exact_before}+{exact_behind} digits",
                    exact_before=EXACT_BEFORE,
                    exact_behind=EXACT_BEHIND,
                )
            )
        return super().exact(value)

    def time(self, value: dt.time) -> Sql:
        """Return a time of day."""
        micros = ((value.hour * 60 + value.minute) * 60 + value.second) * 1_000_000
        return self.cast(exp.Literal.number(micros + value.microsecond), Kind.TIME)

    def as_exact(self, value: Sql, kind: Kind) -> Sql:
        """Return an amount as the exact decimal that it is shown as.

        Raises
        ------
        NotSaidError
            It is a number, whose shortest decimal Spark does not tell.
        """
        if kind is Kind.NUMBER:
            raise NotSaidError(tr("the shortest decimal of a number"))
        return value if kind is Kind.EXACT else self.cast(value, Kind.EXACT)

    def whole(self, function: str, a: Sql, b: Sql) -> Sql:
        """Return the sum, difference or product of integers; null where 64 bits do not hold it."""
        # In ANSI mode a plain sum of bigints ends the query where it overflows; these give null.
        names = {"+": "TRY_ADD", "-": "TRY_SUBTRACT", "*": "TRY_MULTIPLY"}
        return exp.Anonymous(this=names[function], expressions=[a, b])

    def contains(self, text: Sql, part: Sql) -> Sql:
        """Return whether a text has a part."""
        return exp.Anonymous(this="CONTAINS", expressions=[text, part])

    def begins_with(self, text: Sql, part: Sql) -> Sql:
        """Return whether a text begins with another."""
        return exp.Anonymous(this="STARTSWITH", expressions=[text, part])

    def distance_at_most(self, one: Sql, other: Sql, kind: Kind, limit: Fraction) -> Sql:
        """Return whether two values of a kind lie no farther apart than a limit.

        Raises
        ------
        NotSaidError
            Values of the kind have no distance there.
        """
        if kind is Kind.DATE:
            apart: Sql = exp.Anonymous(this="DATEDIFF", expressions=[one, other])
        elif kind is Kind.DATE_TIME:
            unit = exp.Var(this="MICROSECOND")
            apart = exp.Anonymous(this="TIMESTAMPDIFF", expressions=[unit, other, one])
            limit = limit * 1_000_000
        elif kind in (Kind.TIME, Kind.INTEGER):
            wide = exp.DataType.build("decimal(20, 0)", dialect=self.name)
            apart = exp.Sub(
                this=exp.Cast(this=one, to=wide), expression=exp.Cast(this=other, to=wide.copy())
            )
            limit = limit * 1_000_000 if kind is Kind.TIME else limit
        else:
            raise NotSaidError(tr("of {kind}", kind=kind))
        # Distances of these kinds are whole, so that what stands behind the mark of a limit decides
        # nothing.
        at_most = min(math.floor(limit), 2**63 - 1)
        return exp.LTE(this=exp.Abs(this=apart), expression=exp.Literal.number(at_most))

    def furthest(self, value: Sql, kind: Kind, largest: bool) -> Sql:
        """Return the least or largest value of a group."""
        return (exp.Max if largest else exp.Min)(this=value)

    def at_end(self, value: Sql, kind: Kind, place: Sql, last: bool) -> Sql:
        """Return the first or last value of a group that is not null, by the places of rows."""
        is_null = exp.Is(this=value.copy(), expression=exp.Null())
        name = "MAX_BY" if last else "MIN_BY"
        # the place of a null is null, and such a one is passed over
        own = exp.Case(ifs=[exp.If(this=exp.Not(this=is_null), true=place)])
        return exp.Anonymous(this=name, expressions=[value, own])


POSTGRES, SPARK = Postgres(), Spark()
DIALECTS: dict[str, Dialect] = {one.name: one for one in (POSTGRES, SPARK)}
"""Every dialect by its name."""


def _decimal(limit: Fraction) -> Decimal:
    """Return a limit, which was written as a decimal, as that."""
    with localcontext(prec=400):
        return Decimal(limit.numerator) / Decimal(limit.denominator)


_WHOLE: dict[str, type[exp.Binary]] = {"+": exp.Add, "-": exp.Sub, "*": exp.Mul}


def not_there(dialect: Dialect, what: str, remedy: str) -> NotThereError:
    """Return the refusal of what a dialect cannot do as we do."""
    return NotThereError(
        tr("{title} has no equal for {what}.", title=dialect.title, what=what), remedy
    )


def _double(value: float) -> str:
    if math.isinf(value):
        return "Infinity" if value > 0 else "-Infinity"
    return repr(float(value))


@cache
def _type(name: str, dialect: str) -> exp.DataType:
    return exp.DataType.build(name, dialect=dialect)
