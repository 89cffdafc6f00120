"""The page of the step that fills blanks and gaps."""

from __future__ import annotations

from typing import Any, get_args

from keen_trellis.data import Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage, tell_columns
from keen_trellis.desktop.theme import value_font
from keen_trellis.document.items.fill import Empty, With


class FillPage(StepPage):
    """What is filled, in which columns, and with what."""

    kind = "fill"

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say what is filled."""
        say.word("Fill")
        say.choice(
            "fill.empty",
            "What is filled",
            {one: one for one in get_args(Empty)},
            current=item.empty,
            chosen=lambda value: self.change(empty=value),
        )
        say.word("of")
        tell_columns(
            say, "fill.column", item.columns, before, lambda columns: self.change(columns=columns)
        )
        say.word("with")
        say.choice(
            "fill.with",
            "What stands in their place",
            {one: one for one in get_args(With)},
            current=item.with_,
            chosen=lambda value: self.change(with_=value, value=""),
        )
        if item.with_ == "a value":
            says = "The value to fill with"
            say.field("fill.value", says, item.value, 150, lambda text: self.change(value=text))
        if item.with_ == "another column":
            fields = before.fields if before is not None else ()
            say.choice(
                "fill.other",
                "The column to fill from",
                [(f.name, f.name, str(f.kind)) for f in fields if f.name not in item.columns],
                current=item.value,
                chosen=lambda value: self.change(value=value),
                font=value_font(),
            )
