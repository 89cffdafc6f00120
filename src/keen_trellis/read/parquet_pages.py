"""How many values the pages of a column of a Parquet file hold, by their headers.

Arrow takes the number of rows from the footer and reads no further, so that a footer which counts
too few leaves rows out. Every page begins with a header in Thrift's compact protocol [1], of which
this reads the sizes and the numbers of values, and passes over the rest [2].

References
----------
.. [1] Apache Thrift, "Thrift Compact Protocol", doc/specs/thrift-compact-protocol.md.
.. [2] Apache Parquet, "PageHeader", src/main/thrift/parquet.thrift.
"""

from __future__ import annotations

from typing import BinaryIO

_HEADER_AT_MOST = 1 << 16
_DATA_PAGE, _DATA_PAGE_V2 = 0, 3
_TYPE, _COMPRESSED_SIZE, _OF_DATA, _OF_DATA_V2 = 1, 3, 5, 8
"""The fields of a page's header; the first field of the last two is the number of values."""

_TRUE, _FALSE, _BYTE, _I16, _I32, _I64, _DOUBLE, _BINARY, _LIST, _SET, _MAP, _STRUCT = range(1, 13)
_DEEPEST = 16


def values_in_pages(file: BinaryIO, start: int, end: int) -> int | None:
    """Return how many values, blanks with them, the data pages between two places hold.

    None where something there is no page: what writers say of places is not always true, and what
    cannot be read at all is found by who reads the values.
    """
    values = 0
    while start < end:
        file.seek(start)
        header = _Header(file.read(_HEADER_AT_MOST))
        try:
            found = header.fields()
            size, kind = found[_COMPRESSED_SIZE], found[_TYPE]
            if kind in (_DATA_PAGE, _DATA_PAGE_V2):
                values += found[_OF_DATA if kind == _DATA_PAGE else _OF_DATA_V2]
        except (IndexError, KeyError, RecursionError):
            return None
        if size < 0:
            return None
        start += header.place + size
    return values


class _Header:
    """Bytes that begin with a struct of Thrift's compact protocol, and the place in them."""

    def __init__(self, data: bytes) -> None:
        self._data = data
        self.place = 0

    def fields(self, depth: int = 0) -> dict[int, int]:
        """Return the integers of a struct by their numbers; of a struct in it the first one."""
        if depth > _DEEPEST:
            raise RecursionError
        found: dict[int, int] = {}
        number = 0
        while head := self._byte():
            number = number + (head >> 4) if head >> 4 else self._integer()
            kind = head & 15
            if kind in (_I16, _I32, _I64):
                found[number] = self._integer()
            elif kind == _STRUCT:
                found[number] = self.fields(depth + 1).get(1, -1)
            elif kind not in (_TRUE, _FALSE):
                self._pass(kind, depth)
        return found

    def _pass(self, kind: int, depth: int) -> None:
        """Go behind a value whose content is not asked for."""
        if depth > _DEEPEST:
            raise RecursionError
        if kind in (_TRUE, _FALSE, _BYTE):  # in a list also a truth has a byte
            self.place += 1
        elif kind in (_I16, _I32, _I64):
            self._integer()
        elif kind == _DOUBLE:
            self.place += 8
        elif kind == _BINARY:
            length = self._unsigned()
            self.place += length
        elif kind in (_LIST, _SET):
            head = self._byte()
            length = self._unsigned() if head >> 4 == 15 else head >> 4
            for _ in range(length):
                self._pass(head & 15, depth + 1)
        elif kind == _STRUCT:
            self.fields(depth + 1)
        else:
            raise KeyError(kind)

    def _byte(self) -> int:
        self.place += 1
        return self._data[self.place - 1]

    def _unsigned(self) -> int:
        value = shift = 0
        while True:
            byte = self._byte()
            value |= (byte & 127) << shift
            if byte < 128:
                return value
            shift += 7

    def _integer(self) -> int:
        """Return a number whose sign is in its last bit."""
        value = self._unsigned()
        return (value >> 1) ^ -(value & 1)
