"""Which rows of a table are wanted: conditions that the database itself keeps them by."""

from __future__ import annotations

import datetime as dt
import operator
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from keen_trellis.base.errors import SourceError
from keen_trellis.base.language import tr
from keen_trellis.data import Kind, from_arrow
from keen_trellis.data.conversions.kind_changes import changed_kind
from keen_trellis.servers.database_values import Asked, as_text, in_utc
from keen_trellis.servers.server import RowCondition

if TYPE_CHECKING:
    import sqlalchemy as sa


def holds(
    column: sa.Column[Any], condition: RowCondition, *, dialect: str, zone: str, where: str
) -> sa.ColumnElement[bool]:
    """Return a condition as the database understands it.

    Texts are compared letter by letter and ordered by code points, as everywhere else, whatever
    the column's own collation takes for equal. What is written about a moment with a time zone is
    meant as a clock in `zone` shows it.

    Raises
    ------
    SourceError
        Its value is none of the column's type.
    """
    import sqlalchemy as sa

    if condition.is_ == "is blank":
        return column.is_(None)
    if condition.is_ == "is not blank":
        return column.is_not(None)
    asked = Asked.of(column, dialect)
    kind = asked.kind
    if condition.is_ == "contains":
        letters, wanted = _letters(column, dialect), _letters(sa.literal(condition.value), dialect)
        if dialect == "postgresql":
            return sa.func.strpos(letters, wanted) > 0
        return sa.func.locate(wanted, letters) > 0
    if kind is Kind.DATE_TIME and is_whole_day(condition.value):
        day = typed_value(Kind.DATE, condition, where)
        begins, ends = (dt.datetime.combine(one, dt.time()) for one in (day, next_day(day)))
        if asked.zoned:
            begins, ends = in_utc(begins, zone), in_utc(ends, zone)
        if condition.is_ in ("=", "<>"):
            within = sa.and_(column >= begins, column < ends)
            return within if condition.is_ == "=" else sa.not_(within)
        sign, by_next = OF_DAYS[condition.is_]
        return _COMPARED[sign](column, ends if by_next else begins)
    if kind not in (None, Kind.TEXT):
        value = typed_value(kind, condition, where)
        if asked.zoned:
            value = in_utc(value, zone)
        return _COMPARED[condition.is_](column, value)
    # a CHAR of PostgreSQL is filled up with spaces, which a cast takes off
    is_filled = dialect == "postgresql" and isinstance(column.type, sa.CHAR)
    sought = condition.value.rstrip(" ") if is_filled else condition.value
    compared = _COMPARED[condition.is_]
    exactly = compared(_letters(column, dialect), _letters(sa.literal(sought), dialect))
    is_plain = isinstance(column.type, sa.String) and not isinstance(column.type, sa.Enum)
    if condition.is_ == "=" and is_plain:  # so it is for the collation, too, which has the index
        return sa.and_(column == sought, exactly)
    return exactly


def _letters(text: sa.ColumnElement[Any], dialect: str) -> sa.ColumnElement[Any]:
    """Return texts so that they are compared by their code points."""
    import sqlalchemy as sa

    plain = as_text(text, dialect)
    # UTF-8, as MariaDB is connected to, has the order of code points
    return sa.collate(plain, "C") if dialect == "postgresql" else sa.cast(plain, sa.BINARY())


OF_DAYS = {"<": ("<", False), "<=": ("<", True), ">": (">=", True), ">=": (">=", False)}
"""How a moment is compared with a day: by which sign, with its beginning or that of the next."""


def is_whole_day(written: str) -> bool:
    """Whether what a moment is compared with is a day, which is then the whole day."""
    return ":" not in written


def next_day(day: dt.date) -> dt.date:
    """Return the day behind another one; of the last one there is, the last."""
    return day + dt.timedelta(days=1) if day < dt.date.max else day


_COMPARED: dict[str, Callable[[Any, Any], sa.ColumnElement[bool]]] = {
    "=": operator.eq,
    "<>": operator.ne,
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}


def typed_value(kind: Kind | None, condition: RowCondition, where: str) -> Any:
    """Return a condition's value as one of the column's own kind.

    Raises
    ------
    SourceError
        It is none of that kind.
    """
    if kind is None or kind is Kind.TEXT:
        return condition.value
    as_text = from_arrow(pa.array([condition.value]))
    changed, unfit = changed_kind(as_text, kind, condition.column)
    if unfit is not None:
        raise SourceError(
            tr(
                "“{value}” is no {kind}, as “{column}” of {where} is.",
                value=condition.value,
                kind=kind,
                column=condition.column,
                where=where,
            ),
            tr("Mend the condition."),
        )
    return changed.to_list()[0]
