"""The page of the step that makes one row per group."""

from __future__ import annotations

from typing import Any

from keen_trellis.base.language import tr
from keen_trellis.data import Kind, Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage, tell_columns
from keen_trellis.desktop.controls import NONE_YET
from keen_trellis.document.items import FigureItem
from keen_trellis.plan.figures import hows_of


class SummarisePage(StepPage):
    """What makes a group, and the figures of each."""

    kind = "summarise"

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say the groups and figures."""
        say.word(tr("One row for each") if item.by else tr("One row for all; or for each"))
        tell_columns(say, "summarise.by", item.by, before, lambda by: self.change(by=by))
        say.word(tr("with"))
        for place, figure in enumerate(item.figures):
            self._tell_figure(say, item, place, figure, before)
        fields = before.fields if before is not None else ()
        add = say.choice(
            "summarise.add",
            tr("One more figure"),
            [("", tr("rows"), tr("how many"))] + [(f.name, f.name, tr(f.kind)) for f in fields],
            current=NONE_YET,
            chosen=lambda column: self._add(item, column, before),
        )
        add.setText(tr("+ figure"))

    def _tell_figure(
        self, say: Sentence, item: Any, place: int, figure: FigureItem, before: Table | None
    ) -> None:
        name = f"summarise.{place}"
        if figure.column is None:
            say.word(tr("the number of rows"))
        else:
            say.choice(
                f"{name}.how",
                tr("What is made of {column}", column=figure.column),
                self._possible(figure.column, before),
                current=figure.how,
                chosen=lambda how: self._put(item, place, figure.but(how=how)),
            )
            say.word(tr("of {column}", column=figure.column))
        rest = (*item.figures[:place], *item.figures[place + 1 :])
        says = tr("Take {title} out", title=figure.as_figure().title)
        say.button("×", f"{name}.remove", says, lambda: self.change(figures=rest))

    def _possible(self, column: str, before: Table | None) -> dict[str, str]:
        kinds = {f.name: f.kind for f in before.fields} if before is not None else {}
        return {how: tr(how) for how in hows_of(kinds.get(column, Kind.TEXT))}

    def _put(self, item: Any, place: int, figure: FigureItem) -> None:
        self.change(figures=(*item.figures[:place], figure, *item.figures[place + 1 :]))

    def _add(self, item: Any, column: str, before: Table | None) -> None:
        how = next(iter(self._possible(column, before))) if column else "count"
        figure = FigureItem(column=column or None).but(how=how)
        self.change(figures=(*item.figures, figure))
