"""How the values of each kind lie in memory."""

from __future__ import annotations

from typing import Any

import numpy as np

from keen_trellis.data.kinds import Kind

EXACT_DTYPE = np.dtype([("lo", "<u8"), ("hi", "<i8")])
"""One exact decimal: a 128-bit integer, to be read with the column's scale."""

DTYPES: dict[Kind, np.dtype[Any]] = {
    Kind.TEXT: np.dtype(np.int32),
    Kind.INTEGER: np.dtype(np.int64),
    Kind.NUMBER: np.dtype(np.float64),
    Kind.EXACT: EXACT_DTYPE,
    Kind.BOOLEAN: np.dtype(np.bool_),
    Kind.DATE: np.dtype(np.int32),
    Kind.DATE_TIME: np.dtype(np.int64),
    Kind.TIME: np.dtype(np.int64),
}
"""The dtype of a column's values.

Text is a code per row into a dictionary; dates are days since 1970-01-01; date-times are
microseconds since then, as the clock on the wall shows; times microseconds since midnight.
"""
