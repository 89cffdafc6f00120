"""What a Parquet file says of itself: its footer, and the headers of its pages.

Arrow takes the number of rows from the footer and reads no further, so that a footer which counts
too few leaves rows out; and over some damaged footers it ends the process when it is asked for a
column's. Both are written in Thrift's compact protocol [1], of structs that Parquet names [2].

References
----------
.. [1] Apache Thrift, "Thrift Compact Protocol", doc/specs/thrift-compact-protocol.md.
.. [2] Apache Parquet, "FileMetaData" and "PageHeader", src/main/thrift/parquet.thrift.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

_HEADER_AT_MOST = 1 << 16
_FOOTER_AT_MOST = 1 << 22
"""In bytes: 30,000 parts of columns, which take two seconds."""

_DATA_PAGE, _DATA_PAGE_V2 = 0, 3
_TYPE, _COMPRESSED_SIZE, _OF_DATA, _OF_DATA_V2 = 1, 3, 5, 8
"""The fields of a page's header; the first field of the last two is the number of values."""

_MAGIC = b"PAR1"
_TRUE, _FALSE, _BYTE, _I16, _I32, _I64, _DOUBLE, _BINARY, _LIST, _SET, _MAP, _STRUCT = range(1, 13)
_UUID = 13
_DEEPEST = 16
_REPEATED = 2
_INT96 = 3
_UTF8, _DATE = 0, 6
_UNITS_A_DAY = {9: 86_400_000, 10: 86_400_000_000, _DATE: 1}
"""By the older name of a type, as numbers of Parquet's: moments of milli- and microseconds."""

_FIRST_DAY, _LAST_DAY = -719_162, 2_932_896
"""The first day of year 1 and the last of year 9999, counted from 1970."""


class FooterError(ValueError):
    """A footer is none, or says what cannot be."""


@dataclass(frozen=True, slots=True)
class ColumnPart:
    """What a footer says of one column in one part of the file.

    Attributes
    ----------
    path : str
        With dots where it lies within others.
    is_text, is_int96 : bool
        Whether its values are texts, or moments of Parquet's old type.
    is_repeated : bool
        Whether it lies in a list: then its values are not its rows.
    values : int
        With the blanks.
    start, end : int
        Where its pages lie.
    dictionary : int
        The bytes of its dictionary; -1 for none.
    in_calendar : bool
        Whether it has dates or moments that are known to be of years with four digits.
    """

    path: str
    is_text: bool
    is_int96: bool
    is_repeated: bool
    values: int
    start: int
    end: int
    dictionary: int = -1
    in_calendar: bool = False


@dataclass(frozen=True, slots=True)
class Part:
    """One part of a file, some rows of all columns, as the footer has it."""

    rows: int
    columns: tuple[ColumnPart, ...]


def footer_of(path: Path) -> list[Part]:
    """Return the parts of a Parquet file.

    Raises
    ------
    FooterError
        There is no footer of Parquet, or it is damaged or locked.
    OSError
    """
    size = path.stat().st_size
    with path.open("rb") as file:
        file.seek(max(size - 8, 0))
        tail = file.read(8)
        length = int.from_bytes(tail[:4], "little")
        if tail[4:] != _MAGIC or not 0 < length <= min(size - 8, _FOOTER_AT_MOST):
            raise FooterError
        file.seek(size - 8 - length)
        data = file.read(length)
    try:
        said, _ = _struct(data, 0)
        leaves = list(_leaves(iter(said[2][1:]), int(said[2][0][5]), (), is_repeated=False))
        return [_part(group, leaves) for group in said.get(4, [])]
    except _ODD as error:
        raise FooterError from error


_ODD = (LookupError, TypeError, ValueError, AttributeError, RecursionError, StopIteration)
"""What comes of fields that are missing, or of other types than Parquet says."""


def _integer(value: Any) -> int:
    if type(value) is not int:
        raise TypeError("A field is no integer.")
    return value


@dataclass(frozen=True, slots=True)
class _Leaf:
    """A column of the schema that has values of its own."""

    path: str
    physical: int
    converted: int
    logical: dict[int, Any]
    is_repeated: bool

    @property
    def units_a_day(self) -> int:
        """How many units of its dates or moments a day has; 0 for other types, and nanoseconds."""
        moment = self.logical.get(8)  # TIMESTAMP, its second field the unit
        if isinstance(moment, dict):
            return {1: 86_400_000, 2: 86_400_000_000}.get(next(iter(moment.get(2, {})), 0), 0)
        return _UNITS_A_DAY.get(_DATE if _DATE in self.logical else self.converted, 0)


def _leaves(
    elements: Iterator[dict[int, Any]], number: int, above: Sequence[str], is_repeated: bool
) -> Iterator[_Leaf]:
    """Yield the leaves of a schema, which stands as a tree written down from the top."""
    if len(above) > _DEEPEST:
        raise RecursionError
    for _ in range(number):
        one = next(elements)
        names = (*above, str(one[4], "utf-8"))
        repeated = is_repeated or one.get(3) == _REPEATED
        if one.get(5):
            yield from _leaves(elements, one[5], names, repeated)
            continue
        path, converted = ".".join(names), one.get(6, -1)
        yield _Leaf(path, one.get(1, -1), converted, one.get(10, {}), repeated)


