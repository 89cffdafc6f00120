"""The page of the step that works a column out across rows."""

from __future__ import annotations

from typing import Any

from keen_trellis.base.language import tr
from keen_trellis.data import Table
from keen_trellis.desktop.bench.order_part import tell_order
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage, tell_columns
from keen_trellis.desktop.theme import value_font
from keen_trellis.document.items import OrderedBy
from keen_trellis.plan.across import OF_ANY_KIND, OF_ROWS, OF_SEVERAL, ROWS_AT_MOST, WHATS


class AcrossPage(StepPage):
    """What is worked out, of which column, for which rows and in which order."""

    kind = "across"

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say what is worked out."""
        say.word(tr("Add the column"))
        says = tr("What the new column is called")
        say.field("across.name", says, item.name, 120, lambda text: self.change(name=text.strip()))
        say.word(tr("with the"))
        ways = {str(what): tr(what) for what in WHATS}
        says = tr("What is worked out across rows")
        say.choice("across.what", says, ways, item.what, lambda value: self._take_what(value, item))
        if item.what not in OF_ROWS:
            fields = before.fields if before is not None else ()
            say.word(tr("of"))
            say.choice(
                "across.column",
                tr("The column that it is worked out of"),
                [
                    (f.name, f.name, tr(f.kind))
                    for f in fields
                    if f.kind.is_numeric or item.what in OF_ANY_KIND
                ],
                current=item.column,
                chosen=lambda name: self.change(column=name),
                font=value_font(),
            )
        if item.what in OF_SEVERAL:
            is_average = item.what == "moving average"
            says = tr("Of how many rows") if is_average else tr("How many rows away")
            say.field("across.n", says, str(item.n), 50, self._take_n)
            say.word(tr("rows") if is_average else tr("rows away"))
        say.word(tr("for each") if item.by else tr("of all rows; or for each"))
        tell_columns(say, "across.by", item.by, before, lambda by: self.change(by=by))
        say.word(tr("in the order of") if item.order else tr("as they stand; or in the order of"))
        tell_order(say, "across.order", item.order, before, self._take_order)

    def _take_what(self, what: str, item: Any) -> None:
        name = item.name or tr(what)
        self.change(what=what, name=name)

    def _take_n(self, text: str) -> None:
        if text.strip().isdecimal():
            self.change(n=min(max(int(text), 1), ROWS_AT_MOST))

    def _take_order(self, order: tuple[OrderedBy, ...]) -> None:
        self.change(order=order)
