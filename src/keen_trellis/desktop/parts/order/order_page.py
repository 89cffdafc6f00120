"""The page of the step that orders rows."""

from __future__ import annotations

from typing import Any

from keen_trellis.base.language import tr
from keen_trellis.data import Table
from keen_trellis.desktop.bench.order_part import tell_order
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage
from keen_trellis.document.items import OrderedBy


class OrderPage(StepPage):
    """By which columns, and which way."""

    kind = "order"

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say the order."""
        say.word(tr("Order the rows by"))
        tell_order(say, "order.by", item.by, before, self._take)
        say.word(tr("· blanks come last"))

    def _take(self, by: tuple[OrderedBy, ...]) -> None:
        self.change(by=by)
