"""How far work goes before it is refused: what whoever works here may set once for all of it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Limits:
    """Where work is refused.

    Attributes
    ----------
    cross_rows : int
        The rows that a cross join may give.
    query_s : int
        The seconds that a query may take, whatever a document allows it.
    parser_mb : int
        The megabytes that what parses a file in a process of its own may take.
    """

    cross_rows: int = 10_000_000
    query_s: int = 3_600
    parser_mb: int = 64_000


_in_force = [Limits()]


def limits() -> Limits:
    """Return the limits in force."""
    return _in_force[0]


def set_limits(wanted: Limits) -> None:
    """Put limits in force, for all work that begins from now on."""
    _in_force[0] = wanted
