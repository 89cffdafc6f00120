"""The page of the step that splits a text."""

from __future__ import annotations

from typing import Any

from keen_trellis.base.language import tr
from keen_trellis.data import Kind, Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage
from keen_trellis.desktop.theme import value_font


class SplitPage(StepPage):
    """Which text is split, where, and into what."""

    kind = "split"

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say what is split."""
        say.word(tr("Split"))
        fields = before.fields if before is not None else ()
        say.choice(
            "split.column",
            tr("The column to split"),
            [(f.name, f.name, "") for f in fields if f.kind is Kind.TEXT],
            current=item.column,
            chosen=lambda value: self.change(column=value, into=item.into or self._names(value)),
            font=value_font(),
        )
        say.word(tr("at"))
        if not item.into_rows:
            say.choice(
                "split.at",
                tr("Where it is split"),
                {"a mark": tr("the mark"), "positions": tr("positions")},
                current=item.at,
                chosen=lambda value: self.change(at=value),
            )
        if item.at == "a mark" or item.into_rows:
            says = tr("The mark to split at")
            say.field("split.mark", says, item.mark, 60, lambda text: self.change(mark=text))
        else:
            shown = ", ".join(map(str, item.positions))
            says = tr("Behind how many letters it is cut: 2, 5")
            say.field("split.positions", says, shown, 90, self._take_positions)
        say.word(tr("into"))
        say.choice(
            "split.into",
            tr("What the parts become"),
            {"columns": tr("columns"), "rows": tr("a row for each part")},
            current="rows" if item.into_rows else "columns",
            chosen=lambda value: self.change(into_rows=value == "rows"),
        )
        if not item.into_rows:
            says = tr("The names of the new columns: from, to")
            say.field("split.names", says, ", ".join(item.into), 200, self._take_names)

    def _names(self, column: str) -> tuple[str, ...]:
        return f"{column} 1", f"{column} 2"

    def _take_names(self, text: str) -> None:
        self.change(into=tuple(dict.fromkeys(n.strip() for n in text.split(",") if n.strip())))

    def _take_positions(self, text: str) -> None:
        found = [int(one) for one in text.replace(",", " ").split() if one.isdecimal()]
        self.change(positions=tuple(sorted({one for one in found if one > 0})))
