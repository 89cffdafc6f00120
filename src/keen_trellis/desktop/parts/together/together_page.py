"""The page of the step that puts columns together."""

from __future__ import annotations

from typing import Any

from keen_trellis.base.language import tr
from keen_trellis.data import Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage, tell_columns


class TogetherPage(StepPage):
    """Which columns, what stands between them, and what the text is called."""

    kind = "together"

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say what is put together."""
        say.word(tr("Put"))
        tell_columns(
            say,
            "together.column",
            item.columns,
            before,
            lambda columns: self.change(columns=columns),
        )
        say.word(tr("together, with"))
        says = tr("What stands between them")
        say.field("together.mark", says, item.mark, 60, lambda text: self.change(mark=text))
        say.word(tr("between, as"))
        says = tr("The name of the new column")
        say.field("together.name", says, item.name, 150, self._take_name)

    def _take_name(self, text: str) -> None:
        if text.strip():
            self.change(name=text.strip())
