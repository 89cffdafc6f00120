"""How long work tells what it does, how it is stopped, and how it is done side by side."""

import contextvars
import os
import threading
from collections.abc import Callable, Sequence
from typing import TypeVar

T = TypeVar("T")

Report = Callable[[float, str], None]
"""Called with the share done (0 to 1) and what is being done; may raise `Cancelled`."""


class Cancelled(Exception):  # noqa: N818  (an answer to the user's wish, not an error)
    """Raised by a `Report` once the user has asked to stop."""


def quiet(fraction: float, doing: str) -> None:
    """Report to nobody."""


def part(report: Report, start: float, end: float) -> Report:
    """Return a report for a piece of the work that spans `start` to `end` of the whole."""
    return lambda fraction, doing: report(start + (end - start) * fraction, doing)


def one_by_one(works: Sequence[Callable[[Report], T]], report: Report) -> list[T]:
    """Return what several pieces of work give, done in turn; each is taken as equally long."""
    n = len(works)
    return [work(part(report, i / n, (i + 1) / n)) for i, work in enumerate(works)]


def side_by_side(works: Sequence[Callable[[Report], T]], report: Report) -> list[T]:
    """Return what several pieces of work give, done at once: one for each core, and one more.

    Each is taken as equally long. When one fails, or the user asks to stop, those that go on are
    stopped at their next report, and once all have ended, the error is raised.
    """
    if len(works) <= 1:
        return [work(report) for work in works]
    from concurrent.futures import ThreadPoolExecutor, wait

    shares = _Shares(report, len(works))

    def do(place: int, work: Callable[[Report], T]) -> T:
        try:
            return work(shares.of(place))
        except BaseException as error:
            shares.end(error)
            raise

    with ThreadPoolExecutor((os.cpu_count() or 1) + 1) as pool:
        waiting = [
            pool.submit(contextvars.copy_context().run, do, place, work)
            for place, work in enumerate(works)
        ]
        try:
            wait(waiting)
        except BaseException as error:  # a signal, on the thread that waits
            shares.end(error)
            raise
    if shares.error is not None:
        raise shares.error
    return [one.result() for one in waiting]


class _Shares:
    """What pieces of work that go on at once have done of the whole."""

    def __init__(self, report: Report, pieces: int) -> None:
        self.error: BaseException | None = None
        self._report = report
        self._done = [0.0] * pieces
        self._one_at_a_time = threading.Lock()

    def end(self, error: BaseException) -> None:
        """Stop all at their next report: one has failed. What stops the others is not told."""
        if self.error is None:
            self.error = error

    def of(self, place: int) -> Report:
        """Return the report of one piece."""

        def tell(fraction: float, doing: str) -> None:
            with self._one_at_a_time:
                if self.error is not None:
                    raise Cancelled
                self._done[place] = fraction
                self._report(sum(self._done) / len(self._done), doing)

        return tell
