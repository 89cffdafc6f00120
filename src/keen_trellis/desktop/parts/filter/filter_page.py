"""The page of a filter: its conditions as a sentence with choices, the rows kept and left out."""

from __future__ import annotations

from typing import Any

from keen_trellis.data import Table
from keen_trellis.desktop.bench.conditions import Conditions
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage
from keen_trellis.document.items import ConditionItem

_OF = {"all": "all of these hold", "any": "any of these holds"}


class FilterPage(StepPage):
    """Which rows go on, said as a sentence; below it both sorts of rows."""

    kind = "filter"
    chooses_rows = True

    def looked_at(self, item: Any) -> set[str]:
        """Return the columns that conditions are about."""
        return {condition.column for condition in item.conditions}

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say the conditions."""
        say.word(f"Keep the rows of {lane} where" if item.conditions else f"Every row of {lane}")
        if len(item.conditions) > 1:
            says = "Whether all must hold"
            say.choice(
                "filter.of", says, _OF, current=item.of, chosen=lambda value: self.change(of=value)
            )
        told = Conditions(say, "filter", before, item.conditions, self._take)
        for place in range(len(item.conditions)):
            if place:
                say.word("and" if item.of == "all" else "or")
            told.tell(place)
        if not item.conditions:
            say.word("goes on, until something is asked of it:")
        told.offer("+ condition" if item.conditions else "choose a column")

    def _take(self, conditions: tuple[ConditionItem, ...]) -> None:
        self.change(conditions=conditions)
