"""The page of the step that changes kinds."""

from __future__ import annotations

from typing import Any

from keen_trellis.data import Kind, Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage


class KindsPage(StepPage):
    """Which columns are read as what."""

    kind = "kinds"

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say which columns become what."""
        say.word("Make" if item.kinds else "Make another kind of")
        for number, (column, kind) in enumerate(item.kinds.items()):
            if number:
                say.word("and")
            self._tell_kind(say, item, column, kind)
        fields = before.fields if before is not None else ()
        add = say.choice(
            "kinds.add",
            "A column to read as another kind",
            [(f.name, f.name, str(f.kind)) for f in fields if f.name not in item.kinds],
            current="",
            chosen=lambda column: self.change(kinds={**item.kinds, column: Kind.TEXT}),
        )
        add.setText("+ column")

    def _tell_kind(self, say: Sentence, item: Any, column: str, kind: Kind) -> None:
        say.word(column)
        say.choice(
            f"kinds.{column}",
            f"The kind of {column}",
            {one.value: one.value for one in Kind},
            current=kind,
            chosen=lambda value: self.change(kinds={**item.kinds, column: Kind(value)}),
        )
        rest = {name: one for name, one in item.kinds.items() if name != column}
        says = f"Let {column} be what it is"
        say.button("×", f"kinds.{column}.remove", says, lambda: self.change(kinds=rest))
