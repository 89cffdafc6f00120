"""Work done on two cores at once: NumPy lets go of the interpreter while it looks up and adds."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

_CORES = 2
_T = TypeVar("_T")
_U = TypeVar("_U")


def together(first: Callable[[], _T], second: Callable[[], _U]) -> tuple[_T, _U]:
    """Return the results of two calls that are made at the same time."""
    with ThreadPoolExecutor(1) as pool:
        waiting = pool.submit(second)
        result = first()
        return result, waiting.result()


def for_each(work: Callable[[_T], None], items: Iterable[_T]) -> None:
    """Do some work on every item, two at a time; the first error is raised."""
    with ThreadPoolExecutor(_CORES) as pool:
        for _ in pool.map(work, items):
            pass
