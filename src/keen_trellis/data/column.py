"""One column: values of one kind, with blanks and gaps kept apart from the values."""

from __future__ import annotations

import datetime as dt
import os
import warnings
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import AbstractContextManager
from dataclasses import dataclass, replace
from decimal import Context, Decimal, localcontext
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.base.language import tr
from keen_trellis.data.dictionaries import ABSENT_CODE, encoded
from keen_trellis.data.dtypes import DTYPES, EXACT_DTYPE
from keen_trellis.data.kinds import Kind
from keen_trellis.data.states import BLANK, GAP, PRESENT

MICROSECONDS_A_DAY = 86_400_000_000
DIGITS_AT_MOST = 38
"""The digits of an exact decimal: 10**38 is the largest power of ten below 2**127."""

TEXT_BYTES_AT_MOST = 2**31 - 1
"""The bytes that one Arrow array of plain strings can hold, whose offsets have 32 bits."""

CHECKED = bool(os.environ.get("KEEN_TRELLIS_CHECKED"))
"""Whether every column proves what the rest of the code relies on; for tests and debugging."""

_GATHERED_AT_A_TIME = 1 << 17
_LOW_64 = 2**64 - 1
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
        The distinct texts that the codes stand for; only with text. None of them stands there
        twice and none is null: two codes are equal exactly when their texts are.
    scale : int
        The digits after the decimal mark; only with exact decimals.
    declared : bool
        Whether the source itself says that it is text, as a database does: then it is text also
        where it has no value. Any other column without a value takes the kind of what it meets.
    """

    kind: Kind
    values: NDArray[Any]
    state: States | None = None
    dictionary: pa.StringArray | None = None
    scale: int = 0
    declared: bool = False

    def __post_init__(self) -> None:
        self.values.setflags(write=False)
        if self.state is not None:
            self.state.setflags(write=False)
        if CHECKED:
            self.check()

    def check(self) -> None:
        """Prove what all code relies on; `AssertionError` where it does not hold.

        Equal codes mean equal texts, codes are in range, -1 lies beneath what is absent, and every
        array has the dtype and length it should.
        """
        assert self.values.dtype == DTYPES[self.kind], f"{self.values.dtype} is not {self.kind}"
        assert self.state is None or len(self.state) == len(self.values), "states of another length"
        assert self.state is None or self.state.dtype == np.uint8, "states are bytes"
        assert (self.dictionary is not None) == (self.kind is Kind.TEXT), "text has a dictionary"
        if self.dictionary is not None:
            assert self.dictionary.null_count == 0, "a dictionary holds null"
            assert _no_repeats(self.dictionary), "a dictionary holds a text twice"
            present = self.values if self.absent is None else self.values[~self.absent]
            beneath = self.values[:0] if self.absent is None else self.values[self.absent]
            in_range = (present >= 0) & (present < len(self.dictionary))
            assert bool(in_range.all()), "a code stands for no text"
            assert bool((beneath == ABSENT_CODE).all()), "a code lies beneath a blank or gap"

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

    @classmethod
    def from_arrow(cls, array: pa.Array | pa.ChunkedArray) -> Column:
        """Return an Arrow array as a column; null and not-a-number become blanks.

        Raises
        ------
        TypeError
            The Arrow type has no kind of ours (nested, binary).
        """
        return from_arrow(array)

    @property
    def absent(self) -> NDArray[np.bool_] | None:
        """Which cells have no value, be it blank or gap; None where all have one."""
        return None if self.state is None else self.state != PRESENT

    def count(self, state: int) -> int:
        """Return how many cells are in `state`."""
        if self.state is None:
            return len(self) if state == PRESENT else 0
        return int(np.count_nonzero(self.state == state))

    @property
    def is_seen(self) -> bool:
        """Whether anything says of what kind it is: the source, or a text that it has or had.

        Some of its rows do not change it: their dictionary has the texts of all.
        """
        return self.dictionary is None or self.declared or len(self.dictionary) > 0

    def take(self, rows: Rows) -> Column:
        """Return the cells at `rows`, in that order; -1 makes a gap."""
        if not len(rows) or rows.min() >= 0:
            values = gathered(self.values, rows) if len(rows) else self.values[:0]
            state = None if self.state is None or not len(rows) else gathered(self.state, rows)
            return replace(self, values=values, state=state)
        gaps = rows < 0
        state = gaps.view(np.uint8) * np.uint8(GAP)
        if len(self) == 0:
            values = np.zeros(len(rows), self.values.dtype)
        else:
            values = gathered(self.values, rows)
            if self.state is not None:
                # -1 clips to row 0, whose state is not taken: `where` leaves the gaps as they are
                np.copyto(state, self.state.take(rows, mode="clip"), where=~gaps)
        if self.kind is Kind.TEXT:
            # what lies beneath another kind's gap is never read; a code is, to look texts up
            values[gaps] = ABSENT_CODE
        return replace(self, values=values, state=state)

    def to_arrow(self) -> pa.Array:
        """Return the column as an Arrow array; blanks and gaps both become null."""
        if self.kind is Kind.TEXT:
            assert self.dictionary is not None
            coded = pa.DictionaryArray.from_arrays(self.codes(), self.dictionary)
            return coded.cast(pa.large_string() if self._is_long() else pa.string())
        if self.kind is Kind.EXACT:
            return self._as_it_lies(pa.decimal128(DIGITS_AT_MOST, self.scale))
        return self._as_it_lies(arrow_type(self.kind))

    def codes(self) -> pa.Int32Array:
        """Return the codes of texts into their dictionary; blanks and gaps both null."""
        return self._as_it_lies(pa.int32())

    def _as_it_lies(self, stored_as: pa.DataType) -> pa.Array:
        """Return the values as an Arrow array over the same memory, blanks and gaps both null.

        Every kind lies as Arrow has it, but for booleans, which are bits there.
        """
        values, absent = np.ascontiguousarray(self.values), self.absent
        if self.kind is Kind.BOOLEAN:
            values = _bits(values)
        present = None if absent is None else pa.py_buffer(_bits(~absent))
        return pa.Array.from_buffers(stored_as, len(self), [present, pa.py_buffer(values)])

    def _is_long(self) -> bool:
        """Whether the texts of all rows may be more than one array of plain strings holds."""
        assert self.dictionary is not None
        longest = pc.max(pc.binary_length(self.dictionary)).as_py() or 0
        return len(self) * int(longest) > TEXT_BYTES_AT_MOST

    def to_list(self) -> list[Any]:
        """Return the column as Python values; blanks and gaps both become None."""
        if self.dictionary is None:
            return list(self.to_arrow().to_pylist())
        texts = [*self.dictionary.to_pylist(), None]  # code -1 is the last: an absent cell
        return [texts[code] for code in self.values.tolist()]

    @property
    def text_bytes(self) -> int:
        """How many bytes the texts of its cells have together, each written out; 0 for no texts."""
        if self.dictionary is None:
            return 0
        # code -1 finds the appended 0: an absent cell has no letters
        lengths = pc.binary_length(self.dictionary).to_numpy(zero_copy_only=False)
        return int(np.append(lengths, 0).astype(np.int64)[self.values].sum())

    def texts(self) -> pa.StringArray:
        """Return every cell as it is shown and written; blanks and gaps both null."""
        if self.kind is Kind.TEXT:
            return self.to_arrow()
        texts = self.to_arrow().cast(pa.string())
        if self.kind in (Kind.DATE_TIME, Kind.TIME):
            return pc.replace_substring_regex(texts, r"\.000000$", "")
        return _plain_digits(texts) if self.has_short_texts else texts

    @property
    def has_short_texts(self) -> bool:
        """Whether Arrow may write a small decimal with an exponent, which is no text of it here."""
        return self.kind is Kind.EXACT and self.scale > _NO_EXPONENT

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
                return f"{exact_decimal(value, self.scale):f}"
            case Kind.BOOLEAN:
                return "true" if value else "false"
            case Kind.DATE:
                return str(np.datetime64(int(value), "D"))
            case Kind.DATE_TIME:
                moment = _EPOCH + dt.timedelta(microseconds=int(value))
                return moment.isoformat(" ")
            case Kind.TIME:
                return (_EPOCH + dt.timedelta(microseconds=int(value))).time().isoformat()
            case _:
                return str(int(value))


def gathered(values: NDArray[Any], rows: Rows) -> NDArray[Any]:
    """Return the values at `rows`; what is below 0 reads the first, and nothing is above.

    A part at a time, on all cores: NumPy turns row numbers into 64 bits before it looks up, which
    stays in the cache then, and lets go of the interpreter's lock meanwhile.
    """
    if len(rows) < 4 * _GATHERED_AT_A_TIME:
        return values.take(rows, mode="clip")
    made = np.empty(len(rows), values.dtype)

    def gather(start: int) -> None:
        part = slice(start, start + _GATHERED_AT_A_TIME)
        np.take(values, rows[part], out=made[part], mode="clip")

    with ThreadPoolExecutor(os.cpu_count()) as threads:
        list(threads.map(gather, range(0, len(rows), _GATHERED_AT_A_TIME)))
    return made


def _plain_digits(texts: pa.StringArray) -> pa.StringArray:
    """Return texts of decimals without an exponent: 0.0000001 rather than 1E-7."""
    odd = pc.match_substring(texts, "E").fill_null(False)
    if not pc.any(odd).as_py():
        return texts
    coded = texts.filter(odd).dictionary_encode()
    plain = [f"{Decimal(text):f}" for text in coded.dictionary.to_pylist()]
    return pc.replace_with_mask(texts, odd, pa.array(plain, pa.string()).take(coded.indices))


_NO_EXPONENT = 6
"""Up to how many digits behind the mark no decimal is written with an exponent."""


def _bits(these: NDArray[np.bool_]) -> NDArray[np.uint8]:
    return np.packbits(these, bitorder="little")


_PLAIN = (Kind.INTEGER, Kind.NUMBER, Kind.BOOLEAN)


def arrow_type(kind: Kind) -> pa.DataType:
    """Return the Arrow type that carries a kind (exact decimals without their scale)."""
    match kind:
        case Kind.TEXT:
            return pa.string()
        case Kind.INTEGER:
            return pa.int64()
        case Kind.NUMBER:
            return pa.float64()
        case Kind.EXACT:
            return pa.decimal128(38, 0)
        case Kind.BOOLEAN:
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
    array = unpacked(array)
    kind = kind_of_arrow(array.type)
    if kind is Kind.TEXT:
        return _text_from_arrow(array)
    if isinstance(array, pa.ChunkedArray):
        array = _one_chunk(array)
    if pa.types.is_dictionary(array.type):
        array = array.dictionary_decode()
    if kind is Kind.EXACT:
        return _exact_from_arrow(array)
    state = _null_state(array)
    if finer := finer_than_kept(array):
        warnings.warn(
            tr(
                "{finer:,} values have nanoseconds, which are cut: microseconds are kept.",
                finer=finer,
            ),
            stacklevel=2,
        )
    # a moment of a zone is one of UTC beneath: the zone goes, the moment stays
    if pa.types.is_timestamp(array.type) and array.type.tz is not None:
        array = array.cast(pa.timestamp("us", array.type.tz), safe=False).cast(pa.int64())
    else:
        array = array.cast(arrow_type(kind), safe=False)
    if kind not in _PLAIN:
        array = array.cast(pa.int32() if kind is Kind.DATE else pa.int64())
    if array.null_count:
        array = array.fill_null(False if kind is Kind.BOOLEAN else 0)
    values = array.to_numpy(zero_copy_only=False).astype(DTYPES[kind], copy=False)
    if kind is Kind.NUMBER:
        state = _mark_nan(values, state)
    return Column(kind, values, state)


def unpacked(array: pa.Array | pa.ChunkedArray) -> pa.Array | pa.ChunkedArray:
    """Return an Arrow array in a type that Arrow's kernels take: views and runs are written out."""
    stored, types = array.type, pa.types
    if types.is_dictionary(stored) and types.is_string_view(stored.value_type):
        return _each_chunk(array, _with_plain_texts)
    if types.is_run_end_encoded(stored):
        return unpacked(_each_chunk(array, pc.run_end_decode))
    if types.is_string_view(stored):
        fits = array.nbytes < _LETTERS_AT_MOST
        return array.cast(pa.string() if fits else pa.large_string())
    return array.cast(pa.large_binary()) if types.is_binary_view(stored) else array


