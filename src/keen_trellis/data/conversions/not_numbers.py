"""Values that are no amount, said wherever they become blanks."""

from __future__ import annotations

import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.base.language import tr_n
from keen_trellis.data.conversions.noticed import Noticed


def nan_noticed(values: pa.ChunkedArray | pa.Array, name: str) -> list[Noticed]:
    """Say how many values are not a number: they are blanks here."""
    if not pa.types.is_floating(values.type):
        return []
    found = int(pc.sum(pc.is_nan(values)).as_py() or 0)
    return [not_numbers(found, "NaN", name)] if found else []


def not_numbers(found: int, odd: object, name: str) -> Noticed:
    """Say that values are no amount and blank now."""
    words = tr_n(
        found,
        "{n:,} value of “{name}” is {odd}, which is no amount; it is blank now.",
        "{n:,} values of “{name}” are {odd}, which is no amount; they are blank now.",
        name=name,
        odd=odd,
    )
    return Noticed(words, found)
