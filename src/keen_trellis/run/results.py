"""What a run of a trellis gave."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, cast

from keen_trellis.base.errors import UserError, WaitingError
from keen_trellis.document.trellis import Trellis
from keen_trellis.run.facts import Facts, JoinFacts, facts_of

if TYPE_CHECKING:
    from keen_trellis.compute.join_result import Tied
    from keen_trellis.compute.node_result import Given
    from keen_trellis.compute.promise_checks import Checked
    from keen_trellis.data import LateColumn, Table
    from keen_trellis.read import Reading


@dataclass(frozen=True, eq=False)  # no slots: the facts are kept once taken
class Results:
    """What a run of a trellis gave. Where a part failed, its error stands in its place.

    Attributes
    ----------
    trellis : Trellis
        The one that these are the results of; no other may be paired with them.
    readings : dict of lane id to Reading or UserError
        Of the lanes that are read from outside.
    rows : dict of part id to Table or UserError
        The rows of a lane as they were read (by the lane's id), and after each of its items (by
        the item's).
    given : dict of item id to what it gave, or UserError
        Of every step and tie.
    promises : dict of join id to tuple of Checked
        Of the joins that could be made.
    read_at : datetime or None
        When the oldest of the sources was read.
    """

    trellis: Trellis = field(default_factory=Trellis.empty)
    readings: dict[str, Reading | UserError] = field(default_factory=dict)
    rows: dict[str, Table | UserError] = field(default_factory=dict)
    given: dict[str, Given | UserError] = field(default_factory=dict)
    promises: dict[str, tuple[Checked, ...]] = field(default_factory=dict)
    read_at: dt.datetime | None = None

    @property
    def facts(self) -> Facts:
        """The numbers and names of the run; taken once, and again when late columns were read."""
        unread = sum(not column.is_read for column in self._late)
        if unread not in self._facts:
            facts = facts_of(self.trellis, self.readings, self.rows, self.given, self.promises)
            self._facts[unread] = facts
        return self._facts[unread]

    @cached_property
    def _late(self) -> list[LateColumn]:
        read = [one for one in self.readings.values() if not isinstance(one, UserError)]
        return [column for one in read for column in one.table.to_come().values()]

    @cached_property
    def _facts(self) -> dict[int, Facts]:
        """The facts by how many columns were still to come when they were taken."""
        return {}

    def reading(self, lane_id: str) -> Reading | None:
        """Return what a lane's source gave; None where it was not read, or could not be."""
        found = self.readings.get(lane_id)
        return None if isinstance(found, UserError) else found

    def table(self, part_id: str) -> Table | None:
        """Return the rows after a part; None where they are not known, or something is wrong."""
        found = self.rows.get(part_id)
        return None if isinstance(found, UserError) else found

    def errors(self) -> list[UserError]:
        """Return what went wrong, each once, sources first; not what only waits for it."""
        found = [*self.readings.values(), *self.rows.values()]
        unique = {id(e): e for e in found if isinstance(e, UserError)}
        return [e for e in unique.values() if not isinstance(e, WaitingError)]

    def is_of(self, part_id: str) -> bool:
        """Whether a part was there when these were worked out."""
        return part_id in self.rows

    def broken_before(self, part_id: str) -> list[JoinFacts]:
        """Return the joins with a broken promise that a part's rows come through."""
        if not self.is_of(part_id):  # it is newer than these results
            return []
        upstream = self.trellis.upstream(part_id)
        return [join for join in self.facts.joins() if join.broken and join.id in upstream]

    @property
    def ties(self) -> dict[str, Tied | UserError]:
        """What the joins gave, by their ids."""
        joins = ((item.id, self.given.get(item.id)) for _, item in self.trellis.joins())
        return {i: cast("Tied | UserError", made) for i, made in joins if made is not None}

    def sides(self, tie_id: str) -> tuple[Table | UserError | None, ...]:
        """Return the rows that a tie brings together, as far as they are known."""
        try:
            tie = self.trellis.item(tie_id)
        except KeyError:
            return ()
        parts = [self.trellis.before(tie_id), *map(self.trellis.taken_after, tie.takes())]
        return tuple(self.rows.get(part_id) for part_id in parts)
