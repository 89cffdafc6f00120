"""The page of the step for the first or last rows."""

from __future__ import annotations

from typing import Any

from keen_trellis.base.language import tr
from keen_trellis.data import Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage, tell_columns


class FirstPage(StepPage):
    """How many rows go on, from which end, of which groups."""

    kind = "first"
    chooses_rows = True

    def looked_at(self, item: Any) -> set[str]:
        """Return the columns that make groups."""
        return set(item.by)

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say which rows go on."""
        say.word(tr("Keep the"))
        say.choice(
            "first.end",
            tr("From which end"),
            {"first": tr("first"), "last": tr("last")},
            current=item.end,
            chosen=lambda value: self.change(end=value),
        )
        say.field("first.n", tr("How many rows"), str(item.n), 70, self._take_number)
        say.word(tr("rows of each") if item.by else tr("rows of all; or of each"))
        tell_columns(say, "first.by", item.by, before, lambda by: self.change(by=by))

    def _take_number(self, text: str) -> None:
        if text.strip().isdecimal():
            self.change(n=int(text))
