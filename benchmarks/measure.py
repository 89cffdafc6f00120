"""Timing and the table of results."""

from __future__ import annotations

import gc
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Result:
    """One line of the table: what was measured, against what, and what is asked for.

    Attributes
    ----------
    asked : float
        A ratio that ours must reach, or with `unit` a limit in that unit.
    """

    what: str
    ours_s: float
    other_s: float | None
    asked: float
    unit: str = "x"

    @property
    def reached(self) -> float:
        if self.other_s is not None:
            return self.other_s / self.ours_s
        return (
            self.ours_s
            * {"ms": 1000, "s": 1, "times": 1, "MB": 1, "stated": 1, "more": 1}[self.unit]
        )

    @property
    def passed(self) -> bool:
        ratio = self.other_s is not None
        return self.reached >= self.asked if ratio else self.reached <= self.asked

    def line(self) -> str:
        other = f"{self.other_s:.3f} s" if self.other_s is not None else ""
        sign = "≥" if self.other_s is not None else "<"
        seconds = "" if self.unit in ("times", "MB", "more") else f"{self.ours_s:.4f} s"
        cells = (
            self.what,
            seconds,
            other,
            f"{self.reached:.1f} {self.unit}",
            f"{sign} {self.asked:g} {self.unit}",
            "yes" if self.passed else "NO",
        )
        return f"| {' | '.join(cells)} |"


HEAD = "| what | ours | the other | reached | asked | |\n|---|---|---|---|---|---|"


def timed(
    work: Callable[..., Any], times: int = 3, given: Callable[[], Sequence[Any]] = tuple
) -> tuple[float, Any]:
    """Return the shortest of several runs, in seconds, and the last value.

    What `given` makes anew for each run is handed to it, and is not timed: so nothing that is kept
    beside tables helps a second run.
    """
    best, value = float("inf"), None
    for _ in range(times):
        value = None
        made = given()
        gc.collect()
        start = time.perf_counter()
        value = work(*made)
        best = min(best, time.perf_counter() - start)
    return best, value
