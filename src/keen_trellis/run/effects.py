"""What a step does at the ties behind it: how many rows find a partner with it, and without."""

from __future__ import annotations

from collections.abc import Iterator

from keen_trellis.run.results import Results


def effects(without: Results, with_it: Results) -> Iterator[str]:
    """Yield a sentence for each join that finds something else: the numbers, then where.

    Parameters
    ----------
    without, with_it : Results
        Of the same trellis, but for the step.
    """
    before = {tie.id: tie for tie in without.facts.joins()}
    for tie in with_it.facts.joins():
        if tie.id in before:
            sides = (before[tie.id].counts.left, tie.counts.left)
            words = [f"{side.found:,} of {side.rows:,}" for side in sides]
            if words[0] != words[1]:
                yield f"{words[0]} → {words[1]} found at {tie.name}"
