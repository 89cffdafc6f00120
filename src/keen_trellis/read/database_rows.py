"""Which rows of a table are wanted: conditions that the database itself keeps them by."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import pyarrow as pa

from keen_trellis.data import Kind, from_arrow
from keen_trellis.data.kind_changes import changed_kind
from keen_trellis.errors import SourceError
from keen_trellis.read.database_values import Asked, as_text
from keen_trellis.read.server import RowCondition

if TYPE_CHECKING:
    import sqlalchemy as sa


def holds(
    column: sa.Column[Any], condition: RowCondition, dialect: str, where: str
) -> sa.ColumnElement[bool]:
    """Return a condition as the database understands it.

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
    if condition.is_ == "contains":
        text = column if isinstance(column.type, sa.String) else as_text(column, dialect)
        return text.contains(condition.value, autoescape=True)
    value = typed_value(Asked.of(column, dialect).kind, condition, where)
    compared: dict[str, sa.ColumnElement[bool]] = {
        "=": column == value,
        "<>": column != value,
        "<": column < value,
        "<=": column <= value,
        ">": column > value,
        ">=": column >= value,
    }
    return compared[condition.is_]


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
            f"“{condition.value}” is no {kind}, as “{condition.column}” of {where} is.",
            "Mend the condition.",
        )
    return changed.to_list()[0]
