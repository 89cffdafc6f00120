"""One column: values of one kind, with blanks and gaps kept apart from the values."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.data.kinds import EXACT_DTYPE, Kind

PRESENT, BLANK, GAP = 0, 1, 2
"""The states of a cell: it has a value; it was empty in the source; a tie found no partner."""

ABSENT_CODE = -1
"""The text code beneath every cell that is a blank or a gap."""

MICROSECONDS_A_DAY = 86_400_000_000
_EPOCH = dt.datetime(1970, 1, 1)

Rows = NDArray[np.integer[Any]]
States = NDArray[np.uint8]


@dataclass(frozen=True, slots=True, eq=False)  # eq=False: arrays have no single ==
class Column:
    """Values of one kind.

    Attributes
    ----------
    kind : Kind
    values : ndarray, shape (n,)
        With the dtype of the kind. Text holds a code per row. What lies beneath a blank or a
        gap is never read, but a text code there is always -1.
    state : ndarray of uint8, shape (n,), or None
        `PRESENT`, `BLANK` or `GAP` for each cell; None where every cell has a value.
    dictionary : pyarrow.StringArray or None
        The distinct texts that the codes stand for; only with text.
    scale : int
        The digits after the decimal mark; only with exact decimals.
    """

    kind: Kind
    values: NDArray[Any]
    state: States | None = None
    dictionary: pa.StringArray | None = None
    scale: int = 0

    def __post_init__(self) -> None:
        self.values.setflags(write=False)
        if self.state is not None:
            self.state.setflags(write=False)

    def __len__(self) -> int:
        return len(self.values)

    @classmethod
    def of(cls, values: Sequence[Any], kind: Kind | None = None) -> Column:
        """Return a column of Python values, None being a blank.

        The kind is that of the values where it is not given.

        Raises
        ------
        TypeError
            The values are not of one kind, or not of the kind asked for.
        """
        if kind is None and any(isinstance(v, int) and not -(2**63) <= v < 2**63 for v in values):
            kind = Kind.EXACT
        wanted = None if kind is None else arrow_type(kind)
        try:
            if kind is Kind.EXACT:
                decimals = [None if v is None else Decimal(v) for v in values]
                return from_arrow(pa.array(decimals, type=_decimal_type(decimals)))
            return from_arrow(pa.array(values, type=wanted, from_pandas=False))
        except (pa.ArrowException, ValueError) as error:
            raise TypeError(f"The values are not of one kind: {error}") from error

    @property
    def absent(self) -> NDArray[np.bool_] | None:
        """Which cells have no value, be it blank or gap; None where all have one."""
        return None if self.state is None else self.state != PRESENT

    def count(self, state: int) -> int:
        """Return how many cells are in `state`."""
        if self.state is None:
            return len(self) if state == PRESENT else 0
        return int(np.count_nonzero(self.state == state))

    def take(self, rows: Rows) -> Column:
        """Return the cells at `rows`, in that order; -1 makes a gap."""
        gaps = rows < 0
        if not gaps.any():
            state = None if self.state is None else self.state[rows]
            return Column(self.kind, self.values[rows], state, self.dictionary, self.scale)
        if len(self) == 0:
            values = np.zeros(len(rows), self.values.dtype)
            state = np.full(len(rows), GAP, np.uint8)
        else:
            values = self.values.take(rows, mode="clip")
            state = np.where(gaps, GAP, PRESENT).astype(np.uint8)
            if self.state is not None:
                np.copyto(state, self.state.take(rows, mode="clip"), where=~gaps)
        if self.kind is Kind.TEXT:
            values[gaps] = ABSENT_CODE
        return Column(self.kind, values, state, self.dictionary, self.scale)

    def to_arrow(self) -> pa.Array:
        """Return the column as an Arrow array; blanks and gaps both become null."""
        absent = self.absent
        if self.kind is Kind.TEXT:
            assert self.dictionary is not None
            codes = pa.array(self.values, mask=absent)
            return pa.DictionaryArray.from_arrays(codes, self.dictionary).cast(pa.string())
        if self.kind is Kind.EXACT:
            valid = None if absent is None else pa.array(~absent).buffers()[1]
            values = pa.py_buffer(np.ascontiguousarray(self.values).tobytes())
            decimal = pa.decimal128(38, self.scale)
            return pa.Array.from_buffers(decimal, len(self), [valid, values])
        array = pa.array(self.values, mask=absent)
        return array if self.kind in _PLAIN else array.cast(arrow_type(self.kind))

    def to_list(self) -> list[Any]:
        """Return the column as Python values; blanks and gaps both become None."""
        return list(self.to_arrow().to_pylist())

    def texts(self) -> pa.StringArray:
        """Return every cell as it is shown and written; blanks and gaps both null."""
        if self.kind is Kind.TEXT:
            return self.to_arrow()
        texts = self.to_arrow().cast(pa.string())
        if self.kind in (Kind.DATE_TIME, Kind.TIME):
            return pc.replace_substring_regex(texts, r"\.000000$", "")
        return _yes_no(texts) if self.kind is Kind.YES_NO else texts

    def text(self, row: int) -> str:
        """Return one cell as it is shown; empty for a blank or a gap."""
        if self.state is not None and self.state[row] != PRESENT:
            return ""
        return self.value_text(self.values[row])

    def value_text(self, value: Any) -> str:
        """Return one value of this column's dtype as it is shown."""
        match self.kind:
            case Kind.TEXT:
                assert self.dictionary is not None
                return str(self.dictionary[int(value)].as_py())
            case Kind.NUMBER:
                return str(pa.scalar(float(value)).cast(pa.string()))
            case Kind.EXACT:
                return str(exact_decimal(value, self.scale))
            case Kind.YES_NO:
                return "yes" if value else "no"
            case Kind.DATE:
                return str(np.datetime64(int(value), "D"))
            case Kind.DATE_TIME:
                moment = _EPOCH + dt.timedelta(microseconds=int(value))
                return moment.isoformat(" ")
            case Kind.TIME:
                return (_EPOCH + dt.timedelta(microseconds=int(value))).time().isoformat()
            case _:
                return str(int(value))


