"""The page of the step that changes kinds."""

from __future__ import annotations

from typing import Any

from keen_trellis.base.language import tr
from keen_trellis.data import Kind, Table
from keen_trellis.data.kinds import BY_DAY
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage

_AS_THEY_SHOW = "as they show"


class KindsPage(StepPage):
    """Which columns are read as what."""

    kind = "kinds"

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say which columns become what."""
        say.word(tr("Make") if item.kinds else tr("Make another kind of"))
        for number, (column, kind) in enumerate(item.kinds.items()):
            if number:
                say.word(tr("and"))
            self._tell_kind(say, item, column, kind)
        fields = before.fields if before is not None else ()
        days = {name for name, kind in item.kinds.items() if kind in BY_DAY}
        texts = {f.name for f in fields if f.kind is Kind.TEXT}
        if days & texts or item.dates != _AS_THEY_SHOW:
            say.word(tr("with dates"))
            says = tr("Which part of a date such as 03/04/2026 comes first")
            say.choice(
                "kinds.dates",
                says,
                {one: tr(one) for one in (_AS_THEY_SHOW, "day first", "month first")},
                current=item.dates,
                chosen=lambda value: self.change(dates=value),
            )
        add = say.choice(
            "kinds.add",
            tr("A column to read as another kind"),
            [(f.name, f.name, tr(f.kind)) for f in fields if f.name not in item.kinds],
            current="",
            chosen=lambda column: self.change(kinds={**item.kinds, column: Kind.TEXT}),
        )
        add.setText(tr("+ column"))

    def _tell_kind(self, say: Sentence, item: Any, column: str, kind: Kind) -> None:
        say.word(column)
        say.choice(
            f"kinds.{column}",
            tr("The kind of {column}", column=column),
            {one.value: tr(one) for one in Kind},
            current=kind,
            chosen=lambda value: self.change(kinds={**item.kinds, column: Kind(value)}),
        )
        rest = {name: one for name, one in item.kinds.items() if name != column}
        says = tr("Let {column} be what it is", column=column)
        say.button("×", f"kinds.{column}.remove", says, lambda: self.change(kinds=rest))
