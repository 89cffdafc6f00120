"""What became of the tries of an attack."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from keen_trellis.base.errors import UserError


@dataclass(slots=True)
class Tally:
    """How many tries there were of a family, what became of them, and those that were bad."""

    family: str
    tried: int = 0
    refused: int = 0
    longest_s: float = 0.0
    bad: list[str] = field(default_factory=list)

    def count(self, ended: str, what: str, took_s: float) -> None:
        """Note how a try ended: “rows”, “sentence”, or anything else, which is bad."""
        self.tried += 1
        self.refused += ended == "sentence"
        self.longest_s = max(self.longest_s, took_s)
        if ended not in ("rows", "sentence"):
            self.bad.append(f"{what}: {ended[:200]}")

    def attempt(
        self,
        what: str,
        work: Callable[[], object],
        refusal: type[Exception] = UserError,
        most_s: float = math.inf,
    ) -> None:
        """Try `work`, which may return in words what is wrong with its rows; note how it ended."""
        began = time.monotonic()
        try:
            found = work()
            ended = found if isinstance(found, str) and found else "rows"
        except refusal:
            ended = "sentence"
        except Exception as error:  # noqa: BLE001  it is what is looked for
            ended = f"{type(error).__name__}: {error}"
        took_s = time.monotonic() - began
        self.count(ended if took_s < most_s else f"took {took_s:.1f} s", what, took_s)

    def line(self) -> str:
        """Return the tally as a line of a table."""
        words = f"| {self.family} | {self.tried:,} | {self.refused:,} | {self.longest_s:.1f} s "
        return f"{words}| {len(self.bad):,} |"