_PLAIN = (Kind.WHOLE, Kind.NUMBER, Kind.YES_NO)


def arrow_type(kind: Kind) -> pa.DataType:
    """Return the Arrow type that carries a kind (exact decimals without their scale)."""
    match kind:
        case Kind.TEXT:
            return pa.string()
        case Kind.WHOLE:
            return pa.int64()
        case Kind.NUMBER:
            return pa.float64()
        case Kind.EXACT:
            return pa.decimal128(38, 0)
        case Kind.YES_NO:
            return pa.bool_()
        case Kind.DATE:
            return pa.date32()
        case Kind.DATE_TIME:
            return pa.timestamp("us")
        case _:
            return pa.time64("us")


def from_arrow(array: pa.Array | pa.ChunkedArray) -> Column:
    """Return an Arrow array as a column; null and not-a-number become blanks.

    Raises
    ------
    TypeError
        The Arrow type has no kind of ours (nested, binary).
    """
    if isinstance(array, pa.ChunkedArray):
        array = _one_chunk(array)
    kind = kind_of_arrow(array.type)
    if kind is Kind.TEXT:
        return _text_from_arrow(array)
    if kind is Kind.EXACT:
        return _exact_from_arrow(array)
    state = _null_state(array)
    if pa.types.is_timestamp(array.type) and array.type.tz is not None:
        array = array.cast(pa.timestamp("us", array.type.tz)).cast(pa.int64())
    else:
        array = array.cast(arrow_type(kind), safe=False)
    if kind not in _PLAIN:
        array = array.cast(pa.int32() if kind is Kind.DATE else pa.int64())
    if array.null_count:
        array = array.fill_null(False if kind is Kind.YES_NO else 0)
    values = array.to_numpy(zero_copy_only=False).astype(kind.dtype, copy=False)
    if kind is Kind.NUMBER:
        state = _mark_nan(values, state)
    return Column(kind, values, state)


