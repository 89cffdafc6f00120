"""What a step that filters gave: the rows that go on, and those that do not."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.compute.expression_values import Flags, Truth, truth
from keen_trellis.compute.sizes import table_size
from keen_trellis.data import Table
from keen_trellis.plan.counts import Group
from keen_trellis.plan.expressions import Expression


@dataclass(frozen=True, eq=False)  # no slots: the tables are kept once made
class Filtered:
    """The rows of a table on either side of a condition.

    Attributes
    ----------
    table : Table
    held : Truth
        What the condition is for each of its rows.
    faults : mapping of sentence to ndarray of bool
        The rows for which a formula could not be worked out, by the reason.
    """

    table: Table
    held: Truth
    faults: Mapping[str, Flags] = field(default_factory=dict)

    @classmethod
    def of(cls, table: Table, condition: Expression) -> Filtered:
        """Put the rows of a table to a condition; raises as `compute.expressions.truth`."""
        faults: dict[str, Flags] = {}
        return cls(table, truth(condition, table, faults), faults)

    @cached_property
    def outcome(self) -> Table:
        """The rows that go on, those for which the condition is true."""
        return self.table.take(np.flatnonzero(self.held.true))

    @cached_property
    def left_out(self) -> Table:
        """The other rows: the condition is false for them, or unknown."""
        return self.table.take(np.flatnonzero(~self.held.true))

    @property
    def unknown(self) -> int:
        """The rows for which it is neither true nor false, because a blank is compared."""
        return int(np.count_nonzero(~(self.held.true | self.held.false)))

    @property
    def _without_answer(self) -> int:
        """The rows left out for which a formula could not be worked out."""
        is_so = np.zeros(len(self.table), np.bool_)
        for rows in self.faults.values():
            is_so = is_so | rows
        return int(np.count_nonzero(is_so & ~(self.held.true | self.held.false)))

    @property
    def groups(self) -> tuple[Group, ...]:
        """The rows that go on, and those that do not."""
        return Group("kept", len(self.outcome)), Group("left out", len(self.left_out), False)

    @property
    def numbers(self) -> dict[str, int]:
        """What became of its rows."""
        left_out = len(self.left_out)
        return {"rows": len(self.outcome), "left_out": left_out, "unknown": self.unknown}

    @property
    def size(self) -> int:
        """The bytes that it holds for itself."""
        return table_size(self.outcome) + table_size(self.left_out) + 2 * len(self.table)

    def look_ahead(self) -> None:
        """Work out what somebody will look at, so that nobody has to wait then."""
        _ = self.outcome, self.left_out

    def sentence(self) -> str:
        """Return how many rows go on and how many do not, in plain words."""
        kept, all_rows = len(self.outcome), len(self.table)
        said = tr(
            "{kept:,} of {rows} go on, {all_rows:,} are left out",
            kept=kept,
            rows=counted(all_rows, "row"),
            all_rows=all_rows - kept,
        )
        blank = self.unknown - self._without_answer
        if blank:
            said += tr(", {blank:,} of them because a value is blank", blank=blank)
        found = [
            tr(
                "{rows} without an answer by {why}",
                rows=counted(int(np.count_nonzero(rows)), "row"),
                why=why,
            )
            for why, rows in self.faults.items()
        ]
        return " ".join(f"{one}." for one in (said, *found))
