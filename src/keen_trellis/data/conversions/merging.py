"""Texts that become one value though they are written differently: 1.10 and 1.1, 8:30 and 08:30.

Reading loses such a difference, so it is looked for wherever texts become values, and said.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.data.column import Column, narrow_exact
from keen_trellis.data.conversions.written_forms import may_hold
from keen_trellis.data.kinds import Kind

_ODD_SIGNS = (*"eE+,'", " ", "\u00a0", "\u202f")
"""What a number may hold beside digits, a minus and a point."""


@dataclass(frozen=True, slots=True, eq=False)
class Merged:
    """Rows whose text stands for the same value as another text of the column.

    Attributes
    ----------
    rows : ndarray of row numbers
    texts : tuple of two str
        Two that become one value, the first one standing in the first of the rows.
    """

    rows: NDArray[np.intp]
    texts: tuple[str, str]


def merged_texts(texts: pa.Array | pa.ChunkedArray, values: Column) -> Merged | None:
    """Return where texts became equal that were not; None where every text has its own value.

    Parameters
    ----------
    texts : Array or ChunkedArray of string, shape (n,)
    values : Column of n values
        What was made of them.

    Notes
    -----
    Linear in the rows. Which rows can be concerned is told by the first and last letters alone;
    usually none, and then no text is compared with another.
    """
    if values.kind is Kind.TEXT or not len(values):
        return None
    whole = texts if isinstance(texts, pa.ChunkedArray) else pa.chunked_array([texts])
    array = whole.chunk(0) if whole.num_chunks == 1 else whole.combine_chunks()
    there = np.ones(len(values), np.bool_) if values.absent is None else ~values.absent
    sortable = _as_integers(values)
    odd = _oddly_written(array, sortable, values.kind) & there
    if not odd.any():
        return None
    # Only a text that is not written in the one usual way can be equal to another one.
    rows = np.flatnonzero(np.isin(sortable, np.unique(sortable[odd])) & there)
    codes = array.take(pa.array(rows)).dictionary_encode()
    code = codes.indices.to_numpy(zero_copy_only=False)
    # each value by its rank, each text by its code: a row whose code is not that of the first row
    # of its value is written otherwise
    _, value = np.unique(sortable[rows], return_inverse=True)
    first = np.zeros(value.max() + 1, code.dtype)
    first[value[::-1]] = code[::-1]  # written from the last row on, so that the first one stays
    differs = code != first[value]
    if not differs.any():
        return None
    is_merged = np.zeros(len(first), np.bool_)
    is_merged[value[differs]] = True
    concerned = is_merged[value]
    # an example: the first value that is concerned, and the first row that has it otherwise
    at = int(np.flatnonzero(differs & (value == value[np.flatnonzero(concerned)[0]]))[0])
    pair = codes.dictionary[int(first[value[at]])].as_py(), codes.dictionary[int(code[at])].as_py()
    return Merged(rows[concerned], pair)


def _as_integers(values: Column) -> NDArray[np.int64]:
    """Return integers that are equal exactly where the values are."""
    match values.kind:
        case Kind.NUMBER:
            return (values.values + 0.0).view(np.int64)  # -0.0 is 0.0; no value is NaN
        case Kind.EXACT:
            narrow = narrow_exact(values.values)
            if narrow is not None:
                return narrow
            _, ranks = np.unique(values.values, return_inverse=True)
            return ranks.astype(np.int64)
    return values.values.astype(np.int64)


def _oddly_written(
    texts: pa.StringArray, values: NDArray[np.int64], kind: Kind
) -> NDArray[np.bool_]:
    """Return the texts that may not be the one usual way to write their value."""
    whole = pa.chunked_array([texts])
    everywhere = np.ones(len(texts), np.bool_)
    nowhere = np.zeros(len(texts), np.bool_)
    if kind is Kind.BOOLEAN:
        return everywhere
    if not kind.is_numeric:
        length = pc.min_max(pc.binary_length(texts)).as_py()
        both = may_hold(whole, "T") and may_hold(whole, " ")
        return everywhere if length["min"] != length["max"] or both else nowhere
    if may_hold(whole, *_ODD_SIGNS):
        return everywhere
    # What is left has no leading zeros: a column with any is text. So only a zero with a sign, a
    # bare point, and zeros at the end of a fraction can be written otherwise.
    odd = values == 0
    if not may_hold(whole, "."):
        return np.asarray(odd & (np.asarray(pc.binary_length(texts).fill_null(1)) > 1))
    first, last = _ends(texts)
    marks = pc.find_substring(texts, ".")
    behind = pc.subtract(pc.binary_length(texts), marks)
    spread = pc.min_max(pc.if_else(pc.greater_equal(marks, 0), behind, None)).as_py()
    everyone = pc.all(pc.greater_equal(marks, 0)).as_py()
    odd = odd | (first == ord(".")) | (last == ord("."))
    if not everyone or spread["min"] != spread["max"]:
        has_mark = np.asarray(pc.greater_equal(marks, 0).fill_null(False))
        odd |= has_mark & (last == ord("0"))
    minus = first == ord("-")
    bare = np.asarray(pc.starts_with(texts, "-.").fill_null(False), np.bool_)
    return np.asarray(odd | (minus & bare))


def _ends(texts: pa.StringArray) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """Return the first and the last byte of every text; something where there is none."""
    _, offsets_buffer, letters_buffer = texts.buffers()
    offsets = np.frombuffer(offsets_buffer, np.int32)[texts.offset : texts.offset + len(texts) + 1]
    letters = np.append(np.frombuffer(letters_buffer, np.uint8), np.zeros(1, np.uint8))
    return letters[offsets[:-1]], letters[np.maximum(offsets[1:] - 1, 0)]