def kind_of_arrow(arrow: pa.DataType) -> Kind:
    """Return the kind that holds an Arrow type; `TypeError` where there is none."""
    types = pa.types
    if types.is_dictionary(arrow):
        return kind_of_arrow(arrow.value_type)
    if types.is_string(arrow) or types.is_large_string(arrow) or types.is_null(arrow):
        return Kind.TEXT
    if types.is_uint64(arrow):
        return Kind.EXACT
    for test, kind in (
        (types.is_boolean, Kind.YES_NO),
        (types.is_integer, Kind.WHOLE),
        (types.is_floating, Kind.NUMBER),
        (types.is_decimal, Kind.EXACT),
        (types.is_date, Kind.DATE),
        (types.is_timestamp, Kind.DATE_TIME),
        (types.is_time, Kind.TIME),
    ):
        if test(arrow):
            return kind
    raise TypeError(f"Values of the type {arrow} cannot be put into a column.")


def exact_decimal(value: Any, scale: int) -> Decimal:
    """Return one 128-bit value (a record of `lo` and `hi`) as a Decimal."""
    whole = (int(value["hi"]) << 64) + int(value["lo"])
    sign, digits, _ = Decimal(whole).as_tuple()
    return Decimal((sign, digits, -scale))


def narrow_exact(values: NDArray[Any]) -> NDArray[np.int64] | None:
    """Return 128-bit whole numbers as int64 where all of them fit, else None."""
    low = np.ascontiguousarray(values["lo"]).view(np.int64)
    return low if bool((values["hi"] == low >> 63).all()) else None


def widened_exact(whole: NDArray[np.int64]) -> NDArray[Any]:
    """Return int64 whole numbers as 128-bit ones."""
    values = np.empty(len(whole), EXACT_DTYPE)
    values["lo"], values["hi"] = whole.view(np.uint64), whole >> 63
    return values


def _one_chunk(array: pa.ChunkedArray) -> pa.Array:
    if pa.types.is_dictionary(array.type):
        array = array.unify_dictionaries()
    combined = array.combine_chunks()
    if isinstance(combined, pa.ChunkedArray):
        combined = pa.concat_arrays(combined.chunks)
    return combined


def _null_state(array: pa.Array) -> States | None:
    if array.null_count == 0:
        return None
    return np.asarray(array.is_null().to_numpy(zero_copy_only=False)).astype(np.uint8)


def _mark_nan(values: NDArray[Any], state: States | None) -> States | None:
    nan = np.isnan(values)
    if not nan.any():
        return state
    marked = np.zeros(len(values), np.uint8) if state is None else state.copy()
    marked[nan] = BLANK
    return marked


def _text_from_arrow(array: pa.Array) -> Column:
    if pa.types.is_null(array.type):
        array = array.cast(pa.string())
    if not pa.types.is_dictionary(array.type):
        array = array.dictionary_encode()
    state = _null_state(array)
    codes = array.indices.cast(pa.int32())
    if state is not None:
        codes = codes.fill_null(ABSENT_CODE)
    values = codes.to_numpy(zero_copy_only=False)
    if state is not None and (values[state != PRESENT] != ABSENT_CODE).any():
        values = np.where(state == PRESENT, values, ABSENT_CODE).astype(np.int32)
    return Column(Kind.TEXT, values, state, array.dictionary.cast(pa.string()))


def _exact_from_arrow(array: pa.Array) -> Column:
    scale = array.type.scale if pa.types.is_decimal(array.type) else 0
    state = _null_state(array)
    array = array.cast(pa.decimal128(38, scale))
    buffer = array.buffers()[1]
    values = np.frombuffer(buffer, EXACT_DTYPE, len(array), array.offset * EXACT_DTYPE.itemsize)
    return Column(Kind.EXACT, values, state, scale=scale)


def _decimal_type(values: Sequence[Decimal | None]) -> pa.DataType:
    exponents = [int(v.as_tuple().exponent) for v in values if v is not None]
    return pa.decimal128(38, max(0, -min(exponents, default=0)))


def _yes_no(texts: pa.StringArray) -> pa.StringArray:
    encoded = texts.dictionary_encode()
    words = pa.array(["yes" if t == "true" else "no" for t in encoded.dictionary.to_pylist()])
    return pa.DictionaryArray.from_arrays(encoded.indices, words).cast(pa.string())
