"""What a step does at the ties behind it: how many rows find a partner with it, and without."""

from __future__ import annotations

from collections.abc import Iterator

from keen_trellis.compute.tied import Tied
from keen_trellis.run.runner import Results


def effects(without: Results, with_it: Results) -> Iterator[str]:
    """Yield a sentence for each join that finds something else: the numbers, then where.

    Parameters
    ----------
    without, with_it : Results
        Of the same trellis, but for the step.
    """
    before_all = without.ties
    for lane, item in with_it.trellis.joins():
        before, now = before_all.get(item.id), with_it.ties.get(item.id)
        if isinstance(before, Tied) and isinstance(now, Tied):
            words = [f"{t.counts.left.found:,} of {t.counts.left.rows:,}" for t in (before, now)]
            if words[0] != words[1]:
                yield f"{words[0]} → {words[1]} found at {lane.name} + {now.names[1]}"
