"""Rows made ready for a file in blocks, ahead on all cores and handed over in order."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

ROWS_AT_A_TIME = 32_768

Bytes = bytes | memoryview

_AHEAD = 2 * (os.cpu_count() or 1)
"""How many blocks are made before the first of them is on the disk."""


def in_turn(n_rows: int, block: Callable[[int], Bytes]) -> Iterator[tuple[int, Bytes]]:
    """Yield where each block starts and its bytes, in order; memory does not grow with the rows."""
    waiting: list[tuple[int, Future[Bytes]]] = []
    with ThreadPoolExecutor(os.cpu_count()) as threads:
        try:
            for start in range(0, n_rows, ROWS_AT_A_TIME):
                waiting.append((start, threads.submit(block, start)))
                if len(waiting) > _AHEAD:
                    first, made = waiting.pop(0)
                    yield first, made.result()
            for first, made in waiting:
                yield first, made.result()
        finally:
            for _, made in waiting:
                made.cancel()


def joined(parts: list[Any], between: str = "", nulls: str = "replace") -> pa.StringArray:
    """Return texts put together row by row; an absent one is empty, or makes the whole absent."""
    return pc.binary_join_element_wise(*parts, between, null_handling=nulls, null_replacement="")


def has_any(texts: pa.StringArray, signs: str) -> bool:
    """Whether any of some ASCII signs stands in any text: one look at each letter of all."""
    wanted = np.zeros(256, np.bool_)
    wanted[np.frombuffer(signs.encode("ascii"), np.uint8)] = True
    return bool(wanted[np.frombuffer(letters_of(texts), np.uint8)].any())


def letters_of(texts: pa.StringArray) -> memoryview:
    """Return the letters of all texts, one behind the other, as they lie in memory."""
    _, offsets, letters = texts.buffers()
    if letters is None:
        return memoryview(b"")
    bounds = np.frombuffer(offsets, np.int32)[texts.offset : texts.offset + len(texts) + 1]
    return memoryview(letters)[bounds[0] : bounds[-1]]
