"""How long work tells what it does, and how it is stopped."""

from collections.abc import Callable

Report = Callable[[float, str], None]
"""Called with the share done (0 to 1) and what is being done; may raise `Cancelled`."""


class Cancelled(Exception):  # noqa: N818  (an answer to the user's wish, not an error)
    """Raised by a `Report` once the user has asked to stop."""


def quiet(fraction: float, doing: str) -> None:
    """Report to nobody."""


def part(report: Report, start: float, end: float) -> Report:
    """Return a report for a piece of the work that spans `start` to `end` of the whole."""
    return lambda fraction, doing: report(start + (end - start) * fraction, doing)
