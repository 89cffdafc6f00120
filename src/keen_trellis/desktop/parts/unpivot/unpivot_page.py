"""The page of the step that makes rows of columns."""

from __future__ import annotations

from typing import Any

from keen_trellis.base.language import tr
from keen_trellis.data import Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage, tell_columns


class UnpivotPage(StepPage):
    """Which columns become rows, and what their names and values are called."""

    kind = "unpivot"

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say which columns, and into what."""
        say.word(tr("Make rows of"))
        ways = {
            "these": tr("these columns"),
            "all but": tr("all columns but"),
            "called like": tr("columns called like"),
        }
        says = tr("How the columns are chosen")
        say.choice(
            "unpivot.chosen", says, ways, item.chosen, lambda value: self.change(chosen=value)
        )
        if item.chosen == "called like":
            says = tr("A pattern of names, with * for any letters: 2026-*")
            put = lambda text: self.change(pattern=text.strip())  # noqa: E731
            say.field("unpivot.pattern", says, item.pattern, 120, put)
        else:
            columns = item.columns
            tell_columns(
                say, "unpivot.columns", columns, before, lambda names: self.change(columns=names)
            )
        say.word(tr("with their names in"))
        says = tr("The column for their names")
        say.field("unpivot.name", says, item.name, 110, lambda text: self.change(name=text))
        say.choice(
            "unpivot.cut",
            tr("Whether their names are cut"),
            {"": tr("as they are"), "cut": tr("cut at the last mark")},
            "cut" if item.mark else "",
            lambda value: self.change(mark=" " if value else ""),
        )
        if item.mark:
            says = tr("The mark to cut at; what stands behind it names the columns of values")
            say.field("unpivot.mark", says, item.mark, 50, lambda text: self.change(mark=text))
        else:
            say.word(tr("and their values in"))
            says = tr("The column for their values")
            say.field("unpivot.value", says, item.value, 110, lambda text: self.change(value=text))
        say.word(tr("and rows without a value"))
        say.choice(
            "unpivot.blanks",
            tr("What becomes of rows without a value"),
            {"on": tr("go on"), "out": tr("are left out")},
            "on" if item.blanks else "out",
            lambda value: self.change(blanks=value == "on"),
        )
