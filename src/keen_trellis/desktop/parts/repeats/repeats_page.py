"""The page of the step for repeated rows."""

from __future__ import annotations

from typing import Any

from keen_trellis.base.language import tr
from keen_trellis.data import Table
from keen_trellis.desktop.bench.order_part import tell_order
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage, tell_columns
from keen_trellis.document.items import OrderedBy

KEPT = {
    "first": tr("the first"),
    "last": tr("the last"),
    "repeated": tr("all, but only where there are several"),
    "alone": tr("none: only rows without an equal go on"),
}


class RepeatsPage(StepPage):
    """Which rows count as equal, and which of them go on."""

    kind = "repeats"
    chooses_rows = True

    def looked_at(self, item: Any) -> set[str]:
        """Return the columns that are compared."""
        return set(item.by)

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say which of equal rows go on."""
        say.word(
            tr("Of rows that are equal in")
            if item.by
            else tr("Of rows that are equal in every column")
        )
        tell_columns(say, "repeats.by", item.by, before, lambda by: self.change(by=by))
        say.word(tr("keep"))
        say.choice(
            "repeats.keep",
            tr("Which of them go on"),
            KEPT,
            current=item.keep,
            chosen=lambda value: self.change(keep=value),
        )
        if item.keep in ("first", "last"):
            say.word(tr("by") if item.order else tr("as they stand; or by"))
            tell_order(say, "repeats.order", item.order, before, self._take_order)

    def _take_order(self, order: tuple[OrderedBy, ...]) -> None:
        self.change(order=order)
