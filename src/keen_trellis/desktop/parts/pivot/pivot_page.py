"""The page of the step that makes columns of rows."""

from __future__ import annotations

from functools import partial
from typing import Any

from keen_trellis.base.language import tr, tr_n
from keen_trellis.data import Kind, Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage, tell_columns
from keen_trellis.desktop.theme import value_font
from keen_trellis.plan.figures import hows_of


class PivotPage(StepPage):
    """Which values become columns, what stands in them, and what makes a row."""

    kind = "pivot"

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say the field, its values, the figure and the rows."""
        fields = before.fields if before is not None else ()
        kinds = {one.name: one.kind for one in fields}
        say.word(tr("Make a column of each value of"))
        say.choice(
            "pivot.field",
            tr("The field whose values become columns"),
            [(f.name, f.name, tr(f.kind)) for f in fields],
            current=item.field,
            chosen=lambda name: self.change(field=name, values=()),
            font=value_font(),
        )
        self._tell_values(say, item)
        say.word(tr("with"))
        figures = [("", tr("the number of rows"), "")]
        figures += [(f.name, f.name, tr(f.kind)) for f in fields]
        if item.column:
            hows = {str(how): tr(how) for how in hows_of(kinds.get(item.column, Kind.TEXT))}
            says = tr("What is made of {column}", column=item.column)
            say.choice("pivot.how", says, hows, item.how, lambda how: self.change(how=how))
            say.word(tr("of"))
        say.choice(
            "pivot.column",
            tr("What the figure is made of"),
            figures,
            current=item.column or "",
            chosen=lambda name: self._take_column(name, kinds),
            font=value_font(),
        )
        say.word(tr("in it; a row for each") if item.by else tr("in it; one row for all, or each"))
        tell_columns(say, "pivot.by", item.by, before, lambda by: self.change(by=by))
        say.word(tr("and other values"))
        says = tr("What becomes of other values")
        ways = {"out": tr("are left out"), "rest": tr("stand in")}
        say.choice(
            "pivot.others",
            says,
            ways,
            "rest" if item.rest else "out",
            lambda value: self.change(rest=tr("the rest") if value == "rest" else ""),
        )
        if item.rest:
            says = tr("The column for all other values")
            say.field("pivot.rest", says, item.rest, 110, lambda text: self.change(rest=text))
        say.word(tr("and where there is none,"))
        ways = {"blank": tr("a blank"), "zero": tr("zero")}
        says = tr("What stands where there is no value")
        now = "zero" if item.zero else "blank"
        put = lambda value: self.change(zero=value == "zero")  # noqa: E731
        say.choice("pivot.empty", says, ways, now, put)

    def _tell_values(self, say: Sentence, item: Any) -> None:
        """Show the values that are chosen, each to be taken out, and take all others in."""
        for place, value in enumerate(item.values):
            rest = (*item.values[:place], *item.values[place + 1 :])
            says = tr("Take {title} out", title=value)
            name = f"pivot.value.{place}"
            say.button(f"{value} ×", name, says, partial(self.change, values=rest))
        if self.others:
            more = (*item.values, *self.others)
            words = tr_n(len(self.others), "+ {n:,} value", "+ {n:,} values")
            says = tr("Make columns of all other values, too")
            say.button(words, "pivot.take", says, lambda: self.change(values=more))

    def _take_column(self, name: str, kinds: dict[str, Kind]) -> None:
        how = hows_of(kinds[name])[0] if name else "count"
        self.change(column=name or None, how=how)
