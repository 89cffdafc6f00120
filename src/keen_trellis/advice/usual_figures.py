"""The figures that a table would usually be summarised to."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from keen_trellis.advice.names import is_key
from keen_trellis.data import Column, Kind, Table
from keen_trellis.plan.figures import Figure

_LOOKED_AT = 2_000


def usual_figures(table: Table, link: Collection[str]) -> tuple[Figure, ...]:
    """Return the sum of the likeliest amount, where there is one, and the number of rows.

    Parameters
    ----------
    link : collection of str
        The link fields, which are no amounts; nor is what is called a number or an id.
    """
    numbers = [f for f in table.fields if f.kind.is_numeric and f.name not in link]
    amounts = [field for field in numbers if not is_key(field.name)]
    own = table.fields[0].origin if table.fields else ""
    # what came of another lane repeats; numbers from one on are the rows'; and decimals are rather
    # amounts than integers are
    some = table.window(0, _LOOKED_AT)
    amounts.sort(
        key=lambda field: (
            field.origin != own,
            field.kind is Kind.INTEGER and _numbers_rows(some.fetch(field)),
            field.kind is Kind.INTEGER,
        )
    )
    chosen = [field.name for field in amounts[:1]]
    return (*(Figure(name) for name in chosen), Figure(None))


def _numbers_rows(column: Column) -> bool:
    """Whether every row has a number of its own, and none is left out between them."""
    values = np.unique(column.values)
    return len(values) == len(column) > 1 and int(values[-1]) - int(values[0]) == len(values) - 1
