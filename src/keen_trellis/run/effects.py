"""What a step does at the ties behind it: how many rows find a partner with it, and without."""

from __future__ import annotations

from collections.abc import Iterator

from keen_trellis.base.language import tr
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
            words = [
                tr("{found:,} of {rows:,}", found=side.found, rows=side.rows) for side in sides
            ]
            if words[0] != words[1]:
                yield tr(
                    "{words_1} → {words_2} found at {name}",
                    words_1=words[0],
                    words_2=words[1],
                    name=tie.name,
                )