def _part(group: dict[int, Any], leaves: Sequence[_Leaf]) -> Part:
    if len(group[1]) != len(leaves):
        raise ValueError("A part has other columns than the schema.")
    chunks = zip((chunk[3] for chunk in group[1]), leaves, strict=True)
    return Part(_integer(group[3]), tuple(_column_part(said, leaf) for said, leaf in chunks))


def _column_part(said: dict[int, Any], leaf: _Leaf) -> ColumnPart:
    data, dictionary = _integer(said[9]), _integer(said.get(11, 0))
    start = data if not dictionary else min(data, dictionary)  # some writers say 0 for none
    return ColumnPart(
        leaf.path,
        leaf.converted == _UTF8 or 1 in leaf.logical,
        leaf.physical == _INT96,
        leaf.is_repeated,
        _integer(said[5]),
        start,
        start + _integer(said[7]),
        data - dictionary if dictionary else -1,
        _in_calendar(said, leaf.units_a_day),
    )


def _in_calendar(said: dict[int, Any], units_a_day: int) -> bool:
    """Return whether the least and greatest date of a part are of years with four digits."""
    if not units_a_day:
        return False
    statistics = said.get(12) or {}
    least, greatest = statistics.get(6, statistics.get(2)), statistics.get(5, statistics.get(1))
    if least is None or greatest is None:  # nothing is known but of blanks alone
        return bool(statistics.get(3) == said[5])
    ends = (int.from_bytes(end, "little", signed=True) for end in (least, greatest))
    days = [end // units_a_day for end in ends]
    return days[0] >= _FIRST_DAY and days[1] <= _LAST_DAY


def values_in_pages(file: BinaryIO, start: int, end: int) -> int | None:
    """Return how many values, blanks with them, the data pages between two places hold.

    None where something there is no page: what writers say of places is not always true, and what
    cannot be read at all is found by who reads the values.
    """
    values = 0
    while start < end:
        file.seek(start)
        try:
            found, length = _struct(file.read(_HEADER_AT_MOST), 0)
            size, kind = found[_COMPRESSED_SIZE], found[_TYPE]
            if kind in (_DATA_PAGE, _DATA_PAGE_V2):
                values += found[_OF_DATA if kind == _DATA_PAGE else _OF_DATA_V2][1]
        except _ODD:
            return None
        if size < 0:
            return None
        start += length + size
    return values


def _struct(data: bytes, at: int, depth: int = 0) -> tuple[dict[int, Any], int]:
    """Return the fields of a struct by their numbers, and where it ends.

    Integers, bytes, lists and structs. A wide file has millions of them, so what is usual, an
    integer of one byte, is read in place.
    """
    if depth > _DEEPEST:
        raise RecursionError
    found: dict[int, Any] = {}
    number = 0
    while True:
        head = data[at]
        at += 1
        if not head:
            return found, at
        if head >> 4:  # how much further its number is than that of the field before
            number += head >> 4
        else:
            number, at = _zigzag(data, at)
        kind = head & 15
        if _I16 <= kind <= _I64:
            byte = data[at]
            if byte < 128:
                found[number] = (byte >> 1) ^ -(byte & 1)
                at += 1
            else:
                found[number], at = _zigzag(data, at)
        elif kind in (_TRUE, _FALSE):  # told by its kind: it has a byte of its own only in a list
            found[number] = kind == _TRUE
        else:
            found[number], at = _value(data, at, kind, depth)


def _value(data: bytes, at: int, kind: int, depth: int) -> tuple[Any, int]:
    if kind == _BINARY:
        length, at = _unsigned(data, at)
        if at + length > len(data):
            raise IndexError
        return data[at : at + length], at + length
    if kind == _STRUCT:
        return _struct(data, at, depth + 1)
    if kind in (_LIST, _SET):
        head = data[at]
        length, at = (head >> 4, at + 1) if head >> 4 < 15 else _unsigned(data, at + 1)
        if depth > _DEEPEST or length > len(data):  # each takes a byte at least
            raise IndexError
        values = []
        for _ in range(length):
            value, at = _value(data, at, head & 15, depth + 1)
            values.append(value)
        return values, at
    if _I16 <= kind <= _I64:
        return _zigzag(data, at)
    if kind in (_TRUE, _FALSE, _BYTE):
        return data[at], at + 1
    if kind in (_DOUBLE, _UUID):  # of which Parquet says nothing that is needed
        return None, at + (8 if kind == _DOUBLE else 16)
    raise KeyError(kind)


def _unsigned(data: bytes, at: int) -> tuple[int, int]:
    value = shift = 0
    while True:
        byte = data[at]
        at += 1
        value |= (byte & 127) << shift
        if byte < 128:
            return value, at
        shift += 7


def _zigzag(data: bytes, at: int) -> tuple[int, int]:
    """Return a number whose sign is in its last bit."""
    value, at = _unsigned(data, at)
    return (value >> 1) ^ -(value & 1), at
