"""Values that are typed into a step, as the kind of the column that they are meant for."""

from __future__ import annotations

from typing import Any

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.data import Kind

_INFINITE = ("inf", "-inf")  # as a column of numbers shows them


def typed(text: str, kind: Kind, column: str) -> Any:
    """Return a text as a value of a kind.

    Raises
    ------
    LinkError
        It is none.
    """
    if kind is Kind.TEXT:
        return text
    if kind is Kind.NUMBER and text in _INFINITE:  # no text of a source is taken for it
        return float(text)
    from keen_trellis.data import Column
    from keen_trellis.data.conversions.conversion import converted

    made = converted(Column.of([text], Kind.TEXT), kind)
    if len(made.lost):
        raise LinkError(
            tr("“{text}” is no {kind}, as “{column}” is.", text=text, kind=kind, column=column),
            tr("Type another value."),
        )
    return made.column.to_list()[0]
