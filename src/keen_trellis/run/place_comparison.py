"""One trellis run here and elsewhere, and every count of both side by side."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator
from dataclasses import dataclass

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import marked, tr
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.document.trellis import Trellis
from keen_trellis.places.place_session import Session
from keen_trellis.run.facts import Facts, ItemFacts, JoinFacts
from keen_trellis.run.place_facts import results_of
from keen_trellis.run.place_run import There
from keen_trellis.run.runner import Runner

_BOTH_KNOW = {
    "rows": marked("rows"),
    "pairs": marked("pairs"),
    "left_out": marked("left out"),
    "unknown": marked("unknown"),
}
"""What both sorts of runs count of a step, and what that is called."""
_OF_SIDES = {
    "rows": marked("{lane} rows"),
    "found": marked("{lane} found"),
    "blank": marked("{lane} blank"),
    "repeated": marked("{lane} repeated"),
    "multiplied": marked("{lane} multiplied"),
    "distinct": marked("{lane} distinct"),
    "distinct_found": marked("{lane} distinct found"),
    "ambiguous": marked("{lane} ambiguous"),
}


@dataclass(frozen=True, slots=True)
class Compared:
    """One count of both runs.

    Attributes
    ----------
    part, what : str
        What is counted: a lane or item, and what of it.
    here, there : int or None
        None where a run has no such count.
    refused : str
        Why there is none there; empty where nothing is refused.
    """

    part: str
    what: str
    here: int | None
    there: int | None
    refused: str = ""

    @property
    def is_same(self) -> bool:
        """Whether both are equal, or it is refused there."""
        return bool(self.refused) or self.here == self.there


def compared(
    trellis: Trellis,
    session: Session,
    runner: Runner,
    rows_at_most: int | None = None,
    report: Report = quiet,
) -> list[Compared]:
    """Return every count of a trellis run here, beside that of a run at another place.

    Parameters
    ----------
    trellis : Trellis
    session : Session
    runner : Runner
    rows_at_most : int, optional
        Where given, both take the first rows of each lane; these are sent along.
    report : Report
    """
    if rows_at_most is not None:
        runner = Runner(runner.secrets, rows_at_most=rows_at_most)
    here = runner.run(trellis, part(report, 0.0, 0.5))
    is_sample = rows_at_most is not None
    there = results_of(There(trellis, session, runner, is_sample, part(report, 0.5, 1.0)))
    refused = {name: e for name, e in there.rows.items() if isinstance(e, UserError)}
    return list(_compared(here.facts, there.facts, refused))


def _compared(here: Facts, there: Facts, refused: dict[str, UserError]) -> Iterator[Compared]:
    for lane_id, mine in here.lanes.items():
        theirs = there.lanes[lane_id]
        why = refused.get(lane_id)
        yield Compared(mine.name, tr("rows"), mine.rows, theirs.rows, why.happened if why else "")
    for item_id, item in here.items.items():
        other = there.items[item_id]
        why = refused.get(item_id)
        if why is not None:
            yield Compared(item.name, tr("rows"), item.rows, None, why.happened)
            continue
        yield from _of_item(item, other)


def _of_item(here: ItemFacts, there: ItemFacts) -> Iterator[Compared]:
    yield Compared(here.name, tr("rows"), here.rows, there.rows)
    for what, words in _BOTH_KNOW.items():
        if what != "rows" and what in here.numbers and what in there.numbers:
            yield Compared(here.name, tr(words), here.numbers[what], there.numbers[what])
    if isinstance(here, JoinFacts) and isinstance(there, JoinFacts):
        for name, mine, theirs in (
            (here.lane, here.counts.left, there.counts.left),
            (here.other, here.counts.right, there.counts.right),
        ):
            for field in dataclasses.fields(mine):
                what = tr(_OF_SIDES[field.name], lane=name)
                yield Compared(
                    here.name, what, getattr(mine, field.name), getattr(theirs, field.name)
                )