def _with_plain_texts(part: pa.DictionaryArray) -> pa.DictionaryArray:
    return pa.DictionaryArray.from_arrays(part.indices, part.dictionary.cast(pa.string()))


def _each_chunk(
    array: pa.Array | pa.ChunkedArray, change: Callable[[pa.Array], pa.Array]
) -> pa.Array | pa.ChunkedArray:
    if isinstance(array, pa.Array):
        return change(array)
    # of no chunk at all the type would not be known
    empty = [] if array.num_chunks else [change(array.combine_chunks())]
    return pa.chunked_array([*map(change, array.chunks), *empty])


def finer_than_kept(array: pa.Array | pa.ChunkedArray) -> int:
    """Return how many moments or times of an Arrow array have nanoseconds, which are not kept."""
    types = pa.types
    of_time = types.is_timestamp(array.type) or types.is_time64(array.type)
    if not of_time or array.type.unit != "ns":
        return 0
    counted = array.cast(pa.int64())
    whole = pc.multiply(pc.divide(counted, 1_000), 1_000)  # divides towards zero
    return int(pc.sum(pc.not_equal(counted, whole)).as_py() or 0)


def kind_of_arrow(arrow: pa.DataType) -> Kind:
    """Return the kind that holds an Arrow type; `TypeError` where there is none."""
    types = pa.types
    if types.is_dictionary(arrow) or types.is_run_end_encoded(arrow):
        return kind_of_arrow(arrow.value_type)
    if (
        types.is_string_view(arrow)
        or types.is_string(arrow)
        or types.is_large_string(arrow)
        or types.is_null(arrow)
    ):
        return Kind.TEXT
    if types.is_uint64(arrow):
        return Kind.EXACT
    for test, kind in (
        (types.is_boolean, Kind.BOOLEAN),
        (types.is_integer, Kind.INTEGER),
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
    """Return 128-bit integers as int64 where all of them fit, else None."""
    # a value fits where its upper half is nothing but the sign of its lower one
    low = np.ascontiguousarray(values["lo"]).view(np.int64)
    return low if bool((values["hi"] == low >> 63).all()) else None


def widened_exact(whole: NDArray[np.int64]) -> NDArray[Any]:
    """Return int64 integers as 128-bit ones."""
    values = np.empty(len(whole), EXACT_DTYPE)
    # the shift copies the sign: all ones above a negative number
    values["lo"], values["hi"] = whole.view(np.uint64), whole >> 63
    return values


def exact_values(
    decimals: Sequence[Decimal | None], scale: int | None = None
) -> tuple[NDArray[Any], NDArray[np.bool_], int]:
    """Return finite decimals as 128-bit integers of one scale, which of them fit, the scale.

    A column of exact decimals has one scale and 38 digits, so a long integer and a fine
    fraction may not fit together: unless a scale is given, it is the one that holds most of them.
    Zero stands where a value does not fit, or is None, which never does.
    """
    if scale is not None:  # 1.50 fits into one digit behind the mark, too
        wide = Context(prec=2 * DIGITS_AT_MOST)
        decimals = [None if v is None else v.normalize(wide) for v in decimals]
    shapes = [_shape(value) for value in decimals]
    places = np.array([shape[0] for shape in shapes], np.int64)
    fraction = np.array([shape[1] for shape in shapes], np.int64)
    given = np.array([value is not None for value in decimals], np.bool_)

    def held(scale: int) -> NDArray[np.bool_]:
        fits: NDArray[np.bool_] = (fraction <= scale) & (places + scale <= DIGITS_AT_MOST) & given
        return fits

    if scale is None:
        scales = [int(s) for s in np.unique(fraction[given]) if s <= DIGITS_AT_MOST] or [0]
        scale = max(scales, key=lambda s: (int(np.count_nonzero(held(s))), -s))
    fits = held(scale)
    values = np.zeros(len(decimals), EXACT_DTYPE)
    with in_all_digits():
        for row in np.flatnonzero(fits).tolist():
            value = decimals[row]
            assert value is not None
            values[row] = halves(int(value.scaleb(scale)))
    return values, fits, scale


def in_all_digits() -> AbstractContextManager[Context]:
    """Return a context in which nothing done to decimals is rounded, as the usual 28 digits would.

    A value has 38 digits at most, and a sum of as many as there are rows some 20 more.
    """
    return localcontext(Context(prec=200))


def halves(whole: int) -> tuple[int, int]:
    """Return the lower and the upper 64 bits of an integer of at most 128."""
    return whole & _LOW_64, whole >> 64


def _shape(value: Decimal | None) -> tuple[int, int]:
    """Return the digits before and after the decimal mark."""
    if value is None:
        return 0, 0
    after = -int(value.as_tuple().exponent)
    return max(value.adjusted() + 1, 0) if value else 0, max(after, 0)


_LETTERS_AT_MOST = 1 << 31


def _one_chunk(array: pa.ChunkedArray) -> pa.Array:
    if pa.types.is_dictionary(array.type):
        # each chunk has a dictionary of its own, in which one code means other texts
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
    # the state may lie over Arrow's memory, or be another column's
    marked = np.zeros(len(values), np.uint8) if state is None else state.copy()
    marked[nan] = BLANK
    return marked


def _text_from_arrow(array: pa.Array | pa.ChunkedArray) -> Column:
    """Codes and dictionary of texts.

    Chunks are put together first while Arrow's 32-bit offsets reach over all their letters;
    longer ones are encoded each for itself, and their dictionaries made one, which takes longer.
    """
    if pa.types.is_null(array.type):
        array = array.cast(pa.string())
    if not pa.types.is_dictionary(array.type):
        if isinstance(array, pa.ChunkedArray) and array.nbytes < _LETTERS_AT_MOST:
            array = _one_chunk(array)
        if isinstance(array, pa.StringArray):
            return _of_codes(*encoded(array))
        array = array.dictionary_encode()
        is_foreign = False
    else:
        is_foreign = True
    if isinstance(array, pa.ChunkedArray):
        array = _one_chunk(array)
    dictionary = array.dictionary.cast(pa.string())
    codes = array.indices.cast(pa.int32())
    if is_foreign and (dictionary.null_count or not _no_repeats(dictionary)):
        again = dictionary.dictionary_encode()
        codes, dictionary = again.indices.take(codes), again.dictionary
    return _of_codes(codes.fill_null(ABSENT_CODE).to_numpy(zero_copy_only=False), dictionary)


def _of_codes(codes: NDArray[np.int32], dictionary: pa.StringArray) -> Column:
    absent = codes == ABSENT_CODE
    state = absent.astype(np.uint8) if absent.any() else None  # a blank is 1
    return Column(Kind.TEXT, codes, state, dictionary)


def _no_repeats(texts: pa.StringArray) -> bool:
    return int(pc.count_distinct(texts, mode="all").as_py()) == len(texts)


def _exact_from_arrow(array: pa.Array) -> Column:
    scale = max(array.type.scale, 0) if pa.types.is_decimal(array.type) else 0
    state = _null_state(array)
    if array.type.bit_width != 128 or array.type.scale != scale:  # of 128 bits all lie alike
        array = array.cast(pa.decimal128(DIGITS_AT_MOST, scale))
    buffer = array.buffers()[1]
    values = np.frombuffer(buffer, EXACT_DTYPE, len(array), array.offset * EXACT_DTYPE.itemsize)
    return Column(Kind.EXACT, values, state, scale=scale)


def _decimal_type(values: Sequence[Decimal | None]) -> pa.DataType:
    exponents = [int(v.as_tuple().exponent) for v in values if v is not None]
    return pa.decimal128(38, max(0, -min(exponents, default=0)))
